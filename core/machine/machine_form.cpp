#include "core/machine/machine_form.hpp"

#include "core/machine/form_text.hpp"

namespace wexilum {
namespace {

using form::carriers;
using form::ids_of;
using form::list_of;
using form::text_of;
using json::Document;
using json::Kind;
using json::Node;

FormField field(std::vector<std::string> keys, std::string title, FieldKind kind, std::string help, bool required = false)
{
    FormField out;
    out.keys = std::move(keys);
    out.title = std::move(title);
    out.kind = kind;
    out.help = std::move(help);
    out.required = required;
    return out;
}

FormField number(std::vector<std::string> keys, std::string title, expr::Dimension dimension, std::string help, bool required = false)
{
    FormField out = field(std::move(keys), std::move(title), FieldKind::number, std::move(help), required);
    out.dimension = dimension;
    return out;
}

FormField choice(std::vector<std::string> keys, std::string title, std::vector<std::string> choices, std::string help, bool required = true)
{
    FormField out = field(std::move(keys), std::move(title), FieldKind::choice, std::move(help), required);
    out.choices = std::move(choices);
    return out;
}

FormField otherwise(FormField out, std::string fallback)
{
    out.fallback = std::move(fallback);
    return out;
}

FormField with_dimension(FormField out, expr::Dimension dimension)
{
    out.dimension = dimension;
    return out;
}

FormField by_minute(FormField out)
{
    out.per_minute = true;
    return out;
}

FormField travel_field(bool rotary, bool follows)
{
    return field({"travel"}, "Travel", FieldKind::pair,
                 follows  ? "From its low to its high end; empty: what it follows ends it"
                 : rotary ? "From its low to its high end; empty: it turns without end"
                          : "From its low to its high end",
                 !rotary && !follows);
}

std::vector<FormField> joint_fields(const Document& document, const PartPath& path, const Node& joint)
{
    const bool rotary = text_of(joint, "kind") == "rotary";
    const bool fitted = path.size() == 4;
    const bool by_hand = joint.find("scale") != nullptr;
    const bool follows = joint.find("follows") != nullptr;
    const expr::Dimension place = rotary ? expr::angle : expr::length;
    const auto rate = [&](int times) {
        expr::Dimension out = place;
        out.time = std::int8_t(-times);
        return out;
    };
    std::vector<FormField> out;
    out.push_back(field({"id"}, "Name", FieldKind::text, "Short, as the control calls the axis", true));
    out.push_back(choice({"kind"}, "Moves", {"linear", "rotary"}, "Along a line, or about an axis"));
    if (!fitted) {
        out.push_back(choice({"parent"}, "Carried by", carriers(document, path), "The joint that carries it, or the base"));
    }
    out.push_back(field({"direction"}, "Direction", FieldKind::direction,
                        rotary ? "The axis about which it turns, right-handed, as its reading rises" : "How it moves as its reading rises",
                        true));
    if (rotary) {
        out.push_back(with_dimension(
            field({"point"}, "Point of the axis", FieldKind::point, "Any point of the axis about which it turns", true), expr::length));
    }
    if (by_hand) {
        out.push_back(with_dimension(
            field({"scale", "reads"}, "Scale reads", FieldKind::pair, "From its lowest to its highest reading", true), expr::angle));
        out.push_back(number({"scale", "step"}, "Step", expr::angle, "From mark to mark; 0: it can be set anywhere"));
        out.push_back(
            choice({"scale", "rises"}, "Readings rise", {"clockwise", "counter-clockwise"}, "As the person who reads it sees it"));
        out.push_back(field({"scale", "seen_from"}, "Seen from", FieldKind::direction, "Towards the person who reads it", true));
        return out;
    }
    out.push_back(otherwise(choice({"reading"}, "Reading tells", {"body", "tool-relative"},
                                   "The joint's own motion, or the tool's over the work, as most table axes do", false),
                            "body"));
    out.push_back(field({"follows"}, "Follows", FieldKind::relation,
                        "What it moves with, like X, or 0.5 * Z + 12 mm; empty: it has a drive of its own"));
    out.push_back(with_dimension(travel_field(rotary, follows), place));
    if (!follows) {
        out.push_back(number({"home"}, "Home", place, "Where it rests; the joint that retracts goes there"));
    }
    out.push_back(number({"at"}, "As drawn", place, "Its reading in the posture in which points and directions are given"));
    out.push_back(by_minute(number({"speed"}, "Fastest", rate(1), follows ? "Empty: as fast as what it follows" : "In rapid", !follows)));
    out.push_back(number({"acceleration"}, "Acceleration", rate(2), "Of the axis; empty: not known"));
    out.push_back(number({"jerk"}, "Jerk", rate(3), "Of the axis; empty: not known"));
    out.push_back(field({"moves_while_cutting"}, "Moves while cutting", FieldKind::flag, "Otherwise it may only be positioned"));
    if (rotary) {
        out.push_back(number({"brake", "release"}, "Brake: release", expr::time, "Seconds; empty: it has no brake"));
        out.push_back(number({"brake", "lock"}, "Brake: lock", expr::time, "Seconds"));
        out.push_back(otherwise(
            choice({"preferred_sense"}, "Rather turns", {"none", "positive", "negative"}, "Where both ways take equal time", false),
            "none"));
    }
    out.push_back(number({"counts_per_unit"}, "Counts per unit", expr::plain, "Of its encoder, per unit of the file"));
    return out;
}

void add_place(std::vector<FormField>& out, bool required)
{
    out.push_back(with_dimension(field({"point"}, "Point", FieldKind::point, "In the machine's frame, as drawn", true), expr::length));
    out.push_back(field({"z"}, "Z towards", FieldKind::direction, "Its own Z: of a tool from the tip to the holder", required));
    out.push_back(field({"x"}, "X towards", FieldKind::direction, "Its own X, across Z", required));
}

std::vector<FormField> body_fields(const Document& document, const PartPath& path, const Node& body)
{
    std::vector<FormField> out;
    out.push_back(field({"id"}, "Name", FieldKind::text, "What it is", true));
    if (path.size() == 2) {
        out.push_back(choice({"parent"}, "Carried by", carriers(document, path), "The joint that carries it, or the base"));
    }
    out.push_back(choice({"shape"}, "Shape", {"box", "cylinder", "cone", "surface"}, "A simple solid, or a surface out of a file"));
    if (body.find("box") != nullptr) {
        out.push_back(with_dimension(field({"box"}, "Box", FieldKind::size, "Its edges along its own X, Y and Z", true), expr::length));
        out.push_back(
            number({"round"}, "Rounded by", expr::length, "Radius of its edges along Z, in the picture; contact counts the corners"));
    } else if (body.find("cylinder") != nullptr) {
        out.push_back(number({"cylinder", "diameter"}, "Diameter", expr::length, "Of the cylinder", true));
        out.push_back(number({"cylinder", "length"}, "Length", expr::length, "Along its own Z", true));
    } else if (body.find("cone") != nullptr) {
        out.push_back(number({"cone", "diameter"}, "Diameter below", expr::length, "Of the bottom", true));
        out.push_back(number({"cone", "top"}, "Diameter above", expr::length, "Of the top; 0: a point", true));
        out.push_back(number({"cone", "length"}, "Length", expr::length, "Along its own Z", true));
    } else {
        out.push_back(field({"surface"}, "Surface file", FieldKind::text, "STL or OBJ, by its path from the project's folder", true));
    }
    add_place(out, false);
    out[out.size() - 3].help = "The middle of its bottom face";
    return out;
}

std::vector<FormField> mount_fields(const Document& document, const PartPath& path)
{
    std::vector<FormField> out;
    out.push_back(field({"id"}, "Name", FieldKind::text, "As setups and jobs call it", true));
    out.push_back(choice({"kind"}, "Holds", {"tool", "work"}, "A tool, or the work"));
    out.push_back(choice({"parent"}, "Carried by", carriers(document, path), "The joint that carries it, or the base"));
    add_place(out, true);
    out.push_back(otherwise(choice({"carries"}, "Tool is a", {"tool", "blade"}, "A blade cuts along its own Z", false), "tool"));
    return out;
}

/// The mounts of a kind.
std::vector<std::string> mounts_of(const Document& document, const char* kind)
{
    std::vector<std::string> out;
    const Node* mounts = list_of(document, "mounts");
    for (std::size_t i = 0; mounts != nullptr && i < mounts->items.size(); ++i) {
        if (text_of(mounts->items[i], "kind") == kind) {
            out.push_back(text_of(mounts->items[i], "id"));
        }
    }
    return out;
}

std::vector<FormField> witness_fields(const Document& document, const Node& witness)
{
    std::vector<FormField> out;
    out.push_back(field({"name"}, "Name", FieldKind::text, "What was read", true));
    out.push_back(field({"origin"}, "Read by", FieldKind::text, "Who read it where, or which page of the manual"));
    std::vector<std::string> mounts;
    for (const char* list : {"mounts", "attachments"}) {
        const Node* node = list_of(document, list);
        for (std::size_t i = 0; node != nullptr && i < node->items.size(); ++i) {
            if (text_of(node->items[i], "kind") != "work") {
                mounts.push_back(text_of(node->items[i], "id"));
            }
        }
    }
    const std::string first = mounts.empty() ? std::string() : mounts.front();
    out.push_back(otherwise(
        choice({"mount"}, "Tool in", std::move(mounts), "The mount or head that carried the tool; empty: the machine's first", false),
        first));
    const auto works = mounts_of(document, "work");
    if (works.size() > 1) {
        out.push_back(
            otherwise(choice({"work"}, "Seen from", works, "The work mount whose frame tip and axis are in; empty: the first", false),
                      works.front()));
    }
    const auto reading = [&](const Node& joint) {
        if (joint.find("follows") != nullptr) {
            return;
        }
        const std::string id = text_of(joint, "id");
        const bool rotary = text_of(joint, "kind") == "rotary";
        out.push_back(number({"readings", id}, id + " reads", rotary ? expr::angle : expr::length, "What the control showed", true));
    };
    const auto each = [&](const Node* joints) {
        for (std::size_t i = 0; joints != nullptr && i < joints->items.size(); ++i) {
            reading(joints->items[i]);
        }
    };
    each(list_of(document, "joints"));
    const Node* heads = list_of(document, "attachments");
    for (std::size_t i = 0; heads != nullptr && i < heads->items.size(); ++i) {
        if (text_of(heads->items[i], "id") == text_of(witness, "mount")) {
            each(heads->items[i].find("joints"));
        }
    }
    out.push_back(number({"tool_length"}, "Tool length", expr::length, "From the gauge point to the tip", true));
    out.push_back(with_dimension(field({"tip"}, "Tip at", FieldKind::point, "Where the tip was measured, in the work mount's frame", true),
                                 expr::length));
    out.push_back(field({"axis"}, "Tool axis", FieldKind::direction, "From the tip to the holder, in the work mount's frame", true));
    return out;
}

std::vector<FormField> attachment_fields()
{
    std::vector<FormField> out;
    out.push_back(field({"id"}, "Name", FieldKind::text, "As jobs call it", true));
    out.push_back(field({"name"}, "For people", FieldKind::text, "What the messages call it"));
    out.push_back(
        with_dimension(field({"tool", "at"}, "Tool axis at", FieldKind::point, "A point of the tool's axis, from the spindle's face", true),
                       expr::length));
    out.push_back(field({"tool", "axis"}, "Tool axis", FieldKind::direction, "From the tip to the holder", true));
    out.push_back(number({"tool", "gauge_length"}, "Gauge length", expr::length, "From that point along the tool to the face it sits on"));
    out.push_back(number({"gearing", "ratio"}, "Gear ratio", expr::plain, "Turns of the tool for one of the spindle"));
    out.push_back(field({"gearing", "reversed"}, "Turns the other way", FieldKind::flag, "The tool turns against the spindle"));
    out.push_back(number({"gearing", "most_speed"}, "Most speed", expr::speed, "Of the tool"));
    out.push_back(field({"messages", "fit"}, "Message to fit", FieldKind::text, "{name} is its name", true));
    out.push_back(field({"messages", "remove"}, "Message to take off", FieldKind::text, "{name} is its name", true));
    out.push_back(field({"messages", "set"}, "Message to set", FieldKind::text, "{joint}, {reading}, {sense} and {amount} are filled in"));
    return out;
}

} // namespace

std::optional<MachinePart> part_at(const Document& machine, const PartPath& path)
{
    const Node* node = json::node_at(machine, path);
    if (node == nullptr || node->kind != Kind::object) {
        return std::nullopt;
    }
    if (path.empty()) {
        return MachinePart::machine;
    }
    const auto* list = path.size() >= 2 ? std::get_if<std::string>(&path[path.size() - 2]) : nullptr;
    if (list == nullptr) {
        return std::nullopt;
    }
    return *list == "joints"        ? std::optional(MachinePart::joint)
           : *list == "mounts"      ? std::optional(MachinePart::mount)
           : *list == "attachments" ? std::optional(MachinePart::attachment)
           : *list == "bodies"      ? std::optional(MachinePart::body)
           : *list == "witnesses"   ? std::optional(MachinePart::witness)
                                    : std::nullopt;
}

std::vector<FormField> fields_of(const Document& machine, const PartPath& path)
{
    const auto part = part_at(machine, path);
    const Node* node = json::node_at(machine, path);
    if (!part) {
        return {};
    }
    switch (*part) {
    case MachinePart::joint: return joint_fields(machine, path, *node);
    case MachinePart::mount: return mount_fields(machine, path);
    case MachinePart::attachment: return attachment_fields();
    case MachinePart::body: return body_fields(machine, path, *node);
    case MachinePart::witness: return witness_fields(machine, *node);
    case MachinePart::machine: break;
    }
    auto joints = ids_of(machine, "joints");
    return {field({"name"}, "Name", FieldKind::text, "What the machine is called", true),
            field({"description"}, "Description", FieldKind::text, "For people"),
            choice({"retract"}, "Retracts", std::move(joints), "The joint that takes the tool away from the work", false),
            field({"up"}, "Up", FieldKind::direction, "Away from the floor, for the picture: +Z where nothing is said")};
}

std::string name_of(const Document& machine, const PartPath& path)
{
    const Node* node = json::node_at(machine, path);
    return node == nullptr ? std::string() : text_of(*node, node->find("id") != nullptr ? "id" : "name");
}

} // namespace wexilum
