#include "core/run/program_frame.hpp"

namespace wexilum {

ProgramFrame::ProgramFrame(const Assembly& assembly)
    : assembly_(assembly), rounding_(assembly.dialect, assembly.controller), chain_(assembly.machine.joints.size(), false)
{
    for (const Joint& joint : assembly.machine.joints) {
        rotary_.push_back(joint.kind == JointKind::rotary);
    }
    for (const auto& link : assembly.solver->kinematics().links()) {
        chain_[link.joint.value] = true;
    }
    if (const auto joint = assembly.machine.find_joint(assembly.dialect.length_joint)) {
        length_joint_ = joint->value;
    }
}

Quantity ProgramFrame::quantity(std::size_t joint) const { return rotary_[joint] ? Quantity::angle : Quantity::length; }

double ProgramFrame::shift(std::size_t joint) const
{
    return assembly_.offset(JointIndex(static_cast<std::uint32_t>(joint))) + (joint == length_joint_ ? length_shift_ : 0);
}

std::int64_t ProgramFrame::counts(std::size_t joint, double reading) const
{
    return rounding_.counts(quantity(joint), reading - shift(joint));
}

std::int64_t ProgramFrame::machine_counts(std::size_t joint, double reading) const { return rounding_.counts(quantity(joint), reading); }

double ProgramFrame::reading(std::size_t joint, std::int64_t counts) const
{
    return rounding_.value(quantity(joint), counts) + shift(joint);
}

} // namespace wexilum
