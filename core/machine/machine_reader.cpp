// Reads the "machine/1" format; described in docs/formats/machine.md and docs/schema/machine.schema.json.
#include "core/base/file_units.hpp"
#include "core/machine/kinematics.hpp"
#include "core/machine/machine.hpp"
#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

/// Reads machines; one instance a file.
class Reader {
public:
    explicit Reader(const json::Document& document) : document_(document), problems_(document) {}

    Result<Machine> read()
    {
        Fields root(document_.root(), "the machine", problems_);
        json::check_format(root, "machine/1");
        units_ = read_units(root);
        root.text("name", machine_.name, true);
        root.text("description", machine_.description);
        root.each_item(
            "joints", [&](const Node& n) { read_joint(n); }, true);
        root.each_item(
            "mounts", [&](const Node& n) { read_mount(n); }, true);
        root.each_item("bodies", [&](const Node& n) { read_body(n); });
        read_retract(root);
        root.each_item(
            "witnesses", [&](const Node& n) { machine_.witnesses.push_back(read_witness(n, document_, units_, machine_, problems_)); },
            true);
        root.finish();
        if (!problems_.any()) {
            check_chains();
        }
        if (!problems_.any()) {
            check_witnesses(machine_, machine_.witnesses, *document_.root().find("witnesses"), problems_);
        }
        if (problems_.any()) {
            return problems_.status().error();
        }
        return std::move(machine_);
    }

private:
    bool parent(Fields& fields, int& out)
    {
        std::string name;
        if (!fields.text("parent", name, true)) {
            return false;
        }
        if (name == "base") {
            out = -1;
            return true;
        }
        const auto joint = machine_.find_joint(name);
        if (!joint) {
            problems_.add(*fields.here().find("parent"), fmt::format("no joint \"{}\" stands above", name),
                          "name \"base\" or a joint listed before this one");
            return false;
        }
        out = static_cast<int>(joint->value);
        return true;
    }

    void read_joint(const Node& node)
    {
        Fields fields(node, "the joint", problems_);
        Joint joint;
        fields.text("id", joint.id, true);
        if (machine_.find_joint(joint.id) || joint.id == "base") {
            problems_.add(node, fmt::format("the joint \"{}\" stands twice", joint.id), "give each joint a name of its own");
        }
        if (machine_.joints.size() == std::size_t(max_joints)) {
            problems_.add(node, fmt::format("more than {} joints", max_joints), "split the machine, or take joints away that don't move");
            return;
        }
        fields.choice<JointKind>("kind", joint.kind, {{"linear", JointKind::linear}, {"rotary", JointKind::rotary}}, true);
        const double unit = units_.of(joint.kind == JointKind::linear);
        parent(fields, joint.parent);
        read_direction(fields, "direction", joint.direction, true);
        std::vector<double> v;
        if (fields.numbers("point", v, 3, json::any_length, joint.kind == JointKind::rotary)) {
            joint.point = Vec3(v[0], v[1], v[2]) * units_.length;
        }
        std::size_t relative = 0;
        fields.choice("reading", relative, {"body", "tool-relative"});
        tool_relative_.push_back(relative == 1 ? fields.here().find("reading") : nullptr);
        joint.tool_relative = relative == 1;
        if (joint.tool_relative) {
            joint.direction = -joint.direction;
        }
        read_scaled(fields, "at", joint.at, unit, json::any_length);
        if (fields.numbers("travel", v, 2)) {
            joint.travel = Travel{v[0] * unit, v[1] * unit};
            if (v[0] >= v[1]) {
                problems_.add(*node.find("travel"), "the travel's low end is not below its high end", "write [low, high]");
            }
        } else if (joint.kind == JointKind::linear && !fields.has("travel")) {
            problems_.add(node, fmt::format("the linear joint \"{}\" has no travel", joint.id), "add \"travel\": [low, high]");
        }
        read_scaled(fields, "home", joint.home, unit, json::any_length);
        if (joint.travel && (joint.home < joint.travel->low - 1e-9 || joint.home > joint.travel->high + 1e-9)) {
            problems_.add(fields.has("home") ? *node.find("home") : node,
                          fmt::format("the home of \"{}\" lies outside its travel", joint.id), "give a home inside the travel");
        }
        read_scaled(fields, "speed", joint.speed, unit / 60, json::positive, true);
        read_scaled(fields, "acceleration", joint.acceleration, unit, json::positive);
        read_scaled(fields, "jerk", joint.jerk, unit, json::positive);
        read_scaled(fields, "counts_per_unit", joint.counts_per_unit, 1 / unit, json::positive);
        fields.flag("rollover", joint.rollover);
        fields.choice<int>("preferred_sense", joint.preferred_sense, {{"none", 0}, {"positive", 1}, {"negative", -1}});
        fields.flag("moves_while_cutting", joint.moves_while_cutting);
        if (const Node* brake = fields.node("brake", Kind::object)) {
            Fields inner(*brake, "the brake", problems_);
            inner.number("release", joint.brake_release, json::not_negative, true);
            inner.number("lock", joint.brake_lock, json::not_negative, true);
            inner.finish();
        }
        fields.finish();
        machine_.joints.push_back(std::move(joint));
    }

