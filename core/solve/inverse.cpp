#include "core/solve/inverse.hpp"

#include "core/base/units.hpp"
#include "core/solve/free_joint.hpp"
#include "core/solve/linear_by.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double parallel_axes = 1e-9; // rad
constexpr double least_volume = 1e-3;  // of the box of the three linear directions, below which they lie in a plane

Error unsupported(std::string message, std::string cure) { return {ErrorKind::unsupported, std::move(message), {}, std::move(cure)}; }

Vec3 rotate(const Vec3& axis, double angle, const Vec3& v) { return Eigen::AngleAxisd(angle, axis) * v; }

double across(const Vec3& a, const Vec3& b) { return a.cross(b).norm(); }

/// Whether the linear joints lie in one plane, whatever the rotary ones among them read. `columns`: their directions in the reference
/// posture; `among`: a rotary joint stands between them.
bool in_one_plane(const Kinematics& kinematics, const Mat3& columns, const std::vector<JointIndex>& linear,
                  const std::vector<JointIndex>& rotary, bool among)
{
    bool flat = std::abs(columns.determinant()) < least_volume;
    for (int i = 1; i < 8 && flat && among; ++i) {
        Readings turned = Readings::Zero(Eigen::Index(kinematics.joints().size()));
        for (const JointIndex j : rotary) {
            turned[Eigen::Index(j.value)] = kinematics.joints()[j.value].at + i * pi / 7;
        }
        const auto jacobian = kinematics.tip_jacobian(turned, 0);
        Mat3 there;
        for (int k = 0; k < 3; ++k) {
            there.col(k) = jacobian.col(Eigen::Index(linear[std::size_t(k)].value));
        }
        flat = std::abs(there.determinant()) < least_volume;
    }
    return flat;
}

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

Result<InverseSolver> InverseSolver::make(const Kinematics& kinematics, bool free_about_tool)
{
    InverseSolver out(kinematics);
    if (auto status = out.take_linear(); !status) {
        return status.error();
    }
    if (auto status = out.take_rotary(free_about_tool); !status) {
        return status.error();
    }
    return out;
}

Status InverseSolver::take_linear()
{
    std::vector<std::size_t> before; // the rotary joints in front of each linear link
    const auto& joints = kinematics_.joints();
    for (const auto& link : kinematics_.links()) {
        const Joint& joint = joints[link.joint.value];
        if (joint.kind == JointKind::linear) {
            before.push_back(rotary_index_.size());
            continue;
        }
        rotary_index_.push_back(link.joint);
        rotary_axis_.emplace_back(joint.direction * link.sign);
        if (kinematics_.follows(link.joint)) {
            return unsupported(
                fmt::format("the rotary joint \"{}\" follows others between tool and work: no form is known for that", joint.id),
                "let it have a drive of its own, or hold what it follows");
        }
    }
    for (const JointIndex joint : kinematics_.driving()) {
        if (joints[joint.value].kind == JointKind::linear) {
            linear_.push_back(joint);
        } else if (kinematics_.way_of(joint) != Vec3::Zero()) {
            return unsupported(
                fmt::format("a linear joint between tool and work follows the rotary joint \"{}\": no form is known for that",
                            joints[joint.value].id),
                "let it have a drive of its own, or hold what it follows");
        }
    }
    if (linear_.size() != 3) {
        return unsupported(
            fmt::format("a pose is solved with three linear joints between tool and work, this machine has {}", linear_.size()),
            "lock or leave out joints until three remain");
    }
    Mat3 columns;
    for (Eigen::Index i = 0; i < 3; ++i) {
        columns.col(i) = kinematics_.way_of(linear_[std::size_t(i)]);
        linear_at_[i] = joints[linear_[std::size_t(i)].value].at;
    }
    rotary_before_ = before.front();
    together_ = before.back() == before.front();
    if (in_one_plane(kinematics_, columns, linear_, rotary_index_, !together_)) {
        return unsupported("the three linear joints lie in one plane", "correct their directions");
    }
    if (together_) {
        directions_inverse_ = columns.inverse();
        linear_at_ -= directions_inverse_ * kinematics_.way_at_reference();
    }
    directions_straight_ = columns == Mat3::Identity();
    work_straight_ = kinematics_.work_frame().linear() == Mat3::Identity();
    linear_at_zero_ = linear_at_ == Vec3::Zero();
    return {};
}

