#include "core/setup/setup.hpp"

#include "core/base/file_units.hpp"
#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

void read_part(const Node& node, const FileUnits& units, Work& work, json::Problems& problems)
{
    Fields fields(node, "the part", problems);
    fields.text("holder", work.holder, true);
    std::vector<double> point(3, 0.0);
    std::vector<double> x{1, 0, 0};
    std::vector<double> z{0, 0, 1};
    fields.numbers("point", point, 3, json::any_length, true);
    fields.numbers("x", x, 3, {-1.001, 1.001});
    fields.numbers("z", z, 3, {-1.001, 1.001});
    double phase = 0;
    fields.number("phase", phase, json::any_length);
    fields.finish();
    const Vec3 xv(x[0], x[1], x[2]);
    const Vec3 zv(z[0], z[1], z[2]);
    if (std::abs(xv.norm() - 1) > 1e-6 || std::abs(zv.norm() - 1) > 1e-6 || std::abs(xv.dot(zv)) > 1e-6) {
        problems.add(node, "x and z of the part are not perpendicular unit vectors", "correct them");
        return;
    }
    work.part = frame_from(Vec3(point[0], point[1], point[2]) * units.length, xv, zv);
    if (phase != 0) {
        work.part = Frame(Eigen::AngleAxisd(phase * units.angle, Vec3::UnitZ())) * work.part;
    }
}

/// The part and its bodies, of the setup itself or of one of its works.
void read_work(Fields& parent, const FileUnits& units, Work& work)
{
    json::Problems& problems = parent.problems();
    if (const Node* part = parent.node("part", Kind::object, true)) {
        work.place = problems.document().place_of(part->begin);
        read_part(*part, units, work, problems);
    }
    const auto read_bodies = [&](const char* key, const char* what, std::vector<Body>& out) {
        parent.each_item(key, [&](const Node& n) {
            Fields fields(n, what, problems);
            Body body;
            fields.text("id", body.id);
            read_shape(fields, units, body);
            fields.finish();
            out.push_back(std::move(body));
        });
    };
    read_bodies("stock", "the stock", work.stock);
    read_bodies("kept", "the kept body", work.kept);
}

void read_works(Fields& root, const FileUnits& units, Setup& setup)
{
    if (!root.has("works")) {
        read_work(root, units, setup.works.front());
        return;
    }
    setup.works.clear();
    std::set<std::string> ids;
    const Node* list = root.node("works", Kind::array, true);
    root.each_item("works", [&](const Node& node) {
        Fields fields(node, "the work", root.problems());
        Work& work = setup.works.emplace_back();
        fields.text("id", work.id, true);
        if (!ids.insert(work.id).second) {
            fields.problem(node, fmt::format("the work \"{}\" appears twice", work.id.substr(0, 40)), "give each an id of its own");
        }
        fields.text("work_offset", work.work_offset, true);
        read_work(fields, units, work);
        fields.finish();
    });
    for (const char* key : {"part", "stock", "kept"}) {
        if (root.has(key)) {
            root.problem(*list, fmt::format("\"{}\" stands beside \"works\"", key), "put it into the work that it belongs to");
        }
    }
    if (setup.works.empty()) {
        setup.works.emplace_back();
        if (list != nullptr) {
            root.problem(*list, "the setup holds no work", "list at least one");
        }
    }
}

void read_tool(const Node& node, const FileUnits& units, Setup& setup, std::set<std::uint32_t>& numbers, json::Problems& problems)
{
    Fields fields(node, "the tool", problems);
    Tool tool;
    tool.place = problems.document().place_of(node.begin);
    long long number = 0;
    if (fields.integer("number", number, 1, 99999999, true)) {
        tool.number = static_cast<std::uint32_t>(number);
        if (!numbers.insert(tool.number).second) {
            problems.add(node, fmt::format("the tool {} appears twice", number), "keep one of the two");
        }
    }
    fields.text("name", tool.name, true);
    fields.text("shape", tool.shape);
    double value = 0;
    if (fields.number("diameter", value, json::positive)) {
        tool.diameter = value * units.length;
    }
    if (fields.number("length", value, json::positive)) {
        tool.length = value * units.length;
    }
    if (fields.number("width", value, json::positive)) {
        tool.width = value * units.length;
    }
    if (const Node* holder = fields.node("holder", Kind::object)) {
        Fields inner(*holder, "the holder", problems);
        if (inner.number("diameter", value, json::positive, true)) {
            tool.holder_diameter = value * units.length;
        }
        if (inner.number("length", value, json::positive, true)) {
            tool.holder_length = value * units.length;
        }
        inner.finish();
    }
    long long length_register = number;
    if (fields.integer("length_register", length_register, 0, 99999999)) {
        const bool taken = std::any_of(setup.tools.begin(), setup.tools.end(),
                                       [&](const Tool& t) { return t.length_register == length_register && length_register != 0; });
        if (taken) {
            problems.add(node, fmt::format("the length register {} is used twice", length_register), "give each tool its own");
        }
    }
    tool.length_register = static_cast<std::uint32_t>(length_register);
    fields.finish();
    setup.tools.push_back(std::move(tool));
}

