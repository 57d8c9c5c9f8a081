#include "core/control/motions.hpp"

#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <utility>

namespace wexilum {

/// Where one word brings its joint.
void Motions::target(const BlockWords& words, std::size_t joint, const CodeWord& word, Readings& to)
{
    ControlAxes& axes = parts_.axes;
    const double value = axes.coordinate(joint, word);
    double& at = to[Eigen::Index(joint)];
    if (words.has(Function::machine_coordinates)) {
        at = axes.turn(joint, word, value, 0);
        axes.brought(joint);
        return;
    }
    if (parts_.modal.use(Group::distance, Function::absolute) == Function::incremental) {
        at += value;
    } else {
        at = axes.turn(joint, word, value, parts_.frames.offset(joint));
        axes.brought(joint);
    }
}

std::optional<Readings> Motions::targets(const BlockWords& words)
{
    ControlAxes& axes = parts_.axes;
    WorkZero& zero = parts_.zero;
    CoordinateFrames& frames = parts_.frames;
    const bool machine = words.has(Function::machine_coordinates);
    Readings to = machine ? axes.now() : frames.here();
    const bool turned = zero.turned() && !machine;
    if (turned) { // the turned coordinates of where the joints stand
        zero.take_register();
        zero.turn(to, -1);
    }
    bool any = false;
    for (const auto& [letter, joint] : axes.letters()) {
        const CodeWord* word = words.take(letter);
        if (word == nullptr) {
            continue;
        }
        if (!any && !machine) {
            frames.use_frame();
            zero.use_rotation();
        }
        any = true;
        if (frames.on_surface() && joint == frames.turning() && !machine) {
            parts_.log.report(Severity::error, "code-error", "",
                              fmt::format("the word {} has no meaning while {} tells the way round the cylinder", letter,
                                          *parts_.controller.address_of(parts_.machine.joints[frames.flat()].id)),
                              "switch back to the joints' own coordinates first");
            continue;
        }
        words.commanded_known = words.commanded_known && axes.known(joint);
        target(words, joint, *word, to);
    }
    if (turned && any) {
        zero.turn(to, 1);
    }
    return any ? std::optional(to) : std::nullopt;
}

void Motions::go(const BlockWords& words, const Readings& wanted, bool feed, const std::optional<Arc>& arc)
{
    ControlLog& log = parts_.log;
    ControlAxes& axes = parts_.axes;
    CoordinateFrames& frames = parts_.frames;
    ReplayMove move;
    move.block = log.block();
    move.feed = feed;
    move.from = axes.now();
    move.to = wanted;
    move.arc = arc;
    move.from_known = words.from_known;
    move.to_machine_position = words.has(Function::machine_coordinates);
    if (arc) {
        move.arc_joints = words.arc_joints;
        move.arc_by_centre = words.arc_by_centre;
    }
    const bool in_frame = frames.in_frame() && !move.to_machine_position;
    if (in_frame) [[unlikely]] {
        frames.move_in_frame(words, wanted, move);
    }
    if (frames.on_surface() && !move.to_machine_position) {
        frames.move_on_surface(move);
    }
    bring_followers(parts_.machine, move.to);
    const Readings& to = move.to;
    if (parts_.brakes.any()) {
        parts_.brakes.check(to, feed);
        move.waited = parts_.brakes.take_waited();
    }
    set_state(move);
    parts_.mounts.check_drive();
    if (parts_.mounts.taken()) {
        parts_.mounts.check(feed, frames.in_frame());
    }
    move.on_plane = frames.on_plane() && !move.to_machine_position;
    move.rapid_straight = in_frame ? parts_.controller.tip_rapid_straight : parts_.controller.rapid_straight;
    move.turned_slack = parts_.zero.turned() ? parts_.zero.turned_slack(move.from, move.to) : 0;
    if (!feed) {
        move.seconds = parts_.feeds.least_seconds(move.from, move.to);
    } else {
        if (log.from_unknown() && !words.from_known) [[unlikely]] {
            axes.report_unplaced();
        }
        parts_.feeds.time(move);
        axes.check_positioned(to);
    }
    axes.check_travel(to);
    const bool moves = (to - axes.now()).cwiseAbs().maxCoeff() > no_motion || arc.has_value();
    if (!moves && words.commanded_known) {
        log.report(Severity::warning, "no-motion", "", "the block moves nothing: every axis is there already",
                   "remove it; it may be a doubled block");
    }
    log.note_change();
    if (frames.in_frame()) {
        frames.note_motion();
    }
    axes.stand(to);
    log.moves(std::move(move));
}

void Motions::set_state(ReplayMove& move) const
{
    const FeedsAndSpindle& feeds = parts_.feeds;
    move.mount = parts_.mounts.mount();
    move.tool = parts_.tools.tool();
    move.zero_register = parts_.zero.register_taken();
    move.tool_length = parts_.tools.length();
    move.spindle = feeds.spindle();
    move.spindle_rpm = feeds.rpm().value_or(0);
    if (parts_.mounts.taken()) {
        parts_.mounts.turn_through_gears(move);
    }
    move.coolant = feeds.coolant();
    move.length_increment = parts_.controller.length_increment * parts_.modal.unit();
    move.called_by = parts_.log.called_by();
    move.shifted = parts_.zero.shifted();
    move.open_brakes = parts_.brakes.any() ? parts_.brakes.open() : 0;
}

} // namespace wexilum
