// Links: what may move in rapid, and whether the path's own rapid targets are reached.
#pragma once

#include "core/compare/path_place.hpp"
#include "core/compare/record_check.hpp"

#include <optional>
#include <vector>

namespace wexilum {

class LinkCheck final : public PathCheck {
public:
    /// All must outlive the object.
    LinkCheck(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, RecordCheck& records,
              CompareLog& log);

    /// A rapid, or a feed that stands for one.
    void rapid(const SeenMotion& seen);
    /// The path has gone over to another work: until the joint that retracts is at home, the tool may only leave the one that it was at.
    void leave_work(std::uint32_t work);
    [[nodiscard]] bool leaving() const { return left_.has_value(); }
    /// What a motion does meanwhile, rapid or not.
    void check_leaving(const SeenMotion& seen);
    /// How it may move.
    void check_way(const SeenMotion& seen);
    /// One along the tool: below `level` along `out` its joints must keep the tip on the straight way.
    void check_bent(const SeenMotion& seen, const Vec3& out, double level);
    /// Whether a motion ends at a rapid target of the path that comes next.
    bool match(const SeenMotion& seen);
    /// The target that is waited for is missed.
    void miss();
    [[nodiscard]] bool retracted(const Readings& readings);
    /// The path is over: reports joints that have been left away from home.
    void finish();

    /// Rapids are none of its cuts.
    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& /*common*/, const Expected& /*state*/) const override { return !left_; }

private:
    /// A rapid that does not stay retracted, by the tool.
    struct Way {
        Vec3 out;        ///< of the work
        double rise = 0; ///< mm, along it
        double side = 0; ///< mm, across
    };
    /// Whether an item is of the work that motions are seen from.
    [[nodiscard]] bool of_this_work(const Expected& item) const;
    [[nodiscard]] std::optional<std::size_t> away_joint();
    [[nodiscard]] Vec3 out_of_work(const ReplayMove& move, const Pose& from) const;
    /// The poses are seen from the work.
    [[nodiscard]] Way way_of(std::uint32_t work, const ReplayMove& move, const Pose& from, const Pose& to) const;
    struct Left {
        std::uint32_t work = 0;
        std::optional<double> front; ///< mm: how far the path came along the tool there
    };
    void check_retract(const SeenMotion& seen);
    [[nodiscard]] bool only_retracts(const ReplayMove& move);
    [[nodiscard]] bool comes_home(const ReplayMove& move);
    void check_sideways(const SeenMotion& seen, const Way& way);
    void check_across(const SeenMotion& seen);
    void report_across(const SeenMotion& seen, double low, bool leaves);
    void check_deep(const SeenMotion& seen);
    [[nodiscard]] double deepest_of_path(const Vec3& out, bool blade);
    [[nodiscard]] bool stays_clear(const SeenMotion& seen);
    void check_after_end(const SeenMotion& seen);
    [[nodiscard]] bool goes_out(const SeenMotion& seen);

    const Task& task_;
    const Follower& follower_;
    const BudgetRule& budget_;
    PathPlace& place_;
    RecordCheck& records_;
    std::optional<Left> left_;
    std::vector<BlockNumber> strayed_; ///< by joint: the rapid behind the last record that has left it away from home; 0: none
};

} // namespace wexilum
