#include "core/write/cycle_writer.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {

Status CycleWriter::start(const record::CycleStart& cycle)
{
    auto plan = plan_cycle(cycle);
    if (!plan) {
        return plan.error();
    }
    interrupt();
    plan_ = *plan;
    kind_ = cycle.kind;
    const auto feed = cycle.parameters.find("feed");
    const auto per_rev = cycle.parameters.find("feed_per_rev");
    own_feed_ = feed == cycle.parameters.end() ? 0 : feed->second;
    own_feed_per_rev_ = per_rev == cycle.parameters.end() ? 0 : per_rev->second;
    return {};
}

void CycleWriter::end()
{
    interrupt();
    plan_.reset();
}

void CycleWriter::interrupt()
{
    if (in_native_) {
        if (auto word = emitter_.function(Function::cycle_off)) {
            emitter_.emit({StatementKind::cycle, {*word}});
        }
        emitter_.forget_after("cycle");
        in_native_ = false;
    }
}

/// Whether the control's own cycle is on, at the same level and with the rotary joints as they stand.
bool CycleWriter::stays_in_cycle(const Pose& level, const Readings& planned) const
{
    if (!in_native_) {
        return false;
    }
    const WrittenPlace& place = motion_.place();
    Readings target = place.now();
    place.solver().take_rotary(target, planned);
    place.solver().set_linear(target, level.tip, place.tool_length);
    const double word = place.frame.program_values(target)[Eigen::Index(native_joint_)];
    bool stays = place.frame.rounding().counts(Quantity::length, word) == native_level_;
    for (std::size_t i = 0; stays && i < assembly_.machine.joints.size(); ++i) {
        const auto at = Eigen::Index(i);
        stays = !place.frame.is_rotary()[i] || place.frame.counts(i, target[at]) == place.frame.counts(i, place.now()[at]);
    }
    return stays;
}

void CycleWriter::point(const Pose& pose, const Readings& planned, const FeedSpec& feed)
{
    static const CycleStyle expanded;
    FeedSpec cycle_feed = feed;
    if (own_feed_per_rev_ > 0) {
        cycle_feed = {FeedMode::per_minute, own_feed_per_rev_ * feed.spindle_rpm / 60, feed.spindle_rpm};
    } else if (own_feed_ > 0) {
        cycle_feed = {FeedMode::per_minute, own_feed_, feed.spindle_rpm};
    }
    const Pose level{pose.tip + pose.axis * plan_->retreat, pose.axis};
    const auto found = assembly_.dialect.cycles.find(kind_);
    const CycleStyle& style = found == assembly_.dialect.cycles.end() ? expanded : found->second;
    const auto by_control = [&] { return style.native ? motion_.drilling(pose.axis) : std::nullopt; };
    if (!stays_in_cycle(level, planned)) {
        interrupt();
        // The control's own cycle goes sideways at the height it finds and then down by itself.
        const bool goes = plan_->retreat <= plan_->clearance && motion_.stands_above(level, planned) && by_control();
        if (!goes) {
            motion_.rapid(level, planned);
        }
    }
    const auto drilling = by_control();
    if (on_hole_) [[unlikely]] {
        const bool across = assembly_.controller.cycles_across_plane;
        on_hole_(drilling && drilling->plane ? "by the control's own cycle, in the plane across the tool"
                 : drilling                  ? "by the control's own cycle: its word moves the tool along itself"
                 : !style.native             ? "by single moves, as the dialect writes this cycle"
                 : across                    ? "by single moves: the tool is perpendicular to none of the planes"
                 : !motion_.place().frame.drill_joint()
                     ? "by single moves: the dialect names no joint along which cycles drill"
                     : "by single moves: the way along the tool takes more than the word that a cycle drills along");
    }
    if (drilling) {
        native_point(pose, style, *drilling, cycle_feed);
    } else if (plan_->kind == CycleKind::tap) {
        motion_.log().report(Severity::error, "cycle-unwritable", "",
                             "a thread can't be tapped by single moves: feed and spindle would not stay together",
                             "give the dialect a word for the tap cycle, and let the tool point along the length joint", 1);
    } else {
        if (style.native) {
            motion_.log().report(
                Severity::remark, "cycle-as-moves", kind_,
                fmt::format("the cycle {} is written as single moves: the control's own does not drill along the tool here", kind_),
                "nothing has to be done; a tilted plane, or another plane of the control, would bring its cycle back", 0, SIZE_MAX);
        }
        moves(pose, style, cycle_feed);
    }
}

