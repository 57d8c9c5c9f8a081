#include "core/compare/hole_check.hpp"

#include "core/compare/pace_check.hpp"
#include "core/motion/way_rules.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double at_bottom = 0.05; // mm: nearer to a hole's bottom a dwell is there

/// The longest that rows of a clock may take from standstill to standstill where their feed wants `wanted` s.
double seconds_by_clock(const Task& task, const ReplayMove& move, double wanted)
{
    constexpr double intervals_more = 4;
    const WayRules rules = clocked_rules(task.machine, task.controller.table->interval, task.job.tolerance, asked_of_joints);
    double longest = wanted;
    for (std::size_t j = 0; j < rules.speed.size(); ++j) {
        const double way = std::abs(move.to[Eigen::Index(j)] - move.from[Eigen::Index(j)]);
        if (way > 0) {
            longest =
                std::max(longest, between_stops(way, std::min(rules.speed[j], way / wanted), rules.acceleration[j], rules.jerk[j]).seconds);
        }
    }
    return longest * (1 + feed_tolerance_percent / 100) + intervals_more * task.controller.table->interval;
}

double sideways(const Pose& pose, const Pose& hole)
{
    const Vec3 off = pose.tip - hole.tip;
    return (off - hole.axis * hole.axis.dot(off)).norm();
}

} // namespace

HoleCheck::HoleCheck(const Task& task, PathPlace& place, RecordCheck& records, StateCheck& states, LinkCheck& links, CompareLog& log)
    : PathCheck(log), task_(task), place_(place), records_(records), states_(states), links_(links)
{}

bool HoleCheck::take(const SeenMotion& seen) { return seen.move.by_clock ? take_row(seen) : take_motion(seen); }

/// Rows that go straight belong together: what a hole asks of a motion it asks of all of them.
bool HoleCheck::take_row(const SeenMotion& seen)
{
    if (rows_ && !rests_at_retreat(rows_->seen()) && rows_->take(seen)) {
        return true;
    }
    settle();
    const Expected* item = place_.current();
    if (!place_.hole && (item == nullptr || item->kind != Expected::Kind::hole)) {
        return false;
    }
    const double beside = 2 * seen.budget.tip;
    if (seen.move.feed && (sideways(seen.from, item->piece.to) > beside || sideways(seen.to, item->piece.to) > beside)) {
        return take_motion(seen);
    }
    rows_.emplace(task_, seen);
    return true;
}

/// Whether rows out of the hole come to their end where the hole is left: what goes on from there is another motion.
bool HoleCheck::rests_at_retreat(const SeenMotion& rows)
{
    const Expected* item = place_.hole ? place_.current() : nullptr;
    if (item == nullptr) {
        return false;
    }
    const Pose& mouth = item->piece.to;
    return std::abs(mouth.axis.dot(rows.to.tip - mouth.tip) - item->plan.retreat) <= rows.budget.tip &&
           mouth.axis.dot(rows.to.tip - rows.from.tip) > rows.budget.tip;
}

void HoleCheck::settle()
{
    if (rows_) {
        const StraightRows rows = *std::exchange(rows_, std::nullopt);
        const SeenMotion seen = rows.seen();
        if (!take_motion(seen) && !seen.move.feed) {
            links_.rapid(seen);
        }
    }
}

bool HoleCheck::take_motion(const SeenMotion& seen)
{
    const Expected& item = *place_.current();
    const Pose& mouth = item.piece.to;
    const double h0 = mouth.axis.dot(seen.from.tip - mouth.tip);
    const double h1 = mouth.axis.dot(seen.to.tip - mouth.tip);
    const bool starts_here = sideways(seen.from, mouth) <= 2 * seen.budget.tip;
    const bool ends_here = sideways(seen.to, mouth) <= seen.budget.tip && angle_between(seen.to.axis, mouth.axis) <= seen.budget.axis;
    const bool at_feed = seen.move.feed && !seen.stands_for_rapid;
    if (place_.hole && !ends_here) {
        if (at_feed) {
            log_.find(Severity::error, "off-path", "", "the tool leaves the hole sideways at feed", "restore the way out of the hole",
                      &item, seen.move.block, 1);
        }
        leave(seen, item);
        return false;
    }
    if (!place_.hole && !ends_here) {
        return !at_feed && come_near(seen, item);
    }
    if (!place_.hole) {
        if (!starts_here) {
            if (at_feed) {
                log_.find(Severity::error, "rapid-at-feed", "", "the move to a hole is made at feed", "write the word for rapid before it",
                          &item, seen.move.block);
            }
            links_.check_way(seen);
            check_level(seen, item, h1);
        }
        place_.hole = DrilledHole{};
        place_.hole->deepest = item.plan.clearance;
    }
    if (starts_here && !seen.move.feed) {
        links_.check_bent(seen, mouth.axis, mouth.axis.dot(mouth.tip) + item.plan.clearance);
    }
    const bool clear = h1 > h0 ? !item.plan.feeds_out : h1 >= std::min(item.plan.clearance, place_.hole->deepest) - 2 * seen.budget.tip;
    if (seen.move.feed && !(clear && seen.stands_for_rapid)) {
        feed(seen, item, h0, h1);
    } else {
        rapid(seen, item, h0, h1);
    }
    return true;
}

