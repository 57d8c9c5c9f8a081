#include "core/solve/inverse.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double parallel = 1e-9;     // rad
constexpr double at_the_edge = 1e-13; // rad

Error unsupported(std::string message, std::string cure) { return {ErrorKind::unsupported, std::move(message), {}, std::move(cure)}; }

Vec3 rotate(const Vec3& axis, double angle, const Vec3& v) { return Eigen::AngleAxisd(angle, axis) * v; }

/// `v` turned about the unit vector `k` by the angle whose sine and cosine are given (Rodrigues).
[[gnu::always_inline]] inline Vec3 turned(const Vec3& k, double sine, double cosine, const Vec3& v)
{
    return v * cosine + k.cross(v) * sine + k * (k.dot(v) * (1 - cosine));
}

double across(const Vec3& a, const Vec3& b) { return a.cross(b).norm(); }

} // namespace

Result<InverseSolver> InverseSolver::make(const Kinematics& kinematics)
{
    InverseSolver out(kinematics);
    out.tool_axis_ = kinematics.tool_frame().linear().col(2);
    std::array<std::size_t, max_joints> before{};
    for (const auto& link : kinematics.links()) {
        const Joint& joint = kinematics.joints()[link.joint.value];
        if (joint.kind == JointKind::linear) {
            before[out.linear_.size()] = out.rotary_index_.size();
            out.linear_.push_back(link.joint);
        } else {
            out.rotary_index_.push_back(link.joint);
            out.rotary_axis_.emplace_back(joint.direction * link.sign);
        }
    }
    if (out.linear_.size() != 3) {
        return unsupported(
            fmt::format("a pose is solved with three linear joints between tool and work, this machine has {}", out.linear_.size()),
            "lock or leave out joints until three remain");
    }
    Mat3 columns;
    int column = 0;
    for (const auto& link : kinematics.links()) {
        const Joint& joint = kinematics.joints()[link.joint.value];
        if (joint.kind == JointKind::linear) {
            columns.col(column++) = joint.direction * link.sign;
        }
    }
    if (std::abs(columns.determinant()) < 1e-3) {
        return unsupported("the three linear joints lie in one plane", "correct their directions");
    }
    if (out.rotary_axis_.size() > 2) {
        return unsupported(fmt::format("a pose is solved with up to two rotary joints, this machine has {}", out.rotary_axis_.size()),
                           "lock or leave out rotary joints");
    }
    if (out.rotary_axis_.size() == 2 && across(out.rotary_axis_[0], out.rotary_axis_[1]) < parallel) {
        return unsupported("the two rotary joints are parallel", "leave one of them out");
    }
    if (!out.rotary_axis_.empty() && across(out.rotary_axis_.back(), out.tool_axis_) < parallel) {
        return unsupported(fmt::format("the rotary joint \"{}\" turns about the tool itself in the reference posture",
                                       kinematics.joints()[out.rotary_index_.back().value].id),
                           "leave it out, or correct its direction");
    }
    out.rotary_before_ = before[0];
    out.together_ = before[1] == before[0] && before[2] == before[0];
    out.directions_inverse_ = columns.inverse();
    out.directions_straight_ = columns == Mat3::Identity();
    out.work_straight_ = kinematics.work_frame().linear() == Mat3::Identity();
    for (int i = 0; i < 3; ++i) {
        out.linear_at_[i] = kinematics.joints()[out.linear_[std::size_t(i)].value].at;
    }
    for (std::size_t i = 0; i < out.rotary_index_.size(); ++i) {
        out.at_[i] = kinematics.joints()[out.rotary_index_[i].value].at;
        out.rotary_point_.push_back(kinematics.joints()[out.rotary_index_[i].value].point);
        Eigen::Index along = 0;
        const double most = out.rotary_axis_[i].cwiseAbs().maxCoeff(&along);
        out.rotary_along_[i] = most == 1 ? int(along) : -1;
    }
    if (out.rotary_axis_.size() == 2) {
        out.prepare_two();
    }
    return out;
}

