// What links of native motion are made of: rapids, brakes, postures, and the coordinates in force.
#include "core/write/motion_writer.hpp"

#include "core/base/units.hpp"
#include "core/motion/rapid_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
bool MotionWriter::move(Function function, const Stand& target, JointSet joints)
{
    const int parts =
        (joints & rotary_joints_) != 0 ? blocks_between(solver_->turns_of(now_.readings), solver_->turns_of(target.readings)) : 1;
    const Stand from = now_;
    for (int k = 1; k < parts; ++k) {
        Stand part = now_;
        for (const std::size_t i : frame_.chain()) {
            if (frame_.is_rotary()[i]) {
                part.counts[i] = from.counts[i] + (target.counts[i] - from.counts[i]) * k / parts;
                part.readings[Eigen::Index(i)] = frame_.reading(i, part.counts[i]);
            }
        }
        move_once(function, part, joints & rotary_joints_);
    }
    return move_once(function, target, joints);
}

void MotionWriter::brake_is(const std::string& joint, bool locked)
{
    for (Brake& brake : brakes_) {
        if (assembly_.machine.joints[brake.joint].id == joint) {
            brake.locked = locked;
        }
    }
}

/// Before a joint moves.
void MotionWriter::release(std::size_t joint)
{
    for (Brake& brake : brakes_) {
        if (brake.joint == joint && brake.locked != false) {
            emitter_.emit({StatementKind::state, {{Role::once, 0, Quantity::whole, 0, &brake.words->release}}});
            brake.locked = false;
        }
    }
}

void MotionWriter::release_moving(const Stand& target)
{
    for (const Brake& brake : brakes_) {
        if (!stated_[brake.joint] || target.counts[brake.joint] != now_.counts[brake.joint]) {
            release(brake.joint);
        }
    }
}

/// After positioning: joints that stand still in all cuts of the operation are held by their brakes.
void MotionWriter::lock_standing()
{
    for (Brake& brake : brakes_) {
        const bool may_turn = assembly_.machine.joints[brake.joint].moves_while_cutting && frame_.in_chain()[brake.joint];
        if (brake.locked != true && !(may_turn && next_operation_.outline != nullptr && next_operation_.outline->turns_in_cuts)) {
            emitter_.emit({StatementKind::state, {{Role::once, 0, Quantity::whole, 0, &brake.words->lock}}});
            brake.locked = true;
        }
    }
}

/// The fastest feed, where the joints of a rapid, each at its own speed, would take the tip beside a way along the tool, or lower than the
/// ends of another one; nothing where a rapid does.
std::optional<FeedSpec> MotionWriter::straight_feed(const Stand& target, JointSet joints)
{
    const Controller& controller = assembly_.controller;
    const bool goes_straight = of_the_tip(frame_.kind()) ? controller.tip_rapid_straight : controller.rapid_straight;
    if (goes_straight || on_cylinder() || !emitter_.function(Function::linear)) {
        return std::nullopt;
    }
    Readings end = now();
    std::size_t moving = 0;
    double seconds = 0;
    for (const std::size_t i : frame_.chain()) {
        const auto at = Eigen::Index(i);
        end[at] = (joints & bit_of(i)) != 0 ? target.readings[at] : end[at];
        const double way = std::abs(end[at] - now()[at]);
        const bool stays_back = (joints & bit_of(i)) == 0 && target.counts[i] != now_.counts[i]; // its turn comes later
        if (stays_back || (way > 0 && frame_.is_rotary()[i])) {
            return std::nullopt;
        }
        moving += way > 0 ? 1 : 0;
        seconds = std::max(seconds, way / assembly_.machine.joints[i].speed);
    }
    if (moving < 2) {
        return std::nullopt;
    }
    const double least = 2 * frame_.rounding().step(Quantity::length);
    const Pose from = solver_->kinematics().pose(now(), tool_length_);
    const Vec3 to = solver_->kinematics().pose(end, tool_length_).tip;
    const Vec3 out = out_of_work(from, now());
    const Vec3 way = to - from.tip;
    const bool along = (way - out * out.dot(way)).norm() <= least;
    const double length = way.norm();
    bool leaves = false;
    for (const Readings& corner : rapid_stretches(assembly_.machine, now(), end, false)) {
        const Vec3 off = solver_->kinematics().pose(corner, tool_length_).tip - from.tip;
        const double beside = length > 0 ? (off - way * (way.dot(off) / (length * length))).norm() : 0;
        leaves = leaves || (along ? beside > least : out.dot(off) < std::min(0.0, out.dot(way)) - least);
    }
    if (!leaves || seconds <= 0) {
        return std::nullopt;
    }
    const double most = controller.feed_most > 0 ? per_minute(controller.feed_most) : length / seconds;
    return FeedSpec{FeedMode::per_minute, std::min(length / seconds, most), 0};
}

