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
        const std::size_t end = at + (along ? solver_->branches_along(run, at, run.count, target.tool_length, run_) : 0);
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
    const auto go_on = [&](std::size_t count) {
        Ways ways{};
        for (std::size_t b = 0; b < 2; ++b) {
            for (std::size_t joint = 0; joint < most_chain; ++joint) {
                ways[b][joint] = &(joint < first_linear ? along_[b][joint] : run_.linear[b][joint - first_linear])[first];
            }
        }
        return advance(ways, count, false);
    };
    // Where some sheet is left at the end it was all the way.
    std::size_t added = clear - first;
    while (added > 0 && !go_on(added)) {
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

} // namespace wexilum
