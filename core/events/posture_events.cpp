// What a change of posture becomes: what a person is told, and when.
#include "core/events/native_events.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

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

void NativeEvents::on(const record::PostureChange& r)
{
    cycles_.interrupt(); // the toolpath has not ended it: its next hole is drilled in the other posture
    pose_.reset();
    pose_in_work_.reset();
    const auto& mounts = assembly_.machine.mounts;
    const Mount& before = mounts[motion_.place().posture().mount];
    const Mount& after = mounts[r.posture.mount];
    const auto by_hand = [&](const char* name, const std::vector<std::string>& messages) {
        messages_ = messages;
        if (!has_section(name)) {
            write_section(name, "machine", section_by_hand());
            say(Function::stop);
        } else {
            section(name, std::nullopt);
        }
        messages_.clear();
    };
    const auto& words = assembly_.dialect.mounts;
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
        std::vector<std::string> messages;
        for (const HeldJoint& held : r.by_hand) {
            const Joint& joint = assembly_.machine.joints[held.joint.value];
            const double way = way_by_hand(joint, motion_.place().now()[Eigen::Index(held.joint.value)], held.reading);
            messages.push_back(filled(after.set_message, {{"name", after.name},
                                                          {"joint", joint.id},
                                                          {"reading", degrees(held.reading)},
                                                          {"sense", joint.scale.clockwise == (way > 0) ? "clockwise" : "counter-clockwise"},
                                                          {"amount", degrees(std::abs(way))}}));
        }
        by_hand("set-attachment", messages);
    }
    const bool moves = std::any_of(r.posture.held.begin(), r.posture.held.end(), [&](const HeldJoint& held) {
        return !assembly_.machine.joints[held.joint.value].by_hand &&
               std::abs(motion_.place().now()[Eigen::Index(held.joint.value)] - held.reading) > 1e-9;
    });
    if (moves) {
        leave_work();
    }
    motion_.change_posture(r.posture, solvers_.of(r.posture));
    spindle_speed_ = after.gearing == before.gearing ? spindle_speed_ : -1;
}

/// Where the control takes a tool mount by a word of its own: away from the work, with the spindle standing.
void NativeEvents::take_mount(const Mount& mount)
{
    const auto word = assembly_.dialect.mounts.find(mount.id);
    if (word == assembly_.dialect.mounts.end()) {
        return;
    }
    act(SectionAction::retract);
    act(SectionAction::coolant_off);
    act(SectionAction::spindle_off);
    emitter_.emit({StatementKind::state, {{Role::once, 0, Quantity::whole, 0, &word->second}}});
    spindle_speed_ = -1;
}

void NativeEvents::tell()
{
    for (const std::string& message : messages_) {
        emitter_.comment(message);
    }
}

} // namespace wexilum