/// A rapid on the way to a hole.
bool HoleCheck::come_near(const SeenMotion& seen, const Expected& item)
{
    const double near = sideways(seen.to, item.piece.to);
    if (near < 0.25) {
        log_.find(Severity::error, "target-missed", "", fmt::format("the hole is positioned {:.4f} mm off", near),
                  "correct the position words", &item, seen.move.block, near);
    }
    links_.check_way(seen);
    return true;
}

void HoleCheck::dwell(const Vec3& tip, BlockNumber block, double seconds)
{
    const Pose& mouth = place_.current()->piece.to;
    const double height = mouth.axis.dot(tip - mouth.tip) - place_.current()->plan.bottom;
    if (std::abs(height) > at_bottom) {
        log_.find(Severity::error, "dwell-differs", "place",
                  fmt::format("the program dwells {:.3f} mm above the bottom of the hole", height),
                  "write the dwell where the hole is deepest", place_.current(), block, height);
        return;
    }
    place_.hole->dwell += seconds;
}

/// Whether the tool comes to a hole from somewhere else than one of the same direction: from wherever it has been changed or has turned.
bool HoleCheck::comes_from_afar(const SeenMotion& seen, const Expected& item) const
{
    return !place_.link_from() || angle_between(place_.link_from()->axis, item.piece.to.axis) > 2 * seen.budget.axis;
}

/// A link to a hole runs at the height it comes from, or at the one that the hole is left at.
void HoleCheck::check_level(const SeenMotion& seen, const Expected& item, double height)
{
    const double slack = 2 * seen.budget.tip;
    const Pose& mouth = item.piece.to;
    if (comes_from_afar(seen, item) || height <= item.plan.clearance + slack || std::abs(height - item.plan.retreat) <= slack ||
        std::abs(height - mouth.axis.dot(place_.link_from()->tip - mouth.tip)) <= slack || links_.retracted(seen.move.to)) {
        return;
    }
    const Pose level{mouth.tip + mouth.axis * item.plan.retreat, mouth.axis};
    log_.find(Severity::error, "off-path", "level",
              fmt::format("a link to the hole runs {:.4f} mm above its retreat height", height - item.plan.retreat),
              "go at the retreat height, or at the one before", &item, records_.blame(seen.move, log_.set_by(), *item.solver, level),
              std::abs(height - item.plan.retreat));
}

void HoleCheck::feed(const SeenMotion& seen, const Expected& item, double h0, double h1)
{
    if (h1 <= h0 || item.plan.kind != CycleKind::tap) {
        states_.check(seen, item);
    }
    if (h1 > h0) {
        feed_out(seen, item);
    } else {
        feed_in(seen, item, h0, h1);
    }
    if (place_.hole->complete && std::abs(h1 - item.plan.retreat) <= seen.budget.tip) {
        leave(seen, item);
    }
}

void HoleCheck::feed_out(const SeenMotion& seen, const Expected& item)
{
    if (!item.plan.feeds_out) {
        log_.find(Severity::error, "cycle-differs", "", "the tool leaves the hole at feed, the cycle asks for rapid",
                  "write the right cycle", &item, seen.move.block);
    }
    if (item.plan.kind == CycleKind::tap && seen.move.spindle == item.spindle) {
        log_.find(Severity::error, "cycle-differs", "", "the tap comes out without the spindle turning round", "write the right cycle",
                  &item, seen.move.block);
    }
}

void HoleCheck::feed_in(const SeenMotion& seen, const Expected& item, double h0, double h1)
{
    const CyclePlan& plan = item.plan;
    DrilledHole& hole = *place_.hole;
    const Pose& mouth = item.piece.to;
    const double slack = 2 * seen.budget.tip;
    if (!hole.fed && std::abs(h0 - plan.clearance) > slack) {
        ReplayMove start = seen.move;
        start.to = seen.move.from;
        const Pose clearance{mouth.tip + mouth.axis * plan.clearance, mouth.axis};
        log_.note_at_record({std::abs(h0 - plan.clearance), 0}, seen.budget, item,
                            records_.blame(start, log_.set_by(), *item.solver, clearance));
    }
    check_peck(seen, item, h1);
    hole.fed = true;
    hole.fed_by = seen.move.block;
    hole.deepest = std::min(hole.deepest, h1);
    hole.complete = hole.complete || h1 <= plan.bottom + slack;
    // Along a plane declared by the rotary readings the control drills as far beside as those are rounded.
    const double tilt = seen.move.tip_words ? seen.budget.axis * std::max(0.0, plan.retreat - h1) : 0;
    const double deep = h1 <= plan.bottom + slack ? h1 - plan.bottom : 0;
    log_.note_at_record({std::hypot(deep, sideways(seen.to, mouth)), angle_between(seen.to.axis, mouth.axis)},
                        {seen.budget.tip + tilt, seen.budget.axis}, item, seen.move.block);
    check_feed(seen, item, h0 - h1);
}

