#include "core/events/spindle_and_coolant.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

using record::CoolantState;
using record::SpindleState;

Function word_for(CoolantState state)
{
    switch (state) {
    case CoolantState::off: return Function::coolant_off;
    case CoolantState::flood: return Function::coolant_flood;
    case CoolantState::mist: return Function::coolant_mist;
    case CoolantState::through: return Function::coolant_through;
    case CoolantState::air: return Function::coolant_air;
    }
    return Function::coolant_off;
}

} // namespace

void SpindleAndCoolant::want(const record::Spindle& spindle)
{
    wanted_spindle_ = spindle;
    if (spindle.state == SpindleState::off) {
        switch_spindle_off();
    }
}

void SpindleAndCoolant::want(const record::Coolant& coolant)
{
    wanted_coolant_ = coolant.state;
    if (coolant.state == CoolantState::off) {
        switch_coolant_off();
    }
}

void SpindleAndCoolant::switch_spindle_off()
{
    if (spindle_ != SpindleState::off) {
        notes_.say(Function::spindle_off);
        spindle_ = SpindleState::off;
    }
}

void SpindleAndCoolant::switch_coolant_off()
{
    if (coolant_ != CoolantState::off) {
        notes_.say(Function::coolant_off);
        coolant_ = CoolantState::off;
    }
}

bool SpindleAndCoolant::must_turn() const
{
    return wanted_spindle_.state != SpindleState::off && assembly_.setup.spindle == Actor::program &&
           (spindle_ != wanted_spindle_.state || speed_ != wanted_spindle_.speed_rpm);
}

bool SpindleAndCoolant::must_cool() const { return wanted_coolant_ != coolant_ && assembly_.setup.coolant == Actor::program; }

void SpindleAndCoolant::ready()
{
    if (must_turn()) {
        turn();
    }
    if (wanted_coolant_ != coolant_) {
        check_coolant();
    }
    if (must_cool()) {
        notes_.say(word_for(wanted_coolant_));
        coolant_ = wanted_coolant_;
    }
}

void SpindleAndCoolant::turn()
{
    const Mount& mount = assembly_.machine.mounts[motion_.place().posture().mount];
    const Gearing& gearing = mount.gearing;
    const double rpm = wanted_spindle_.speed_rpm;
    if (gearing.most_speed > 0 && rpm > gearing.most_speed) {
        motion_.log().report(Severity::error, "too-fast", "",
                             fmt::format("the tool is to turn at {:g} rpm, the {} takes {:g}", rpm, mount.name, gearing.most_speed),
                             "lower the speed, and the feed with it", rpm / gearing.most_speed);
    }
    if (const std::string refused = speed_refused(assembly_.machine, motion_.place().posture().mount, rpm / gearing.ratio);
        !refused.empty()) {
        motion_.log().report(Severity::error, "spindle-beyond-drive", "", refused, "let the toolpath ask for a speed that the drive has",
                             rpm);
    }
    Statement statement(StatementKind::state);
    statement.slots.push_back(motion_.place().frame.slot(Role::speed, Quantity::speed, rpm / gearing.ratio));
    const bool clockwise = (wanted_spindle_.state == SpindleState::clockwise) != gearing.reversed;
    if (auto word = emitter_.function(clockwise ? Function::spindle_clockwise : Function::spindle_counter_clockwise)) {
        statement.slots.push_back(*word);
    }
    emitter_.emit(statement);
    spindle_ = wanted_spindle_.state;
    speed_ = rpm;
}

void SpindleAndCoolant::check_coolant()
{
    const Mount& mount = assembly_.machine.mounts[motion_.place().posture().mount];
    if (const std::string refused = coolant_refused(mount, name_of(wanted_coolant_)); !refused.empty()) {
        motion_.log().report(Severity::error, "coolant-refused", "", refused, "let the toolpath ask for another coolant, or for none", 1,
                             SIZE_MAX);
    }
}

void SpindleAndCoolant::after_text(const TextEffect& effect)
{
    for (const WordMeaning* word : effect.words) {
        switch (word->function) {
        case Function::spindle_clockwise: spindle_ = SpindleState::clockwise; break;
        case Function::spindle_counter_clockwise: spindle_ = SpindleState::counter_clockwise; break;
        case Function::spindle_off: spindle_ = SpindleState::off; break;
        case Function::tool_change: spindle_ = assembly_.controller.tool_change_stops_spindle ? SpindleState::off : spindle_; break;
        case Function::coolant_flood: coolant_ = CoolantState::flood; break;
        case Function::coolant_mist: coolant_ = CoolantState::mist; break;
        case Function::coolant_through: coolant_ = CoolantState::through; break;
        case Function::coolant_air: coolant_ = CoolantState::air; break;
        case Function::coolant_off: coolant_ = CoolantState::off; break;
        default: break;
        }
    }
    // What is turned on is wanted; what is turned off comes again where the path wants it.
    if (effect.has(Group::spindle) && spindle_ != SpindleState::off) {
        wanted_spindle_.state = spindle_;
    }
    if (effect.has(Group::coolant) && coolant_ != CoolantState::off) {
        wanted_coolant_ = coolant_;
    }
    if (effect.addresses.find(assembly_.controller.speed) != std::string::npos || !effect.unknown.empty()) {
        forget_speed();
    }
}

void SpindleAndCoolant::keep(const TextEffect& effect)
{
    if (effect.has(Group::coolant)) {
        wanted_coolant_ = coolant_;
    }
    if (effect.has(Group::spindle)) {
        wanted_spindle_.state = spindle_;
    }
}

} // namespace wexilum
