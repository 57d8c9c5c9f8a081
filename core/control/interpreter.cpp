#include "core/control/interpreter.hpp"

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
namespace {

using record::CoolantState;
using record::SpindleState;

CoolantState coolant_of(Function function)
{
    switch (function) {
    case Function::coolant_flood: return CoolantState::flood;
    case Function::coolant_mist: return CoolantState::mist;
    case Function::coolant_through: return CoolantState::through;
    case Function::coolant_air: return CoolantState::air;
    default: return CoolantState::off;
    }
}

SpindleState spindle_of(Function function)
{
    switch (function) {
    case Function::spindle_clockwise: return SpindleState::clockwise;
    case Function::spindle_counter_clockwise: return SpindleState::counter_clockwise;
    default: return SpindleState::off;
    }
}

} // namespace

Interpreter::Interpreter(const Controller& controller, const Machine& machine, ControlMemory memory, bool from_unknown,
                         const std::string& file_name, ReplaySink& sink, FindingList& findings)
    : controller_(controller), machine_(machine), memory_(std::move(memory)), from_unknown_(from_unknown), file_name_(file_name),
      sink_(sink), findings_(findings), words_(std::make_unique<BlockWords>()), operator_(machine), mount_(machine.at_rest().mount),
      now_(machine.home())
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
                at_power_on && !from_unknown ? std::optional(meaning.function == Function::brake_lock) : locked_[joint->value];
        }
        takes_mounts_ = takes_mounts_ || meaning.function == Function::tool_mount;
        mount_known_ = !takes_mounts_ || !from_unknown;
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
    if (sink.takes_cuts()) {
        name_plain_words();
    }
}

Interpreter::~Interpreter() = default;

std::optional<std::size_t> Interpreter::joint_of(char address) const
{
    for (const auto& [letter, joint] : joint_of_) {
        if (letter == address) {
            return joint;
        }
    }
    return std::nullopt;
}

void Interpreter::report(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure,
                         double worst)
{
    Finding finding = Finding::make(severity, kind, std::move(message), std::move(cure), worst);
    finding.code = {file_name_, block_.value, 0};
    findings_.add(std::move(finding), subject, block_.value);
}

const WordMeaning* Interpreter::use(Group group)
{
    const State& state = state_[std::size_t(group)];
    if (from_unknown_ && !state.by_program) {
        rely_on(std::string(name_of(group)), fmt::format("the block relies on the {} that was in force before", name_of(group)),
                "state it");
    }
    return state.meaning;
}

void Interpreter::line(std::string_view text)
{
    if (next_line(text)) {
        read(text);
    }
}

void Interpreter::line(std::string_view text, CodeBlock& block, const Status& status)
{
    if (next_line(text)) {
        std::swap(read_, block);
        take(text, status);
        std::swap(read_, block);
    }
}

/// Whether the line that comes next is to be done now; those of subprograms are done where they are called.
bool Interpreter::next_line(std::string_view text)
{
    line_ = block_ = BlockNumber(line_.value + 1);
    if (memory_.subprograms != nullptr && !library_ && memory_.subprograms->wanted()) {
        const auto number = memory_.subprograms->number_of(text);
        const Subprogram* begins = number ? memory_.subprograms->find(*number) : nullptr;
        library_ = begins != nullptr && begins->first == block_.value;
    }
    return !library_;
}

void Interpreter::read(std::string_view text) { take(text, read_block(controller_, text, block_, read_)); }

/// Does what has been read of a line.
void Interpreter::take(std::string_view text, const Status& status)
{
    if (!status) {
        end_plain_cuts();
        report(Severity::error, "code-error", "", status.error().message, status.error().cure);
        return;
    }
    if (operator_.needed()) {
        hear(text);
    }
    if (controller_.line_most > 0 && text.size() > controller_.line_most) {
        report(Severity::error, "line-too-long", "",
               fmt::format("the line has {} characters, the control takes {}", text.size(), controller_.line_most),
               "write fewer decimals, no blanks, or a shorter comment", double(text.size()));
    }
    if (read_.words.empty() || (plain_ && !read_.skippable && !operator_.waits() && plain_cut(read_))) {
        return;
    }
    end_plain_cuts();
    if (ended_) {
        report(Severity::error, "after-end", "", "the program goes on after its end", "take these blocks away, or the end before them");
        return;
    }
    run(read_);
    if (call_) {
        call(*std::exchange(call_, std::nullopt));
    }
    if (plain_) {
        look_for_plain_cuts();
    }
}

