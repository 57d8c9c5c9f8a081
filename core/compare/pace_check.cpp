#include "core/compare/pace_check.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

constexpr double share_of_tolerance = 0.25;
constexpr double stretch = 0.2; // s
constexpr double slower = 1.05;
constexpr double intervals_more = 2;
constexpr double shortest_way = 0.05; // mm

} // namespace

PaceCheck::PaceCheck(const Task& task, const Follower& follower, CompareLog& log) : PathCheck(log), task_(task), follower_(follower)
{
    const auto& table = task.controller.table;
    interval_ = table ? table->interval : 0;
    if (interval_ > 0) {
        const Tolerance& tolerance = task.job.tolerance;
        timer_.emplace(clocked_rules(task.machine, interval_, {tolerance.tip * share_of_tolerance, tolerance.axis * share_of_tolerance},
                                     asked_of_joints),
                       static_cast<PieceSink&>(*this));
    }
}

void PaceCheck::take(const SeenMotion& seen, double asked, double least, double way_along)
{
    if (!timer_) {
        return;
    }
    const ReplayMove& move = seen.move;
    const auto rates = follower_.chain(move.mount).kinematics.jacobian(move.to, move.tool_length);
    const Readings way = move.to - move.from;
    rows_.push_back({move.block, move.seconds, least, way_along, seen.budget.tip});
    WayPiece piece;
    piece.way = way.data();
    piece.asked = asked;
    piece.tool = rates.data();
    timer_->add(piece);
}

void PaceCheck::timed(const PieceTime& piece)
{
    const Row row = rows_.front();
    rows_.pop_front();
    begins_ = seconds_ > 0 ? begins_ : row.block;
    seconds_ += row.seconds;
    needed_ += piece.seconds;
    least_ += row.least;
    way_ += row.way;
    tip_ = std::max(tip_, row.tip);
    if (seconds_ >= stretch) {
        look();
    }
}

void PaceCheck::look()
{
    if (seconds_ > slower * needed_ + intervals_more * interval_) {
        log_.find(Severity::error, "feed-differs", "slow",
                  fmt::format("the rows from here on take {:.3f} s where feed and joints ask for {:.3f} s", seconds_, needed_),
                  "let the rows go at the path's feed, slower only where joints speed up or slow down", nullptr, begins_,
                  100 * (seconds_ / std::max(needed_, interval_) - 1));
    }
    const double percent = seconds_ > 0 ? 100 * (least_ / seconds_ - 1) : 0;
    const double allowed = feed_tolerance_percent + 200 * (tip_ + task_.job.tolerance.tip) / std::max(way_, shortest_way);
    log_.report().note_feed(percent, allowed);
    if (percent > allowed && way_ > shortest_way) {
        log_.find(Severity::error, "feed-differs", "fast",
                  fmt::format("the rows from here on take {:.3f} s where the feed asks for {:.3f} s", seconds_, least_),
                  "give the way more rows", nullptr, begins_, percent);
    }
    seconds_ = needed_ = least_ = way_ = tip_ = 0;
}

void PaceCheck::rest()
{
    if (timer_) {
        timer_->stop();
        look();
    }
}

} // namespace wexilum
