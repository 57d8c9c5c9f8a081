// The choice itself: which sheet each stretch takes, as the cheapest chain over all of them.
#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"
#include "core/solve/plan_format.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

using namespace plan;

namespace {

constexpr int farthest_turns = 4; // sheets more turns away from every survivor are not looked at

std::int64_t in_nano(double value) { return std::llround(value * 1e9); }

/// The whole turns that come nearest to a way; of two that come equally near those by which a joint with a preferred sense turns so.
std::int32_t nearest_turn(double way, int sense)
{
    const double turns = std::clamp(way / whole_turn, -1e9, 1e9);
    const bool half = std::abs(std::abs(turns - std::round(turns)) - 0.5) < 1e-9;
    return static_cast<std::int32_t>(!half || sense == 0 ? std::round(turns) : sense > 0 ? std::ceil(turns) : std::floor(turns));
}

} // namespace

double PathChooser::slowest(const Chain& a, const Chain& b) const
{
    double most = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        most = std::max(most, std::abs(a[i] - b[i]) * per_speed_[i]);
    }
    return most;
}

std::vector<PathChooser::Sheet> PathChooser::sheets() const
{
    std::vector<Sheet> out;
    for (int b = 0; b < branch_count_; ++b) {
        const auto at = std::size_t(b);
        if (!stretch_[at].alive) {
            continue;
        }
        std::array<std::pair<std::int32_t, std::int32_t>, 2> range{};
        Sheet sheet{b, {}, {}};
        for (std::size_t i = 0; i < rotary_; ++i) {
            if (std::isinf(travel_low_[i])) {
                sheet.any_turn[i] = true;
                continue;
            }
            const auto [least, most] = turn_range(i, stretch_[at].low[i], stretch_[at].high[i]);
            std::int32_t from = most;
            std::int32_t to = least;
            for (const Survivor& survivor : survivors_) {
                const auto near =
                    static_cast<std::int32_t>(std::clamp(std::round((survivor.end[i] - stretch_[at].first[i]) / whole_turn), -1e9, 1e9));
                from = std::min(from, std::clamp(near - farthest_turns, least, most));
                to = std::max(to, std::clamp(near + farthest_turns, least, most));
            }
            range[i] = {from, to};
        }
        for (std::int32_t first = range[0].first; first <= range[0].second; ++first) {
            for (std::int32_t second = range[1].first; second <= range[1].second; ++second) {
                sheet.turns = {first, second};
                out.push_back(sheet);
            }
        }
    }
    return out;
}

void PathChooser::close()
{
    if (!open_) {
        return;
    }
    open_ = false;
    const std::vector<Sheet> list = beyond_ ? frozen_ : sheets();
    std::vector<Survivor> next;
    decisions_.put(BlockHead{static_cast<std::uint32_t>(list.size()), 0, beyond_ ? 1U : 0U});
    for (const Sheet& sheet : list) {
        const Track& track = stretch_[std::size_t(sheet.branch)];
        Survivor best;
        SheetEntry entry{};
        for (std::size_t from = 0; from < survivors_.size(); ++from) {
            const Survivor& before = survivors_[from];
            Chain start = track.first;
            std::array<std::int32_t, 2> turns = sheet.turns;
            double turned = track.turned;
            double against = 0;
            for (std::size_t i = 0; i < rotary_; ++i) {
                if (sheet.any_turn[i]) {
                    turns[i] = nearest_turn(before.end[i] - start[i], sense_[i]);
                }
                start[i] += whole_turn * turns[i];
                const double way = start[i] - before.end[i];
                turned += std::abs(way);
                against += way * sense_[i] < 0 ? std::abs(way) : 0;
            }
            Survivor here;
            here.cost = before.cost + in_nano(slowest(before.end, start) + track.seconds);
            here.turned = before.turned + in_nano(turned);
            here.against = before.against + in_nano(against);
            if (from == 0 || here.key() < best.key()) {
                here.end = track.last;
                for (std::size_t i = 0; i < rotary_; ++i) {
                    here.end[i] += whole_turn * turns[i];
                }
                best = here;
                entry = {turns, static_cast<std::uint32_t>(sheet.branch), static_cast<std::uint32_t>(from)};
            }
        }
        decisions_.put(entry);
        next.push_back(best);
    }
    decisions_.put(static_cast<std::uint32_t>(list.size()));
    survivors_ = std::move(next);
}

Status PathChooser::finish()
{
    settle_pending(nullptr);
    close();
    if (auto status = steps_.flush(); !status) {
        return status;
    }
    if (auto status = decisions_.flush(); !status) {
        return status;
    }
    return trace_back();
}

std::size_t PathChooser::cheapest() const
{
    std::size_t best = 0;
    for (std::size_t i = 1; i < survivors_.size(); ++i) {
        if (survivors_[i].key() < survivors_[best].key()) {
            best = i;
        }
    }
    return best;
}

