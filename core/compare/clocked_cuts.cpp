#include "core/compare/clocked_cuts.hpp"

#include "core/compare/cut_check.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double axis_counts = 100; // mm a rad, where the place on a row is looked for

} // namespace

ClockedCuts::ClockedCuts(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, StateCheck& states,
                         CompareLog& log)
    : PathCheck(log), task_(task), follower_(follower), budget_(budget), place_(place), states_(states), surface_(task, log),
      pace_(task, follower, log)
{}

bool ClockedCuts::cut(const SeenMotion& seen)
{
    Done done;
    const Expected* first = place_.current(); // lives while this motion is looked at
    const bool on_path = go_on(seen, done);
    if (on_path) {
        const double wanted = check_feed(seen, *first, done);
        pace_.take(seen, done.silent ? seen.move.seconds : done.wanted, wanted, done.way);
    }
    return on_path;
}

bool ClockedCuts::go_on(const SeenMotion& seen, Done& done)
{
    for (;;) {
        const Expected* item = place_.current();
        if (item == nullptr || item->kind != Expected::Kind::feed) {
            return false;
        }
        states_.check(seen, *item);
        const PathPiece& piece = item->piece;
        const Budget near = near_path(seen, piece);
        const Deviation at_end = deviation_at(piece, 1, seen.to);
        const bool may_end = this->may_end(seen, *item);
        if (may_end && fits(at_end, seen.budget)) {
            follow(seen, *item, done, 1, 1);
            pass(seen, *item, at_end, seen.budget, seen.to);
            return true;
        }
        const double s = piece.project(seen.to, place_.progress.along);
        const Deviation off = deviation_at(piece, s, seen.to);
        if (s < 1 && fits(off, near) && !turns_off(seen, piece.length() * (1 - s), off, near)) {
            follow(seen, *item, done, s, 1);
            stay(seen, s, at_end);
            return true;
        }
        const double u = nearest(seen, done.u, piece.to);
        const Pose there = follower_.pose_at(seen.move, u);
        const Deviation past = deviation_at(piece, 1, there);
        if (may_end && fits(past, near)) {
            follow(seen, *item, done, 1, u);
            pass(seen, *item, past, near, there);
            continue;
        }
        if (s < 1 && CutCheck::is_close(off)) {
            log_.note_between(off, near, *item, seen.move.block);
            surface_.note(*item, s, seen.to, seen.move.block);
            stay(seen, s, at_end);
            return true;
        }
        if (may_end && CutCheck::is_close(past)) {
            pass(seen, *item, past, near, there);
            done.u = u;
            continue;
        }
        return false;
    }
}

/// How far a row may be from a piece wherever the joints do not come to rest.
Budget ClockedCuts::near_path(const SeenMotion& seen, const PathPiece& piece) const
{
    return budget_.between(seen.budget, {false, false, false, false, piece.turn_rate(), false, true});
}

/// The row ends on the cut at hand, which goes on from there.
void ClockedCuts::stay(const SeenMotion& seen, double s, const Deviation& at_end)
{
    place_.progress.along = s;
    place_.progress.block = seen.move.block;
    place_.progress.short_of = at_end;
}

/// Whether a row that ends so far before the end of the cut at hand, and beside it, has gone round the corner there already.
bool ClockedCuts::turns_off(const SeenMotion& seen, double left, const Deviation& off, const Budget& near)
{
    const Expected* next = left < 2 * near.tip ? place_.item(place_.next() + 1) : nullptr;
    if (next == nullptr || next->kind != Expected::Kind::feed) {
        return false;
    }
    const Deviation from_next = deviation_at(next->piece, next->piece.project(seen.to), seen.to);
    return from_next.tip < off.tip;
}

