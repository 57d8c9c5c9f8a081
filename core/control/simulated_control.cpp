#include "core/control/simulated_control.hpp"

#include "core/control/arc_blocks.hpp"
#include "core/control/block_words.hpp"
#include "core/control/plain_cuts.hpp"
#include "core/control/point_cycles.hpp"
#include "core/control/subprogram_calls.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {

/// The parts of its state, and what works on them.
struct SimulatedControl::Working {
    ControlParts parts;
    SubprogramCalls calls{parts.controller, parts.memory, parts.log};
    Motions motions{parts};
    ArcBlocks arcs{parts, motions};
    PointCycles cycles{parts, motions};
    std::unique_ptr<PlainCuts> plain; ///< null where cuts come one by one
    BlockWords words;                 ///< of the block at hand

    Working(const Controller& controller, const Machine& machine, Readings& readings, ControlMemory memory, const ControlStart& start,
            FindingList& findings)
        : parts(controller, machine, readings, std::move(memory), start.file, start.channel, start.from_unknown, start.mount, findings)
    {
        if (start.cuts_together) {
            plain = std::make_unique<PlainCuts>(parts, motions);
        }
    }
    void end_plain_cuts() const
    {
        if (plain) {
            plain->end();
        }
    }
};

SimulatedControl::SimulatedControl(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory,
                                   const ControlStart& start, LineSource& lines, FindingList& findings)
    : machine_state_(state), lines_(lines),
      working_(std::make_unique<Working>(controller, machine, state.readings, std::move(memory), start, findings))
{
    if (const auto shared = state.enter(start.channel, working_->parts.axes.all())) {
        const std::string& id = machine.joints[shared->value].id;
        working_->parts.log.report(Severity::error, "joint-shared", id,
                                   fmt::format("{} is moved by channel {} and by channel {}", id, state.channel_of(*shared), start.channel),
                                   "take its address out of one of the two controllers");
    }
}

SimulatedControl::~SimulatedControl() = default;

bool SimulatedControl::waits() const { return held_ && machine_state_.waits(channel()); }

BlockNumber SimulatedControl::block() const { return working_->parts.log.block(); }

std::uint32_t SimulatedControl::channel() const { return working_->parts.log.channel(); }

const Happening* SimulatedControl::step()
{
    ControlLog& log = working_->parts.log;
    if (waits()) {
        return &log.taken();
    }
    for (;;) {
        if (const Happening* next = log.take()) {
            held_ = next->kind == Happening::Kind::wait;
            if (held_) {
                machine_state_.arrive(log.channel(), next->text);
            }
            return next;
        }
        log.forget();
        held_ = false;
        if (working_->plain) {
            working_->plain->forget_told();
        }
        if (!advance()) {
            return nullptr;
        }
    }
}

/// Does the next thing, of the block at hand or of the next one; false where there is none.
bool SimulatedControl::advance()
{
    Working& working = *working_;
    if (working.cycles.on()) {
        working.cycles.next_leg();
        return true;
    }
    if (open_ != nullptr) {
        end_block();
        return true;
    }
    if (working.calls.on()) {
        if (const auto line = working.calls.next()) {
            take(line->text, line->block, line->status);
        } else if (working.plain) {
            working.plain->look();
        }
        return true;
    }
    return next_lines();
}

/// Takes the program's lines up to one of which something comes.
bool SimulatedControl::next_lines()
{
    Working& working = *working_;
    ControlLog& log = working.parts.log;
    do {
        const CodeLine* line = lines_.next();
        if (line == nullptr) {
            working.end_plain_cuts();
            return !log.empty();
        }
        line_ = BlockNumber(line_.value + 1);
        log.set_block(line_);
        if (working.calls.is_program(line->text, line_)) {
            take(line->text, line->block, line->status);
        }
    } while (log.empty() && open_ == nullptr && !working.cycles.on() && !working.calls.on());
    return true;
}

/// Does what has been read of a line.
void SimulatedControl::take(std::string_view text, const CodeBlock& block, const Status& status)
{
    Working& working = *working_;
    ControlLog& log = working.parts.log;
    if (!status) {
        working.end_plain_cuts();
        log.report(Severity::error, "code-error", "", status.error().message, status.error().cure);
        return;
    }
    if (block.has_comment) {
        working.end_plain_cuts();
        working.parts.mounts.hear(text);
    }
    const std::size_t most = working.parts.controller.line_most;
    if (most > 0 && text.size() > most) {
        log.report(Severity::error, "line-too-long", "", fmt::format("the line has {} characters, the control takes {}", text.size(), most),
                   "write fewer decimals, no blanks, or a shorter comment", double(text.size()));
    }
    if (block.words.empty() || (working.plain && !block.skippable && working.plain->take(block))) {
        return;
    }
    working.end_plain_cuts();
    if (log.ended()) {
        log.report(Severity::error, "after-end", "", "the program goes on after its end", "remove these blocks, or the end before them");
        return;
    }
    begin_block(block);
}

