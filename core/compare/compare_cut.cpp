// Cuts of the comparer: every feed move of the path in order, nothing beside it, at the right feed.
#include "core/compare/compare.hpp"

#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double close_tip = 0.25;     // mm: a wrong word rather than another motion
const double close_axis = to_rad(0.5); // rad
constexpr std::size_t look_ahead_items = 60;

} // namespace

void Comparer::cut(const Seen& seen)
{
    // A first position without a way of its own may be reached at feed as well.
    if (current() != nullptr && current()->kind == Expected::Kind::rapid && match_rapid(seen)) {
        return;
    }
    while (current() != nullptr && current()->kind == Expected::Kind::rapid) {
        miss_rapids();
    }
    if (current() == nullptr || current()->kind != Expected::Kind::feed) {
        extra(seen);
        return;
    }
    const Expected& item = *current();
    const Deviation at_end = deviation_at(item.piece, 1, seen.to);
    const double s = item.piece.project(seen.to, progress_);
    const bool standing = item.piece.length() < still_length && item.piece.turn() < 1e-9;
    const bool covers = !item.piece.curved() || s > progress_ || standing || goes_round(seen, item);
    const bool is_end = within(at_end, seen.budget) && covers;
    if (!is_end && standing_turn(seen, item)) {
        return;
    }
    const bool ahead = s > progress_ && s < 1;
    const Deviation on_way = is_end ? at_end : deviation_at(item.piece, s, seen.to);
    if (is_end || (ahead && within(on_way, BudgetRule::on_way(seen.budget, item.piece.turn_rate())))) {
        sample(seen, item, is_end);
        check_state(seen, item);
        check_feed(seen, item, progress_, is_end ? 1 : s);
        check_centre(seen, item);
        if (is_end) {
            reached(seen, item, at_end);
            advance(seen.to);
        } else {
            double reach = 0.02;
            const double place = place_by_time(seen, item, s, reach);
            check_rotary_words(seen, item, place, reach);
            progress_ = s;
            progress_place_ = place;
            progress_block_ = seen.move.block;
            progress_short_ = at_end;
        }
        return;
    }
    if (nearly_reached(seen) || look_ahead(seen)) {
        return;
    }
    if (at_end.tip < close_tip && at_end.axis < close_axis && covers) {
        sample(seen, item, true);
        reached(seen, item, at_end);
        advance(seen.to);
    } else if (ahead && on_way.tip < close_tip && on_way.axis < close_axis) {
        note(report_.between, on_way, seen.budget, item, seen.move.block);
        progress_ = s;
        progress_place_ = s;
        progress_exact_ = false;
        progress_block_ = seen.move.block;
        progress_short_ = at_end;
    } else {
        extra(seen);
    }
}

/// Of a curve that ends where it begins, or where the tool is on it: whether the move goes all the way round, and not none of it.
bool Comparer::goes_round(const Seen& seen, const Expected& item)
{
    constexpr int parts = 16;
    double way = 0;
    Vec3 before = seen.from.tip;
    for (int i = 1; i <= parts; ++i) {
        const Vec3 here = i == parts ? seen.to.tip : pose_at(seen.move, double(i) / parts).tip;
        way += (here - before).norm();
        before = here;
    }
    return way > 0.5 * (1 - progress_) * item.piece.length();
}

bool Comparer::standing_turn(const Seen& seen, const Expected& item)
{
    // In a pole the first rotary joint may turn while the tool keeps its place and its axis.
    const Vec3 axis = item.piece.at(progress_).axis;
    const Vec3 pole = task_.setup.part.linear().transpose() * item.solver->pole_axis();
    if (seen.turn <= 1e-9 || item.solver->rotary().size() != 2 || axis.cross(pole).norm() > 2 * at_pole) {
        return false;
    }
    const Budget budget =
        budget_.between(seen.budget, {true, false, false, false, item.piece.turn_rate(), seen.move.tip_solver != nullptr});
    if (!within(deviation_at(item.piece, progress_, seen.to), BudgetRule::on_way(seen.budget, item.piece.turn_rate()))) {
        return false;
    }
    Deviation worst;
    for (int i = 1; i <= 8; ++i) {
        const Deviation d = deviation_at(item.piece, progress_, pose_at(seen.move, i / 8.0));
        worst.tip = std::max(worst.tip, d.tip);
        worst.axis = std::max(worst.axis, d.axis);
    }
    if (!within(worst, budget)) {
        return false;
    }
    check_state(seen, item);
    note(report_.between, worst, budget, item, seen.move.block);
    return true;
}

