// In a pole the first rotary joint does nothing to the tool's axis: of all its readings those count that leave every joint inside travel.
//
// The linear readings are then A + B cos + C sin of its angle, each; travel leaves arcs of the circle, which are cut with each other.
// (Where a rotary joint stands between linear ones the angle is tried in steps instead.)
#pragma once

#include "core/solve/inverse.hpp"

#include <array>
#include <optional>
#include <span>
#include <vector>

namespace wexilum {

/// A place to come to in the pole.
struct FreeTarget {
    Vec3 tip = Vec3::Zero(); ///< work mount's frame, mm
    double tool_length = 0;  ///< mm
    double second = 0;       ///< rad: the second rotary joint's reading there; without meaning where there is none
    double spare = 0;        ///< likewise of the joint to spare
};

/// The readings of the first rotary joint nearest to `standing` (rad), the one that is no higher and the one that is no lower, with which
/// all targets are inside travel: both are `standing` where it does. Where only one side has any both are that one. Nothing where no
/// reading does. Precondition: the solver has settled joints.
[[nodiscard]] std::optional<std::array<double, 2>> free_readings(const InverseSolver& solver, std::span<const FreeTarget> targets,
                                                                 double standing);

} // namespace wexilum
