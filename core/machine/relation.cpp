// Joints that follow others: what they read, and what they leave of their leaders' travel and speed.
#include "core/base/json_patch.hpp"
#include "core/base/units.hpp"
#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

constexpr double follows_exactly = 1e-6; // mm or rad: figures of files are rounded

Joint& joint_at(Machine& machine, JointIndex joint) { return machine.joints[joint.value]; }
const Joint& joint_at(const Machine& machine, JointIndex joint) { return machine.joints[joint.value]; }

/// "12.5 mm"
std::string amount_of(const Joint& joint, double value)
{
    return joint.kind == JointKind::rotary ? fmt::format("{:g} deg", to_deg(value)) : fmt::format("{:g} mm", value);
}

/// What the leaders' own travel makes of a follower's; nothing where one of them has no end.
std::optional<Travel> reached(const Machine& machine, const Relation& relation)
{
    Travel out{relation.offset, relation.offset};
    for (const Relation::Leader& leader : relation.leaders) {
        const auto& travel = joint_at(machine, leader.joint).own_travel;
        if (!travel) {
            return std::nullopt;
        }
        const double low = leader.factor * travel->low;
        const double high = leader.factor * travel->high;
        out.low += std::min(low, high);
        out.high += std::max(low, high);
    }
    return out;
}

void narrow(Machine& machine, const Relation& relation)
{
    const Relation::Leader& only = relation.leaders.front();
    const Joint& follower = joint_at(machine, relation.follower);
    Joint& leader = joint_at(machine, only.joint);
    const double factor = std::abs(only.factor);
    leader.speed = std::min(leader.speed, follower.speed / factor);
    const auto least = [&](double& own, double bound) { own = bound > 0 && (own == 0 || bound / factor < own) ? bound / factor : own; };
    least(leader.acceleration, follower.acceleration);
    least(leader.jerk, follower.jerk);
    if (!follower.own_travel) {
        return;
    }
    Travel room{(follower.own_travel->low - relation.offset) / only.factor, (follower.own_travel->high - relation.offset) / only.factor};
    if (only.factor < 0) {
        std::swap(room.low, room.high);
    }
    const int by = int(relation.follower.value);
    if (!leader.travel || room.low > leader.travel->low + follows_exactly) {
        leader.ends_by[0] = by;
    }
    if (!leader.travel || room.high < leader.travel->high - follows_exactly) {
        leader.ends_by[1] = by;
    }
    leader.travel = leader.travel ? Travel{std::max(leader.travel->low, room.low), std::min(leader.travel->high, room.high)} : room;
}

} // namespace

void bring_followers(const Machine& machine, Readings& readings)
{
    for (const Relation& relation : machine.relations) {
        readings[Eigen::Index(relation.follower.value)] = relation.reading(readings);
    }
}

const Relation* Machine::relation_of(JointIndex follower) const
{
    const auto found = std::find_if(relations.begin(), relations.end(), [&](const Relation& r) { return r.follower == follower; });
    return found == relations.end() ? nullptr : &*found;
}

std::string text_of(const Machine& machine, const Relation& relation)
{
    const bool turns = joint_at(machine, relation.follower).kind == JointKind::rotary;
    std::vector<SumTerm> sum;
    for (const Relation::Leader& leader : relation.leaders) {
        const Joint& joint = joint_at(machine, leader.joint);
        const bool mixed = (joint.kind == JointKind::rotary) != turns;
        const double factor = !mixed ? leader.factor : turns ? to_deg(leader.factor) : to_rad(leader.factor);
        sum.push_back({factor, !mixed ? "" : turns ? " deg/mm" : " mm/deg", joint.id});
    }
    if (relation.offset != 0) {
        sum.push_back({turns ? to_deg(relation.offset) : relation.offset, turns ? " deg" : " mm", {}});
    }
    return sum_text(sum);
}

std::string sum_text(const std::vector<SumTerm>& terms)
{
    std::string out;
    for (const SumTerm& term : terms) {
        const bool one = std::abs(term.value) == 1 && term.unit.empty() && !term.of.empty();
        out += out.empty() ? (term.value < 0 ? "-" : "") : term.value < 0 ? " - " : " + ";
        out += one ? term.of : json::number_text(std::abs(term.value)) + term.unit + (term.of.empty() ? "" : " * " + term.of);
    }
    return out;
}

