#include "core/solve/inverse.hpp"

#include "core/base/units.hpp"
#include "core/solve/free_joint.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double parallel_axes = 1e-9; // rad
constexpr double generic_turn = 0.7;   // rad: of the joint to spare, where axes are looked at that it carries

Error unsupported(std::string message, std::string cure) { return {ErrorKind::unsupported, std::move(message), {}, std::move(cure)}; }

Vec3 rotate(const Vec3& axis, double angle, const Vec3& v) { return Eigen::AngleAxisd(angle, axis) * v; }

double across(const Vec3& a, const Vec3& b) { return a.cross(b).norm(); }

Status check_turns(const Kinematics& kinematics, const std::vector<JointIndex>& rotary)
{
    double together = 1;
    for (const JointIndex j : rotary) {
        const Joint& joint = kinematics.joints()[j.value];
        const double turns = joint.travel ? std::max(1.0, (joint.travel->high - joint.travel->low) / (2 * pi)) : 1;
        together *= turns;
        if (turns > most_turns || together > most_turns_together) {
            return unsupported(fmt::format("the travel of \"{}\" has {:.0f} turns{}, more than are looked at", joint.id, turns,
                                           turns > most_turns ? "" : fmt::format(", {:.0f} with those of the joint before it", together)),
                               "leave \"travel\" out where the joint turns endlessly, or state less");
        }
    }
    return {};
}

} // namespace

Result<InverseSolver> InverseSolver::make(const Kinematics& kinematics, bool free_about_tool, std::optional<JointIndex> spare)
{
    InverseSolver out(kinematics);
    if (auto status = out.take_joints(); !status) {
        return status.error();
    }
    if (auto status = out.settle_rotary(free_about_tool, spare); !status) {
        return status.error();
    }
    return out;
}

Status InverseSolver::take_spare(JointIndex spare)
{
    const auto found = std::find(rotary().begin(), rotary().end(), spare);
    if (found == rotary().end()) {
        return Error{ErrorKind::value,
                     fmt::format("{} is not a rotary joint of its own between tool and work", kinematics().joints()[spare.value].id),
                     {},
                     "leave a joint free that turns the tool against the work"};
    }
    spare_ = spare;
    spare_place_ = std::size_t(found - rotary().begin());
    settled_.erase(settled_.begin() + std::ptrdiff_t(spare_place_));
    return {};
}

Status InverseSolver::settle_rotary(bool free_about_tool, std::optional<JointIndex> spare)
{
    tool_axis_ = kinematics().tool_frame().linear().col(2);
    settled_ = rotary();
    if (spare) {
        if (auto status = take_spare(*spare); !status) {
            return status;
        }
    }
    if (settled_.size() > 2) {
        return unsupported(fmt::format("a pose is solved with up to two rotary joints, this machine has {}", rotary().size()),
                           "lock or leave out rotary joints");
    }
    if (auto status = check_turns(kinematics(), settled_); !status) {
        return status;
    }
    const Axes axes = axes_with(spare_ ? rotary_reference(spare_place_) + generic_turn : 0);
    if (settled_.size() == 2 && across(axes.axis[0], axes.axis[1]) < parallel_axes) {
        return unsupported("the two rotary joints are parallel", "leave one of them out");
    }
    const bool about_tool = !settled_.empty() && across(axes.axis[settled_.size() - 1], axes.tool) < parallel_axes;
    if (about_tool && free_about_tool && settled_.size() == 1) {
        free_ = true;
        pole_axis_ = kinematics().work_frame().linear().transpose() * axes.tool;
    } else if (about_tool) {
        return unsupported(fmt::format("the rotary joint \"{}\" turns about the tool itself in the reference posture",
                                       kinematics().joints()[settled_.back().value].id),
                           "leave it out, or correct its direction");
    }
    if (settled_.size() == 2 && !spare_) {
        two_ = true;
        two_axes_ = TwoAxes(rotary_axis(0), rotary_axis(1), tool_axis_, {rotary_reference(0), rotary_reference(1)});
        pole_axis_ = kinematics().work_frame().linear().transpose() * rotary_axis(0);
        pole_reached_ = {two_axes_.least() < reach_tolerance, two_axes_.most() > pi - reach_tolerance};
    }
    return {};
}

