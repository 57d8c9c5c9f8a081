// What a joint follows, as forms show and take it.
#include "core/base/units.hpp"
#include "core/machine/form_text.hpp"
#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum::form {

using json::Document;
using json::Kind;
using json::Node;
using json::number_text;
using json::Patch;
using json::Path;
using json::quoted;

namespace {

constexpr double in_proportion = 1e-9; // of what is compared

bool is_rotary(const Node& joint) { return text_of(joint, "kind") == "rotary"; }

/// Calls `visit` with each joint of the machine and of its attachments, and where it stands.
void each_joint(const Document& document, const auto& visit)
{
    const auto list = [&](const Node* joints, const Path& path) {
        for (std::size_t i = 0; joints != nullptr && i < joints->items.size(); ++i) {
            Path at = path;
            at.insert(at.end(), {std::string("joints"), i});
            visit(joints->items[i], at);
        }
    };
    list(list_of(document, "joints"), {});
    const Node* heads = list_of(document, "attachments");
    for (std::size_t i = 0; heads != nullptr && i < heads->items.size(); ++i) {
        list(heads->items[i].find("joints"), {std::string("attachments"), i});
    }
}

const Node* leaders_of(const Node& joint)
{
    const Node* follows = joint.find("follows");
    const Node* leaders = follows != nullptr ? follows->find("leaders") : nullptr;
    return leaders != nullptr && leaders->kind == Kind::object ? leaders : nullptr;
}

/// What may lead a joint: all others that the control moves and that follow none themselves.
std::vector<const Node*> able_to_lead(const Document& document, const Node& follower)
{
    std::vector<const Node*> out;
    each_joint(document, [&](const Node& joint, const Path& /*at*/) {
        if (&joint != &follower && joint.find("follows") == nullptr && joint.find("scale") == nullptr) {
            out.push_back(&joint);
        }
    });
    return out;
}

/// A sum of readings by their factors, and an offset; core units.
struct Sum {
    std::vector<double> factors;
    double offset = 0;
};

/// Takes the sum out of an expression by its values: at zero, at one of each, and at two places more, where a sum has to come to the same.
Result<Sum> sum_of(const expr::Expression& expression, std::size_t names)
{
    const auto at = [&](const std::vector<double>& readings) {
        const std::vector<expr::Value> values(readings.begin(), readings.end());
        const auto value = expression.evaluate(values);
        return value && expr::present(*value) ? std::get<double>(*value) : std::nan("");
    };
    Sum out;
    out.offset = at(std::vector<double>(names, 0.0));
    for (std::size_t i = 0; i < names; ++i) {
        std::vector<double> one(names, 0.0);
        one[i] = 1;
        out.factors.push_back(at(one) - out.offset);
    }
    for (const double scale : {-3.7, 41.3}) {
        std::vector<double> readings;
        double expected = out.offset;
        double size = 1 + std::abs(out.offset);
        for (std::size_t i = 0; i < names; ++i) {
            readings.push_back(scale * (1 + 0.31 * double(i)));
            expected += out.factors[i] * readings.back();
            size += std::abs(out.factors[i] * readings.back());
        }
        if (!(std::abs(at(readings) - expected) < in_proportion * size)) {
            return wrong("", "");
        }
    }
    return out;
}

} // namespace

std::string shown_relation(const Document& document, const PartPath& path)
{
    const Node* joint = json::node_at(document, path);
    const Node* leaders = joint != nullptr ? leaders_of(*joint) : nullptr;
    if (leaders == nullptr) {
        return {};
    }
    const FileUnits units = units_of(document);
    const bool turns = is_rotary(*joint);
    std::vector<SumTerm> sum;
    for (const auto& leader : leaders->members) {
        const std::string& id = leader.name;
        const Node& factor = leader.value;
        bool mixed = false;
        each_joint(document, [&](const Node& other, const Path& /*at*/) {
            mixed = mixed || (text_of(other, "id") == id && is_rotary(other) != turns);
        });
        const double to_people = !mixed ? 1 : turns ? to_deg(units.angle) / units.length : units.length / to_deg(units.angle);
        sum.push_back({factor.number * to_people, !mixed ? "" : turns ? " deg/mm" : " mm/deg", id});
    }
    const Node* offset = joint->find("follows")->find("offset");
    if (offset != nullptr && offset->number != 0) {
        sum.push_back({turns ? to_deg(offset->number * units.angle) : offset->number * units.length, turns ? " deg" : " mm", {}});
    }
    return sum_text(sum);
}

