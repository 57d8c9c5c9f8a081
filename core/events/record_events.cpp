#include "core/events/record_events.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

/// The places of a message's "{name}"s filled.
std::string filled(std::string message, const std::vector<std::pair<std::string, std::string>>& values)
{
    for (const auto& [name, value] : values) {
        const std::string place = "{" + name + "}";
        for (std::size_t at = message.find(place); at != std::string::npos; at = message.find(place, at + value.size())) {
            message.replace(at, place.size(), value);
        }
    }
    return message;
}

std::string degrees(double rad) { return fmt::format("{:g}", std::round(to_deg(rad) * 1e4) / 1e4 + 0.0); }

/// The way that a joint is turned by hand: across its end where it has one, otherwise the shorter one, rising where both are alike.
double way_by_hand(const Joint& joint, double from, double to)
{
    if (joint.travel) {
        return to - from;
    }
    const double way = std::remainder(to - from, whole_turn);
    return way < -whole_turn / 2 + 1e-9 ? -way : way;
}

const Section& section_by_hand()
{
    static const Section section = section_of_lines({"{retract}", "{spindle-off}", "{coolant-off}", "{message}"}).value();
    return section;
}

} // namespace

void RecordEvents::happen(const Record& record)
{
    const bool before = parts_.rules.set_happening(true);
    std::visit([&](const auto& r) { on(r); }, record.data);
    (void)parts_.rules.set_happening(before);
}

void RecordEvents::ready()
{
    parts_.motion.set_operation(parts_.course.linked());
    parts_.motion.frames().want(wanted_frame());
    parts_.motion.frames().restate_base();
    parts_.spindle.ready();
}

/// The coordinates in which the operation at hand is written.
FrameKind RecordEvents::wanted_frame() const
{
    const OperationOutline* const operation = parts_.course.here();
    const bool turns = operation != nullptr && operation->turns_in_cuts;
    const std::size_t operations = parts_.course.operations();
    const FrameKind kind = parts_.assembly.frame_of(operations > 0 ? operations - 1 : 0, turns);
    if (kind == FrameKind::tilted_plane && turns) {
        parts_.motion.log().report(Severity::error, "plane-turns", operation->id,
                                   fmt::format("the operation {} turns the tool in its cuts, but a tilted plane is fixed", operation->id),
                                   "write it with \"frame\": \"tool-centre-point\" or \"joints\"", 1, SIZE_MAX);
        return FrameKind::joints;
    }
    return kind;
}

/// Whatever a rule makes of the event.
void RecordEvents::on(const record::Operation& /*r*/)
{
    parts_.emitter.forget_after("operation");
    parts_.actions.section("operation", std::nullopt);
    const auto& postures = parts_.assembly.postures;
    const std::uint32_t bare = parts_.motion.place().posture().mount;
    if (parts_.course.operations() == 1 && (postures.empty() || postures.front().posture.mount == bare)) {
        take_mount(parts_.assembly.machine.mounts[bare]); // whatever the control had before
    }
}

void RecordEvents::on(const record::ToolChange& r)
{
    parts_.cycles.interrupt();
    if (!parts_.course.call_tool(r.number)) {
        return; // the outline has said so
    }
    parts_.path.break_off();
    parts_.motion.frames().leave(); // the next tool has another length
    parts_.actions.section("tool-change", std::nullopt);
    if (parts_.assembly.controller.tool_change_stops_spindle) {
        parts_.spindle.stopped();
    }
    parts_.emitter.forget(Role::length);
    parts_.emitter.forget(Role::length_register);
    parts_.emitter.forget_after("tool-change");
    parts_.motion.set_tool(*parts_.course.tool());
}

void RecordEvents::on(const record::Spindle& r)
{
    parts_.path.set_rpm(r.state == record::SpindleState::off ? 0 : r.speed_rpm);
    parts_.spindle.want(r);
}

void RecordEvents::on(const record::CycleStart& r)
{
    if (const Status status = parts_.cycles.start(r); !status) {
        parts_.notes.error("cycle-unknown", status.error().message, status.error().cure);
    }
}

void RecordEvents::on(const record::Dwell& r)
{
    double seconds = r.amount;
    if (r.revolutions) {
        const double rpm = parts_.path.feed().spindle_rpm;
        if (rpm <= 0) {
            parts_.notes.error("dwell-without-spindle", "a dwell in revolutions while the spindle is stopped",
                               "state SPINDL before it, or give seconds");
            return;
        }
        seconds = r.amount * 60 / rpm;
    }
    (void)parts_.rules.dwell(seconds);
}