void SimulatedControl::finish()
{
    ControlLog& log = working_->parts.log;
    working_->calls.finish();
    if (waits()) {
        log.report(Severity::error, "left-waiting", "", "the program waits for another channel, which does not come",
                   "let both channels reach the same mark");
    }
    if (!log.ended()) {
        log.report(Severity::error, "no-end", "", "the program has no end", "end it with the control's program-end word");
    }
}

/// Does what a block does up to its motion, and begins that.
void SimulatedControl::begin_block(const CodeBlock& block)
{
    ControlParts& parts = working_->parts;
    BlockWords& words = working_->words;
    words.clear();
    if (!words.sort(block, parts.modal, parts.log)) {
        settle_block();
        return;
    }
    open_ = &block;
    parts.log.begin_block();
    if (block.skippable) {
        words.check_skippable(parts.log);
    }
    apply_loop(words);
    working_->calls.apply(words);
    apply_state(words);
    parts.tools.change(words);
    apply_coordinates(words);
    parts.brakes.apply(words);
    parts.mounts.take(words);
    apply_motion(words);
}

/// A loop is read once, as one of its later passes would be: nothing that was in force before it is known to be so. What the body
/// relies on without stating it is a finding, so that every pass starts like the first.
void SimulatedControl::apply_loop(const BlockWords& words)
{
    ControlParts& parts = working_->parts;
    ControlLog& log = parts.log;
    if (words.has(Function::loop_begin)) {
        const CodeWord* count = words.take(parts.controller.loop_count);
        if (log.loop().value != 0) {
            log.report(Severity::error, "code-error", "", fmt::format("a loop begins inside the loop of block {}", log.loop().value),
                       "close that one first");
            return;
        }
        if (count == nullptr || count->value < 1 || count->value != std::floor(count->value)) {
            log.report(Severity::error, "code-error", "",
                       fmt::format("a loop needs its count, a whole number after {}", parts.controller.loop_count),
                       "write it in the block that begins the loop");
        }
        log.begin_loop();
        log.happens(Happening::Kind::loop).count = count != nullptr ? count->value : 1;
        parts.modal.forget_for_loop();
        parts.axes.forget();
        parts.brakes.forget();
        parts.frames.forget();
        parts.feeds.forget();
        parts.tools.forget();
        log.note_change();
    }
    if (words.has(Function::loop_end)) {
        if (log.loop().value == 0) {
            log.report(Severity::error, "code-error", "", "a loop ends that has not begun", "begin it, or remove the block");
        } else {
            log.end_loop();
            log.happens(Happening::Kind::loop_end);
        }
        log.note_change();
    }
}

/// What words leave in force: groups, lengths, speeds, feeds.
void SimulatedControl::apply_state(const BlockWords& words)
{
    ControlParts& parts = working_->parts;
    bool cycle_begins = false;
    for (const WordMeaning* meaning : words.functions) {
        const Group group = group_of(meaning->function);
        if (group == Group::none) {
            continue;
        }
        const bool other = parts.modal.state(group).meaning != meaning;
        parts.feeds.put(*meaning, other);
        cycle_begins = cycle_begins || (other && meaning->function == Function::cycle);
        parts.modal.put(*meaning);
        parts.tools.put(*meaning, words);
    }
    if (cycle_begins) {
        working_->cycles.begin(words);
    }
    parts.tools.read_register(words);
    parts.feeds.read(words);
    dwell(words);
}

void SimulatedControl::dwell(const BlockWords& words)
{
    ControlParts& parts = working_->parts;
    if (!words.has(Function::dwell)) {
        return;
    }
    const CodeWord* word = words.take(parts.controller.dwell);
    if (word == nullptr) {
        parts.log.report(Severity::error, "code-error", "", fmt::format("a dwell without its word {}", parts.controller.dwell),
                         "write the time");
        return;
    }
    const double seconds = parts.modal.dwell(*word);
    if (seconds < 0) {
        parts.log.report(Severity::error, "code-error", "", "a dwell is below zero", "write a time of zero or more");
    }
    parts.log.happens(Happening::Kind::dwell).seconds = seconds;
    parts.log.note_change();
}

/// Which coordinates the words mean from here on.
void SimulatedControl::apply_coordinates(BlockWords& words)
{
    ControlParts& parts = working_->parts;
    parts.frames.apply(words);
    parts.zero.apply(words);
    const bool names = std::any_of(words.functions.begin(), words.functions.end(), [](const WordMeaning* meaning) {
        return group_of(meaning->function) == Group::frame || group_of(meaning->function) == Group::rotation ||
               meaning->function == Function::coordinate_shift;
    });
    if (names && parts.zero.moved() && parts.frames.any()) {
        parts.log.report(Severity::error, "frame-error", "",
                         "coordinates are shifted or turned while X, Y and Z are not the joints' own readings",
                         "take the shift and the rotation back before, or switch back to the joints' own coordinates");
        parts.zero.reset();
    }
}

