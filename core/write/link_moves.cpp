// Links by their lists: away from the work, over the clearance surface, and back to the work.
#include "core/write/motion_writer.hpp"

#include "core/motion/rapid_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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
bool MotionWriter::points_beside(const Pose& pose, const Turns& turns) const
{
    const auto away = away_joint();
    if (!tool_turns_ || !away) {
        return beside_;
    }
    constexpr double way = 100; // mm
    Readings at = now();
    solver_->set_turns(at, turns);
    Readings out = at;
    solver_->set_linear(at, pose.tip, tool_length_);
    solver_->set_linear(out, pose.tip + out_of_work(pose, at) * way, tool_length_);
    out -= at;
    out[Eigen::Index(*away)] = 0;
    return out.cwiseAbs().maxCoeff() > way * 1e-4;
}

/// From where the way along the tool to a pose (work mount's frame) is free: outside the clearance surface, and of what the operation
/// touches where the joint that retracts leads across the tool.
Vec3 MotionWriter::clear_place(const Pose& pose, const Turns& turns, const LinkedOperation& operation)
{
    const Frame& part = assembly_.setup.part;
    Readings at = now();
    solver_->set_turns(at, turns);
    const Vec3 out_in_work = out_of_work(pose, at);
    const Pose in_part = transformed(part.inverse(), {pose.tip, out_in_work});
    double way = 0;
    if (operation.outline != nullptr && points_beside(pose, turns)) {
        way = std::max(0.0, operation.outline->front(in_part.axis) + clear_way - in_part.axis.dot(in_part.tip));
    }
    if (operation.links != nullptr && operation.links->clearance) {
        const auto out = operation.links->clearance->shrunk(-clear_above).way_out(in_part.tip, in_part.axis);
        if (!out) {
            report(Severity::error, "no-way-out", "",
                   fmt::format("the tool's direction ({:.4f}, {:.4f}, {:.4f}) does not lead out of the clearance surface", in_part.axis.x(),
                               in_part.axis.y(), in_part.axis.z()),
                   "choose a surface that every tool of the operation points out of", 1);
        } else {
            way = std::max(way, (*out - in_part.tip).norm());
        }
    }
    return pose.tip + out_in_work * way;
}

// --- away -----------------------------------------------------------------------------------------------------------------

void MotionWriter::leave_along_tool()
{
    if (!positioned_ || retracted_) {
        return;
    }
    const Pose here = solver_->kinematics().pose(now(), tool_length_);
    const Vec3 clear = clear_place(here, solver_->turns_of(now()), here_);
    if ((clear - here.tip).norm() > 0) {
        const Stand out = with_same_turn(clear);
        check_travel(out.readings);
        move_clear(out, linear_joints_);
    }
}

/// By the retreat of the operation that the tool is in.
void MotionWriter::leave()
{
    if (!positioned_ || retracted_) {
        return;
    }
    if (here_.links == nullptr) {
        leave_along_tool();
    } else {
        for (std::size_t i = 0; i < here_.links->retreat.size(); ++i) {
            marked(*here_.links, LinkList::retreat, i, [&] { go(here_.links->retreat[i], nullptr); });
        }
    }
    positioned_ = false;
}

void MotionWriter::retract()
{
    const auto away = away_joint();
    if (!away) {
        return;
    }
    const auto at_home = [&] { return retracted_ && std::abs(now()[Eigen::Index(*away)] - assembly_.machine.joints[*away].home) < 1e-9; };
    if (at_home()) {
        return;
    }
    leave();
    if (!at_home()) {
        home_linear({JointIndex(std::uint32_t(*away))});
    }
    positioned_ = false;
}

/// By positions of the machine, which no offset, length or plane shifts.
void MotionWriter::home_linear(const std::vector<JointIndex>& joints)
{
    leave_frame();
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
            frame_.slot(Role::axes, frame_.quantity(joint.value), assembly_.machine.joints[joint.value].home, joint.value));
    }
    emitter_.emit(statement);
    emitter_.forget(Role::axes);
    emitter_.forget_after("machine-coordinates");
    for (const JointIndex joint : joints) {
        moved_to(joint.value, assembly_.machine.joints[joint.value].home);
        stated_[joint.value] = true;
        retracted_ = retracted_ || away_joint() == joint.value;
    }
}

