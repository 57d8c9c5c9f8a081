#include "core/control/simulated_control.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"
#include "core/control/plain_cuts.hpp"
#include "core/setup/setup.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {

SimulatedControl::SimulatedControl(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory,
                                   ControlStart start, LineSource& lines, FindingList& findings)
    : controller_(controller), machine_(machine), memory_(std::move(memory)), machine_state_(state), start_(std::move(start)),
      from_unknown_(start_.from_unknown), lines_(lines), findings_(findings), words_(std::make_unique<BlockWords>()), operator_(machine),
      mount_(start_.mount.value_or(machine.at_rest().mount)), now_(state.readings)
{
    for (const auto& [address, id] : controller.axes) {
        if (const auto joint = machine.find_joint(id)) {
            joint_of_.emplace_back(address, joint->value);
            turns_[joint->value] = rotary(joint->value) ? controller.turn_reading(id) : TurnReading::wound;
        }
    }
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        if (!machine.joints[i].moves_while_cutting) {
            positioned_.push_back(i);
        }
    }
    for (const auto& [word, meaning] : controller.words) {
        const bool brakes = meaning.function == Function::brake_lock || meaning.function == Function::brake_release;
        const auto joint = brakes ? machine.find_joint(meaning.joint) : std::nullopt;
        if (joint) {
            braked_ |= std::uint32_t{1} << joint->value;
            const bool at_power_on = std::find(controller.power_on.begin(), controller.power_on.end(), word) != controller.power_on.end();
            locked_[joint->value] =
                at_power_on && !from_unknown_ ? std::optional(meaning.function == Function::brake_lock) : locked_[joint->value];
        }
        takes_mounts_ = takes_mounts_ || meaning.function == Function::tool_mount;
        mount_known_ = !takes_mounts_ || !from_unknown_;
        has_frames_ = has_frames_ || group_of(meaning.function) == Group::frame;
        has_turns_ = has_turns_ || group_of(meaning.function) == Group::rotation;
        function_letters_ |= std::uint32_t{1} << BlockWords::place(word[0]);
    }
    for (const auto& [address, joint] : joint_of_) {
        all_known_ |= std::uint32_t{1} << joint;
    }
    if (const auto joint = machine.find_joint(controller.length_joint)) {
        length_default_ = length_joint_ = cycle_joint_ = joint->value;
    }
    aligned_.reserve(controller.aligned.size()); // pointed into
    for (const AlignedJoints& group : controller.aligned) {
        const auto& joints = aligned_.emplace_back(signed_joints(machine, group.joints));
        if (group.summed && !joints.empty()) {
            summed_[joints.front().joint.value] = &joints;
        }
    }
    for (std::size_t group = 0; group < group_count; ++group) {
        state_[group].meaning = controller.power_on_meaning(static_cast<Group>(group));
    }
    const WordMeaning* units = state_[std::size_t(Group::units)].meaning;
    unit_ = units != nullptr && units->function == Function::inches ? mm_per_inch : 1;
    if (start_.cuts_together) {
        name_plain_words();
    }
    if (const auto shared = state.enter(start_.channel, all_known_)) {
        report(Severity::error, "joint-shared", machine.joints[shared->value].id,
               fmt::format("{} is moved by channel {} and by channel {}", machine.joints[shared->value].id, state.channel_of(*shared),
                           start_.channel),
               "take its address out of one of the two controllers");
    }
}

SimulatedControl::~SimulatedControl() = default;

std::optional<std::size_t> SimulatedControl::joint_of(char address) const
{
    for (const auto& [letter, joint] : joint_of_) {
        if (letter == address) {
            return joint;
        }
    }
    return std::nullopt;
}

void SimulatedControl::report(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure,
                              double worst)
{
    Finding finding = Finding::make(severity, kind, std::move(message), std::move(cure), worst);
    finding.code = {start_.file, block_.value, 0};
    findings_.add(std::move(finding), subject, block_.value);
}

const WordMeaning* SimulatedControl::use(Group group)
{
    const State& state = state_[std::size_t(group)];
    if (from_unknown_ && !state.by_program) {
        rely_on(std::string(name_of(group)), fmt::format("the block relies on the {} that was in force before", name_of(group)),
                "state it");
    }
    return state.meaning;
}

const Happening* SimulatedControl::step()
{
    if (waits()) {
        return &happenings_[told_ - 1];
    }
    for (;;) {
        if (told_ < happenings_.size()) {
            const Happening& next = happenings_[told_++];
            held_ = next.kind == Happening::Kind::wait;
            if (held_) {
                machine_state_.arrive(start_.channel, next.text);
            }
            return &next;
        }
        happenings_.clear();
        moves_.clear();
        told_ = 0;
        held_ = false;
        if (plain_ && plain_->told) {
            plain_->told = false;
            plain_->run.count = 0;
        }
        if (!advance()) {
            return nullptr;
        }
    }
}

