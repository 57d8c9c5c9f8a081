#include "core/job/post_options.hpp"

#include "core/base/json_document.hpp"
#include "core/base/units.hpp"
#include "core/expr/expression.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

using json::Kind;
using json::Node;
using Type = OptionDescription::Type;

const std::vector<std::pair<std::string, Type>> types{{"length", Type::length},   {"angle", Type::angle}, {"number", Type::number},
                                                      {"integer", Type::integer}, {"flag", Type::flag},   {"text", Type::text},
                                                      {"choice", Type::choice}};

std::optional<OptionValue> plain_value(const Node& node)
{
    switch (node.kind) {
    case Kind::number: return OptionValue(node.number);
    case Kind::boolean: return OptionValue(node.flag);
    case Kind::string: return OptionValue(node.text);
    default: return std::nullopt;
    }
}

bool numeric(Type type) { return type == Type::length || type == Type::angle || type == Type::number || type == Type::integer; }
const char* unit_of(Type type) { return type == Type::length ? " mm" : type == Type::angle ? " deg" : ""; }

/// A text with a unit as mm or degrees, of the type's dimension.
Result<double> measured(const std::string& text, Type type)
{
    const auto read = expr::Expression::parse(text, {});
    if (!read) {
        return Error{
            ErrorKind::value, fmt::format("\"{}\" can't be read: {}", text.substr(0, 60), read.error().message), {}, read.error().cure};
    }
    const expr::Dimension wanted = type == Type::length ? expr::length : type == Type::angle ? expr::angle : expr::plain;
    if (read->type() != expr::Type::number || read->dimension() != wanted) {
        return Error{ErrorKind::value,
                     fmt::format("\"{}\" is not {}", text.substr(0, 60), expr::name_of(wanted)),
                     {},
                     type == Type::angle    ? "write \"30 deg\""
                     : type == Type::length ? "write \"150 mm\" or \"6 in\""
                                            : "write a plain number"};
    }
    const auto value = read->evaluate({});
    if (!value) {
        return value.error();
    }
    return expr::shown(std::get<double>(*value), wanted, false);
}

OptionDescription read_description(const std::string& name, const Node& node, json::Problems& problems)
{
    OptionDescription out;
    out.name = name;
    json::Fields fields(node, fmt::format("the option {}", name.substr(0, 40)), problems);
    fields.choice<Type>("type", out.type, types, true);
    fields.text("help", out.help, true);
    fields.texts("choices", out.choices, out.type == Type::choice);
    fields.flag("loops", out.loops);
    if (out.loops && out.type != Type::integer) {
        problems.add(node, fmt::format("the option {} can't say how often a loop is done", name.substr(0, 40)),
                     "give it the type \"integer\"");
    }
    for (const auto& [key, bound] : {std::pair("low", &out.low), std::pair("high", &out.high)}) {
        if (const Node* value = node.find(key)) {
            const auto plain = plain_value(*value);
            const auto read = plain && numeric(out.type)
                                  ? OptionDescription{"", out.type, 0.0, {}, {}, {}, ""}.read(*plain)
                                  : Result<OptionValue>(Error{ErrorKind::value, "there is no such bound", {}, "remove it"});
            if (read) {
                *bound = std::get<double>(*read);
            } else {
                problems.add(*value, read.error().message, read.error().cure);
            }
        }
    }
    if (const Node* value = node.find("default"); value == nullptr) {
        problems.add(node, fmt::format("the option {} has no \"default\"", name.substr(0, 40)), "add it: a job that is silent gets it");
    } else if (const auto plain = plain_value(*value)) {
        const auto read = out.read(*plain);
        if (read) {
            out.standard = *read;
        } else {
            problems.add(*value, read.error().message, read.error().cure);
        }
    } else {
        problems.add(*value, "an option's value is a number, a text, true or false", "write one of them");
    }
    fields.allow({"low", "high", "default"});
    fields.finish();
    return out;
}

} // namespace

