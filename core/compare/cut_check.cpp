#include "core/compare/cut_check.hpp"

#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t look_ahead_items = 60;

} // namespace

CutCheck::CutCheck(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, RecordCheck& records,
                   StateCheck& states, LinkCheck& links, CompareLog& log)
    : PathCheck(log), task_(task), follower_(follower), budget_(budget), place_(place), records_(records), states_(states), links_(links),
      surface_(task, log), rows_(task, follower, budget, place, states, log)
{}

void CutCheck::cut(const SeenMotion& seen)
{
    const bool cut_comes = place_.current() != nullptr && place_.current()->kind == Expected::Kind::feed;
    if (seen.move.by_clock && !cut_comes && rows_.keeps_place(seen)) {
        return;
    }
    // A first position without a way of its own may be reached at feed as well.
    if (place_.current() != nullptr && place_.current()->kind == Expected::Kind::rapid && links_.match(seen)) {
        return;
    }
    while (place_.current() != nullptr && place_.current()->kind == Expected::Kind::rapid) {
        links_.miss();
    }
    if (place_.current() == nullptr || place_.current()->kind != Expected::Kind::feed) {
        extra(seen);
        return;
    }
    if (seen.move.by_clock) {
        if (!rows_.cut(seen)) {
            extra(seen);
        }
        return;
    }
    const Expected& item = *place_.current();
    const Landing landing = land(seen, item);
    if (!landing.is_end && standing_turn(seen, item)) {
        return;
    }
    if (landing.is_end || (landing.ahead && fits(landing.on_way, BudgetRule::on_way(seen.budget, item.piece.turn_rate())))) {
        follow(seen, item, landing);
    } else if (!nearly_reached(seen) && !look_ahead(seen)) {
        follow_closely(seen, item, landing);
    }
}

CutCheck::Landing CutCheck::land(const SeenMotion& seen, const Expected& item)
{
    Landing out;
    const double before = place_.progress.along;
    out.at_end = deviation_at(item.piece, 1, seen.to);
    out.s = item.piece.project(seen.to, before);
    const bool standing = item.piece.length() < still_length && item.piece.turn() < 1e-9;
    out.covers = !item.piece.curved() || out.s > before || standing || goes_round(seen, item);
    out.is_end = fits(out.at_end, seen.budget) && out.covers;
    out.ahead = out.s > before && out.s < 1;
    out.on_way = out.is_end ? out.at_end : deviation_at(item.piece, out.s, seen.to);
    return out;
}

/// A motion that ends on the cut that is waited for, or at its end.
void CutCheck::follow(const SeenMotion& seen, const Expected& item, const Landing& landing)
{
    sample(seen, item, landing.is_end);
    states_.check(seen, item);
    check_feed(seen, item, place_.progress.along, landing.is_end ? 1 : landing.s);
    check_centre(seen, item);
    if (landing.is_end) {
        records_.reached(seen, item, landing.at_end);
        place_.advance(seen.to);
        return;
    }
    double reach = 0.02;
    const double place = place_by_time(seen, item, landing.s, reach);
    records_.check_words(seen, item, place, reach);
    place_.progress.along = landing.s;
    place_.progress.place = place;
    place_.progress.block = seen.move.block;
    place_.progress.short_of = landing.at_end;
}

/// One that ends near it, by a wrong word, or belongs to nothing.
void CutCheck::follow_closely(const SeenMotion& seen, const Expected& item, const Landing& landing)
{
    if (is_close(landing.at_end) && landing.covers) {
        sample(seen, item, true);
        records_.reached(seen, item, landing.at_end);
        place_.advance(seen.to);
    } else if (landing.ahead && is_close(landing.on_way)) {
        log_.note_between(landing.on_way, seen.budget, item, seen.move.block);
        surface_.note(item, landing.s, seen.to, seen.move.block);
        place_.progress.along = landing.s;
        place_.progress.place = landing.s;
        place_.progress.exact = false;
        place_.progress.block = seen.move.block;
        place_.progress.short_of = landing.at_end;
    } else {
        extra(seen);
    }
}

bool CutCheck::ends_on_path(const SeenMotion& seen)
{
    const Expected* next = place_.current();
    return next != nullptr && next->kind == Expected::Kind::feed &&
           fits(deviation_at(next->piece, next->piece.project(seen.to, place_.progress.along), seen.to), seen.budget);
}

/// Of a curve that ends where it begins, or where the tool is on it: whether the move goes all the way round, and not none of it.
bool CutCheck::goes_round(const SeenMotion& seen, const Expected& item) const
{
    constexpr int parts = 16;
    double way = 0;
    Vec3 before = seen.from.tip;
    for (int i = 1; i <= parts; ++i) {
        const Vec3 here = i == parts ? seen.to.tip : follower_.pose_at(seen.move, double(i) / parts).tip;
        way += (here - before).norm();
        before = here;
    }
    return way > 0.5 * (1 - place_.progress.along) * item.piece.length();
}

