#include "core/compare/record_check.hpp"

#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

RecordCheck::RecordCheck(const Task& task, const Follower& follower, const BudgetRule& budget, CompareLog& log)
    : PathCheck(log), task_(task), follower_(follower), budget_(budget), in_work_(task.setup.part())
{}

bool RecordCheck::leaves_cuts_plain(const ReplayMove& /*common*/, const Expected& state) const
{
    const InverseSolver& solver = *state.solver;
    return solver.rotary().empty() || (solver.has_poles() && solver.linear_together());
}

SeenMotion RecordCheck::see(const Followed& motion, BudgetRule& budget) const
{
    const ReplayMove& move = motion.move;
    budget.take(move);
    const Follower::Chain& chain = follower_.chain(move.mount);
    return {move,
            motion.from,
            motion.to,
            budget.at_record(chain.kinematics, move.tip_words ? Readings(Readings::Zero(motion.levers.size())) : motion.levers),
            budget.lever_term(chain.turning, motion.levers),
            motion.turn,
            motion.stands_for_rapid()};
}

void RecordCheck::reached(const SeenMotion& seen, const Expected& item, const Deviation& deviation)
{
    log_.note_at_record(deviation, seen.budget, item, seen.move.block);
    ++log_.report().compared;
    check_words(seen, item, 1, 0);
}