void MotionWriter::go_home(const std::vector<JointIndex>& joints)
{
    std::vector<JointIndex> linear;
    JointSet rotary = 0;
    for (const JointIndex joint : joints) {
        if (frame_.is_rotary()[joint.value]) {
            rotary |= bit_of(joint.value);
        } else if (!stated_[joint.value] ||
                   std::abs(now()[Eigen::Index(joint.value)] - assembly_.machine.joints[joint.value].home) > 1e-9) {
            linear.push_back(joint);
        }
    }
    if (!linear.empty()) {
        home_linear(linear);
    }
    if (rotary != 0) {
        leave_frame();
        Stand target = now_;
        for (const JointIndex joint : joints) {
            if (frame_.is_rotary()[joint.value]) {
                bring(target, joint.value, rotary_home_of(joint.value));
            }
        }
        move(Function::rapid, target, rotary);
    }
}

void MotionWriter::go_to_readings(const std::vector<HeldJoint>& readings)
{
    leave_frame();
    Stand target = now_;
    JointSet joints = 0;
    for (const HeldJoint& held : readings) {
        joints |= bit_of(held.joint.value);
        bring(target, held.joint.value, held.reading);
    }
    check_travel(target.readings);
    move(Function::rapid, target, joints);
    retracted_ = retracted_ && !has(joints, away_joint());
}

/// Notes where the lines that `write` writes come to stand.
void MotionWriter::marked(const OperationLinks& links, LinkList list, std::size_t step, const std::function<void()>& write)
{
    const std::uint32_t first = emitter_.lines();
    write();
    const bool of_the_job = !assembly_.links.empty() && &links >= assembly_.links.data() && &links <= &assembly_.links.back();
    if (of_the_job && emitter_.lines() > first && link_marks_.size() < most_link_marks) {
        link_marks_.push_back({std::uint32_t(&links - assembly_.links.data()), list, std::uint32_t(step), first, emitter_.lines()});
    }
}

