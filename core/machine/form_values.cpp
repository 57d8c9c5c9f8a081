// How the values of forms are shown and read.
#include "core/base/units.hpp"
#include "core/geometry/pose.hpp"
#include "core/machine/form_text.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

using form::renamed;
using form::reshaped;
using form::shape_of;
using form::then;
using form::wrong;
using json::Document;
using json::Kind;
using json::Node;
using json::number_text;
using json::Path;
using json::quoted;

/// What one of the file's units is in mm, rad and s.
double file_factor(const FormField& field, const FileUnits& units)
{
    double out = 1;
    out = field.dimension.length != 0 ? out * units.length : out;
    out = field.dimension.angle != 0 ? out * units.angle : out;
    return field.per_minute ? out / 60 : field.dimension == expr::speed ? 1.0 / 60 : out;
}

/// What one of the units that people type is; `other`: inches and radians.
double typed_factor(const FormField& field, bool other)
{
    return file_factor(field, other ? FileUnits{mm_per_inch, 1} : FileUnits{1, pi / 180});
}

std::string unit_name(const FormField& field, bool other)
{
    if (field.dimension == expr::speed) {
        return "rpm";
    }
    std::string out = field.dimension.length != 0 ? (other ? "in" : "mm") : field.dimension.angle != 0 ? (other ? "rad" : "deg") : "";
    if (out.empty()) {
        return field.dimension == expr::time ? "s" : "";
    }
    const int times = -field.dimension.time;
    return times == 0 ? out : out + (field.per_minute ? "/min" : times == 1 ? "/s" : fmt::format("/s{}", times));
}

const Node* value_at(const Document& document, const PartPath& path, const FormField& field)
{
    Path whole = path;
    whole.insert(whole.end(), field.keys.begin(), field.keys.end());
    return json::node_at(document, whole);
}

std::string shown_numbers(const Node& node, double factor, bool roughly = false)
{
    const auto one = [&](double value) { return roughly ? fmt::format("{:.6g}", value * factor + 0.0) : number_text(value * factor); };
    if (node.kind == Kind::number) {
        return one(node.number);
    }
    std::string out;
    for (const Node& item : node.items) {
        out += (out.empty() ? "" : ", ") + one(item.number);
    }
    return out;
}

/// "-Z" for a direction along an axis.
std::string axis_name(const Node& node)
{
    for (std::size_t k = 0; k < 3 && node.items.size() == 3; ++k) {
        const double one = node.items[k].number;
        const bool alone = std::abs(node.items[(k + 1) % 3].number) < 1e-12 && std::abs(node.items[(k + 2) % 3].number) < 1e-12;
        if (alone && std::abs(std::abs(one) - 1) < 1e-12) {
            return std::string(one > 0 ? "+" : "-") + "XYZ"[k];
        }
    }
    return {};
}

std::string trimmed(std::string text)
{
    const auto blank = [](char c) { return c == ' ' || c == '\t'; };
    while (!text.empty() && blank(text.back())) {
        text.pop_back();
    }
    return text.substr(std::size_t(std::find_if_not(text.begin(), text.end(), blank) - text.begin()));
}

/// Parts of "1, 2, 3" or "1 2 3" or "-10 to 20".
std::vector<std::string> listed(const std::string& typed)
{
    std::vector<std::string> out;
    std::string text = typed;
    for (std::size_t at = text.find(" to "); at != std::string::npos; at = text.find(" to ")) {
        text.replace(at, 4, ",");
    }
    const bool commas = text.find_first_of(",;") != std::string::npos;
    std::string one;
    for (const char c : text + (commas ? "," : " ")) {
        if (commas ? c == ',' || c == ';' : c == ' ') {
            if (commas || !trimmed(one).empty()) {
                out.push_back(trimmed(one));
            }
            one.clear();
        } else {
            one += c;
        }
    }
    return out;
}