bool CutCheck::standing_turn(const SeenMotion& seen, const Expected& item)
{
    // In a pole the first rotary joint may turn while the tool keeps its place and its axis.
    const Vec3 axis = item.piece.at(place_.progress.along).axis;
    const Vec3 pole = task_.setup.part().linear().transpose() * item.solver->pole_axis();
    if (seen.turn <= 1e-9 || !item.solver->has_poles() || axis.cross(pole).norm() > 2 * at_pole) {
        return false;
    }
    const Budget budget =
        budget_.between(seen.budget, {true, false, false, false, item.piece.turn_rate(), seen.move.tip_solver != nullptr});
    if (!fits(deviation_at(item.piece, place_.progress.along, seen.to), BudgetRule::on_way(seen.budget, item.piece.turn_rate()))) {
        return false;
    }
    Deviation worst;
    for (int i = 1; i <= 8; ++i) {
        const Deviation d = deviation_at(item.piece, place_.progress.along, follower_.pose_at(seen.move, i / 8.0));
        worst.tip = std::max(worst.tip, d.tip);
        worst.axis = std::max(worst.axis, d.axis);
    }
    if (!fits(worst, budget)) {
        return false;
    }
    states_.check(seen, item);
    log_.note_between(worst, budget, item, seen.move.block);
    return true;
}

bool CutCheck::look_ahead(const SeenMotion& seen)
{
    for (std::size_t i = place_.next() + 1; i < place_.next() + look_ahead_items; ++i) {
        const Expected* item = place_.item(i);
        if (item == nullptr || item->kind != Expected::Kind::feed) {
            return false;
        }
        if (!fits(deviation_at(item->piece, 1, seen.to), seen.budget)) {
            continue;
        }
        for (std::size_t missing = place_.next(); missing < i; ++missing) {
            log_.find(Severity::error, "uncovered", "", "the program cuts the corner: no block ends at this record",
                      "restore the block that ends there", place_.item(missing), seen.move.block);
            ++log_.report().uncovered;
        }
        place_.go_to(i);
        records_.reached(seen, *item, deviation_at(item->piece, 1, seen.to));
        place_.advance(seen.to);
        return true;
    }
    return false;
}

bool CutCheck::nearly_reached(const SeenMotion& seen)
{
    // Covered but for its end: the block that stopped short is the wrong one; this move belongs to the next piece.
    if (place_.progress.along <= 0 || !is_close(place_.progress.short_of)) {
        return false;
    }
    const Expected& item = *place_.current();
    log_.note_at_record(place_.progress.short_of, seen.budget, item, place_.progress.block);
    place_.advance(item.piece.to);
    cut(seen);
    return true;
}

/// The way of a move against the piece; a move that ends at the piece's end is compared there as a record.
void CutCheck::sample(const SeenMotion& seen, const Expected& item, bool to_the_end)
{
    const ReplayMove& m = seen.move;
    // Where a wound arc bends back its chord may stand still in the turn.
    const bool rotary = seen.turn > 1e-9 || (item.piece.way && item.piece.bend() != nullptr);
    const Budget budget = budget_.between(seen.budget, {rotary, item.piece.curved() && !m.arc, m.arc && m.arc_by_centre,
                                                        m.arc && !m.arc_by_centre, item.piece.turn_rate(), m.tip_solver != nullptr});
    // Joints in proportion leave a straight way along a parabola whose top is in the middle, the better the less they turn.
    const int parts = seen.turn > small_turn || m.arc || item.piece.curved() ? 16 : 2;
    Deviation worst;
    double lo = place_.progress.along;
    for (int i = 1; i <= (to_the_end ? parts - 1 : parts); ++i) {
        const Pose pose = i == parts ? seen.to : follower_.pose_at(m, double(i) / parts);
        const double s = item.piece.project(pose, lo);
        const Deviation d = deviation_at(item.piece, s, pose);
        worst.tip = std::max(worst.tip, d.tip);
        worst.axis = std::max(worst.axis, d.axis);
        surface_.note(item, s, pose, m.block);
        lo = std::min(s, item.piece.project(pose, place_.progress.along));
    }
    if (to_the_end) {
        surface_.note(item, 1, seen.to, m.block);
    }
    log_.note_between(worst, budget, item, m.block);
}

double CutCheck::place_by_time(const SeenMotion& seen, const Expected& item, double s, double& reach)
{
    // The feed word says how far along the path a block goes, more finely than its rounded end does.
    const double length = item.piece.length();
    const double whole = item.seconds(length, length);
    if (whole <= 0 || seen.move.seconds <= 0 || length < still_length) {
        place_.progress.exact = false;
        return s;
    }
    const double by_time = place_.progress.place + seen.move.seconds / whole;
    place_.progress.reach += seen.move.seconds / whole * length * seen.move.feed_precision;
    if (item.piece.curved() && !seen.move.arc && seen.turn <= 1e-9) { // where nothing turns the asked feed holds on the chord
        place_.progress.reach += std::abs(by_time - s) * length;
    }
    place_.progress.exact =
        place_.progress.exact && !seen.move.at_joint_limit && by_time < 1 && std::abs(by_time - s) * length <= 2 * seen.budget.tip;
    if (!place_.progress.exact) {
        return s; // limited by a joint, or a wrong feed: reported elsewhere
    }
    reach = place_.progress.reach + BudgetRule::computing_tip;
    if (seen.move.tip_solver != nullptr) {
        reach += 2 * seen.budget.tip; // the feed is the tip's own: its way between two rounded places says no more than they do
    }
    return by_time;
}

