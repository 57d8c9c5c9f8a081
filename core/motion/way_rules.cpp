#include "core/motion/way_rules.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double at_once = 1e-3; // s: in which a joint that states no acceleration has its speed

} // namespace

WayRules way_rules(const Machine& machine, const Timing& timing)
{
    WayRules out;
    for (const Joint& joint : machine.joints) {
        const bool rotary = joint.kind == JointKind::rotary;
        const double acceleration = joint.acceleration > 0 ? joint.acceleration : joint.speed / at_once;
        const double corner = rotary ? timing.corner_rotary : timing.corner_linear;
        out.speed.push_back(joint.speed);
        out.acceleration.push_back(acceleration);
        out.jerk.push_back(timing.ramps == Timing::Ramps::jerk ? joint.jerk : 0);
        out.jump.push_back(timing.corners == Timing::Corners::jump ? corner : std::sqrt(8 * acceleration * corner));
        if (out.jerk.back() > 0) {
            out.smoothing = std::max(out.smoothing, acceleration / out.jerk.back());
        }
    }
    out.look_ahead = timing.look_ahead;
    out.block_time = timing.block_time;
    return out;
}

BetweenStops between_stops(double way, double speed, double acceleration, double jerk)
{
    const double builds = jerk > 0 ? acceleration / jerk : 0; // in which the acceleration is there
    const double to_speed =
        jerk > 0 && speed < acceleration * builds ? 2 * std::sqrt(speed / jerk) : speed / acceleration + builds; // until the speed is
    if (way >= speed * to_speed) {
        return {way / speed + to_speed, speed};
    }
    if (jerk > 0 && way < 2 * acceleration * builds * builds) {
        const double half = std::cbrt(way / (2 * jerk)); // of the time in which it gets as fast
        return {4 * half, jerk * half * half};
    }
    const double top = acceleration / 2 * (std::sqrt(builds * builds + 4 * way / acceleration) - builds);
    return {2 * (top / acceleration + builds), top};
}

} // namespace wexilum
