// Sections: named pieces of output as lists of statement templates. A dialect supplies them; a job, an operation or a rule replaces them
// or switches them off.
#pragma once

#include "core/base/json_names.hpp"
#include "core/base/result.hpp"
#include "core/controller/function.hpp"
#include "core/expr/expression.hpp"

#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// The state of a run that templates, and rules, can ask for; the order of state_names().
enum class StateName : std::uint8_t {
    program,
    number,
    machine,
    date,
    operation,
    operation_id,
    work,
    next_operation,
    operations,
    tool,
    tool_name,
    tool_length,
    next_tool,
    next_tool_name,
    tools,
    spindle,
    speed,
    coolant,
    feed,
    block,
};
inline constexpr std::size_t state_name_count = 20;
[[nodiscard]] const std::vector<expr::Name>& state_names();
/// By StateName; what has no value at the time is empty.
using StateValues = std::array<expr::Value, state_name_count>;

/// What a template can have done beside writing.
enum class SectionAction : std::uint8_t { retract, rotary_home, spindle_off, coolant_off, work_offset, message, subprograms };
[[nodiscard]] const std::vector<std::string>& section_actions();

/// A stretch of a line: text as it stands, or a value.
struct TextPart {
    std::string text;
    std::optional<expr::Expression> value;
    int decimals = -1; ///< of a number; below zero: as few as it needs, at most three
};

/// A word with a value in a statement: a role by name ("feed", "speed", "tool", "length-register", "dwell") or a joint's id.
struct ValueTemplate {
    std::string slot;
    expr::Expression value;
};

struct StatementTemplate {
    enum class Kind : std::uint8_t { line, comment, action, words };
    Kind kind = Kind::line;
    std::optional<expr::Expression> when; ///< left out where it is not true or has no value
    std::vector<TextPart> parts;          ///< of a line or comment
    SectionAction action = SectionAction::retract;
    std::vector<Function> functions; ///< of words
    std::vector<ValueTemplate> values;
};
using Section = std::vector<StatementTemplate>;

/// The sections there are, in the order in which a program comes to them.
[[nodiscard]] const std::vector<std::string>& section_names();

/// Reads a list of templates: texts, in which "{…}" is an expression ("{tool_length:3}" with three decimals) or, alone in a line, an
/// action; or objects {"line" | "comment" | "do" | "words": …, "values": {…}, "when": "…"}.
Section read_section(const json::Node& node, json::Problems& problems);
/// The same from texts alone, as a rule gives them; errors have no file.
Result<Section> section_of_lines(const std::vector<std::string>& lines);

/// The sections of a "sections" object: name -> templates, or nothing where the value is "off" (allowed by `off`).
std::map<std::string, std::optional<Section>> read_sections(json::Fields& root, json::Problems& problems, bool off);

/// The text of a line or comment; nothing where a value it needs is not there. An Error where a value can't be computed.
Result<std::optional<std::string>> text_of(const std::vector<TextPart>& parts, const StateValues& state, bool inches);

/// Whether a template is to be used now.
Result<bool> applies(const StatementTemplate& item, const StateValues& state);

/// The joint ids among the slots of a section's values, which only a machine can judge.
[[nodiscard]] std::vector<std::string> joints_of(const Section& section);

} // namespace wexilum
