#include "core/machine/overlay.hpp"

#include "core/base/units.hpp"
#include "core/machine/kinematics.hpp"
#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

constexpr const char* too_far_cure = "measure again; what differs so much belongs into the machine's own file";

class OverlayReader {
public:
    OverlayReader(const Machine& machine, const json::Document& document) : machine_(machine), document_(document), problems_(document) {}

    Result<Machine> read(const std::string& machine_path)
    {
        Fields root(document_.root(), "the overlay", problems_);
        json::check_format(root, "overlay/1");
        units_ = read_units(root);
        std::string text;
        if (root.text("machine", text, true) && text != machine_path) {
            problems_.add(*document_.root().find("machine"), fmt::format("the overlay belongs to {}, the post to {}", text, machine_path),
                          "name an overlay of the post's machine in the job");
        }
        root.text("name", text, true);
        root.text("description", text);
        root.each_member("joints", [&](const std::string& id, const Node& node) { joint(id, node); });
        root.each_member("mounts", [&](const std::string& id, const Node& node) { mount(id, node); });
        machine_.witnesses.clear();
        root.each_item("witnesses",
                       [&](const Node& node) { machine_.witnesses.push_back(read_witness(node, document_, units_, machine_, problems_)); });
        root.finish();
        settle_relations(machine_);
        if (!problems_.any() && !machine_.witnesses.empty()) {
            check_witnesses(machine_, machine_.witnesses, *document_.root().find("witnesses"), problems_);
        }
        if (problems_.any()) {
            return problems_.status().error();
        }
        return std::move(machine_);
    }

private:
    void way(const Node& at, const std::string& what, double mm)
    {
        if (mm > overlay_most_way) {
            problems_.add(at,
                          fmt::format("{} is {:.3f} mm from the drawing's; at most {:g} mm count as measured", what, mm, overlay_most_way),
                          too_far_cure);
        }
    }
    void turn(const Node& at, const std::string& what, double rad)
    {
        if (rad > overlay_most_turn) {
            problems_.add(at,
                          fmt::format("{} is turned by {:.3f} deg against the drawing's; at most {:.0f} deg count as measured", what,
                                      to_deg(rad), to_deg(overlay_most_turn)),
                          too_far_cure);
        }
    }

    void joint(const std::string& id, const Node& node)
    {
        const auto found = machine_.find_joint(id);
        if (!found) {
            problems_.add(node, fmt::format("the machine has no joint \"{}\"", id), "name one of its joints");
            return;
        }
        Joint& joint = machine_.joints[found->value];
        Fields fields(node, fmt::format("the joint {}", id), problems_);
        const bool linear = joint.kind == JointKind::linear;
        Vec3 direction;
        if (read_direction(fields, "direction", direction, false)) {
            direction = joint.tool_relative ? Vec3(-direction) : direction;
            turn(*node.find("direction"), fmt::format("the direction of {}", id), angle_between(direction, joint.direction));
            joint.direction = direction;
        }
        std::vector<double> v;
        if (fields.numbers("point", v, 3)) {
            const Vec3 point = Vec3(v[0], v[1], v[2]) * units_.length;
            // Any point of an axis will do: what counts is how far the axes are apart.
            const Vec3 off = point - joint.point;
            way(*node.find("point"), fmt::format("the axis of {}", id),
                linear ? off.norm() : (off - joint.direction * joint.direction.dot(off)).norm());
            joint.point = point;
        }
        const double before = joint.at;
        read_scaled(fields, "at", joint.at, units_.of(linear), json::any_length);
        const double shift = std::abs(joint.at - before);
        if (shift > 0) {
            linear ? way(*node.find("at"), fmt::format("the zero of {}", id), shift)
                   : turn(*node.find("at"), fmt::format("the zero of {}", id), shift);
        }
        if (fields.numbers("travel", v, 2)) {
            joint.own_travel = joint.travel = Travel{v[0] * units_.of(linear), v[1] * units_.of(linear)};
            if (v[0] >= v[1] || joint.home < joint.travel->low - 1e-9 || joint.home > joint.travel->high + 1e-9) {
                problems_.add(*node.find("travel"), fmt::format("the travel of {} does not hold its home", id),
                              "write [low, high] round the home");
            }
        }
        fields.finish();
    }

    void mount(const std::string& id, const Node& node)
    {
        for (Mount& mount : machine_.mounts) {
            if (mount.id == id) {
                Fields fields(node, fmt::format("the mount {}", id), problems_);
                const Frame frame = read_frame(fields, units_, fmt::format("the mount \"{}\"", id), true);
                fields.finish();
                way(node, fmt::format("the point of {}", id), (frame.translation() - mount.frame.translation()).norm());
                turn(node, fmt::format("the mount {}", id), Eigen::AngleAxisd(frame.linear().transpose() * mount.frame.linear()).angle());
                mount.frame = frame;
                return;
            }
        }
        problems_.add(node, fmt::format("the machine has no mount \"{}\"", id), "name one of its mounts");
    }

    Machine machine_;
    const json::Document& document_;
    json::Problems problems_;
    FileUnits units_;
};

} // namespace

Result<Machine> with_overlay(const Machine& machine, const std::string& machine_path, const json::Document& document)
{
    return OverlayReader(machine, document).read(machine_path);
}

Result<std::string> machine_of_overlay(const json::Document& document)
{
    const Node* node = document.root().find("machine");
    const bool usable = node != nullptr && node->kind == Kind::string && !node->text.empty() && node->text[0] != '/' &&
                        node->text.find("..") == std::string::npos;
    if (!usable) {
        return Error{ErrorKind::value, "the overlay does not say which machine it belongs to",
                     document.place_of(node != nullptr ? node->begin : document.root().begin),
                     "add \"machine\": the machine's file, from the project's folder"};
    }
    return node->text;
}

} // namespace wexilum
