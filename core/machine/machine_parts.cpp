#include "core/machine/machine_parts.hpp"

#include "core/base/units.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <utility>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

constexpr double unit_tolerance = 1e-6;

/// Whether every joint that has a reading of its own is read, and those that follow others where these bring them.
void check_given(const Node& node, const Machine& machine, const std::set<std::string>& given, const Witness& witness,
                 json::Problems& problems)
{
    Readings led = witness.readings;
    bring_followers(machine, led);
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        const Relation* relation = machine.relation_of(JointIndex(std::uint32_t(i)));
        if (relation != nullptr && given.contains(joint.id)) {
            const bool rotary = joint.kind == JointKind::rotary;
            const double off = std::abs(led[Eigen::Index(i)] - witness.readings[Eigen::Index(i)]);
            if (off > (rotary ? witness_axis_tolerance : witness_tip_tolerance)) {
                problems.add(node,
                             fmt::format("the witness \"{}\" reads \"{}\" {:.4f} {} beside {}, which it follows", witness.name, joint.id,
                                         rotary ? to_deg(off) : off, rotary ? "deg" : "mm", text_of(machine, *relation)),
                             "correct the factor or the offset of what it follows, or the reading", ErrorKind::witness);
            }
        } else if (relation == nullptr && !given.contains(joint.id) && !joint.by_hand) {
            problems.add(node, fmt::format("the witness does not read the joint \"{}\"", joint.id), "give every joint's reading");
        }
    }
}

} // namespace

bool read_direction(Fields& fields, const char* key, Vec3& out, bool required)
{
    std::vector<double> v;
    if (!fields.numbers(key, v, 3, {-1.001, 1.001}, required)) {
        return false;
    }
    const Vec3 read(v[0], v[1], v[2]);
    const double length = read.norm();
    if (std::abs(length - 1) > unit_tolerance) {
        fields.problem(*fields.here().find(key), fmt::format("\"{}\" has length {:.7f}, not 1", key, length),
                       "give a unit vector with seven decimals or more");
        return false;
    }
    out = read / length;
    return true;
}

Vec3 read_point(Fields& fields, const char* key, const FileUnits& units, bool required)
{
    std::vector<double> v{0, 0, 0};
    fields.numbers(key, v, 3, json::any_length, required);
    return Vec3(v[0], v[1], v[2]) * units.length;
}

void read_scaled(Fields& fields, const char* key, double& out, double factor, json::Range range, bool required)
{
    double value = 0;
    if (fields.number(key, value, range, required)) {
        out = value * factor;
    }
}

Witness read_witness(const Node& node, const json::Document& document, const FileUnits& units, const Machine& machine,
                     json::Problems& problems)
{
    Fields fields(node, "the witness", problems);
    Witness witness;
    witness.place = document.place_of(node.begin);
    fields.text("name", witness.name, true);
    fields.text("origin", witness.origin);
    witness.readings = machine.home();
    witness.mount = machine.at_rest().mount;
    std::string mount;
    if (fields.text("mount", mount)) {
        const auto found = machine.find_tool_mount(mount);
        if (!found) {
            problems.add(*node.find("mount"), fmt::format("the machine has no tool mount and no attachment \"{}\"", mount),
                         "name the one that the witness was read with");
        }
        witness.mount = found.value_or(witness.mount);
    }
    const Mount* first = machine.first_mount(MountKind::work);
    witness.work = first != nullptr ? std::uint32_t(first - machine.mounts.data()) : 0;
    std::string work;
    if (fields.text("work", work)) {
        const auto found = machine.find_work_mount(work);
        if (!found) {
            problems.add(*node.find("work"), fmt::format("the machine has no work mount \"{}\"", work.substr(0, 40)),
                         "name the one that the witness's tip and axis are seen from");
        }
        witness.work = found.value_or(witness.work);
    }
    std::set<std::string> given;
    fields.each_member(
        "readings",
        [&](const std::string& id, const Node& value) {
            const auto joint = machine.find_joint(id);
            if (!joint || value.kind != Kind::number || std::abs(value.number) > 1e7) {
                problems.add(value, fmt::format("\"{}\" in the readings must be a joint with a number", id),
                             "give one number for each joint of the machine");
                return;
            }
            given.insert(id);
            const bool linear = machine.joints[joint->value].kind == JointKind::linear;
            witness.readings[Eigen::Index(joint->value)] = value.number * units.of(linear);
        },
        true);
    check_given(node, machine, given, witness, problems);
    bring_followers(machine, witness.readings);
    read_scaled(fields, "tool_length", witness.tool_length, units.length, json::not_negative);
    std::vector<double> v;
    if (fields.numbers("tip", v, 3, json::any_length, true)) {
        witness.pose.tip = Vec3(v[0], v[1], v[2]) * units.length;
    }
    read_direction(fields, "axis", witness.pose.axis, true);
    fields.finish();
    return witness;
}