Status InverseSolver::take_rotary(bool free_about_tool)
{
    tool_axis_ = kinematics_.tool_frame().linear().col(2);
    if (rotary_axis_.size() > 2) {
        return unsupported(fmt::format("a pose is solved with up to two rotary joints, this machine has {}", rotary_axis_.size()),
                           "lock or leave out rotary joints");
    }
    if (auto status = check_turns(kinematics_, rotary_index_); !status) {
        return status;
    }
    if (rotary_axis_.size() == 2 && across(rotary_axis_[0], rotary_axis_[1]) < parallel_axes) {
        return unsupported("the two rotary joints are parallel", "leave one of them out");
    }
    const bool about_tool = !rotary_axis_.empty() && across(rotary_axis_.back(), tool_axis_) < parallel_axes;
    if (about_tool && free_about_tool && rotary_axis_.size() == 1) {
        free_ = true;
        pole_axis_ = kinematics_.work_frame().linear().transpose() * tool_axis_;
    } else if (about_tool) {
        return unsupported(fmt::format("the rotary joint \"{}\" turns about the tool itself in the reference posture",
                                       kinematics_.joints()[rotary_index_.back().value].id),
                           "leave it out, or correct its direction");
    }
    for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
        const Joint& joint = kinematics_.joints()[rotary_index_[i].value];
        at_[i] = joint.at;
        rotary_point_.push_back(joint.point);
        rotary_along_[i] = coordinate_axis(rotary_axis_[i]);
    }
    if (rotary_axis_.size() == 2) {
        two_ = true;
        two_axes_ = TwoAxes(rotary_axis_[0], rotary_axis_[1], tool_axis_, at_);
        pole_axis_ = kinematics_.work_frame().linear().transpose() * rotary_axis_[0];
        pole_reached_ = {two_axes_.least() < reach_tolerance, two_axes_.most() > pi - reach_tolerance};
    }
    return {};
}

Branches InverseSolver::one_joint(const Vec3& wanted) const
{
    Branches out;
    const Vec3& k = rotary_axis_[0];
    if (free_) {
        const double off = angle_between(wanted, tool_axis_);
        out.count = off > reach_tolerance ? 0 : 1;
        (out.count == 0 ? out.missed_by : out.residual) = off;
        out.nearest_axis = tool_axis_;
        out.turns[0][0] = at_[0];
        out.pole = 0;
        return out;
    }
    const double off = std::abs(angle_between(wanted, k) - angle_between(tool_axis_, k));
    const double alpha = angle_about(k, tool_axis_, wanted);
    if (off > reach_tolerance) {
        out.missed_by = off;
        out.nearest_axis = rotate(k, alpha, tool_axis_);
        return out;
    }
    out.count = 1;
    out.residual = off;
    out.turns[0][0] = at_[0] + alpha;
    return out;
}

Branches InverseSolver::branches(const Vec3& axis) const
{
    const Vec3 wanted = work_straight_ ? axis : Vec3(kinematics_.work_frame().linear() * axis);
    Branches out;
    if (two_) {
        out = two_axes_.branches(wanted);
    } else if (rotary_axis_.size() == 1) {
        out = one_joint(wanted);
    } else {
        const double off = angle_between(wanted, tool_axis_);
        out.count = off > reach_tolerance ? 0 : 1;
        (out.count == 0 ? out.missed_by : out.residual) = off;
        out.nearest_axis = tool_axis_;
    }
    if (out.count == 0) {
        out.nearest_axis = kinematics_.work_frame().linear().transpose() * out.nearest_axis;
    }
    return out;
}