/// A number as typed, in the file's unit.
Result<double> number_of(const std::string& typed, const FormField& field, const FileUnits& units)
{
    const std::string unit = unit_name(field, false);
    const std::string cure = unit.empty() ? "type a number"
                                          : fmt::format("type a number in {}, or one with another unit, like {}", unit,
                                                        field.dimension.length != 0  ? field.dimension.time != 0 ? "0.4 m/min" : "2 in"
                                                        : field.dimension.angle != 0 ? field.dimension.time != 0 ? "0.4 rad/s" : "0.4 rad"
                                                        : field.dimension == expr::speed ? "4000 rpm"
                                                                                         : "200 ms");
    std::string text = typed; // the expressions have no powers of units
    for (const auto& [power, means] : {std::pair("/s2", "/s/(1 s)"), std::pair("/s^2", "/s/(1 s)"), std::pair("/s3", "/s/(1 s)/(1 s)"),
                                       std::pair("/s^3", "/s/(1 s)/(1 s)")}) {
        if (const std::size_t at = text.find(power); at != std::string::npos) {
            text.replace(at, std::string(power).size(), means);
        }
    }
    const auto read = expr::Expression::parse(text, {});
    if (!read || read->type() != expr::Type::number) {
        return wrong(fmt::format("\"{}\" is not a number", typed.substr(0, 40)), cure);
    }
    const auto value = read->evaluate({});
    if (!value || !expr::present(*value)) {
        return wrong(fmt::format("\"{}\" can't be computed", typed.substr(0, 40)), cure);
    }
    double out = std::get<double>(*value);
    const bool bare = read->dimension() == expr::plain;
    expr::Dimension turns = read->dimension();
    std::swap(turns.turns, turns.angle);
    if (!bare && field.dimension.angle != 0 && turns == field.dimension) {
        out *= whole_turn; // revolutions
    } else if (!bare && read->dimension() != field.dimension) {
        return wrong(
            fmt::format("\"{}\" is {}, not {}", typed.substr(0, 40), expr::name_of(read->dimension()), expr::name_of(field.dimension)),
            cure);
    }
    out = bare ? out * typed_factor(field, false) : out;
    return out / file_factor(field, units);
}

Result<std::string> direction_text(const std::string& typed)
{
    const std::string text = trimmed(typed);
    const std::size_t letter = !text.empty() && (text[0] == '+' || text[0] == '-') ? 1 : 0;
    if (text.size() == letter + 1) {
        const char axis = char(std::toupper(static_cast<unsigned char>(text[letter])));
        if (axis >= 'X' && axis <= 'Z') {
            std::array<int, 3> v{};
            v[std::size_t(axis - 'X')] = text[0] == '-' ? -1 : 1;
            return fmt::format("[{}, {}, {}]", v[0], v[1], v[2]);
        }
    }
    const auto parts = listed(text);
    Vec3 v = Vec3::Zero();
    FormField plain;
    plain.kind = FieldKind::number;
    for (std::size_t k = 0; k < parts.size() && parts.size() == 3; ++k) {
        const auto one = number_of(parts[k], plain, {});
        if (!one) {
            return one.error();
        }
        v[Eigen::Index(k)] = *one;
    }
    if (parts.size() != 3 || !(v.norm() > 1e-9)) {
        return wrong(fmt::format("\"{}\" is not a direction", typed.substr(0, 40)),
                     "type an axis, like -Z, or three numbers, like 0, 1, 1");
    }
    v.normalize();
    return fmt::format("[{}, {}, {}]", fmt::format("{:.12g}", v.x()), fmt::format("{:.12g}", v.y()), fmt::format("{:.12g}", v.z()));
}

/// What was typed as the file has it.
Result<std::string> file_text(const FormField& field, const std::string& typed, const FileUnits& units)
{
    switch (field.kind) {
    case FieldKind::text: return quoted(typed);
    case FieldKind::flag:
        if (typed != "yes" && typed != "no") {
            return wrong(fmt::format("\"{}\" is neither yes nor no", typed.substr(0, 40)), "write yes or no");
        }
        return std::string(typed == "yes" ? "true" : "false");
    case FieldKind::choice:
        if (std::find(field.choices.begin(), field.choices.end(), typed) == field.choices.end()) {
            return wrong(fmt::format("\"{}\" can't be chosen", typed.substr(0, 40)),
                         fmt::format("choose {}", fmt::join(field.choices, ", ")));
        }
        return quoted(typed);
    case FieldKind::direction: return direction_text(typed);
    case FieldKind::number: {
        const auto value = number_of(typed, field, units);
        return value ? Result<std::string>(number_text(*value)) : Result<std::string>(value.error());
    }
    case FieldKind::relation:
    case FieldKind::pair:
    case FieldKind::point:
    case FieldKind::size: break;
    }
    const std::size_t count = field.kind == FieldKind::pair ? 2 : 3;
    const auto parts = listed(typed);
    if (parts.size() != count) {
        return wrong(fmt::format("\"{}\" is not {} numbers", typed.substr(0, 40), count == 2 ? "two" : "three"),
                     count == 2 ? "type them like -100, 250" : "type them like 0, 12.5, 100");
    }
    std::string out;
    double before = 0;
    for (std::size_t k = 0; k < count; ++k) {
        const auto value = number_of(parts[k], field, units);
        if (!value) {
            return value.error();
        }
        if (field.kind == FieldKind::size && !(*value > 0)) {
            return wrong(fmt::format("\"{}\" is not above zero", parts[k].substr(0, 40)), "type three lengths above zero");
        }
        if (field.kind == FieldKind::pair && k == 1 && !(*value > before)) {
            return wrong(fmt::format("\"{}\" does not rise", typed.substr(0, 40)), "type the low end first");
        }
        before = *value;
        out += (k == 0 ? "[" : ", ") + number_text(*value);
    }
    return out + "]";
}