void SimulatedControl::apply_motion(BlockWords& words)
{
    ControlParts& parts = working_->parts;
    const std::uint32_t known_before = parts.axes.known();
    words.from_known = known_before == parts.axes.all();
    if (parts.frames.in_frame() && !words.has(Function::machine_coordinates)) {
        parts.frames.name_joints(words);
    }
    const std::optional<Readings> targets = working_->motions.targets(words);
    const auto& centre = parts.controller.centre;
    if (!targets && std::none_of(centre.begin(), centre.end(), [&](char c) { return words.contains(c); })) {
        return;
    }
    const Readings to = targets ? *targets : parts.frames.here();
    parts.log.note_change(parts.axes.known() != known_before);
    switch (parts.modal.use(Group::motion, Function::cycle_off)) {
    case Function::rapid: working_->motions.go(words, to, false); return;
    case Function::linear: working_->motions.go(words, to, true); return;
    case Function::arc_clockwise: working_->arcs.run(words, to, true); return;
    case Function::arc_counter_clockwise: working_->arcs.run(words, to, false); return;
    case Function::cycle: working_->cycles.run(words, to); return;
    default:
        parts.log.report(Severity::error, "code-error", "", "axis words without a motion word in force",
                         "write rapid or linear before them");
        parts.axes.stand(to);
    }
}

/// After the motion.
void SimulatedControl::end_block()
{
    ControlLog& log = working_->parts.log;
    const CodeBlock& block = *std::exchange(open_, nullptr);
    const BlockWords& words = working_->words;
    for (const WordMeaning* meaning : words.functions) {
        switch (meaning->function) {
        case Function::stop:
        case Function::optional_stop: working_->parts.mounts.stop(meaning->function == Function::optional_stop); break;
        case Function::wait:
            if (machine_state_.channels() == 1) {
                log.report(Severity::warning, "waits-alone", meaning->mark,
                           fmt::format("the program waits at mark {} for another channel, and there is none", meaning->mark),
                           "read the programs of all channels together");
            }
            log.happens(Happening::Kind::wait).text = meaning->mark;
            break;
        case Function::program_end: end_program(); break;
        default: continue;
        }
        log.note_change();
    }
    words.report_unused(block, log);
    if (!log.changed()) {
        log.report(Severity::warning, "no-effect", "", "the block changes nothing", "remove it; it may be a doubled block");
    }
    settle_block();
}

void SimulatedControl::end_program()
{
    ControlParts& parts = working_->parts;
    if (parts.log.loop().value != 0) {
        parts.log.report(Severity::error, "loop-open", "",
                         fmt::format("the program ends inside the loop of block {}", parts.log.loop().value),
                         "close the loop before the end");
    }
    if (parts.zero.moved()) {
        parts.log.report(Severity::warning, "coordinates-left", "", "the program ends while its coordinates are shifted or turned",
                         "take the shift and the rotation back before the end");
    }
    if (parts.frames.any()) {
        parts.log.report(Severity::warning, "frame-left-on", "", "the program ends while X, Y and Z are still not the joints' own readings",
                         "switch back to the joints' own coordinates before the end");
    }
    parts.log.happens(Happening::Kind::end);
    machine_state_.leave(parts.log.channel());
    parts.log.end();
}

/// Before the next one.
void SimulatedControl::settle_block()
{
    working_->calls.begin();
    if (working_->plain) {
        working_->plain->look();
    }
}

ControlState SimulatedControl::state() const
{
    const ControlParts& parts = working_->parts;
    const Machine& machine = parts.machine;
    ControlState out;
    out.block = parts.log.block();
    out.groups = groups_in_force(parts.controller, parts.modal);
    out.feed_mode = parts.feeds.mode_as_it_is();
    out.feed = parts.feeds.feed();
    out.spindle_rpm = parts.feeds.rpm();
    out.tool = parts.tools.tool();
    out.selected_tool = parts.tools.selected();
    out.tool_length = parts.tools.length();
    out.length_shift = parts.tools.shift();
    out.length_joint = parts.tools.length_joint() != SIZE_MAX ? machine.joints[parts.tools.length_joint()].id : std::string();
    out.mount = parts.mounts.mount() < machine.mounts.size() ? machine.mounts[parts.mounts.mount()].id : std::string();
    const WordMeaning* offset = parts.modal.state(Group::offset).meaning;
    const auto values = offset != nullptr ? parts.memory.offsets.find(offset->work_register) : parts.memory.offsets.end();
    for (const auto& [letter, joint] : parts.axes.letters()) {
        double stated = 0;
        if (values != parts.memory.offsets.end()) {
            const auto value = values->second.find(joint);
            stated = value != values->second.end() ? value->second : 0;
        }
        out.coordinates.push_back({machine.joints[joint].id, stated, parts.zero.shift(joint)});
    }
    out.turned = parts.zero.turned() ? std::optional(parts.zero.turned()->angle) : std::nullopt;
    out.tip_words = parts.frames.in_frame();
    out.loop = parts.log.loop();
    out.calls = working_->calls.names();
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        if ((parts.brakes.open() >> i & 1U) != 0) {
            out.open_brakes.push_back(machine.joints[i].id);
        }
    }
    out.ended = parts.log.ended();
    out.readings = parts.axes.now();
    return out;
}

} // namespace wexilum