bool Comparer::look_ahead(const Seen& seen)
{
    for (std::size_t i = next_ + 1; i < next_ + look_ahead_items; ++i) {
        const Expected* item = path_.at(i);
        if (item == nullptr || item->kind != Expected::Kind::feed) {
            return false;
        }
        if (!within(deviation_at(item->piece, 1, seen.to), seen.budget)) {
            continue;
        }
        for (std::size_t missing = next_; missing < i; ++missing) {
            find(Severity::error, "uncovered", "", "the program cuts the corner: no block ends at this record",
                 "restore the block that ends there", path_.at(missing), seen.move.block);
            ++report_.uncovered;
        }
        next_ = i;
        progress_ = 0;
        reached(seen, *item, deviation_at(item->piece, 1, seen.to));
        advance(seen.to);
        return true;
    }
    return false;
}

bool Comparer::nearly_reached(const Seen& seen)
{
    // Covered but for its end: the block that stopped short is the wrong one; this move belongs to the next piece.
    if (progress_ <= 0 || progress_short_.tip >= close_tip || progress_short_.axis >= close_axis) {
        return false;
    }
    const Expected& item = *current();
    note(report_.at_records, progress_short_, seen.budget, item, progress_block_);
    advance(item.piece.to);
    cut(seen);
    return true;
}

/// The way of a move against the piece; a move that ends at the piece's end is compared there as a record.
void Comparer::sample(const Seen& seen, const Expected& item, bool to_the_end)
{
    const ReplayMove& m = seen.move;
    // Where a wound arc bends back its chord may stand still in the turn.
    const bool rotary = seen.turn > 1e-9 || (item.piece.wound && item.piece.wound->arc);
    const Budget budget = budget_.between(seen.budget, {rotary, item.piece.curved() && !m.arc, m.arc && m.arc_by_centre,
                                                        m.arc && !m.arc_by_centre, item.piece.turn_rate(), m.tip_solver != nullptr});
    // Joints in proportion leave a straight way along a parabola whose top is in the middle, the better the less they turn.
    const int parts = seen.turn > small_turn || m.arc || item.piece.curved() ? 16 : 2;
    Deviation worst;
    double lo = progress_;
    for (int i = 1; i <= (to_the_end ? parts - 1 : parts); ++i) {
        const Pose pose = i == parts ? seen.to : pose_at(m, double(i) / parts);
        const double s = item.piece.project(pose, lo);
        const Deviation d = deviation_at(item.piece, s, pose);
        worst.tip = std::max(worst.tip, d.tip);
        worst.axis = std::max(worst.axis, d.axis);
        lo = std::min(s, item.piece.project(pose, progress_));
    }
    note(report_.between, worst, budget, item, m.block);
}

void Comparer::check_centre(const Seen& seen, const Expected& item)
{
    const std::optional<Arc>& arc = item.piece.wound ? item.piece.wound->arc : item.piece.arc;
    if (!seen.move.arc || !arc || !seen.move.arc_by_centre) {
        return;
    }
    // The centre's place across the arc's normal, in the part's frame.
    Readings at_centre = seen.move.to;
    for (int k = 0; k < 3; ++k) {
        const int joint = seen.move.arc_joints[std::size_t(k)];
        at_centre[joint] = seen.move.arc_value(std::size_t(joint), seen.move.arc->centre[k]);
    }
    Vec3 centre = pose_of(seen.move.mount, at_centre, seen.move.tool_length).tip;
    if (item.piece.wound) {
        centre = item.piece.wound->unwound(centre, arc->centre.x());
    }
    const Vec3& normal = arc->normal;
    const Vec3 off = centre - arc->centre;
    const double across = (off - normal * normal.dot(off)).norm();
    const double allowed = 2 * std::sqrt(0.5) * seen.move.length_increment + 2 * BudgetRule::computing_tip;
    if (across > allowed) {
        find(Severity::error, "off-path", "centre",
             fmt::format("the arc's centre is {:.4f} mm off; {:.4f} mm are allowed", across, allowed), "correct the centre words", &item,
             seen.move.block, across / allowed);
    }
}

