#include "core/write/frame_writer.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

/// The control's own transformation knows one way from the base to the work: that to the machine's first mount.
Status carried_as_the_first(const Assembly& assembly, std::uint32_t work)
{
    const Mount* first = assembly.machine.first_mount(MountKind::work);
    const auto held = holding(assembly.machine, assembly.setup, work);
    if (held && held->parent != first->parent) {
        return Error{
            ErrorKind::unsupported,
            fmt::format("\"{}\" is not carried by what the control's coordinates turn with, which is that of \"{}\"", held->id, first->id),
            {},
            "write the joints' own readings: \"frame\": \"joints\""};
    }
    return {};
}

} // namespace

FrameWriter::FrameWriter(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles,
                         const OperationsAtHand& operations, WriteLog& log)
    : WritePart(log), assembly_(assembly), emitter_(emitter), place_(place), circles_(circles), operations_(operations)
{}

bool FrameWriter::in_wanted() const
{
    return place_.frame.kind() == wanted_ && !(place_.on_cylinder() && operations_.here.wrap != operations_.next.wrap);
}

void FrameWriter::set_tool(std::uint32_t length_register)
{
    length_register_ = length_register;
    length_stated_ = false;
    place_.set_length_shift(0);
}

void FrameWriter::switch_length_off()
{
    if (length_on_) {
        emitter_.emit({StatementKind::state, {*emitter_.function(Function::length_off)}});
        length_on_ = false;
    }
}

void FrameWriter::forget_length()
{
    emitter_.forget(Role::length);
    emitter_.forget(Role::length_register);
    length_stated_ = false;
}

void FrameWriter::forget()
{
    length_stated_ = false;
    length_on_ = assembly_.dialect.length_by_register;
}

void FrameWriter::refuse(const Status& status)
{
    log_.report(Severity::error, "frame-unwritable", std::string(name_of(wanted_)),
                fmt::format("the operation can't be written as \"{}\": {}", name_of(wanted_), status.error().message), status.error().cure,
                1);
    wanted_ = FrameKind::joints;
}

void FrameWriter::add_length(Statement& statement)
{
    const bool acts = place_.chain.length_register_acts || of_the_tip(wanted_); // along the tool, or along the tip's own coordinates
    if (assembly_.dialect.length_by_register && !acts) {
        if (auto word = emitter_.function(Function::length_off)) {
            statement.slots.push_back(*word); // it would act beside the tool: the length is in the coordinates
        }
        place_.set_length_shift(0);
    } else if (assembly_.dialect.length_by_register) {
        statement.slots.push_back(*emitter_.function(Function::length_on));
        statement.slots.push_back({Role::length_register, 0, Quantity::whole, length_register_, {}});
        place_.set_length_shift(place_.tool_length);
        length_stated_ = length_on_ = true;
    }
}

void FrameWriter::restate_base()
{
    if (base_known_at_ == emitter_.forgotten()) {
        return;
    }
    Statement base(StatementKind::state);
    std::vector<Function> functions{assembly_.dialect.inches ? Function::inches : Function::millimetres, Function::absolute};
    if (place_.frame.kind() == FrameKind::joints) {
        functions.push_back(Function::joint_coordinates);
    }
    for (const Function function : functions) {
        if (auto word = emitter_.function(function); word && assembly_.dialect.modal.contains(word->role)) {
            base.slots.push_back(*word);
        }
    }
    if (assembly_.dialect.modal.contains(Role::offset)) {
        base.slots.push_back(
            {Role::offset, 0, Quantity::whole, 0, &assembly_.dialect.work_offsets.at(assembly_.register_of(place_.posture().work))});
    }
    if (length_stated_ && assembly_.dialect.modal.contains(Role::length) && assembly_.dialect.modal.contains(Role::length_register)) {
        add_length(base);
    }
    emitter_.emit(base);
    base_known_at_ = emitter_.forgotten();
}

/// The words X, Y and Z mean something else from now on. Precondition: other coordinates than the joints' are in force.
void FrameWriter::forget_coordinates()
{
    if (place_.on_cylinder()) {
        const auto& [flat, turning, scale, stands] = place_.frame.cylinder();
        emitter_.forget_axis(flat);
        emitter_.forget_axis(turning);
        circles_.forget(turning);
        place_.stated[turning] = false; // it stands between two of its own increments
        return;
    }
    for (const std::size_t joint : place_.frame.tip_frame().joints()) {
        emitter_.forget_axis(joint);
    }
}

