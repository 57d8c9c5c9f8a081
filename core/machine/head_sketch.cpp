#include "core/machine/head_sketch.hpp"

#include "core/base/units.hpp"
#include "core/geometry/pose.hpp"
#include "core/machine/kinematics.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double whole_scale = 1e-9; // rad: a scale that is so near to a whole turn goes right round

Frame placed(const Mount& mount, const std::vector<Frame>& frames)
{
    return mount.parent < 0 ? mount.frame : frames[std::size_t(mount.parent)] * mount.frame;
}

} // namespace

HeadSketch sketch_of(const Machine& machine, std::uint32_t mount, const Readings& readings, double tool_length)
{
    const std::vector<Frame> frames = joint_frames(machine, readings);
    const Frame spindle = placed(*machine.first_mount(MountKind::tool), frames);
    const Frame in_spindle = spindle.inverse() * placed(machine.mounts[mount], frames);
    HeadSketch out;
    out.gauge_point = in_spindle.translation();
    out.tool_axis = in_spindle.linear().col(2);
    out.drop = -out.gauge_point.z();
    out.reach = out.gauge_point.head<2>().norm();
    out.leans = angle_between(out.tool_axis, Vec3::UnitZ());
    out.measured = machine.mounts[mount].measured;
    out.tip = out.gauge_point - out.tool_axis * tool_length;
    out.tip_drop = -out.tip.z();
    out.tip_reach = out.tip.head<2>().norm();
    return out;
}

std::vector<JointIndex> hand_joints(const Machine& machine, std::uint32_t mount)
{
    std::vector<JointIndex> out;
    for (int joint = machine.mounts[mount].parent; joint >= 0; joint = machine.joints[std::size_t(joint)].parent) {
        if (machine.joints[std::size_t(joint)].by_hand) {
            out.emplace_back(std::uint32_t(joint));
        }
    }
    return out;
}

double turned_by_steps(const Joint& joint, double reading, int steps)
{
    const Scale& scale = joint.scale;
    const double step = scale.step > 0 ? scale.step : to_rad(1);
    const double to = (scale.step > 0 ? scale.nearest(reading) : reading) + steps * step;
    return std::abs(scale.high - scale.low - whole_turn) < whole_scale ? scale.shown(to) : std::clamp(to, scale.low, scale.high);
}

} // namespace wexilum