Turns InverseSolver::turns_of(const Readings& readings) const
{
    Turns out{};
    for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
        out[i] = readings[Eigen::Index(rotary_index_[i].value)];
    }
    return out;
}

void InverseSolver::set_turns(Readings& readings, const Turns& turns) const
{
    for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
        readings[Eigen::Index(rotary_index_[i].value)] = turns[i];
    }
}

Vec3 InverseSolver::linear_readings(const Turns& sine, const Turns& cosine, const Vec3& tip, double tool_length) const
{
    const auto out = linear_by<double>(sine, cosine, spread<double>(tip), tool_length);
    return {out[0], out[1], out[2]};
}

Vec3 InverseSolver::linear_readings(const Turns& turns, const Vec3& tip, double tool_length) const
{
    if (together_) {
        Turns sine{};
        Turns cosine{};
        for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
            const double angle = turns[i] - at_[i];
            sine[i] = std::sin(angle);
            cosine[i] = std::cos(angle);
        }
        return linear_readings(sine, cosine, tip, tool_length);
    }
    Readings readings = Readings::Zero(Eigen::Index(kinematics_.joints().size()));
    set_turns(readings, turns);
    const auto jacobian = kinematics_.tip_jacobian(readings, tool_length);
    const Vec3 missing = tip - kinematics_.pose(readings, tool_length).tip;
    Mat3 columns;
    for (int i = 0; i < 3; ++i) {
        columns.col(i) = jacobian.col(Eigen::Index(linear_[std::size_t(i)].value));
    }
    // Where they lie in one plane no reading brings the tip there.
    return std::abs(columns.determinant()) < least_volume ? Vec3::Constant(out_of_reach) : Vec3(columns.inverse() * missing);
}

void InverseSolver::set_linear(Readings& readings, const Vec3& tip, double tool_length) const
{
    const Vec3 linear = linear_readings(turns_of(readings), tip, tool_length);
    for (int i = 0; i < 3; ++i) {
        readings[Eigen::Index(linear_[std::size_t(i)].value)] = linear[i];
    }
}

double InverseSolver::lever_bound(const Vec3& tip, double tool_length) const
{
    if (!together_) {
        return std::numeric_limits<double>::infinity();
    }
    double most = 0;
    // Seen from the work: to a point of the first axis, and on from there, whatever way the joints before have turned.
    Vec3 point = kinematics_.work_frame() * tip;
    double reach = 0;
    for (std::size_t i = 0; i < rotary_before_; ++i) {
        reach += (point - rotary_point_[i]).norm();
        most = std::max(most, reach);
        point = rotary_point_[i];
    }
    // Seen from the tool likewise.
    point = kinematics_.tool_frame().translation() - kinematics_.length_direction() * tool_length;
    reach = 0;
    for (std::size_t i = rotary_index_.size(); i-- > rotary_before_;) {
        reach += (point - rotary_point_[i]).norm();
        most = std::max(most, reach);
        point = rotary_point_[i];
    }
    return most;
}

Candidates InverseSolver::solve(const Pose& pose, double tool_length, const Readings& near) const
{
    Candidates out;
    const Branches found = branches(pose.axis);
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
        for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
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
        const FreeTarget target{pose.tip, tool_length, turns_of(kept.readings)[1]};
        const auto readings = free_readings(*this, std::span(&target, 1), turns_of(kept.readings)[0]);
        for (std::size_t i = 0; readings && i < ((*readings)[0] == (*readings)[1] ? 1 : 2); ++i) {
            Candidate& candidate = list.emplace_back(kept);
            set_turns(candidate.readings, {(*readings)[i], target.second});
            set_linear(candidate.readings, pose.tip, tool_length);
        }
    }
    for (const JointIndex index : rotary_index_) {
        const auto& travel = kinematics_.joints()[index.value].travel;
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
        for (const JointIndex index : linear_) {
            const auto& travel = kinematics_.joints()[index.value].travel;
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
