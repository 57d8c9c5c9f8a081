// Statements that sections and rules have written: words, lines, comments, and what they do to motion, spindle and coolant.
#pragma once

#include "core/events/spindle_and_coolant.hpp"
#include "core/rules/rule_host.hpp"
#include "core/write/cycle_writer.hpp"

#include <span>
#include <string>
#include <vector>

namespace wexilum {

class StatementWriter {
public:
    using Problem = RuleHost::Problem;

    /// All must outlive the object.
    StatementWriter(const Assembly& assembly, WordEmitter& emitter, MotionWriter& motion, CycleWriter& cycles, SpindleAndCoolant& spindle);

    /// As RuleHost has these.
    [[nodiscard]] int slot(std::string_view name) const;
    [[nodiscard]] Problem emit(std::span<const RuleWord> words);
    void line(const std::string& text, std::span<const Role> changes);
    void comment(const std::string& text) { emitter_.comment(text); }
    void forget(std::span<const Role> roles);
    [[nodiscard]] Problem dwell(double seconds);
    /// A line as it stands, or a comment where it is one; what it does.
    TextEffect line(const std::string& text);

private:
    /// The words of a statement that are functions.
    struct Functions {
        bool machine = false; ///< machine coordinates
        bool moves = false;   ///< there are words of joints
        bool begins_loop = false;
    };
    [[nodiscard]] Problem add_functions(Statement& statement, std::span<const RuleWord> words, Functions& found) const;
    [[nodiscard]] Problem add_values(Statement& statement, std::span<const RuleWord> words, bool machine);
    [[nodiscard]] Problem add_axis(Statement& statement, const RuleWord& word, bool machine);
    void note_effect(std::span<const RuleWord> words);
    void after_text(const TextEffect& effect);

    const Assembly& assembly_;
    std::vector<std::string> joint_names_;
    WordEmitter& emitter_;
    MotionWriter& motion_;
    CycleWriter& cycles_;
    SpindleAndCoolant& spindle_;
};

} // namespace wexilum