void read_offsets(Fields& root, const FileUnits& units, const json::Document& document, Setup& setup)
{
    root.each_member(
        "offsets",
        [&](const std::string& name, const Node& node) {
            Fields fields(node, fmt::format("the offset register {}", name), root.problems());
            auto& values = setup.offsets[name];
            for (const auto& [joint, value] : node.members) {
                if (joint.starts_with("x-")) {
                    continue;
                }
                const bool angle = value.kind == Kind::object;
                double number = 0;
                if (angle) {
                    Fields inner(value, fmt::format("the offset of {}", joint), root.problems());
                    inner.number("angle", number, json::any_length, true);
                    inner.finish();
                } else if (value.kind == Kind::number && std::abs(value.number) <= 1e7) {
                    number = value.number;
                } else {
                    root.problem(value, fmt::format("the offset of {} is not a number within 1e7", joint),
                                 "write a length, or {\"angle\": value} for a rotary joint");
                }
                values[joint] = number * units.of(!angle);
                if (number != 0) {
                    setup.offset_forms[name][joint] = {angle, document.place_of(value.begin)};
                }
            }
        },
        true);
}

void read_zeros(Fields& root, const FileUnits& units, const json::Document& document, Setup& setup)
{
    root.each_member("zeros", [&](const std::string& name, const Node& node) {
        Fields fields(node, fmt::format("the zero of the register {}", name), root.problems());
        ZeroTaken zero;
        zero.place = document.place_of(node.begin);
        fields.choice<ZeroTaken::Point>(
            "point", zero.point,
            {{"tip", ZeroTaken::Point::tip}, {"gauge-point", ZeroTaken::Point::gauge_point}, {"pivot", ZeroTaken::Point::pivot}}, true);
        long long tool = 0;
        fields.integer("tool", tool, 0, 99999999, zero.point == ZeroTaken::Point::tip);
        zero.tool = static_cast<std::uint32_t>(tool);
        fields.text("attachment", zero.attachment);
        fields.text("joint", zero.joint, zero.point == ZeroTaken::Point::pivot);
        fields.each_member("set", [&](const std::string& joint, const Node& value) {
            if (value.kind != Kind::number || std::abs(value.number) > 1e7) {
                fields.problem(value, fmt::format("the reading of {} is not a number within 1e7", joint.substr(0, 40)), "write an angle");
                return;
            }
            zero.set.emplace_back(joint, value.number * units.angle);
        });
        zero.touches = read_point(fields, "touches", units, false);
        fields.finish();
        setup.zeros[name] = std::move(zero);
    });
}

void read_centres(Fields& root, const FileUnits& units, const json::Document& document, Setup& setup)
{
    if (const Node* node = root.node("rotation_centres", Kind::object)) {
        Fields fields(*node, "the rotation centres", root.problems());
        for (const auto& [joint, value] : node->members) {
            if (!joint.starts_with("x-")) {
                setup.rotation_centres[joint] = {read_point(fields, joint.c_str(), units, true), document.place_of(value.begin)};
            }
        }
        fields.finish();
    }
}

} // namespace

const Tool* Setup::find_tool(std::uint32_t number) const
{
    const auto found = std::find_if(tools.begin(), tools.end(), [&](const Tool& t) { return t.number == number; });
    return found == tools.end() ? nullptr : &*found;
}

std::optional<std::uint32_t> Setup::find_work(const std::string& id) const
{
    const auto found = std::find_if(works.begin(), works.end(), [&](const Work& w) { return w.id == id; });
    return found == works.end() ? std::nullopt : std::optional(std::uint32_t(found - works.begin()));
}

std::optional<Mount> holding(const Machine& machine, const Setup& setup, std::size_t work)
{
    const auto found = machine.find_work_mount(setup.works[work].holder);
    if (!found) {
        return std::nullopt;
    }
    Mount out = machine.mounts[*found];
    if (work > 0) {
        out.frame = out.frame * setup.works[work].part * setup.part().inverse();
    }
    return out;
}

std::optional<double> Setup::length_register(std::uint32_t number) const
{
    const auto found = std::find_if(tools.begin(), tools.end(), [&](const Tool& t) { return t.length_register == number; });
    return found == tools.end() ? std::nullopt : found->length;
}

Result<Setup> read_setup(const json::Document& document)
{
    json::Problems problems(document);
    Fields root(document.root(), "the setup", problems);
    Setup setup;
    setup.file = document.file_name();
    json::check_format(root, "setup/1");
    const FileUnits units = read_units(root);
    root.text("name", setup.name, true);
    read_works(root, units, setup);
    read_offsets(root, units, document, setup);
    read_zeros(root, units, document, setup);
    read_centres(root, units, document, setup);
    std::set<std::uint32_t> numbers;
    root.each_item(
        "tools", [&](const Node& n) { read_tool(n, units, setup, numbers, problems); }, true);
    if (const Node* who = root.node("done_by", Kind::object)) {
        Fields fields(*who, "done_by", problems);
        const std::vector<std::pair<std::string, Actor>> actors{{"program", Actor::program}, {"hand", Actor::hand}, {"none", Actor::none}};
        fields.choice<Actor>("spindle", setup.spindle, actors);
        fields.choice<Actor>("coolant", setup.coolant, actors);
        fields.choice<Actor>("tool_change", setup.tool_change, actors);
        fields.finish();
    }
    root.finish();
    if (problems.any()) {
        return problems.status().error();
    }
    return setup;
}

} // namespace wexilum