/// Does the next thing, of the block at hand or of the next one; false where there is none.
bool SimulatedControl::advance()
{
    if (cycle_ != nullptr && cycle_->on) {
        next_cycle_leg();
        return true;
    }
    if (open_ != nullptr) {
        end_block();
        return true;
    }
    if (!calls_.empty()) {
        next_called_line();
        return true;
    }
    const CodeLine* line = lines_.next();
    if (line == nullptr) {
        end_plain_cuts();
        return !happenings_.empty();
    }
    if (next_line(line->text)) {
        take(line->text, line->block, line->status);
    }
    return true;
}

Happening& SimulatedControl::happens(Happening::Kind kind)
{
    Happening& out = happenings_.emplace_back();
    out.kind = kind;
    out.channel = start_.channel;
    out.block = block_;
    out.called_by = called_by_;
    return out;
}

/// Whether the line that comes next is to be done now; those of subprograms are done where they are called.
bool SimulatedControl::next_line(std::string_view text)
{
    line_ = block_ = BlockNumber(line_.value + 1);
    if (memory_.subprograms != nullptr && !library_ && memory_.subprograms->wanted()) {
        const auto number = memory_.subprograms->number_of(text);
        const Subprogram* begins = number ? memory_.subprograms->find(*number) : nullptr;
        library_ = begins != nullptr && begins->first == block_.value;
    }
    return !library_;
}

/// Does what has been read of a line.
void SimulatedControl::take(std::string_view text, const CodeBlock& block, const Status& status)
{
    if (!status) {
        end_plain_cuts();
        report(Severity::error, "code-error", "", status.error().message, status.error().cure);
        return;
    }
    if (text.find(controller_.comment_open) != std::string_view::npos) {
        hear(text);
    }
    if (controller_.line_most > 0 && text.size() > controller_.line_most) {
        report(Severity::error, "line-too-long", "",
               fmt::format("the line has {} characters, the control takes {}", text.size(), controller_.line_most),
               "write fewer decimals, no blanks, or a shorter comment", double(text.size()));
    }
    if (block.words.empty() || (plain_ && !block.skippable && !operator_.waits() && plain_cut(block))) {
        return;
    }
    end_plain_cuts();
    if (ended_) {
        report(Severity::error, "after-end", "", "the program goes on after its end", "take these blocks away, or the end before them");
        return;
    }
    begin_block(block);
}

void SimulatedControl::finish()
{
    finish_subprograms();
    if (waits()) {
        report(Severity::error, "left-waiting", "", "the program waits for another channel, which does not come",
               "let both channels come to the same mark");
    }
    if (!ended_) {
        report(Severity::error, "no-end", "", "the program has no end", "end it with the control's program-end word");
    }
}

bool SimulatedControl::sort_words(const CodeBlock& block, BlockWords& out)
{
    for (const CodeWord& word : block.words) {
        const bool may_do = (function_letters_ >> BlockWords::place(word.letter) & 1U) != 0;
        const auto found =
            may_do ? controller_.words.find(normalised_word(word.letter + std::string(word.number))) : controller_.words.end();
        if (found != controller_.words.end()) {
            const Group group = group_of(found->second.function);
            for (const WordMeaning* other : out.functions) {
                if (group != Group::none && group_of(other->function) == group) {
                    report(Severity::error, "code-error", "", fmt::format("two words of the group {} in one block", name_of(group)),
                           "write one of them");
                    return false;
                }
            }
            out.functions.push_back(&found->second);
            continue;
        }
        if (word.letter == 'G' || word.letter == 'M') {
            report(Severity::error, "code-error", "", fmt::format("the control does not know {}{}", word.letter, word.number.substr(0, 12)),
                   "correct the word, or add it to the controller's words");
            return false;
        }
        const CodeWord*& place = out.addresses[BlockWords::place(word.letter)];
        if (place != nullptr) {
            report(Severity::error, "code-error", "", fmt::format("the word {} stands twice in the block", word.letter), "write it once");
            return false;
        }
        place = &word;
        if (std::abs(word.value) > largest_word) {
            report(Severity::error, "code-error", "", fmt::format("the word {}{} is beyond 1e7", word.letter, word.number.substr(0, 24)),
                   "correct the number");
            return false;
        }
    }
    return true;
}

double SimulatedControl::plain_value(const CodeWord& word, double increment) const
{
    return !word.has_point && controller_.bare_number_is_increments ? word.value * increment : word.value;
}

double SimulatedControl::length_value(const CodeWord& word)
{
    if (from_unknown_) [[unlikely]] {
        (void)use(Group::units);
    }
    return length_of(word);
}

double SimulatedControl::length_of(const CodeWord& word) const { return plain_value(word, controller_.length_increment) * unit_; }

