#include "core/write/link_writer.hpp"

#include "core/motion/rapid_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double clear_way = 2;      // mm beyond what an operation touches
constexpr double clear_above = 1;    // mm above the clearance surface, so that straight blocks along it stay outside
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

/// Whether going along the tool moves other joints than the one that retracts.
bool LinkWriter::points_beside(const Pose& pose, const Turns& turns) const
{
    const auto away = place_.away_joint();
    if (!place_.chain.tool_turns || !away) {
        return place_.chain.beside;
    }
    constexpr double way = 100; // mm
    Readings at = place_.now();
    place_.solver().set_turns(at, turns);
    Readings out = at;
    place_.solver().set_linear(at, pose.tip, place_.tool_length);
    place_.solver().set_linear(out, pose.tip + place_.out_of_work(pose, at) * way, place_.tool_length);
    out -= at;
    out[Eigen::Index(*away)] = 0;
    return out.cwiseAbs().maxCoeff() > way * 1e-4;
}

/// From where the way along the tool to a pose (work mount's frame) is free: outside the clearance surface, and of what the operation
/// touches where the joint that retracts leads across the tool.
Vec3 LinkWriter::clear_place(const Pose& pose, const Turns& turns, const LinkedOperation& operation)
{
    const Frame& part = assembly_.setup.part;
    Readings at = place_.now();
    place_.solver().set_turns(at, turns);
    const Vec3 out_in_work = place_.out_of_work(pose, at);
    const Pose in_part = transformed(part.inverse(), {pose.tip, out_in_work});
    double way = 0;
    if (operation.outline != nullptr && points_beside(pose, turns)) {
        way = std::max(0.0, operation.outline->front(in_part.axis) + clear_way - in_part.axis.dot(in_part.tip));
    }
    if (operation.links != nullptr && operation.links->clearance) {
        const auto out = operation.links->clearance->shrunk(-clear_above).way_out(in_part.tip, in_part.axis);
        if (!out) {
            log_.report(Severity::error, "no-way-out", "",
                        fmt::format("the tool's direction ({:.4f}, {:.4f}, {:.4f}) does not lead out of the clearance surface",
                                    in_part.axis.x(), in_part.axis.y(), in_part.axis.z()),
                        "choose a surface that every tool of the operation points out of", 1);
        } else {
            way = std::max(way, (*out - in_part.tip).norm());
        }
    }
    return pose.tip + out_in_work * way;
}

void LinkWriter::leave_along_tool()
{
    if (!place_.positioned || place_.retracted) {
        return;
    }
    const Pose here = place_.pose();
    const Vec3 clear = clear_place(here, place_.solver().turns_of(place_.now()), operations_.here);
    if ((clear - here.tip).norm() > 0) {
        const Stand out = place_.with_same_turn(clear);
        place_.check_travel(out.readings);
        rapids_.move_clear(out, place_.chain.linear);
    }
}

/// By the retreat of the operation that the tool is in.
void LinkWriter::leave()
{
    if (!place_.positioned || place_.retracted) {
        return;
    }
    if (operations_.here.links == nullptr) {
        leave_along_tool();
    } else {
        for (std::size_t i = 0; i < operations_.here.links->retreat.size(); ++i) {
            marked(*operations_.here.links, LinkList::retreat, i, [&] { go(operations_.here.links->retreat[i], nullptr); });
        }
    }
    place_.positioned = false;
}

void LinkWriter::retract()
{
    const auto away = place_.away_joint();
    if (!away) {
        return;
    }
    const auto at_home = [&] {
        return place_.retracted && std::abs(place_.now()[Eigen::Index(*away)] - assembly_.machine.joints[*away].home) < 1e-9;
    };
    if (at_home()) {
        return;
    }
    leave();
    if (!at_home()) {
        home_linear({JointIndex(std::uint32_t(*away))});
    }
    place_.positioned = false;
}