std::string OptionDescription::range_text() const
{
    static constexpr std::array<const char*, 7> names{"a length", "an angle", "a number", "a whole number", "true or false", "a text", ""};
    if (type == Type::choice) {
        return fmt::format("one of {}", fmt::join(choices, ", "));
    }
    std::string out = names[static_cast<std::size_t>(type)];
    if (low && high) {
        out += fmt::format(" from {:g} to {:g}{}", *low, *high, unit_of(type));
    } else if (low) {
        out += fmt::format(" from {:g}{}", *low, unit_of(type));
    } else if (high) {
        out += fmt::format(" up to {:g}{}", *high, unit_of(type));
    }
    return out;
}

Result<OptionValue> OptionDescription::read(const OptionValue& value) const
{
    const Error misfit{
        ErrorKind::value, fmt::format("the value does not fit the option {}", name), {}, fmt::format("give {}", range_text())};
    if (!numeric(type)) {
        const bool flag = type == Type::flag;
        if (flag != std::holds_alternative<bool>(value) || (!flag && !std::holds_alternative<std::string>(value))) {
            return misfit;
        }
        const auto* text = std::get_if<std::string>(&value);
        if (type == Type::choice && std::find(choices.begin(), choices.end(), *text) == choices.end()) {
            return misfit;
        }
        return value;
    }
    double number = 0;
    if (const auto* text = std::get_if<std::string>(&value)) {
        const auto read = measured(*text, type);
        if (!read) {
            return read.error();
        }
        number = *read;
    } else if (std::holds_alternative<double>(value) && (type == Type::number || type == Type::integer)) {
        number = std::get<double>(value);
    } else if (type == Type::number || type == Type::integer || !std::holds_alternative<double>(value)) {
        return misfit;
    } else {
        return Error{ErrorKind::value,
                     fmt::format("the value of the option {} has no unit", name),
                     {},
                     type == Type::length ? "write \"150 mm\" or \"6 in\"" : "write \"30 deg\""};
    }
    const bool whole = type != Type::integer || number == std::floor(number);
    if (!whole || !std::isfinite(number) || (low && number < *low - 1e-9) || (high && number > *high + 1e-9)) {
        return misfit;
    }
    return OptionValue(number);
}

std::vector<OptionDescription> read_option_descriptions(json::Fields& post, json::Problems& problems)
{
    std::vector<OptionDescription> out;
    post.each_member("options", [&](const std::string& name, const Node& node) {
        const bool fine = !name.empty() && name.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_") == std::string::npos &&
                          (name[0] < '0' || name[0] > '9');
        if (!fine) {
            problems.add(node, fmt::format("\"{}\" is not a name for an option", name.substr(0, 40)),
                         "use small letters, digits and underscores: rules write option.name");
            return;
        }
        out.push_back(read_description(name, node, problems));
    });
    return out;
}

std::map<std::string, JobOption> read_job_options(json::Fields& job, json::Problems& problems)
{
    std::map<std::string, JobOption> out;
    job.each_member("options", [&](const std::string& name, const Node& node) {
        if (const auto value = plain_value(node)) {
            out[name] = {*value, problems.document().place_of(node.begin)};
        } else {
            problems.add(node, "an option's value is a number, a text, true or false", "write one of them");
        }
    });
    return out;
}

Result<RuleOptions> resolve_options(const std::vector<OptionDescription>& declared, const std::map<std::string, JobOption>& set)
{
    RuleOptions out;
    std::vector<std::string> names;
    for (const OptionDescription& option : declared) {
        out[option.name] = option.standard;
        names.push_back(option.name);
    }
    for (const auto& [name, option] : set) {
        const auto found =
            std::find_if(declared.begin(), declared.end(), [&, &wanted = name](const OptionDescription& d) { return d.name == wanted; });
        if (found == declared.end()) {
            return Error{ErrorKind::value, fmt::format("the post declares no option \"{}\"", name.substr(0, 40)), option.place,
                         names.empty() ? "remove it, or declare it in the post"
                                       : fmt::format("its options are: {}", fmt::join(names, ", "))};
        }
        auto value = found->read(option.value);
        if (!value) {
            Error error = value.error();
            error.place = option.place;
            return error;
        }
        out[name] = *value;
    }
    return out;
}

} // namespace wexilum
