// Parts that come, go, move and are renamed.
#include "core/base/units.hpp"
#include "core/machine/form_text.hpp"

#include <fmt/format.h>

#include <array>

namespace wexilum {

using json::Document;
using json::Kind;
using json::Node;
using json::number_text;
using json::Patch;
using json::Path;
using json::quoted;

namespace form {

const Node* list_of(const Document& document, const char* name)
{
    const Node* node = document.root().find(name);
    return node != nullptr && node->kind == Kind::array ? node : nullptr;
}

std::string text_of(const Node& object, std::string_view key)
{
    const Node* node = object.find(key);
    return node != nullptr && node->kind == Kind::string ? node->text : std::string();
}

std::vector<std::string> ids_of(const Document& document, const char* name)
{
    std::vector<std::string> out;
    if (const Node* list = list_of(document, name)) {
        for (const Node& item : list->items) {
            out.push_back(text_of(item, "id"));
        }
    }
    return out;
}

Error wrong(std::string message, std::string cure) { return {ErrorKind::value, std::move(message), {}, std::move(cure)}; }

/// All patches at once; they must not overlap.
std::string applied_all(const Document& document, std::vector<Patch> patches)
{
    std::sort(patches.begin(), patches.end(), [](const Patch& a, const Patch& b) { return a.begin > b.begin; });
    std::string text = document.text();
    for (const Patch& patch : patches) {
        text.replace(patch.begin, patch.end - patch.begin, patch.text);
    }
    return text;
}

/// The joints that one carries, itself first, in the file's order.
std::vector<std::size_t> with_carried(const Node& joints, std::size_t joint)
{
    std::vector<std::size_t> out{joint};
    std::set<std::string> names{text_of(joints.items[joint], "id")};
    for (std::size_t i = joint + 1; i < joints.items.size(); ++i) {
        if (names.contains(text_of(joints.items[i], "parent"))) {
            names.insert(text_of(joints.items[i], "id"));
            out.push_back(i);
        }
    }
    return out;
}

/// Names that can carry a part: the base, and the joints that it does not itself carry.
std::vector<std::string> carriers(const Document& document, const PartPath& path)
{
    std::vector<std::string> out{"base"};
    const Node* joints = list_of(document, "joints");
    if (joints == nullptr) {
        return out;
    }
    std::set<std::size_t> own;
    if (path.size() == 2 && std::get<std::string>(path[0]) == "joints") {
        const auto carried = with_carried(*joints, std::get<std::size_t>(path[1]));
        own.insert(carried.begin(), carried.end());
    }
    for (std::size_t i = 0; i < joints->items.size(); ++i) {
        if (!own.contains(i)) {
            out.push_back(text_of(joints->items[i], "id"));
        }
    }
    return out;
}

constexpr std::array shapes{"box", "cylinder", "cone", "surface"};

/// The key under which a body states its shape; nullptr where it states none.
const char* shape_of(const Node& body)
{
    const auto found = std::find_if(shapes.begin(), shapes.end(), [&](const char* shape) { return body.find(shape) != nullptr; });
    return found != shapes.end() ? *found : nullptr;
}

/// A body of another shape, with figures to begin with.
Result<std::string> reshaped(const Document& document, const PartPath& path, const std::string& shape)
{
    const Node* body = json::node_at(document, path);
    const char* before = body != nullptr ? shape_of(*body) : nullptr;
    if (before == nullptr || before == shape) {
        return document.text();
    }
    const std::string mm = number_text(100 / units_of(document).length);
    const std::string value = shape == "box"        ? fmt::format("[{0}, {0}, {0}]", mm)
                              : shape == "cylinder" ? fmt::format("{{\"diameter\": {0}, \"length\": {0}}}", mm)
                              : shape == "cone"     ? fmt::format("{{\"diameter\": {0}, \"top\": 0, \"length\": {0}}}", mm)
                                                    : std::string("\"bodies/surface.stl\"");
    const Node& node = *body->find(before);
    std::vector<Patch> patches{json::renamed_member(document, node, shape), {node.begin, node.end, value}};
    if (body->find("round") != nullptr) { // only a box has edges to round
        PartPath round = path;
        round.emplace_back("round");
        const auto gone = json::remove_value(document, round);
        if (!gone) {
            return gone.error();
        }
        patches.push_back(*gone);
    }
    return applied_all(document, patches);
}

/// A joint's new name wherever the file says the old one.
Result<std::string> renamed(const Document& document, const PartPath& path, const std::string& name)
{
    const Node* part = json::node_at(document, path);
    const Node* id = part != nullptr ? part->find("id") : nullptr;
    if (id == nullptr) {
        return wrong("the part has no name in the file", "look at the file");
    }
    const std::string old = id->text;
    for (const char* list : {"joints", "mounts", "attachments"}) {
        const auto ids = ids_of(document, list);
        if (name != old && std::find(ids.begin(), ids.end(), name) != ids.end()) {
            return wrong(fmt::format("\"{}\" is there already", name.substr(0, 40)), "choose another name");
        }
    }
    if (name == "base" || name.empty()) {
        return wrong(fmt::format("\"{}\" can't be a name", name), "choose another name");
    }
    std::vector<Patch> patches{{id->begin, id->end, quoted(name)}};
    const auto put = [&](const Node* node) {
        if (node != nullptr && node->kind == Kind::string && node->text == old) {
            patches.push_back({node->begin, node->end, quoted(name)});
        }
    };
    const bool joint = std::get<std::string>(path[path.size() - 2]) == "joints";
    if (joint) {
        const auto each = [&](const Node* list, const auto& visit) {
            for (std::size_t i = 0; list != nullptr && i < list->items.size(); ++i) {
                visit(list->items[i]);
            }
        };
        const Node& root = document.root();
        for (const char* list : {"joints", "mounts", "bodies"}) {
            each(list_of(document, list), [&](const Node& item) { put(item.find("parent")); });
        }
        each(list_of(document, "attachments"), [&](const Node& item) {
            const Node* bodies = item.find("bodies");
            each(bodies, [&](const Node& body) { put(body.find("parent")); });
        });
        const auto led = renamed_leaders(document, old, name);
        patches.insert(patches.end(), led.begin(), led.end());
        put(root.find("retract"));
        each(list_of(document, "apart"), [&](const Node& item) {
            const Node* between = item.find("between");
            each(between, [&](const Node& one) { put(&one); });
        });
        each(list_of(document, "witnesses"), [&](const Node& item) {
            const Node* readings = item.find("readings");
            for (std::size_t i = 0; readings != nullptr && i < readings->members.size(); ++i) {
                if (readings->members[i].name == old) {
                    const Patch patch = json::renamed_member(document, readings->members[i].value, name);
                    patches.push_back(patch);
                }
            }
        });
    }
    return applied_all(document, std::move(patches));
}

} // namespace form

using form::applied_all;
using form::carriers;
using form::ids_of;
using form::list_of;
using form::text_of;
using form::then;
using form::with_carried;
using form::wrong;

namespace {

/// The items of an array in another order, each in the place that another had.
std::vector<Patch> reordered(const Document& document, const Node& list, const std::vector<std::size_t>& order)
{
    std::vector<Patch> out;
    for (std::size_t slot = 0; slot < order.size(); ++slot) {
        if (order[slot] != slot) {
            const Node& item = list.items[order[slot]];
            out.push_back({list.items[slot].begin, list.items[slot].end, document.text().substr(item.begin, item.end - item.begin)});
        }
    }
    return out;
}

/// Takes a joint's name out of everything that would point into nothing; `parent` carries what it carried.
std::vector<Patch> forgotten(const Document& document, const std::string& joint, const std::string& parent)
{
    std::vector<Patch> out;
    for (const char* list : {"joints", "mounts", "bodies"}) {
        const Node* items = list_of(document, list);
        for (std::size_t i = 0; items != nullptr && i < items->items.size(); ++i) {
            const Node* carrier = items->items[i].find("parent");
            if (carrier != nullptr && carrier->text == joint) {
                out.push_back({carrier->begin, carrier->end, quoted(parent)});
            }
        }
    }
    return out;
}

std::string fresh(const std::vector<std::string>& taken, const std::vector<std::string>& wished, const std::string& numbered)
{
    for (const std::string& name : wished) {
        if (std::find(taken.begin(), taken.end(), name) == taken.end()) {
            return name;
        }
    }
    for (int i = 1;; ++i) {
        std::string name = fmt::format("{}{}", numbered, i);
        if (std::find(taken.begin(), taken.end(), name) == taken.end()) {
            return name;
        }
    }
}

} // namespace

namespace {

/// A joint, set by hand at a scale of degrees, or a body of an attachment that `path` leads to or into.
Result<std::string> with_new_part_of_head(const Document& machine, MachinePart part, PartPath& path)
{
    const FileUnits units = units_of(machine);
    const json::Path head{path[0], path[1]};
    const Node* node = json::node_at(machine, head);
    if (node == nullptr) {
        return wrong("there is no such attachment", "the file has changed; try again");
    }
    const bool joint = part == MachinePart::joint;
    const std::string list = joint ? "joints" : "bodies";
    std::vector<std::string> taken = ids_of(machine, list.c_str());
    for (const Node& one : list_of(machine, "attachments")->items) {
        const Node* own = one.find(list);
        for (std::size_t i = 0; own != nullptr && i < own->items.size(); ++i) {
            taken.push_back(text_of(own->items[i], "id"));
        }
    }
    const std::string item =
        joint ? fmt::format(
                    "{{\"id\": {}, \"kind\": \"rotary\", \"direction\": [0, 0, 1], \"point\": [0, 0, 0], \"scale\": {{\"reads\": [0, {}], "
                    "\"step\": {}, \"rises\": \"counter-clockwise\", \"seen_from\": [0, 0, 1]}}}}",
                    quoted(fresh(taken, {"H"}, "H")), number_text(whole_turn / units.angle), number_text(to_rad(1) / units.angle))
              : fmt::format("{{\"id\": {}, \"cylinder\": {{\"diameter\": {}, \"length\": {}}}, \"point\": [0, 0, {}]}}",
                            quoted(fresh(taken, {}, "body ")), number_text(80 / units.length), number_text(100 / units.length),
                            number_text(-100 / units.length));
    json::Path place = head;
    place.emplace_back(list);
    const Node* own = node->find(list);
    const auto patch = own != nullptr ? json::append_item(machine, place, item) : json::set_value(machine, place, "[" + item + "]");
    if (!patch) {
        return patch.error();
    }
    path = head;
    path.emplace_back(list);
    path.emplace_back(own != nullptr ? own->items.size() : std::size_t(0));
    const std::string text = json::applied(machine.text(), *patch);
    json::Path message = head;
    message.insert(message.end(), {std::string("messages"), std::string("set")});
    if (!joint || json::node_at(machine, message) != nullptr) {
        return text;
    }
    return form::then(text, machine.file_name(), [&](const Document& document) { // a person who sets it needs to know how
        return json::set_value(document, message, quoted("Set {joint} of the {name} to {reading} deg, {sense} by {amount}"));
    });
}

} // namespace

Result<std::string> with_new_part(const Document& machine, MachinePart part, const std::string& parent, PartPath& path)
{
    const FileUnits units = units_of(machine);
    const auto length = [&](double mm) { return number_text(mm / units.length); };
    const auto* of = path.size() >= 2 ? std::get_if<std::string>(&path[0]) : nullptr;
    if (of != nullptr && *of == "attachments" && (part == MachinePart::joint || part == MachinePart::body)) {
        return with_new_part_of_head(machine, part, path);
    }
    std::string list;
    std::string item;
    const auto joints = ids_of(machine, "joints");
    switch (part) {
    case MachinePart::joint: {
        list = "joints";
        const std::string id = fresh(joints, {"X", "Y", "Z"}, "J");
        const std::string direction = id == "Y" ? "[0, 1, 0]" : id == "Z" ? "[0, 0, 1]" : "[1, 0, 0]";
        item = fmt::format("{{\"id\": {}, \"kind\": \"linear\", \"parent\": {}, \"direction\": {}, \"travel\": [{}, {}], \"speed\": {}}}",
                           quoted(id), quoted(parent), direction, length(-200), length(200), length(10000));
        break;
    }
    case MachinePart::mount: {
        list = "mounts";
        bool tool = false;
        if (const Node* mounts = list_of(machine, "mounts")) {
            tool = std::any_of(mounts->items.begin(), mounts->items.end(), [](const Node& m) { return text_of(m, "kind") == "tool"; });
        }
        item = fmt::format("{{\"id\": {}, \"kind\": \"{}\", \"parent\": {}, \"point\": [0, 0, 0], \"z\": [0, 0, 1], \"x\": [1, 0, 0]}}",
                           quoted(fresh(ids_of(machine, "mounts"), {tool ? "table" : "spindle"}, "mount ")), tool ? "work" : "tool",
                           quoted(parent));
        break;
    }
    case MachinePart::body:
        list = "bodies";
        item = fmt::format("{{\"id\": {}, \"parent\": {}, \"box\": [{}, {}, {}], \"point\": [0, 0, 0]}}",
                           quoted(fresh(ids_of(machine, "bodies"), {}, "body ")), quoted(parent), length(100), length(100), length(100));
        break;
    case MachinePart::attachment:
        list = "attachments";
        item = fmt::format(
            "{{\"id\": {}, \"tool\": {{\"at\": [0, 0, {}], \"axis\": [1, 0, 0]}}, \"messages\": {{\"fit\": \"Fit the {{name}}\", "
            "\"remove\": \"Take the {{name}} off\"}}}}",
            quoted(fresh(ids_of(machine, "attachments"), {"head"}, "head ")), length(-100));
        break;
    case MachinePart::witness: {
        list = "witnesses";
        const std::string readings = form::readings_at_zero(machine);
        std::vector<std::string> names;
        if (const Node* witnesses = list_of(machine, "witnesses")) {
            for (const Node& witness : witnesses->items) {
                names.push_back(text_of(witness, "name"));
            }
        }
        item = fmt::format("{{\"name\": {}, \"readings\": {{{}}}, \"tool_length\": {}, \"tip\": [0, 0, 0], \"axis\": [0, 0, 1]}}",
                           quoted(fresh(names, {"at home"}, "witness ")), readings, length(100));
        break;
    }
    case MachinePart::machine: return wrong("a machine can't contain another one", "add a joint, a mount, a body or an attachment");
    }
    const Node* node = list_of(machine, list.c_str());
    path = {list, node != nullptr ? node->items.size() : 0};
    const auto patch =
        node != nullptr ? json::append_item(machine, {list}, item) : json::set_value(machine, {list}, "[\n    " + item + "\n  ]");
    return patch ? Result<std::string>(json::applied(machine.text(), *patch)) : Result<std::string>(patch.error());
}

Result<std::string> without_part(const Document& machine, const PartPath& path)
{
    const Node* part = json::node_at(machine, path);
    if (part == nullptr || path.size() < 2) {
        return wrong("there is no such part", "the file has changed; try again");
    }
    std::string text = machine.text();
    const std::string id = text_of(*part, "id");
    if (path.size() == 2 && std::get<std::string>(path[0]) == "joints") {
        const std::string parent = text_of(*part, "parent");
        text = applied_all(machine, forgotten(machine, id, parent.empty() ? "base" : parent));
        // What names it elsewhere goes, one after the other.
        for (bool more = true; more;) {
            more = false;
            const auto document = Document::parse(text, machine.file_name());
            if (!document) {
                return document.error();
            }
            Path doomed;
            if (const Node* retract = document->root().find("retract"); retract != nullptr && retract->text == id) {
                doomed = {"retract"};
            }
            const Node* apart = list_of(*document, "apart");
            for (std::size_t i = 0; apart != nullptr && i < apart->items.size() && doomed.empty(); ++i) {
                const Node* between = apart->items[i].find("between");
                if (between != nullptr &&
                    std::any_of(between->items.begin(), between->items.end(), [&](const Node& one) { return one.text == id; })) {
                    doomed = {"apart", i};
                }
            }
            const Node* witnesses = list_of(*document, "witnesses");
            for (std::size_t i = 0; witnesses != nullptr && i < witnesses->items.size() && doomed.empty(); ++i) {
                const Node* readings = witnesses->items[i].find("readings");
                if (readings != nullptr && readings->find(id) != nullptr) {
                    doomed = {"witnesses", i, "readings", id};
                }
            }
            if (doomed.empty()) {
                doomed = form::led_by(*document, id);
            }
            if (!doomed.empty()) {
                const auto patch = json::remove_value(*document, doomed);
                if (!patch) {
                    return patch.error();
                }
                text = json::applied(text, *patch);
                more = true;
            }
        }
    }
    return then(text, machine.file_name(), [&](const Document& d) { return json::remove_value(d, path); });
}

Result<std::string> carried_by(const Document& machine, const PartPath& path, const std::string& parent)
{
    const Node* part = json::node_at(machine, path);
    if (part == nullptr || path.size() != 2) {
        return wrong("there is no such part", "the file has changed; try again");
    }
    const auto able = carriers(machine, path);
    if (std::find(able.begin(), able.end(), parent) == able.end()) {
        return wrong(fmt::format("\"{}\" can't carry {}", parent.substr(0, 40), text_of(*part, "id")),
                     "choose the base, or a joint that is not carried by it");
    }
    Path carrier = path;
    carrier.emplace_back("parent");
    const auto patch = json::set_value(machine, carrier, quoted(parent));
    if (!patch) {
        return patch.error();
    }
    const std::string text = json::applied(machine.text(), *patch);
    if (std::get<std::string>(path[0]) != "joints" || parent == "base") {
        return text;
    }
    const auto document = Document::parse(text, machine.file_name());
    if (!document) {
        return document.error();
    }
    const Node& joints = *list_of(*document, "joints");
    const std::size_t joint = std::get<std::size_t>(path[1]);
    const auto ids = ids_of(*document, "joints");
    const auto above = std::size_t(std::find(ids.begin(), ids.end(), parent) - ids.begin());
    if (above < joint) {
        return text;
    }
    const std::vector<std::size_t> moving = with_carried(joints, joint);
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < ids.size(); ++i) {
        if (std::find(moving.begin(), moving.end(), i) == moving.end()) {
            order.push_back(i);
        }
        if (i == above) {
            order.insert(order.end(), moving.begin(), moving.end());
        }
    }
    return applied_all(*document, reordered(*document, joints, order));
}