void Comparer::check_feed(const Seen& seen, const Expected& item, double s0, double s1)
{
    const double length = item.piece.length() * (s1 - s0);
    if (length < shortest_timed) {
        return;
    }
    double wanted = item.seconds(length, item.piece.length());
    if (wanted <= 0) {
        return;
    }
    const ReplayMove& m = seen.move;
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        const double way = std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]);
        wanted = std::max(wanted, way / task_.machine.joints[i].speed);
    }
    if (m.seconds <= 0) {
        return; // no feed in force: the control has said so
    }
    const double percent = 100 * (wanted / m.seconds - 1);
    report_.feed_error_percent = std::max(report_.feed_error_percent, std::abs(percent));
    const double word = 100 * m.feed_precision;
    const double ends = 100 * 2 * seen.budget.tip / length;
    if (std::abs(percent) > feed_tolerance_percent + word + ends) {
        find(Severity::error, "feed-differs", "",
             fmt::format("the tip moves at {:.1f} mm/min, the path asks for {:.1f} mm/min", length / m.seconds * 60, length / wanted * 60),
             "restate the feed; check the feed mode and the control's limits", &item, m.block, std::abs(percent));
    }
}

bool Comparer::spindle_differs(const ReplayMove& move, const Expected& item) const
{
    if (task_.setup.spindle != Actor::program) {
        return false;
    }
    const bool turning = item.spindle != record::SpindleState::off;
    const double rounding = task_.controller.speed_increment * std::max(1.0, task_.machine.mounts[move.mount].gearing.ratio);
    return move.spindle != item.spindle || (turning && std::abs(move.spindle_rpm - item.spindle_rpm) > rounding);
}

bool Comparer::coolant_differs(const ReplayMove& move, const Expected& item) const
{
    return task_.setup.coolant == Actor::program && move.coolant != item.coolant;
}

void Comparer::check_state(const Seen& seen, const Expected& item)
{
    const ReplayMove& m = seen.move;
    if (spindle_differs(m, item)) {
        find(Severity::error, "spindle-differs", "",
             item.spindle != record::SpindleState::off
                 ? fmt::format("the path cuts at {:.0f} rpm, the program at {:.0f} rpm or the other way round", item.spindle_rpm,
                               m.spindle == record::SpindleState::off ? 0.0 : m.spindle_rpm)
                 : std::string("the spindle turns where the path has it standing"),
             "restate the spindle", &item, m.block);
    }
    if (coolant_differs(m, item)) {
        find(Severity::error, "coolant-differs", "", "the coolant is not as the path asks", "restate the coolant", &item, m.block);
    }
    if (m.tool != item.tool) {
        find(Severity::error, "tool-differs", "", fmt::format("tool {} cuts, the path asks for tool {}", m.tool, item.tool),
             "restore the tool change", &item, m.block);
    }
}

void Comparer::pass_tiny(const Seen* seen)
{
    // A piece below the last digit of the words needs no block of its own.
    while (current() != nullptr && current()->kind == Expected::Kind::feed && progress_ == 0) {
        const Expected& item = *current();
        const double digit = seen != nullptr ? seen->move.length_increment : budget_.length_increment();
        const std::optional<Arc>& arc = item.piece.wound ? item.piece.wound->arc : item.piece.arc;
        if (item.piece.length() >= 1.8 * digit || (arc && arc->sweep > pi)) {
            return;
        }
        if (seen != nullptr) {
            const Deviation there = deviation_at(item.piece, 1, seen->from);
            const bool moved_to = seen->move.feed && within(deviation_at(item.piece, 1, seen->to), seen->budget);
            if (moved_to || !within(there, seen->budget)) {
                return;
            }
            note(report_.at_records, there, seen->budget, item, seen->move.block);
        }
        ++report_.compared;
        advance(item.piece.to);
    }
}

void Comparer::extra(const Seen& seen)
{
    ++report_.extra;
    find(Severity::error, "extra-motion", "", fmt::format("{:.3f} mm at feed belong to no record", (seen.to.tip - seen.from.tip).norm()),
         "take the block away, or add the motion to the path", current(), seen.move.block, (seen.to.tip - seen.from.tip).norm());
}

} // namespace wexilum
