// How the control changes tools, and how it reads a loop.
#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"
#include "core/setup/setup.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

using record::CoolantState;
using record::SpindleState;

/// A loop is read once, as one of its later passes would be: nothing that was in force before it is known to be so. What the body
/// relies on without stating it is a finding, so that every pass starts like the first.
void SimulatedControl::apply_loop(const BlockWords& words)
{
    if (words.has(Function::loop_begin)) {
        const CodeWord* count = words.take(controller_.loop_count);
        if (loop_.value != 0) {
            report(Severity::error, "code-error", "", fmt::format("a loop begins inside the loop of block {}", loop_.value),
                   "close that one first");
            return;
        }
        if (count == nullptr || count->value < 1 || count->value != std::floor(count->value)) {
            report(Severity::error, "code-error", "",
                   fmt::format("a loop needs its count, a whole number behind {}", controller_.loop_count),
                   "write it in the block that begins the loop");
        }
        loop_ = block_;
        unknown_outside_ = from_unknown_;
        from_unknown_ = true;
        happens(Happening::Kind::loop).count = count != nullptr ? count->value : 1;
        for (std::size_t group = 0; group < group_count; ++group) {
            state_[group].by_program = state_[group].by_program && group == std::size_t(Group::units);
        }
        known_ = 0;
        locked_ = {};
        tip_words_.reset();
        feed_.reset();
        spindle_rpm_.reset();
        spindle_ = SpindleState::off;
        coolant_ = CoolantState::off;
        tool_ = selected_tool_ = 0;
        tool_length_ = 0;
        changed_ = true;
    }
    if (words.has(Function::loop_end)) {
        if (loop_.value == 0) {
            report(Severity::error, "code-error", "", "a loop ends that has not begun", "begin it, or take the block away");
        }
        loop_ = BlockNumber(0);
        from_unknown_ = unknown_outside_;
        changed_ = true;
    }
}

void SimulatedControl::apply_tool(const BlockWords& words)
{
    if (const CodeWord* word = words.take(controller_.tool)) {
        const std::uint32_t number = whole(*word);
        changed_ = true; // a tool that is called again stands there for whoever restarts at this block
        selected_tool_ = number;
    }
    const bool change = std::any_of(words.functions.begin(), words.functions.end(),
                                    [](const WordMeaning* m) { return m->function == Function::tool_change; });
    if (!change) {
        return;
    }
    changed_ = true;
    if (selected_tool_ == tool_) {
        report(Severity::error, "same-tool", "", fmt::format("the tool {} is changed for itself", tool_),
               "take the tool change away, or call another tool before it");
    }
    for (const auto& [id, place] : controller_.change_position) {
        const auto joint = machine_.find_joint(id);
        if (joint && (!known(joint->value) || std::abs(now_[Eigen::Index(joint->value)] - place) > 1e-6)) {
            report(Severity::error, "change-place", id, fmt::format("{} is not at its place for a tool change", id),
                   "retract before the tool change");
        }
    }
    if (spindle_ != SpindleState::off && !controller_.tool_change_stops_spindle) {
        report(Severity::error, "change-turning", "", "the spindle turns during the tool change", "stop it before");
    }
    if (controller_.tool_change_stops_spindle) {
        spindle_ = SpindleState::off;
        state_[std::size_t(Group::spindle)] = {};
    }
    tool_ = selected_tool_;
    const Tool* tool = memory_.tools != nullptr ? memory_.tools->find_tool(tool_) : nullptr;
    tool_length_ = tool != nullptr ? tool->length.value_or(0) : 0;
    if (tool == nullptr && memory_.tools != nullptr) {
        report(Severity::error, "tool-missing", std::to_string(tool_), fmt::format("the tool {} is not in the tool table", tool_),
               "add it to the setup");
    }
    happens(Happening::Kind::tool_change).tool = tool_;
}

} // namespace wexilum
