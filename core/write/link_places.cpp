#include "core/write/link_places.hpp"

#include "core/motion/rapid_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double ride_inside = 0.01; // mm: how far inside a place counts as on the surface
constexpr int most_halvings = 10;
constexpr int samples = 32; // of each straight stretch of a ride's block

/// Whether a tool that goes these stretches stays outside.
bool clear_along(const ClearanceSurface& surface, const Frame& part, const Kinematics& kinematics, double tool_length,
                 const std::vector<Readings>& stretches)
{
    const PoseMap in_part(part.inverse());
    for (std::size_t i = 1; i < stretches.size(); ++i) {
        for (int k = 0; k <= samples; ++k) {
            const Readings at = stretches[i - 1] + (stretches[i] - stretches[i - 1]) * (double(k) / samples);
            if (!surface.is_clear(in_part(kinematics.pose(at, tool_length)))) {
                return false;
            }
        }
    }
    return true;
}

} // namespace

void LinkPlaces::go(JointSet joints, const Vec3& tip, LinkPlace& place)
{
    if (place_.on_cylinder()) {
        go_on_cylinder(joints, tip, place);
        return;
    }
    const MachinePosition target = place_.rounded(place.planned, tip);
    JointSet turning = 0;
    for (const std::size_t i : place_.frame.chain()) {
        turning |= place_.frame.is_rotary()[i] && (!place_.stated[i] || target.counts[i] != place_.position().counts[i]) ? bit_of(i) : 0;
    }
    const bool turns = (joints & turning) != 0;
    if (turns) {
        frames_.leave();
    }
    if ((joints & place_.chain.linear) == 0) {
        rapids_.move(target, joints);
        return;
    }
    if ((turning & ~joints) == 0 && !turns) {
        brakes_.lock_standing(operations_.next.outline);
        if (of_the_tip(frames_.wanted())) {
            go_in_frame(joints, tip, place);
            return;
        }
    }
    move(joints, place.planned, tip, place);
}

/// Round the cylinder instead of by the joint that turns it; the joint under that word stands.
void LinkPlaces::go_on_cylinder(JointSet joints, const Vec3& tip, const LinkPlace& place)
{
    const JointSet flat = bit_of(place_.frame.cylinder().flat);
    const JointSet moving = (joints & place_.chain.linear & ~flat) | ((joints & place_.chain.rotary) != 0 ? flat : 0);
    const MachinePosition target = place_.rounded(place.planned, tip);
    place_.check_travel(target.readings);
    if (place.last != nullptr && moving == place_.chain.linear && (tip - place.pose.tip).norm() < 1e-9) {
        arrive(target, tip, *place.last);
        return;
    }
    rapids_.move(target, moving);
}

/// In coordinates of the tip every word moves several joints: those that are not meant stay by the coordinates themselves.
void LinkPlaces::go_in_frame(JointSet joints, const Vec3& tip, LinkPlace& place)
{
    if (place_.frame.kind() == FrameKind::joints) {
        place.length_done = true;
        if (!frames_.enter(place.pose, place.planned)) {
            move(joints, place.planned, tip, place);
            return;
        }
    }
    const auto away = place_.away_joint();
    MachinePosition target = place_.rounded(place.planned, tip);
    place_.check_travel(target.readings);
    if ((place_.chain.linear & ~joints) != 0) {
        Readings part = target.readings;
        for (const std::size_t i : place_.frame.chain()) {
            const auto at = Eigen::Index(i);
            if ((bit_of(i) & place_.chain.linear & ~joints) != 0) {
                // No coordinate says the end of a joint's travel to the last digit: a little inside.
                const double inside = away == i ? 4 * place_.frame.rounding().step(Quantity::length) : 0;
                const double way = target.readings[at] - place_.now()[at];
                part[at] = place_.now()[at] + std::copysign(std::min(inside, std::abs(way)), way);
            }
        }
        rapids_.move(place_.frame.at_readings(place_.position(), part), place_.chain.linear);
        return;
    }
    if (place.last != nullptr && (tip - place.pose.tip).norm() < 1e-9) {
        arrive(target, tip, *place.last);
        return;
    }
    rapids_.move_clear(target, place_.chain.linear);
}