void Interpreter::finish()
{
    end_plain_cuts();
    finish_subprograms();
    if (!ended_) {
        report(Severity::error, "no-end", "", "the program has no end", "end it with the control's program-end word");
    }
}

bool Interpreter::sort_words(const CodeBlock& block, BlockWords& out)
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

double Interpreter::plain_value(const CodeWord& word, double increment) const
{
    return !word.has_point && controller_.bare_number_is_increments ? word.value * increment : word.value;
}

double Interpreter::length_value(const CodeWord& word)
{
    if (from_unknown_) [[unlikely]] {
        (void)use(Group::units);
    }
    return length_of(word);
}

double Interpreter::length_of(const CodeWord& word) const { return plain_value(word, controller_.length_increment) * unit_; }

double Interpreter::offset(std::size_t joint)
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
        } else if (meaning != nullptr) {
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

std::size_t Interpreter::named(const BlockWords& words, std::size_t joint, std::size_t otherwise) const
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

void Interpreter::run(const CodeBlock& block)
{
    BlockWords& words = *words_;
    words.clear();
    if (!sort_words(block, words)) {
        return;
    }
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
    for (const WordMeaning* meaning : words.functions) {
        if (meaning->function == Function::stop || meaning->function == Function::optional_stop) {
            stop(meaning->function == Function::optional_stop);
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
            sink_.program_end(block_);
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
}

void Interpreter::apply_state(BlockWords& words)
{
    bool cycle_begins = false;
    for (const WordMeaning* meaning : words.functions) {
        const Group group = group_of(meaning->function);
        if (group == Group::none) {
            continue;
        }
        State& state = state_[std::size_t(group)];
        const bool same = state.by_program && state.meaning == meaning;
        changed_ = changed_ || !same;
        if (group == Group::feed_mode && state.meaning != meaning && controller_.feed_mode_clears_feed) {
            feed_.reset();
        }
        if (group == Group::motion && meaning->function == Function::cycle && state.meaning != meaning) {
            cycle_clearance_.reset();
            cycle_bottom_.reset();
            cycle_step_.reset();
            cycle_dwell_ = 0;
            cycle_begins = true;
        }
        state = {meaning, true};
        if (group == Group::units) {
            unit_ = meaning->function == Function::inches ? mm_per_inch : 1;
        }
        if (group == Group::coolant) {
            coolant_ = coolant_of(meaning->function);
        }
        if (group == Group::spindle) {
            spindle_ = spindle_of(meaning->function);
        }
        if (meaning->function == Function::length_off) {
            length_shift_ = 0;
        }
        if (meaning->function == Function::length_on && !words.contains(controller_.length_register)) {
            report(Severity::error, "code-error", "",
                   fmt::format("a length is called without the register word {}", controller_.length_register),
                   "write the register in the same block");
        }
    }
    if (cycle_begins) { // in the plane that the block may name
        cycle_joint_ = drilled(words);
        initial_level_ = cycle_joint_ == SIZE_MAX ? 0 : here()[Eigen::Index(cycle_joint_)];
    }
    if (const CodeWord* word = words.take(controller_.length_register)) {
        const std::uint32_t number = whole(*word);
        const auto length = memory_.tools != nullptr ? memory_.tools->length_register(number) : std::nullopt;
        const WordMeaning* on = use(Group::length);
        if (!length && number != 0) {
            report(Severity::error, "length-missing", std::to_string(number), fmt::format("the length register {} is empty", number),
                   "give the tool its length in the setup");
        } else if (on != nullptr && on->function == Function::length_on) {
            const std::size_t joint = length_default_ == SIZE_MAX ? SIZE_MAX : named(words, length_default_, length_joint_);
            changed_ = changed_ || length_shift_ != length.value_or(0) || joint != length_joint_;
            length_shift_ = length.value_or(0);
            length_joint_ = joint;
        }
    }
    if (const CodeWord* word = words.take(controller_.speed)) {
        const double rpm = plain_value(*word, controller_.speed_increment);
        if (rpm < 0) {
            report(Severity::error, "code-error", "", "a spindle speed is below zero", "write a speed of zero or more");
        }
        changed_ = changed_ || spindle_rpm_ != rpm;
        spindle_rpm_ = rpm;
    }
    if (const CodeWord* word = words.take(controller_.feed)) {
        const WordMeaning* mode = use(Group::feed_mode);
        const Function function = mode != nullptr ? mode->function : Function::feed_per_minute;
        const auto [feed, precision] = read_feed(function, *word);
        if (!(feed > 0)) {
            report(Severity::error, "code-error", "", "a feed word is not above zero", "write a feed above zero");
        } else {
            changed_ = changed_ || feed_ != feed;
            feed_ = feed;
            feed_precision_ = precision;
            check_feed_word(function, *word);
        }
    }
    for (const WordMeaning* meaning : words.functions) {
        if (meaning->function == Function::dwell) {
            const CodeWord* word = words.take(controller_.dwell);
            if (word == nullptr) {
                report(Severity::error, "code-error", "", fmt::format("a dwell without its word {}", controller_.dwell), "write the time");
                continue;
            }
            const double time = plain_value(*word, controller_.dwell_in_milliseconds ? 1 : controller_.time_increment);
            if (time < 0) {
                report(Severity::error, "code-error", "", "a dwell is below zero", "write a time of zero or more");
            }
            sink_.dwell(block_, controller_.dwell_in_milliseconds ? time / 1000 : time);
            changed_ = true;
        }
    }
}

Interpreter::FeedWord Interpreter::read_feed(Function mode, const CodeWord& word) const
{
    const double increment = mode == Function::feed_inverse_time     ? controller_.inverse_time_increment
                             : mode == Function::feed_per_revolution ? controller_.revolution_feed_increment
                                                                     : controller_.feed_increment;
    const double value = plain_value(word, increment);
    const double precision = value > 0 ? 0.5 * increment / value : 0;
    switch (mode) {
    case Function::feed_inverse_time: return {per_minute(value), precision};
    case Function::feed_per_revolution: return {value * unit_, precision};
    default: return {per_minute(value * unit_), precision};
    }
}

Turned Interpreter::turned_by_word(std::size_t joint, double value, double offset) const
{
    const double amount = turns_[joint] == TurnReading::signed_way ? std::abs(value) : value;
    return turned_to(turns_[joint], now_[Eigen::Index(joint)], amount + offset, std::signbit(value), to_rad(controller_.angle_increment));
}

double Interpreter::turn(std::size_t joint, const CodeWord& word, double value, double offset)
{
    if (turns_[joint] == TurnReading::wound) {
        return value + offset;
    }
    const Turned turned = turned_by_word(joint, value, offset);
    if (turned.unclear) {
        const std::string& id = machine_.joints[joint].id;
        report(Severity::error, "turn-unclear", id,
               fmt::format("{} {:g} is half a turn from where {} stands: the control may go either way", word.letter, to_deg(value), id),
               "go there in two blocks");
    }
    return turned.to;
}

bool Interpreter::targets(const BlockWords& words, Readings& to)
{
    const bool machine = words.has(Function::machine_coordinates);
    bool any = false;
    const bool turned = turned_ && !machine;
    Readings before;
    if (turned) { // what the turned coordinates tell where the joints stand
        before = to;
        const auto place = turned_place(before, -1);
        for (std::size_t k = 0; k < 2; ++k) {
            to[Eigen::Index(turned_->joints[k])] = place[k] + offset(turned_->joints[k]);
        }
    }
    for (const auto& [address, joint] : joint_of_) {
        const CodeWord* word = words.take(address);
        if (word == nullptr) {
            continue;
        }
        if (!any && has_frames_ && !machine) {
            (void)use(Group::frame);
        }
        if (!any && has_turns_ && !machine) {
            (void)use(Group::rotation);
        }
        any = true;
        if (surface_ && joint == surface_->turning && !machine) {
            report(Severity::error, "code-error", "",
                   fmt::format("the word {} has no meaning while {} tells the way round the cylinder", address,
                               *controller_.address_of(machine_.joints[surface_->flat].id)),
                   "switch back to the joints' own coordinates first");
            continue;
        }
        words.commanded_known = words.commanded_known && known(joint);
        const double value = rotary(joint) ? to_rad(plain_value(*word, controller_.angle_increment)) : length_value(*word);
        const auto at = Eigen::Index(joint);
        if (machine) {
            to[at] = turn(joint, *word, value, 0);
            known_ |= std::uint32_t{1} << joint;
            continue;
        }
        const WordMeaning* distance = use(Group::distance);
        if (distance != nullptr && distance->function == Function::incremental) {
            to[at] += value;
        } else {
            to[at] = turn(joint, *word, value, offset(joint));
            known_ |= std::uint32_t{1} << joint;
        }
    }
    if (turned) {
        const auto place = turned_place(to, 1);
        for (std::size_t k = 0; k < 2; ++k) {
            to[Eigen::Index(turned_->joints[k])] = any ? place[k] + offset(turned_->joints[k]) : before[Eigen::Index(turned_->joints[k])];
        }
    }
    return any;
}

void Interpreter::apply_motion(BlockWords& words)
{
    const std::uint32_t known_before = known_;
    words.from_known = known_ == all_known_;
    const bool place = in_frame() && !words.has(Function::machine_coordinates);
    if (place) {
        name_frame_joints(words);
    }
    const bool on_surface = surface_ && !words.has(Function::machine_coordinates);
    Readings to = place || on_surface ? here() : now_;
    const bool any = targets(words, to);
    const bool centre = std::any_of(controller_.centre.begin(), controller_.centre.end(), [&](char c) { return words.contains(c); });
    if (!any && !centre) {
        return;
    }
    changed_ = changed_ || known_ != known_before;
    const WordMeaning* motion = use(Group::motion);
    const Function function = motion != nullptr ? motion->function : Function::cycle_off;
    switch (function) {
    case Function::rapid: go(words, to, false); return;
    case Function::linear: go(words, to, true); return;
    case Function::arc_clockwise: run_arc(words, to, true); return;
    case Function::arc_counter_clockwise: run_arc(words, to, false); return;
    case Function::cycle: run_cycle(words, to); return;
    default:
        report(Severity::error, "code-error", "", "axis words without a motion word in force", "write rapid or linear before them");
        now_ = to;
    }
}

void Interpreter::go(const BlockWords& words, const Readings& wanted, bool feed, const std::optional<Arc>& arc)
{
    ReplayMove move;
    move.block = block_;
    move.feed = feed;
    move.from = now_;
    move.to = wanted;
    move.arc = arc;
    move.from_known = words.from_known;
    move.to_machine_position = words.has(Function::machine_coordinates);
    if (arc) {
        move.arc_joints = words.arc_joints;
        move.arc_by_centre = words.arc_by_centre;
    }
    if (in_frame() && !move.to_machine_position) [[unlikely]] {
        move_in_frame(words, wanted, move);
    }
    if (surface_ && !move.to_machine_position) {
        move_on_surface(move);
    }
    const Readings& to = move.to;
    if (braked_ != 0) {
        check_brakes(to, feed);
        move.waited = std::exchange(waited_, 0);
    }
    set_state(move);
    if (takes_mounts()) {
        check_by_hand(feed);
    }
    move.on_plane = in_frame() && tip_words_->kind == FrameKind::tilted_plane && !move.to_machine_position;
    move.turned_slack = turned_ ? turned_slack(move.from, move.to) : 0;
    if (feed) {
        if (from_unknown_ && !words.from_known) [[unlikely]] {
            report_unplaced();
        }
        time_feed(move);
        for (const std::size_t joint : positioned_) {
            const double by = std::abs(to[Eigen::Index(joint)] - now_[Eigen::Index(joint)]);
            if (by > standing) {
                const std::string& id = machine_.joints[joint].id;
                report(Severity::error, "positions-only", id,
                       fmt::format("{} moves by {:.4f} {} at feed, but it may only be positioned", id, rotary(joint) ? to_deg(by) : by,
                                   rotary(joint) ? "deg" : "mm"),
                       "position it in rapid, away from the work", by);
            }
        }
    }
    for (const Overtravel& over :
         inside_travel(machine_, to, travel_slack) ? std::vector<Overtravel>() : overtravels(machine_, to, travel_slack)) {
        report(Severity::error, "beyond-travel", machine_.joints[over.joint.value].id, text_of(machine_, over),
               "the machine would stop with an alarm here", over.beyond);
    }
    const bool moves = (to - now_).cwiseAbs().maxCoeff() > no_motion || arc.has_value();
    if (!moves && words.commanded_known) {
        report(Severity::warning, "no-motion", "", "the block moves nothing: every axis already stands there",
               "take it away; it may be a doubled block");
    }
    changed_ = true;
    if (in_frame() && (!aligned_.empty() || tip_words_->around_tool)) {
        tip_words_->stale = true; // a parked joint may have moved
    }
    now_ = to;
    sink_.move(move);
}

/// What a motion has of the control's state.
void Interpreter::set_state(ReplayMove& move) const
{
    move.mount = mount_;
    move.tool = tool_;
    move.tool_length = tool_length_;
    move.spindle = spindle_;
    move.spindle_rpm = spindle_rpm_.value_or(0);
    if (takes_mounts()) {
        turn_through_gears(move);
    }
    move.coolant = coolant_;
    move.length_increment = controller_.length_increment * unit_;
    move.called_by = called_by_;
    move.shifted = shifted_;
    move.open_brakes = braked_ != 0 ? open_brakes() : 0;
}

} // namespace wexilum
