// How far a correct program may be from the path: docs/budget.md derives each term.
#pragma once

#include "core/control/replay_move.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/machine/kinematics.hpp"
#include "core/task/task.hpp"

#include <span>

namespace wexilum {

class BudgetRule {
public:
    explicit BudgetRule(const Task& task);
    /// How words of a motion are read: the last digit of a length in the units in force. A joint that lengths turn on a cylinder may still
    /// stand where its own word has brought it. Words of joints that are shifted stand on a shift that is a word itself, those of a
    /// called tip on a plane whose zero is words, and were made for another; a rotation may carry the tip further by its own rounding.
    void take(const ReplayMove& move);

    /// At a record: every word is off by half an increment, rotary words at their lever arm.
    /// `levers`: of the rotary joints of the chain (mm).
    [[nodiscard]] Budget at_record(const Kinematics& chain, const Readings& levers) const;
    /// The same for many: the tips' budgets from `first` to before `end` into `tip`; that of the axis, which they have in common.
    double at_records(const Kinematics& chain, const PoseRun& poses, std::size_t first, std::size_t end, Column& tip) const;
    /// mm: half an increment of each rotary joint at its lever, which belongs to every word of a linear one.
    [[nodiscard]] double lever_term(std::span<const JointIndex> turning, const Readings& levers) const;
    void lever_terms(std::span<const JointIndex> turning, const PoseRun& poses, std::size_t first, std::size_t end, Column& out) const;
    /// How a block moves along its piece of the path.
    struct Motion {
        bool rotary_moves = false; ///< joints in proportion are not the great circle
        bool lines_for_arc = false;
        bool arc_by_centre = false;
        bool arc_by_radius = false;
        double axis_rate = 0;     ///< rad of axis turn per mm of path
        bool tip_on_line = false; ///< the control itself keeps the tip on its line
        bool by_clock = false;    ///< it begins and ends where an interval does, and goes past the ends of records
    };
    /// Between records: the same, with the job's tolerance where rotary joints move or lines stand for an arc, with the
    /// rounding of centre or radius along an arc, and with the turn of the axis over the uncertainty of the place. Of rows that come by a
    /// clock it is the budget at records too, but for those where they stand still.
    [[nodiscard]] Budget between(const Budget& at_record, const Motion& motion) const;
    /// At a block's end that is not a record's: the place along the way is free within the tip's budget.
    [[nodiscard]] static Budget on_way(const Budget& at_record, double axis_rate);
    /// Half an increment of a joint's word, mm or rad; 0 for a joint that has none.
    [[nodiscard]] double half_increment(std::size_t joint) const { return half_[joint]; }
    [[nodiscard]] double length_increment() const { return length_increment_; }

    static constexpr double computing_tip = 1e-5;  ///< mm: arithmetic
    static constexpr double computing_axis = 1e-6; ///< rad: what the solver counts as reached

private:
    void set_length_increment(double mm);
    void take_followers();
    [[nodiscard]] bool follows(const Kinematics& kinematics, JointIndex joint) const;
    template <typename T, typename Lever>
    [[nodiscard]] T tip_at_record(const Kinematics& chain, const Lever& lever) const;
    template <typename T, typename Lever>
    [[nodiscard]] T sum_of_levers(std::span<const JointIndex> turning, const Lever& lever) const;
    [[nodiscard]] double axis_at_record(const Kinematics& chain) const;

    const Task& task_;
    std::vector<double> half_;
    double length_increment_ = 0;
    double slack_ = 0;
};

} // namespace wexilum
