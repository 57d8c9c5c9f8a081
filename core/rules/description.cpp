#include "core/rules/description.hpp"

#include "core/dialect/section.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

namespace wexilum {
namespace {

using Fields = std::span<const FieldDescription>;
using enum FieldType;

constexpr FieldDescription field_x{"x", number, "mm", "tip in the part's frame", false};
constexpr FieldDescription field_y{"y", number, "mm", "", false};
constexpr FieldDescription field_z{"z", number, "mm", "", false};
constexpr FieldDescription field_i{"i", number, "", "tool axis, from the tip to the holder", false};
constexpr FieldDescription field_j{"j", number, "", "", false};
constexpr FieldDescription field_k{"k", number, "", "", false};

constexpr std::array<FieldDescription, 6> pose_fields{field_x, field_y, field_z, field_i, field_j, field_k};

/// Those of a pose, and what comes with it.
template <typename... More>
constexpr auto pose_and(const More&... more)
{
    return std::array<FieldDescription, 6 + sizeof...(more)>{field_x, field_y, field_z, field_i, field_j, field_k, more...};
}

constexpr auto linear_fields = pose_and(
    FieldDescription{"surface_x", number, "", "normal of the surface that is cut there; nil where the toolpath does not know it", false},
    FieldDescription{"surface_y", number, "", "", false}, FieldDescription{"surface_z", number, "", "", false});
constexpr auto arc_fields = pose_and(FieldDescription{"cx", number, "mm", "centre", false}, FieldDescription{"cy", number, "mm", "", false},
                                     FieldDescription{"cz", number, "mm", "", false},
                                     FieldDescription{"nx", number, "", "normal; motion is right-handed about it", false},
                                     FieldDescription{"ny", number, "", "", false}, FieldDescription{"nz", number, "", "", false},
                                     FieldDescription{"radius", number, "mm", "as the toolpath states it", false},
                                     FieldDescription{"turns", integer, "", "whole turns beyond the first arrival", false});
constexpr auto ruled_fields =
    pose_and(FieldDescription{"upper_x", number, "mm", "where the upper curve ends", false},
             FieldDescription{"upper_y", number, "mm", "", false}, FieldDescription{"upper_z", number, "mm", "", false});
constexpr std::array<FieldDescription, 4> operation_fields{
    FieldDescription{"id", text, "", "of the operation, from the job", false}, FieldDescription{"name", text, "", "", false},
    FieldDescription{"index", integer, "", "1 for the job's first", false},
    FieldDescription{"work", text, "", "the setup's work that it is for; empty where works have no ids", false}};
constexpr std::array<FieldDescription, 5> tool_change_fields{
    FieldDescription{"number", integer, "", "of the tool that comes", false},
    FieldDescription{"name", text, "", "in the setup's tool table", false},
    FieldDescription{"length", number, "mm", "gauge length; nil where the setup has none", false},
    FieldDescription{"next", integer, "", "number of the tool after it; nil at the last", false},
    FieldDescription{"index", integer, "", "1 for the program's first call", false}};
constexpr std::array<FieldDescription, 6> cycle_fields{
    FieldDescription{"kind", text, "", "drill, peck, chip_break, tap, bore, ream, or a kind of its own", false},
    FieldDescription{"depth", number, "mm", "below the point", false},
    FieldDescription{"clearance", number, "mm", "above the point, where feed begins", false},
    FieldDescription{"step", number, "mm", "infeed; nil for one feed", false},
    FieldDescription{"dwell", number, "s", "at the bottom", false},
    FieldDescription{"feed", number, "mm/min", "of the cycle's own; nil where the feed in force holds", false}};
constexpr auto cycle_point_fields =
    pose_and(FieldDescription{"depth", number, "mm", "below the point", false}, FieldDescription{"kind", text, "", "of the cycle", false});
constexpr std::array<FieldDescription, 2> feed_fields{
    FieldDescription{"value", number, "mm/min, mm/rev or 1/min", "by its mode", true},
    FieldDescription{"mode", text, "", "per_minute, per_revolution or inverse_time", false}};
constexpr std::array<FieldDescription, 2> spindle_fields{
    FieldDescription{"state", text, "", "off, clockwise or counter_clockwise", true, "off clockwise counter_clockwise"},
    FieldDescription{"speed", number, "rpm", "kept where only the state is stated", true}};
constexpr std::array<FieldDescription, 1> coolant_fields{
    FieldDescription{"state", text, "", "off, flood, mist, through or air", true, "off flood mist through air"}};
constexpr std::array<FieldDescription, 2> dwell_fields{
    FieldDescription{"amount", number, "s or revolutions", "", true},
    FieldDescription{"revolutions", flag, "", "whether the amount is in revolutions", false}};
constexpr std::array<FieldDescription, 1> one_text_fields{FieldDescription{"text", text, "", "", true}};
constexpr std::array<FieldDescription, 2> unknown_fields{FieldDescription{"word", text, "", "the major word", false},
                                                         FieldDescription{"text", text, "", "the whole statement", false}};
constexpr std::array<FieldDescription, 1> work_offset_fields{FieldDescription{"register", text, "", "of the work at hand", false}};

constexpr std::array<EventDescription, event_count> events{{
    {EventKind::program_start, "program_start", "The program begins.", "the sections program-head and safe-start", {}},
    {EventKind::program_end, "program_end", "All operations are done.", "the sections wind-down and program-end", {}},
    {EventKind::operation, "operation", "An operation of the job begins.", "the section operation", operation_fields},
    {EventKind::tool_change, "tool_change", "Another tool than the one in the spindle is called.",
     "the section tool-change; the length is taken over", tool_change_fields},
    {EventKind::rapid, "rapid", "A rapid motion to a pose.", "rapid blocks, away from the work first and towards it last", pose_fields},
    {EventKind::linear, "linear", "A straight cut to a pose.", "cutting blocks, as many as the tolerance needs", linear_fields},
    {EventKind::circular, "circular", "A cut along an arc.", "arcs where control and dialect have them, lines otherwise", arc_fields},
    {EventKind::ruled, "ruled", "A cut along a ruled surface: the tool lies on a line between two curves.",
     "cutting blocks, as many as the tolerance needs", ruled_fields},
    {EventKind::cycle, "cycle", "A point cycle is called: what it does at the points that follow.", "remembered for its points",
     cycle_fields},
    {EventKind::cycle_point, "cycle_point", "A point of the cycle that is on.", "the control's own cycle, or its moves",
     cycle_point_fields},
    {EventKind::cycle_end, "cycle_end", "The cycle ends.", "the word that ends the control's own cycle", {}},
    {EventKind::feed, "feed", "A feed is stated.", "taken over for the cuts that follow", feed_fields},
    {EventKind::spindle, "spindle", "Spindle speed or state.", "off at once, on before the next motion", spindle_fields},
    {EventKind::coolant, "coolant", "Coolant.", "off at once, on before the next motion", coolant_fields},
    {EventKind::stop, "stop", "A program stop.", "the section stop, or its word", {}},
    {EventKind::optional_stop, "optional_stop", "An optional stop.", "the section optional-stop, or its word", {}},
    {EventKind::dwell, "dwell", "A wait.", "the dwell word with its time", dwell_fields},
    {EventKind::comment, "comment", "A comment of the toolpath.", "a comment block", one_text_fields},
    {EventKind::inserted_text, "inserted_text", "Text that the toolpath wants in the program as it is.",
     "the text; what it may have changed is stated again", one_text_fields},
    {EventKind::unknown_word, "unknown_word", "A word of the toolpath that is not understood.", "nothing", unknown_fields},
    {EventKind::retract, "retract", "The tool leaves the work for its safe position.", "the machine's retract joint goes there", {}},
    {EventKind::rotary_home, "rotary_home", "The rotary joints go home.", "a retract, then one rapid block", {}},
    {EventKind::work_offset, "work_offset", "A work offset comes into force: at the start, and where the tool goes over to another work.",
     "its word", work_offset_fields},
}};

constexpr std::array<FunctionDescription, 27> functions{{
    {"native", "event:native()", "Does what happens without a rule, with the fields as they are now. Without it the event has no effect.",
     true},
    {"axis", "event:axis(joint)",
     "The value that the program gives a joint at the end of this motion: mm or degrees; nil where the event moves nothing.", true},
    {"reading", "event:reading(joint)", "The same as a reading of the machine.", true},
    {"positional", "positional(function)",
     "Makes a handler that takes its event's fields one by one, in their order, instead of an event object: faster where events are many. "
     "It calls native().",
     false},
    {"native", "native()", "As event:native(), for the event at hand.", false},
    {"emit", "emit(what, …) or emit{what, …, slot = value}",
     "Writes one block of words: names of functions as the dialect has them (\"linear\", \"spindle-off\"), and slots with values: feed "
     "(mm/min), speed (rpm), tool, length-register, dwell (s), or a joint's id with the value that the program gives it. Words that hold "
     "already are left out where the dialect has them modal.",
     false},
    {"text", "text(line [, changes])",
     "Writes a line as given. What it changes is read from it by the controller's definition and stated again where it must be; or is "
     "declared as a list of slots: text(\"M50\", {}) changes nothing, text(\"M51\", {\"feed\"}) the feed.",
     false},
    {"comment", "comment(text)", "Writes a comment.", false},
    {"section", "section(name)", "Writes a section as it is set.", false},
    {"section_off", "section_off(name)", "Nothing is written for the section from here on.", false},
    {"section_lines", "section_lines(name, lines)",
     "The section is these lines from here on: templates as in a dialect, such as \"({tool_name})\" or \"{retract}\".", false},
    {"section_back", "section_back(name)", "The section is what dialect and job make it again.", false},
    {"retract", "retract()", "The tool leaves the work; the next motion comes back by a safe way.", false},
    {"rotary_home", "rotary_home()", "Retracts and sends the rotary joints home.", false},
    {"spindle_off", "spindle_off()", "Stops the spindle where it turns; it is started again before the next motion.", false},
    {"coolant_off", "coolant_off()", "Turns the coolant off where it is on; it is turned on again before the next motion.", false},
    {"work_offset", "work_offset()", "States the offset of the work at hand.", false},
    {"stop", "stop()", "A program stop, as the toolpath could ask for.", false},
    {"optional_stop", "optional_stop()", "An optional stop.", false},
    {"dwell", "dwell(seconds)", "A wait.", false},
    {"forget", "forget([slot, …])", "What the control holds for these slots, or for all, is unknown: it is stated again.", false},
    {"tools", "tools()", "The tools in the order in which they come: a list of {number, name, length, calls, index}.", false},
    {"operations", "operations()",
     "The operations: a list of {id, name, work, records, tools, low = {x, y, z}, high = {x, y, z}}; the extents in the part's frame, nil "
     "without "
     "motion.",
     false},
    {"remark", "remark(text [, cure])", "Adds a remark to the findings, at the record and block at hand.", false},
    {"warn", "warn(text [, cure])", "Adds a warning.", false},
    {"fail", "fail(text [, cure])", "Adds an error: the program does not get its name.", false},
    {"require", "require(name)", "Runs name.lua of the rulebook's folder once and returns what it returns.", false},
}};

constexpr std::array<LibraryDescription, 6> libraries{{
    {"", "assert error ipairs pairs pcall rawequal rawget rawlen rawset select setmetatable getmetatable tonumber tostring type xpcall"},
    {"coroutine", "create isyieldable resume running status wrap yield close"},
    {"math", "abs acos asin atan ceil cos deg exp floor fmod huge log max maxinteger min mininteger modf pi rad random sin sqrt tan "
             "tointeger type ult"},
    {"string", "byte char find format gmatch gsub len lower match rep reverse sub upper"},
    {"table", "concat insert move pack remove sort unpack"},
    {"utf8", "char charpattern codepoint codes len offset"},
}};

std::string_view name_of(FieldType type)
{
    switch (type) {
    case number: return "number";
    case integer: return "whole number";
    case flag: return "flag";
    case text: return "text";
    }
    return "";
}

std::size_t distance(std::string_view a, std::string_view b)
{
    std::vector<std::size_t> row(b.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t m = 1; m <= a.size(); ++m) {
        std::size_t diagonal = row[0];
        row[0] = m;
        for (std::size_t n = 1; n <= b.size(); ++n) {
            const std::size_t replaced = diagonal + (a[m - 1] == b[n - 1] ? 0 : 1);
            diagonal = row[n];
            row[n] = std::min({row[n] + 1, row[n - 1] + 1, replaced});
        }
    }
    return row.back();
}

std::string unit_of(const expr::Name& name)
{
    if (name.type != expr::Type::number) {
        return name.type == expr::Type::flag ? "flag" : "text";
    }
    if (name.dimension == expr::plain) {
        return "number";
    }
    return name.dimension == expr::length  ? "mm"
           : name.dimension == expr::feed  ? "mm/min"
           : name.dimension == expr::speed ? "rpm"
                                           : "number";
}

} // namespace

std::optional<std::size_t> EventDescription::field(std::string_view wanted) const
{
    const auto found = std::find_if(fields.begin(), fields.end(), [&](const FieldDescription& f) { return f.name == wanted; });
    return found == fields.end() ? std::nullopt : std::optional(std::size_t(found - fields.begin()));
}

std::span<const EventDescription> rule_events() { return events; }

std::optional<EventKind> event_named(std::string_view name)
{
    const auto found = std::find_if(events.begin(), events.end(), [&](const EventDescription& e) { return e.name == name; });
    return found == events.end() ? std::nullopt : std::optional(found->kind);
}

std::span<const FunctionDescription> rule_functions() { return functions; }
std::span<const LibraryDescription> rule_libraries() { return libraries; }

std::string nearest_name(std::string_view wrong, std::span<const std::string> names)
{
    std::string best;
    std::size_t least = std::max<std::size_t>(2, wrong.size() / 3) + 1;
    for (const std::string& name : names) {
        if (const std::size_t off = distance(wrong.substr(0, 60), name); off < least) {
            least = off;
            best = name;
        }
    }
    return best;
}

std::string rulebook_reference()
{
    std::string out = "## Events\n\n"
                      "A handler takes its event: only what it does happens. `event:native()` does what would happen without it.\n\n";
    for (const EventDescription& event : events) {
        out += fmt::format("### {}\n\n{} Without a rule: {}.\n\n", event.name, event.help, event.native);
        if (event.fields.empty()) {
            continue;
        }
        out += "| field | type | unit | |\n| --- | --- | --- | --- |\n";
        for (const FieldDescription& field : event.fields) {
            out += fmt::format("| `{}` | {} | {} | {}{} |\n", field.name, name_of(field.type), field.unit, field.help,
                               field.settable ? (field.help.empty() ? "may be set" : "; may be set") : "");
        }
        out += "\n";
    }
    out += "## Functions\n\n| call | |\n| --- | --- |\n";
    for (const FunctionDescription& function : functions) {
        out += fmt::format("| `{}` | {} |\n", function.signature, function.help);
    }
    out += "\n## State\n\n`state.tool_length` and so on: what holds when the event comes. Nil where there is no value.\n\n"
           "| name | | |\n| --- | --- | --- |\n";
    for (const expr::Name& name : state_names()) {
        out += fmt::format("| `state.{}` | {} | {} |\n", name.name, unit_of(name), name.help);
    }
    out += "\n## Lua's own\n\n";
    for (const LibraryDescription& library : libraries) {
        std::string names(library.names);
        for (std::size_t at = 0; (at = names.find(' ', at)) != std::string::npos; at += 4) {
            names.replace(at, 1, "`, `");
        }
        out += fmt::format("- {}: `{}`\n", library.table.empty() ? "plain functions" : fmt::format("`{}`", library.table), names);
    }
    return out;
}

} // namespace wexilum
