// From a pose to readings in closed form, for machines with three independent linear joints and none, one or two rotary
// joints in any directions, with any offsets, wherever in the chain they sit.
// Two rotary joints: second subproblem of Paden and Kahan (Murray, Li, Sastry 1994, section 3.3.2).
#pragma once

#include "core/machine/kinematics.hpp"

#include <string>
#include <vector>

namespace wexilum {

/// A direction closer than this to the reachable ones counts as reached (CL data with six decimals is off by 0.9e-6 rad).
inline constexpr double reach_tolerance = 1e-6; // rad
/// Nearer than this to a direction in which a rotary joint does nothing, a solution is degraded.
inline constexpr double pole_angle = 1e-3; // rad
/// Nearer than this the joint's reading is free, and the one it had is kept.
inline constexpr double pole_free = 1e-9; // rad

enum class Outcome { solved, degraded, unreachable };

struct Candidate {
    Readings readings;
    int branch = 0;
    Outcome outcome = Outcome::solved;
    double residual = 0; ///< rad between the asked and the reached tool axis
    double pole = 10;    ///< rad to the nearest direction in which the first rotary joint does nothing; large without one
};

struct Candidates {
    std::vector<Candidate> list;       ///< none or up to two branches, each at the turns nearest to the given readings
    double missed_by = 0;              ///< rad to the nearest reachable direction, where the list is empty
    Vec3 nearest_axis = Vec3::UnitZ(); ///< that direction, in the work's frame
};

class InverseSolver {
public:
    /// An Error of kind unsupported says which form is missing: not three independent linear joints, more than two rotary
    /// joints, two parallel ones, or one that turns about the tool itself.
    static Result<InverseSolver> make(const Kinematics& kinematics);

    /// All branches that bring the tool to `pose` (work mount's frame, mm). Each rotary reading is taken in the turn nearest to
    /// `near`; where a joint is free its reading of `near` is kept; joints outside the chain keep theirs. Travel is not looked at.
    [[nodiscard]] Candidates solve(const Pose& pose, double tool_length, const Readings& near) const;

    /// The same, spread over every turn inside travel. Rotary joints without end keep the turn nearest to `near`.
    /// Candidates beyond travel in any joint are left out.
    [[nodiscard]] std::vector<Candidate> within_travel(const Pose& pose, double tool_length, const Readings& near) const;

    /// Sets the linear joints of `readings` so that the tip comes to `tip`, rotary readings as they are.
    void set_linear(Readings& readings, const Vec3& tip, double tool_length) const;

    [[nodiscard]] const Kinematics& kinematics() const { return kinematics_; }
    [[nodiscard]] const std::vector<JointIndex>& rotary() const { return rotary_index_; }
    [[nodiscard]] const std::vector<JointIndex>& linear() const { return linear_; }

private:
    explicit InverseSolver(const Kinematics& kinematics) : kinematics_(kinematics) {}
    struct Turn {
        double reading[2] = {0, 0};
        double residual = 0;
        double pole = 10;
        int branch = 0;
    };
    [[nodiscard]] std::vector<Turn> turns(const Vec3& wanted, const Readings& near, Candidates& out) const;
    [[nodiscard]] double reading_near(std::size_t rotary, double angle, double near) const;

    Kinematics kinematics_;
    std::vector<JointIndex> linear_;
    std::vector<JointIndex> rotary_index_; ///< from the work to the tool
    std::vector<Vec3> rotary_axis_;        ///< base frame, reference posture, with the link's sign
    Vec3 tool_axis_ = Vec3::UnitZ();       ///< base frame, reference posture
};

} // namespace wexilum
