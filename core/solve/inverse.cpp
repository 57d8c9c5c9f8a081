#include "core/solve/inverse.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

constexpr double parallel = 1e-9; // rad

Error unsupported(std::string message, std::string cure) { return {ErrorKind::unsupported, std::move(message), {}, std::move(cure)}; }

Vec3 rotate(const Vec3& axis, double angle, const Vec3& v) { return Eigen::AngleAxisd(angle, axis) * v; }

double across(const Vec3& a, const Vec3& b) { return a.cross(b).norm(); }

} // namespace

Result<InverseSolver> InverseSolver::make(const Kinematics& kinematics)
{
    InverseSolver out(kinematics);
    out.tool_axis_ = kinematics.tool_frame().linear().col(2);
    for (const auto& link : kinematics.links()) {
        const Joint& joint = kinematics.joints()[link.joint.value];
        if (joint.kind == JointKind::linear) {
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
    for (int i = 0; i < 3; ++i) {
        columns.col(i) = kinematics.joints()[out.linear_[std::size_t(i)].value].direction;
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
    return out;
}

double InverseSolver::reading_near(std::size_t rotary, double angle, double near) const
{
    // `angle` is about the signed axis, which already holds the link's sign, so it adds to the reference reading.
    const Joint& joint = kinematics_.joints()[rotary_index_[rotary].value];
    const double reading = joint.at + angle;
    return reading + 2 * pi * std::round((near - reading) / (2 * pi));
}

std::vector<InverseSolver::Turn> InverseSolver::turns(const Vec3& wanted, const Readings& near, Candidates& out) const
{
    const auto near_of = [&](std::size_t i) { return near[Eigen::Index(rotary_index_[i].value)]; };
    const Vec3& t0 = tool_axis_;
    if (rotary_axis_.empty()) {
        const double off = angle_between(wanted, t0);
        if (off > reach_tolerance) {
            out.missed_by = off;
            out.nearest_axis = t0;
            return {};
        }
        return {Turn{{0, 0}, off, 10, 0}};
    }
    if (rotary_axis_.size() == 1) {
        const Vec3& k = rotary_axis_[0];
        const double off = std::abs(angle_between(wanted, k) - angle_between(t0, k));
        const double alpha = angle_about(k, t0, wanted);
        if (off > reach_tolerance) {
            out.missed_by = off;
            out.nearest_axis = rotate(k, alpha, t0);
            return {};
        }
        return {Turn{{reading_near(0, alpha, near_of(0)), 0}, off, 10, 0}};
    }
    // wanted = Rot(k1, alpha) Rot(k2, beta) t0. With v = Rot(k2, beta) t0: v.k2 = t0.k2, v.k1 = wanted.k1.
    const Vec3& k1 = rotary_axis_[0];
    const Vec3& k2 = rotary_axis_[1];
    const Vec3 n = k1.cross(k2);
    const double between = angle_between(k1, k2);
    const double opening = angle_between(t0, k2);
    const double asked = angle_between(wanted, k1);
    const double least = std::abs(between - opening);
    const double most = pi - std::abs(pi - (between + opening));
    const double held = std::clamp(asked, least, most);
    const double off = std::abs(asked - held);
    if (off > reach_tolerance) {
        out.missed_by = off;
        Vec3 hinge = k1.cross(wanted);
        if (hinge.norm() < parallel) {
            hinge = any_across(k1);
        }
        out.nearest_axis = rotate(hinge.normalized(), held, k1);
        return {};
    }
    const double c12 = k1.dot(k2);
    const double p1 = off == 0 ? wanted.dot(k1) : std::cos(held);
    const double p2 = t0.dot(k2);
    const double denominator = n.squaredNorm();
    const double a = (p1 - c12 * p2) / denominator;
    const double b = (p2 - c12 * p1) / denominator;
    const Vec3 base = a * k1 + b * k2;
    const double c = std::sqrt(std::max(0.0, (1 - base.squaredNorm()) / denominator));
    std::vector<Turn> list;
    for (int branch = 0; branch < 2; ++branch) {
        const Vec3 v = base + n * (branch == 0 ? c : -c);
        Turn turn;
        turn.branch = branch;
        turn.residual = off;
        turn.pole = std::min(angle_between(v, k1), angle_between(v, -k1));
        turn.reading[1] = reading_near(1, angle_about(k2, t0, v), near_of(1));
        turn.reading[0] = turn.pole < pole_free ? near_of(0) : reading_near(0, angle_about(k1, v, wanted), near_of(0));
        if (branch == 0 || c > 1e-12) {
            list.push_back(turn);
        }
    }
    return list;
}

void InverseSolver::set_linear(Readings& readings, const Vec3& tip, double tool_length) const
{
    const auto jacobian = kinematics_.tip_jacobian(readings, tool_length);
    const Vec3 missing = tip - kinematics_.pose(readings, tool_length).tip;
    Mat3 columns;
    for (int i = 0; i < 3; ++i) {
        columns.col(i) = jacobian.col(Eigen::Index(linear_[std::size_t(i)].value));
    }
    const Vec3 step = columns.inverse() * missing;
    for (int i = 0; i < 3; ++i) {
        readings[Eigen::Index(linear_[std::size_t(i)].value)] += step[i];
    }
}

Candidates InverseSolver::solve(const Pose& pose, double tool_length, const Readings& near) const
{
    Candidates out;
    const Vec3 wanted = kinematics_.work_frame().linear() * pose.axis;
    for (const Turn& turn : turns(wanted, near, out)) {
        Candidate candidate;
        candidate.readings = near;
        candidate.branch = turn.branch;
        candidate.residual = turn.residual;
        candidate.pole = turn.pole;
        for (std::size_t i = 0; i < rotary_index_.size(); ++i) {
            candidate.readings[Eigen::Index(rotary_index_[i].value)] = turn.reading[i];
        }
        set_linear(candidate.readings, pose.tip, tool_length);
        candidate.outcome = turn.pole < pole_angle || turn.residual > 1e-9 ? Outcome::degraded : Outcome::solved;
        out.list.push_back(std::move(candidate));
    }
    if (out.list.empty()) {
        out.nearest_axis = kinematics_.work_frame().linear().transpose() * out.nearest_axis;
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
            for (double turn = lowest; turn <= travel->high + slack; turn += 2 * pi) {
                spread.push_back(candidate);
                spread.back().readings[Eigen::Index(index.value)] = turn;
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
