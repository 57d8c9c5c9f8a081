// What the tool does at the surface where the toolpath knows its normal: a tool that is off its pose cuts too deep there, or leaves
// material.
#pragma once

#include "core/compare/compare_log.hpp"

namespace wexilum {

/// How a milling tool of revolution touches a surface: a circle of radius `corner` round the axis, `flat` off it. A ball mill has no flat,
/// an end mill no corner.
struct ToolRound {
    double flat = 0;   ///< mm
    double corner = 0; ///< mm
};
/// Nothing for tools whose shape does not say where they touch.
[[nodiscard]] std::optional<ToolRound> round_of(const Tool& tool);

/// How far the point that touches a surface of unit normal `normal` (out of the work) stands off it along the normal, mm: above 0 material
/// is left, below it is cut too deep. The tool touches at tip + corner (axis - normal) + flat e, e towards the surface across the axis;
/// along the normal that makes tip . n + corner axis . n - flat sqrt(1 - (axis . n)^2), less the same for the pose that was wanted.
[[nodiscard]] double off_surface(const ToolRound& tool, const Vec3& normal, const Pose& wanted, const Pose& is);

class SurfaceNotes {
public:
    /// Both must outlive the object.
    SurfaceNotes(const Task& task, CompareLog& log) : task_(task), log_(log) {}
    /// The tool is at `pose` where it should be at fraction `s` of the item's piece. Notes nothing where no normal is known at both ends.
    void note(const Expected& item, double s, const Pose& pose, BlockNumber block);

private:
    const Task& task_;
    CompareLog& log_;
};

} // namespace wexilum
