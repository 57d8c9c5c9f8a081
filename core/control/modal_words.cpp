#include "core/control/modal_words.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

/// Words that, in force, leave a straight cut in absolute coordinates as it is.
bool leaves_cuts(Function function)
{
    switch (function) {
    case Function::linear:
    case Function::plane_xy:
    case Function::plane_zx:
    case Function::plane_yz:
    case Function::absolute:
    case Function::millimetres:
    case Function::inches:
    case Function::feed_per_minute:
    case Function::feed_per_revolution:
    case Function::feed_inverse_time:
    case Function::work_offset:
    case Function::length_on:
    case Function::length_off:
    case Function::compensation_off:
    case Function::return_initial:
    case Function::return_clearance:
    case Function::spindle_clockwise:
    case Function::spindle_counter_clockwise:
    case Function::spindle_off:
    case Function::coolant_flood:
    case Function::coolant_mist:
    case Function::coolant_through:
    case Function::coolant_air:
    case Function::coolant_off:
    case Function::joint_coordinates:
    case Function::coordinate_rotation_off: return true;
    default: return false;
    }
}

} // namespace

ModalWords::ModalWords(const Controller& controller, ControlLog& log) : ControlPart(log), controller_(controller)
{
    for (std::size_t group = 0; group < group_count; ++group) {
        state_[group].meaning = controller.power_on_meaning(static_cast<Group>(group));
    }
    for (const auto& [word, meaning] : controller.words) {
        letters_ |= std::uint32_t{1} << BlockWords::place(word[0]);
    }
    const WordMeaning* units = state(Group::units).meaning;
    unit_ = units != nullptr && units->function == Function::inches ? mm_per_inch : 1;
}

const WordMeaning* ModalWords::use(Group group)
{
    if (!reliable(group)) {
        log_.rely_on(std::string(name_of(group)), fmt::format("the block relies on the {} that was in force before", name_of(group)),
                     "state it");
    }
    return state(group).meaning;
}

Function ModalWords::use(Group group, Function otherwise)
{
    const WordMeaning* const meaning = use(group);
    return meaning != nullptr ? meaning->function : otherwise;
}

void ModalWords::put(const WordMeaning& meaning)
{
    const Group group = group_of(meaning.function);
    State& state = state_[std::size_t(group)];
    log_.note_change(!state.by_program || state.meaning != &meaning);
    state = {&meaning, true};
    if (group == Group::units) {
        unit_ = meaning.function == Function::inches ? mm_per_inch : 1;
    }
}

void ModalWords::forget_for_loop()
{
    for (std::size_t group = 0; group < group_count; ++group) {
        state_[group].by_program = state_[group].by_program && group == std::size_t(Group::units);
    }
}

bool ModalWords::knows(Group group) const
{
    const auto& words = controller_.words;
    return std::any_of(words.begin(), words.end(), [&](const auto& word) { return group_of(word.second.function) == group; });
}

bool ModalWords::begins_word(char letter) const { return (letters_ >> BlockWords::place(letter) & 1U) != 0; }

const WordMeaning* ModalWords::meaning_of(const CodeWord& word) const
{
    if (!begins_word(word.letter)) {
        return nullptr;
    }
    const auto found = controller_.words.find(normalised_word(word.letter + std::string(word.number)));
    return found != controller_.words.end() ? &found->second : nullptr;
}

double ModalWords::length(const CodeWord& word)
{
    if (log_.from_unknown()) [[unlikely]] {
        (void)use(Group::units);
    }
    return length_as_it_is(word);
}

double ModalWords::dwell(const CodeWord& word) const
{
    return controller_.dwell_in_milliseconds ? value(word, 1) / 1000 : value(word, controller_.time_increment);
}

std::uint32_t ModalWords::whole(const CodeWord& word)
{
    if (word.value < 0 || word.value != std::floor(word.value)) {
        log_.report(Severity::error, "code-error", "",
                    fmt::format("the word {}{} needs a whole number, not below zero", word.letter, word.number.substr(0, 24)),
                    "correct the number");
        return 0;
    }
    return static_cast<std::uint32_t>(word.value);
}

bool ModalWords::leaves_cuts_plain() const
{
    const auto is = [&](Group group, Function function) {
        return reliable(group) && state(group).meaning != nullptr && state(group).meaning->function == function;
    };
    return is(Group::motion, Function::linear) && is(Group::distance, Function::absolute) && reliable(Group::feed_mode) &&
           reliable(Group::units) && std::all_of(state_.begin(), state_.end(), [](const State& state) {
               return state.meaning == nullptr || leaves_cuts(state.meaning->function);
           });
}

} // namespace wexilum
