#include "core/setup/setup_edit.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace wexilum {
namespace {

using json::Document;
using json::number_text;
using json::Patch;
using json::quoted;

std::string vector_text(const Vec3& v) { return fmt::format("[{}, {}, {}]", number_text(v.x()), number_text(v.y()), number_text(v.z())); }

std::string tool_text(const Tool& tool, const FileUnits& units)
{
    std::string out = fmt::format("{{\"number\": {}, \"name\": {}", tool.number, quoted(tool.name));
    if (!tool.shape.empty()) {
        out += ", \"shape\": " + quoted(tool.shape);
    }
    if (tool.diameter > 0) {
        out += ", \"diameter\": " + number_text(tool.diameter / units.length);
    }
    if (tool.length) {
        out += ", \"length\": " + number_text(*tool.length / units.length);
    }
    return out + fmt::format(", \"length_register\": {}}}", tool.length_register);
}

/// One line of a table, from `at` on, which goes behind its end.
std::vector<std::string> table_line(std::string_view text, std::size_t& at, char separator)
{
    std::vector<std::string> out(1);
    bool inside = false;
    for (; at < text.size(); ++at) {
        const char c = text[at];
        if (inside && c == '"' && at + 1 < text.size() && text[at + 1] == '"') {
            out.back() += '"';
            ++at;
        } else if (c == '"') {
            inside = !inside;
        } else if (!inside && c == separator) {
            out.emplace_back();
        } else if (!inside && c == '\n') {
            ++at;
            break;
        } else if (c != '\r') {
            out.back() += c;
        }
    }
    for (std::string& field : out) {
        const auto first = field.find_first_not_of(" \t");
        field = first == std::string::npos ? std::string() : field.substr(first, field.find_last_not_of(" \t") - first + 1);
    }
    return out;
}

std::optional<double> number_of(const std::string& text)
{
    double value = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
    return problem == std::errc() && end == text.data() + text.size() ? std::optional(value) : std::nullopt;
}

/// Puts one field of a table into a tool; a message where it does not fit.
std::string take_field(Tool& tool, ToolField field, const std::string& text)
{
    switch (field) {
    case ToolField::name: tool.name = text; return {};
    case ToolField::shape: tool.shape = text; return {};
    default: break;
    }
    if (text.empty() && field != ToolField::number) {
        return {};
    }
    const auto value = number_of(text);
    const bool whole = field == ToolField::number || field == ToolField::length_register;
    const double least = field == ToolField::number ? 1 : 0;
    if (!value || *value < least || *value > 99999999 || (whole && *value != std::floor(*value)) || (!whole && *value <= 0)) {
        return fmt::format("\"{}\" is not a {}", text.substr(0, 40), key_of(field));
    }
    switch (field) {
    case ToolField::number: tool.number = static_cast<std::uint32_t>(*value); break;
    case ToolField::diameter: tool.diameter = *value; break;
    case ToolField::length: tool.length = *value; break;
    default: tool.length_register = static_cast<std::uint32_t>(*value);
    }
    return {};
}

} // namespace

const char* key_of(ToolField field)
{
    static constexpr std::array<const char*, tool_field_count> keys{"number", "name", "shape", "diameter", "length", "length_register"};
    return keys[static_cast<std::size_t>(field)];
}

Result<Patch> set_offset(const Document& setup, const std::string& register_name, const std::string& joint, bool rotary, double value)
{
    const FileUnits units = units_of(setup);
    const std::string number = number_text(value / units.of(!rotary));
    const std::string text = rotary ? "{\"angle\": " + number + "}" : number;
    if (json::node_at(setup, {"offsets", register_name}) == nullptr) {
        return json::set_value(setup, {"offsets", register_name}, "{" + quoted(joint) + ": " + text + "}");
    }
    if (rotary && json::node_at(setup, {"offsets", register_name, joint, "angle"}) != nullptr) {
        return json::set_value(setup, {"offsets", register_name, joint, "angle"}, number);
    }
    return json::set_value(setup, {"offsets", register_name, joint}, text);
}

