#include "core/solve/mill_solver.hpp"

#include "core/machine/machine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t most_made = 4096;

} // namespace

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
    MillSolver out(machine, posture);
    if (free) {
        const Joint& joint = machine.joints[free->value];
        auto chain = Kinematics::make(machine, posture);
        if (!chain) {
            return chain.error();
        }
        const auto& links = chain->links();
        const bool between = std::any_of(links.begin(), links.end(), [&](const Kinematics::Link& link) { return link.joint == *free; });
        if (joint.kind != JointKind::rotary || !between || chain->follows(*free)) {
            return Error{ErrorKind::value,
                         fmt::format("{} is not a rotary joint of its own between tool and work", joint.id),
                         {},
                         "leave a joint free that turns the tool against the work"};
        }
        out.free_.push_back(*free);
    }
    auto solver = out.closed_form(free ? machine.joints[free->value].home : 0);
    if (!solver) {
        return solver.error();
    }
    return out;
}

Result<InverseSolver> MillSolver::closed_form(double free_reading) const
{
    Posture posture = posture_;
    if (!free_.empty()) {
        posture.held.push_back({free_.front(), free_reading});
    }
    auto kinematics = Kinematics::make(*machine_, posture);
    return kinematics ? InverseSolver::make(*kinematics, true) : Result<InverseSolver>(kinematics.error());
}

/// The closed form with the free joint where `near` has it. It lives until so many others have been made.
const InverseSolver& MillSolver::with(const Readings& near) const
{
    const double key = free_.empty() ? 0 : near[Eigen::Index(free_.front().value)];
    auto found = made_.find(key);
    if (found == made_.end()) {
        if (made_.size() >= most_made) {
            made_.clear();
        }
        found = made_.emplace(key, closed_form(key).value()).first;
    }
    return found->second;
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
    return with(near).within_travel(pose, tool_length, near);
}

std::optional<Candidate> MillSolver::follow(const Pose& pose, double tool_length, const Readings& near) const
{
    const InverseSolver& solver = with(near);
    const Candidates found = solver.solve(pose, tool_length, near);
    std::optional<Candidate> out;
    double least = 0;
    for (const Candidate& candidate : found.list) {
        double off = 0;
        for (const JointIndex joint : solver.rotary()) {
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
    const Candidates found = with(near).solve(pose, tool_length, near);
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
