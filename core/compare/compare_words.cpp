// Axis words of the comparer: which word is wrong where the tool hardly tells, as near a pole.
#include "core/compare/compare.hpp"

#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

void Comparer::follow(const InverseSolver& solver)
{
    if (followed_ != &solver) {
        branches_ = {};
        followed_ = &solver;
    }
}

std::optional<Readings> Comparer::exact_readings(const InverseSolver& solver, const Pose& wanted, double tool_length, const Readings& near)
{
    follow(solver);
    const Pose pose = in_work_(wanted);
    const Branches found = solver.branches(pose.axis, branches_);
    if (found.count == 0 || found.pole <= at_pole) {
        return std::nullopt;
    }
    const Turns stand = solver.turns_of(near);
    Turns best{};
    int nearest = 0;
    double least = 0;
    for (int branch = 0; branch < found.count; ++branch) {
        Turns turns = found.turns[std::size_t(branch)];
        double far = 0;
        for (std::size_t i = 0; i < solver.rotary().size(); ++i) {
            turns[i] += 2 * pi * std::round((stand[i] - turns[i]) / (2 * pi));
            far = std::max(far, std::abs(turns[i] - stand[i]));
        }
        if (branch == 0 || far < least) {
            best = turns;
            nearest = branch;
            least = far;
        }
    }
    Readings out = near;
    solver.set_turns(out, best);
    if (solver.rotary().size() == 2 && solver.linear_together()) {
        const auto linear = solver.linear_readings(found, pose.tip, tool_length);
        for (std::size_t i = 0; i < linear.size(); ++i) {
            out[Eigen::Index(solver.linear()[i].value)] = linear[i][nearest];
        }
    } else {
        solver.set_linear(out, pose.tip, tool_length);
    }
    return out;
}

double Comparer::lever_term(const Chain& chain, const Readings& levers) const
{
    double sum = 0;
    for (const JointIndex j : chain.turning) {
        sum += levers[Eigen::Index(j.value)] * budget_.half_increment(j.value);
    }
    return sum;
}

Readings Comparer::allowed_misfit(const ReplayMove& move, double lever_term) const
{
    Readings out(Eigen::Index(task_.machine.joints.size()));
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        const bool rotary = task_.machine.joints[i].kind == JointKind::rotary;
        // Three coordinates of the tip, each rounded, may meet in one joint.
        const double words = !rotary && move.tip_words ? std::sqrt(3.0) : 1;
        out[Eigen::Index(i)] = budget_.half_increment(i) * words * allowed_share + (rotary ? 1e-9 : lever_term + BudgetRule::computing_tip);
    }
    return out;
}

BlockNumber Comparer::blame(const ReplayMove& move, const std::vector<BlockNumber>& set_by, const InverseSolver& solver, const Pose& wanted)
{
    const auto exact = exact_readings(solver, wanted, move.tool_length, move.to);
    if (!exact) {
        return move.block;
    }
    const Chain& whole = chain(move.mount);
    const Readings allowed = allowed_misfit(move, lever_term(whole, whole.kinematics.levers(move.to, move.tool_length)));
    double worst = 1;
    BlockNumber out = move.block;
    for (const auto& link : solver.kinematics().links()) {
        const auto at = Eigen::Index(link.joint.value);
        const double off = std::abs(move.to[at] - (*exact)[at]) / allowed[at];
        if (off > worst && set_by[link.joint.value].value != 0) {
            worst = off;
            out = set_by[link.joint.value];
        }
    }
    return out;
}

double Comparer::place_by_time(const Seen& seen, const Expected& item, double s, double& reach)
{
    // The feed word tells how far along the path a block goes, more finely than its rounded end does.
    const double length = item.piece.length();
    const double whole = item.seconds(length, length);
    if (whole <= 0 || seen.move.seconds <= 0 || length < still_length) {
        progress_exact_ = false;
        return s;
    }
    const double by_time = progress_place_ + seen.move.seconds / whole;
    progress_reach_ += seen.move.seconds / whole * length * seen.move.feed_precision;
    if (item.piece.curved() && !seen.move.arc && seen.turn <= 1e-9) { // where nothing turns the asked feed holds on the chord
        progress_reach_ += std::abs(by_time - s) * length;
    }
    progress_exact_ = progress_exact_ && !seen.move.at_joint_limit && by_time < 1 && std::abs(by_time - s) * length <= 2 * seen.budget.tip;
    if (!progress_exact_) {
        return s; // limited by a joint, or a wrong feed: told elsewhere
    }
    reach = progress_reach_ + BudgetRule::computing_tip;
    if (seen.move.tip_solver != nullptr) {
        reach += 2 * seen.budget.tip; // the feed is the tip's own: its way between two rounded places tells no more than they do
    }
    return by_time;
}

void Comparer::check_rotary_words(const Seen& seen, const Expected& item, double s, double reach)
{
    const InverseSolver& solver = *item.solver;
    const Readings& stand = seen.move.to;
    const auto here = solver.rotary().empty() ? std::nullopt : exact_readings(solver, item.piece.at(s), seen.move.tool_length, stand);
    if (!here) {
        return;
    }
    // Between records the place along the way is free: the words are right if one place explains them all.
    Readings slope = Readings::Zero(stand.size());
    if (s < 1) {
        const double step = std::min(1e-3, 0.5 * (1 - s));
        const auto beyond = exact_readings(solver, item.piece.at(s + step), seen.move.tool_length, *here);
        if (!beyond) {
            return;
        }
        slope = (*beyond - *here) / step;
        reach /= std::max(item.piece.length(), still_length);
    }
    const Readings allowed = allowed_misfit(seen.move, seen.lever_term);
    std::size_t joint = 0;
    const auto against = [&](const Readings& wanted) {
        double worst = 0;
        for (const auto& link : solver.kinematics().links()) {
            const auto at = Eigen::Index(link.joint.value);
            const double off = std::abs(stand[at] - wanted[at]) / allowed[at];
            if (off > worst) {
                worst = off;
                joint = link.joint.value;
            }
        }
        return worst;
    };
    const auto least_of = [&](const auto& misfit) {
        double low = -reach;
        double high = reach;
        for (int i = 0; i < 60 && reach > 0; ++i) { // the misfit is convex along the way
            const double a = low + (high - low) / 3;
            const double b = high - (high - low) / 3;
            if (misfit(a) < misfit(b)) {
                high = b;
            } else {
                low = a;
            }
        }
        return misfit(0.5 * (low + high));
    };
    double worst = against(*here);
    if (worst > 1 && s < 1) {
        worst = least_of([&](double ds) { return against(*here + slope * ds); });
    }
    if (worst > 1 && s < 1) {
        // Near a pole the readings bend within the reach.
        worst = std::min(worst, least_of([&](double ds) {
                             const auto there =
                                 exact_readings(solver, item.piece.at(std::clamp(s + ds, 0.0, 1.0)), seen.move.tool_length, stand);
                             return there ? against(*there) : worst;
                         }));
    }
    if (worst > 1) {
        const std::string& id = task_.machine.joints[joint].id;
        const BlockNumber block = s < 1 || last_set_[joint].value == 0 ? seen.move.block : last_set_[joint];
        find(Severity::error, "word-off", id,
             fmt::format("the word for {} is {:.1f} times further from the path's reading than rounding explains", id, worst),
             "compare the word with the axis position for this record", &item, block, worst);
    }
}

} // namespace wexilum