void CutCheck::check_centre(const SeenMotion& seen, const Expected& item)
{
    const Arc* arc = item.piece.bend();
    if (!seen.move.arc || arc == nullptr || !seen.move.arc_by_centre) {
        return;
    }
    // The centre's place across the arc's normal, in the part's frame.
    Readings at_centre = seen.move.to;
    for (int k = 0; k < 3; ++k) {
        const int joint = seen.move.arc_joints[std::size_t(k)];
        at_centre[joint] = seen.move.arc_value(std::size_t(joint), seen.move.arc->centre[k]);
    }
    Vec3 centre = follower_.pose_of(seen.move.mount, at_centre, seen.move.tool_length).tip;
    if (const WoundWay* wound = item.piece.wound()) {
        centre = wound->unwound(centre, arc->centre.x());
    }
    const Vec3& normal = arc->normal;
    const Vec3 off = centre - arc->centre;
    const double across = (off - normal * normal.dot(off)).norm();
    const double allowed = 2 * std::sqrt(0.5) * seen.move.length_increment + 2 * BudgetRule::computing_tip;
    if (across > allowed) {
        log_.find(Severity::error, "off-path", "centre",
                  fmt::format("the arc's centre is {:.4f} mm off; {:.4f} mm are allowed", across, allowed), "correct the centre words",
                  &item, seen.move.block, across / allowed);
    }
}

void CutCheck::check_feed(const SeenMotion& seen, const Expected& item, double s0, double s1)
{
    const double length = item.piece.length() * (s1 - s0);
    const double asked = item.seconds(length, item.piece.length());
    const ReplayMove& m = seen.move;
    double wanted = asked;
    for (std::size_t i = 0; i < task_.machine.joints.size() && asked > 0; ++i) {
        const double way = std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]);
        wanted = std::max(wanted, way / task_.machine.joints[i].speed);
    }
    const auto [percent, allowed] = feed_misfit(length, wanted, m.seconds, m.feed_precision, seen.budget.tip);
    log_.report().note_feed(std::abs(percent), allowed);
    if (std::abs(percent) > allowed) {
        log_.find(
            Severity::error, "feed-differs", "",
            fmt::format("the tip moves at {:.1f} mm/min, the path asks for {:.1f} mm/min", length / m.seconds * 60, length / wanted * 60),
            "restate the feed; check the feed mode and the control's limits", &item, m.block, std::abs(percent));
    }
}

void CutCheck::pass_tiny(const SeenMotion* seen)
{
    if (seen == nullptr) {
        rest();
    }
    // A piece below the last digit of the words needs no block of its own.
    while (place_.current() != nullptr && place_.current()->kind == Expected::Kind::feed && place_.progress.along == 0) {
        const Expected& item = *place_.current();
        const double digit = seen != nullptr ? seen->move.length_increment : budget_.length_increment();
        const Arc* arc = item.piece.bend();
        if (item.piece.length() >= 1.8 * digit || (arc != nullptr && arc->sweep > pi)) {
            return;
        }
        if (seen != nullptr) {
            const Deviation there = deviation_at(item.piece, 1, seen->from);
            const bool moved_to = seen->move.feed && fits(deviation_at(item.piece, 1, seen->to), seen->budget);
            if (moved_to || !fits(there, seen->budget)) {
                return;
            }
            log_.note_at_record(there, seen->budget, item, seen->move.block);
        }
        ++log_.report().compared;
        place_.advance(item.piece.to);
    }
}

/// A cut that has begun and is not gone on with.
void CutCheck::leave_unfinished()
{
    const Expected* item = place_.current();
    if (item != nullptr && item->kind == Expected::Kind::feed && place_.progress.along > 0) {
        const double rest = item->piece.length() * (1 - place_.progress.along);
        log_.find(Severity::error, "uncovered", "", fmt::format("the last {:.4f} mm of this record are not covered", rest),
                  "restore the block that ends here", item, place_.progress.block);
        ++log_.report().uncovered;
        place_.skip();
    }
}

void CutCheck::extra(const SeenMotion& seen)
{
    ++log_.report().extra;
    log_.find(Severity::error, "extra-motion", "",
              fmt::format("{:.3f} mm at feed belong to no record", (seen.to.tip - seen.from.tip).norm()),
              "remove the block, or add the motion to the path", place_.current(), seen.move.block, (seen.to.tip - seen.from.tip).norm());
}

} // namespace wexilum
