// The choice for many cuts at once: what one by one would do, as far as nothing has to be decided between them.
#include "core/solve/path_choice.hpp"
#include "core/solve/plan_format.hpp"

#include <cmath>

namespace wexilum {

using namespace plan;

void PathChooser::add_run(const LinearRun& run, const PathTarget& common, const std::function<void(std::size_t, const Seen&)>& look)
{
    PathTarget target = common;
    std::size_t at = 0;
    while (at < run.count) {
        const bool along = open_ && pending_.empty() && !target.link && rotary_ == 2 && solver_->linear_together();
        const std::size_t end = at + (along ? solver_->branches_along(run, at, run.count, target.tool_length, follower_, run_) : 0);
        while (at < end) {
            at += add_along(run, at, end);
            if (at < end) {
                target.pose = run.pose(at);
                look(at, add_found(target, run_.at(at)));
                ++at;
            }
        }
        if (at < run.count) {
            target.pose = run.pose(at);
            look(at, add(target));
            target.link = false;
            ++at;
        }
    }
}

/// How many cuts from `first` on need no closer look; those are added.
std::size_t PathChooser::add_along(const LinearRun& run, std::size_t first, std::size_t end)
{
    if (!open_ || !pending_.empty()) {
        return 0;
    }
    Vec3 axis = here_.axis;
    double pole = here_pole_;
    std::size_t clear = first;
    for (; clear < end; ++clear) {
        const double x = run.axis[0][clear];
        const double y = run.axis[1][clear];
        const double z = run.axis[2][clear];
        const double chord = std::abs(x - axis[0]) + std::abs(y - axis[1]) + std::abs(z - axis[2]);
        if (std::min(run_.pole[clear], pole) <= clear_of_poles * (chord + at_pole) || run_.pole[clear] < pole_angle) {
            break;
        }
        axis = {x, y, z};
        pole = run_.pole[clear];
    }
    Lifts lifts = lifts_;
    for (std::size_t i = first; i < clear; ++i) {
        const double azimuth = 0.5 * (run_.turns[0][0][i] + run_.turns[1][0][i]);
        const double before = 0.5 * (lifts[0][0] + lifts[1][0]);
        const double turn = std::abs(before - azimuth) > pi ? whole_turn * std::round((before - azimuth) / whole_turn) : 0;
        for (std::size_t b = 0; b < 2; ++b) {
            lifts[b] = {run_.turns[b][0][i] + turn, run_.turns[b][1][i]};
            along_[b][0][i] = lifts[b][0];
            along_[b][1][i] = lifts[b][1];
        }
    }
    // Where some sheet is left at the end it was all the way.
    std::size_t added = clear - first;
    while (added > 0 && !advance_along(first, first + added)) {
        added /= 2;
    }
    if (added > 0) {
        const std::size_t last = first + added - 1;
        steps_.put(StepHead{run_entry, 0});
        steps_.put(static_cast<StepCount>(added));
        for (std::size_t b = 0; b < 2; ++b) {
            for (const Column& column : along_[b]) {
                steps_.bytes(reinterpret_cast<const char*>(&column[first]), added * sizeof(double));
            }
            lifts_[b] = {along_[b][0][last], along_[b][1][last]};
        }
        here_ = run.pose(last);
        here_pole_ = run_.pole[last];
    }
    return added;
}

/// advance() for cuts whose turns stand in along_. False, and nothing is changed, where it would have been for one of them.
bool PathChooser::advance_along(std::size_t first, std::size_t end)
{
    const auto count = Eigen::Index(end - first);
    const auto taken = [&](const Column& column) { return Eigen::Map<const Eigen::ArrayXd>(&column[first], count); };
    Stretch after = stretch_;
    std::array<Column, 2> slowest;
    std::array<Column, 2> turned;
    for (std::size_t b = 0; b < 2; ++b) {
        const auto branch = Eigen::Index(b);
        Column step;
        for (std::size_t joint = 0; joint < most_chain; ++joint) {
            const Column& at = joint < first_linear ? along_[b][joint] : run_.linear[b][joint - first_linear];
            after.low[joint][branch] = std::min(after.low[joint][branch], taken(at).minCoeff());
            after.high[joint][branch] = std::max(after.high[joint][branch], taken(at).maxCoeff());
            const double per_speed = per_speed_[joint][branch];
            double before = stretch_.last[joint][branch];
            step[first] = std::abs(at[first] - before);
            for (std::size_t i = first + 1; i < end; ++i) {
                step[i] = std::abs(at[i] - at[i - 1]);
            }
            if (joint == 0) {
                for (std::size_t i = first; i < end; ++i) {
                    slowest[b][i] = step[i] * per_speed;
                    turned[b][i] = step[i];
                }
            } else {
                for (std::size_t i = first; i < end; ++i) {
                    const double seconds = step[i] * per_speed;
                    slowest[b][i] = slowest[b][i] < seconds ? seconds : slowest[b][i];
                }
                for (std::size_t i = first; joint == 1 && i < end; ++i) {
                    turned[b][i] += step[i];
                }
            }
            after.last[joint][branch] = at[end - 1];
            after.room[branch] = std::min({after.room[branch], after.low[joint][branch] - travel_low_[joint][branch],
                                           travel_high_[joint][branch] - after.high[joint][branch]});
        }
        after.alive[b] = after.alive[b] && (after.room[branch] >= 0 || fits(chain_of(after.low, b), chain_of(after.high, b)));
    }
    if (!after.alive[0] && !after.alive[1] && !beyond_) {
        return false;
    }
    for (std::size_t b = 0; b < 2; ++b) {
        for (std::size_t i = first; i < end; ++i) {
            after.seconds[Eigen::Index(b)] += slowest[b][i];
            after.turned[Eigen::Index(b)] += turned[b][i];
        }
    }
    stretch_ = after;
    return true;
}

} // namespace wexilum
