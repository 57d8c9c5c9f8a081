// A head as a drawing shows it: seen across the plane of the spindle's axis and the head's reach, with its figures.
#pragma once

#include "core/machine/machine.hpp"

#include <optional>
#include <vector>

namespace wexilum {

/// All lengths in mm, all directions in the spindle's frame: zero in its face, Z from the tool to the spindle.
struct HeadSketch {
    Vec3 gauge_point = Vec3::Zero(); ///< where the tool's length begins
    Vec3 tool_axis = Vec3::UnitZ();  ///< from the tip to the holder
    double drop = 0;                 ///< how far the gauge point lies below the spindle's face
    double reach = 0;                ///< and beside its axis
    double leans = 0;                ///< rad between the tool's axis and the spindle's
    bool measured = true;            ///< the gauge length is stated
    Vec3 tip = Vec3::Zero();         ///< with the tool that was asked for
    double tip_drop = 0;
    double tip_reach = 0;
};

/// Of a tool mount (by its place) with a tool of that length, where the joints stand so. Precondition: it is a tool mount, the machine has
/// a spindle (its first tool mount), and so many joints.
[[nodiscard]] HeadSketch sketch_of(const Machine& machine, std::uint32_t mount, const Readings& readings, double tool_length);

/// The joints that a person sets between the spindle and a mount, outermost first. Precondition: as above.
[[nodiscard]] std::vector<JointIndex> hand_joints(const Machine& machine, std::uint32_t mount);

/// A joint's reading `steps` marks of its scale on, or so many degrees where it has no marks; on a scale that ends, at its end; on one that
/// goes right round, round. Precondition: it is set by hand.
[[nodiscard]] double turned_by_steps(const Joint& joint, double reading, int steps);

} // namespace wexilum