std::optional<Readings> RecordCheck::exact_readings(const InverseSolver& solver, const Pose& wanted, double tool_length,
                                                    const Readings& near) const
{
    const Pose pose = in_work_(wanted);
    const Branches found = solver.branches(pose.axis, near);
    if (found.count == 0 || found.pole <= at_pole) {
        return std::nullopt;
    }
    const Turns stand = solver.turns_of(near);
    Turns best{};
    std::size_t nearest = 0;
    double least = 0;
    for (std::size_t branch = 0; branch < std::size_t(found.count); ++branch) {
        Turns turns = found.turns[branch];
        double far = 0;
        for (std::size_t i = 0; i < solver.settled().size(); ++i) {
            turns[i] += nearest_turns(stand[i] - turns[i]);
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
    if (solver.has_poles() && solver.linear_together()) {
        const Vec3 linear = solver.linear_readings(found.sine[nearest], found.cosine[nearest], pose.tip, tool_length);
        for (std::size_t i = 0; i < 3; ++i) {
            out[Eigen::Index(solver.linear()[i].value)] = linear[Eigen::Index(i)];
        }
    } else {
        solver.set_linear(out, pose.tip, tool_length);
    }
    return out;
}

Readings RecordCheck::allowed_misfit(const ReplayMove& move, double lever_term) const
{
    Readings out(Eigen::Index(task_.machine.joints.size()));
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        const bool rotary = task_.machine.joints[i].kind == JointKind::rotary;
        // Three coordinates of the tip, each rounded, may meet in one joint.
        const double words = !rotary && move.tip_words ? std::sqrt(3.0) : 1;
        out[Eigen::Index(i)] =
            rotary ? allowed_turn(budget_.half_increment(i)) : allowed_way(budget_.half_increment(i) * words, lever_term);
    }
    return out;
}

void RecordCheck::allow_for_spare(const InverseSolver& solver, const Pose& wanted, double tool_length, const Readings& exact,
                                  Readings& allowed) const
{
    if (!solver.spare()) {
        return;
    }
    Readings near = exact;
    near[Eigen::Index(solver.spare()->value)] += budget_.half_increment(solver.spare()->value);
    if (const auto beside = exact_readings(solver, wanted, tool_length, near)) {
        allowed += (*beside - exact).cwiseAbs();
    }
}

BlockNumber RecordCheck::blame(const ReplayMove& move, const std::vector<BlockNumber>& set_by, const InverseSolver& solver,
                               const Pose& wanted)
{
    const auto exact = exact_readings(solver, wanted, move.tool_length, move.to);
    if (!exact) {
        return move.block;
    }
    const Follower::Chain& whole = follower_.chain(move.mount);
    Readings allowed = allowed_misfit(move, budget_.lever_term(whole.turning, whole.kinematics.levers(move.to, move.tool_length)));
    allow_for_spare(solver, wanted, move.tool_length, *exact, allowed);
    double worst = 1;
    BlockNumber out = move.block;
    for (const JointIndex joint : solver.kinematics().driving()) {
        const auto at = Eigen::Index(joint.value);
        const double off = std::abs(move.to[at] - (*exact)[at]) / allowed[at];
        if (off > worst && set_by[joint.value].value != 0) {
            worst = off;
            out = set_by[joint.value];
        }
    }
    return out;
}

RecordCheck::Misfit RecordCheck::misfit(const InverseSolver& solver, const Readings& stand, const Readings& wanted, const Readings& allowed)
{
    Misfit out;
    for (const JointIndex joint : solver.kinematics().driving()) {
        const auto at = Eigen::Index(joint.value);
        const double off = std::abs(stand[at] - wanted[at]) / allowed[at];
        if (off > out.worst) {
            out = {off, joint.value};
        }
    }
    return out;
}

void RecordCheck::check_words(const SeenMotion& seen, const Expected& item, double s, double reach)
{
    const InverseSolver& solver = *item.solver;
    const Readings& stand = seen.move.to;
    const double length = seen.move.tool_length;
    const auto here = solver.rotary().empty() ? std::nullopt : exact_readings(solver, item.piece.at(s), length, stand);
    if (!here) {
        return;
    }
    // Between records the place along the way is free: the words are right if one place explains them all.
    Readings slope = Readings::Zero(stand.size());
    if (s < 1) {
        const double step = std::min(1e-3, 0.5 * (1 - s));
        const auto beyond = exact_readings(solver, item.piece.at(s + step), length, *here);
        if (!beyond) {
            return;
        }
        slope = (*beyond - *here) / step;
        reach /= std::max(item.piece.length(), still_length);
    }
    Readings allowed = allowed_misfit(seen.move, seen.lever_term);
    allow_for_spare(solver, item.piece.at(s), length, *here, allowed);
    const auto against = [&](const Readings& wanted) { return misfit(solver, stand, wanted, allowed); };
    const auto least_of = [&](const auto& misfit) {
        double low = -reach;
        double high = reach;
        for (int i = 0; i < 60 && reach > 0; ++i) { // the misfit is convex along the way
            const double a = low + (high - low) / 3;
            const double b = high - (high - low) / 3;
            if (misfit(a).worst < misfit(b).worst) {
                high = b;
            } else {
                low = a;
            }
        }
        return misfit(0.5 * (low + high));
    };
    Misfit found = against(*here);
    if (found.worst > 1 && s < 1) {
        found = least_of([&](double ds) { return against(*here + slope * ds); });
    }
    if (found.worst > 1 && s < 1) {
        // Near a pole the readings bend within the reach.
        const Misfit bent = least_of([&](double ds) {
            const auto there = exact_readings(solver, item.piece.at(std::clamp(s + ds, 0.0, 1.0)), length, stand);
            return there ? against(*there) : found;
        });
        found = bent.worst < found.worst ? bent : found;
    }
    if (found.worst > 1) {
        report(seen, item, s, found);
    }
}

void RecordCheck::report(const SeenMotion& seen, const Expected& item, double s, const Misfit& found)
{
    const std::string& id = task_.machine.joints[found.joint].id;
    const BlockNumber set_by = log_.set_by()[found.joint];
    log_.find(Severity::error, "word-off", id,
              fmt::format("the word for {} is {:.1f} times further from the path's reading than rounding explains", id, found.worst),
              "compare the word with the axis position for this record", &item, s < 1 || set_by.value == 0 ? seen.move.block : set_by,
              found.worst);
}

} // namespace wexilum