namespace {

json::Path part_of(const Document& setup, std::size_t work)
{
    return json::node_at(setup, {"works"}) != nullptr ? json::Path{"works", work, "part"} : json::Path{"part"};
}

json::Path with(json::Path path, const char* key)
{
    path.emplace_back(key);
    return path;
}

/// What the file states for a place or direction of the holder's frame before it turns the part by its "phase".
Vec3 before_phase(const Document& setup, const json::Path& part, const Vec3& v)
{
    const json::Node* phase = json::node_at(setup, with(part, "phase"));
    if (phase == nullptr || phase->kind != json::Kind::number) {
        return v;
    }
    const Vec3 turned = Eigen::AngleAxisd(-phase->number * units_of(setup).angle, Vec3::UnitZ()) * v;
    return (turned * 1e9).array().round().matrix() / 1e9; // without the last digits of sine and cosine
}

} // namespace

Result<Patch> set_part_point(const Document& setup, std::size_t work, const Vec3& point)
{
    const json::Path part = part_of(setup, work);
    return json::set_value(setup, with(part, "point"), vector_text(before_phase(setup, part, point) / units_of(setup).length));
}

Result<Patch> set_part_directions(const Document& setup, std::size_t work, const Vec3& x, const Vec3& z)
{
    const auto exact = [](const Vec3& v) { return fmt::format("[{:.9g}, {:.9g}, {:.9g}]", v.x(), v.y(), v.z()); };
    const json::Path path = part_of(setup, work);
    const json::Node* part = json::node_at(setup, path);
    if (part == nullptr) {
        return json::set_value(setup, with(path, "x"), exact(x)); // says what is missing
    }
    // Both at once: in one without the other the part would be skew.
    auto first = json::set_value(setup, with(path, "x"), exact(before_phase(setup, path, x)));
    if (!first) {
        return first;
    }
    auto between = Document::parse(json::applied(setup.text(), *first), setup.file_name());
    if (!between) {
        return between.error();
    }
    auto second = json::set_value(*between, with(path, "z"), exact(before_phase(setup, path, z)));
    if (!second) {
        return second;
    }
    auto after = Document::parse(json::applied(between->text(), *second), setup.file_name());
    if (!after) {
        return after.error();
    }
    const json::Node* now = json::node_at(*after, path);
    return Patch{part->begin, part->end, after->text().substr(now->begin, now->end - now->begin)};
}

Result<Patch> set_work_text(const Document& setup, std::size_t work, const std::string& key, const std::string& value)
{
    return json::set_value(setup, key == "holder" ? with(part_of(setup, work), "holder") : json::Path{"works", work, key}, quoted(value));
}

Result<Patch> set_tool_number(const Document& setup, std::size_t tool, ToolField field, std::optional<double> value)
{
    const json::Path path{"tools", tool, key_of(field)};
    const bool length = field == ToolField::diameter || field == ToolField::length;
    if (!value) {
        if (json::node_at(setup, path) == nullptr) {
            return Patch{};
        }
        return json::remove_value(setup, path);
    }
    return json::set_value(setup, path, number_text(*value / (length ? units_of(setup).length : 1)));
}

Result<Patch> set_tool_text(const Document& setup, std::size_t tool, ToolField field, const std::string& value)
{
    return json::set_value(setup, {"tools", tool, key_of(field)}, quoted(value));
}

Result<Patch> add_tool(const Document& setup, const Tool& tool)
{
    return json::append_item(setup, {"tools"}, tool_text(tool, units_of(setup)));
}

Result<Patch> remove_tool(const Document& setup, std::size_t tool) { return json::remove_value(setup, {"tools", tool}); }

