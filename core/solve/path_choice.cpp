#include "core/solve/path_choice.hpp"

#include "core/base/units.hpp"
#include "core/geometry/path_piece.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double calm_turn = 0.35; // rad: a rotary joint that turns less is on its sheet without a closer look
constexpr int deepest_look = 12;   // halvings of one move while following a sheet

double largest_turn(const InverseSolver& solver, const Readings& a, const Readings& b)
{
    double most = 0;
    for (const JointIndex j : solver.rotary()) {
        most = std::max(most, std::abs(a[Eigen::Index(j.value)] - b[Eigen::Index(j.value)]));
    }
    return most;
}

double total_turn(const InverseSolver& solver, const Readings& a, const Readings& b)
{
    double sum = 0;
    for (const JointIndex j : solver.rotary()) {
        sum += std::abs(a[Eigen::Index(j.value)] - b[Eigen::Index(j.value)]);
    }
    return sum;
}

/// The candidate whose rotary joints are nearest to `near`; ties to the first branch.
std::optional<Candidate> nearest(const InverseSolver& solver, const Pose& pose, double tool_length, const Readings& near)
{
    std::optional<Candidate> best;
    double least = 0;
    for (Candidate& candidate : solver.solve(pose, tool_length, near).list) {
        const double turn = largest_turn(solver, candidate.readings, near);
        if (!best || turn < least - 1e-12) {
            best = std::move(candidate);
            least = turn;
        }
    }
    return best;
}

std::optional<Candidate> follow_part(const InverseSolver& solver, const PathPiece& piece, double s0, const Readings& from, double s1,
                                     double tool_length, int depth)
{
    auto end = nearest(solver, piece.at(s1), tool_length, from);
    if (!end || largest_turn(solver, end->readings, from) <= calm_turn) {
        return end;
    }
    if (depth == 0) {
        // Close to a pole the joint truly runs; a sheet that tears jumps however short the step is.
        return piece.turn() * (s1 - s0) < 1e-9 ? std::nullopt : end;
    }
    const double half = 0.5 * (s0 + s1);
    const auto middle = follow_part(solver, piece, s0, from, half, tool_length, depth - 1);
    return middle ? follow_part(solver, piece, half, middle->readings, s1, tool_length, depth - 1) : std::nullopt;
}

double slowest_time(const Machine& machine, const Readings& a, const Readings& b)
{
    double time = 0;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        time = std::max(time, std::abs(a[Eigen::Index(i)] - b[Eigen::Index(i)]) / machine.joints[i].speed);
    }
    return time;
}

/// Runs one section with one start; returns how many targets stayed inside travel.
std::size_t run_section(const InverseSolver& solver, const Machine& machine, const std::vector<PathTarget>& targets, std::size_t begin,
                        std::size_t end, const Candidate& start, std::vector<Choice>& out)
{
    out.clear();
    std::size_t good = 0;
    bool clean = true;
    for (std::size_t i = begin; i < end; ++i) {
        const PathTarget& target = targets[i];
        std::optional<Candidate> candidate;
        Choice choice;
        if (i == begin) {
            candidate = start;
        } else {
            candidate = follow(solver, targets[i - 1].pose, out.back().readings, target.pose, target.tool_length);
        }
        if (!candidate) {
            const Candidates all = solver.solve(target.pose, target.tool_length, out.back().readings);
            choice.readings = all.list.empty() ? out.back().readings : all.list.front().readings;
            choice.problem = all.list.empty() ? ChoiceProblem::unreachable : ChoiceProblem::torn;
            choice.missed_by = all.missed_by;
            choice.nearest_axis = all.nearest_axis;
            clean = false;
        } else {
            choice.readings = candidate->readings;
            choice.outcome = candidate->outcome;
            choice.residual = candidate->residual;
            choice.pole = candidate->pole;
            if (const auto over = overtravels(machine, choice.readings); !over.empty()) {
                choice.problem = ChoiceProblem::beyond_travel;
                choice.joint = over.front().joint;
                choice.missed_by = over.front().low ? -over.front().beyond : over.front().beyond;
                clean = false;
            }
        }
        good += clean ? 1 : 0;
        out.push_back(std::move(choice));
    }
    return good;
}

/// Every start worth trying, best first: those inside travel, then (to be able to say what is missing) the bare branches.
std::vector<Candidate> starts(const InverseSolver& solver, const Machine& machine, const PathTarget& target, const Readings& standing)
{
    std::vector<Candidate> list = solver.within_travel(target.pose, target.tool_length, standing);
    std::stable_sort(list.begin(), list.end(), [&](const Candidate& a, const Candidate& b) {
        const double ta = slowest_time(machine, a.readings, standing);
        const double tb = slowest_time(machine, b.readings, standing);
        if (std::abs(ta - tb) > 1e-9) {
            return ta < tb;
        }
        const double ra = total_turn(solver, a.readings, standing);
        const double rb = total_turn(solver, b.readings, standing);
        return std::abs(ra - rb) > 1e-9 ? ra < rb : a.branch < b.branch;
    });
    if (list.empty()) {
        list = solver.solve(target.pose, target.tool_length, standing).list;
    }
    return list;
}

} // namespace

std::optional<Candidate> follow(const InverseSolver& solver, const Pose& from_pose, const Readings& from, const Pose& to,
                                double tool_length)
{
    if (solver.rotary().empty()) {
        return nearest(solver, to, tool_length, from);
    }
    const PathPiece piece{from_pose, to, std::nullopt};
    return follow_part(solver, piece, 0, from, 1, tool_length, deepest_look);
}

std::vector<Choice> choose_path(const InverseSolver& solver, const Machine& machine, const std::vector<PathTarget>& targets,
                                const Readings& start)
{
    std::vector<Choice> out;
    out.reserve(targets.size());
    Readings standing = start;
    std::size_t begin = 0;
    while (begin < targets.size()) {
        std::size_t end = begin + 1;
        while (end < targets.size() && !targets[end].link) {
            ++end;
        }
        std::vector<Choice> best;
        std::size_t best_good = 0;
        for (const Candidate& candidate : starts(solver, machine, targets[begin], standing)) {
            std::vector<Choice> tried;
            const std::size_t good = run_section(solver, machine, targets, begin, end, candidate, tried);
            if (best.empty() || good > best_good) {
                best = std::move(tried);
                best_good = good;
            }
            if (best_good == end - begin) {
                break;
            }
        }
        if (best.empty()) { // no branch at all reaches the first target
            const Candidates none = solver.solve(targets[begin].pose, targets[begin].tool_length, standing);
            Choice choice;
            choice.readings = standing;
            choice.problem = ChoiceProblem::unreachable;
            choice.missed_by = none.missed_by;
            choice.nearest_axis = none.nearest_axis;
            best.push_back(std::move(choice));
            end = begin + 1;
        }
        standing = best.back().readings;
        std::move(best.begin(), best.end(), std::back_inserter(out));
        begin = end;
    }
    return out;
}

} // namespace wexilum