/// By positions of the machine, which no offset, length or plane shifts.
void LinkWriter::home_linear(const std::vector<JointIndex>& joints)
{
    frames_.leave();
    Statement statement(StatementKind::motion);
    if (auto word = emitter_.function(Function::machine_coordinates)) {
        statement.slots.push_back(*word);
    }
    if (auto word = emitter_.function(Function::rapid)) {
        statement.slots.push_back(*word);
    }
    emitter_.forget(Role::axes);
    for (const JointIndex joint : joints) {
        statement.slots.push_back(
            place_.frame.slot(Role::axes, place_.frame.quantity(joint.value), assembly_.machine.joints[joint.value].home, joint.value));
    }
    emitter_.emit(statement);
    emitter_.forget(Role::axes);
    emitter_.forget_after("machine-coordinates");
    for (const JointIndex joint : joints) {
        place_.moved_to(joint.value, assembly_.machine.joints[joint.value].home);
        circles_.forget(joint.value);
        place_.stated[joint.value] = true;
        place_.retracted = place_.retracted || place_.away_joint() == joint.value;
    }
}

void LinkWriter::go_home(const std::vector<JointIndex>& joints)
{
    std::vector<JointIndex> linear;
    JointSet rotary = 0;
    for (const JointIndex joint : joints) {
        if (place_.frame.is_rotary()[joint.value]) {
            rotary |= bit_of(joint.value);
        } else if (!place_.stated[joint.value] ||
                   std::abs(place_.now()[Eigen::Index(joint.value)] - assembly_.machine.joints[joint.value].home) > 1e-9) {
            linear.push_back(joint);
        }
    }
    if (!linear.empty()) {
        home_linear(linear);
    }
    if (rotary != 0) {
        frames_.leave();
        Stand target = place_.stand();
        for (const JointIndex joint : joints) {
            if (place_.frame.is_rotary()[joint.value]) {
                place_.bring(target, joint.value, place_.rotary_home_of(joint.value));
            }
        }
        rapids_.move(target, rotary);
    }
}

void LinkWriter::go_to_readings(const std::vector<HeldJoint>& readings)
{
    frames_.leave();
    Stand target = place_.stand();
    JointSet joints = 0;
    for (const HeldJoint& held : readings) {
        joints |= bit_of(held.joint.value);
        place_.bring(target, held.joint.value, held.reading);
    }
    place_.check_travel(target.readings);
    rapids_.move(target, joints);
    place_.retracted = place_.retracted && !has(joints, place_.away_joint());
}

/// Notes where the lines that `write` writes come to stand.
void LinkWriter::marked(const OperationLinks& links, LinkList list, std::size_t step, const std::function<void()>& write)
{
    const std::uint32_t first = emitter_.lines();
    write();
    const bool of_the_job = !assembly_.links.empty() && &links >= assembly_.links.data() && &links <= &assembly_.links.back();
    if (of_the_job && emitter_.lines() > first && marks_.size() < most_link_marks) {
        marks_.push_back({std::uint32_t(&links - assembly_.links.data()), list, std::uint32_t(step), first, emitter_.lines()});
    }
}

/// One partial move; `place` is null where nothing comes next yet.
void LinkWriter::go(const LinkStep& step, Place* place)
{
    JointSet joints = 0;
    for (const JointIndex joint : step.joints) {
        joints |= bit_of(joint.value);
    }
    joints = joints == 0 ? place_.chain.rotary | place_.chain.linear : joints;
    switch (step.to) {
    case LinkTarget::home: go_home(step.joints); return;
    case LinkTarget::leave: leave_along_tool(); return;
    case LinkTarget::readings: go_to_readings(step.readings); return;
    case LinkTarget::ride:
    case LinkTarget::clear:
    case LinkTarget::start: break;
    }
    if (place != nullptr && step.to == LinkTarget::ride) {
        ride(*place);
    } else if (place != nullptr) {
        go_to_place(joints, step.to == LinkTarget::clear ? place->clear : place->pose.tip, *place);
    }
}

/// Whether a list begins with the joint that retracts going home.
bool LinkWriter::goes_home_first(const LinkStep& step) const
{
    const auto away = place_.away_joint();
    return step.to == LinkTarget::home &&
           std::any_of(step.joints.begin(), step.joints.end(), [&](JointIndex joint) { return away == joint.value; });
}