Result<std::string> moved_among(const Document& machine, std::size_t joint, bool up)
{
    const Node* joints = list_of(machine, "joints");
    if (joints == nullptr || joint >= joints->items.size()) {
        return wrong("there is no such joint", "the file has changed; try again");
    }
    const std::string parent = text_of(joints->items[joint], "parent");
    std::optional<std::size_t> other;
    for (std::size_t i = 0; i < joints->items.size(); ++i) {
        if (i != joint && text_of(joints->items[i], "parent") == parent && (up ? i < joint : i > joint && !other)) {
            other = i;
        }
    }
    if (!other) {
        return machine.text();
    }
    const std::size_t first = std::min(joint, *other);
    const std::size_t second = std::max(joint, *other);
    const std::vector<std::size_t> later = with_carried(*joints, second);
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < joints->items.size(); ++i) {
        if (i == first) {
            order.insert(order.end(), later.begin(), later.end());
        }
        if (std::find(later.begin(), later.end(), i) == later.end()) {
            order.push_back(i);
        }
    }
    return applied_all(machine, reordered(machine, *joints, order));
}

// --- what is kept apart -------------------------------------------------------------------------------------------------

namespace {

/// Where the list states a pair, in either order.
std::optional<std::size_t> place_of_pair(const Document& machine, const std::string& first, const std::string& second)
{
    const Node* list = list_of(machine, "apart");
    for (std::size_t i = 0; list != nullptr && i < list->items.size(); ++i) {
        const Node* between = list->items[i].find("between");
        if (between == nullptr || between->items.size() != 2) {
            continue;
        }
        const std::string& a = between->items[0].text;
        const std::string& b = between->items[1].text;
        if ((a == first && b == second) || (a == second && b == first)) {
            return i;
        }
    }
    return std::nullopt;
}

FormField clearance_field()
{
    FormField out;
    out.keys = {"clearance"};
    out.title = "Clearance";
    out.kind = FieldKind::number;
    out.dimension = expr::length;
    out.required = true;
    return out;
}

} // namespace

