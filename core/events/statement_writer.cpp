#include "core/events/statement_writer.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

enum Slots : int { feed_slot, speed_slot, tool_slot, register_slot, dwell_slot, count_slot, first_joint };

bool has(std::span<const Role> roles, Role role) { return std::find(roles.begin(), roles.end(), role) != roles.end(); }

} // namespace

StatementWriter::StatementWriter(const Assembly& assembly, WordEmitter& emitter, MotionWriter& motion, CycleWriter& cycles,
                                 SpindleAndCoolant& spindle)
    : assembly_(assembly), joint_names_(assembly.joint_names()), emitter_(emitter), motion_(motion), cycles_(cycles), spindle_(spindle)
{}

int StatementWriter::slot(std::string_view name) const
{
    static constexpr std::array<std::string_view, first_joint> names{"feed", "speed", "tool", "length-register", "dwell", "loop-count"};
    if (const auto found = std::find(names.begin(), names.end(), name); found != names.end()) {
        return int(found - names.begin());
    }
    const auto joint = std::find(joint_names_.begin(), joint_names_.end(), name);
    return joint == joint_names_.end() ? -1 : first_joint + int(joint - joint_names_.begin());
}

StatementWriter::Problem StatementWriter::add_functions(Statement& statement, std::span<const RuleWord> words, Functions& found) const
{
    std::uint32_t groups = 0;
    for (const RuleWord& word : words) {
        if (!word.function) {
            found.moves = found.moves || word.slot >= first_joint;
            continue;
        }
        const auto slot = emitter_.function(*word.function);
        if (group_of(*word.function) == Group::frame) {
            return fmt::format("{} is switched by the operation's \"frame\"; a rule may write it as text", name_of(*word.function));
        }
        if (!slot) {
            return fmt::format("the dialect has no word for {}", name_of(*word.function));
        }
        const std::uint32_t bit = 1U << static_cast<std::uint32_t>(slot->role);
        if ((groups & bit) != 0) {
            return fmt::format("{} is the second word of its kind in the statement", name_of(*word.function));
        }
        groups |= bit;
        found.machine = found.machine || *word.function == Function::machine_coordinates;
        found.begins_loop = found.begins_loop || *word.function == Function::loop_begin;
        statement.slots.push_back(*slot);
    }
    return std::nullopt;
}

StatementWriter::Problem StatementWriter::add_values(Statement& statement, std::span<const RuleWord> words, bool machine)
{
    static constexpr std::array roles{Role::feed, Role::speed, Role::tool, Role::length_register, Role::dwell, Role::loop_count};
    static constexpr std::array quantities{Quantity::feed,  Quantity::speed, Quantity::whole,
                                           Quantity::whole, Quantity::time,  Quantity::whole};
    for (const RuleWord& word : words) {
        if (word.function) {
            continue;
        }
        if (word.slot >= first_joint) {
            if (Problem problem = add_axis(statement, word, machine)) {
                return problem;
            }
            continue;
        }
        if (!(word.value >= 0 && word.value < 1e7)) {
            return fmt::format("the value {} is out of range", word.value);
        }
        const auto at = std::size_t(word.slot);
        const double value = word.slot == feed_slot ? word.value / 60 : word.value;
        statement.slots.push_back(motion_.place().frame.slot(roles[at], quantities[at], value));
    }
    return std::nullopt;
}

StatementWriter::Problem StatementWriter::add_axis(Statement& statement, const RuleWord& word, bool machine)
{
    const auto joint = std::size_t(word.slot - first_joint);
    if (!assembly_.dialect.axes.contains(joint_names_[joint])) {
        return fmt::format("the dialect has no word for the joint {}", joint_names_[joint]);
    }
    if (!(std::abs(word.value) < 1e6)) {
        return fmt::format("{} can't go to {}", joint_names_[joint], word.value);
    }
    const ProgramFrame& frame = motion_.place().frame;
    const double value = frame.is_rotary()[joint] ? to_rad(word.value) : word.value;
    const Slot made = frame.slot(Role::axes, frame.quantity(joint), value, joint);
    statement.slots.push_back(made);
    motion_.moved_to(joint, machine ? value : frame.reading(joint, made.counts)); // of the tip's coordinates: the next motion retracts
    motion_.left_path();
    return std::nullopt;
}