void InverseSolver::prepare_two()
{
    two_ = true;
    const Vec3& k1 = rotary_axis_[0];
    const Vec3& k2 = rotary_axis_[1];
    const Vec3 n = k1.cross(k2);
    f1_ = n.normalized();
    e1_ = f1_.cross(k1);
    const Vec3 f2 = -f1_;
    const Vec3 e2 = f2.cross(k2);
    c12_ = k1.dot(k2);
    p2_ = tool_axis_.dot(k2);
    across_ = n.squaredNorm();
    tool_turn_ = std::atan2(tool_axis_.dot(f2), tool_axis_.dot(e2));
    tool_sine_ = std::sin(tool_turn_);
    tool_cosine_ = std::cos(tool_turn_);
    const double between = angle_between(k1, k2);
    const double opening = angle_between(tool_axis_, k2);
    least_ = std::abs(between - opening);
    most_ = pi - std::abs(pi - (between + opening));
    pole_axis_ = kinematics_.work_frame().linear().transpose() * k1;
    pole_reached_ = {least_<reach_tolerance, most_> pi - reach_tolerance};
}

Branches InverseSolver::one_joint(const Vec3& wanted) const
{
    Branches out;
    const Vec3& k = rotary_axis_[0];
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

// wanted = Rot(k1, alpha) Rot(k2, beta) t0. With v = Rot(k2, beta) t0: v.k2 = t0.k2 and v.k1 = wanted.k1, so that
// v = a k1 + b k2 +- c (k1 x k2). Seen from e2 about k2, v stands at -+ atan2(c, a); from e1 about k1, at +- atan2(c, b).
Branches InverseSolver::two_joints(const Vec3& wanted) const
{
    Branches out;
    double p1 = wanted.dot(rotary_axis_[0]);
    double a = (p1 - c12_ * p2_) / across_;
    double b = (p2_ - c12_ * p1) / across_;
    double square = (1 - (a * a + b * b + 2 * a * b * c12_)) / across_;
    if (square < 1e-9) { // near the edge of what can be reached, or at a pole
        const double asked = angle_between(wanted, rotary_axis_[0]);
        double held = std::clamp(asked, least_, most_);
        out.residual = std::abs(asked - held);
        if (out.residual > reach_tolerance) {
            out.missed_by = out.residual;
            Vec3 hinge = rotary_axis_[0].cross(wanted);
            if (hinge.norm() < parallel) {
                hinge = any_across(rotary_axis_[0]);
            }
            out.nearest_axis = rotate(hinge.normalized(), held, rotary_axis_[0]);
            return out;
        }
        // On the edge itself the branches meet; the last bits of the direction must not keep them a root apart.
        held = held - least_ < at_the_edge ? least_ : most_ - held < at_the_edge ? most_ : held;
        if (held == least_ || held == most_) {
            p1 = std::cos(held);
            a = (p1 - c12_ * p2_) / across_;
            b = (p2_ - c12_ * p1) / across_;
            square = 0;
        }
    }
    const double c = std::sqrt(std::max(0.0, square));
    const double x = std::atan2(c, a);
    const double y = b == 0 ? (c > 0 ? pi / 2 : 0) : std::atan2(c, b); // axes at right angles need no arc tangent
    const double u = wanted.dot(e1_);
    const double v = wanted.dot(f1_);
    const double flank = std::sqrt(u * u + v * v);
    out.pole = flank < 0.1 ? std::atan2(flank, std::abs(p1)) : flank;
    const double phi = flank < 1e-15 ? 0 : std::atan2(v, u);
    out.turns[0] = {at_[0] + phi - y, at_[1] - x - tool_turn_};
    out.turns[1] = {at_[0] + phi + y, at_[1] + x - tool_turn_};
    // Sums and differences of the angles above, by their sines.
    const double flank_inverse = flank < 1e-15 ? 0 : 1 / flank;
    const double sine_phi = v * flank_inverse;
    const double cosine_phi = flank < 1e-15 ? 1 : u * flank_inverse;
    const double by = b * b + c * c;
    const double bx = a * a + c * c;
    const double y_inverse = by > 0 ? 1 / std::sqrt(by) : 0;
    const double x_inverse = bx > 0 ? 1 / std::sqrt(bx) : 0;
    const double sine_y = c * y_inverse;
    const double cosine_y = by > 0 ? b * y_inverse : 1;
    const double sine_x = c * x_inverse;
    const double cosine_x = bx > 0 ? a * x_inverse : 1;
    out.sine[0] = {sine_phi * cosine_y - cosine_phi * sine_y, -sine_x * tool_cosine_ - cosine_x * tool_sine_};
    out.cosine[0] = {cosine_phi * cosine_y + sine_phi * sine_y, cosine_x * tool_cosine_ - sine_x * tool_sine_};
    out.sine[1] = {sine_phi * cosine_y + cosine_phi * sine_y, sine_x * tool_cosine_ - cosine_x * tool_sine_};
    out.cosine[1] = {cosine_phi * cosine_y - sine_phi * sine_y, cosine_x * tool_cosine_ + sine_x * tool_sine_};
    out.count = c > 1e-12 || out.pole < pole_free ? 2 : 1;
    return out;
}

Branches InverseSolver::branches(const Vec3& axis) const
{
    const Vec3 wanted = kinematics_.work_frame().linear() * axis;
    Branches out;
    if (two_) {
        out = two_joints(wanted);
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

[[gnu::always_inline]] inline void InverseSolver::turn_about(std::size_t rotary, double sine, double cosine, Vec3& point) const
{
    const Vec3 arm = point - rotary_point_[rotary];
    const auto in_plane = [&](int along, int u, int v) __attribute__((always_inline))
    {
        const double s = rotary_axis_[rotary][along] * sine;
        point[u] = rotary_point_[rotary][u] + arm[u] * cosine - arm[v] * s;
        point[v] = rotary_point_[rotary][v] + arm[v] * cosine + arm[u] * s;
    };
    switch (rotary_along_[rotary]) { // a coordinate axis, as on nearly every machine
    case 0: in_plane(0, 1, 2); return;
    case 1: in_plane(1, 2, 0); return;
    case 2: in_plane(2, 0, 1); return;
    default: break;
    }
    point = rotary_point_[rotary] + turned(rotary_axis_[rotary], sine, cosine, arm);
}

Vec3 InverseSolver::linear_by(const Turns& sine, const Turns& cosine, const Vec3& tip, double tool_length) const
{
    // Bring the wanted tip and the tool's own tip to the linear joints from both sides; what is between them is their way.
    Vec3 wanted = kinematics_.work_frame().translation();
    if (work_straight_) {
        wanted += tip;
    } else {
        wanted += kinematics_.work_frame().linear() * tip;
    }
    Vec3 tool = kinematics_.tool_frame().translation() - tool_axis_ * tool_length;
    for (std::size_t i = 0; i < rotary_before_; ++i) {
        turn_about(i, -sine[i], cosine[i], wanted);
    }
    for (std::size_t i = rotary_index_.size(); i-- > rotary_before_;) {
        turn_about(i, sine[i], cosine[i], tool);
    }
    const Vec3 way = wanted - tool;
    return directions_straight_ ? Vec3(linear_at_ + way) : Vec3(linear_at_ + directions_inverse_ * way);
}

Vec3 InverseSolver::linear_readings(const Branches& found, int branch, const Vec3& tip, double tool_length) const
{
    const auto b = std::size_t(branch);
    return two_ && together_ ? linear_by(found.sine[b], found.cosine[b], tip, tool_length)
                             : linear_readings(found.turns[b], tip, tool_length);
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
        return linear_by(sine, cosine, tip, tool_length);
    }
    Readings readings = Readings::Zero(Eigen::Index(kinematics_.joints().size()));
    set_turns(readings, turns);
    const auto jacobian = kinematics_.tip_jacobian(readings, tool_length);
    const Vec3 missing = tip - kinematics_.pose(readings, tool_length).tip;
    Mat3 columns;
    for (int i = 0; i < 3; ++i) {
        columns.col(i) = jacobian.col(Eigen::Index(linear_[std::size_t(i)].value));
    }
    return columns.inverse() * missing;
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
    point = kinematics_.tool_frame().translation() - tool_axis_ * tool_length;
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
        candidate.residual = found.residual;
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
