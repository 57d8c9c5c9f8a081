#include "core/machine/machine.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

std::optional<std::uint32_t> find_mount(const Machine& machine, MountKind kind, const std::string& id)
{
    for (std::size_t i = 0; i < machine.mounts.size(); ++i) {
        if (machine.mounts[i].kind == kind && machine.mounts[i].id == id) {
            return static_cast<std::uint32_t>(i);
        }
    }
    return std::nullopt;
}

} // namespace

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

std::string coolant_refused(const Mount& mount, const std::string& kind)
{
    if (!mount.coolant || kind == "off" || std::find(mount.coolant->begin(), mount.coolant->end(), kind) != mount.coolant->end()) {
        return {};
    }
    std::string has;
    for (const std::string& other : *mount.coolant) {
        has += (has.empty() ? "" : ", ") + other;
    }
    return has.empty() ? fmt::format("the {} has no coolant", mount.name)
                       : fmt::format("the {} has no coolant \"{}\", only {}", mount.name, kind, has);
}

std::optional<std::uint32_t> Machine::find_tool_mount(const std::string& id) const { return find_mount(*this, MountKind::tool, id); }
std::optional<std::uint32_t> Machine::find_work_mount(const std::string& id) const { return find_mount(*this, MountKind::work, id); }

std::string speed_refused(const Machine& machine, std::uint32_t mount, double rpm)
{
    const Spindle* spindle = machine.spindle_of(mount);
    if (spindle == nullptr || rpm <= 0 || (rpm >= spindle->least_speed - 1e-9 && rpm <= spindle->most_speed + 1e-9)) {
        return {};
    }
    return fmt::format("the drive of the {} is to turn at {:g} rpm, it goes from {:g} to {:g}", spindle->id, rpm, spindle->least_speed,
                       spindle->most_speed);
}

Posture Machine::at_rest() const
{
    Posture out;
    const Mount* tool = first_mount(MountKind::tool);
    out.mount = tool != nullptr ? static_cast<std::uint32_t>(tool - mounts.data()) : 0;
    for (std::size_t i = 0; i < joints.size(); ++i) {
        if (joints[i].by_hand) {
            out.held.push_back({JointIndex(static_cast<std::uint32_t>(i)), joints[i].home});
        }
    }
    return out;
}

double Scale::shown(double reading) const
{
    constexpr double rounding = 1e-9;
    double out = reading - whole_turn * std::floor((reading - low + rounding) / whole_turn);
    if (low < 0 && out < low + rounding && high - low > whole_turn - rounding) {
        out += whole_turn; // half a turn either way is read without a sign
    }
    return std::abs(out) < rounding ? 0 : out;
}

double Scale::nearest(double reading) const { return shown(step > 0 ? std::round(reading / step) * step : reading); }

Readings Machine::home() const
{
    Readings out(static_cast<Eigen::Index>(joints.size()));
    for (std::size_t i = 0; i < joints.size(); ++i) {
        out[static_cast<Eigen::Index>(i)] = joints[i].home;
    }
    return out;
}

namespace {

/// Whether a joint's own travel counts: of one that follows a single other, the other's has been narrowed by it.
bool has_ends(const Machine& machine, std::size_t joint)
{
    const Relation* relation = machine.relations.empty() ? nullptr : machine.relation_of(JointIndex(std::uint32_t(joint)));
    return machine.joints[joint].travel && (relation == nullptr || relation->leaders.size() > 1);
}

/// Where a joint stands, one that follows others where they have it.
double standing(const Machine& machine, const Readings& readings, std::size_t joint)
{
    const Relation* relation = machine.relations.empty() ? nullptr : machine.relation_of(JointIndex(std::uint32_t(joint)));
    return relation != nullptr ? relation->reading(readings) : readings[static_cast<Eigen::Index>(joint)];
}

} // namespace

bool inside_travel(const Machine& machine, const Readings& readings, double slack)
{
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const auto& travel = machine.joints[i].travel;
        const double reading = standing(machine, readings, i);
        if (has_ends(machine, i) && (reading < travel->low - slack || reading > travel->high + slack)) {
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
        const double reading = standing(machine, readings, i);
        if (!has_ends(machine, i)) {
            continue;
        }
        if (reading < travel->low - slack) {
            out.push_back({JointIndex(static_cast<std::uint32_t>(i)), travel->low - reading, true});
        } else if (reading > travel->high + slack) {
            out.push_back({JointIndex(static_cast<std::uint32_t>(i)), reading - travel->high, false});
        }
    }
    return out;
}

std::optional<std::string> outside_travel(const Joint& joint, double reading)
{
    if (!joint.travel || (reading >= joint.travel->low - 1e-9 && reading <= joint.travel->high + 1e-9)) {
        return std::nullopt;
    }
    const double unit = joint.kind == JointKind::rotary ? to_deg(1) : 1;
    return fmt::format("{:g}: it goes from {:g} to {:g}", reading * unit, joint.travel->low * unit, joint.travel->high * unit);
}

std::string text_of(const Machine& machine, const Overtravel& over)
{
    const Joint& joint = machine.joints[over.joint.value];
    const bool rotary = joint.kind == JointKind::rotary;
    const int by = joint.ends_by[over.low ? 0 : 1];
    return fmt::format("{} goes {:.3f} {} beyond the {} end of its travel{}", joint.id, rotary ? to_deg(over.beyond) : over.beyond,
                       rotary ? "deg" : "mm", over.low ? "low" : "high",
                       by < 0 ? ""
                              : fmt::format(", where {}, which follows it, is at the end of its own", machine.joints[std::size_t(by)].id));
}

} // namespace wexilum
