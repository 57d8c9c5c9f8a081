// Reads the "machine/1" format; described in docs/formats/machine.md and docs/schema/machine.schema.json.
#include "core/base/file_units.hpp"
#include "core/base/units.hpp"
#include "core/machine/kinematics.hpp"
#include "core/machine/machine.hpp"
#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

#include <algorithm>

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
        read_parts(root, true);
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

    /// Nothing but what can be drawn; nothing where a part of it can't be read.
    std::optional<Machine> draw()
    {
        Fields root(document_.root(), "the machine", problems_);
        read_parts(root, false);
        if (!problems_.any() && machine_.first_mount(MountKind::tool) != nullptr && machine_.first_mount(MountKind::work) != nullptr) {
            json::Problems ignored(document_); // as they come: one that is half typed stands nowhere yet
            root.each_item("witnesses",
                           [&](const Node& n) { machine_.witnesses.push_back(read_witness(n, document_, units_, machine_, ignored)); });
        }
        return problems_.any() ? std::nullopt : std::optional(std::move(machine_));
    }

private:
    void read_parts(Fields& root, bool whole)
    {
        json::check_format(root, "machine/1");
        units_ = read_units(root);
        root.text("name", machine_.name, true);
        root.text("description", machine_.description);
        read_direction(root, "up", machine_.up, false);
        root.each_item(
            "joints", [&](const Node& n) { read_joint(n); }, whole);
        root.each_item(
            "mounts", [&](const Node& n) { read_mount(n); }, whole);
        root.each_item("spindles", [&](const Node& n) { read_spindle(n, machine_, problems_); });
        root.each_item("attachments", [&](const Node& n) { read_attachment(n); });
        read_relations();
        root.each_item("bodies", [&](const Node& n) { read_body(n); });
        machine_.bodies.insert(machine_.bodies.end(), fitted_bodies_.begin(), fitted_bodies_.end());
        root.each_item("apart", [&](const Node& n) { read_apart(n); });
    }

    void read_relations()
    {
        std::vector<const Node*> follows;
        for (std::size_t i = 0; i < follows_.size(); ++i) {
            const std::size_t before = machine_.relations.size();
            if (follows_[i] != nullptr) {
                read_relation(*follows_[i], JointIndex(std::uint32_t(i)), units_, machine_, problems_);
            }
            if (machine_.relations.size() > before) {
                follows.push_back(follows_[i]);
            }
        }
        settle_relations(machine_);
        check_relations(machine_, follows, problems_);
    }

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
            problems_.add(*fields.here().find("parent"), fmt::format("no joint \"{}\" is defined above", name),
                          "name \"base\" or a joint listed before this one");
            return false;
        }
        out = static_cast<int>(joint->value);
        return true;
    }

    /// An attachment's joints are given in the frame of the mount that it is fitted to, and carry each other in their order.
    struct FittedTo {
        Frame frame;
        int parent;
    };

    void read_joint(const Node& node, const FittedTo* fitted = nullptr)
    {
        Fields fields(node, "the joint", problems_);
        Joint joint;
        fields.text("id", joint.id, true);
        if (machine_.find_joint(joint.id) || joint.id == "base") {
            problems_.add(node, fmt::format("the joint \"{}\" appears twice", joint.id), "give each joint a name of its own");
        }
        if (machine_.joints.size() == std::size_t(max_joints)) {
            problems_.add(node, fmt::format("more than {} joints", max_joints), "split the machine, or remove joints that don't move");
            return;
        }
        fields.choice<JointKind>("kind", joint.kind, {{"linear", JointKind::linear}, {"rotary", JointKind::rotary}}, true);
        const double unit = units_.of(joint.kind == JointKind::linear);
        if (fitted != nullptr) {
            joint.parent = fitted->parent;
        } else {
            parent(fields, joint.parent);
        }
        read_direction(fields, "direction", joint.direction, true);
        std::vector<double> v;
        if (fields.numbers("point", v, 3, json::any_length, joint.kind == JointKind::rotary)) {
            joint.point = Vec3(v[0], v[1], v[2]) * units_.length;
        }
        if (fitted != nullptr) {
            joint.direction = fitted->frame.linear() * joint.direction;
            joint.point = fitted->frame * joint.point;
            read_scale(fields, joint, *fitted);
        }
        std::size_t relative = 0;
        fields.choice("reading", relative, {"body", "tool-relative"});
        tool_relative_.push_back(relative == 1 ? fields.here().find("reading") : nullptr);
        joint.tool_relative = relative == 1;
        if (joint.tool_relative) {
            joint.direction = -joint.direction;
        }
        read_scaled(fields, "at", joint.at, unit, json::any_length);
        const Node* follows = fields.node("follows", Kind::object);
        follows_.push_back(follows);
        if (fields.numbers("travel", v, 2)) {
            joint.travel = Travel{v[0] * unit, v[1] * unit};
            if (v[0] >= v[1]) {
                problems_.add(*node.find("travel"), "the travel's low end is not below its high end", "write [low, high]");
            }
        } else if (joint.kind == JointKind::linear && !fields.has("travel") && !joint.by_hand && follows == nullptr) {
            problems_.add(node, fmt::format("the linear joint \"{}\" has no travel", joint.id), "add \"travel\": [low, high]");
        }
        joint.own_travel = joint.travel;
        read_home(fields, joint, unit, follows != nullptr);
        if (joint.travel && follows == nullptr && (joint.home < joint.travel->low - 1e-9 || joint.home > joint.travel->high + 1e-9)) {
            problems_.add(fields.has("home") ? *node.find("home") : node,
                          fmt::format("the home of \"{}\" lies outside its travel", joint.id), "give a home inside the travel");
        }
        if (joint.by_hand) {
            joint.speed = unit; // a person takes what time it takes; nothing is computed from it
        } else {
            read_scaled(fields, "speed", joint.speed, unit / 60, json::positive, follows == nullptr);
        }
        read_scaled(fields, "acceleration", joint.acceleration, unit, json::positive);
        read_scaled(fields, "jerk", joint.jerk, unit, json::positive);
        read_scaled(fields, "counts_per_unit", joint.counts_per_unit, 1 / unit, json::positive);
        fields.flag("rollover", joint.rollover);
        fields.choice<int>("preferred_sense", joint.preferred_sense, {{"none", 0}, {"positive", 1}, {"negative", -1}});
        fields.flag("moves_while_cutting", joint.moves_while_cutting);
        if (const Node* brake = fields.node("brake", Kind::object)) {
            Fields inner(*brake, "the brake", problems_);
            joint.brake = true;
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
        mount.name = mount.id;
        fields.text("name", mount.name);
        fields.choice<MountKind>("kind", mount.kind, {{"tool", MountKind::tool}, {"work", MountKind::work}}, true);
        parent(fields, mount.parent);
        mount.frame = read_frame(fields, units_, fmt::format("the mount \"{}\"", mount.id), true);
        fields.choice<bool>("carries", mount.blade, {{"tool", false}, {"blade", true}});
        fields.finish();
        machine_.mounts.push_back(std::move(mount));
    }

    void read_scale(Fields& fields, Joint& joint, const FittedTo& fitted)
    {
        const Node* node = fields.node("scale", Kind::object);
        if (node == nullptr) {
            return;
        }
        joint.by_hand = true;
        joint.moves_while_cutting = false;
        if (joint.kind != JointKind::rotary) {
            problems_.add(*node, fmt::format("the joint \"{}\" is linear; only a rotary one has a scale", joint.id),
                          "remove the scale, or make the joint rotary");
        }
        Fields scale(*node, fmt::format("the scale of \"{}\"", joint.id), problems_);
        std::vector<double> reads;
        if (scale.numbers("reads", reads, 2, {-360, 360}, true)) {
            joint.scale.low = reads[0] * units_.angle;
            joint.scale.high = reads[1] * units_.angle;
            const double width = joint.scale.high - joint.scale.low;
            if (width <= 0 || width > whole_turn + 1e-9 || reads[0] > 0 || reads[1] < 0) {
                problems_.add(*node->find("reads"), "the scale's readings are not a range of at most one turn about 0",
                              "write [0, 360] or [-180, 180]");
            } else if (width < whole_turn - 1e-9) {
                joint.travel = Travel{joint.scale.low, joint.scale.high};
            }
        }
        read_scaled(scale, "step", joint.scale.step, units_.angle, {0, 180});
        std::size_t sense = 0;
        scale.choice("rises", sense, {"clockwise", "counter-clockwise"}, true);
        joint.scale.clockwise = sense == 0;
        if (read_direction(scale, "seen_from", joint.scale.seen_from, true)) {
            joint.scale.seen_from = fitted.frame.linear() * joint.scale.seen_from;
            // Counter-clockwise is right-handed about the direction towards who looks.
            const double along = joint.direction.dot(joint.scale.seen_from) * (joint.scale.clockwise ? -1 : 1);
            if (along < 1 - 1e-6) {
                problems_.add(*node,
                              along < -1 + 1e-6 ? fmt::format("the scale of \"{}\" is of the wrong hand: its readings would fall {}",
                                                              joint.id, joint.scale.clockwise ? "clockwise" : "counter-clockwise")
                                                : fmt::format("the scale of \"{}\" is not seen along its axis", joint.id),
                              "the direction is how the body turns as the reading rises, right-handed: turn it round, or the scale");
            }
        }
        scale.finish();
    }

    /// Of an attachment: in the frame of the mount that it is fitted to.
    void read_fitted_body(const Node& node, const FittedTo& fitted, int first_joint)
    {
        Fields fields(node, "the body", problems_);
        Body body;
        fields.text("id", body.id, true);
        body.parent = fitted.parent;
        std::string joint;
        if (fields.text("parent", joint)) {
            const auto found = machine_.find_joint(joint);
            if (!found || int(found->value) < first_joint) {
                problems_.add(*node.find("parent"), fmt::format("\"{}\" is not a joint of the attachment", joint.substr(0, 40)),
                              "name one of its joints, or leave the key out");
            } else {
                body.parent = int(found->value);
            }
        }
        read_shape(fields, units_, body);
        fields.finish();
        body.frame = fitted.frame * body.frame;
        body.mount = int(machine_.mounts.size()); // which comes next
        fitted_bodies_.push_back(std::move(body));
    }

    void read_attachment(const Node& node)
    {
        Fields fields(node, "the attachment", problems_);
        Mount mount;
        mount.attachment = true;
        fields.text("id", mount.id, true);
        mount.name = mount.id;
        fields.text("name", mount.name);
        for (const Mount& other : machine_.mounts) {
            if (other.id == mount.id) {
                problems_.add(node, fmt::format("the mount \"{}\" appears twice", mount.id),
                              "give each mount and attachment a name of its own");
            }
        }
        const Mount* to = machine_.first_mount(MountKind::tool);
        if (to == nullptr) {
            problems_.add(node, "the machine has no tool mount that the attachment could be fitted to",
                          "add a tool mount under \"mounts\"");
            return;
        }
        mount.spindle = to->spindle;
        FittedTo fitted{to->frame, to->parent};
        const std::size_t own_joints = machine_.joints.size();
        fields.each_item("joints", [&](const Node& n) {
            const std::size_t before = machine_.joints.size();
            read_joint(n, &fitted);
            fitted.parent = machine_.joints.size() > before ? int(before) : fitted.parent;
        });
        mount.parent = fitted.parent;
        const FittedTo face{to->frame, to->parent};
        fields.each_item("bodies", [&](const Node& n) { read_fitted_body(n, face, int(own_joints)); });
        if (const Node* tool = fields.node("tool", Kind::object, true)) {
            read_fitted_tool(*tool, fitted.frame, mount);
        }
        read_gearing(fields, mount.gearing);
        read_coolant(fields, mount);
        if (const Node* messages = fields.node("messages", Kind::object, true)) {
            Fields inner(*messages, "the messages", problems_);
            inner.text("fit", mount.fit_message, true);
            inner.text("remove", mount.remove_message, true);
            inner.text("set", mount.set_message);
            inner.finish();
            const Node* set = messages->find("set");
            if (set != nullptr &&
                (mount.set_message.find("{joint}") == std::string::npos || mount.set_message.find("{reading}") == std::string::npos)) {
                problems_.add(*set, "the message does not say which joint is to be set, and to what",
                              "write {joint} and {reading} into it");
            }
        }
        Vec3 points;
        const bool zero = read_direction(fields, "zero", points, false);
        fields.finish();
        machine_.mounts.push_back(mount);
        if (zero && !problems_.any()) {
            check_zero(*node.find("zero"), fitted.frame.linear() * points);
        }
        attachment_nodes_.push_back(&node);
    }

    void read_fitted_tool(const Node& node, const Frame& fitted, Mount& mount)
    {
        Fields fields(node, "the attachment's tool", problems_);
        std::vector<double> at;
        fields.numbers("at", at, 3, json::any_length, true);
        Vec3 axis;
        const bool turned = read_direction(fields, "axis", axis, true);
        double gauge = 0;
        mount.measured = fields.number("gauge_length", gauge, json::any_length);
        fields.finish();
        if (at.size() == 3 && turned) {
            const Vec3 face = Vec3(at[0], at[1], at[2]) * units_.length - axis * (gauge * units_.length);
            mount.frame = fitted * frame_from(face, any_across(axis), axis);
        }
    }

    /// Where the tool points with every scale of the last attachment at 0.
    void check_zero(const Node& node, const Vec3& points)
    {
        Posture posture{std::uint32_t(machine_.mounts.size() - 1), {}};
        for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
            if (machine_.joints[i].by_hand) {
                posture.held.push_back({JointIndex(std::uint32_t(i)), 0});
            }
        }
        const auto made = Kinematics::make(machine_, posture);
        const double off = made ? angle_between(-made->tool_frame().linear().col(2), points) : 0;
        if (off > witness_axis_tolerance) {
            problems_.add(node, fmt::format("with its scales at 0 the tool points {:.4f} deg away from there", to_deg(off)),
                          "correct \"zero\", or \"at\" of the joint: its reading where the tool stands as \"axis\" says");
        }
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

    void read_apart(const Node& node)
    {
        Fields fields(node, "the pair", problems_);
        Apart apart;
        apart.place = document_.place_of(node.begin);
        std::vector<std::string> between;
        if (fields.texts("between", between, true) && between.size() != 2) {
            problems_.add(*node.find("between"), "a pair has two names", "write \"between\": [\"B\", \"Z\"]");
        }
        if (between.size() == 2) {
            apart.first = between[0];
            apart.second = between[1];
        }
        for (const std::string& name : between) {
            static const std::vector<std::string> others{"base", "tool", "cutter", "holder", "stock"};
            if (!machine_.find_joint(name) && std::find(others.begin(), others.end(), name) == others.end()) {
                problems_.add(*node.find("between"), fmt::format("\"{}\" is not a joint of the machine", name.substr(0, 40)),
                              "name a joint, or base, tool, cutter, holder or stock");
            }
        }
        double clearance = 0;
        if (fields.number("clearance", clearance, json::not_negative, true)) {
            apart.clearance = clearance * units_.length;
        }
        fields.finish();
        machine_.apart.push_back(std::move(apart));
    }

    void read_retract(Fields& root)
    {
        std::string name;
        if (!root.text("retract", name)) {
            return;
        }
        machine_.retract = machine_.find_joint(name);
        if (!machine_.retract || machine_.joints[machine_.retract->value].kind != JointKind::linear) {
            problems_.add(*root.here().find("retract"), fmt::format("\"{}\" is not a linear joint of this machine", name),
                          "name the linear joint that takes the tool away from the work");
            return;
        }
        if (const Relation* relation = machine_.relation_of(*machine_.retract)) {
            problems_.add(*root.here().find("retract"),
                          fmt::format("\"{}\" follows {}: it does not go home by itself", name, text_of(machine_, *relation)),
                          "name the joint that it follows");
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
                    "leave \"reading\" out: only a joint that carries the work can be read the other way");
            }
        }
        for (const Node* node : attachment_nodes_) {
            const auto mount = machine_.find_tool_mount(node->find("id")->text);
            if (mount && machine_.mounts[*mount].measured &&
                std::none_of(machine_.witnesses.begin(), machine_.witnesses.end(), [&](const Witness& w) { return w.mount == *mount; })) {
                problems_.add(*node, fmt::format("the attachment \"{}\" has no witness", node->find("id")->text),
                              "type in a pair of readings and tool pose with it, \"mount\" its name", ErrorKind::witness);
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
    std::vector<const Node*> attachment_nodes_;
    std::vector<Body> fitted_bodies_;
    std::vector<const Node*> tool_relative_; // the "reading" node where it says so, one a joint
    std::vector<const Node*> follows_;       // the "follows" node where it has one, one a joint
};

} // namespace

MachineDraft read_machine_draft(const json::Document& document)
{
    MachineDraft out;
    out.machine = Reader(document).draw();
    if (const auto whole = read_machine(document); !whole) {
        out.problem = whole.error();
    }
    return out;
}

Result<Machine> read_machine(const json::Document& document) { return Reader(document).read(); }

} // namespace wexilum
