// From a pose to readings in closed form, for machines with three independent linear joints and none, one or two rotary
// joints in any directions, with any offsets, wherever in the chain they sit. One more rotary joint may be to spare: with each of its
// readings the closed form is that of the others, those beyond it turned along.
#pragma once

#include "core/solve/linear_joints.hpp"
#include "core/solve/two_axes.hpp"

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

enum class Outcome { solved, degraded, unreachable };

struct Candidate {
    Readings readings;
    int branch = 0;
    Outcome outcome = Outcome::solved;
    double residual = 0; ///< rad between the asked and the reached tool axis
    double pole = 10;    ///< rad to the nearest direction in which the first rotary joint does nothing (beyond 0.1 its sine); large
                         ///< without one
};

struct Candidates {
    std::vector<Candidate> list;       ///< none or up to two branches, each at the turns nearest to the given readings
    double missed_by = 0;              ///< rad to the nearest reachable direction, where the list is empty
    Vec3 nearest_axis = Vec3::UnitZ(); ///< that direction, in the work's frame
};

/// Whole turns of one rotary joint within its travel, and of two together, at most: each has to be looked at. More than that is an error,
/// as a joint without travel turns endlessly.
inline constexpr double most_turns = 1000;
inline constexpr double most_turns_together = 20000;

class InverseSolver final : public LinearJoints {
public:
    using LinearJoints::linear_readings;

    /// An Error of kind unsupported says which form is missing: not three independent linear joints that drive the chain (with what follows
    /// them), more than two rotary joints, two parallel ones, one that follows others, or one that turns about the tool itself. With
    /// `free_about_tool` a single one may: its reading is then free for every direction of the tool, as in a pole. All that holds for the
    /// joints without the one to `spare`; an Error of kind value where that is not a rotary joint of its own between tool and work.
    static Result<InverseSolver> make(const Kinematics& kinematics, bool free_about_tool = false, std::optional<JointIndex> spare = {});

    /// All branches that bring the tool to `pose` (work mount's frame, mm). Each rotary reading is taken in the turn nearest to
    /// `near`; where a joint is free, or to spare, its reading of `near` is kept; joints outside the chain keep theirs. Travel is not
    /// looked at.
    [[nodiscard]] Candidates solve(const Pose& pose, double tool_length, const Readings& near) const;

    /// The same, spread over every turn inside travel. Rotary joints without end keep the turn nearest to `near`.
    /// Candidates beyond travel in any joint are left out. A free joint takes the nearest readings that leave the others inside theirs.
    [[nodiscard]] std::vector<Candidate> within_travel(const Pose& pose, double tool_length, const Readings& near) const;

    /// The readings of settled() alone for a tool axis (work mount's frame). At a pole the first joint reads as if the tool leaned
    /// in an arbitrary but fixed direction. Precondition: nothing is to spare.
    [[nodiscard]] Branches branches(const Vec3& axis) const;
    /// The same where the joint to spare, if there is one, reads what `near` says. Where it makes the others parallel, or one of them turn
    /// about the tool, no direction is reached.
    [[nodiscard]] Branches branches(const Vec3& axis, const Readings& near) const;

    /// The same for the cuts of a run (work mount's frame) from `first` to before `last`, as far as each has two branches apart from each
    /// other, with their linear joints; how many. The same bits as one by one.
    /// Precondition: has_poles(), linear_together(); last <= run.count.
    std::size_t branches_along(const LinearRun& run, std::size_t first, std::size_t last, double tool_length, BranchRun& out) const;

    /// As LinearJoints::linear_readings(), while the settled joints read `turns` and the one to spare, if there is one, `spare`.
    [[nodiscard]] Vec3 linear_readings(const Turns& turns, const Vec3& tip, double tool_length, double spare = 0) const;
    /// There are two rotary joints and none to spare: the poles below are where they are for good.
    [[nodiscard]] bool has_poles() const { return two_; }
    /// The two directions (work mount's frame) in which the first of two rotary joints does nothing: this one and its opposite.
    /// reaches_pole() says which of them the tool can take at all.
    [[nodiscard]] const Vec3& pole_axis() const { return pole_axis_; }
    [[nodiscard]] bool reaches_pole(bool opposite) const { return two_ && pole_reached_[opposite ? 1 : 0]; }

    /// Those that a direction of the tool settles: all but the one to spare. Turns are in this order.
    [[nodiscard]] const std::vector<JointIndex>& settled() const { return settled_; }
    [[nodiscard]] std::optional<JointIndex> spare() const { return spare_; }
    [[nodiscard]] Turns turns_of(const Readings& readings) const;
    void set_turns(Readings& readings, const Turns& turns) const;

private:
    /// What settles a direction: the settled joints' axes with what they read there, and the tool, in the base frame and in the reference
    /// posture but for the joint to spare.
    struct Axes {
        std::array<Vec3, 2> axis;
        std::array<double, 2> at{};
        Vec3 tool;
    };
    explicit InverseSolver(const Kinematics& kinematics) : LinearJoints(kinematics) {}
    [[nodiscard]] Status settle_rotary(bool free_about_tool, std::optional<JointIndex> spare);
    [[nodiscard]] Status take_spare(JointIndex spare);
    [[nodiscard]] Axes axes_with(double spare) const;
    [[nodiscard]] Branches one_joint(const Axes& axes, const Vec3& wanted) const;
    [[nodiscard]] Branches found_with(const Axes& axes, const Vec3& wanted) const;

    std::vector<JointIndex> settled_;
    std::optional<JointIndex> spare_;
    std::size_t spare_place_ = most_rotary; ///< its place among the rotary ones
    Vec3 tool_axis_ = Vec3::UnitZ();        ///< base frame, reference posture
    bool two_ = false;
    TwoAxes two_axes_;  ///< of two rotary joints
    bool free_ = false; ///< the only settled joint turns about the tool
    Vec3 pole_axis_ = Vec3::UnitZ();
    std::array<bool, 2> pole_reached_{};
};

} // namespace wexilum