void check_witnesses(const Machine& machine, const std::vector<Witness>& witnesses, const Node& list, json::Problems& problems)
{
    for (std::size_t i = 0; i < witnesses.size(); ++i) {
        const Witness& witness = witnesses[i];
        const Pose pose = pose_of(machine, witness).value();
        const double tip = (pose.tip - witness.pose.tip).norm();
        const double axis = angle_between(pose.axis, witness.pose.axis);
        if (tip > witness_tip_tolerance || axis > witness_axis_tolerance) {
            problems.add(list.items[i],
                         fmt::format("the witness \"{}\" is missed: the tip comes to {:.4f}, {:.4f}, {:.4f} mm, {:.4f} mm off, the "
                                     "tool axis {:.4f} deg off",
                                     witness.name, pose.tip.x(), pose.tip.y(), pose.tip.z(), tip, to_deg(axis)),
                         "check the signs, points and zeros of the joints, or the witness itself", ErrorKind::witness);
            return;
        }
    }
}

void read_gearing(Fields& fields, Gearing& out)
{
    const Node* node = fields.node("gearing", Kind::object);
    if (node == nullptr) {
        return;
    }
    Fields gearing(*node, "the gearing", fields.problems());
    gearing.number("ratio", out.ratio, {1e-3, 1e3}, true);
    gearing.flag("reversed", out.reversed);
    gearing.number("most_speed", out.most_speed, json::positive);
    gearing.finish();
}

void read_coolant(Fields& fields, Mount& mount)
{
    std::vector<std::string> kinds;
    if (!fields.texts("coolant", kinds)) {
        return;
    }
    for (const std::string& kind : kinds) {
        if (kind != "flood" && kind != "mist" && kind != "through" && kind != "air") {
            fields.problems().add(*fields.here().find("coolant"), fmt::format("\"{}\" is not a coolant", kind.substr(0, 40)),
                                  "write flood, mist, through or air");
        }
    }
    mount.coolant = std::move(kinds);
}

void read_spindle(const Node& node, Machine& machine, json::Problems& problems)
{
    Fields fields(node, "the spindle", problems);
    Spindle spindle;
    fields.text("id", spindle.id, true);
    for (const Spindle& other : machine.spindles) {
        if (other.id == spindle.id) {
            problems.add(node, fmt::format("the spindle \"{}\" appears twice", spindle.id.substr(0, 40)), "give each a name of its own");
        }
    }
    const int place = int(machine.spindles.size());
    std::string turns;
    if (fields.text("turns", turns, true)) {
        const auto found = std::find_if(machine.mounts.begin(), machine.mounts.end(), [&](const Mount& m) { return m.id == turns; });
        if (found == machine.mounts.end()) {
            problems.add(*node.find("turns"), fmt::format("\"{}\" is not a mount of the machine", turns.substr(0, 40)),
                         "name the mount that the spindle turns");
        } else if (std::exchange(found->spindle, place) >= 0) {
            problems.add(*node.find("turns"), fmt::format("\"{}\" is turned by another spindle already", turns.substr(0, 40)),
                         "let one spindle turn it");
        }
    }
    std::vector<double> speed(2, 0.0);
    if (fields.numbers("speed", speed, 2, json::not_negative, true)) {
        spindle.least_speed = speed[0];
        spindle.most_speed = speed[1];
        if (speed[1] <= speed[0]) {
            problems.add(*node.find("speed"), "the spindle's highest speed is not above its lowest", "write [lowest, highest], in rpm");
        }
    }
    fields.number("run_up", spindle.run_up, json::positive);
    std::string joint;
    if (fields.text("joint", joint)) {
        const auto found = machine.find_joint(joint);
        if (!found || machine.joints[found->value].kind != JointKind::rotary) {
            problems.add(*node.find("joint"), fmt::format("\"{}\" is not a rotary joint of this machine", joint.substr(0, 40)),
                         "name the joint that the spindle also is, or leave the key out");
        } else {
            spindle.joint = int(found->value);
        }
    }
    fields.finish();
    machine.spindles.push_back(std::move(spindle));
}

Status check_forms(const Machine& machine, const ReadingForms& forms)
{
    for (const auto& [id, form] : forms) {
        const auto joint = machine.find_joint(id);
        const bool turns = joint && machine.joints[joint->value].kind == JointKind::rotary;
        if (joint && turns != form.angle) {
            return Error{ErrorKind::value,
                         turns ? fmt::format("{} turns, but its value is a length", id)
                               : fmt::format("{} does not turn, but its value is an angle", id),
                         form.place,
                         turns ? "write {\"angle\": value}, in the file's unit of angles"
                               : "write the number alone, in the file's unit of lengths"};
        }
    }
    return {};
}

} // namespace wexilum
