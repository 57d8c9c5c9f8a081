#include "core/machine/witness_advice.hpp"

#include "core/base/units.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double tip_told = 0.01;           // mm: what a witness has to miss by
constexpr double axis_told = 1e-4;          // rad
constexpr double most_linear = 100;         // mm from the reference posture, of a proposed witness
constexpr double most_turn = 30 * pi / 180; // rad

/// Whether each witness is held by the machine.
bool holds(const Machine& machine)
{
    return std::all_of(machine.witnesses.begin(), machine.witnesses.end(), [&](const Witness& witness) {
        const auto pose = pose_of(machine, witness);
        return !pose || ((pose->tip - witness.pose.tip).norm() <= tip_told && angle_between(pose->axis, witness.pose.axis) <= axis_told);
    });
}

/// A reading of a joint that its sign shows at.
double telling(const Joint& joint)
{
    const bool turns = joint.kind == JointKind::rotary;
    const double most = turns ? most_turn : most_linear;
    double best = joint.at + most;
    if (joint.travel) {
        const double above = joint.travel->high - joint.at;
        const double below = joint.at - joint.travel->low;
        best = above >= below ? joint.at + std::min(most, 0.5 * above) : joint.at - std::min(most, 0.5 * below);
    }
    const double unit = turns ? pi / 180 : 1;
    const double round = std::round(best / unit) * unit;
    return std::abs(round - joint.at) > 0.2 * unit ? round : best;
}

} // namespace

std::vector<JointIndex> unwitnessed(const Machine& machine)
{
    std::vector<JointIndex> out;
    for (std::uint32_t i = 0; i < machine.joints.size(); ++i) {
        bool in_chain = false;
        for (const Witness& witness : machine.witnesses) {
            const Kinematics chain = Kinematics::make(machine, {witness.mount, {}}, machine.mounts[witness.work]);
            in_chain = in_chain || std::any_of(chain.links().begin(), chain.links().end(),
                                               [&](const Kinematics::Link& link) { return link.joint == JointIndex(i); });
        }
        Machine turned = machine;
        turned.joints[i].direction = -turned.joints[i].direction;
        if (in_chain && holds(turned)) {
            out.emplace_back(i);
        }
    }
    return out;
}

std::string proposed_witness(const Machine& machine, const FileUnits& units)
{
    Readings readings = machine.home();
    std::string list;
    const auto number = [](double value) { return fmt::format("{:.6g}", std::abs(value) < 1e-9 ? 0.0 : value); };
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        if (machine.relation_of(JointIndex(std::uint32_t(i))) != nullptr) {
            continue;
        }
        readings[Eigen::Index(i)] = telling(joint);
        list += fmt::format("{}\"{}\": {}", list.empty() ? "" : ", ", joint.id,
                            number(readings[Eigen::Index(i)] / units.of(joint.kind == JointKind::linear)));
    }
    const std::uint32_t mount = machine.at_rest().mount;
    const auto kinematics = Kinematics::make(machine, {mount, {}});
    if (!kinematics) {
        return {};
    }
    const Pose pose = kinematics->pose(readings, 0);
    const auto vector = [](const Vec3& v, double unit) {
        return fmt::format("[{:.4f}, {:.4f}, {:.4f}]", v.x() / unit, v.y() / unit, v.z() / unit);
    };
    return fmt::format("{{\"name\": \"all axes away from zero\", \"readings\": {{{}}}, \"tool_length\": 0, \"tip\": {}, \"axis\": {}}}",
                       list, vector(pose.tip, units.length),
                       fmt::format("[{:.9f}, {:.9f}, {:.9f}]", pose.axis.x(), pose.axis.y(), pose.axis.z()));
}

std::vector<std::string> witness_remarks(const Machine& machine, const FileUnits& units)
{
    const auto loose = unwitnessed(machine);
    if (loose.empty()) {
        return {};
    }
    std::string names;
    for (const JointIndex joint : loose) {
        names += (names.empty() ? "" : ", ") + machine.joints[joint.value].id;
    }
    return {fmt::format("no witness would miss {} turned round; one that would, once its tip and axis are those read off the machine: {}",
                        names, proposed_witness(machine, units))};
}

} // namespace wexilum