void read_home(Fields& fields, Joint& joint, double unit, bool follows)
{
    if (follows && fields.has("home")) {
        fields.allow({"home"});
        fields.problem(*fields.here().find("home"), fmt::format("\"{}\" follows others: its home is where they bring it", joint.id),
                       "leave \"home\" out");
        return;
    }
    read_scaled(fields, "home", joint.home, unit, json::any_length);
}

void read_relation(const Node& follows, JointIndex follower, const FileUnits& units, Machine& machine, json::Problems& problems)
{
    const Joint& joint = joint_at(machine, follower);
    Fields fields(follows, fmt::format("what \"{}\" follows", joint.id), problems);
    Relation relation;
    relation.follower = follower;
    const double unit = units.of(joint.kind == JointKind::linear);
    read_scaled(fields, "offset", relation.offset, unit, json::any_length);
    fields.each_member(
        "leaders",
        [&](const std::string& id, const Node& factor) {
            const auto found = machine.find_joint(id);
            if (!found || *found == follower || factor.kind != Kind::number || factor.number == 0 || std::abs(factor.number) > 1e6) {
                problems.add(factor,
                             !found               ? fmt::format("\"{}\" is not a joint of the machine", id.substr(0, 40))
                             : *found == follower ? fmt::format("\"{}\" follows itself", id)
                                                  : fmt::format("the factor of \"{}\" is not a number other than 0", id),
                             "write {\"X\": 1}: each joint that it moves with, and how far for one unit of it");
                return;
            }
            const Joint& leader = joint_at(machine, *found);
            if (leader.by_hand || joint.by_hand) {
                problems.add(factor,
                             fmt::format("\"{}\" is set by hand: it neither follows nor leads", (joint.by_hand ? joint : leader).id),
                             "let joints follow that the control moves");
                return;
            }
            relation.leaders.push_back({*found, factor.number * unit / units.of(leader.kind == JointKind::linear)});
        },
        true);
    fields.finish();
    if (relation.leaders.empty() && !problems.any()) {
        problems.add(follows, fmt::format("\"{}\" follows no joint", joint.id), "name one under \"leaders\", or leave \"follows\" out");
    }
    if (!relation.leaders.empty()) {
        machine.relations.push_back(std::move(relation));
    }
}

void settle_relations(Machine& machine)
{
    for (const Relation& relation : machine.relations) {
        Joint& follower = joint_at(machine, relation.follower);
        follower.home = relation.sum([&](JointIndex j) { return joint_at(machine, j).home; });
        follower.travel = follower.own_travel ? follower.own_travel : reached(machine, relation);
        if (follower.speed == 0) {
            for (const Relation::Leader& leader : relation.leaders) {
                follower.speed += std::abs(leader.factor) * joint_at(machine, leader.joint).speed;
            }
        }
        for (const Relation::Leader& leader : relation.leaders) {
            joint_at(machine, leader.joint).travel = joint_at(machine, leader.joint).own_travel;
            joint_at(machine, leader.joint).ends_by = {-1, -1};
        }
    }
    for (const Relation& relation : machine.relations) {
        if (relation.leaders.size() == 1) { // of several none is to blame: their sum is looked at where they go
            narrow(machine, relation);
        }
    }
}

void check_relations(const Machine& machine, const std::vector<const Node*>& follows, json::Problems& problems)
{
    for (std::size_t i = 0; i < machine.relations.size(); ++i) {
        const Relation& relation = machine.relations[i];
        const Joint& follower = joint_at(machine, relation.follower);
        for (const Relation::Leader& leader : relation.leaders) {
            if (machine.relation_of(leader.joint) != nullptr) {
                problems.add(*follows[i],
                             fmt::format("\"{}\" follows {}, which follows others itself", follower.id, joint_at(machine, leader.joint).id),
                             "name the joints that lead both");
                return;
            }
        }
        const double drawn = relation.sum([&](JointIndex j) { return joint_at(machine, j).at; });
        if (std::abs(drawn - follower.at) > follows_exactly) {
            problems.add(*follows[i],
                         fmt::format("as the machine is drawn \"{}\" reads {}, but what it follows brings it to {}", follower.id,
                                     amount_of(follower, follower.at), amount_of(follower, drawn)),
                         "correct its \"at\", a factor or the offset");
        }
        if (follower.travel && (follower.home < follower.travel->low - 1e-9 || follower.home > follower.travel->high + 1e-9)) {
            problems.add(*follows[i],
                         fmt::format("while what it follows is at home, \"{}\" stands at {}, outside its travel", follower.id,
                                     amount_of(follower, follower.home)),
                         "correct its travel, a factor or the offset");
        }
    }
}

} // namespace wexilum