void RecordEvents::on(const record::InsertedText& r)
{
    // What it turns on or off by hand stays so until the path says otherwise; everything else is stated again.
    parts_.spindle.keep(parts_.statements.line(r.text));
    parts_.motion.lost_place();
}

// --- postures -------------------------------------------------------------------------------------------------------

/// What a person has to do, by a section of the dialect's or the machine's own.
void RecordEvents::by_hand(const char* section, const std::vector<std::string>& messages)
{
    messages_ = messages;
    if (!parts_.sections.has(section)) {
        parts_.sections.write(section, "machine", section_by_hand());
        parts_.notes.say(Function::stop);
    } else {
        parts_.actions.section(section, std::nullopt);
    }
    messages_.clear();
}

std::vector<std::string> RecordEvents::messages_to_set(const Mount& mount, const std::vector<HeldJoint>& joints) const
{
    std::vector<std::string> out;
    for (const HeldJoint& held : joints) {
        const Joint& joint = parts_.assembly.machine.joints[held.joint.value];
        const double way = way_by_hand(joint, parts_.motion.place().now()[Eigen::Index(held.joint.value)], held.reading);
        out.push_back(filled(mount.set_message, {{"name", mount.name},
                                                 {"joint", joint.id},
                                                 {"reading", degrees(held.reading)},
                                                 {"sense", joint.scale.clockwise == (way > 0) ? "clockwise" : "counter-clockwise"},
                                                 {"amount", degrees(std::abs(way))}}));
    }
    return out;
}

void RecordEvents::on(const record::PostureChange& r)
{
    parts_.cycles.interrupt(); // the toolpath has not ended it: its next hole is drilled in the other posture
    parts_.path.break_off();
    const auto& mounts = parts_.assembly.machine.mounts;
    const Mount& before = mounts[parts_.motion.place().posture().mount];
    const Mount& after = mounts[r.posture.mount];
    const auto& words = parts_.assembly.dialect.mounts;
    if (r.fitted && before.attachment && !words.contains(before.id)) {
        by_hand("remove-attachment", {filled(before.remove_message, {{"name", before.name}})});
    }
    if (r.fitted && after.attachment && !words.contains(after.id)) {
        by_hand("fit-attachment", {filled(after.fit_message, {{"name", after.name}})});
    }
    if (r.fitted) {
        take_mount(after);
    }
    if (!r.by_hand.empty()) {
        by_hand("set-attachment", messages_to_set(after, r.by_hand));
    }
    const bool moves = std::any_of(r.posture.held.begin(), r.posture.held.end(), [&](const HeldJoint& held) {
        return !parts_.assembly.machine.joints[held.joint.value].by_hand &&
               std::abs(parts_.motion.place().now()[Eigen::Index(held.joint.value)] - held.reading) > 1e-9;
    });
    if (moves || r.other_work) {
        parts_.leave_work();
    }
    if (r.other_work) {
        parts_.motion.retract(); // whatever the links or a rule make of it
    }
    const InverseSolver& solver = solvers_.of(r.posture);
    parts_.motion.change_posture(r.posture, solver);
    parts_.path.change_solver(solver);
    if (r.other_work) {
        parts_.actions.act(SectionAction::work_offset);
    }
    if (!(after.gearing == before.gearing)) {
        parts_.spindle.forget_speed();
    }
}

/// Where the control takes a tool mount by a word of its own: away from the work, with the spindle standing.
void RecordEvents::take_mount(const Mount& mount)
{
    const auto word = parts_.assembly.dialect.mounts.find(mount.id);
    if (word == parts_.assembly.dialect.mounts.end()) {
        return;
    }
    parts_.actions.act(SectionAction::retract);
    parts_.actions.act(SectionAction::coolant_off);
    parts_.actions.act(SectionAction::spindle_off);
    parts_.emitter.emit({StatementKind::state, {{Role::once, 0, Quantity::whole, 0, &word->second}}});
    parts_.spindle.forget_speed();
}

void RecordEvents::write_tasks()
{
    for (const std::string& message : messages_) {
        parts_.emitter.comment(message);
    }
}

} // namespace wexilum
