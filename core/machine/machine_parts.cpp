#include "core/machine/machine_parts.hpp"

#include "core/base/units.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

#include <cmath>
#include <set>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

constexpr double unit_tolerance = 1e-6;

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
    for (const Joint& joint : machine.joints) {
        if (!given.contains(joint.id) && !joint.by_hand) {
            problems.add(node, fmt::format("the witness does not read the joint \"{}\"", joint.id), "give every joint's reading");
        }
    }
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
        const Kinematics kinematics = std::move(Kinematics::make(machine, {witness.mount, {}})).value();
        const Pose pose = kinematics.pose(witness.readings, witness.tool_length);
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
