// What rules can use: events with their fields, and functions. The one source of the reference in docs/rulebook.md, of the editor's
// completion, and of what the binding checks.
#pragma once

#include "core/expr/expression.hpp"

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

enum class EventKind : std::uint8_t {
    program_start,
    program_end,
    operation,
    tool_change,
    rapid,
    linear,
    circular,
    ruled,
    cycle,
    cycle_point,
    cycle_end,
    feed,
    spindle,
    coolant,
    stop,
    optional_stop,
    dwell,
    comment,
    inserted_text,
    unknown_word,
    retract,
    rotary_home,
    work_offset,
};
inline constexpr std::size_t event_count = 23;

enum class FieldType : std::uint8_t { number, integer, flag, text };

struct FieldDescription {
    std::string_view name;
    FieldType type = FieldType::number;
    std::string_view unit; ///< of a number, as rules see it
    std::string_view help;
    bool settable = false;         ///< a rule may change it before it has the native way done
    std::string_view choices = {}; ///< what a text may be set to, separated by blanks; empty: anything
};

struct EventDescription {
    EventKind kind{};
    std::string_view name;
    std::string_view help;
    std::string_view native; ///< what happens where no rule takes it
    std::span<const FieldDescription> fields;

    [[nodiscard]] std::optional<std::size_t> field(std::string_view name) const;
};

/// By EventKind.
[[nodiscard]] std::span<const EventDescription> rule_events();
[[nodiscard]] std::optional<EventKind> event_named(std::string_view name);

struct FunctionDescription {
    std::string_view name;
    std::string_view signature; ///< "dwell(seconds)"
    std::string_view help;
    bool method = false; ///< called on an event: event:native()
};
[[nodiscard]] std::span<const FunctionDescription> rule_functions();

/// What Lua's own libraries keep in a rulebook, by table; the empty name is for plain functions.
struct LibraryDescription {
    std::string_view table;
    std::string_view names; ///< separated by blanks
};
[[nodiscard]] std::span<const LibraryDescription> rule_libraries();

/// The reference, in Markdown.
[[nodiscard]] std::string rulebook_reference();

/// The nearest of some names to one that is not among them, for messages; empty where none is near.
[[nodiscard]] std::string nearest_name(std::string_view wrong, std::span<const std::string> names);

/// One event as it is handed to a rule. Fields are numbered as the description has them.
struct Event {
    static constexpr std::size_t most_fields = 16;
    EventKind kind{};
    std::uint32_t present = 0; ///< a bit for each field that has a value
    std::uint32_t changed = 0; ///< set by the rule
    std::array<double, most_fields> numbers{};
    std::array<std::string, 3> texts; ///< of the text fields, in their order

    void begin(EventKind which)
    {
        kind = which;
        present = changed = 0;
    }
    void number(std::size_t field, double value)
    {
        numbers[field] = value;
        present |= 1U << field;
    }
    /// `text`: which of the texts the field is.
    void text(std::size_t field, std::size_t text, std::string_view value)
    {
        texts[text] = value;
        present |= 1U << field;
    }
};

} // namespace wexilum