void LinkWriter::approach(const Pose& pose, const Turns& planned, const FeedSpec* last)
{
    static const OperationLinks none;
    const LinkedOperation& next = operations_.next;
    const OperationLinks& links = next.links != nullptr ? *next.links : none;
    const bool inside = place_.positioned && operations_.here.outline == next.outline && !links.within.empty();
    const std::vector<LinkStep>& list = inside ? links.within : links.approach;
    const auto away = place_.away_joint();
    const bool safe = away && emitter_.function(Function::machine_coordinates);
    const bool goes_away = std::any_of(list.begin(), list.end(), [&](const LinkStep& step) { return goes_home_first(step); });
    if (!safe && (!links.own_approach || goes_away)) {
        log_.report(Severity::error, "no-retract", "", "nothing says how the tool gets away from the work before it is positioned",
                    "name the \"retract\" joint in the machine and give the dialect a word for machine-coordinates", 1);
        return;
    }
    std::size_t done = 0;
    if (!inside && !list.empty() && goes_home_first(list.front())) {
        marked(links, LinkList::approach, 0, [&] {
            own_retract_ ? own_retract_() : retract();
            frames_.leave(); // a rule's own retract may have kept it
            std::vector<JointIndex> others = list.front().joints;
            std::erase_if(others, [&](JointIndex j) { return away == j.value; });
            go_home(others);
        });
        done = 1;
    } else if (!inside) {
        leave();
        place_.on_cylinder() ? frames_.leave() : void();
    }
    const Turns turns = circles_.shifted(planned);
    Place place{pose, turns, clear_place(pose, turns, next), last, false};
    for (; done < list.size(); ++done) {
        marked(links, inside ? LinkList::within : LinkList::approach, done, [&] { go(list[done], &place); });
    }
    if (frames_.wanted() == FrameKind::cylinder && !place_.on_cylinder()) {
        frames_.enter_cylinder();
    }
    place_.positioned = true;
    place_.retracted = false;
}

/// Brings some joints to where they are while the tip is at `tip`.
void LinkWriter::go_to_place(JointSet joints, const Vec3& tip, Place& place)
{
    if (place_.on_cylinder()) {
        go_on_cylinder(joints, tip, place);
        return;
    }
    const Stand target = place_.rounded(place.turns, tip);
    JointSet turning = 0;
    for (const std::size_t i : place_.frame.chain()) {
        turning |= place_.frame.is_rotary()[i] && (!place_.stated[i] || target.counts[i] != place_.stand().counts[i]) ? bit_of(i) : 0;
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
    link_move(joints, place.turns, tip, place);
}

/// Round the cylinder instead of by the joint that turns it; the joint under that word stands.
void LinkWriter::go_on_cylinder(JointSet joints, const Vec3& tip, const Place& place)
{
    const JointSet flat = bit_of(place_.frame.cylinder().flat);
    const JointSet moving = (joints & place_.chain.linear & ~flat) | ((joints & place_.chain.rotary) != 0 ? flat : 0);
    const Stand target = place_.rounded(place.turns, tip);
    place_.check_travel(target.readings);
    if (place.last != nullptr && moving == place_.chain.linear && (tip - place.pose.tip).norm() < 1e-9) {
        arrive(target, tip, *place.last);
        return;
    }
    rapids_.move(target, moving);
}

/// In coordinates of the tip every word moves several joints: those that are not meant stay by the coordinates themselves.
void LinkWriter::go_in_frame(JointSet joints, const Vec3& tip, Place& place)
{
    if (place_.frame.kind() == FrameKind::joints) {
        place.length_done = true;
        if (!frames_.enter(place.pose, place.turns)) {
            link_move(joints, place.turns, tip, place);
            return;
        }
    }
    const auto away = place_.away_joint();
    Stand target = place_.rounded(place.turns, tip);
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
        rapids_.move(place_.frame.stand_at(place_.stand(), part), place_.chain.linear);
        return;
    }
    if (place.last != nullptr && (tip - place.pose.tip).norm() < 1e-9) {
        arrive(target, tip, *place.last);
        return;
    }
    rapids_.move_clear(target, place_.chain.linear);
}