/// What is beyond the joint to spare is turned along: R_i S R_j t = R_i (S R_j S^-1) (S t).
InverseSolver::Axes InverseSolver::axes_with(double spare) const
{
    Axes out{{Vec3::UnitZ(), Vec3::UnitZ()}, {}, tool_axis_};
    const Mat3 turned = spare_ ? Eigen::AngleAxisd(spare - rotary_reference(spare_place_), rotary_axis(spare_place_)).toRotationMatrix()
                               : Mat3(Mat3::Identity());
    std::size_t place = 0;
    for (std::size_t i = 0; i < rotary().size(); ++i) {
        if (i == spare_place_ || place >= out.axis.size()) {
            continue;
        }
        out.axis[place] = spare_ && i > spare_place_ ? Vec3(turned * rotary_axis(i)) : rotary_axis(i);
        out.at[place++] = rotary_reference(i);
    }
    out.tool = spare_ ? Vec3(turned * tool_axis_) : tool_axis_;
    return out;
}

Branches InverseSolver::one_joint(const Axes& axes, const Vec3& wanted) const
{
    Branches out;
    const Vec3& k = axes.axis[0];
    if (free_) {
        const double off = angle_between(wanted, axes.tool);
        out.count = off > reach_tolerance ? 0 : 1;
        (out.count == 0 ? out.missed_by : out.residual) = off;
        out.nearest_axis = axes.tool;
        out.turns[0][0] = axes.at[0];
        out.pole = 0;
        return out;
    }
    const double off = std::abs(angle_between(wanted, k) - angle_between(axes.tool, k));
    const double alpha = angle_about(k, axes.tool, wanted);
    if (off > reach_tolerance) {
        out.missed_by = off;
        out.nearest_axis = rotate(k, alpha, axes.tool);
        return out;
    }
    out.count = 1;
    out.residual = off;
    out.turns[0][0] = axes.at[0] + alpha;
    return out;
}

/// The branches of up to two joints for a direction in the base frame; the nearest direction in that frame too.
Branches InverseSolver::found_with(const Axes& axes, const Vec3& wanted) const
{
    Branches out;
    if (settled_.size() == 1) {
        out = one_joint(axes, wanted);
    } else if (settled_.empty()) {
        const double off = angle_between(wanted, axes.tool);
        out.count = off > reach_tolerance ? 0 : 1;
        (out.count == 0 ? out.missed_by : out.residual) = off;
        out.nearest_axis = axes.tool;
    } else if (across(axes.axis[0], axes.axis[1]) < parallel_axes || across(axes.axis[1], axes.tool) < parallel_axes) {
        out = one_joint(axes, wanted); // which the second does nothing to
        out.missed_by = std::max({out.missed_by, out.residual, reach_tolerance});
        out.nearest_axis = out.count > 0 ? wanted : out.nearest_axis;
        out.count = 0;
    } else {
        out = TwoAxes(axes.axis[0], axes.axis[1], axes.tool, {axes.at[0], axes.at[1]}).branches(wanted);
    }
    return out;
}

Branches InverseSolver::branches(const Vec3& axis) const
{
    const Vec3 wanted = in_base(axis);
    Branches out = two_ ? two_axes_.branches(wanted) : found_with(axes_with(0), wanted);
    if (out.count == 0) {
        out.nearest_axis = kinematics().work_frame().linear().transpose() * out.nearest_axis;
    }
    return out;
}

Branches InverseSolver::branches(const Vec3& axis, const Readings& near) const
{
    if (!spare_) {
        return branches(axis);
    }
    Branches out = found_with(axes_with(near[Eigen::Index(spare_->value)]), kinematics().work_frame().linear() * axis);
    out.nearest_axis = kinematics().work_frame().linear().transpose() * out.nearest_axis;
    return out;
}

Turns InverseSolver::turns_of(const Readings& readings) const
{
    Turns out{};
    for (std::size_t i = 0; i < settled_.size(); ++i) {
        out[i] = readings[Eigen::Index(settled_[i].value)];
    }
    return out;
}