double SimulatedControl::offset(std::size_t joint)
{
    const WordMeaning* meaning = use(Group::offset);
    if (meaning != offset_meaning_ || offsets_.empty()) {
        offset_meaning_ = meaning;
        offsets_.assign(machine_.joints.size(), 0.0);
        const auto found = meaning == nullptr ? memory_.offsets.end() : memory_.offsets.find(meaning->work_register);
        if (found != memory_.offsets.end()) {
            for (const auto& [index, value] : found->second) {
                offsets_[index] = value;
            }
        } else if (meaning != nullptr && memory_.tools != nullptr) {
            report(Severity::error, "offset-missing", meaning->work_register,
                   fmt::format("the offset register {} is empty", meaning->work_register), "state it in the setup");
        }
    }
    if (in_frame() && std::find(tip_words_->xyz.begin(), tip_words_->xyz.end(), joint) != tip_words_->xyz.end()) {
        return 0; // it is in the frame
    }
    if (surface_ && joint == surface_->flat) {
        return 0; // the way round begins where the word of the joint that turns is zero
    }
    double out = offsets_[joint] + shift_[joint] + (joint == length_joint_ ? length_shift_ : 0);
    if (summed_[joint] != nullptr) {
        for (const SignedJoint& other : *summed_[joint]) {
            out -= other.first ? 0 : other.sign * now_[Eigen::Index(other.joint.value)];
        }
    }
    return out;
}

std::size_t SimulatedControl::named(const BlockWords& words, std::size_t joint, std::size_t otherwise) const
{
    for (const auto& group : aligned_) {
        if (std::none_of(group.begin(), group.end(), [&](const SignedJoint& j) { return j.joint.value == joint; })) {
            continue;
        }
        for (const auto& [address, other] : joint_of_) {
            if (words.contains(address) &&
                std::any_of(group.begin(), group.end(), [&](const SignedJoint& j) { return j.joint.value == other; })) {
                return other;
            }
        }
        return otherwise;
    }
    return joint;
}

/// Does what a block does up to its motion, and begins that.
void SimulatedControl::begin_block(const CodeBlock& block)
{
    BlockWords& words = *words_;
    words.clear();
    if (!sort_words(block, words)) {
        settle_block();
        return;
    }
    open_ = &block;
    changed_ = false;
    if (block.skippable) {
        check_skippable(words);
    }
    apply_loop(words);
    apply_calls(words);
    apply_state(words);
    apply_tool(words);
    apply_frame(words);
    if (has_turns_ || shifted_ != 0 || words.has(Function::coordinate_shift)) {
        apply_coordinates(words);
    }
    if (braked_ != 0) {
        apply_brakes(words);
    }
    if (takes_mounts_) {
        take_mounts(words);
    }
    apply_motion(words);
}

/// After the motion.
void SimulatedControl::end_block()
{
    const CodeBlock& block = *std::exchange(open_, nullptr);
    const BlockWords& words = *words_;
    for (const WordMeaning* meaning : words.functions) {
        if (meaning->function == Function::stop || meaning->function == Function::optional_stop) {
            stop(meaning->function == Function::optional_stop);
            changed_ = true;
        }
        if (meaning->function == Function::wait) {
            if (machine_state_.channels() == 1) {
                report(Severity::warning, "waits-alone", meaning->mark,
                       fmt::format("the program waits at mark {} for another channel, and there is none", meaning->mark),
                       "read the programs of all channels together");
            }
            happens(Happening::Kind::wait).text = meaning->mark;
            changed_ = true;
        }
        if (meaning->function == Function::program_end) {
            if (loop_.value != 0) {
                report(Severity::error, "loop-open", "", fmt::format("the program ends inside the loop of block {}", loop_.value),
                       "close the loop before the end");
            }
            if (shifted_ != 0 || turned_) {
                report(Severity::warning, "coordinates-left", "", "the program ends while its coordinates are shifted or turned",
                       "take the shift and the rotation back before the end");
            }
            if (surface_ || in_frame()) {
                report(Severity::warning, "frame-left-on", "",
                       "the program ends while X, Y and Z still tell something else than the joints",
                       "switch back to the joints' own coordinates before the end");
            }
            happens(Happening::Kind::end);
            machine_state_.leave(start_.channel);
            ended_ = true;
            changed_ = true;
        }
    }
    for (const CodeWord& word : block.words) {
        const auto at = BlockWords::place(word.letter);
        if (words.addresses[at] == &word && (words.used >> at & 1U) == 0) {
            report(Severity::error, "code-error", "",
                   fmt::format("the word {}{} has no meaning in this block", word.letter, word.number.substr(0, 24)),
                   "take it away, or add what it belongs to");
        }
    }
    if (!changed_) {
        report(Severity::warning, "no-effect", "", "the block changes nothing", "take it away; it may be a doubled block");
    }
    settle_block();
}

/// Before the next one.
void SimulatedControl::settle_block()
{
    if (call_) {
        call(*std::exchange(call_, std::nullopt));
    }
    if (plain_) {
        look_for_plain_cuts();
    }
}

} // namespace wexilum
