#include "core/solve/tip_frame.hpp"

#include <algorithm>

namespace wexilum {
namespace {

constexpr double square = 1e-6; // how far axes may be from square

Error unsupported(const char* message, const char* cure) { return {ErrorKind::unsupported, message, {}, cure}; }

} // namespace

Result<TipFrame> TipFrame::make(const InverseSolver& solver, const std::array<std::size_t, 3>& xyz, const Readings& zero, bool world)
{
    for (const JointIndex joint : solver.linear()) {
        if (std::find(xyz.begin(), xyz.end(), joint.value) == xyz.end()) {
            return unsupported("X, Y and Z are not the three linear joints that carry the tool over the work",
                               "write the joints' own readings, or park the joints that stand in their place");
        }
    }
    TipFrame out(solver, xyz, zero);
    out.world_ = world;
    const Kinematics& kinematics = solver.kinematics();
    const auto jacobian = kinematics.tip_jacobian(zero, 0);
    for (int k = 0; k < 3; ++k) {
        out.base_.linear().col(k) = jacobian.col(Eigen::Index(xyz[std::size_t(k)]));
    }
    const Mat3& axes = out.base_.linear();
    if ((axes.transpose() * axes - Mat3::Identity()).cwiseAbs().maxCoeff() > square || axes.determinant() < 0) {
        return unsupported("X, Y and Z of the program are not right-handed square axes on this machine",
                           "write the joints' own readings, or correct the machine's directions");
    }
    out.base_.translation() = kinematics.pose(zero, 0).tip;
    if (world) { // a linear joint that the turning work carries along would move the room
        Readings away = zero;
        Readings turned = zero;
        for (const JointIndex joint : solver.rotary()) {
            turned[Eigen::Index(joint.value)] += 0.7;
        }
        const Frame before = out.carried(turned);
        for (const std::size_t joint : xyz) {
            away[Eigen::Index(joint)] += 100;
        }
        out.zero_ = away;
        const bool moved = !out.carried(turned).isApprox(before, 1e-9);
        out.zero_ = zero;
        if (moved) {
            return unsupported("a linear joint of this machine turns with the work: it has no fixed coordinates in the room",
                               "write the tip's place on the work, or the joints' own readings");
        }
    }
    return out;
}

/// The motion of the work since the rotary joints read their zero, backwards: places of the room seen from the work.
Frame TipFrame::carried(const Readings& at) const
{
    if (!world_) {
        return Frame::Identity();
    }
    const Kinematics& kinematics = solver_->kinematics();
    Readings now = zero_;
    for (const auto& link : kinematics.links()) {
        if (link.sign < 0 && kinematics.joints()[link.joint.value].kind == JointKind::rotary) {
            now[Eigen::Index(link.joint.value)] = at[Eigen::Index(link.joint.value)];
        }
    }
    return kinematics.tool_from_work(now) * kinematics.tool_from_work(zero_).inverse();
}

Frame TipFrame::frame(const Readings& at) const { return carried(at) * base_ * plane_; }

Mat3 TipFrame::tool_turned(const Readings& at) const
{
    const Kinematics& kinematics = solver_->kinematics();
    Readings now = zero_;
    solver_->take_rotary(now, at);
    const Mat3 since = kinematics.tool_from_work(now).linear() * kinematics.tool_from_work(zero_).linear().transpose();
    return base_.linear().transpose() * since * base_.linear();
}

} // namespace wexilum