void InverseSolver::set_turns(Readings& readings, const Turns& turns) const
{
    for (std::size_t i = 0; i < settled_.size(); ++i) {
        readings[Eigen::Index(settled_[i].value)] = turns[i];
    }
}

Vec3 InverseSolver::linear_readings(const Turns& turns, const Vec3& tip, double tool_length, double spare) const
{
    Readings readings = Readings::Zero(Eigen::Index(kinematics().joints().size()));
    set_turns(readings, turns);
    if (spare_) {
        readings[Eigen::Index(spare_->value)] = spare;
    }
    return linear_readings(readings, tip, tool_length);
}

Candidates InverseSolver::solve(const Pose& pose, double tool_length, const Readings& near) const
{
    Candidates out;
    const Branches found = branches(pose.axis, near);
    out.missed_by = found.missed_by;
    out.nearest_axis = found.nearest_axis;
    const Turns kept = turns_of(near);
    for (int branch = 0; branch < found.count; ++branch) {
        Candidate candidate;
        candidate.readings = near;
        candidate.branch = branch;
        candidate.residual = found.pole < pole_free ? std::max(found.residual, found.pole) : found.residual;
        candidate.pole = found.pole;
        Turns turns = found.turns[std::size_t(branch)];
        for (std::size_t i = 0; i < settled_.size(); ++i) {
            turns[i] += 2 * pi * std::round((kept[i] - turns[i]) / (2 * pi));
        }
        if (found.pole < pole_free) {
            turns[0] = kept[0];
        }
        set_turns(candidate.readings, turns);
        set_linear(candidate.readings, pose.tip, tool_length);
        candidate.outcome = found.pole < pole_angle || found.residual > 1e-9 ? Outcome::degraded : Outcome::solved;
        out.list.push_back(std::move(candidate));
        if (found.pole < pole_free && branch == 0) {
            break; // both branches are one
        }
    }
    return out;
}

std::vector<Candidate> InverseSolver::within_travel(const Pose& pose, double tool_length, const Readings& near) const
{
    constexpr double slack = 1e-9;
    std::vector<Candidate> list = solve(pose, tool_length, near).list;
    if (!list.empty() && list.front().pole < pole_free) {
        const Candidate kept = list.front();
        list.clear();
        const double spare = spare_ ? near[Eigen::Index(spare_->value)] : 0;
        const FreeTarget target{pose.tip, tool_length, turns_of(kept.readings)[1], spare};
        const auto readings = free_readings(*this, std::span(&target, 1), turns_of(kept.readings)[0]);
        for (std::size_t i = 0; readings && i < ((*readings)[0] == (*readings)[1] ? 1 : 2); ++i) {
            Candidate& candidate = list.emplace_back(kept);
            set_turns(candidate.readings, {(*readings)[i], target.second});
            set_linear(candidate.readings, pose.tip, tool_length);
        }
    }
    for (const JointIndex index : settled_) {
        const auto& travel = kinematics().joints()[index.value].travel;
        if (!travel) {
            continue;
        }
        std::vector<Candidate> spread;
        for (const Candidate& candidate : list) {
            const double reading = candidate.readings[Eigen::Index(index.value)];
            const double lowest = reading - 2 * pi * std::floor((reading - travel->low + slack) / (2 * pi));
            const int turns = int(std::floor((travel->high + slack - lowest) / (2 * pi)));
            for (int turn = 0; turn <= turns; ++turn) {
                spread.push_back(candidate);
                spread.back().readings[Eigen::Index(index.value)] = lowest + 2 * pi * turn;
            }
        }
        list = std::move(spread);
    }
    std::erase_if(list, [&](const Candidate& c) {
        for (const JointIndex index : linear()) {
            const auto& travel = kinematics().joints()[index.value].travel;
            const double reading = c.readings[Eigen::Index(index.value)];
            if (travel && (reading < travel->low - slack || reading > travel->high + slack)) {
                return true;
            }
        }
        return false;
    });
    return list;
}

} // namespace wexilum