/// One partial move; `place` is null where nothing comes next yet.
void MotionWriter::go(const LinkStep& step, LinkPlace* place)
{
    JointSet joints = 0;
    for (const JointIndex joint : step.joints) {
        joints |= bit_of(joint.value);
    }
    joints = joints == 0 ? rotary_joints_ | linear_joints_ : joints;
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

// --- to a place -----------------------------------------------------------------------------------------------------------

void MotionWriter::approach(const Pose& pose, const Turns& planned, const FeedSpec* last)
{
    static const OperationLinks none;
    const OperationLinks& links = next_operation_.links != nullptr ? *next_operation_.links : none;
    const bool inside = positioned_ && here_.outline == next_operation_.outline && !links.within.empty();
    const std::vector<LinkStep>& list = inside ? links.within : links.approach;
    const auto away = away_joint();
    const auto goes_away = [&](const LinkStep& step) {
        return step.to == LinkTarget::home &&
               std::any_of(step.joints.begin(), step.joints.end(), [&](JointIndex j) { return away == j.value; });
    };
    const bool safe = away && emitter_.function(Function::machine_coordinates);
    if (!safe && (!links.own_approach || std::any_of(list.begin(), list.end(), goes_away))) {
        report(Severity::error, "no-retract", "", "nothing says how the tool gets away from the work before it is positioned",
               "name the \"retract\" joint in the machine and give the dialect a word for machine-coordinates", 1);
        return;
    }
    std::size_t done = 0;
    if (!inside && !list.empty() && goes_away(list.front())) {
        marked(links, LinkList::approach, 0, [&] {
            own_retract_ ? own_retract_() : retract();
            leave_frame(); // a rule's own retract may have kept it
            std::vector<JointIndex> others = list.front().joints;
            std::erase_if(others, [&](JointIndex j) { return away == j.value; });
            go_home(others);
        });
        done = 1;
    } else if (!inside) {
        leave();
        on_cylinder() ? leave_frame() : void();
    }
    LinkPlace place{pose, shifted(planned), clear_place(pose, shifted(planned), next_operation_), last, false};
    for (; done < list.size(); ++done) {
        marked(links, inside ? LinkList::within : LinkList::approach, done, [&] { go(list[done], &place); });
    }
    if (wanted_frame_ == FrameKind::cylinder && !on_cylinder()) {
        enter_cylinder();
    }
    positioned_ = true;
    retracted_ = false;
}

/// Brings some joints to where they are while the tip is at `tip`.
void MotionWriter::go_to_place(JointSet joints, const Vec3& tip, LinkPlace& place)
{
    if (on_cylinder()) {
        go_on_cylinder(joints, tip, place);
        return;
    }
    const Stand target = rounded(place.turns, tip);
    JointSet turning = 0;
    for (const std::size_t i : frame_.chain()) {
        turning |= frame_.is_rotary()[i] && (!stated_[i] || target.counts[i] != now_.counts[i]) ? bit_of(i) : 0;
    }
    const bool turns = (joints & turning) != 0;
    if (turns) {
        leave_frame();
    }
    if ((joints & linear_joints_) == 0) {
        move(Function::rapid, target, joints);
        return;
    }
    if ((turning & ~joints) == 0 && !turns) {
        lock_standing();
        if (of_the_tip(wanted_frame_)) {
            go_in_frame(joints, tip, place);
            return;
        }
    }
    link_move(joints, place.turns, tip, place);
}

/// Round the cylinder instead of by the joint that turns it; the joint under that word stands.
void MotionWriter::go_on_cylinder(JointSet joints, const Vec3& tip, const LinkPlace& place)
{
    const JointSet flat = bit_of(frame_.cylinder().flat);
    const JointSet moving = (joints & linear_joints_ & ~flat) | ((joints & rotary_joints_) != 0 ? flat : 0);
    const Stand target = rounded(place.turns, tip);
    check_travel(target.readings);
    if (place.last != nullptr && moving == linear_joints_ && (tip - place.pose.tip).norm() < 1e-9) {
        const double length = (tip - solver_->kinematics().pose(now(), tool_length_).tip).norm();
        feed_line(target, place.last->seconds(length), length, *place.last);
        return;
    }
    move(Function::rapid, target, moving);
}

/// In coordinates of the tip every word moves several joints: those that are not meant stay by the coordinates themselves.
void MotionWriter::go_in_frame(JointSet joints, const Vec3& tip, LinkPlace& place)
{
    if (frame_.kind() == FrameKind::joints) {
        place.length_done = true;
        if (!enter_frame(place.pose, place.turns)) {
            link_move(joints, place.turns, tip, place);
            return;
        }
    }
    const auto away = away_joint();
    Stand target = rounded(place.turns, tip);
    check_travel(target.readings);
    if ((linear_joints_ & ~joints) != 0) {
        Readings part = target.readings;
        for (const std::size_t i : frame_.chain()) {
            const auto at = Eigen::Index(i);
            if ((bit_of(i) & linear_joints_ & ~joints) != 0) {
                // No coordinate says the end of a joint's travel to the last digit: a little inside.
                const double inside = away == i ? 4 * frame_.rounding().step(Quantity::length) : 0;
                const double way = target.readings[at] - now()[at];
                part[at] = now()[at] + std::copysign(std::min(inside, std::abs(way)), way);
            }
        }
        move(Function::rapid, frame_.stand_at(now_, part), linear_joints_);
        return;
    }
    if (place.last != nullptr && (tip - place.pose.tip).norm() < 1e-9) {
        const double length = (tip - solver_->kinematics().pose(now(), tool_length_).tip).norm();
        feed_line(target, place.last->seconds(length), length, *place.last);
        return;
    }
    move_clear(target, linear_joints_);
}

/// One block of a link, in the joints' own readings. The first that moves the joint which carries the length states that length.
void MotionWriter::link_move(JointSet joints, const Turns& turns, const Vec3& tip, LinkPlace& place)
{
    const bool states = !place.length_done && (has(joints, away_joint()) || has(joints, frame_.length_joint()));
    Statement statement(StatementKind::motion);
    if (states && !of_the_tip(wanted_frame_)) {
        add_length(statement);
        place.length_done = true;
    } else if (states && length_on_) {
        emitter_.emit({StatementKind::state, {*emitter_.function(Function::length_off)}}); // until the coordinates of the tip are on
        length_on_ = false;
    }
    const Stand target = rounded(turns, tip);
    if ((joints & rotary_joints_) != 0 && blocks_between(solver_->turns_of(now()), solver_->turns_of(target.readings)) > 1) {
        move(Function::rapid, target, joints & rotary_joints_);
    }
    Readings end = now();
    bool arrives = place.last != nullptr && (tip - place.pose.tip).norm() < 1e-9;
    for (const std::size_t i : frame_.chain()) {
        const bool moves = (joints & bit_of(i)) != 0;
        end[Eigen::Index(i)] = moves ? target.readings[Eigen::Index(i)] : end[Eigen::Index(i)];
        arrives = arrives && (moves || target.counts[i] == now_.counts[i]);
    }
    check_travel(end);
    const double way = (tip - solver_->kinematics().pose(now(), tool_length_).tip).norm();
    if (statement.slots.size() == 0) {
        if (arrives) {
            feed_line(target, place.last->seconds(way), way, *place.last);
        } else {
            move_clear(target, joints);
        }
        return;
    }
    const auto straight = arrives ? std::nullopt : straight_feed(target, joints);
    if ((joints & rotary_joints_) != 0) {
        release_moving(target);
    }
    if (arrives) {
        const bool by_time = place.last->mode == FeedMode::inverse_time;
        add_feed(statement, by_time ? FeedMode::per_minute : place.last->mode,
                 by_time ? way / place.last->seconds(way) : place.last->value);
    } else if (straight) {
        add_feed(statement, FeedMode::per_minute, straight->value);
    }
    if (auto word = emitter_.function(arrives || straight ? Function::linear : Function::rapid)) {
        statement.slots.push_back(*word);
    }
    for (const std::size_t i : frame_.chain()) {
        if ((joints & bit_of(i)) != 0) {
            stated_[i] = true;
            add_axis(statement, i, target.counts[i]);
            stand_at(i, target);
        }
    }
    emitter_.emit(statement);
}

// --- along the surface ----------------------------------------------------------------------------------------------------

/// To the clear place along the clearance surface while the rotary joints turn, in as many blocks as keep the tool outside.
void MotionWriter::ride(LinkPlace& place)
{
    const ClearanceSurface& surface = *next_operation_.links->clearance;
    const Kinematics& kinematics = solver_->kinematics();
    const PoseMap in_part(assembly_.setup.part.inverse());
    const Turns from = solver_->turns_of(now());
    const Pose begin = in_part(kinematics.pose(now(), tool_length_));
    if (const double inside = -surface.height(begin.tip); inside > ride_inside) {
        report(Severity::error, "ride-from-inside", "",
               fmt::format("the tool is {:.3f} mm inside the clearance surface where it is to ride on it", inside),
               "let the move before lead to \"leave\" or \"home\", or give both operations the same surface", inside);
        return;
    }
    const bool turns = differs(rounded(place.turns, place.clear), true);
    if (turns && !on_cylinder()) {
        leave_frame();
    } else if (of_the_tip(wanted_frame_) && frame_.kind() == FrameKind::joints) {
        lock_standing();
        place.length_done = true;
        enter_frame(place.pose, place.turns);
    }
    const auto turns_at = [&](double u) {
        return Turns{from[0] + (place.turns[0] - from[0]) * u, from[1] + (place.turns[1] - from[1]) * u};
    };
    // Round a cylinder the tip goes with the tool's direction.
    double winding = 0;
    if (const auto along = surface.along(); along && turns) {
        const double most = std::max(std::abs(place.turns[0] - from[0]), std::abs(place.turns[1] - from[1]));
        const int parts = 1 + int(most / 0.1);
        Vec3 before = begin.axis;
        for (int k = 1; k <= parts; ++k) {
            Readings at = now();
            solver_->set_turns(at, turns_at(double(k) / parts));
            const Vec3 axis = in_part(kinematics.pose(at, tool_length_)).axis;
            winding += angle_about(*along, before, axis);
            before = axis;
        }
    }
    const SurfaceWay way = surface.shrunk(-clear_above).way(begin.tip, in_part({place.clear, place.pose.axis}).tip, winding);
    const ClearanceSurface allowed = surface.shrunk(ride_inside);
    const auto tip_at = [&](double u) { return u >= 1 ? place.clear : Vec3(assembly_.setup.part * way.at(u)); };
    bool told = false;
    const std::function<void(double, double, int)> go_to = [&](double u0, double u1, int halvings) {
        const Stand target = rounded(turns_at(u1), tip_at(u1));
        const bool together = assembly_.controller.rapid_straight;
        const bool clear = clear_along(allowed, assembly_.setup.part, kinematics, tool_length_,
                                       rapid_stretches(assembly_.machine, now(), target.readings, together));
        const bool one = blocks_between(solver_->turns_of(now()), solver_->turns_of(target.readings)) == 1;
        if ((!clear || !one) && halvings < most_halvings) {
            const double middle = (u0 + u1) / 2;
            double at = middle;
            for (const double bend : way.bends) {
                at = bend > u0 && bend < u1 && (at == middle || std::abs(bend - middle) < std::abs(at - middle)) ? bend : at;
            }
            go_to(u0, at, halvings + 1);
            go_to(at, u1, halvings + 1);
            return;
        }
        if (!clear && !std::exchange(told, true)) {
            report(Severity::error, "ride-not-clear", "", "the tool can't ride on the clearance surface without coming inside it",
                   "choose a larger surface or another shape, or go by \"home\"", 1);
        }
        if (frame_.kind() == FrameKind::joints) {
            link_move(turns ? rotary_joints_ | linear_joints_ : linear_joints_, turns_at(u1), tip_at(u1), place);
        } else {
            move(Function::rapid, target, linear_joints_);
        }
    };
    go_to(0, 1, 0);
    retracted_ = false;
}

} // namespace wexilum
