#include "core/advice/reach.hpp"

#include "core/base/units.hpp"
#include "core/task/postures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace wexilum {
namespace {

constexpr std::size_t most_listed_directions = 64;
constexpr double same_direction = 1e-3; // rad

/// What the turn of a reading with most to spare leaves to the nearer end of travel; negative where none is inside.
double most_to_spare(const Joint& joint, double reading)
{
    if (!joint.travel) {
        return std::numeric_limits<double>::infinity();
    }
    const double middle = (joint.travel->low + joint.travel->high) / 2;
    const double nearest = reading + whole_turn * std::round((middle - reading) / whole_turn);
    return std::min(nearest - joint.travel->low, joint.travel->high - nearest);
}

/// The least that any solution is beyond travel; nothing where one is inside, or the direction is out of reach, which posting reports.
std::optional<Overtravel> beyond(const InverseSolver& solver, const Machine& machine, const Pose& pose, double tool_length)
{
    if (!solver.within_travel(pose, tool_length, machine.home()).empty()) {
        return std::nullopt;
    }
    std::optional<Overtravel> best;
    double least = 1e300;
    for (const Candidate& candidate : solver.solve(pose, tool_length, machine.home()).list) {
        Overtravel worst;
        double sum = 0;
        for (const Overtravel& over : overtravels(machine, candidate.readings)) {
            sum += over.beyond;
            worst = over.beyond > worst.beyond ? over : worst;
        }
        if (sum > 0 && sum < least) {
            least = sum;
            best = worst;
        }
    }
    return best;
}

struct Box {
    Vec3 low = Vec3::Constant(1e300);
    Vec3 high = Vec3::Constant(-1e300);
};

Box box_of(const std::vector<Body>& bodies)
{
    Box out;
    for (const Body& body : bodies) {
        const double round = std::max(body.bottom, body.top);
        const Vec3 size = body.shape == Shape::box ? body.size : Vec3(round, round, body.length);
        for (int i = 0; i < 8; ++i) {
            const Vec3 corner = body.frame * Vec3(size.x() * ((i & 1) - 0.5), size.y() * ((i >> 1 & 1) - 0.5), size.z() * (i >> 2 & 1));
            out.low = out.low.cwiseMin(corner);
            out.high = out.high.cwiseMax(corner);
        }
    }
    return out;
}

/// The corners of the face that looks most towards the tool.
std::array<Vec3, 4> facing(const Box& box, const Vec3& axis)
{
    Eigen::Index across = 0;
    axis.cwiseAbs().maxCoeff(&across);
    const auto u = (across + 1) % 3;
    const auto v = (across + 2) % 3;
    std::array<Vec3, 4> out;
    for (int i = 0; i < 4; ++i) {
        Vec3& corner = out[std::size_t(i)];
        corner[across] = axis[across] > 0 ? box.high[across] : box.low[across];
        corner[u] = (i & 1) != 0 ? box.high[u] : box.low[u];
        corner[v] = (i & 2) != 0 ? box.high[v] : box.low[v];
    }
    return out;
}

/// What an operation lacks.
struct Lack {
    std::string operation;
    std::size_t directions = 0;
    std::size_t short_of = 0; ///< directions
    Overtravel worst;
    Vec3 axis = Vec3::UnitZ();
    Vec3 corner = Vec3::Zero();
};

} // namespace

Result<DirectionMap> DirectionMap::make(const Machine& machine, const Posture& posture)
{
    const auto kinematics = Kinematics::make(machine, posture);
    if (!kinematics) {
        return kinematics.error();
    }
    auto solver = InverseSolver::make(*kinematics, true);
    if (!solver) {
        return solver.error();
    }
    return DirectionMap(machine, std::move(*solver));
}

DirectionAt DirectionMap::at(const Vec3& axis) const
{
    const Branches found = solver_.branches(axis);
    DirectionAt out;
    out.pole = found.count > 0 ? found.pole : 10;
    double best = -1;
    for (int branch = 0; branch < found.count; ++branch) {
        double margin = std::numeric_limits<double>::infinity();
        for (std::size_t i = 0; i < solver_.rotary().size(); ++i) {
            const bool free = i == 0 && found.pole < pole_free; // any reading will do
            margin =
                free ? margin
                     : std::min(margin, most_to_spare(machine_->joints[solver_.rotary()[i].value], found.turns[std::size_t(branch)][i]));
        }
        if (margin >= -1e-9) {
            ++out.branches;
            best = std::max(best, margin);
        }
    }
    out.margin = out.branches > 0 ? std::max(0.0, best) : out.margin;
    return out;
}

