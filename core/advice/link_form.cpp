#include "core/advice/link_form.hpp"

#include "core/base/file_units.hpp"
#include "core/base/json_patch.hpp"
#include "core/base/units.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>

namespace wexilum {
namespace {

using json::Document;
using json::Kind;
using json::Node;
using json::number_text;
using json::Path;
using json::quoted;

constexpr double beside = 10; // mm: how far a new clearance surface is from what the operation reaches

Error wrong(std::string message, std::string cure) { return {ErrorKind::value, std::move(message), {}, std::move(cure)}; }

/// Where the job's file has an operation; of a copy, the one that it is a copy of.
std::optional<std::size_t> place_in_file(const Document& job, const Assembly& a, std::size_t operation)
{
    const Node* list = job.root().find("operations");
    if (list == nullptr || operation >= a.job.operations.size()) {
        return std::nullopt;
    }
    std::string id = a.job.operations[operation].id;
    for (;;) {
        for (std::size_t i = 0; i < list->items.size(); ++i) {
            const Node* found = list->items[i].find("id");
            if (found != nullptr && found->text == id) {
                return i;
            }
        }
        const std::size_t dot = id.rfind('.');
        if (dot == std::string::npos) {
            return std::nullopt;
        }
        id.resize(dot);
    }
}

/// The object that states an operation's links: its own, or the job's; nullptr where neither does.
const Node* links_in_force(const Document& job, std::size_t place)
{
    const Node* own = json::node_at(job, {"operations", place, "links"});
    return own != nullptr ? own : json::node_at(job, {"links"});
}

std::string bytes_of(const Document& document, const Node& node) { return document.text().substr(node.begin, node.end - node.begin); }

/// The text with links of the operation's own: a copy of those that hold for it.
Result<std::string> with_own_links(const Document& job, std::size_t place)
{
    const Path path{"operations", place, "links"};
    if (json::node_at(job, path) != nullptr) {
        return job.text();
    }
    const Node* of_the_job = json::node_at(job, {"links"});
    const auto patch = json::set_value(job, path, of_the_job != nullptr ? bytes_of(job, *of_the_job) : "{}");
    return patch ? Result<std::string>(json::applied(job.text(), *patch)) : Result<std::string>(patch.error());
}

/// Edits the operation's own links, which are there then.
Result<std::string> edited(const Document& job, const Assembly& a, std::size_t operation, const auto& edit)
{
    const auto place = place_in_file(job, a, operation);
    if (!place) {
        return wrong("the job's file does not have this operation any more", "run the job again");
    }
    const auto text = with_own_links(job, *place);
    if (!text) {
        return text;
    }
    const auto document = Document::parse(*text, job.file_name());
    if (!document) {
        return document.error();
    }
    const Result<json::Patch> patch = edit(*document, Path{"operations", *place, "links"});
    return patch ? Result<std::string>(json::applied(*text, *patch)) : Result<std::string>(patch.error());
}

/// The text, where the operation's links are some.
Result<std::string> if_links(Result<std::string> text, const std::string& file, const Assembly& a, std::size_t operation)
{
    const auto document = text ? Document::parse(*text, file) : Result<Document>(text.error());
    const auto links = document ? links_in(*document, a, operation) : Result<OperationLinks>(document.error());
    return links ? text : Result<std::string>(links.error());
}

std::string step_text(const LinkStep& step, const Machine& machine, const FileUnits& units)
{
    std::vector<std::string> parts;
    if (step.to == LinkTarget::readings) {
        for (const HeldJoint& held : step.readings) {
            const Joint& joint = machine.joints[held.joint.value];
            parts.push_back(joint.kind == JointKind::rotary
                                ? fmt::format("{}: {{\"angle\": {}}}", quoted(joint.id), number_text(held.reading / units.angle))
                                : fmt::format("{}: {}", quoted(joint.id), number_text(held.reading / units.length)));
        }
        return fmt::format("{{\"to\": {{{}}}}}", fmt::join(parts, ", "));
    }
    for (const JointIndex j : step.joints) {
        parts.push_back(quoted(machine.joints[j.value].id));
    }
    const std::string joints = parts.empty() ? std::string() : fmt::format("\"joints\": [{}], ", fmt::join(parts, ", "));
    return fmt::format("{{{}\"to\": \"{}\"}}", joints, name_of(step.to));
}

/// "A, B and C"
std::string listed(const std::vector<std::string>& names)
{
    if (names.size() < 2) {
        return fmt::format("{}", fmt::join(names, ""));
    }
    return fmt::format("{} and {}", fmt::join(names.begin(), names.end() - 1, ", "), names.back());
}

/// Blanks with a line end between the items of an array, where it has them on lines of their own.
std::string gap_of(const Document& document, const Node* list)
{
    if (list == nullptr || list->items.empty()) {
        return " ";
    }
    std::size_t begin = list->items.front().begin;
    const std::string& text = document.text();
    while (begin > list->begin + 1 && std::isspace(static_cast<unsigned char>(text[begin - 1])) != 0) {
        --begin;
    }
    const std::string blanks = text.substr(begin, list->items.front().begin - begin);
    return blanks.find('\n') != std::string::npos ? blanks : " ";
}

std::string point_text(const Vec3& point, const FileUnits& units)
{
    const Vec3 p = point / units.length;
    return fmt::format("[{}, {}, {}]", number_text(p.x()), number_text(p.y()), number_text(p.z()));
}

FormField field(const char* shape, const char* key, const char* title, const char* help, FieldKind kind)
{
    FormField out;
    out.keys = {shape, key};
    out.title = title;
    out.help = help;
    out.kind = kind;
    out.required = true;
    if (kind != FieldKind::direction) {
        out.dimension = expr::length;
    }
    return out;
}

} // namespace

std::string description_of(const LinkStep& step, const Machine& machine)
{
    std::vector<std::string> names;
    if (step.to == LinkTarget::readings) {
        for (const HeldJoint& held : step.readings) {
            const Joint& joint = machine.joints[held.joint.value];
            names.push_back(joint.kind == JointKind::rotary ? fmt::format("{} to {} deg", joint.id, number_text(to_deg(held.reading)))
                                                            : fmt::format("{} to {} mm", joint.id, number_text(held.reading)));
        }
        return listed(names);
    }
    for (const JointIndex j : step.joints) {
        names.push_back(machine.joints[j.value].id);
    }
    const std::string who = names.empty() ? "all joints" : listed(names);
    switch (step.to) {
    case LinkTarget::home: return fmt::format("{} home", who);
    case LinkTarget::leave: return "out along the tool";
    case LinkTarget::ride: return "along the clearance surface";
    case LinkTarget::clear: return fmt::format("{} to the clear place", who);
    case LinkTarget::start: return fmt::format("{} to the place", who);
    case LinkTarget::readings: break;
    }
    return {};
}

const std::vector<LinkStep>& list_of(const OperationLinks& links, LinkList list)
{
    return list == LinkList::approach ? links.approach : list == LinkList::within ? links.within : links.retreat;
}

Result<OperationLinks> links_in(const Document& job, const Assembly& a, std::size_t operation)
{
    const auto place = place_in_file(job, a, operation);
    if (!place) {
        return wrong("the job's file does not have this operation any more", "run the job again");
    }
    const Node* own = json::node_at(job, {"operations", *place});
    json::Problems problems(job);
    json::Fields fields(own->find("links") != nullptr ? *own : job.root(), "the links", problems);
    const auto wish = read_links(fields, units_of(job), job);
    if (const Status status = problems.status(); !status) {
        return status.error();
    }
    return resolved_links(a, operation, wish);
}

LinkItems items_of(std::size_t count)
{
    LinkItems out(count);
    for (std::size_t i = 0; i < count; ++i) {
        out[i].kept = i;
    }
    return out;
}

LinkItems with_moved(LinkItems items, std::size_t from, std::size_t to)
{
    const LinkItem item = items[from];
    items.erase(items.begin() + std::ptrdiff_t(from));
    items.insert(items.begin() + std::ptrdiff_t(to), item);
    return items;
}

LinkItems with_split(const LinkItems& items, std::size_t at, const std::vector<LinkStep>& list, const Assembly& assembly,
                     std::size_t operation)
{
    const LinkStep& step = list[at];
    std::vector<LinkStep> parts;
    if (step.to == LinkTarget::readings) {
        for (const HeldJoint& held : step.readings) {
            parts.push_back({step.to, {}, {held}});
        }
    } else if (step.to != LinkTarget::leave && step.to != LinkTarget::ride && !step.joints.empty()) {
        for (const JointIndex j : step.joints) {
            parts.push_back({step.to, {j}, {}});
        }
    } else if (step.to == LinkTarget::clear || step.to == LinkTarget::start) {
        std::vector<JointIndex> rotary;
        std::vector<JointIndex> across;
        for (const JointIndex j : joints_of(assembly, assembly.posture_of(operation))) {
            const bool turns = assembly.machine.joints[j.value].kind == JointKind::rotary;
            (turns ? rotary : across).push_back(j);
            if (!turns && assembly.machine.retract == j) {
                across.pop_back();
            }
        }
        for (const auto& joints : {rotary, across}) {
            if (!joints.empty()) {
                parts.push_back({step.to, joints, {}});
            }
        }
        parts.push_back(step);
    }
    if (parts.size() < 2) {
        return items;
    }
    LinkItems out(items.begin(), items.begin() + std::ptrdiff_t(at));
    for (LinkStep& part : parts) {
        out.push_back({std::nullopt, std::move(part)});
    }
    out.insert(out.end(), items.begin() + std::ptrdiff_t(at) + 1, items.end());
    return out;
}

Result<std::string> with_list(const Document& job, const Assembly& a, std::size_t operation, LinkList list, const LinkItems& items)
{
    const auto now = links_in(job, a, operation);
    if (!now) {
        return now.error();
    }
    const char* key = link_list_keys[std::size_t(list)];
    const std::vector<LinkStep>& in_force = list_of(*now, list);
    const FileUnits units = units_of(job);
    return if_links(edited(job, a, operation,
                           [&](const Document& document, Path path) -> Result<json::Patch> {
                               path.emplace_back(key);
                               const Node* stated = json::node_at(document, path);
                               const Node* kept =
                                   stated != nullptr && stated->kind == Kind::array && stated->items.size() == in_force.size() ? stated
                                                                                                                               : nullptr;
                               std::vector<std::string> texts;
                               for (const LinkItem& item : items) {
                                   if (item.kept && *item.kept >= in_force.size()) {
                                       return wrong("the links have changed in between", "repeat the change");
                                   }
                                   texts.push_back(item.kept && kept != nullptr
                                                       ? bytes_of(document, kept->items[*item.kept])
                                                       : step_text(item.kept ? in_force[*item.kept] : item.step, a.machine, units));
                               }
                               if (texts.empty() && stated != nullptr) {
                                   return json::remove_value(document, path);
                               }
                               const std::string gap = gap_of(document, kept);
                               const bool lines = gap != " ";
                               std::string out = fmt::format("[{}{}", lines ? gap : "", fmt::join(texts, "," + gap));
                               if (lines) { // the bracket stands where it stood
                                   std::size_t end = kept->end - 1;
                                   while (end > kept->begin && std::isspace(static_cast<unsigned char>(document.text()[end - 1])) != 0) {
                                       --end;
                                   }
                                   out += document.text().substr(end, kept->end - 1 - end);
                               }
                               return json::set_value(document, path, out + "]");
                           }),
                    job.file_name(), a, operation);
}

Result<std::string> without_list(const Document& job, const Assembly& a, std::size_t operation, LinkList list)
{
    if (!states_list(job, a, operation, list)) {
        return job.text();
    }
    return edited(job, a, operation, [&](const Document& document, Path path) {
        path.emplace_back(link_list_keys[std::size_t(list)]);
        return json::remove_value(document, path);
    });
}

bool states_list(const Document& job, const Assembly& a, std::size_t operation, LinkList list)
{
    const auto place = place_in_file(job, a, operation);
    const Node* links = place ? links_in_force(job, *place) : nullptr;
    return links != nullptr && links->find(link_list_keys[std::size_t(list)]) != nullptr;
}

std::string clearance_shape(const Document& job, const Assembly& a, std::size_t operation)
{
    const auto place = place_in_file(job, a, operation);
    const Node* links = place ? links_in_force(job, *place) : nullptr;
    const Node* clearance = links != nullptr ? links->find("clearance") : nullptr;
    for (const char* shape : {"plane", "cylinder", "sphere", "box"}) {
        if (clearance != nullptr && clearance->find(shape) != nullptr) {
            return shape;
        }
    }
    return {};
}

ClearanceForm clearance_form(const Document& job, const Assembly& a, std::size_t operation)
{
    ClearanceForm out;
    const std::string shape = clearance_shape(job, a, operation);
    const auto place = place_in_file(job, a, operation);
    if (shape.empty() || !place) {
        return out;
    }
    const bool own = json::node_at(job, {"operations", *place, "links"}) != nullptr;
    out.path = own ? Path{"operations", *place, "links", "clearance"} : Path{"links", "clearance"};
    if (shape == "box") {
        out.fields = {field("box", "low", "Low corner", "Smallest X, Y and Z, in the part's frame", FieldKind::point),
                      field("box", "high", "High corner", "Largest X, Y and Z, in the part's frame", FieldKind::point)};
        return out;
    }
    const char* key = shape == "plane" ? "plane" : shape == "sphere" ? "sphere" : "cylinder";
    out.fields.push_back(field(key, "point",
                               shape == "sphere"  ? "Centre"
                               : shape == "plane" ? "Point"
                                                  : "Point on the axis",
                               "In the part's frame", FieldKind::point));
    if (shape != "sphere") {
        out.fields.push_back(field(key, "direction", shape == "plane" ? "Outwards" : "Along", "A direction in the part's frame, like +Z",
                                   FieldKind::direction));
    }
    if (shape != "plane") {
        out.fields.push_back(field(key, "diameter", "Diameter", "The tool moves freely outside of it", FieldKind::number));
    }
    return out;
}

Result<std::string> with_clearance_value(const Document& job, const Assembly& a, std::size_t operation, const FormField& field,
                                         const std::string& typed)
{
    const auto place = place_in_file(job, a, operation);
    const auto text = place ? with_own_links(job, *place)
                            : Result<std::string>(wrong("the job's file does not have this operation any more", "run the job again"));
    if (!text) {
        return text;
    }
    const auto document = Document::parse(*text, job.file_name());
    return document ? with_value(*document, {"operations", *place, "links", "clearance"}, field, typed)
                    : Result<std::string>(document.error());
}

Result<std::string> with_clearance(const Document& job, const Assembly& a, std::size_t operation, const std::string& shape,
                                   const OperationOutline& outline)
{
    const FileUnits units = units_of(job);
    const bool reaches = (outline.low.array() <= outline.high.array()).all();
    const Vec3 low = reaches ? Vec3(outline.low) : Vec3::Constant(-50);
    const Vec3 high = reaches ? Vec3(outline.high) : Vec3::Constant(50);
    const Vec3 middle = (low + high) / 2;
    const auto round = [&](double length) { return std::ceil(length / units.length) * units.length; };
    std::string text;
    if (shape == "plane") {
        text =
            fmt::format("{{\"plane\": {{\"point\": {}, \"direction\": [0, 0, 1]}}}}", point_text({0, 0, round(high.z() + beside)}, units));
    } else if (shape == "sphere") {
        text = fmt::format("{{\"sphere\": {{\"point\": {}, \"diameter\": {}}}}}", point_text(middle, units),
                           number_text(round((high - low).norm() + 2 * beside) / units.length));
    } else if (shape == "cylinder") {
        text = fmt::format("{{\"cylinder\": {{\"point\": {}, \"direction\": [0, 0, 1], \"diameter\": {}}}}}", point_text(middle, units),
                           number_text(round((high - low).head<2>().norm() + 2 * beside) / units.length));
    } else if (shape == "box") {
        text = fmt::format("{{\"box\": {{\"low\": {}, \"high\": {}}}}}", point_text(low - Vec3::Constant(beside), units),
                           point_text(high + Vec3::Constant(beside), units));
    } else if (!shape.empty()) {
        return wrong(fmt::format("\"{}\" is not a shape of a clearance surface", shape), "choose a plane, cylinder, sphere or box");
    }
    if (shape == clearance_shape(job, a, operation)) {
        return job.text();
    }
    return if_links(edited(job, a, operation,
                           [&](const Document& document, Path path) {
                               path.emplace_back("clearance");
                               return text.empty() ? json::remove_value(document, path) : json::set_value(document, path, text);
                           }),
                    job.file_name(), a, operation);
}

} // namespace wexilum