void MotionWriter::move_clear(const Stand& target, JointSet joints)
{
    if (const auto straight = straight_feed(target, joints)) {
        move_once(Function::linear, target, joints, &*straight);
    } else {
        move(Function::rapid, target, joints);
    }
}

bool MotionWriter::move_once(Function function, const Stand& target, JointSet joints, const FeedSpec* feed)
{
    if ((joints & rotary_joints_) != 0 && !brakes_.empty()) {
        release_moving(target);
    }
    Statement statement(StatementKind::motion);
    bool any = false;
    for (const std::size_t i : frame_.chain()) {
        if ((joints & bit_of(i)) == 0) {
            continue;
        }
        any = any || !stated_[i] || target.counts[i] != now_.counts[i];
        stated_[i] = true;
        add_axis(statement, i, target.counts[i]);
        stand_at(i, target);
    }
    if (of_the_tip(frame_.kind())) {
        now_ = target; // a joint may move though its word stays
    } else if (on_cylinder() && (joints & bit_of(frame_.cylinder().flat)) != 0) {
        stand_at(frame_.cylinder().turning, target);
    }
    if (!any) {
        return false;
    }
    if (feed != nullptr) {
        add_feed(statement, feed->mode, feed->value);
    }
    if (auto word = emitter_.function(function)) {
        statement.slots.push_back(*word);
    }
    return emitter_.emit(statement);
}

/// The joint that retracts: the machine's, or the one along it that works in its stead.
std::optional<std::size_t> MotionWriter::away_joint() const
{
    const auto& retract = assembly_.machine.retract;
    return retract ? frame_.working(retract->value) : std::nullopt;
}

void MotionWriter::change_posture(const Posture& posture, const InverseSolver& solver)
{
    positioned_ = false;
    leave_frame();
    for (const HeldJoint& held : posture.held) {
        const std::size_t joint = held.joint.value;
        if (assembly_.machine.joints[joint].by_hand) {
            now_.readings[Eigen::Index(joint)] = held.reading;
            continue;
        }
        frame_.take_sums(now());
        const std::int64_t counts = frame_.counts(joint, held.reading);
        if (stated_[joint] && counts == frame_.counts(joint, now()[Eigen::Index(joint)])) {
            continue;
        }
        release(joint);
        Statement statement(StatementKind::motion);
        if (auto word = emitter_.function(Function::rapid)) {
            statement.slots.push_back(*word);
        }
        add_axis(statement, joint, counts);
        emitter_.emit(statement);
        moved_to(joint, frame_.reading(joint, counts));
        stated_[joint] = true;
    }
    posture_ = posture;
    solver_ = &solver;
    const auto had_length = frame_.length_joint();
    frame_.change_solver(solver);
    if (frame_.length_joint() != had_length) { // the same length has to be stated for another joint
        emitter_.forget(Role::length);
        emitter_.forget(Role::length_register);
        length_stated_ = false;
    }
    frame_.take_sums(now());
    frame_.recount(now_);
    next_ = now_;
    further_ = {};
    take_chain();
}

/// The home of a rotary joint on the turn in which the control can bring it there.
double MotionWriter::rotary_home_of(std::size_t i) const
{
    const Joint& joint = assembly_.machine.joints[i];
    double home = joint.home;
    if (frame_.reads(i) != TurnReading::wound && !joint.travel) { // the same place on the circle, on the turn that is nearest
        const double turns = (now()[Eigen::Index(i)] - home) / whole_turn;
        home += whole_turn * (frame_.reads(i) == TurnReading::rising    ? std::ceil(turns - 1e-9)
                              : frame_.reads(i) == TurnReading::falling ? std::floor(turns + 1e-9)
                                                                        : std::round(turns));
    }
    return home;
}

void MotionWriter::bring(Stand& target, std::size_t joint, double reading) const
{
    target.counts[joint] = frame_.counts(joint, reading);
    target.readings[Eigen::Index(joint)] = frame_.reading(joint, target.counts[joint]);
}

void MotionWriter::rotary_home()
{
    own_retract_ ? own_retract_() : retract();
    Stand target = now_;
    for (const std::size_t i : frame_.chain()) {
        if (frame_.is_rotary()[i]) {
            bring(target, i, rotary_home_of(i));
        }
    }
    if (differs(target, true)) {
        move(Function::rapid, target, rotary_joints_);
    }
}

