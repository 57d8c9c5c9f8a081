#include "core/solve/inverse.hpp"

#include "core/base/units.hpp"
#include "core/solve/free_joint.hpp"
#include "core/solve/linear_by.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double parallel = 1e-9;     // rad
constexpr double at_the_edge = 1e-13; // rad
constexpr double least_volume = 1e-3; // of the box of the three linear directions, below which they lie in a plane

Error unsupported(std::string message, std::string cure) { return {ErrorKind::unsupported, std::move(message), {}, std::move(cure)}; }

Vec3 rotate(const Vec3& axis, double angle, const Vec3& v) { return Eigen::AngleAxisd(angle, axis) * v; }

double across(const Vec3& a, const Vec3& b) { return a.cross(b).norm(); }

} // namespace

Result<InverseSolver> InverseSolver::make(const Kinematics& kinematics, bool free_about_tool)
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
    // A rotary joint among the linear ones turns some of them against the others: what counts is whether any of its readings helps.
    const bool among = before[2] != before[0];
    bool flat = std::abs(columns.determinant()) < least_volume;
    for (int i = 1; i < 8 && flat && among; ++i) {
        Readings turned = Readings::Zero(Eigen::Index(kinematics.joints().size()));
        for (const JointIndex j : out.rotary_index_) {
            turned[Eigen::Index(j.value)] = kinematics.joints()[j.value].at + i * pi / 7;
        }
        const auto jacobian = kinematics.tip_jacobian(turned, 0);
        Mat3 there;
        for (int k = 0; k < 3; ++k) {
            there.col(k) = jacobian.col(Eigen::Index(out.linear_[std::size_t(k)].value));
        }
        flat = std::abs(there.determinant()) < least_volume;
    }
    if (flat) {
        return unsupported("the three linear joints lie in one plane", "correct their directions");
    }
    if (out.rotary_axis_.size() > 2) {
        return unsupported(fmt::format("a pose is solved with up to two rotary joints, this machine has {}", out.rotary_axis_.size()),
                           "lock or leave out rotary joints");
    }
    double together = 1;
    for (const JointIndex j : out.rotary_index_) {
        const Joint& joint = kinematics.joints()[j.value];
        const double turns = joint.travel ? std::max(1.0, (joint.travel->high - joint.travel->low) / (2 * pi)) : 1;
        together *= turns;
        if (turns > most_turns || together > most_turns_together) {
            return unsupported(fmt::format("the travel of \"{}\" has {:.0f} turns{}, more than are looked at", joint.id, turns,
                                           turns > most_turns ? "" : fmt::format(", {:.0f} with those of the joint before it", together)),
                               "leave \"travel\" away where the joint turns endlessly, or state less");
        }
    }
    if (out.rotary_axis_.size() == 2 && across(out.rotary_axis_[0], out.rotary_axis_[1]) < parallel) {
        return unsupported("the two rotary joints are parallel", "leave one of them out");
    }
    const bool about_tool = !out.rotary_axis_.empty() && across(out.rotary_axis_.back(), out.tool_axis_) < parallel;
    if (about_tool && free_about_tool && out.rotary_axis_.size() == 1) {
        out.free_ = true;
        out.pole_axis_ = kinematics.work_frame().linear().transpose() * out.tool_axis_;
    } else if (about_tool) {
        return unsupported(fmt::format("the rotary joint \"{}\" turns about the tool itself in the reference posture",
                                       kinematics.joints()[out.rotary_index_.back().value].id),
                           "leave it out, or correct its direction");
    }
    out.rotary_before_ = before[0];
    out.together_ = before[1] == before[0] && before[2] == before[0];
    if (out.together_) {
        out.directions_inverse_ = columns.inverse();
    }
    out.directions_straight_ = columns == Mat3::Identity();
    out.work_straight_ = kinematics.work_frame().linear() == Mat3::Identity();
    for (int i = 0; i < 3; ++i) {
        out.linear_at_[i] = kinematics.joints()[out.linear_[std::size_t(i)].value].at;
    }
    out.linear_at_zero_ = out.linear_at_ == Vec3::Zero();
    for (std::size_t i = 0; i < out.rotary_index_.size(); ++i) {
        out.at_[i] = kinematics.joints()[out.rotary_index_[i].value].at;
        out.rotary_point_.push_back(kinematics.joints()[out.rotary_index_[i].value].point);
        out.rotary_along_[i] = coordinate_axis(out.rotary_axis_[i]);
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
    across_root_ = std::sqrt(across_);
    inner_scale_ = std::sqrt(across_ / (1 - p2_ * p2_));
    const double tool_turn = std::atan2(tool_axis_.dot(f2), tool_axis_.dot(e2)); // about the second axis, from e2
    tool_sine_ = std::sin(tool_turn);
    tool_cosine_ = std::cos(tool_turn);
    for (std::size_t b = 0; b < 2; ++b) {
        // On from there it turns by up to half a turn, down in the first branch and up in the second; in the turn nearest to 0.
        const double middle = at_[1] - tool_turn + (b == 0 ? -pi / 2 : pi / 2);
        second_[b] = at_[1] - tool_turn - 2 * pi * std::round(middle / (2 * pi));
    }
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

// wanted = Rot(k1, alpha) Rot(k2, beta) t0. With v = Rot(k2, beta) t0: v.k2 = t0.k2 and v.k1 = wanted.k1, so that
// v = a k1 + b k2 +- c (k1 x k2). Seen from e2 about k2, v stands at -+ atan2(c, a); from e1 about k1, at +- atan2(c, b).
void InverseSolver::two_joints(const Vec3& wanted, BranchFollower& follower, Branches& out) const
{
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
            return;
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
    const double u = wanted.dot(e1_);
    const double v = wanted.dot(f1_);
    const double flank = std::sqrt(u * u + v * v);
    const double flank_inverse = flank < 1e-15 ? 0 : 1 / flank;
    const double sine_phi = v * flank_inverse;
    const double cosine_phi = flank < 1e-15 ? 1 : u * flank_inverse;
    // x and y by their sines. Across the second axis v is as long as the tool, across the first as long as what is wanted.
    double sine_x = c * inner_scale_;
    double cosine_x = a * inner_scale_;
    double sine_y = 1;
    double cosine_y = 0;
    if (square < 1e-9) { // too short to be scaled
        const double bx = a * a + c * c;
        const double by = b * b + c * c;
        sine_x = bx > 0 ? c / std::sqrt(bx) : 0;
        cosine_x = bx > 0 ? a / std::sqrt(bx) : 1;
        sine_y = by > 0 ? c / std::sqrt(by) : 0;
        cosine_y = by > 0 ? b / std::sqrt(by) : 1;
    } else if (b != 0) {
        const double outer_scale = across_root_ * flank_inverse;
        sine_y = c * outer_scale;
        cosine_y = b * outer_scale;
    }
    const double x = follower.inner.at(sine_x, cosine_x);
    const double y = cosine_y == 0 ? pi / 2 : follower.outer.at(sine_y, cosine_y); // as where all axes stand at right angles
    const double phi = follower.azimuth.at(sine_phi, cosine_phi);
    out.pole = flank < 0.1 ? small_arc_sine(flank) : flank;
    out.turns[0] = {at_[0] + phi - y, second_[0] - x};
    out.turns[1] = {at_[0] + phi + y, second_[1] + x};
    // Sums and differences of the angles above.
    const Both sense(-1, 1); // of x and y in the branches
    out.sine[0] = sine_phi * cosine_y + cosine_phi * sine_y * sense;
    out.cosine[0] = cosine_phi * cosine_y - sine_phi * sine_y * sense;
    out.sine[1] = sine_x * tool_cosine_ * sense - cosine_x * tool_sine_;
    out.cosine[1] = cosine_x * tool_cosine_ + sine_x * tool_sine_ * sense;
    out.count = c > 1e-12 || out.pole < pole_free ? 2 : 1;
}

Branches InverseSolver::branches(const Vec3& axis) const
{
    BranchFollower fresh;
    return branches(axis, fresh);
}

Branches InverseSolver::branches(const Vec3& axis, BranchFollower& follower) const
{
    const Vec3 wanted = work_straight_ ? axis : Vec3(kinematics_.work_frame().linear() * axis);
    Branches out;
    if (two_) {
        two_joints(wanted, follower, out);
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

std::array<Both, 3> InverseSolver::linear_readings(const Branches& found, const Vec3& tip, double tool_length) const
{
    return linear_by<Both>(found.sine, found.cosine, spread<Both>(tip), tool_length);
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