/// Nothing is typed: the key goes.
Result<std::string> without_value(const Document& machine, Path whole, const FormField& field)
{
    if (field.required) {
        return wrong(fmt::format("{} is required", field.title), "type a value");
    }
    if (json::node_at(machine, whole) == nullptr) {
        return machine.text();
    }
    // Of a brake and of gears, whose other values would stand alone, all goes.
    if (field.keys.size() == 2 && (field.keys[0] == "brake" || field.keys[0] == "gearing")) {
        whole.pop_back();
    }
    const auto patch = json::remove_value(machine, whole);
    return patch ? Result<std::string>(json::applied(machine.text(), *patch)) : Result<std::string>(patch.error());
}

} // namespace

std::string shown_value(const Document& machine, const PartPath& path, const FormField& field)
{
    if (field.keys.front() == "shape") {
        const Node* body = json::node_at(machine, path);
        const char* shape = body != nullptr ? shape_of(*body) : nullptr;
        return shape != nullptr ? shape : "";
    }
    if (field.kind == FieldKind::relation) {
        return form::shown_relation(machine, path);
    }
    const Node* node = value_at(machine, path, field);
    if (node == nullptr) {
        return {};
    }
    switch (node->kind) {
    case Kind::string: return node->text;
    case Kind::boolean: return node->flag ? "yes" : "no";
    case Kind::number:
    case Kind::array: break;
    default: return {};
    }
    if (field.kind == FieldKind::direction) {
        const std::string axis = axis_name(*node);
        return axis.empty() ? shown_numbers(*node, 1) : axis;
    }
    return shown_numbers(*node, file_factor(field, units_of(machine)) / typed_factor(field, false));
}

std::string other_units(const Document& machine, const PartPath& path, const FormField& field)
{
    const Node* node = value_at(machine, path, field);
    const bool says = field.dimension.length != 0 || field.dimension.angle != 0;
    if (node == nullptr || !says || (node->kind != Kind::number && node->kind != Kind::array)) {
        return {};
    }
    const auto zero = [](const Node& n) { return n.number == 0; };
    if (node->kind == Kind::number ? zero(*node) : std::all_of(node->items.begin(), node->items.end(), zero)) {
        return {};
    }
    return shown_numbers(*node, file_factor(field, units_of(machine)) / typed_factor(field, true), true) + " " + unit_name(field, true);
}

std::string unit_of(const FormField& field) { return unit_name(field, false); }

Result<std::string> with_value(const Document& machine, const PartPath& path, const FormField& field, const std::string& typed_text)
{
    const std::string typed = trimmed(typed_text);
    if (field.kind == FieldKind::relation) {
        return form::with_relation(machine, path, typed);
    }
    Path whole = path;
    whole.insert(whole.end(), field.keys.begin(), field.keys.end());
    if (typed.empty()) {
        return without_value(machine, std::move(whole), field);
    }
    if (field.keys == std::vector<std::string>{"id"}) {
        return renamed(machine, path, typed);
    }
    const auto value = file_text(field, typed, units_of(machine));
    if (!value) {
        return value.error();
    }
    if (field.keys == std::vector<std::string>{"parent"}) {
        return carried_by(machine, path, typed);
    }
    if (field.keys.front() == "shape") {
        return reshaped(machine, path, typed);
    }
    std::string text = *value;
    if (field.keys.size() == 2) {
        const Path object(whole.begin(), whole.end() - 1);
        if (json::node_at(machine, object) == nullptr) { // with what has to stand beside it
            const std::string& key = field.keys[1];
            text = field.keys[0] == "brake"
                       ? fmt::format("{{\"release\": {}, \"lock\": {}}}", key == "release" ? text : "0", key == "lock" ? text : "0")
                   : field.keys[0] == "gearing" && key != "ratio" ? fmt::format("{{\"ratio\": 1, {}: {}}}", quoted(key), text)
                                                                  : fmt::format("{{{}: {}}}", quoted(key), text);
            whole = object;
        }
    }
    const auto patch = json::set_value(machine, whole, text);
    if (!patch) {
        return patch.error();
    }
    std::string out = json::applied(machine.text(), *patch);
    const Node* part = json::node_at(machine, path);
    if (field.keys == std::vector<std::string>{"kind"} && part_at(machine, path) == MachinePart::joint && typed == "rotary" &&
        part->find("point") == nullptr) {
        Path point = path;
        point.emplace_back("point");
        return then(out, machine.file_name(), [&](const Document& d) { return json::set_value(d, point, "[0, 0, 0]"); });
    }
    return out;
}

} // namespace wexilum
