#include "core/run/program_frame.hpp"

namespace wexilum {

ProgramFrame::ProgramFrame(const Assembly& assembly) : assembly_(assembly), rounding_(assembly.dialect, assembly.controller)
{
    for (const auto& link : assembly.solver->kinematics().links()) {
        chain_[link.joint.value] = true;
    }
    for (std::size_t i = 0; i < assembly.machine.joints.size(); ++i) {
        rotary_[i] = assembly.machine.joints[i].kind == JointKind::rotary;
        offset_.push_back(assembly.offset(JointIndex(static_cast<std::uint32_t>(i))));
        if (chain_[i]) {
            chain_joints_.push_back(i);
        }
    }
    shift_ = offset_;
    if (const auto joint = assembly.machine.find_joint(assembly.dialect.length_joint)) {
        length_joint_ = joint->value;
    }
}

void ProgramFrame::set_length_shift(double mm)
{
    if (length_joint_ != SIZE_MAX) {
        shift_[length_joint_] = offset_[length_joint_] + mm;
    }
}

std::int64_t ProgramFrame::machine_counts(std::size_t joint, double reading) const { return rounding_.counts(quantity(joint), reading); }

Stand ProgramFrame::stand(const Stand& now, const Turns& turns, const Vec3& tip, double tool_length) const
{
    Stand out = now;
    const InverseSolver& solver = *assembly_.solver;
    const auto round = [&](std::size_t joint, double reading_wanted) {
        out.counts[joint] = counts(joint, reading_wanted);
        return out.readings[Eigen::Index(joint)] = reading(joint, out.counts[joint]);
    };
    Turns rounded{};
    for (std::size_t i = 0; i < solver.rotary().size(); ++i) {
        rounded[i] = round(solver.rotary()[i].value, turns[i]);
    }
    const Vec3 linear = solver.linear_readings(rounded, tip, tool_length);
    for (std::size_t i = 0; i < 3; ++i) {
        round(solver.linear()[i].value, linear[Eigen::Index(i)]);
    }
    return out;
}

void ProgramFrame::recount(Stand& stand) const
{
    for (const std::size_t joint : chain_joints_) {
        stand.counts[joint] = counts(joint, stand.readings[Eigen::Index(joint)]);
    }
}

} // namespace wexilum
