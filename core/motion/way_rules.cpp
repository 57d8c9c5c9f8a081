#include "core/motion/way_rules.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double share_of_ramps = 0.7;        // of a joint's acceleration where positions come by a clock; the rest is for corners
constexpr std::size_t pieces_looked_at = 500; // of such a way
constexpr double at_once = 1e-3;              // s: in which a joint that states no acceleration has its speed

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

WayRules clocked_rules(const Machine& machine, double interval, const Tolerance& off, double share)
{
    Timing timing;
    timing.ramps = Timing::Ramps::jerk;
    WayRules out = way_rules(machine, timing);
    for (std::size_t i = 0; i < out.speed.size(); ++i) {
        out.jump[i] = share * (1 - share_of_ramps) * out.acceleration[i] * interval;
        out.acceleration[i] *= share * share_of_ramps;
        out.jerk[i] *= share;
    }
    out.smoothing = 0;
    for (std::size_t i = 0; i < out.speed.size(); ++i) {
        out.smoothing = std::max(out.smoothing, out.jerk[i] > 0 ? out.acceleration[i] / out.jerk[i] : 0);
    }
    out.look_ahead = pieces_looked_at;
    out.block_time = 0;
    out.tip_jump = 4 * off.tip / interval;
    out.tip_bend = 2 * out.tip_jump / interval;
    out.axis_jump = 4 * off.axis / interval;
    out.axis_bend = 2 * out.axis_jump / interval;
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
