// Holes of the comparer: the depths a cycle reaches, whatever moves it is made of.
#include "core/compare/compare.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

double sideways(const Pose& pose, const Pose& hole)
{
    const Vec3 off = pose.tip - hole.tip;
    return (off - hole.axis * hole.axis.dot(off)).norm();
}

} // namespace

bool Comparer::hole(const Seen& seen)
{
    const Expected& item = *current();
    const Pose& mouth = item.piece.to;
    const double h0 = mouth.axis.dot(seen.from.tip - mouth.tip);
    const double h1 = mouth.axis.dot(seen.to.tip - mouth.tip);
    const bool starts_here = sideways(seen.from, mouth) <= 2 * seen.budget.tip;
    const bool ends_here = sideways(seen.to, mouth) <= seen.budget.tip && angle_between(seen.to.axis, mouth.axis) <= seen.budget.axis;
    if (hole_ && !ends_here) {
        if (seen.move.feed && !seen.stands_for_rapid) {
            find(Severity::error, "off-path", "", "the tool leaves the hole sideways at feed", "restore the way out of the hole", &item,
                 seen.move.block, 1);
        }
        leave_hole(seen, item);
        return false;
    }
    if (!hole_) {
        if (!ends_here) {
            if (seen.move.feed && !seen.stands_for_rapid) {
                return false;
            }
            const double near = sideways(seen.to, mouth);
            if (near < 0.25) {
                find(Severity::error, "target-missed", "", fmt::format("the hole is positioned {:.4f} mm off", near),
                     "correct the position words", &item, seen.move.block, near);
            }
            check_link(seen);
            return true;
        }
        if (!starts_here) {
            if (seen.move.feed && !seen.stands_for_rapid) {
                find(Severity::error, "rapid-at-feed", "", "the way to a hole is gone at feed", "write the word for rapid before it", &item,
                     seen.move.block);
            }
            check_link(seen);
            check_level(seen, item, h1);
        }
        hole_ = Hole{};
        hole_->deepest = item.plan.clearance;
    }
    if (starts_here && !seen.move.feed) {
        check_bent(seen, mouth.axis, mouth.axis.dot(mouth.tip) + item.plan.clearance);
    }
    const bool clear = h1 > h0 ? !item.plan.feeds_out : h1 >= std::min(item.plan.clearance, hole_->deepest) - 2 * seen.budget.tip;
    if (seen.move.feed && !(clear && seen.stands_for_rapid)) {
        hole_feed(seen, item, h0, h1);
    } else {
        hole_rapid(seen, item, h0, h1);
    }
    return true;
}

/// Whether the tool comes to a hole from somewhere else than one of the same direction: from wherever it has been changed or has turned.
bool Comparer::comes_from_afar(const Seen& seen, const Expected& item) const
{
    return !link_from_ || angle_between(link_from_->axis, item.piece.to.axis) > 2 * seen.budget.axis;
}

/// A link to a hole runs at the height it comes from, or at the one that the hole is left at.
void Comparer::check_level(const Seen& seen, const Expected& item, double height)
{
    const double slack = 2 * seen.budget.tip;
    const Pose& mouth = item.piece.to;
    if (comes_from_afar(seen, item) || height <= item.plan.clearance + slack || std::abs(height - item.plan.retreat) <= slack ||
        std::abs(height - mouth.axis.dot(link_from_->tip - mouth.tip)) <= slack || retracted(seen.move.to)) {
        return;
    }
    const Pose level{mouth.tip + mouth.axis * item.plan.retreat, mouth.axis};
    find(Severity::error, "off-path", "level",
         fmt::format("a link to the hole runs {:.4f} mm above its retreat height", height - item.plan.retreat),
         "go at the retreat height, or at the one before", &item, blame(seen.move, last_set_, *item.solver, level),
         std::abs(height - item.plan.retreat));
}

