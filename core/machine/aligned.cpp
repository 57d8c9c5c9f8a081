#include "core/machine/aligned.hpp"

#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

/// How the tool moves over the work as a joint's reading rises.
Vec3 over_work(const Kinematics* chain, const Joint& joint, JointIndex index)
{
    if (chain != nullptr) {
        for (const auto& link : chain->links()) {
            if (link.joint == index) {
                return joint.direction * link.sign;
            }
        }
    }
    return joint.direction;
}

} // namespace

std::vector<SignedJoint> signed_joints(const Machine& machine, const std::vector<std::string>& names)
{
    std::vector<SignedJoint> out;
    const auto chain = Kinematics::make(machine);
    const Kinematics* const known = chain ? &*chain : nullptr;
    Vec3 first = Vec3::Zero();
    for (const std::string& name : names) {
        if (const auto joint = machine.find_joint(name)) {
            const Vec3 way = over_work(known, machine.joints[joint->value], *joint);
            first = out.empty() ? way : first;
            out.push_back({*joint, way.dot(first) < 0 ? -1.0 : 1.0, out.empty()});
        }
    }
    return out;
}

Status check_aligned(const Machine& machine, const std::vector<std::string>& names)
{
    const Joint* first = nullptr;
    for (const std::string& name : names) {
        const auto found = machine.find_joint(name);
        const Joint* joint = found ? &machine.joints[found->value] : nullptr;
        if (joint == nullptr || joint->kind != JointKind::linear) {
            return Error{ErrorKind::value,
                         fmt::format("the aligned joint \"{}\" is not a linear joint of the machine", name),
                         {},
                         "name linear joints that point the same way"};
        }
        first = first == nullptr ? joint : first;
        if (joint->direction.cross(first->direction).norm() > 1e-9) {
            return Error{ErrorKind::value,
                         fmt::format("the joints {} and {} do not point the same way", first->id, name),
                         {},
                         "leave one of them out of \"aligned\", or correct the machine"};
        }
    }
    return {};
}

Status check_leads(const Machine& machine, const std::string& joint, const std::string& what)
{
    const auto found = machine.find_joint(joint);
    const Relation* relation = found ? machine.relation_of(*found) : nullptr;
    if (relation == nullptr) {
        return {};
    }
    return Error{ErrorKind::value,
                 fmt::format("{} \"{}\", which follows {}", what, joint, text_of(machine, *relation)),
                 {},
                 "leave it out: it goes where what it follows brings it"};
}

} // namespace wexilum