/// Whether a row may lead past the item's end: of a curve that ends near its beginning, not there.
bool ClockedCuts::may_end(const SeenMotion& seen, const Expected& item) const
{
    return !item.piece.curved() || place_.progress.along > 0.5 ||
           item.piece.length() <= 4 * ((seen.to.tip - seen.from.tip).norm() + seen.budget.tip);
}

/// The row up to `u` goes along the item to `s`.
void ClockedCuts::follow(const SeenMotion& seen, const Expected& item, Done& done, double s, double u)
{
    const PathPiece& piece = item.piece;
    const Budget near = near_path(seen, piece);
    const int parts = seen.turn > CutCheck::small_turn || piece.curved() ? 4 : 2;
    Deviation worst;
    double lo = place_.progress.along;
    for (int i = 1; i <= parts; ++i) {
        const Pose pose = i == parts && u == 1 ? seen.to : follower_.pose_at(seen.move, done.u + (u - done.u) * i / parts);
        const double at = piece.project(pose, lo);
        const Deviation off = deviation_at(piece, at, pose);
        worst.tip = std::max(worst.tip, off.tip);
        worst.axis = std::max(worst.axis, off.axis);
        surface_.note(item, at, pose, seen.move.block);
        lo = at < 1 ? at : lo;
    }
    log_.note_between(worst, near, item, seen.move.block);
    const double way = piece.length() * (s - place_.progress.along);
    const double wanted = item.seconds(way, piece.length());
    done.way += way;
    done.wanted += wanted;
    done.silent = done.silent || (way > 0 && wanted <= 0);
    done.u = u;
}

void ClockedCuts::pass(const SeenMotion& seen, const Expected& item, const Deviation& off, const Budget& budget, const Pose& at)
{
    log_.note_at_record(off, budget, item, seen.move.block);
    ++log_.report().compared;
    reached_ = item.piece.to;
    place_.advance(at);
}

bool ClockedCuts::keeps_place(const SeenMotion& seen) const
{
    return reached_ && fits({(seen.to.tip - reached_->tip).norm(), angle_between(seen.to.axis, reached_->axis)}, seen.budget);
}

void ClockedCuts::rest()
{
    pace_.rest();
    reached_.reset();
}

/// Where a row is nearest to a pose, from `from` on.
double ClockedCuts::nearest(const SeenMotion& seen, double from, const Pose& to) const
{
    const auto far = [&](double u) {
        const Pose pose = follower_.pose_at(seen.move, u);
        return (pose.tip - to.tip).norm() + axis_counts * angle_between(pose.axis, to.axis);
    };
    double low = from;
    double high = 1;
    for (int i = 0; i < 40 && high - low > 1e-6; ++i) {
        const double a = low + (high - low) * 0.45;
        const double b = low + (high - low) * 0.55;
        (far(a) < far(b) ? high : low) = far(a) < far(b) ? b : a;
    }
    return low + (high - low) / 2;
}

/// A row is not faster than the feeds along it; PaceCheck knows where it may be slower. The s that it should take, as fast as joints can.
double ClockedCuts::check_feed(const SeenMotion& seen, const Expected& item, const Done& done)
{
    const ReplayMove& m = seen.move;
    if (done.silent) {
        return m.seconds;
    }
    double wanted = done.wanted;
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        const double way = std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]);
        wanted = std::max(wanted, way / task_.machine.joints[i].speed);
    }
    // Between two places of the path the joints go in proportion: the tip is as far along its way as the tolerance allows, no nearer.
    const auto [percent, allowed] =
        CutCheck::feed_misfit(done.way, wanted, m.seconds, m.feed_precision, seen.budget.tip + task_.job.tolerance.tip);
    if (percent > allowed) {
        log_.find(Severity::error, "feed-differs", "",
                  fmt::format("the tool moves at {:.1f} mm/min, the path asks for {:.1f} mm/min", done.way / m.seconds * 60,
                              done.way / wanted * 60),
                  "give the way more rows", &item, m.block, percent);
    }
    return wanted;
}

} // namespace wexilum
