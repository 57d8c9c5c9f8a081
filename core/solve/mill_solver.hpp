// The closed form of mills as a PathSolver: none, one or two rotary joints, and one more where it is left free.
#pragma once

#include "core/solve/path_solver.hpp"

#include <vector>

namespace wexilum {

class MillSolver final : public PathSolver {
public:
    /// `free`: a rotary joint between tool and work that the choice may set at will, with the posture's other joints as they are. An Error
    /// of kind value where it is none of those, of kind unsupported where the joints that remain have no closed form
    /// (InverseSolver::make()). The machine must outlive the solver.
    static Result<MillSolver> make(const Machine& machine, const Posture& posture, std::optional<JointIndex> free);
    /// Of a closed form that is at hand, its joint to spare being the free one. The machine must outlive the solver.
    MillSolver(const Machine& machine, const InverseSolver& solver);

    [[nodiscard]] const std::vector<Joint>& joints() const override { return machine_->joints; }
    [[nodiscard]] const std::vector<JointIndex>& free_joints() const override { return free_; }
    [[nodiscard]] std::vector<Candidate> candidates(const Pose& pose, double tool_length, const Readings& near) const override;
    [[nodiscard]] std::optional<Candidate> follow(const Pose& pose, double tool_length, const Readings& near) const override;
    [[nodiscard]] OutOfReach why_not(const Pose& pose, double tool_length, const Readings& near) const override;

private:
    const Machine* machine_;
    InverseSolver solver_;
    std::vector<JointIndex> free_; ///< none or one
};

} // namespace wexilum