Readings PathChooser::standing(const Readings& others)
{
    settle_pending(nullptr);
    close();
    Readings out = others;
    const Survivor& here = survivors_[cheapest()];
    for (std::size_t i = 0; i < joints_.size(); ++i) {
        if (joints_[i]) {
            out[Eigen::Index(joints_[i]->value)] = here.end[i];
        }
    }
    return out;
}

void PathChooser::add_whole(const std::vector<PathTarget>& targets, const std::vector<Choice>& choices)
{
    settle_pending(nullptr);
    close();
    Survivor after = survivors_[cheapest()];
    const auto from = static_cast<std::uint32_t>(cheapest());
    bool any = false;
    for (std::size_t i = 0; i < targets.size(); ++i) {
        const Readings& readings = choices[i].readings;
        const bool lost = readings.size() == 0;
        steps_.put(StepHead{whole_entry, any ? std::uint8_t{0} : std::uint8_t{1}});
        steps_.put(static_cast<std::uint8_t>(lost ? Planned::Entry::lost : targets[i].link ? Planned::Entry::link : Planned::Entry::cut));
        steps_.put(static_cast<StepCount>(readings.size()));
        for (const double reading : readings) {
            steps_.put(reading);
        }
        for (std::size_t k = 0; k < joints_.size() && !lost; ++k) {
            after.end[k] = joints_[k] ? readings[Eigen::Index(joints_[k]->value)] : 0;
        }
        any = true;
    }
    if (any) {
        decisions_.put(BlockHead{1, 0, 0});
        decisions_.put(SheetEntry{{}, 0, from});
        decisions_.put(std::uint32_t{1});
        survivors_ = {after};
        lifts_.fill({after.end[0], after.end[1]});
    }
}

Status PathChooser::trace_back()
{
    auto chosen = static_cast<std::uint32_t>(cheapest());
    // From the end, a window at a time.
    std::uint64_t end = decision_spool_.size();
    std::uint64_t window_begin = end;
    std::vector<char> window;
    const auto write_back = [&]() { return window.empty() ? Status() : decision_spool_.write_at(window_begin, window); };
    while (end > 0) {
        std::uint32_t count = 0;
        std::uint64_t length = 0;
        for (;;) {
            if (end >= window_begin + sizeof count && !window.empty()) {
                std::memcpy(&count, window.data() + (end - sizeof count - window_begin), sizeof count);
                length = sizeof(BlockHead) + std::uint64_t{count} * sizeof(SheetEntry) + sizeof count;
                if (end - length >= window_begin) {
                    break;
                }
            }
            if (auto status = write_back(); !status) {
                return status;
            }
            const std::uint64_t least = std::max<std::uint64_t>(length, std::uint64_t{1} << 16);
            window_begin = end > least ? end - least : 0;
            window.resize(static_cast<std::size_t>(end - window_begin));
            if (auto status = decision_spool_.read_at(window_begin, window); !status) {
                return status;
            }
        }
        char* const block = window.data() + (end - length - window_begin);
        std::memcpy(block + offsetof(BlockHead, chosen), &chosen, sizeof chosen);
        SheetEntry entry{};
        std::memcpy(&entry, block + sizeof(BlockHead) + chosen * sizeof(SheetEntry), sizeof entry);
        chosen = entry.from;
        end -= length;
    }
    return write_back();
}

std::vector<Choice> choose_path(const InverseSolver& solver, const Machine& machine, const std::vector<PathTarget>& targets,
                                const Readings& start)
{
    MemorySpool steps;
    MemorySpool decisions;
    PathChooser chooser(solver, machine, start, steps, decisions);
    std::vector<Choice> out;
    out.reserve(targets.size());
    for (const PathTarget& target : targets) {
        const PathChooser::Seen seen = chooser.add(target);
        Choice choice;
        choice.residual = seen.residual;
        choice.pole = seen.pole;
        choice.missed_by = seen.missed_by;
        choice.nearest_axis = seen.nearest_axis;
        choice.outcome = seen.pole < pole_angle || seen.residual > 1e-9 ? Outcome::degraded : Outcome::solved;
        choice.problem = seen.problem == ChoiceProblem::unreachable ? seen.problem : ChoiceProblem::none;
        out.push_back(std::move(choice));
    }
    (void)chooser.finish(); // memory does not fail
    PlanReader plan(steps, decisions, solver);
    Readings standing = start;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const Planned& planned = plan.next();
        if (planned.entry != Planned::Entry::lost) {
            solver.take_rotary(standing, planned.readings);
            solver.set_linear(standing, targets[i].pose.tip, targets[i].tool_length);
        }
        out[i].readings = standing;
        if (const auto over = overtravels(machine, standing); !over.empty() && out[i].problem == ChoiceProblem::none) {
            out[i].problem = ChoiceProblem::beyond_travel;
            out[i].joint = over.front().joint;
            out[i].missed_by = over.front().low ? -over.front().beyond : over.front().beyond;
        }
    }
    return out;
}

} // namespace wexilum