std::vector<std::string> kept_apart_names(const Document& machine)
{
    std::vector<std::string> out = ids_of(machine, "joints");
    out.insert(out.begin(), "base");
    out.insert(out.end(), {"tool", "cutter", "holder", "stock"});
    return out;
}

std::string clearance_between(const Document& machine, const std::string& first, const std::string& second)
{
    const auto place = place_of_pair(machine, first, second);
    return place ? shown_value(machine, {"apart", *place}, clearance_field()) : std::string();
}

Result<std::string> with_clearance_between(const Document& machine, const std::string& first, const std::string& second,
                                           const std::string& typed)
{
    const auto place = place_of_pair(machine, first, second);
    if (typed.find_first_not_of(" \t") == std::string::npos) {
        if (!place) {
            return machine.text();
        }
        const bool last = list_of(machine, "apart")->items.size() == 1;
        const auto patch = json::remove_value(machine, last ? json::Path{"apart"} : json::Path{"apart", *place});
        return patch ? Result<std::string>(json::applied(machine.text(), *patch)) : Result<std::string>(patch.error());
    }
    if (place) {
        return with_value(machine, {"apart", *place}, clearance_field(), typed);
    }
    const std::string item = fmt::format("{{\"between\": [{}, {}], \"clearance\": 1}}", quoted(first), quoted(second));
    const Node* list = list_of(machine, "apart");
    const auto patch =
        list != nullptr ? json::append_item(machine, {"apart"}, item) : json::set_value(machine, {"apart"}, "[\n    " + item + "\n  ]");
    if (!patch) {
        return patch.error();
    }
    const std::string text = json::applied(machine.text(), *patch);
    const auto added = Document::parse(text, machine.file_name());
    return added ? with_value(*added, {"apart", list != nullptr ? list->items.size() : 0}, clearance_field(), typed)
                 : Result<std::string>(added.error());
}

} // namespace wexilum