Result<std::string> with_relation(const Document& document, const PartPath& path, const std::string& typed)
{
    const Node* joint = json::node_at(document, path);
    if (joint == nullptr) {
        return wrong("there is no such part", "the file has changed; try again");
    }
    Path follows = path;
    follows.emplace_back("follows");
    if (typed.empty()) {
        if (joint->find("follows") == nullptr) {
            return document.text();
        }
        const auto patch = json::remove_value(document, follows);
        return patch ? Result<std::string>(json::applied(document.text(), *patch)) : Result<std::string>(patch.error());
    }
    const std::vector<const Node*> able = able_to_lead(document, *joint);
    std::vector<expr::Name> names;
    names.reserve(able.size());
    for (const Node* other : able) {
        names.push_back({text_of(*other, "id"), expr::Type::number, is_rotary(*other) ? expr::angle : expr::length, {}});
    }
    const std::string cure = "type a joint, or a sum like 0.5 * Z + 12 mm";
    const auto read = expr::Expression::parse(typed, names);
    if (!read) {
        return wrong(fmt::format("\"{}\" can't be followed: {}", typed.substr(0, 40), read.error().message), cure);
    }
    const bool turns = is_rotary(*joint);
    const expr::Dimension own = turns ? expr::angle : expr::length;
    if (read->type() != expr::Type::number || read->dimension() != own) {
        return wrong(fmt::format("\"{}\" is not {}, as the joint's readings are", typed.substr(0, 40), expr::name_of(own)), cure);
    }
    const auto sum = sum_of(*read, names.size());
    if (!sum) {
        return wrong(fmt::format("\"{}\" is not a sum of readings, each by a factor", typed.substr(0, 40)), cure);
    }
    const FileUnits units = units_of(document);
    std::string leaders;
    for (std::size_t i = 0; i < able.size(); ++i) {
        if (sum->factors[i] != 0) {
            const double factor = sum->factors[i] * units.of(!is_rotary(*able[i])) / units.of(!turns);
            leaders += fmt::format("{}{}: {}", leaders.empty() ? "" : ", ", quoted(names[i].name), number_text(factor));
        }
    }
    if (leaders.empty()) {
        return wrong(fmt::format("\"{}\" names no joint to follow", typed.substr(0, 40)), cure);
    }
    const std::string offset = sum->offset == 0 ? "" : ", \"offset\": " + number_text(sum->offset / units.of(!turns));
    Result<std::string> out = then(document.text(), document.file_name(), [&](const Document& d) {
        return json::set_value(d, follows, "{\"leaders\": {" + leaders + "}" + offset + "}");
    });
    if (out && joint->find("home") != nullptr) { // where it rests follows as well
        out = then(*out, document.file_name(), [&](const Document& d) {
            Path home = path;
            home.emplace_back("home");
            return json::remove_value(d, home);
        });
    }
    return out;
}

std::string readings_at_zero(const Document& document)
{
    std::string out;
    const Node* joints = list_of(document, "joints");
    for (std::size_t i = 0; joints != nullptr && i < joints->items.size(); ++i) {
        if (joints->items[i].find("follows") == nullptr) {
            out += (out.empty() ? "" : ", ") + quoted(text_of(joints->items[i], "id")) + ": 0";
        }
    }
    return out;
}

std::vector<Patch> renamed_leaders(const Document& document, const std::string& old, const std::string& name)
{
    std::vector<Patch> out;
    each_joint(document, [&](const Node& joint, const Path& /*at*/) {
        const Node* leaders = leaders_of(joint);
        const Node* factor = leaders != nullptr ? leaders->find(old) : nullptr;
        if (factor != nullptr) {
            out.push_back(json::renamed_member(document, *factor, name));
        }
    });
    return out;
}

Path led_by(const Document& document, const std::string& joint)
{
    Path out;
    each_joint(document, [&](const Node& other, const Path& at) {
        const Node* leaders = leaders_of(other);
        if (out.empty() && leaders != nullptr && leaders->find(joint) != nullptr) {
            out = at;
            out.emplace_back("follows");
            if (leaders->members.size() > 1) {
                out.insert(out.end(), {std::string("leaders"), joint});
            }
        }
    });
    return out;
}

} // namespace wexilum::form
