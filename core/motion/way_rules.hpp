// What a control and a machine's joints allow motion along a way.
#pragma once

#include "core/controller/timing.hpp"
#include "core/geometry/tolerance.hpp"
#include "core/machine/machine.hpp"

#include <cstddef>
#include <vector>

namespace wexilum {

/// Of each joint's acceleration: what a curve may take, so that the rest is left for the speed along the way.
inline constexpr double share_of_curve = 0.5;

struct WayRules {
    std::vector<double> speed;        ///< by joint, mm/s or rad/s
    std::vector<double> acceleration; ///< of joints that state none: so large that it does not count
    std::vector<double> jerk;         ///< 0: without limit
    std::vector<double> jump;         ///< by which a joint's speed may change at a corner
    double smoothing = 0;             ///< s: in which an acceleration builds up so that no joint's jerk is exceeded; 0: at once
    std::size_t look_ahead = 0;       ///< blocks
    double block_time = 0;            ///< s
    // Where the way is followed by positions at intervals, what the lines from one to the next may leave of it; 0: it is not asked.
    double tip_jump = 0;  ///< mm/s: by which the tip's speed may change at a corner
    double tip_bend = 0;  ///< mm/s2: that a curve may ask of the tip
    double axis_jump = 0; ///< rad/s
    double axis_bend = 0; ///< rad/s2
};

/// Precondition: timing.slows().
///
/// A corner that may be missed by `tolerance` is gone round by a parabola: a joint of acceleration A that changes its speed by v in v / A
/// seconds is v^2 / (8 A) off the corner half-way, so v = sqrt(8 A tolerance). (Linear segments with parabolic blends: J. J. Craig,
/// Introduction to Robotics, chapter 7.)
[[nodiscard]] WayRules way_rules(const Machine& machine, const Timing& timing);

/// For a way that is followed by a position every `interval` s, all joints in proportion from each to the next. `share`: of what the joints
/// can that is used, 7/10 of it for ramps and curves and the rest where a corner falls between two positions. `off`: how far the tool may
/// be off the way where they go past its corners and curves. Precondition: interval > 0, 0 < share <= 1.
///
/// A corner at which the speed changes by v falls between two positions; the line between them passes it at most v interval / 4 beside
/// (where it is in the middle of that time). A curve that asks for the acceleration a is left by a interval^2 / 8,
/// the height of its chord.
[[nodiscard]] WayRules clocked_rules(const Machine& machine, double interval, const Tolerance& off, double share);

struct BetweenStops {
    double seconds = 0;
    double top = 0; ///< the largest speed
};

/// How long a way takes from one standstill to the next: as fast as speed, acceleration and jerk allow; `jerk` 0: without limit.
/// Precondition: way >= 0, the others > 0.
///
/// A speed v is reached after v / A + A / J or, where that would not reach A, after 2 sqrt(v / J), and half of v is the mean meanwhile.
/// (Double S profile: L. Biagiotti, C. Melchiorri, Trajectory Planning for Automatic Machines and Robots, section 3.4.)
[[nodiscard]] BetweenStops between_stops(double way, double speed, double acceleration, double jerk);

} // namespace wexilum
