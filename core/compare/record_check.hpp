// Records that motions reach: how far off the tool is, and which axis word is wrong where the tool's pose hardly shows it, as near a pole.
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
    [[nodiscard]] Pose in_work(const Pose& pose) const { return in_work_(pose); }
    [[nodiscard]] bool work_stands_like_part() const { return in_work_.still(); }

    static constexpr double allowed_share = 1.02; ///< of half an increment that a word may be off
    /// How far a word may be off by half an increment of its own; a linear one also by the levers of the rotary ones.
    [[nodiscard]] static double allowed_turn(double half) { return half * allowed_share + 1e-9; }
    [[nodiscard]] static double allowed_way(double half, double lever_term)
    {
        return half * allowed_share + (lever_term + BudgetRule::computing_tip);
    }
    /// The whole turns, in rad, that are nearest to a way far below 2^51 of them.
    [[gnu::always_inline]] [[nodiscard]] static double nearest_turns(double way)
    {
        constexpr double digits_end = 6755399441055744.0; // 1.5 * 2^52: adding it leaves no digits behind the point
        return whole_turn * ((way / whole_turn + digits_end) - digits_end);
    }

    /// Words are followed for many at once where two rotary joints turn under the tool and the linear ones go together.
    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& common, const Expected& state) const override;

private:
    [[nodiscard]] std::optional<Readings> exact_readings(const InverseSolver& solver, const Pose& wanted, double tool_length,
                                                         const Readings& near) const;
    [[nodiscard]] Readings allowed_misfit(const ReplayMove& move, double lever_term) const;
    /// Adds what the rounding of a joint to spare asks of the others: they were settled for its exact reading. `exact`: exact_readings().
    void allow_for_spare(const InverseSolver& solver, const Pose& wanted, double tool_length, const Readings& exact,
                         Readings& allowed) const;
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
};

} // namespace wexilum