void FrameWriter::leave()
{
    if (place_.frame.kind() == FrameKind::joints) {
        return;
    }
    if (place_.on_cylinder()) {
        emitter_.emit({StatementKind::state, {*emitter_.function(Function::joint_coordinates)}});
        forget_coordinates();
        place_.frame.leave();
        place_.recount();
        return;
    }
    // A length would act along a joint again, and the next one that works may be another.
    emitter_.emit({StatementKind::state, {*emitter_.function(Function::joint_coordinates), *emitter_.function(Function::length_off)}});
    emitter_.forget(Role::length_register);
    forget_coordinates();
    place_.frame.leave();
    length_stated_ = length_on_ = false;
    place_.set_length_shift(0);
}

bool FrameWriter::by_text(bool to_joints)
{
    if (place_.frame.kind() != FrameKind::joints) {
        forget_coordinates();
        place_.frame.leave();
        place_.recount();
    }
    if (auto word = emitter_.function(Function::joint_coordinates); word && !to_joints) {
        emitter_.forget(Role::frame);
        emitter_.emit({StatementKind::state, {*word}});
        emitter_.forget(Role::axes);
        return true;
    }
    return false;
}

void FrameWriter::enter_cylinder()
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
    const Slot slot =
        place_.frame.slot(Role::radius, Quantity::length, operations_.next.wrap != nullptr ? operations_.next.wrap->radius : 0);
    statement.slots.push_back(slot);
    const double radius = place_.frame.rounding().value(Quantity::length, slot.counts);
    const Status status = turning && flat && operations_.next.wrap != nullptr
                              ? place_.frame.enter_cylinder(flat->value, turning->value, radius, place_.now())
                              : Status(Error{ErrorKind::unsupported,
                                             "the control has no word for it",
                                             {},
                                             "add one that does \"cylinder-surface\", or choose another \"frame\""});
    if (!status) {
        refuse(status);
        return;
    }
    emitter_.emit(statement);
    forget_coordinates();
    place_.recount();
}

bool FrameWriter::enter(const Pose& pose, const Readings& planned)
{
    Statement length(StatementKind::state);
    add_length(length);
    emitter_.emit(length);
    Status status = carried_as_the_first(assembly_, place_.posture().work);
    status = status ? place_.frame.enter(wanted_, place_.tool_length) : status;
    if (!status) {
        refuse(status);
        return false;
    }
    if (wanted_ == FrameKind::tilted_plane) {
        emitter_.emit(plane_words(pose, planned));
    } else {
        const Function function = wanted_ == FrameKind::world ? Function::world_coordinates : Function::tool_centre_point;
        emitter_.emit({StatementKind::state, {*emitter_.function(function)}});
    }
    forget_coordinates();
    place_.recount();
    return true;
}

/// Takes a plane for the coordinates; the words that declare it to the control.
Statement FrameWriter::plane_words(const Pose& pose, const Readings& planned)
{
    Statement statement(StatementKind::state);
    const PlaneStyle& style = *assembly_.dialect.plane;
    const auto rounded_to = [&](Role role, std::size_t index, Quantity quantity, double value) {
        statement.slots.push_back(place_.frame.slot(role, quantity, value, index));
        return place_.frame.rounding().value(quantity, (statement.slots.end() - 1)->counts);
    };
    Vec3 zero = style.zero_at_work ? place_.frame.tip_frame().before_plane(pose.tip, planned) : Vec3(Vec3::Zero());
    for (std::size_t k = 0; k < 3; ++k) {
        zero[Eigen::Index(k)] = rounded_to(Role::plane_zero, k, Quantity::length, zero[Eigen::Index(k)]);
    }
    const bool by_readings = style.by == PlaneForm::By::readings;
    // The control takes the readings as they are; the other forms state the path's own direction.
    const Mat3 axes = place_.frame.tip_frame().tool_turned(by_readings ? place_.now() : planned);
    std::vector<double> numbers = plane_numbers(style, zero, axes);
    for (std::size_t i = 0; i < numbers.size(); ++i) {
        numbers[i] = rounded_to(Role::plane_number, i, style.lengths() ? Quantity::length : Quantity::direction, numbers[i]);
    }
    Frame plane = Frame::Identity();
    plane.linear() = axes;
    plane.translation() = zero;
    place_.frame.set_plane(by_readings ? plane : plane_from(style, zero, numbers).value()); // axes are square: they name a plane
    emitter_.forget(Role::frame);                                                           // another plane has the same word
    statement.slots.push_back({Role::frame, 0, Quantity::whole, 0, &style.word});
    return statement;
}

} // namespace wexilum
