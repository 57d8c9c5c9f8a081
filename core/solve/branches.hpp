// Rotary readings that point the tool along a direction: up to two branches, for one direction or for many.
#pragma once

#include "core/base/column.hpp"
#include "core/geometry/pose.hpp"

#include <array>

namespace wexilum {

/// A direction closer than this to the reachable ones counts as reached (CL data with six decimals is off by 0.9e-6 rad).
inline constexpr double reach_tolerance = 1e-6; // rad
/// Nearer than this to a direction in which a rotary joint does nothing, a solution is degraded.
inline constexpr double pole_angle = 1e-3; // rad
/// Nearer than this the joint's reading is free: it keeps the one it had, or takes the nearest that leaves all joints inside travel (CL
/// data with six decimals is off by 0.9e-6 rad).
inline constexpr double pole_free = 1e-6; // rad

/// Readings of the rotary joints that a direction settles, from the work to the tool, the first and the second; joints that are not there
/// read 0.
using Turns = std::array<double, 2>;

/// The rotary readings that point the tool along one direction, each in its principal turn.
struct Branches {
    int count = 0; ///< 0: unreachable, 1, or 2
    std::array<Turns, 2> turns{};
    std::array<Turns, 2> sine{}; ///< of the joints' motions from the reference posture, by branch; where InverseSolver::has_poles()
    std::array<Turns, 2> cosine{Turns{1, 1}, Turns{1, 1}};
    double residual = 0;               ///< rad between the asked and the reached direction
    double pole = 10;                  ///< rad to the nearest pole of the first joint, beyond 0.1 its sine; large without one
    double missed_by = 0;              ///< where count is 0: rad to the nearest reachable direction,
    Vec3 nearest_axis = Vec3::UnitZ(); ///< and that direction, in the work mount's frame
};

/// Both branches for each of many directions, first by branch, then by joint.
struct BranchRun {
    std::array<std::array<Column, 2>, 2> turns{};
    std::array<std::array<Column, 2>, 2> sine{}; ///< as in Branches
    std::array<std::array<Column, 2>, 2> cosine{};
    std::array<std::array<Column, 3>, 2> linear{}; ///< in the order of InverseSolver::linear()
    Column pole{};                                 ///< as in Branches
    Column square{};                               ///< as in TwoAxes
    /// One of them by itself.
    [[nodiscard]] Branches at(std::size_t i) const
    {
        Branches out;
        out.count = 2;
        out.pole = pole[i];
        for (std::size_t b = 0; b < 2; ++b) {
            for (std::size_t joint = 0; joint < 2; ++joint) {
                out.turns[b][joint] = turns[b][joint][i];
                out.sine[b][joint] = sine[b][joint][i];
                out.cosine[b][joint] = cosine[b][joint][i];
            }
        }
        return out;
    }
};

} // namespace wexilum