Result<DirectionReach> direction_reach(const Machine& machine, const Posture& posture, std::size_t samples)
{
    const auto map = DirectionMap::make(machine, posture);
    if (!map) {
        return map.error();
    }
    const auto points_to = [&](const Vec3& axis) { return map->at(axis).branches > 0; };
    DirectionReach out;
    out.any_turns = !map->solver().rotary().empty();
    std::size_t upper = 0;
    std::size_t lower = 0;
    double nearest_missed = pi;
    const double golden = pi * (3 - std::sqrt(5.0));
    for (std::size_t i = 0; i < samples; ++i) { // on a spiral, each with the same share of the sphere
        const double z = 1 - (2 * double(i) + 1) / double(samples);
        const double r = std::sqrt(std::max(0.0, 1 - z * z));
        const Vec3 axis(r * std::cos(golden * double(i)), r * std::sin(golden * double(i)), z);
        if (points_to(axis)) {
            ++(z > 0 ? upper : lower);
        } else {
            nearest_missed = std::min(nearest_missed, std::acos(z));
        }
    }
    const double half = double(samples) / 2;
    out.upper = double(upper) / half;
    out.lower = double(lower) / half;
    out.all_within = points_to(Vec3::UnitZ()) ? nearest_missed : 0;
    return out;
}

std::vector<std::string> reach_remarks(const Machine& machine)
{
    std::vector<std::string> out;
    for (std::uint32_t i = 0; i < machine.mounts.size(); ++i) {
        if (machine.mounts[i].kind != MountKind::tool || machine.mounts[i].blade) {
            continue; // a blade points along its cut
        }
        Posture posture = machine.at_rest();
        posture.mount = i;
        const auto reach = direction_reach(machine, posture);
        if (!reach || !reach->any_turns) {
            continue; // aligned joints have to be parked first; without a turn there is one direction
        }
        const auto share = [](double part) { return fmt::format("{:.0f} %", std::floor(part * 100 + 1e-9)); };
        out.push_back(
            fmt::format("{}: tool axes reached: {} of those above the work, {} of those below; every one up to {:.0f} deg from its Z",
                        machine.mounts[i].id, share(reach->upper), share(reach->lower), std::floor(to_deg(reach->all_within))));
    }
    for (const Joint& joint : machine.joints) {
        if (joint.counts_per_unit > 0) {
            const double one = 1 / joint.counts_per_unit;
            out.push_back(joint.kind == JointKind::linear ? fmt::format("{}: one count is {:.3g} mm", joint.id, one)
                                                          : fmt::format("{}: one count is {:.3g} deg, {:.3g} mm at 100 mm from its axis",
                                                                        joint.id, to_deg(one), one * 100));
        }
    }
    return out;
}

std::vector<std::string> box_remarks(const Assembly& assembly)
{
    std::vector<Lack> lacks;
    PostureFollower postures(assembly);
    std::vector<Vec3> done;
    double tool_length = 0;
    for (const Record& record : assembly.toolpath.records) {
        if (const auto* begun = std::get_if<record::Operation>(&record.data)) {
            if (postures.any()) {
                (void)postures.begin_operation(lacks.size());
            }
            lacks.push_back({begun->id, 0, 0, {}, Vec3::UnitZ(), Vec3::Zero()});
            done.clear();
        }
        if (const auto* change = std::get_if<record::ToolChange>(&record.data)) {
            const Tool* tool = assembly.setup.find_tool(change->number);
            tool_length = tool != nullptr ? tool->length.value_or(0) : 0;
        }
        const Pose* end = end_pose(record.data);
        if (end == nullptr || lacks.empty() || assembly.work_of(lacks.size() - 1).stock.empty()) {
            continue;
        }
        Pose pose = *end;
        if (postures.any()) {
            (void)postures.motion(pose, std::holds_alternative<record::Rapid>(record.data));
        }
        const bool known =
            std::any_of(done.begin(), done.end(), [&](const Vec3& axis) { return angle_between(axis, pose.axis) < same_direction; });
        if (known || done.size() >= most_listed_directions) {
            continue;
        }
        done.push_back(pose.axis);
        Lack& lack = lacks.back();
        ++lack.directions;
        const InverseSolver& solver = postures.any() ? postures.solver() : *assembly.solver;
        bool missed = false;
        for (const Vec3& corner : facing(box_of(assembly.work_of(lacks.size() - 1).stock), pose.axis)) {
            const auto over = beyond(solver, assembly.machine, transformed(assembly.setup.part(), {corner, pose.axis}), tool_length);
            missed = missed || over;
            if (over && over->beyond > lack.worst.beyond) {
                lack.worst = *over;
                lack.axis = pose.axis;
                lack.corner = corner;
            }
        }
        lack.short_of += missed ? 1 : 0;
    }
    std::vector<std::string> out;
    for (const Lack& lack : lacks) {
        if (lack.short_of > 0) {
            out.push_back(
                fmt::format("operation {}: the stock's box is not within travel at {} of {} tool directions; worst with the tool along "
                            "{:.4f} {:.4f} {:.4f} at the corner {:.1f} {:.1f} {:.1f}: {}",
                            lack.operation, lack.short_of, lack.directions, lack.axis.x(), lack.axis.y(), lack.axis.z(), lack.corner.x(),
                            lack.corner.y(), lack.corner.z(), text_of(assembly.machine, lack.worst)));
        }
    }
    return out;
}

} // namespace wexilum