/// One block of a link, in the joints' own readings. The first that moves the joint which carries the length states that length.
void LinkPlaces::move(JointSet joints, const Readings& planned, const Vec3& tip, LinkPlace& place)
{
    const bool states = !place.length_done && (has(joints, place_.away_joint()) || has(joints, place_.frame.length_joint()));
    Statement statement(StatementKind::motion);
    if (states && !of_the_tip(frames_.wanted())) {
        frames_.add_length(statement);
        place.length_done = true;
    } else if (states) {
        frames_.switch_length_off();
    }
    const MachinePosition target = place_.rounded(planned, tip);
    if ((joints & place_.chain.rotary) != 0 && circles_.blocks_between(place_.now(), target.readings) > 1) {
        rapids_.move(target, joints & place_.chain.rotary);
    }
    Readings end = place_.now();
    bool arrives = place.last != nullptr && (tip - place.pose.tip).norm() < 1e-9;
    for (const std::size_t i : place_.frame.chain()) {
        const bool moves = (joints & bit_of(i)) != 0;
        end[Eigen::Index(i)] = moves ? target.readings[Eigen::Index(i)] : end[Eigen::Index(i)];
        arrives = arrives && (moves || target.counts[i] == place_.position().counts[i]);
    }
    place_.check_travel(end);
    if (statement.slots.size() != 0) {
        stating_block(statement, target, joints, arrives ? place.last : nullptr, (tip - place_.pose().tip).norm());
    } else if (arrives) {
        arrive(target, tip, *place.last);
    } else {
        rapids_.move_clear(target, joints);
    }
}

/// The block of a link that states the tool's length, too. `last`: the feed at which it arrives, over `way` mm; null: in rapid, or as what
/// goes in its place.
void LinkPlaces::stating_block(Statement statement, const MachinePosition& target, JointSet joints, const FeedSpec* last, double way)
{
    const auto straight = last != nullptr ? std::nullopt : rapids_.straight_feed(target, joints);
    if ((joints & place_.chain.rotary) != 0) {
        brakes_.release_moving(target);
    }
    if (last != nullptr) {
        const bool by_time = last->mode == FeedMode::inverse_time;
        feeds_.add(statement, by_time ? FeedMode::per_minute : last->mode, by_time ? way / last->seconds(way) : last->value);
    } else if (straight) {
        feeds_.add(statement, FeedMode::per_minute, straight->value);
    }
    if (auto word = emitter_.function(last != nullptr || straight ? Function::linear : Function::rapid)) {
        statement.slots.push_back(*word);
    }
    for (const std::size_t i : place_.frame.chain()) {
        if ((joints & bit_of(i)) != 0) {
            place_.stated[i] = true;
            circles_.add_axis(statement, i, target.counts[i]);
            place_.move_joint(i, target);
        }
    }
    emitter_.emit(statement);
}

/// The last way of a first approach, at feed.
void LinkPlaces::arrive(const MachinePosition& target, const Vec3& tip, const FeedSpec& feed)
{
    const double length = (tip - place_.pose().tip).norm();
    lines_.line(target, feed.seconds(length), length, feed);
}

struct LinkPlaces::Ride {
    LinkPlace& place;
    SurfaceWay way;
    ClearanceSurface allowed; ///< outside it the tool stays
    Readings from;            ///< where it begins
    bool turns = false;
    bool reported = false; ///< that it does not stay outside
    [[nodiscard]] Readings readings_at(double u) const { return from + (place.planned - from) * u; }
    /// The bend between two places that is nearest to their middle, or the middle.
    [[nodiscard]] double between(double u0, double u1) const
    {
        const double middle = (u0 + u1) / 2;
        double at = middle;
        for (const double bend : way.bends) {
            at = bend > u0 && bend < u1 && (at == middle || std::abs(bend - middle) < std::abs(at - middle)) ? bend : at;
        }
        return at;
    }
};

