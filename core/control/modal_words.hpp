// What words leave in force, group by group, and how a control reads a word's number under that.
#pragma once

#include "core/base/units.hpp"
#include "core/control/control_log.hpp"
#include "core/control/lexer.hpp"
#include "core/controller/controller.hpp"

#include <array>
#include <cstdint>

namespace wexilum {

class ModalWords final : public ControlPart {
public:
    /// The controller must outlive the object. The words of power-on are in force.
    ModalWords(const Controller& controller, ControlLog& log);

    struct State {
        const WordMeaning* meaning = nullptr; ///< nullptr: unknown
        bool by_program = false;
    };
    [[nodiscard]] const State& state(Group group) const { return state_[std::size_t(group)]; }
    /// What is in force, for a block that depends on it: one that relies on what the program has not stated is reported where nothing is
    /// known. Null: nothing.
    [[nodiscard]] const WordMeaning* use(Group group);
    /// The same as a function; `otherwise`: where nothing is in force.
    [[nodiscard]] Function use(Group group, Function otherwise);
    /// Whether what is in force can be relied on.
    [[nodiscard]] bool reliable(Group group) const { return !log_.from_unknown() || state(group).by_program; }
    /// Puts a word in force. Precondition: it belongs to a group.
    void put(const WordMeaning& meaning);
    /// What is in force in a group is not known any more.
    void forget(Group group) { state_[std::size_t(group)] = {}; }
    /// A loop begins: nothing but the units has been stated by what it repeats.
    void forget_for_loop();

    /// Whether the controller has words of a group.
    [[nodiscard]] bool knows(Group group) const;
    /// The meaning of a word of the controller; null where it is a number of an address.
    [[nodiscard]] const WordMeaning* meaning_of(const CodeWord& word) const;
    /// Whether a word of the controller begins with this letter.
    [[nodiscard]] bool begins_word(char letter) const;
    /// mm per length unit of the program.
    [[nodiscard]] double unit() const { return unit_; }
    /// A number as written, in its own unit; `increment` is what it counts where it has no point and the control reads it so.
    [[nodiscard]] double value(const CodeWord& word, double increment) const
    {
        return !word.has_point && controller_.bare_number_is_increments ? word.value * increment : word.value;
    }
    /// A length, mm. length() relies on the units that are in force, length_as_it_is() does not ask.
    [[nodiscard]] double length(const CodeWord& word);
    [[nodiscard]] double length_as_it_is(const CodeWord& word) const { return value(word, controller_.length_increment) * unit_; }
    /// rad.
    [[nodiscard]] double angle(const CodeWord& word) const { return to_rad(value(word, controller_.angle_increment)); }
    /// s, as a dwell's word states it.
    [[nodiscard]] double dwell(const CodeWord& word) const;
    /// The whole number, not below zero, that a word has; 0 where it has none, which is reported.
    [[nodiscard]] std::uint32_t whole(const CodeWord& word);

    /// Where each word in force is one of those that are known to leave straight cuts as they are: one that nobody has thought of is not.
    [[nodiscard]] bool leaves_cuts_plain() const override;

private:
    const Controller& controller_;
    std::array<State, group_count> state_;
    std::uint32_t letters_ = 0; ///< that words of the controller begin with
    double unit_ = 1;
};

} // namespace wexilum
