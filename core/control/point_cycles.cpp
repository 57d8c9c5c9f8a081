#include "core/control/point_cycles.hpp"

#include "core/control/block_words.hpp"

#include <cmath>

namespace wexilum {

using record::SpindleState;

PointCycles::PointCycles(ControlParts& parts, Motions& motions) : parts_(parts), motions_(motions), joint_(parts.tools.length_default()) {}

void PointCycles::refuse(const char* message, const char* cure) { parts_.log.report(Severity::error, "code-error", "", message, cure); }

void PointCycles::begin(const BlockWords& words)
{
    clearance_.reset();
    bottom_.reset();
    step_.reset();
    dwell_ = 0;
    joint_ = drilled(words); // in the plane that the block may name
    initial_level_ = joint_ == SIZE_MAX ? 0 : parts_.frames.here()[Eigen::Index(joint_)];
}

/// The joint along which a cycle that begins in this block drills.
std::size_t PointCycles::drilled(const BlockWords& words)
{
    const ControlAxes& axes = parts_.axes;
    if (parts_.controller.cycles_across_plane && !parts_.frames.in_frame()) {
        const auto joint = axes.joint_of(across(parts_.modal.use(Group::plane, Function::plane_xy)));
        return joint ? axes.named(words, *joint, *joint) : SIZE_MAX;
    }
    const std::size_t joint = parts_.tools.length_default();
    return joint == SIZE_MAX ? SIZE_MAX : axes.named(words, joint, joint);
}

bool PointCycles::can_run(const BlockWords& words)
{
    if (parts_.controller.cycles_across_plane && !parts_.frames.in_frame() && joint_ != SIZE_MAX && drilled(words) != joint_) {
        parts_.log.report(Severity::error, "cycle-plane", "", "the plane changes while a cycle is on: it would drill along another axis",
                          "cancel the cycle before the plane changes");
        return false;
    }
    if (words.has(Function::machine_coordinates)) {
        refuse("a cycle in machine coordinates is not simulated", "drill at the work offset's coordinates");
        return false;
    }
    if (parts_.modal.use(Group::distance, Function::absolute) == Function::incremental || joint_ == SIZE_MAX) {
        refuse("a cycle in incremental coordinates or without a length joint is not simulated", "write it in absolute coordinates");
        return false;
    }
    return true;
}

void PointCycles::read_words(const BlockWords& words)
{
    const Controller& controller = parts_.controller;
    if (const CodeWord* word = words.take(controller.cycle_clearance)) {
        clearance_ = parts_.modal.length(*word) + parts_.frames.offset(joint_);
    }
    if (const CodeWord* word = words.take(controller.cycle_step)) {
        step_ = parts_.modal.length(*word);
    }
    if (const CodeWord* word = words.take(controller.cycle_dwell)) {
        dwell_ = parts_.modal.dwell(*word);
    }
}

bool PointCycles::is_whole(bool pecks)
{
    if (!bottom_ || !clearance_ || (pecks && !(step_.value_or(0) > 0))) {
        refuse("the cycle lacks its bottom, its clearance or its step", "write the missing word");
        return false;
    }
    if (pecks && std::abs(*clearance_ - *bottom_) / *step_ > 10000) {
        refuse("the cycle's step makes more than 10000 pecks", "correct the step word");
        return false;
    }
    return true;
}

void PointCycles::run(const BlockWords& words, Readings to)
{
    const CycleMotion& cycle = parts_.modal.state(Group::motion).meaning->cycle;
    joint_ = joint_ == SIZE_MAX ? SIZE_MAX : parts_.axes.named(words, joint_, joint_);
    if (!can_run(words)) {
        return;
    }
    const auto at = Eigen::Index(joint_);
    // The axis word of the joint that drills is the bottom of the hole, not a place to go to.
    const auto address = parts_.controller.address_of(parts_.machine.joints[joint_].id);
    if (address && words.contains(*address)) {
        bottom_ = to[at];
    }
    words.in_cycle = true;
    to[at] = parts_.frames.here()[at];
    read_words(words);
    const bool pecks = cycle.motion == "peck" || cycle.motion == "chip_break";
    if (!is_whole(pecks)) {
        return;
    }
    if (!hole_) {
        hole_ = std::make_unique<Hole>();
    }
    *hole_ = {Hole::Stage::down, true, &cycle, *clearance_, *bottom_, *clearance_, pecks ? *step_ : 0, to, &words};
}

void PointCycles::leg(double level, bool feed)
{
    Readings to = parts_.frames.here();
    const bool moves = std::abs(level - to[Eigen::Index(joint_)]) > 1e-9;
    to[Eigen::Index(joint_)] = level;
    if (moves) {
        motions_.go(*hole_->words, to, feed);
    }
}

/// Across a side plane it may drill towards higher values.
double PointCycles::outward() const { return hole_->bottom > hole_->clearance ? -1 : 1; }

double PointCycles::further_out(double a, double b) const { return outward() * a > outward() * b ? a : b; }

void PointCycles::next_leg()
{
    using Stage = Hole::Stage;
    Hole& hole = *hole_;
    const auto at = Eigen::Index(joint_);
    switch (hole.stage) {
    case Stage::down: {
        const double from = parts_.frames.here()[at];
        hole.stage = Stage::over;
        if (further_out(hole.clearance, from) != from) {
            leg(hole.clearance, false);
            hole.to[at] = hole.clearance;
        }
        return;
    }
    case Stage::over:
        hole.stage = Stage::in;
        if (parts_.axes.furthest(parts_.frames.here(), hole.to) > (parts_.frames.in_frame() ? 1e-9 : 1e-12)) {
            motions_.go(*hole.words, hole.to, false);
        }
        return;
    case Stage::in:
        hole.stage = Stage::peck;
        leg(hole.clearance, false);
        return;
    case Stage::peck: peck(); return;
    case Stage::peck_out:
        hole.stage = Stage::peck_back;
        leg(hole.clearance, false);
        return;
    case Stage::peck_back: {
        const double back = hole.reached + outward() * hole.cycle->gap;
        hole.stage = Stage::peck;
        leg(further_out(hole.clearance, back) == hole.clearance ? back : hole.clearance, false);
        return;
    }
    case Stage::dwell:
        hole.stage = Stage::back;
        if (dwell_ > 0) {
            parts_.log.happens(Happening::Kind::dwell).seconds = dwell_;
        }
        return;
    case Stage::back: back_out(); return;
    case Stage::away:
        hole.on = false;
        if (parts_.modal.use(Group::cycle_return, Function::return_clearance) == Function::return_initial) {
            leg(further_out(initial_level_, hole.clearance), false);
        }
        parts_.log.note_change();
        return;
    }
}

/// A step further in, or down to the bottom.
void PointCycles::peck()
{
    Hole& hole = *hole_;
    const double out = outward();
    if (hole.step > 0 && out * (hole.reached - hole.bottom) - hole.step > 1e-9) {
        hole.reached -= out * hole.step;
        hole.stage = hole.cycle->motion == "peck" ? Hole::Stage::peck_out : Hole::Stage::peck_back;
        leg(hole.reached, true);
        return;
    }
    hole.stage = Hole::Stage::dwell;
    leg(hole.bottom, true);
}

/// From the bottom to the clearance; a tap turns the other way for it.
void PointCycles::back_out()
{
    FeedsAndSpindle& feeds = parts_.feeds;
    const SpindleState forward = feeds.spindle();
    const bool taps = hole_->cycle->motion == "tap";
    if (taps) {
        feeds.set_spindle(forward == SpindleState::clockwise ? SpindleState::counter_clockwise : SpindleState::clockwise);
    }
    hole_->stage = Hole::Stage::away;
    leg(hole_->clearance, taps || hole_->cycle->motion == "bore");
    feeds.set_spindle(forward);
}

} // namespace wexilum
