#include "core/compare/budget.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

BudgetRule::BudgetRule(const Task& task) : task_(task), half_(task.machine.joints.size())
{
    set_length_increment(task.controller.length_increment);
}

void BudgetRule::set_length_increment(double mm)
{
    length_increment_ = mm;
    for (std::size_t i = 0; i < half_.size(); ++i) {
        const bool rotary = task_.machine.joints[i].kind == JointKind::rotary;
        half_[i] = task_.machine.joints[i].by_hand ? 0 : 0.5 * (rotary ? to_rad(task_.controller.angle_increment) : mm);
    }
}

void BudgetRule::take(const ReplayMove& move)
{
    set_length_increment(move.length_increment);
    if (move.surface_joint != SIZE_MAX) {
        half_[move.surface_joint] = std::max(half_[move.surface_joint], 0.5 * length_increment_ / move.surface_scale);
    }
    slack_ = move.turned_slack;
    const bool called_on_plane = move.called_by.value != 0 && move.on_plane;
    for (std::size_t i = 0; (move.shifted != 0 || called_on_plane) && i < half_.size(); ++i) {
        half_[i] *= (move.shifted >> i & 1U) != 0 ? 2 : 1;
        half_[i] *= called_on_plane && task_.machine.joints[i].kind == JointKind::linear ? 3 : 1;
    }
}

Budget BudgetRule::at_record(const Kinematics& kinematics, const Readings& levers) const
{
    double squares = 0;
    Budget out{computing_tip + slack_, computing_axis};
    for (const auto& link : kinematics.links()) {
        const std::size_t joint = link.joint.value;
        if (kinematics.joints()[joint].kind == JointKind::linear) {
            squares += half_[joint] * half_[joint];
        } else {
            out.tip += half_[joint] * levers[Eigen::Index(joint)];
            out.axis += half_[joint];
        }
    }
    out.tip += std::sqrt(squares);
    return out;
}

double BudgetRule::at_records(const Kinematics& kinematics, const PoseRun& poses, std::size_t first, std::size_t end, Column& tip) const
{
    double squares = 0;
    double axis = computing_axis;
    std::fill(tip.begin() + first, tip.begin() + end, computing_tip + slack_);
    for (const auto& link : kinematics.links()) {
        const std::size_t joint = link.joint.value;
        const double half = half_[joint];
        if (kinematics.joints()[joint].kind == JointKind::linear) {
            squares += half * half;
            continue;
        }
        const Column& lever = poses.lever[joint];
        for (std::size_t i = first; i < end; ++i) {
            tip[i] += half * lever[i];
        }
        axis += half;
    }
    const double linear = std::sqrt(squares);
    for (std::size_t i = first; i < end; ++i) {
        tip[i] += linear;
    }
    return axis;
}

Budget BudgetRule::between(const Budget& at_record, const Motion& motion) const
{
    Budget out = on_way(at_record, motion.axis_rate);
    if ((motion.rotary_moves && !motion.tip_on_line) || motion.lines_for_arc) {
        out.tip += task_.job.tolerance.tip;
    }
    if (motion.rotary_moves) {
        out.axis += task_.job.tolerance.axis;
    }
    const double word = std::sqrt(0.5) * length_increment_; // two words off by half an increment each
    out.tip += motion.arc_by_centre ? 2 * word : motion.arc_by_radius ? 3 * word : 0;
    return out;
}

Budget BudgetRule::on_way(const Budget& at_record, double axis_rate) { return {at_record.tip, at_record.axis + axis_rate * at_record.tip}; }

} // namespace wexilum
