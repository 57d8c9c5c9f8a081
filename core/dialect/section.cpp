#include "core/dialect/section.hpp"

#include "core/base/json_document.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

using expr::Name;
using expr::Type;
using json::Kind;
using json::Node;

const std::vector<std::string> slot_names{"feed", "speed", "tool", "length-register", "dwell", "loop-count"};

/// Reads the templates of one section; problems go to a place in the file or to the caller.
class SectionReader {
public:
    /// The first problem met.
    std::optional<Error> error;

    void line(const std::string& text, StatementTemplate& out)
    {
        if (text.size() > 2 && text.front() == '{' && text.back() == '}') {
            const auto& actions = section_actions();
            const auto action = std::find(actions.begin(), actions.end(), text.substr(1, text.size() - 2));
            if (action != actions.end()) {
                out.kind = StatementTemplate::Kind::action;
                out.action = static_cast<SectionAction>(action - actions.begin());
                return;
            }
        }
        out.parts = parts(text);
    }
    std::vector<TextPart> parts(const std::string& text)
    {
        std::vector<TextPart> out;
        for (std::size_t at = 0; at < text.size() && !error;) {
            if (text[at] != '{') {
                const std::size_t open = text.find('{', at);
                out.push_back({text.substr(at, open == std::string::npos ? open : open - at), std::nullopt, -1});
                at = open == std::string::npos ? text.size() : open;
                continue;
            }
            const std::size_t close = text.find('}', at);
            if (close == std::string::npos) {
                fail(at, "a \"{\" is not closed", "write {name}");
                return out;
            }
            out.push_back(value(text.substr(at + 1, close - at - 1), at));
            at = close + 1;
        }
        return out;
    }
    expr::Expression expression(const std::string& text, std::size_t offset)
    {
        auto read = expr::Expression::parse(text, state_names());
        if (!read) {
            fail(offset + read.error().place.column - 1, read.error().message, read.error().cure);
            return *expr::Expression::parse("0", {});
        }
        return *read;
    }
    std::optional<expr::Expression> condition(const std::string& text)
    {
        expr::Expression read = expression(text, 0);
        if (!error && read.type() != Type::flag) {
            fail(0, "a condition is yes or no", "compare the value with something");
        }
        return read;
    }
    void fail(std::size_t at, const std::string& message, std::string cure)
    {
        if (!error) {
            error = Error{ErrorKind::value, fmt::format("{} (character {} of the text)", message, at + 1), {}, std::move(cure)};
        }
    }

private:
    TextPart value(const std::string& inside, std::size_t at)
    {
        TextPart out;
        std::string text = inside;
        // Behind the last colon: how many decimals.
        const std::size_t colon = text.rfind(':');
        if (colon != std::string::npos && colon + 2 == text.size() && text[colon + 1] >= '0' && text[colon + 1] <= '8') {
            out.decimals = text[colon + 1] - '0';
            text.resize(colon);
        }
        out.value = expression(text, at + 1);
        return out;
    }
};

bool fits(const std::string& slot, const expr::Dimension& d)
{
    if (slot == "feed") {
        return d == expr::feed || d == expr::feed_per_turn;
    }
    if (slot == "speed") {
        return d == expr::speed;
    }
    if (slot == "dwell") {
        return d == expr::time;
    }
    return slot == "tool" || slot == "length-register" || slot == "loop-count" ? d == expr::plain : d == expr::length || d == expr::angle;
}

void read_words(json::Fields& fields, json::Problems& problems, SectionReader& reader, StatementTemplate& out)
{
    out.kind = StatementTemplate::Kind::words;
    fields.each_item("words", [&](const Node& word) {
        const auto function = word.kind == Kind::string ? function_named(word.text) : std::nullopt;
        if (!function || *function == Function::work_offset || *function == Function::cycle || group_of(*function) == Group::frame) {
            problems.add(word, fmt::format("\"{}\" is not a function with a word of its own", word.text.substr(0, 40)),
                         "docs/formats/dialect.md lists them");
            return;
        }
        out.functions.push_back(*function);
    });
    fields.each_member("values", [&](const std::string& slot, const Node& value) {
        if (value.kind != Kind::string) {
            problems.add(value, "a value is an expression in quotes", "write \"2 s\"");
            return;
        }
        ValueTemplate made{slot, reader.expression(value.text, 0)};
        if (reader.error) {
            problems.add(value, reader.error->message, reader.error->cure);
        } else if (made.value.type() != Type::number || !fits(slot, made.value.dimension())) {
            problems.add(value, fmt::format("the slot \"{}\" does not take {}", slot.substr(0, 40), name_of(made.value.dimension())),
                         fmt::format("the slots are {} and the joints' ids; give the value its unit", fmt::join(slot_names, ", ")));
        }
        out.values.push_back(std::move(made));
    });
}

StatementTemplate read_item(const Node& node, json::Problems& problems)
{
    StatementTemplate out;
    SectionReader reader;
    if (node.kind == Kind::string) {
        reader.line(node.text, out);
    } else if (node.kind != Kind::object) {
        problems.add(node, "a template is a text or an object", "write \"G4 P1\" or {\"line\": \"G4 P1\", \"when\": \"spindle\"}");
        return out;
    } else {
        json::Fields fields(node, "the template", problems);
        std::string text;
        int kinds = 0;
        if (fields.text("line", text)) {
            reader.line(text, out);
            ++kinds;
        }
        if (fields.text("comment", text)) {
            out.kind = StatementTemplate::Kind::comment;
            out.parts = reader.parts(text);
            ++kinds;
        }
        std::size_t action = 0;
        if (fields.choice("do", action, section_actions())) {
            out.kind = StatementTemplate::Kind::action;
            out.action = static_cast<SectionAction>(action);
            ++kinds;
        }
        if (fields.has("words")) {
            read_words(fields, problems, reader, out);
            ++kinds;
        }
        std::string when;
        if (fields.text("when", when)) {
            out.when = reader.condition(when);
        }
        fields.finish();
        if (kinds != 1) {
            problems.add(node, "a template is one of line, comment, do or words", "keep one of them");
        }
    }
    if (reader.error) {
        problems.add(node, reader.error->message, reader.error->cure);
    }
    return out;
}

} // namespace

