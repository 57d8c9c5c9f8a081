#include "core/machine/machine.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {

std::optional<JointIndex> Machine::find_joint(const std::string& id) const
{
    const auto found = std::find_if(joints.begin(), joints.end(), [&](const Joint& j) { return j.id == id; });
    if (found == joints.end()) {
        return std::nullopt;
    }
    return JointIndex(static_cast<std::uint32_t>(found - joints.begin()));
}

const Mount* Machine::first_mount(MountKind kind) const
{
    const auto found = std::find_if(mounts.begin(), mounts.end(), [&](const Mount& m) { return m.kind == kind; });
    return found == mounts.end() ? nullptr : &*found;
}

Readings Machine::home() const
{
    Readings out(static_cast<Eigen::Index>(joints.size()));
    for (std::size_t i = 0; i < joints.size(); ++i) {
        out[static_cast<Eigen::Index>(i)] = joints[i].home;
    }
    return out;
}

bool inside_travel(const Machine& machine, const Readings& readings, double slack)
{
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const auto& travel = machine.joints[i].travel;
        const double reading = readings[static_cast<Eigen::Index>(i)];
        if (travel && (reading < travel->low - slack || reading > travel->high + slack)) {
            return false;
        }
    }
    return true;
}

std::vector<Overtravel> overtravels(const Machine& machine, const Readings& readings, double slack)
{
    std::vector<Overtravel> out;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const auto& travel = machine.joints[i].travel;
        const double reading = readings[static_cast<Eigen::Index>(i)];
        if (travel && reading < travel->low - slack) {
            out.push_back({JointIndex(static_cast<std::uint32_t>(i)), travel->low - reading, true});
        } else if (travel && reading > travel->high + slack) {
            out.push_back({JointIndex(static_cast<std::uint32_t>(i)), reading - travel->high, false});
        }
    }
    return out;
}

std::string text_of(const Machine& machine, const Overtravel& over)
{
    const Joint& joint = machine.joints[over.joint.value];
    const bool rotary = joint.kind == JointKind::rotary;
    return fmt::format("{} goes {:.3f} {} beyond the {} end of its travel", joint.id, rotary ? to_deg(over.beyond) : over.beyond,
                       rotary ? "deg" : "mm", over.low ? "low" : "high");
}

} // namespace wexilum
