#include "core/task/zero_taken.hpp"

#include "core/machine/overlay.hpp"
#include "core/task/postures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

/// The tool mount, and the joints set by hand, that a zero was taken with.
Result<Posture> posture_of(const Machine& machine, const ZeroTaken& zero, std::uint32_t work)
{
    Posture out = machine.at_rest();
    out.work = work;
    if (zero.point == ZeroTaken::Point::tip && !zero.attachment.empty()) {
        const auto mount = machine.find_tool_mount(zero.attachment);
        if (!mount) {
            return wrong_value(
                zero.place, fmt::format("the zero was taken with \"{}\", which the machine does not have", zero.attachment.substr(0, 40)),
                "name one of the machine's attachments or tool mounts");
        }
        out.mount = *mount;
    }
    for (HeldJoint& held : out.held) {
        for (const auto& [id, reading] : zero.set) {
            held.reading = machine.joints[held.joint.value].id == id ? reading : held.reading;
        }
    }
    return out;
}

/// A point on a joint's axis where the joints stand so, in the frame of what holds the work.
Vec3 pivot_at(const Machine& machine, const Mount& work, JointIndex joint, const Readings& readings)
{
    const std::vector<Frame> frames = joint_frames(machine, readings);
    const Frame at = work.parent >= 0 ? frames[std::size_t(work.parent)] * work.frame : work.frame;
    return at.inverse() * (frames[joint.value] * machine.joints[joint.value].point);
}

} // namespace

Status take_centres(const Setup& setup, Machine& machine)
{
    for (const auto& [id, centre] : setup.rotation_centres) {
        const auto& [point, place] = centre;
        const auto found = machine.find_joint(id);
        if (!found || machine.joints[found->value].kind != JointKind::rotary) {
            return wrong_value(place, fmt::format("\"{}\" is not a rotary joint of the machine", id.substr(0, 40)),
                               "name one, or remove the centre");
        }
        Joint& joint = machine.joints[found->value];
        const Vec3 way = point - joint.point;
        const double off = (way - joint.direction * joint.direction.dot(way)).norm();
        if (off > overlay_most_way) {
            return wrong_value(place, fmt::format("the rotation centre of {} is {:.3f} mm from the machine's axis", id, off),
                               "measure again; what differs so much belongs into the machine's own file");
        }
        joint.point = point;
    }
    return {};
}

namespace {

/// Where the joints are while a zero is taken; the linear ones do not matter yet. `offsets`: of its register.
Result<Readings> readings_at(const Task& a, const ZeroTaken& zero, const Posture& posture, const std::map<std::string, double>& offsets)
{
    Readings at = a.machine.home();
    for (std::size_t i = 0; i < a.machine.joints.size(); ++i) {
        if (a.machine.joints[i].kind == JointKind::rotary) {
            const auto stated = offsets.find(a.machine.joints[i].id);
            at[Eigen::Index(i)] = stated != offsets.end() ? stated->second : 0;
        }
    }
    for (const HeldJoint& held : posture.held) {
        at[Eigen::Index(held.joint.value)] = held.reading;
    }
    for (const auto& [id, reading] : zero.set) {
        const auto joint = a.machine.find_joint(id);
        if (!joint) {
            return wrong_value(zero.place, fmt::format("\"{}\" is not a joint of the machine", id.substr(0, 40)), "name one that is");
        }
        at[Eigen::Index(joint->value)] = reading;
    }
    return at;
}

/// The work whose zero a register is: the first that has it. A setup with one work may have zeros of its other places too.
std::optional<std::uint32_t> work_of_register(const Task& a, const std::string& name)
{
    for (std::uint32_t work = 0; work < a.setup.works.size(); ++work) {
        if (a.register_of(work) == name || a.setup.works.size() == 1) {
            return work;
        }
    }
    return std::nullopt;
}

/// Where the linear joints bring what touches the part of a work.
Result<Readings> touching(const Task& a, const ZeroTaken& zero, std::uint32_t work, const InverseSolver& solver, Readings at)
{
    Vec3 tip = a.setup.part() * zero.touches;
    double length = 0;
    if (zero.point == ZeroTaken::Point::tip) {
        const Tool* tool = a.setup.find_tool(zero.tool);
        if (tool == nullptr || !tool->length) {
            return wrong_value(zero.place, fmt::format("the zero was taken with the tool {}, whose length is not known", zero.tool),
                               "add the tool with its length to the table");
        }
        length = *tool->length;
    }
    if (zero.point == ZeroTaken::Point::pivot) {
        const auto joint = a.machine.find_joint(zero.joint);
        if (!joint || a.machine.joints[joint->value].kind != JointKind::rotary) {
            return wrong_value(zero.place, fmt::format("\"{}\" is not a rotary joint of the machine", zero.joint.substr(0, 40)),
                               "name the joint whose axis the pivot is on");
        }
        tip += solver.kinematics().pose(at, 0).tip - pivot_at(a.machine, holder_of(a, work), *joint, at);
    }
    solver.set_linear(at, tip, length);
    return at;
}

} // namespace

Status settle_zeros(Task& a)
{
    if (Status status = check_works(a); !status) {
        return status;
    }
    for (const auto& [name, zero] : a.setup.zeros) {
        const auto offsets = a.setup.offsets.find(name);
        if (offsets == a.setup.offsets.end()) {
            return wrong_value(zero.place,
                               fmt::format("a zero was taken for the register {}, which the setup does not have", name.substr(0, 40)),
                               "add the register under \"offsets\", empty if nothing else is known");
        }
        const auto work = work_of_register(a, name);
        if (!work) {
            return wrong_value(zero.place,
                               fmt::format("a zero was taken for the register {}, which is that of no work", name.substr(0, 40)),
                               "name the register under \"work_offset\" of the work, or remove the zero");
        }
        const auto posture = posture_of(a.machine, zero, *work);
        if (!posture) {
            return posture.error();
        }
        const auto solver = solver_of(a, *posture);
        if (!solver) {
            return wrong_value(zero.place, fmt::format("how the zero was taken can't be followed: {}", solver.error().message),
                               "state the register's values, and remove the zero");
        }
        const auto held = readings_at(a, zero, *posture, offsets->second);
        const auto at = held ? touching(a, zero, *work, *solver, *held) : held;
        if (!at) {
            return at.error();
        }
        for (const JointIndex j : solver->linear()) {
            const std::string& id = a.machine.joints[j.value].id;
            const double value = (*at)[Eigen::Index(j.value)];
            const auto [stated, fresh] = offsets->second.emplace(id, value);
            if (!fresh && std::abs(stated->second - value) > zero_tolerance) {
                return wrong_value(zero.place,
                                   fmt::format("the register {} says {} {:.3f}, but its zero as it was taken comes to {:.3f}", name, id,
                                               stated->second, value),
                                   "correct the register, the part's position or how the zero was taken");
            }
        }
    }
    return {};
}

} // namespace wexilum
