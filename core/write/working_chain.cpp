#include "core/write/working_chain.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double out_of_square = 1e-3; // cosine: less changes no feed that anybody would see

bool is_skewed(const InverseSolver& solver)
{
    bool skewed = false;
    for (const JointIndex a : solver.linear()) {
        for (const JointIndex b : solver.linear()) {
            const double product = solver.kinematics().way_of(a).dot(solver.kinematics().way_of(b));
            skewed = skewed || std::abs(product - (a == b ? 1 : 0)) > out_of_square;
        }
    }
    return skewed;
}

} // namespace

WorkingChain working_chain(const Assembly& assembly, const ProgramFrame& frame, const InverseSolver& solver, const WordEmitter& emitter,
                           std::optional<std::size_t> away)
{
    WorkingChain out;
    std::vector<std::size_t> chain = frame.chain();
    std::stable_sort(chain.begin(), chain.end(), [&](std::size_t a, std::size_t b) { return emitter.axis_rank(a) < emitter.axis_rank(b); });
    for (const std::size_t i : chain) {
        const Joint& joint = assembly.machine.joints[i];
        constexpr double infinite = std::numeric_limits<double>::infinity();
        const std::uint32_t bit = 1U << out.joints.size();
        out.rotary_bits |= frame.is_rotary()[i] ? bit : 0;
        (frame.is_rotary()[i] ? out.rotary : out.linear) |= bit_of(i);
        out.positioned_bits |= joint.moves_while_cutting ? 0 : bit;
        out.joints.push_back({i, 1 / joint.speed, joint.travel ? joint.travel->low - travel_room : -infinite,
                              joint.travel ? joint.travel->high + travel_room : infinite, frame.quantity(i)});
    }
    const Kinematics& kinematics = solver.kinematics();
    out.tool_turns = std::any_of(kinematics.links().begin(), kinematics.links().end(), [&](const Kinematics::Link& link) {
        return link.sign > 0 && kinematics.joints()[link.joint.value].kind == JointKind::rotary;
    });
    out.skewed = is_skewed(solver);
    const auto along = [&](std::optional<std::size_t> joint) {
        const Vec3 axis = kinematics.length_direction();
        return out.tool_turns || !joint || kinematics.joints()[*joint].direction.cross(axis).norm() < 1e-6;
    };
    out.beside = !along(away);
    out.length_register_acts = along(frame.length_joint());
    return out;
}

} // namespace wexilum
