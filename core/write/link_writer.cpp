#include "core/write/link_writer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double clear_way = 2; // mm beyond what an operation touches

} // namespace

/// Whether going along the tool moves other joints than the one that retracts.
bool LinkWriter::points_beside(const Pose& pose, const Readings& planned) const
{
    const auto away = place_.away_joint();
    if (!place_.chain.tool_turns || !away) {
        return place_.chain.beside;
    }
    constexpr double way = 100; // mm
    Readings at = place_.now();
    place_.solver().take_rotary(at, planned);
    Readings out = at;
    place_.solver().set_linear(at, pose.tip, place_.tool_length);
    place_.solver().set_linear(out, pose.tip + place_.out_of_work(pose, at) * way, place_.tool_length);
    out -= at;
    out[Eigen::Index(*away)] = 0;
    return out.cwiseAbs().maxCoeff() > way * 1e-4;
}

/// From where the way along the tool to a pose (work mount's frame) is free: outside the clearance surface, and of what the operation
/// touches where the joint that retracts leads across the tool.
Vec3 LinkWriter::clear_place(const Pose& pose, const Readings& planned, const LinkedOperation& operation)
{
    const Frame& part = assembly_.setup.part();
    Readings at = place_.now();
    place_.solver().take_rotary(at, planned);
    const Vec3 out_in_work = place_.out_of_work(pose, at);
    const Pose in_part = transformed(part.inverse(), {pose.tip, out_in_work});
    double way = 0;
    if (operation.outline != nullptr && points_beside(pose, planned)) {
        way = std::max(0.0, operation.outline->front(in_part.axis) + clear_way - in_part.axis.dot(in_part.tip));
    }
    if (operation.links != nullptr && operation.links->clearance) {
        const auto out = operation.links->clearance->shrunk(-LinkPlaces::clear_above).way_out(in_part.tip, in_part.axis);
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
    const Vec3 clear = clear_place(here, place_.now(), operations_.here);
    if ((clear - here.tip).norm() > 0) {
        const MachinePosition out = place_.with_same_turn(clear);
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
        MachinePosition target = place_.position();
        for (const JointIndex joint : joints) {
            if (place_.frame.is_rotary()[joint.value]) {
                place_.set_joint(target, joint.value, place_.rotary_home_of(joint.value));
            }
        }
        rapids_.move(target, rotary);
    }
}

void LinkWriter::go_to_readings(const std::vector<HeldJoint>& readings)
{
    frames_.leave();
    MachinePosition target = place_.position();
    JointSet joints = 0;
    for (const HeldJoint& held : readings) {
        joints |= bit_of(held.joint.value);
        place_.set_joint(target, held.joint.value, held.reading);
    }
    place_.check_travel(target.readings);
    rapids_.move(target, joints);
    place_.retracted = place_.retracted && !has(joints, place_.away_joint());
}

/// Notes where the lines that `write` writes are.
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
void LinkWriter::go(const LinkStep& step, LinkPlace* place)
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
        places_.ride(*place);
    } else if (place != nullptr) {
        places_.go(joints, step.to == LinkTarget::clear ? place->clear : place->pose.tip, *place);
    }
}

/// Whether a list begins with the joint that retracts going home.
bool LinkWriter::goes_home_first(const LinkStep& step) const
{
    const auto away = place_.away_joint();
    return step.to == LinkTarget::home &&
           std::any_of(step.joints.begin(), step.joints.end(), [&](JointIndex joint) { return away == joint.value; });
}

void LinkWriter::approach(const Pose& pose, const Readings& planned, const FeedSpec* last)
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
    const Readings shifted = circles_.shifted(planned);
    LinkPlace place{pose, shifted, clear_place(pose, shifted, next), last, false};
    for (; done < list.size(); ++done) {
        marked(links, inside ? LinkList::within : LinkList::approach, done, [&] { go(list[done], &place); });
    }
    if (frames_.wanted() == FrameKind::cylinder && !place_.on_cylinder()) {
        frames_.enter_cylinder();
    }
    place_.positioned = true;
    place_.retracted = false;
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

void LinkWriter::rapid(const Pose& pose, const Readings& planned, const FeedSpec* last)
{
    circles_.go_one_way(planned);
    const MachinePosition target = place_.rounded(circles_.shifted(planned), pose.tip);
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
    MachinePosition target = place_.position();
    for (const std::size_t i : place_.frame.chain()) {
        if (place_.frame.is_rotary()[i]) {
            place_.set_joint(target, i, place_.rotary_home_of(i));
        }
    }
    if (place_.differs(target, true)) {
        rapids_.move(target, place_.chain.rotary);
    }
}

} // namespace wexilum
