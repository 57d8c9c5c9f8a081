#include "core/compare/budget.hpp"

#include "core/base/lanes.hpp"
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
    take_followers();
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
    take_followers();
}

/// A joint that follows others is off by what all of them are.
void BudgetRule::take_followers()
{
    for (const Relation& relation : task_.machine.relations) {
        double& half = half_[relation.follower.value];
        half = 0;
        for (const Relation::Leader& leader : relation.leaders) {
            half += std::abs(leader.factor) * half_[leader.joint.value];
        }
    }
}

bool BudgetRule::follows(const Kinematics& kinematics, JointIndex joint) const
{
    return !task_.machine.relations.empty() && kinematics.follows(joint);
}

template <typename T, typename Lever>
[[gnu::always_inline]] inline T BudgetRule::tip_at_record(const Kinematics& kinematics, const Lever& lever) const
{
    double squares = 0;
    T out = in_each<T>(computing_tip + slack_);
    for (const auto& link : kinematics.links()) {
        const std::size_t joint = link.joint.value;
        const bool linear = kinematics.joints()[joint].kind == JointKind::linear;
        if (linear && follows(kinematics, link.joint)) { // off by what its leaders are off, and the same way
            out += half_[joint];
        } else if (linear) {
            squares += half_[joint] * half_[joint];
        } else {
            out += half_[joint] * lever(joint);
        }
    }
    return out + std::sqrt(squares);
}

double BudgetRule::axis_at_record(const Kinematics& kinematics) const
{
    double out = computing_axis;
    for (const auto& link : kinematics.links()) {
        out += kinematics.joints()[link.joint.value].kind == JointKind::linear ? 0 : half_[link.joint.value];
    }
    return out;
}

Budget BudgetRule::at_record(const Kinematics& kinematics, const Readings& levers) const
{
    return {tip_at_record<double>(kinematics, [&](std::size_t joint) { return levers[Eigen::Index(joint)]; }), axis_at_record(kinematics)};
}

double BudgetRule::at_records(const Kinematics& kinematics, const PoseRun& poses, std::size_t first, std::size_t end, Column& tip) const
{
    for (std::size_t i = first - first % 4; i < end; i += 4) { // columns have room for a multiple of four
        put(tip_at_record<Four>(kinematics, [&](std::size_t joint) { return four_of(poses.lever[joint], i); }), tip, i);
    }
    return axis_at_record(kinematics);
}

template <typename T, typename Lever>
[[gnu::always_inline]] inline T BudgetRule::sum_of_levers(std::span<const JointIndex> turning, const Lever& lever) const
{
    T out = in_each<T>(0);
    for (const JointIndex joint : turning) {
        out += lever(joint.value) * half_[joint.value];
    }
    return out;
}

double BudgetRule::lever_term(std::span<const JointIndex> turning, const Readings& levers) const
{
    return sum_of_levers<double>(turning, [&](std::size_t joint) { return levers[Eigen::Index(joint)]; });
}

void BudgetRule::lever_terms(std::span<const JointIndex> turning, const PoseRun& poses, std::size_t first, std::size_t end,
                             Column& out) const
{
    for (std::size_t i = first - first % 4; i < end; i += 4) {
        put(sum_of_levers<Four>(turning, [&](std::size_t joint) { return four_of(poses.lever[joint], i); }), out, i);
    }
}

Budget BudgetRule::between(const Budget& at_record, const Motion& motion) const
{
    Budget out = on_way(at_record, motion.axis_rate);
    if ((motion.rotary_moves && !motion.tip_on_line) || motion.lines_for_arc || motion.by_clock) {
        out.tip += task_.job.tolerance.tip;
    }
    if (motion.rotary_moves || motion.by_clock) {
        out.axis += task_.job.tolerance.axis;
    }
    const double word = std::sqrt(0.5) * length_increment_; // two words off by half an increment each
    out.tip += motion.arc_by_centre ? 2 * word : motion.arc_by_radius ? 3 * word : 0;
    return out;
}

Budget BudgetRule::on_way(const Budget& at_record, double axis_rate) { return {at_record.tip, at_record.axis + axis_rate * at_record.tip}; }

} // namespace wexilum
