#include "core/solve/linear_joints.hpp"

#include "core/solve/linear_by.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double least_volume = 1e-3; // of the box of the three linear directions, below which they lie in a plane

Error no_form(std::string message, std::string cure) { return {ErrorKind::unsupported, std::move(message), {}, std::move(cure)}; }

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

} // namespace

Status LinearJoints::take_joints()
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
            return no_form(fmt::format("the rotary joint \"{}\" follows others between tool and work: no form is known for that", joint.id),
                           "let it have a drive of its own, or hold what it follows");
        }
    }
    for (const JointIndex joint : kinematics_.driving()) {
        if (joints[joint.value].kind == JointKind::linear) {
            linear_.push_back(joint);
        } else if (kinematics_.way_of(joint) != Vec3::Zero()) {
            return no_form(fmt::format("a linear joint between tool and work follows the rotary joint \"{}\": no form is known for that",
                                       joints[joint.value].id),
                           "let it have a drive of its own, or hold what it follows");
        }
    }
    if (linear_.size() != 3) {
        return no_form(fmt::format("a pose is solved with three linear joints between tool and work, this machine has {}", linear_.size()),
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
        return no_form("the three linear joints lie in one plane", "correct their directions");
    }
    if (together_) {
        directions_inverse_ = columns.inverse();
        linear_at_ -= directions_inverse_ * kinematics_.way_at_reference();
    }
    directions_straight_ = columns == Mat3::Identity();
    work_straight_ = kinematics_.work_frame().linear() == Mat3::Identity();
    linear_at_zero_ = linear_at_ == Vec3::Zero();
    return take_rotary_joints();
}

Status LinearJoints::take_rotary_joints()
{
    if (rotary_index_.size() > most_rotary) {
        return no_form(fmt::format("a pose is solved with up to two rotary joints, this machine has {}", rotary_index_.size()),
                       "lock or leave out rotary joints");
    }
    for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
        const Joint& joint = kinematics_.joints()[rotary_index_[i].value];
        at_[i] = joint.at;
        rotary_point_.push_back(joint.point);
        rotary_along_[i] = coordinate_axis(rotary_axis_[i]);
    }
    return {};
}

void LinearJoints::take_rotary(Readings& to, const Readings& from) const
{
    for (const JointIndex joint : rotary_index_) {
        to[Eigen::Index(joint.value)] = from[Eigen::Index(joint.value)];
    }
}

double LinearJoints::turn_between(const Readings& from, const Readings& to) const
{
    double out = 0;
    for (const JointIndex joint : rotary_index_) {
        out += std::abs(to[Eigen::Index(joint.value)] - from[Eigen::Index(joint.value)]);
    }
    return out;
}

Vec3 LinearJoints::linear_readings(const Turns& sine, const Turns& cosine, const Vec3& tip, double tool_length) const
{
    const auto out = linear_by<double>(sine, cosine, spread<double>(tip), tool_length);
    return {out[0], out[1], out[2]};
}

Vec3 LinearJoints::linear_readings(const RotaryParts& sine, const RotaryParts& cosine, const Vec3& tip, double tool_length) const
{
    const auto out = linear_by<double>(sine, cosine, spread<double>(tip), tool_length);
    return {out[0], out[1], out[2]};
}

Vec3 LinearJoints::linear_readings(const Readings& readings, const Vec3& tip, double tool_length) const
{
    if (together_) {
        RotaryParts sine{};
        RotaryParts cosine{};
        for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
            const double angle = readings[Eigen::Index(rotary_index_[i].value)] - at_[i];
            sine[i] = std::sin(angle);
            cosine[i] = std::cos(angle);
        }
        return linear_readings(sine, cosine, tip, tool_length);
    }
    Readings turned = Readings::Zero(Eigen::Index(kinematics_.joints().size()));
    take_rotary(turned, readings);
    const auto jacobian = kinematics_.tip_jacobian(turned, tool_length);
    const Vec3 missing = tip - kinematics_.pose(turned, tool_length).tip;
    Mat3 columns;
    for (int i = 0; i < 3; ++i) {
        columns.col(i) = jacobian.col(Eigen::Index(linear_[std::size_t(i)].value));
    }
    // Where they lie in one plane no reading brings the tip there.
    return std::abs(columns.determinant()) < least_volume ? Vec3::Constant(out_of_reach) : Vec3(columns.inverse() * missing);
}

void LinearJoints::set_linear(Readings& readings, const Vec3& tip, double tool_length) const
{
    const Vec3 linear = linear_readings(readings, tip, tool_length);
    for (int i = 0; i < 3; ++i) {
        readings[Eigen::Index(linear_[std::size_t(i)].value)] = linear[i];
    }
}

double LinearJoints::lever_bound(const Vec3& tip, double tool_length) const
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

} // namespace wexilum
