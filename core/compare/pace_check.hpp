// Whether cuts whose rows come by a clock take longer than their feed and the joints make necessary.
#pragma once

#include "core/compare/compare_log.hpp"
#include "core/motion/way_timer.hpp"
#include "core/task/task.hpp"

#include <deque>
#include <optional>
#include <vector>

namespace wexilum {

/// Of what the joints can, what rows by a clock have to make use of.
inline constexpr double asked_of_joints = 0.7;

/// A row may be slower than its feed where the joints speed up or slow down, and nowhere else: the rows are timed anew, with 7/10 of what
/// the joints can and a quarter of the job's tolerance at corners, as clocked_rules() has it. What takes longer than that, over a fifth of
/// a second and by more than a twentieth and two intervals, is too slow; what is done in less than feeds and joints ask for is too fast.
class PaceCheck final : public PathCheck, private PieceSink {
public:
    /// All must outlive the check.
    PaceCheck(const Task& task, const Follower& follower, CompareLog& log);

    /// A cut along `way` mm of the path, for which its feed asks `asked` s; the joints need it to take `least` s in all.
    void take(const SeenMotion& seen, double asked, double least, double way);
    /// Nothing goes on from the cut before.
    void rest();

    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& common, const Expected& /*state*/) const override { return !common.by_clock; }

private:
    struct Row {
        BlockNumber block;
        double seconds = 0;
        double least = 0; ///< s
        double way = 0;   ///< mm
        double tip = 0;   ///< mm, of its budget
    };
    void timed(const PieceTime& piece) override;
    void look();

    const Task& task_;
    const Follower& follower_;
    double interval_ = 0; ///< s; 0: rows don't come by a clock
    std::optional<WayTimer> timer_;
    std::deque<Row> rows_; ///< that are on their way through the timer
    // Of the stretch at hand.
    BlockNumber begins_;
    double seconds_ = 0;
    double needed_ = 0; ///< s, with ramps and corners
    double least_ = 0;  ///< s, without
    double way_ = 0;    ///< mm
    double tip_ = 0;    ///< mm: the largest budget
};

/// s: rows of a dwell may be so many more than it asks for; the joints may stand in the last of those before it, and in the first behind.
[[nodiscard]] inline bool dwells_as(const Controller& controller, double wanted, double seconds)
{
    constexpr double most_more = 4; // intervals
    const bool by_clock = controller.table && controller.table->interval > 0;
    return seconds >= wanted - controller.shortest_time() && seconds <= wanted + (by_clock ? most_more : 1) * controller.shortest_time();
}

} // namespace wexilum
