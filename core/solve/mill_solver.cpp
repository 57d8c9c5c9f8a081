#include "core/solve/mill_solver.hpp"

#include "core/machine/machine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
double travel_left(const std::vector<Joint>& joints, const Readings& readings)
{
    double least = 1;
    for (std::size_t i = 0; i < joints.size(); ++i) {
        if (const auto& travel = joints[i].travel; travel && travel->high > travel->low) {
            const double reading = readings[Eigen::Index(i)];
            least = std::min(least, 2 * std::min(reading - travel->low, travel->high - reading) / (travel->high - travel->low));
        }
    }
    return least;
}

Result<MillSolver> MillSolver::make(const Machine& machine, const Posture& posture, std::optional<JointIndex> free)
{
    const auto chain = Kinematics::make(machine, posture);
    const auto solver = chain ? InverseSolver::make(*chain, true, free) : Result<InverseSolver>(chain.error());
    return solver ? MillSolver(machine, *solver) : Result<MillSolver>(solver.error());
}

MillSolver::MillSolver(const Machine& machine, const InverseSolver& solver) : machine_(&machine), solver_(solver)
{
    if (const auto spare = solver.spare()) {
        free_.push_back(*spare);
    }
}

std::vector<Candidate> MillSolver::candidates(const Pose& pose, double tool_length, const Readings& near) const
{
    if (!free_.empty()) {
        const auto& travel = machine_->joints[free_.front().value].travel;
        const double reading = near[Eigen::Index(free_.front().value)];
        if (travel && (reading < travel->low || reading > travel->high)) {
            return {};
        }
    }
    return solver_.within_travel(pose, tool_length, near);
}

std::optional<Candidate> MillSolver::follow(const Pose& pose, double tool_length, const Readings& near) const
{
    const Candidates found = solver_.solve(pose, tool_length, near);
    std::optional<Candidate> out;
    double least = 0;
    for (const Candidate& candidate : found.list) {
        double off = 0;
        for (const JointIndex joint : solver_.settled()) {
            off = std::max(off, std::abs(candidate.readings[Eigen::Index(joint.value)] - near[Eigen::Index(joint.value)]));
        }
        if (!out || off < least) {
            least = off;
            out = candidate;
        }
    }
    return out;
}

OutOfReach MillSolver::why_not(const Pose& pose, double tool_length, const Readings& near) const
{
    const Candidates found = solver_.solve(pose, tool_length, near);
    OutOfReach out;
    if (found.list.empty()) {
        out.missed_by = found.missed_by;
        out.nearest_axis = found.nearest_axis;
        return out;
    }
    for (const Candidate& candidate : found.list) {
        for (const Overtravel& over : overtravels(*machine_, candidate.readings, 1e-9)) {
            if (!out.joint || over.beyond < out.beyond) {
                out.joint = over.joint;
                out.beyond = over.beyond;
            }
        }
    }
    return out;
}

} // namespace wexilum