void HoleCheck::check_peck(const SeenMotion& seen, const Expected& item, double h1)
{
    const CyclePlan& plan = item.plan;
    const double slack = 2 * seen.budget.tip;
    const double step = place_.hole->deepest - h1;
    const bool last = std::abs(h1 - plan.bottom) <= slack;
    if (plan.step > 0 && (step > plan.step + slack || (!last && step < plan.step - slack))) {
        log_.find(Severity::error, "cycle-differs", "", fmt::format("a peck of {:.3f} mm, the path asks for {:.3f} mm", step, plan.step),
                  "correct the step word", &item, seen.move.block, std::abs(step - plan.step));
    }
}

/// The feed into a hole: time against length.
void HoleCheck::check_feed(const SeenMotion& seen, const Expected& item, double length)
{
    const double wanted = item.seconds(length, length);
    if (length <= 0.01 || wanted <= 0 || seen.move.seconds <= 0) {
        return;
    }
    double percent = 100 * (wanted / seen.move.seconds - 1);
    if (seen.move.by_clock && percent < 0 && seen.move.seconds <= seconds_by_clock(task_, seen.move, wanted)) {
        percent = 0; // it has to speed up and slow down
    }
    const double allowed = feed_tolerance_percent + 100 * seen.move.feed_precision + 200 * seen.budget.tip / length;
    log_.report().note_feed(std::abs(percent), allowed);
    if (std::abs(percent) > allowed) {
        log_.find(Severity::error, "feed-differs", "",
                  fmt::format("the hole is fed at {:.1f} mm/min, the path asks for {:.1f} mm/min", length / seen.move.seconds * 60,
                              length / wanted * 60),
                  "restate the feed", &item, seen.move.block, std::abs(percent));
    }
}

void HoleCheck::rapid(const SeenMotion& seen, const Expected& item, double h0, double h1)
{
    const CyclePlan& plan = item.plan;
    const double slack = 2 * seen.budget.tip;
    if (h1 < std::min(plan.clearance, place_.hole->deepest) - slack) {
        log_.find(Severity::error, "rapid-in-hole", "",
                  fmt::format("a rapid ends {:.3f} mm below what has been drilled", place_.hole->deepest - h1),
                  "correct the clearance word", &item, seen.move.block, place_.hole->deepest - h1);
    }
    if (std::abs(h1 - h0) > slack && h1 > plan.clearance + slack && std::abs(h1 - plan.retreat) > slack && !seen.move.to_machine_position &&
        !links_.retracted(seen.move.to) && (place_.hole->fed || !comes_from_afar(seen, item))) {
        log_.find(Severity::error, "off-path", "level",
                  fmt::format("a rapid over the hole ends {:.4f} mm above its clearance height", h1 - plan.clearance),
                  "go to the clearance or the retreat height", &item, seen.move.block, h1 - plan.clearance);
    }
    if (h1 > h0 && h0 < plan.clearance - slack && plan.feeds_out && place_.hole->complete) {
        log_.find(Severity::error, "cycle-differs", "", "the tool leaves the hole in rapid, the cycle asks for feed",
                  "write the right cycle", &item, seen.move.block);
    }
    if (plan.kind == CycleKind::peck && h1 > h0 && h1 < plan.clearance - slack) {
        log_.find(Severity::error, "cycle-differs", "", "a peck does not come out to the clearance height", "write the right cycle", &item,
                  seen.move.block);
    }
    if (place_.hole->complete && h1 >= plan.retreat - seen.budget.tip) {
        if (h1 > plan.retreat + seen.budget.tip && !seen.move.to_machine_position) {
            log_.find(Severity::error, "off-path", "",
                      fmt::format("the hole is left {:.4f} mm above its retreat height", h1 - plan.retreat), "correct the return level",
                      &item, seen.move.block, h1 - plan.retreat);
        }
        leave(seen, item);
    }
}

void HoleCheck::leave(const SeenMotion& seen, const Expected& item)
{
    const BlockNumber block = place_.hole->fed_by.value != 0 ? place_.hole->fed_by : seen.move.block;
    if (!place_.hole->complete) {
        log_.find(Severity::error, "uncovered", "",
                  fmt::format("the hole ends {:.4f} mm above its bottom", place_.hole->deepest - item.plan.bottom),
                  "correct the depth word", &item, block, place_.hole->deepest - item.plan.bottom);
        ++log_.report().uncovered;
    } else {
        ++log_.report().compared;
    }
    if (place_.hole->complete && !dwells_as(task_.controller, item.plan.dwell, place_.hole->dwell)) {
        log_.find(Severity::error, "dwell-differs", "",
                  fmt::format("the hole dwells {:.3f} s, the path asks for {:.3f} s", place_.hole->dwell, item.plan.dwell),
                  "correct the time word", &item, seen.move.block);
    }
    const Pose above{item.piece.to.tip + item.piece.to.axis * item.plan.retreat, item.piece.to.axis};
    place_.advance(above);
}

} // namespace wexilum