    void read_mount(const Node& node)
    {
        Fields fields(node, "the mount", problems_);
        Mount mount;
        fields.text("id", mount.id, true);
        fields.choice<MountKind>("kind", mount.kind, {{"tool", MountKind::tool}, {"work", MountKind::work}}, true);
        parent(fields, mount.parent);
        mount.frame = read_frame(fields, units_, fmt::format("the mount \"{}\"", mount.id), true);
        fields.finish();
        machine_.mounts.push_back(std::move(mount));
    }

    void read_body(const Node& node)
    {
        Fields fields(node, "the body", problems_);
        Body body;
        fields.text("id", body.id, true);
        parent(fields, body.parent);
        read_shape(fields, units_, body);
        fields.finish();
        machine_.bodies.push_back(std::move(body));
    }

    void read_retract(Fields& root)
    {
        std::string name;
        if (!root.text("retract", name)) {
            return;
        }
        machine_.retract = machine_.find_joint(name);
        if (!machine_.retract || machine_.joints[machine_.retract->value].kind != JointKind::linear) {
            problems_.add(*root.here().find("retract"), fmt::format("\"{}\" is no linear joint of this machine", name),
                          "name the linear joint that takes the tool away from the work");
            return;
        }
        const Joint& joint = machine_.joints[machine_.retract->value];
        if (joint.travel) {
            machine_.retract_upwards = joint.home > 0.5 * (joint.travel->low + joint.travel->high);
        }
    }

    void check_chains()
    {
        auto made = Kinematics::make(machine_);
        if (!made) {
            problems_.add(document_.root(), made.error().message, made.error().cure);
            return;
        }
        for (const auto& link : made->links()) {
            const Node* turned = tool_relative_[link.joint.value];
            if (turned != nullptr && link.sign > 0) {
                problems_.add(
                    *turned,
                    fmt::format("the joint \"{}\" carries the tool, so it can't read tool-relative", machine_.joints[link.joint.value].id),
                    "leave \"reading\" away: only a joint that carries the work can be read the other way");
            }
        }
        if (machine_.witnesses.empty()) {
            problems_.add(*document_.root().find("witnesses"), "the machine has no witness",
                          "type in at least one pair of readings and tool pose from the shop or the manual", ErrorKind::witness);
        }
    }

    const json::Document& document_;
    json::Problems problems_;
    FileUnits units_;
    Machine machine_;
    std::vector<const Node*> tool_relative_; // the "reading" node where it says so, one a joint
};

} // namespace

Result<Machine> read_machine(const json::Document& document) { return Reader(document).read(); }

} // namespace wexilum