const std::vector<Name>& state_names()
{
    static const std::vector<Name> names{
        {"program", Type::text, {}, "the title of the program, from the job"},
        {"number", Type::number, expr::plain, "the number of the program, from the job"},
        {"machine", Type::text, {}, "the name of the machine"},
        {"date", Type::text, {}, "the day of the run, YYYY-MM-DD, where one is given"},
        {"operation", Type::text, {}, "id and name of the operation, once one has begun"},
        {"operation_id", Type::text, {}, "its id alone"},
        {"work", Type::text, {}, "the setup's work that it is for, where works have ids"},
        {"next_operation", Type::text, {}, "id and name of the operation behind it, where there is one"},
        {"operations", Type::number, expr::plain, "how many operations the job has"},
        {"tool", Type::number, expr::plain, "number of the tool that is called or in the spindle"},
        {"tool_name", Type::text, {}, "its name in the setup"},
        {"tool_length", Type::number, expr::length, "its gauge length"},
        {"next_tool", Type::number, expr::plain, "number of the tool called after it, where there is one"},
        {"next_tool_name", Type::text, {}, "its name"},
        {"tools", Type::number, expr::plain, "how many tool calls the job has"},
        {"spindle", Type::flag, {}, "whether the spindle turns by program"},
        {"speed", Type::number, expr::speed, "the spindle speed that the toolpath asks for"},
        {"coolant", Type::text, {}, "the coolant in force: off, flood, mist, through or air"},
        {"feed", Type::number, expr::feed, "the feed that the toolpath asks for, where it is a feed by time"},
        {"block", Type::number, expr::plain, "the block that comes next, from 1"},
    };
    return names;
}

const std::vector<std::string>& section_actions()
{
    static const std::vector<std::string> names{"retract",     "rotary-home", "spindle-off", "coolant-off",
                                                "work-offset", "message",     "subprograms"};
    return names;
}

const std::vector<std::string>& section_names()
{
    static const std::vector<std::string> names{"program-head",   "safe-start",     "operation",   "remove-attachment",
                                                "fit-attachment", "set-attachment", "tool-change", "stop",
                                                "optional-stop",  "wind-down",      "program-end"};
    return names;
}

Section read_section(const Node& node, json::Problems& problems)
{
    Section out;
    if (node.kind != Kind::array) {
        problems.add(node, "a section is a list of templates", "write [\"line\", …]");
        return out;
    }
    for (const Node& item : node.items) {
        out.push_back(read_item(item, problems));
    }
    return out;
}

Result<Section> section_of_lines(const std::vector<std::string>& lines)
{
    Section out;
    for (std::size_t i = 0; i < lines.size(); ++i) {
        SectionReader reader;
        StatementTemplate item;
        reader.line(lines[i], item);
        if (reader.error) {
            reader.error->message = fmt::format("line {}: {}", i + 1, reader.error->message);
            return *reader.error;
        }
        out.push_back(std::move(item));
    }
    return out;
}

std::map<std::string, std::optional<Section>> read_sections(json::Fields& root, json::Problems& problems, bool off)
{
    std::map<std::string, std::optional<Section>> out;
    root.each_member("sections", [&](const std::string& name, const Node& node) {
        const auto& names = section_names();
        if (std::find(names.begin(), names.end(), name) == names.end()) {
            problems.add(node, fmt::format("no section is called \"{}\"", name.substr(0, 40)),
                         fmt::format("use one of: {}", fmt::join(names, ", ")));
        } else if (off && node.kind == Kind::string && node.text == "off") {
            out[name] = std::nullopt;
        } else if (off && node.kind != Kind::array) {
            problems.add(node, fmt::format("the section {} is \"off\" or a list of templates", name), "write \"off\" or [\"line\", …]");
        } else {
            out[name] = read_section(node, problems);
        }
    });
    return out;
}

Result<std::optional<std::string>> text_of(const std::vector<TextPart>& parts, const StateValues& state, bool inches)
{
    std::string out;
    for (const TextPart& part : parts) {
        if (!part.value) {
            out += part.text;
            continue;
        }
        auto value = part.value->evaluate(state);
        if (!value) {
            return value.error();
        }
        if (!expr::present(*value)) {
            return std::optional<std::string>();
        }
        out += expr::text_of(*value, part.value->dimension(), part.decimals, inches);
    }
    return std::optional(std::move(out));
}

Result<bool> applies(const StatementTemplate& item, const StateValues& state)
{
    if (!item.when) {
        return true;
    }
    auto value = item.when->evaluate(state);
    if (!value) {
        return value.error();
    }
    return expr::present(*value) && std::get<bool>(*value);
}

std::vector<std::string> joints_of(const Section& section)
{
    std::vector<std::string> out;
    for (const StatementTemplate& item : section) {
        for (const ValueTemplate& value : item.values) {
            if (std::find(slot_names.begin(), slot_names.end(), value.slot) == slot_names.end()) {
                out.push_back(value.slot);
            }
        }
    }
    return out;
}

} // namespace wexilum
