// What words leave in force: groups, lengths, speeds, feeds.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"
#include "core/setup/setup.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

using record::CoolantState;
using record::SpindleState;

CoolantState coolant_of(Function function)
{
    switch (function) {
    case Function::coolant_flood: return CoolantState::flood;
    case Function::coolant_mist: return CoolantState::mist;
    case Function::coolant_through: return CoolantState::through;
    case Function::coolant_air: return CoolantState::air;
    default: return CoolantState::off;
    }
}

SpindleState spindle_of(Function function)
{
    switch (function) {
    case Function::spindle_clockwise: return SpindleState::clockwise;
    case Function::spindle_counter_clockwise: return SpindleState::counter_clockwise;
    default: return SpindleState::off;
    }
}

} // namespace

void SimulatedControl::apply_state(BlockWords& words)
{
    bool cycle_begins = false;
    for (const WordMeaning* meaning : words.functions) {
        const Group group = group_of(meaning->function);
        if (group == Group::none) {
            continue;
        }
        State& state = state_[std::size_t(group)];
        const bool same = state.by_program && state.meaning == meaning;
        changed_ = changed_ || !same;
        if (group == Group::feed_mode && state.meaning != meaning && controller_.feed_mode_clears_feed) {
            feed_.reset();
        }
        if (group == Group::motion && meaning->function == Function::cycle && state.meaning != meaning) {
            cycle_clearance_.reset();
            cycle_bottom_.reset();
            cycle_step_.reset();
            cycle_dwell_ = 0;
            cycle_begins = true;
        }
        state = {meaning, true};
        if (group == Group::units) {
            unit_ = meaning->function == Function::inches ? mm_per_inch : 1;
        }
        if (group == Group::coolant) {
            coolant_ = coolant_of(meaning->function);
        }
        if (group == Group::spindle) {
            spindle_ = spindle_of(meaning->function);
        }
        if (meaning->function == Function::length_off) {
            length_shift_ = 0;
        }
        if (meaning->function == Function::length_on && !words.contains(controller_.length_register)) {
            report(Severity::error, "code-error", "",
                   fmt::format("a length is called without the register word {}", controller_.length_register),
                   "write the register in the same block");
        }
    }
    if (cycle_begins) { // in the plane that the block may name
        cycle_joint_ = drilled(words);
        initial_level_ = cycle_joint_ == SIZE_MAX ? 0 : here()[Eigen::Index(cycle_joint_)];
    }
    if (const CodeWord* word = words.take(controller_.length_register)) {
        const std::uint32_t number = whole(*word);
        const auto length = memory_.tools != nullptr ? memory_.tools->length_register(number) : std::nullopt;
        const WordMeaning* on = use(Group::length);
        if (!length && number != 0 && memory_.tools != nullptr) {
            report(Severity::error, "length-missing", std::to_string(number), fmt::format("the length register {} is empty", number),
                   "give the tool its length in the setup");
        } else if (on != nullptr && on->function == Function::length_on) {
            const std::size_t joint = length_default_ == SIZE_MAX ? SIZE_MAX : named(words, length_default_, length_joint_);
            changed_ = changed_ || length_shift_ != length.value_or(0) || joint != length_joint_;
            length_shift_ = length.value_or(0);
            length_joint_ = joint;
        }
    }
    if (const CodeWord* word = words.take(controller_.speed)) {
        const double rpm = plain_value(*word, controller_.speed_increment);
        if (rpm < 0) {
            report(Severity::error, "code-error", "", "a spindle speed is below zero", "write a speed of zero or more");
        }
        changed_ = changed_ || spindle_rpm_ != rpm;
        spindle_rpm_ = rpm;
    }
    if (const CodeWord* word = words.take(controller_.feed)) {
        const WordMeaning* mode = use(Group::feed_mode);
        const Function function = mode != nullptr ? mode->function : Function::feed_per_minute;
        const auto [feed, precision] = read_feed(function, *word);
        if (!(feed > 0)) {
            report(Severity::error, "code-error", "", "a feed word is not above zero", "write a feed above zero");
        } else {
            changed_ = changed_ || feed_ != feed;
            feed_ = feed;
            feed_precision_ = precision;
            check_feed_word(function, *word);
        }
    }
    for (const WordMeaning* meaning : words.functions) {
        if (meaning->function == Function::dwell) {
            const CodeWord* word = words.take(controller_.dwell);
            if (word == nullptr) {
                report(Severity::error, "code-error", "", fmt::format("a dwell without its word {}", controller_.dwell), "write the time");
                continue;
            }
            const double time = plain_value(*word, controller_.dwell_in_milliseconds ? 1 : controller_.time_increment);
            if (time < 0) {
                report(Severity::error, "code-error", "", "a dwell is below zero", "write a time of zero or more");
            }
            happens(Happening::Kind::dwell).seconds = controller_.dwell_in_milliseconds ? time / 1000 : time;
            changed_ = true;
        }
    }
}

SimulatedControl::FeedWord SimulatedControl::read_feed(Function mode, const CodeWord& word) const
{
    const double increment = mode == Function::feed_inverse_time     ? controller_.inverse_time_increment
                             : mode == Function::feed_per_revolution ? controller_.revolution_feed_increment
                                                                     : controller_.feed_increment;
    const double value = plain_value(word, increment);
    const double precision = value > 0 ? 0.5 * increment / value : 0;
    switch (mode) {
    case Function::feed_inverse_time: return {per_minute(value), precision};
    case Function::feed_per_revolution: return {value * unit_, precision};
    default: return {per_minute(value * unit_), precision};
    }
}

} // namespace wexilum
