#include "core/solve/goes_over.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double smooth = 0.1;      // of a move: nearer to the middle of its ends the joints go there without a jump
constexpr double same_turn = 1e-3;  // rad
constexpr double small_turn = 0.02; // rad: so little is not looked at in quarters
constexpr int deepest = 8;          // halvings of a piece
constexpr double past_end = 1e-9;   // mm or rad beyond travel

bool inside(const std::vector<Joint>& joints, const Readings& readings)
{
    for (std::size_t i = 0; i < joints.size(); ++i) {
        const auto& travel = joints[i].travel;
        const double reading = readings[Eigen::Index(i)];
        if (travel && (reading < travel->low - past_end || reading > travel->high + past_end)) {
            return false;
        }
    }
    return true;
}

/// A part of a cut between two places with the readings there.
struct Stretch {
    double s0;
    Readings from;
    double s1;
    Readings to;
};

/// How far rotary joints are from the middle of a stretch's ends where the cut has its middle; `found`: what they read there. Nothing
/// where the cut can't be there.
std::optional<double> off_middle(const PathSolver& solver, const PathPiece& way, double tool_length, const Stretch& part, Readings& found)
{
    const Readings middle = (part.from + part.to) / 2;
    auto there = solver.follow(way.at((part.s0 + part.s1) / 2), tool_length, middle);
    if (!there || !inside(solver.joints(), there->readings)) {
        return std::nullopt;
    }
    found = std::move(there->readings);
    double off = 0;
    for (std::size_t i = 0; i < solver.joints().size(); ++i) {
        const auto at = Eigen::Index(i);
        off = solver.joints()[i].kind == JointKind::rotary ? std::max(off, std::abs(found[at] - middle[at])) : off;
    }
    return off;
}

/// Near the middle of its ends the joints are where they would be in proportion, and so they are near the middles of both halves: at a
/// place that is alike on both sides, as where a cut goes right through a pole, the middle alone says nothing.
bool goes_over(const PathSolver& solver, const PathPiece& way, double tool_length, const Stretch& part, int depth)
{
    double most = 0;
    for (std::size_t i = 0; i < solver.joints().size(); ++i) {
        const auto at = Eigen::Index(i);
        most = solver.joints()[i].kind == JointKind::rotary ? std::max(most, std::abs(part.to[at] - part.from[at])) : most;
    }
    Readings middle;
    const auto off = off_middle(solver, way, tool_length, part, middle);
    if (!off) {
        return false;
    }
    if (most <= same_turn) {
        return true;
    }
    const double s = (part.s0 + part.s1) / 2;
    const Stretch first{part.s0, part.from, s, middle};
    const Stretch second{s, middle, part.s1, part.to};
    if (*off <= smooth * most) {
        Readings quarter;
        const auto before = most > small_turn ? off_middle(solver, way, tool_length, first, quarter) : 0;
        const auto after = most > small_turn ? off_middle(solver, way, tool_length, second, quarter) : 0;
        if (!before || !after) {
            return false;
        }
        if (std::max(*before, *after) <= smooth * most) {
            return true;
        }
    }
    return depth > 0 && goes_over(solver, way, tool_length, first, depth - 1) && goes_over(solver, way, tool_length, second, depth - 1);
}

} // namespace

bool goes_over(const PathSolver& solver, const PathPiece& way, double tool_length, const Readings& from, const Readings& to)
{
    return goes_over(solver, way, tool_length, {0, from, 1, to}, deepest);
}

} // namespace wexilum