void Comparer::hole_feed(const Seen& seen, const Expected& item, double h0, double h1)
{
    const CyclePlan& plan = item.plan;
    // Along a plane declared by the rotary readings the control drills as far beside as those are rounded.
    const double tilt = seen.move.tip_words ? seen.budget.axis * std::max(0.0, plan.retreat - h1) : 0;
    const Budget at_depth{seen.budget.tip + tilt, seen.budget.axis};
    const double slack = 2 * seen.budget.tip;
    if (h1 <= h0 || plan.kind != CycleKind::tap) {
        check_state(seen, item);
    }
    if (h1 > h0) {
        if (!plan.feeds_out) {
            find(Severity::error, "cycle-differs", "", "the tool leaves the hole at feed, the cycle asks for rapid",
                 "write the right cycle", &item, seen.move.block);
        }
        if (plan.kind == CycleKind::tap && seen.move.spindle == item.spindle) {
            find(Severity::error, "cycle-differs", "", "the tap comes out without the spindle turning round", "write the right cycle",
                 &item, seen.move.block);
        }
    } else {
        if (!hole_->fed && std::abs(h0 - plan.clearance) > slack) {
            ReplayMove start = seen.move;
            start.to = seen.move.from;
            const Pose clearance{item.piece.to.tip + item.piece.to.axis * plan.clearance, item.piece.to.axis};
            note(report_.at_records, {std::abs(h0 - plan.clearance), 0}, seen.budget, item,
                 blame(start, last_set_, *item.solver, clearance));
        }
        const double step = hole_->deepest - h1;
        const bool last = std::abs(h1 - plan.bottom) <= slack;
        if (plan.step > 0 && (step > plan.step + slack || (!last && step < plan.step - slack))) {
            find(Severity::error, "cycle-differs", "", fmt::format("a peck of {:.3f} mm, the path asks for {:.3f} mm", step, plan.step),
                 "correct the step word", &item, seen.move.block, std::abs(step - plan.step));
        }
        hole_->fed = true;
        hole_->fed_by = seen.move.block;
        hole_->deepest = std::min(hole_->deepest, h1);
        const Deviation end{std::hypot(std::max(0.0, plan.bottom - h1), sideways(seen.to, item.piece.to)),
                            angle_between(seen.to.axis, item.piece.to.axis)};
        if (h1 <= plan.bottom + slack) {
            note(report_.at_records, {std::hypot(h1 - plan.bottom, sideways(seen.to, item.piece.to)), end.axis}, at_depth, item,
                 seen.move.block);
            hole_->complete = true;
        } else {
            note(report_.at_records, {end.tip, end.axis}, at_depth, item, seen.move.block);
        }
        // The feed itself: time against length.
        const double length = h0 - h1;
        if (length > 0.01 && item.seconds(length, length) > 0 && seen.move.seconds > 0) {
            const double percent = 100 * (item.seconds(length, length) / seen.move.seconds - 1);
            report_.feed_error_percent = std::max(report_.feed_error_percent, std::abs(percent));
            if (std::abs(percent) > 0.5 + 100 * seen.move.feed_precision + 200 * seen.budget.tip / length) {
                find(Severity::error, "feed-differs", "",
                     fmt::format("the hole is fed at {:.1f} mm/min, the path asks for {:.1f} mm/min", length / seen.move.seconds * 60,
                                 length / item.seconds(length, length) * 60),
                     "restate the feed", &item, seen.move.block, std::abs(percent));
            }
        }
    }
    if (hole_->complete && std::abs(h1 - plan.retreat) <= seen.budget.tip) {
        leave_hole(seen, item);
    }
}

void Comparer::hole_rapid(const Seen& seen, const Expected& item, double h0, double h1)
{
    const CyclePlan& plan = item.plan;
    const double slack = 2 * seen.budget.tip;
    if (h1 < std::min(plan.clearance, hole_->deepest) - slack) {
        find(Severity::error, "rapid-in-hole", "", fmt::format("a rapid ends {:.3f} mm below what has been drilled", hole_->deepest - h1),
             "correct the clearance word", &item, seen.move.block, hole_->deepest - h1);
    }
    if (std::abs(h1 - h0) > slack && h1 > plan.clearance + slack && std::abs(h1 - plan.retreat) > slack && !seen.move.to_machine_position &&
        !retracted(seen.move.to) && (hole_->fed || !comes_from_afar(seen, item))) {
        find(Severity::error, "off-path", "level",
             fmt::format("a rapid over the hole ends {:.4f} mm above its clearance height", h1 - plan.clearance),
             "go to the clearance or the retreat height", &item, seen.move.block, h1 - plan.clearance);
    }
    if (h1 > h0 && h0 < plan.clearance - slack && plan.feeds_out && hole_->complete) {
        find(Severity::error, "cycle-differs", "", "the tool leaves the hole in rapid, the cycle asks for feed", "write the right cycle",
             &item, seen.move.block);
    }
    if (plan.kind == CycleKind::peck && h1 > h0 && h1 < plan.clearance - slack) {
        find(Severity::error, "cycle-differs", "", "a peck does not come out to the clearance height", "write the right cycle", &item,
             seen.move.block);
    }
    if (hole_->complete && h1 >= plan.retreat - seen.budget.tip) {
        if (h1 > plan.retreat + seen.budget.tip && !seen.move.to_machine_position) {
            find(Severity::error, "off-path", "", fmt::format("the hole is left {:.4f} mm above its retreat height", h1 - plan.retreat),
                 "correct the return level", &item, seen.move.block, h1 - plan.retreat);
        }
        leave_hole(seen, item);
    }
}

void Comparer::leave_hole(const Seen& seen, const Expected& item)
{
    const BlockNumber block = hole_->fed_by.value != 0 ? hole_->fed_by : seen.move.block;
    if (!hole_->complete) {
        find(Severity::error, "uncovered", "", fmt::format("the hole ends {:.4f} mm above its bottom", hole_->deepest - item.plan.bottom),
             "correct the depth word", &item, block, hole_->deepest - item.plan.bottom);
        ++report_.uncovered;
    } else {
        ++report_.compared;
    }
    if (hole_->complete && std::abs(hole_->dwell - item.plan.dwell) > task_.controller.time_increment) {
        find(Severity::error, "dwell-differs", "",
             fmt::format("the hole dwells {:.3f} s, the path asks for {:.3f} s", hole_->dwell, item.plan.dwell), "correct the time word",
             &item, seen.move.block);
    }
    const Pose above{item.piece.to.tip + item.piece.to.axis * item.plan.retreat, item.piece.to.axis};
    advance(above);
}

} // namespace wexilum