/// One block of a link, in the joints' own readings. The first that moves the joint which carries the length states that length.
void LinkWriter::link_move(JointSet joints, const Turns& turns, const Vec3& tip, Place& place)
{
    const bool states = !place.length_done && (has(joints, place_.away_joint()) || has(joints, place_.frame.length_joint()));
    Statement statement(StatementKind::motion);
    if (states && !of_the_tip(frames_.wanted())) {
        frames_.add_length(statement);
        place.length_done = true;
    } else if (states) {
        frames_.switch_length_off();
    }
    const InverseSolver& solver = place_.solver();
    const Stand target = place_.rounded(turns, tip);
    if ((joints & place_.chain.rotary) != 0 &&
        circles_.blocks_between(solver.turns_of(place_.now()), solver.turns_of(target.readings)) > 1) {
        rapids_.move(target, joints & place_.chain.rotary);
    }
    Readings end = place_.now();
    bool arrives = place.last != nullptr && (tip - place.pose.tip).norm() < 1e-9;
    for (const std::size_t i : place_.frame.chain()) {
        const bool moves = (joints & bit_of(i)) != 0;
        end[Eigen::Index(i)] = moves ? target.readings[Eigen::Index(i)] : end[Eigen::Index(i)];
        arrives = arrives && (moves || target.counts[i] == place_.stand().counts[i]);
    }
    place_.check_travel(end);
    if (statement.slots.size() != 0) {
        link_block(statement, target, joints, arrives ? place.last : nullptr, (tip - place_.pose().tip).norm());
    } else if (arrives) {
        arrive(target, tip, *place.last);
    } else {
        rapids_.move_clear(target, joints);
    }
}

/// The block of a link that states the tool's length, too. `last`: the feed at which it arrives, over `way` mm; null: in rapid, or as what
/// goes in its stead.
void LinkWriter::link_block(Statement statement, const Stand& target, JointSet joints, const FeedSpec* last, double way)
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
            place_.stand_at(i, target);
        }
    }
    emitter_.emit(statement);
}

/// The last way of a first approach, at feed.
void LinkWriter::arrive(const Stand& target, const Vec3& tip, const FeedSpec& feed)
{
    const double length = (tip - place_.pose().tip).norm();
    lines_.line(target, feed.seconds(length), length, feed);
}