void CycleWriter::native_point(const Pose& pose, const CycleStyle& style, const MotionWriter::Drilling& drilling, const FeedSpec& feed)
{
    const std::size_t drill = drilling.joint;
    const ProgramFrame& frame = motion_.place().frame;
    const auto height = [&](double h) { // not yet rounded: each word is, once
        Readings readings = motion_.place().now();
        motion_.place().solver().set_linear(readings, pose.tip + pose.axis * h, motion_.place().tool_length);
        return readings;
    };
    const auto at = Eigen::Index(drill);
    const Readings level = frame.program_values(height(plan_->retreat));
    const double bottom = frame.program_values(height(plan_->bottom))[at];
    const double clearance = frame.program_values(height(plan_->clearance))[at];
    motion_.check_travel(height(plan_->bottom));
    Statement statement(StatementKind::cycle);
    const bool above = plan_->retreat > plan_->clearance + 1e-9;
    if (auto word = emitter_.function(above ? Function::return_initial : Function::return_clearance)) {
        statement.slots.push_back(*word);
    }
    if (drilling.plane) {
        statement.slots.push_back(*emitter_.function(*drilling.plane));
    }
    statement.slots.push_back({Role::motion, 0, Quantity::whole, 0, &style.word});
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        if (i != drill && frame.in_chain()[i] && !frame.is_rotary()[i]) {
            statement.slots.push_back(frame.slot(Role::axes, Quantity::length, level[Eigen::Index(i)], i));
        }
    }
    statement.slots.push_back(frame.slot(Role::cycle_depth, Quantity::length, bottom, drill));
    statement.slots.push_back(frame.slot(Role::cycle_clearance, Quantity::length, clearance));
    if (plan_->step > 0) {
        statement.slots.push_back(frame.slot(Role::cycle_step, Quantity::length, plan_->step));
    }
    if (plan_->dwell > 0) {
        statement.slots.push_back(frame.slot(Role::cycle_dwell, Quantity::time, plan_->dwell));
    }
    motion_.add_feed(statement, FeedMode::per_minute, feed.stated() ? 1 / feed.seconds(1) : 0);
    // A cycle's first block, and that of the same hole again, states the position even where the tool already stands there: without any
    // axis word the control would drill nothing.
    bool same = true;
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        same = same && (i == drill || !frame.in_chain()[i] || frame.is_rotary()[i] ||
                        frame.rounding().counts(Quantity::length, level[Eigen::Index(i)]) ==
                            frame.rounding().counts(Quantity::length, frame.program_values(motion_.place().now())[Eigen::Index(i)]));
    }
    if (!in_native_ || same) {
        emitter_.forget(Role::axes);
    }
    emitter_.emit(statement);
    motion_.set_position(motion_.place().with_same_turn(pose.tip + pose.axis * plan_->retreat));
    in_native_ = true;
    native_joint_ = drill;
    native_level_ = frame.rounding().counts(Quantity::length, level[at]);
}

void CycleWriter::moves(const Pose& pose, const CycleStyle& style, const FeedSpec& feed)
{
    const auto go = [&](double from, double to, bool at_feed) {
        const Pose end{pose.tip + pose.axis * to, pose.axis};
        if (at_feed) {
            const Readings planned = motion_.planned_now();
            motion_.feed({{pose.tip + pose.axis * from, pose.axis}, end, std::nullopt}, {0, planned, planned}, feed);
        } else {
            motion_.rapid(end, motion_.planned_now());
        }
    };
    double height = plan_->retreat;
    if (height > plan_->clearance) {
        go(height, plan_->clearance, false);
        height = plan_->clearance;
    }
    for (const CycleMove& move : cycle_moves(*plan_, style.gap)) {
        go(height, move.height, move.feed);
        height = move.height;
        if (move.dwell_after > 0) {
            if (auto word = emitter_.function(Function::dwell)) {
                emitter_.emit({StatementKind::dwell, {*word, motion_.place().frame.slot(Role::dwell, Quantity::time, move.dwell_after)}});
            }
        }
    }
}

} // namespace wexilum