/// To the clear place along the clearance surface while the rotary joints turn, in as many blocks as keep the tool outside.
void LinkPlaces::ride(LinkPlace& place)
{
    const ClearanceSurface& surface = *operations_.next.links->clearance;
    const PoseMap in_part(assembly_.setup.part().inverse());
    const Readings from = place_.now();
    const Pose begin = in_part(place_.pose());
    if (const double inside = -surface.height(begin.tip); inside > ride_inside) {
        log_.report(Severity::error, "ride-from-inside", "",
                    fmt::format("the tool is {:.3f} mm inside the clearance surface where it is to ride on it", inside),
                    "let the move before lead to \"leave\" or \"home\", or give both operations the same surface", inside);
        return;
    }
    const bool turns = place_.differs(place_.rounded(place.planned, place.clear), true);
    if (turns && !place_.on_cylinder()) {
        frames_.leave();
    } else if (of_the_tip(frames_.wanted()) && place_.frame.kind() == FrameKind::joints) {
        brakes_.lock_standing(operations_.next.outline);
        place.length_done = true;
        frames_.enter(place.pose, place.planned);
    }
    Ride ride{place, {}, surface.shrunk(ride_inside), from, turns, false};
    // Round a cylinder the tip goes with the tool's direction.
    double winding = 0;
    if (const auto along = surface.along(); along && turns) {
        double most = 0;
        for (const JointIndex joint : place_.solver().rotary()) {
            most = std::max(most, std::abs(place.planned[Eigen::Index(joint.value)] - from[Eigen::Index(joint.value)]));
        }
        const int parts = 1 + int(most / 0.1);
        Vec3 before = begin.axis;
        for (int k = 1; k <= parts; ++k) {
            Readings at = place_.now();
            place_.solver().take_rotary(at, ride.readings_at(double(k) / parts));
            const Vec3 axis = in_part(place_.solver().kinematics().pose(at, place_.tool_length)).axis;
            winding += angle_about(*along, before, axis);
            before = axis;
        }
    }
    ride.way = surface.shrunk(-clear_above).way(begin.tip, in_part({place.clear, place.pose.axis}).tip, winding);
    ride_to(ride, 0, 1, 0);
    place_.retracted = false;
}

/// From one fraction of it to another, halved as often as it takes.
void LinkPlaces::ride_to(Ride& ride, double u0, double u1, int halvings)
{
    const InverseSolver& solver = place_.solver();
    const Readings planned = ride.readings_at(u1);
    const Vec3 tip = u1 >= 1 ? ride.place.clear : Vec3(assembly_.setup.part() * ride.way.at(u1));
    const MachinePosition target = place_.rounded(planned, tip);
    const bool clear = clear_along(ride.allowed, assembly_.setup.part(), solver.kinematics(), place_.tool_length,
                                   rapid_stretches(assembly_.machine, place_.now(), target.readings, assembly_.controller.rapid_straight));
    const bool one = circles_.blocks_between(place_.now(), target.readings) == 1;
    if ((!clear || !one) && halvings < most_halvings) {
        const double at = ride.between(u0, u1);
        ride_to(ride, u0, at, halvings + 1);
        ride_to(ride, at, u1, halvings + 1);
        return;
    }
    if (!clear && !std::exchange(ride.reported, true)) {
        log_.report(Severity::error, "ride-not-clear", "", "the tool can't ride on the clearance surface without coming inside it",
                    "choose a larger surface or another shape, or go by \"home\"", 1);
    }
    if (place_.frame.kind() == FrameKind::joints) {
        move(ride.turns ? place_.chain.rotary | place_.chain.linear : place_.chain.linear, planned, tip, ride.place);
    } else {
        rapids_.move(target, place_.chain.linear);
    }
}

} // namespace wexilum