void MotionWriter::rapid(const Pose& pose, const Turns& planned, const FeedSpec* last)
{
    go_one_way(planned);
    const Stand target = rounded(shifted(planned), pose.tip);
    check_travel(target.readings);
    carried_seconds_ = carried_length_ = 0;
    if (!positioned_ || differs(target, true) || !in_wanted_frame()) {
        approach(pose, planned, last);
        here_ = next_operation_;
        return;
    }
    here_ = next_operation_;
    // Same rotary readings: first away from the work, last towards it.
    const Pose here = solver_->kinematics().pose(now(), tool_length_);
    const Vec3 out = out_of_work(here, now());
    const double rise = out.dot(pose.tip - here.tip);
    const Vec3 corner = rise > 0 ? Vec3(here.tip + out * rise) : Vec3(pose.tip - out * rise);
    const double sideways = (pose.tip - here.tip - out * rise).norm();
    const double least = frame_.rounding().step(Quantity::length);
    if (sideways > 2 * least && std::abs(rise) > 2 * least) {
        move_clear(with_same_turn(corner), linear_joints_);
    }
    move_clear(target, linear_joints_);
    retracted_ = false;
}

void MotionWriter::add_length(Statement& statement)
{
    const bool acts = length_register_acts_ || of_the_tip(wanted_frame_); // along the tool, or along the tip's own coordinates
    if (assembly_.dialect.length_by_register && !acts) {
        if (auto word = emitter_.function(Function::length_off)) {
            statement.slots.push_back(*word); // it would act beside the tool: the length is in the coordinates
        }
        set_length_shift(0);
    } else if (assembly_.dialect.length_by_register) {
        statement.slots.push_back(*emitter_.function(Function::length_on));
        statement.slots.push_back({Role::length_register, 0, Quantity::whole, length_register_, {}});
        set_length_shift(tool_length_);
        length_stated_ = length_on_ = true;
    }
}

void MotionWriter::restate_base()
{
    if (base_known_at_ == emitter_.forgotten()) {
        return;
    }
    Statement base(StatementKind::state);
    std::vector<Function> functions{assembly_.dialect.inches ? Function::inches : Function::millimetres, Function::absolute};
    if (frame_.kind() == FrameKind::joints) {
        functions.push_back(Function::joint_coordinates);
    }
    for (const Function function : functions) {
        if (auto word = emitter_.function(function); word && assembly_.dialect.modal.contains(word->role)) {
            base.slots.push_back(*word);
        }
    }
    if (assembly_.dialect.modal.contains(Role::offset)) {
        base.slots.push_back({Role::offset, 0, Quantity::whole, 0, &assembly_.dialect.work_offsets.at(assembly_.job.work_offset)});
    }
    if (length_stated_ && assembly_.dialect.modal.contains(Role::length) && assembly_.dialect.modal.contains(Role::length_register)) {
        add_length(base);
    }
    emitter_.emit(base);
    base_known_at_ = emitter_.forgotten();
}

/// The words X, Y and Z mean something else from now on. Precondition: other coordinates than the joints' are in force.
void MotionWriter::forget_coordinates()
{
    if (on_cylinder()) {
        const auto& [flat, turning, scale, stands] = frame_.cylinder();
        emitter_.forget_axis(flat);
        emitter_.forget_axis(turning);
        words_[turning].reset();
        stated_[turning] = false; // it stands between two of its own increments
        return;
    }
    for (const std::size_t joint : frame_.tip_frame().joints()) {
        emitter_.forget_axis(joint);
    }
}

void MotionWriter::leave_frame()
{
    if (frame_.kind() == FrameKind::joints) {
        return;
    }
    if (on_cylinder()) {
        emitter_.emit({StatementKind::state, {*emitter_.function(Function::joint_coordinates)}});
        forget_coordinates();
        frame_.leave();
        frame_.recount(now_);
        next_ = now_;
        return;
    }
    // A length would act along a joint again, and the next one that works may be another.
    emitter_.emit({StatementKind::state, {*emitter_.function(Function::joint_coordinates), *emitter_.function(Function::length_off)}});
    emitter_.forget(Role::length_register);
    forget_coordinates();
    frame_.leave();
    length_stated_ = length_on_ = false;
    set_length_shift(0);
}

void MotionWriter::frame_by_text(bool to_joints)
{
    if (frame_.kind() != FrameKind::joints) {
        forget_coordinates();
        frame_.leave();
        frame_.recount(now_);
    }
    if (auto word = emitter_.function(Function::joint_coordinates); word && !to_joints) {
        left_path();
        emitter_.forget(Role::frame);
        emitter_.emit({StatementKind::state, {*word}});
        emitter_.forget(Role::axes);
    }
}

