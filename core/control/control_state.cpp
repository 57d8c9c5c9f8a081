#include "core/control/control_state.hpp"

#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"

namespace wexilum {

ControlState SimulatedControl::state() const
{
    ControlState out;
    out.block = block_;
    for (std::size_t i = 0; i < group_count; ++i) {
        const auto group = static_cast<Group>(i);
        std::string word;
        bool known = false;
        for (const auto& [name, meaning] : controller_.words) {
            known = known || (group != Group::none && group_of(meaning.function) == group);
            word = &meaning == state_[i].meaning ? name : word;
        }
        if (known) {
            const WordMeaning* meaning = state_[i].meaning;
            out.groups.push_back({std::string(name_of(group)), word,
                                  meaning != nullptr ? std::string(name_of(meaning->function)) : std::string(), state_[i].by_program});
        }
    }
    const WordMeaning* mode = state_[std::size_t(Group::feed_mode)].meaning;
    out.feed_mode = mode != nullptr ? mode->function : Function::feed_per_minute;
    out.feed = feed_;
    out.spindle_rpm = spindle_rpm_;
    out.tool = tool_;
    out.selected_tool = selected_tool_;
    out.tool_length = tool_length_;
    out.length_shift = length_shift_;
    out.length_joint = length_joint_ != SIZE_MAX ? machine_.joints[length_joint_].id : std::string();
    out.mount = mount_ < machine_.mounts.size() ? machine_.mounts[mount_].id : std::string();
    const WordMeaning* offset = state_[std::size_t(Group::offset)].meaning;
    const auto values = offset != nullptr ? memory_.offsets.find(offset->work_register) : memory_.offsets.end();
    for (const auto& [address, joint] : joint_of_) {
        const auto value = values != memory_.offsets.end() ? values->second.find(joint) : std::map<std::size_t, double>::const_iterator();
        const bool stated = values != memory_.offsets.end() && value != values->second.end();
        out.coordinates.push_back({machine_.joints[joint].id, stated ? value->second : 0, shift_[joint]});
    }
    out.turned = turned_ ? std::optional(turned_->angle) : std::nullopt;
    out.tip_words = in_frame();
    out.loop = loop_;
    for (const Called& called : calls_) {
        out.calls.emplace_back(called.name, called.from);
    }
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        if ((open_brakes() >> i & 1U) != 0) {
            out.open_brakes.push_back(machine_.joints[i].id);
        }
    }
    out.ended = ended_;
    out.readings = now_;
    return out;
}

} // namespace wexilum