namespace {

/// The fields that a table's header names.
Result<std::vector<ToolField>> read_columns(const std::vector<std::string>& names, const std::string& file_name)
{
    std::vector<ToolField> columns;
    for (const std::string& name : names) {
        std::size_t field = 0;
        while (field < tool_field_count && name != key_of(static_cast<ToolField>(field))) {
            ++field;
        }
        if (field == tool_field_count) {
            return Error{ErrorKind::value,
                         fmt::format("the table has a column \"{}\"", name.substr(0, 40)),
                         {file_name, 1, 0},
                         "name the columns number, name, shape, diameter, length, length_register; number and name are needed"};
        }
        columns.push_back(static_cast<ToolField>(field));
    }
    for (const ToolField needed : {ToolField::number, ToolField::name}) {
        if (std::find(columns.begin(), columns.end(), needed) == columns.end()) {
            return Error{ErrorKind::value,
                         fmt::format("the table has no column \"{}\"", key_of(needed)),
                         {file_name, 1, 0},
                         "name the columns number, name, shape, diameter, length, length_register; number and name are needed"};
        }
    }
    return columns;
}

} // namespace

Result<std::vector<Tool>> read_tool_table(std::string_view text, const std::string& file_name)
{
    if (text.starts_with("\xEF\xBB\xBF")) {
        text.remove_prefix(3);
    }
    const std::string_view first = text.substr(0, text.find('\n'));
    const char separator = first.find(';') != std::string_view::npos ? ';' : ',';
    std::size_t at = 0;
    const auto columns = read_columns(table_line(text, at, separator), file_name);
    if (!columns) {
        return columns.error();
    }
    std::vector<Tool> out;
    for (std::uint32_t line = 2; at < text.size(); ++line) {
        const std::vector<std::string> fields = table_line(text, at, separator);
        if (fields.size() == 1 && fields[0].empty()) {
            continue;
        }
        if (fields.size() != columns->size()) {
            return Error{ErrorKind::value,
                         fmt::format("{} fields where the header has {}", fields.size(), columns->size()),
                         {file_name, line, 0},
                         "give every column a field, empty where there is nothing to say"};
        }
        Tool tool;
        bool has_register = false;
        for (std::size_t i = 0; i < fields.size(); ++i) {
            has_register = has_register || ((*columns)[i] == ToolField::length_register && !fields[i].empty());
            if (std::string wrong = take_field(tool, (*columns)[i], fields[i]); !wrong.empty()) {
                return Error{
                    ErrorKind::value, std::move(wrong), {file_name, line, 0}, "write a number with a point, no unit; lengths in mm"};
            }
        }
        if (!has_register) {
            tool.length_register = tool.number;
        }
        const auto twice = std::find_if(out.begin(), out.end(), [&](const Tool& other) { return other.number == tool.number; });
        if (twice != out.end()) {
            return Error{
                ErrorKind::value, fmt::format("the tool {} appears twice", tool.number), {file_name, line, 0}, "keep one of the two"};
        }
        out.push_back(std::move(tool));
    }
    return out;
}

Result<Patch> merge_tools(const Document& setup, const std::vector<Tool>& tools)
{
    const json::Node* array = json::node_at(setup, {"tools"});
    if (array == nullptr || array->kind != json::Kind::array) {
        return Error{ErrorKind::value, "the setup has no tools", {setup.file_name(), 0, 0}, "add \"tools\": []"};
    }
    const FileUnits units = units_of(setup);
    std::vector<bool> used(tools.size(), false);
    std::string text = "[";
    const auto add = [&](const std::string& item) { text += (text.size() > 1 ? "," : "") + std::string("\n    ") + item; };
    for (const json::Node& item : array->items) {
        const json::Node* number = item.find("number");
        const auto found = std::find_if(tools.begin(), tools.end(),
                                        [&](const Tool& tool) { return number != nullptr && number->number == double(tool.number); });
        if (found == tools.end()) {
            add(setup.text().substr(item.begin, item.end - item.begin));
        } else {
            used[std::size_t(found - tools.begin())] = true;
            add(tool_text(*found, units));
        }
    }
    for (std::size_t i = 0; i < tools.size(); ++i) {
        if (!used[i]) {
            add(tool_text(tools[i], units));
        }
    }
    return Patch{array->begin, array->end, text + "\n  ]"};
}

} // namespace wexilum
