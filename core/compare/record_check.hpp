// Records that motions reach: how far off the tool is, and which axis word is wrong where the tool hardly tells, as near a pole.
#pragma once

#include "core/compare/budget.hpp"
#include "core/compare/compare_log.hpp"

#include <optional>

namespace wexilum {

class RecordCheck final : public PathCheck {
public:
    /// All must outlive the object.
    RecordCheck(const Task& task, const Follower& follower, const BudgetRule& budget, CompareLog& log);

    /// A motion with its budget; the rule takes how its words are read.
    [[nodiscard]] SeenMotion see(const Followed& motion, BudgetRule& budget) const;
    /// A motion has ended at a record.
    void reached(const SeenMotion& seen, const Expected& item, const Deviation& deviation);
    /// The words of a motion that ends on the way of an item, at `s` of it (0 to 1), give or take `reach` mm.
    void check_words(const SeenMotion& seen, const Expected& item, double s, double reach);
    /// The block that last moved the joint which is furthest from where `wanted` needs it: the likeliest wrong word. `set_by`: by joint.
    [[nodiscard]] BlockNumber blame(const ReplayMove& move, const std::vector<BlockNumber>& set_by, const InverseSolver& solver,
                                    const Pose& wanted);
    /// The branches of a solver as they were at the record before, for following them.
    [[nodiscard]] BranchFollower& branches_of(const InverseSolver& solver);
    [[nodiscard]] Pose in_work(const Pose& pose) const { return in_work_(pose); }
    [[nodiscard]] bool work_stands_like_part() const { return in_work_.still(); }

    static constexpr double allowed_share = 1.02; ///< of half an increment that a word may be off

    /// Words are followed for many at once where two rotary joints turn under the tool and the linear ones go together.
    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& common, const Expected& state) const override;

private:
    /// mm: half an increment of each rotary joint at its lever.
    [[nodiscard]] double lever_term(const Follower::Chain& chain, const Readings& levers) const;
    [[nodiscard]] std::optional<Readings> exact_readings(const InverseSolver& solver, const Pose& wanted, double tool_length,
                                                         const Readings& near);
    [[nodiscard]] Readings allowed_misfit(const ReplayMove& move, double lever_term) const;
    /// How often more than allowed the words of a motion are off, and of which joint that is so.
    struct Misfit {
        double worst = 0;
        std::size_t joint = 0;
    };
    [[nodiscard]] static Misfit misfit(const InverseSolver& solver, const Readings& stand, const Readings& wanted, const Readings& allowed);
    void report(const SeenMotion& seen, const Expected& item, double s, const Misfit& found);

    const Task& task_;
    const Follower& follower_;
    const BudgetRule& budget_;
    PoseMap in_work_; ///< from the part's frame to the work mount's
    BranchFollower branches_;
    const InverseSolver* followed_ = nullptr; ///< whose branches_ are
};

} // namespace wexilum