StatementWriter::Problem StatementWriter::emit(std::span<const RuleWord> words)
{
    if (words.empty() || words.size() >= SlotList::most) {
        return fmt::format("a statement has from 1 to {} words", SlotList::most - 1);
    }
    Statement statement(StatementKind::state);
    Functions found;
    if (Problem problem = add_functions(statement, words, found)) {
        return problem;
    }
    if (found.moves) {
        cycles_.interrupt();
    }
    if (found.machine) {
        emitter_.forget(Role::axes);
    }
    if (Problem problem = add_values(statement, words, found.machine)) {
        return problem;
    }
    emitter_.emit(statement);
    note_effect(words);
    if (found.begins_loop) { // every pass but the first comes from the end of the one before
        forget({});
        motion_.forget_places();
    }
    if (found.machine) {
        emitter_.forget(Role::axes);
        emitter_.forget_after("machine-coordinates");
    }
    return std::nullopt;
}

/// What a statement's words do besides their own.
void StatementWriter::note_effect(std::span<const RuleWord> words)
{
    TextEffect effect;
    std::vector<WordMeaning> meanings;
    meanings.reserve(words.size()); // pointed into
    for (const RuleWord& word : words) {
        if (word.function) {
            meanings.emplace_back().function = *word.function;
            effect.words.push_back(&meanings.back());
        } else if (word.slot == speed_slot) {
            spindle_.speed_is(word.value);
        }
    }
    after_text(effect);
}

TextEffect StatementWriter::line(const std::string& text)
{
    TextEffect effect;
    const char open = assembly_.dialect.comment_open;
    if (text.size() > 1 && text.front() == open && text.back() == assembly_.dialect.comment_close) {
        emitter_.comment(text.substr(1, text.size() - 2));
    } else {
        effect = emitter_.literal(text);
        after_text(effect);
    }
    return effect;
}

void StatementWriter::line(const std::string& text, std::span<const Role> changes)
{
    emitter_.literal(text, changes);
    if (has(changes, Role::axes)) {
        motion_.left_path();
        for (std::size_t joint = 0; joint < joint_names_.size(); ++joint) {
            motion_.stands_anywhere(joint);
        }
    }
    if (has(changes, Role::spindle)) {
        spindle_.forget_speed();
    }
}

void StatementWriter::after_text(const TextEffect& effect)
{
    for (const WordMeaning* word : effect.words) {
        if (word->function == Function::brake_lock || word->function == Function::brake_release) {
            motion_.brake_is(word->joint, word->function == Function::brake_lock);
        }
    }
    if (effect.has(Group::frame)) {
        motion_.frame_by_text(std::all_of(effect.words.begin(), effect.words.end(), [](const WordMeaning* word) {
            return group_of(word->function) != Group::frame || word->function == Function::joint_coordinates;
        }));
    }
    spindle_.after_text(effect);
    if (effect.moves(assembly_.controller)) {
        motion_.left_path();
        for (const auto& [letter, id] : assembly_.controller.axes) {
            const auto joint = assembly_.machine.find_joint(id);
            if (joint && (effect.addresses.find(letter) != std::string::npos || !effect.unknown.empty())) {
                motion_.stands_anywhere(joint->value);
            }
        }
    }
}

void StatementWriter::forget(std::span<const Role> roles)
{
    if (roles.empty()) {
        emitter_.forget_all();
    }
    for (const Role role : roles) {
        emitter_.forget(role);
    }
    if (roles.empty() || has(roles, Role::spindle)) {
        spindle_.forget_speed();
    }
}

StatementWriter::Problem StatementWriter::dwell(double seconds)
{
    const auto word = emitter_.function(Function::dwell);
    if (!word) {
        return "the dialect has no word for dwell";
    }
    emitter_.emit({StatementKind::dwell, {*word, motion_.place().frame.slot(Role::dwell, Quantity::time, seconds)}});
    return std::nullopt;
}

} // namespace wexilum