/// Where the tool stands over the cylinder: from here on the control turns it.
void MotionWriter::enter_cylinder()
{
    const WordMeaning* meaning = nullptr;
    for (const auto& [word, candidate] : assembly_.controller.words) {
        meaning = candidate.function == Function::cylinder_surface ? &candidate : meaning;
    }
    const auto joint_named = [&](const std::string& id) { return assembly_.machine.find_joint(id); };
    const auto turning = meaning != nullptr ? joint_named(meaning->joint) : std::nullopt;
    const auto axis = meaning != nullptr ? assembly_.controller.axes.find(meaning->flat) : assembly_.controller.axes.end();
    const auto flat = axis != assembly_.controller.axes.end() ? joint_named(axis->second) : std::nullopt;
    Statement statement(StatementKind::state);
    emitter_.forget(Role::frame); // another radius has the same word
    statement.slots.push_back(*emitter_.function(Function::cylinder_surface));
    const Slot slot = frame_.slot(Role::radius, Quantity::length, next_operation_.wrap != nullptr ? next_operation_.wrap->radius : 0);
    statement.slots.push_back(slot);
    const double radius = frame_.rounding().value(Quantity::length, slot.counts);
    const Status status = turning && flat && next_operation_.wrap != nullptr
                              ? frame_.enter_cylinder(flat->value, turning->value, radius, now())
                              : Status(Error{ErrorKind::unsupported,
                                             "the control has no word for it",
                                             {},
                                             "add one that does \"cylinder-surface\", or choose another \"frame\""});
    if (!status) {
        report(Severity::error, "frame-unwritable", std::string(name_of(wanted_frame_)),
               fmt::format("the operation can't be written as \"{}\": {}", name_of(wanted_frame_), status.error().message),
               status.error().cure, 1);
        wanted_frame_ = FrameKind::joints;
        return;
    }
    emitter_.emit(statement);
    forget_coordinates();
    frame_.recount(now_);
    next_ = now_;
}

/// Switches to the wanted coordinates of the tip for motion about a pose; the tool stands still meanwhile.
bool MotionWriter::enter_frame(const Pose& pose, const Turns& planned)
{
    Statement length(StatementKind::state);
    add_length(length);
    emitter_.emit(length);
    if (const Status status = frame_.enter(wanted_frame_, tool_length_); !status) {
        report(Severity::error, "frame-unwritable", std::string(name_of(wanted_frame_)),
               fmt::format("the operation can't be written as \"{}\": {}", name_of(wanted_frame_), status.error().message),
               status.error().cure, 1);
        wanted_frame_ = FrameKind::joints;
        return false;
    }
    Statement statement(StatementKind::state);
    if (wanted_frame_ == FrameKind::tilted_plane) {
        const PlaneStyle& style = *assembly_.dialect.plane;
        const auto rounded_to = [&](Role role, std::size_t index, Quantity quantity, double value) {
            statement.slots.push_back(frame_.slot(role, quantity, value, index));
            return frame_.rounding().value(quantity, (statement.slots.end() - 1)->counts);
        };
        Vec3 zero = style.zero_at_work ? frame_.tip_frame().before_plane(pose.tip, planned) : Vec3(Vec3::Zero());
        for (std::size_t k = 0; k < 3; ++k) {
            zero[Eigen::Index(k)] = rounded_to(Role::plane_zero, k, Quantity::length, zero[Eigen::Index(k)]);
        }
        const bool by_readings = style.by == PlaneForm::By::readings;
        // The control takes the readings as they are; the other forms tell the path's own direction.
        const Mat3 axes = frame_.tip_frame().tool_turned(by_readings ? solver_->turns_of(now()) : planned);
        std::vector<double> numbers = plane_numbers(style, zero, axes);
        for (std::size_t i = 0; i < numbers.size(); ++i) {
            numbers[i] = rounded_to(Role::plane_number, i, style.lengths() ? Quantity::length : Quantity::direction, numbers[i]);
        }
        Frame plane = Frame::Identity();
        plane.linear() = axes;
        plane.translation() = zero;
        frame_.set_plane(by_readings ? plane : plane_from(style, zero, numbers).value()); // axes are square: they name a plane
        emitter_.forget(Role::frame);                                                     // another plane has the same word
        statement.slots.push_back({Role::frame, 0, Quantity::whole, 0, &style.word});
    } else {
        statement.slots.push_back(
            *emitter_.function(wanted_frame_ == FrameKind::world ? Function::world_coordinates : Function::tool_centre_point));
    }
    emitter_.emit(statement);
    forget_coordinates();
    frame_.recount(now_);
    next_ = now_;
    return true;
}

} // namespace wexilum