struct LinkWriter::Ride {
    Place& place;
    SurfaceWay way;
    ClearanceSurface allowed; ///< outside it the tool stays
    Turns from;               ///< where it begins
    bool turns = false;
    bool told = false; ///< that it does not stay outside
    [[nodiscard]] Turns turns_at(double u) const
    {
        return {from[0] + (place.turns[0] - from[0]) * u, from[1] + (place.turns[1] - from[1]) * u};
    }
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
void LinkWriter::ride(Place& place)
{
    const ClearanceSurface& surface = *operations_.next.links->clearance;
    const PoseMap in_part(assembly_.setup.part.inverse());
    const Turns from = place_.solver().turns_of(place_.now());
    const Pose begin = in_part(place_.pose());
    if (const double inside = -surface.height(begin.tip); inside > ride_inside) {
        log_.report(Severity::error, "ride-from-inside", "",
                    fmt::format("the tool is {:.3f} mm inside the clearance surface where it is to ride on it", inside),
                    "let the move before lead to \"leave\" or \"home\", or give both operations the same surface", inside);
        return;
    }
    const bool turns = place_.differs(place_.rounded(place.turns, place.clear), true);
    if (turns && !place_.on_cylinder()) {
        frames_.leave();
    } else if (of_the_tip(frames_.wanted()) && place_.frame.kind() == FrameKind::joints) {
        brakes_.lock_standing(operations_.next.outline);
        place.length_done = true;
        frames_.enter(place.pose, place.turns);
    }
    Ride ride{place, {}, surface.shrunk(ride_inside), from, turns, false};
    // Round a cylinder the tip goes with the tool's direction.
    double winding = 0;
    if (const auto along = surface.along(); along && turns) {
        const double most = std::max(std::abs(place.turns[0] - from[0]), std::abs(place.turns[1] - from[1]));
        const int parts = 1 + int(most / 0.1);
        Vec3 before = begin.axis;
        for (int k = 1; k <= parts; ++k) {
            Readings at = place_.now();
            place_.solver().set_turns(at, ride.turns_at(double(k) / parts));
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
void LinkWriter::ride_to(Ride& ride, double u0, double u1, int halvings)
{
    const InverseSolver& solver = place_.solver();
    const Turns turns = ride.turns_at(u1);
    const Vec3 tip = u1 >= 1 ? ride.place.clear : Vec3(assembly_.setup.part * ride.way.at(u1));
    const Stand target = place_.rounded(turns, tip);
    const bool clear = clear_along(ride.allowed, assembly_.setup.part, solver.kinematics(), place_.tool_length,
                                   rapid_stretches(assembly_.machine, place_.now(), target.readings, assembly_.controller.rapid_straight));
    const bool one = circles_.blocks_between(solver.turns_of(place_.now()), solver.turns_of(target.readings)) == 1;
    if ((!clear || !one) && halvings < most_halvings) {
        const double at = ride.between(u0, u1);
        ride_to(ride, u0, at, halvings + 1);
        ride_to(ride, at, u1, halvings + 1);
        return;
    }
    if (!clear && !std::exchange(ride.told, true)) {
        log_.report(Severity::error, "ride-not-clear", "", "the tool can't ride on the clearance surface without coming inside it",
                    "choose a larger surface or another shape, or go by \"home\"", 1);
    }
    if (place_.frame.kind() == FrameKind::joints) {
        link_move(ride.turns ? place_.chain.rotary | place_.chain.linear : place_.chain.linear, turns, tip, ride.place);
    } else {
        rapids_.move(target, place_.chain.linear);
    }
}

/// The joints that a posture holds, in its order.
void LinkWriter::take_posture(const Posture& posture, const InverseSolver& solver)
{
    place_.positioned = false;
    frames_.leave();
    for (const HeldJoint& held : posture.held) {
        const std::size_t joint = held.joint.value;
        if (assembly_.machine.joints[joint].by_hand) {
            place_.set_reading(joint, held.reading);
            continue;
        }
        place_.frame.take_sums(place_.now());
        const std::int64_t counts = place_.frame.counts(joint, held.reading);
        if (place_.stated[joint] && counts == place_.frame.counts(joint, place_.now()[Eigen::Index(joint)])) {
            continue;
        }
        brakes_.release(joint);
        Statement statement(StatementKind::motion);
        if (auto word = emitter_.function(Function::rapid)) {
            statement.slots.push_back(*word);
        }
        circles_.add_axis(statement, joint, counts);
        emitter_.emit(statement);
        place_.moved_to(joint, place_.frame.reading(joint, counts));
        circles_.forget(joint);
        place_.stated[joint] = true;
    }
    const auto had_length = place_.frame.length_joint();
    place_.take_posture(posture, solver);
    if (place_.frame.length_joint() != had_length) { // the same length has to be stated for another joint
        frames_.forget_length();
    }
    circles_.forget_turns();
}

void LinkWriter::rapid(const Pose& pose, const Turns& planned, const FeedSpec* last)
{
    circles_.go_one_way(planned);
    const Stand target = place_.rounded(circles_.shifted(planned), pose.tip);
    place_.check_travel(target.readings);
    feeds_.carried_seconds = feeds_.carried_length = 0;
    if (!place_.positioned || place_.differs(target, true) || !frames_.in_wanted()) {
        approach(pose, planned, last);
        operations_.here = operations_.next;
        return;
    }
    operations_.here = operations_.next;
    // Same rotary readings: first away from the work, last towards it.
    const Pose here = place_.pose();
    const Vec3 out = place_.out_of_work(here, place_.now());
    const double rise = out.dot(pose.tip - here.tip);
    const Vec3 corner = rise > 0 ? Vec3(here.tip + out * rise) : Vec3(pose.tip - out * rise);
    const double sideways = (pose.tip - here.tip - out * rise).norm();
    const double least = place_.frame.rounding().step(Quantity::length);
    if (sideways > 2 * least && std::abs(rise) > 2 * least) {
        rapids_.move_clear(place_.with_same_turn(corner), place_.chain.linear);
    }
    rapids_.move_clear(target, place_.chain.linear);
    place_.retracted = false;
}

void LinkWriter::rotary_home()
{
    own_retract_ ? own_retract_() : retract();
    Stand target = place_.stand();
    for (const std::size_t i : place_.frame.chain()) {
        if (place_.frame.is_rotary()[i]) {
            place_.bring(target, i, place_.rotary_home_of(i));
        }
    }
    if (place_.differs(target, true)) {
        rapids_.move(target, place_.chain.rotary);
    }
}

} // namespace wexilum
