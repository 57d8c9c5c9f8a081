#include "core/write/motion_writer.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

MotionWriter::MotionWriter(const Assembly& assembly, WordEmitter& emitter, FindingList& findings, const std::vector<std::string>& files)
    : assembly_(assembly), emitter_(emitter), log_(emitter, findings, files), place_(assembly, emitter, log_),
      circles_(assembly, place_, log_), feeds_(assembly, emitter, place_, log_), brakes_(assembly, emitter, place_, log_),
      frames_(assembly, emitter, place_, circles_, operations_, log_), lines_(assembly, emitter, place_, circles_, feeds_, brakes_, log_),
      cuts_(assembly, emitter, place_, circles_, feeds_, lines_, log_), along_(assembly, emitter, place_, circles_, feeds_, cuts_, log_),
      rapids_(assembly, emitter, place_, circles_, feeds_, brakes_),
      links_(assembly, emitter, place_, circles_, feeds_, brakes_, frames_, lines_, rapids_, operations_, log_)
{}

void MotionWriter::set_tool(const Tool& tool)
{
    place_.tool_length = tool.length.value_or(0);
    place_.positioned = false;
    frames_.set_tool(tool.length_register);
}

void MotionWriter::moved_to(std::size_t joint, double reading)
{
    place_.moved_to(joint, reading);
    circles_.forget(joint);
}

void MotionWriter::left_path()
{
    place_.positioned = place_.retracted = false;
    moved_ = true;
}

void MotionWriter::frame_by_text(bool to_joints)
{
    if (frames_.by_text(to_joints)) {
        left_path();
    }
}

void MotionWriter::forget_places()
{
    place_.positioned = place_.retracted = false;
    place_.stated.assign(place_.stated.size(), false);
    frames_.forget();
    feeds_.forget();
    brakes_.forget();
}

bool MotionWriter::stands_above(const Pose& pose, const Readings& planned) const
{
    const Pose here = place_.pose();
    return place_.positioned && frames_.in_wanted() && !place_.differs(place_.rounded(circles_.shifted(planned), pose.tip), true) &&
           here.axis.dot(here.tip - pose.tip) >= 0;
}

std::optional<MotionWriter::Drilling> MotionWriter::drilling(const Vec3& axis) const
{
    constexpr double way = 100; // mm
    const Pose here = place_.pose();
    // The declared directions of a plane are rounded.
    const double least = !of_the_tip(place_.frame.kind()) ? 1e-6 : 0.1 * place_.frame.rounding().step(Quantity::length);
    const auto change = [&](const Vec3& direction) {
        Readings above = place_.now();
        place_.solver().set_linear(above, here.tip + direction * way, place_.tool_length);
        return Readings(place_.frame.program_values(above) - place_.frame.program_values(place_.now()));
    };
    const auto alone = [&](const Readings& changed, std::size_t joint, double by) {
        for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
            if (std::abs(changed[Eigen::Index(i)] - (joint == i ? by : 0)) > least) {
                return false;
            }
        }
        return true;
    };
    const Readings along_tool = change(here.axis);
    if (assembly_.controller.cycles_across_plane && !of_the_tip(place_.frame.kind())) {
        const auto joints = place_.frame.xyz();
        const std::array<Function, 3> planes{Function::plane_yz, Function::plane_zx, Function::plane_xy};
        for (std::size_t k = 0; joints && k < 3; ++k) {
            const bool drills = alone(along_tool, (*joints)[k], way) || alone(along_tool, (*joints)[k], -way);
            if (drills && emitter_.function(planes[k])) {
                return Drilling{(*joints)[k], planes[k]};
            }
        }
        return std::nullopt;
    }
    const auto drill = place_.frame.drill_joint();
    const bool drills =
        drill && (alone(along_tool, *drill, way) || (place_.frame.kind() == FrameKind::tilted_plane && alone(change(axis), *drill, way)));
    return drills ? std::optional(Drilling{*drill, std::nullopt}) : std::nullopt;
}

} // namespace wexilum
