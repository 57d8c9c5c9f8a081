#include "core/compare/cuts_together.hpp"

#include "core/base/lanes.hpp"
#include "core/base/units.hpp"
#include "core/geometry/triple.hpp"
#include "core/solve/path_choice.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t fewest_tried = 8;
constexpr std::size_t longest_rest = 64;

/// Added up where a loop must not branch.
double unless(bool fine) { return fine ? 0 : 1; }

double largest(const Column& column, std::size_t first, std::size_t end)
{
    double out = column[first];
    for (std::size_t i = first + 1; i < end; ++i) {
        out = out < column[i] ? column[i] : out;
    }
    return out;
}

} // namespace

CutsTogether::CutsTogether(const Task& task, const Follower& follower, BudgetRule& budget, PathPlace& place, RecordCheck& records,
                           StateCheck& states, CompareLog& log)
    : task_(task), follower_(follower), budget_(budget), place_(place), records_(records), states_(states), log_(log)
{}

void CutsTogether::take(const FollowedCuts& cuts, const std::function<void(std::size_t)>& one)
{
    const std::size_t count = cuts.run.count;
    std::size_t at = 0;
    while (at < count) {
        if (rest_ == 0) {
            const std::size_t tried = std::min(count - at, tried_);
            const std::size_t done = compare(cuts, at, tried);
            at += done;
            misses_ = done > 0 ? 0 : misses_ + 1;
            tried_ = done == tried ? longest_run : std::max(fewest_tried, done);
            if (done > 0) {
                continue;
            }
            rest_ = std::min(longest_rest, (std::size_t{1} << std::min<std::size_t>(misses_, 10)) - 1);
        } else {
            --rest_;
        }
        one(at++);
    }
}

/// Compares up to `count` cuts from `first` on; how many. The next one then needs a closer look, or there are no records at hand.
std::size_t CutsTogether::compare(const FollowedCuts& cuts, std::size_t first, std::size_t count)
{
    const CutRun& run = cuts.run;
    place_.pass();
    const auto items = place_.path().cuts();
    if (!items || (first == 0 && !cuts.goes_on)) {
        return 0;
    }
    const Expected& state = *items->state;
    const ReplayMove& common = run.common;
    const auto& checks = log_.checks();
    if (!std::all_of(checks.begin(), checks.end(), [&](const PathCheck* check) { return check->leaves_cuts_plain(common, state); })) {
        return 0;
    }
    budget_.take(common);
    const InverseSolver& solver = *state.solver;
    const bool words = !solver.rotary().empty();
    std::size_t end = first + std::min(count, items->end - items->at);
    if (words) {
        end = first + follow_words(*items, common.tool_length, end - first);
        if (end == first) {
            return 0;
        }
    }
    find_middles(cuts, first, end);
    std::fill(bad_.begin() + first, bad_.begin() + end, 0);
    compare_ends(cuts, *items, first, end);
    compare_middles(cuts, first, end);
    compare_feeds(run, state, first, end);
    if (words) {
        compare_words(run, solver, items->at, first, end);
    }
    const auto bad = std::find_if(bad_.begin() + first, bad_.begin() + end, [](double b) { return b != 0; });
    end = std::size_t(bad - bad_.begin());
    if (end > first) {
        states_.note_cuts(run, first, end, state);
        note(cuts, *items, first, end);
    }
    return end - first;
}

/// Where the path has the rotary joints and with them the linear ones; for how many cuts that is plain.
std::size_t CutsTogether::follow_words(const ExpectedPath::Cuts& items, double tool_length, std::size_t count)
{
    const LinearRun* wanted = items.run;
    if (!records_.work_stands_like_part()) {
        for (std::size_t i = items.at; i < items.at + count; ++i) {
            in_work_.set_pose(i, records_.in_work(items.run->pose(i)));
        }
        wanted = &in_work_;
    }
    const InverseSolver& solver = *items.state->solver;
    return solver.branches_along(*wanted, items.at, items.at + count, tool_length, found_);
}

/// Poses in the middle of each cut, in the part's frame, and what the budgets of all depend on.
WEXILUM_WIDE void CutsTogether::find_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end)
{
    const CutRun& run = cuts.run;
    const Follower::Chain& chain = this->follower_.chain(run.common.mount);
    half_way_.resize(run.to.size());
    for (std::size_t joint = 0; joint < run.to.size(); ++joint) {
        const Column& to = run.to[joint];
        Column& half_way = half_way_[joint];
        half_way[first] = run.from(joint, first) + (to[first] - run.from(joint, first)) * 0.5;
        for (std::size_t i = first + 1; i < end; ++i) {
            half_way[i] = to[i - 1] + (to[i] - to[i - 1]) * 0.5;
        }
    }
    follower_.poses_along(run.common.mount, half_way_, first, end, run.common.tool_length, false, middle_);
    axis_budget_ = budget_.at_records(chain.kinematics, cuts.to, first, end, record_.tip_budget);
    budget_.lever_terms(chain.turning, cuts.to, first, end, lever_term_);
}

/// Each end against its record.
WEXILUM_WIDE void CutsTogether::compare_ends(const FollowedCuts& __restrict cuts, const ExpectedPath::Cuts& items, std::size_t first,
                                             std::size_t end)
{
    const CutRun& run = cuts.run;
    const std::size_t shift = items.at - first; // from a cut to its record; may wrap
    for (std::size_t k = 0; k < 3; ++k) {
        from_tip_[k][first] = items.from.tip[Eigen::Index(k)];
        from_axis_[k][first] = items.from.axis[Eigen::Index(k)];
        std::copy(&items.run->tip[k][items.at], &items.run->tip[k][end - 1 + shift], &from_tip_[k][first] + 1);
        std::copy(&items.run->axis[k][items.at], &items.run->axis[k][end - 1 + shift], &from_axis_[k][first] + 1);
        std::copy(&items.run->tip[k][items.at], &items.run->tip[k][end - 1 + shift] + 1, &to_tip_[k][first]);
        std::copy(&items.run->axis[k][items.at], &items.run->axis[k][end - 1 + shift] + 1, &to_axis_[k][first]);
    }
    const double shortest = std::max(1.8 * run.common.length_increment, 2 * still_length);
    for (std::size_t i = first; i < end; ++i) {
        const Triple tip = Triple::of(to_tip_, i);
        const Triple axis = Triple::of(to_axis_, i);
        const double length = (tip - Triple::of(from_tip_, i)).norm();
        length_[i] = length < still_length ? still_length : length; // what is no longer is not plain
        piece_turn_[i] = unit_angle_between(Triple::of(from_axis_, i), axis);
        record_.tip[i] = (tip - Triple::of(cuts.to.tip, i)).norm();
        record_.axis[i] = unit_angle_between(axis, Triple::of(cuts.to.axis, i));
        record_.axis_budget[i] = axis_budget_;
        bad_[i] += unless(length >= shortest) + unless(cuts.turn[i] <= CutCheck::small_turn) +
                   unless(record_.tip[i] <= record_.tip_budget[i]) + unless(record_.axis[i] <= axis_budget_);
    }
}

/// Each middle against the piece of the path, as sample().
WEXILUM_WIDE void CutsTogether::compare_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end)
{
    const Tolerance tolerance = task_.job.tolerance;
    for (std::size_t i = first; i < end; ++i) {
        const Triple from = Triple::of(from_tip_, i);
        const Triple middle = Triple::of(middle_.tip, i);
        const double asked = place_along(from, Triple::of(to_tip_, i), middle);
        const double s = asked < 0 ? 0 : asked > 1 ? 1 : asked;
        const Triple axis = great_circle(Triple::of(from_axis_, i), Triple::of(to_axis_, i), s);
        between_.tip[i] = (from + (Triple::of(to_tip_, i) - from) * s - middle).norm();
        between_.axis[i] = unit_angle_between(axis, Triple::of(middle_.axis, i));
        const bool rotary = cuts.turn[i] > 1e-9;
        between_.tip_budget[i] = record_.tip_budget[i] + (rotary ? tolerance.tip : 0);
        between_.axis_budget[i] = axis_budget_ + piece_turn_[i] / length_[i] * record_.tip_budget[i] + (rotary ? tolerance.axis : 0);
        bad_[i] += unless(between_.tip[i] <= between_.tip_budget[i]) + unless(between_.axis[i] <= between_.axis_budget[i]);
    }
}

/// As check_feed(), where each cut makes the whole of its piece.
void CutsTogether::compare_feeds(const CutRun& run, const Expected& state, std::size_t first, std::size_t end)
{
    for (std::size_t i = first; i < end; ++i) {
        const double asked = state.seconds(length_[i], length_[i]);
        const double wanted = asked > 0 && asked < run.least[i] ? run.least[i] : asked;
        const auto [percent, allowed] =
            CutCheck::feed_misfit(length_[i], wanted, run.seconds[i], run.feed_precision[i], record_.tip_budget[i]);
        percent_[i] = std::abs(percent);
        bad_[i] += unless(percent_[i] <= allowed);
    }
}

/// As RecordCheck::check_words() at a record.
WEXILUM_WIDE void CutsTogether::compare_words(const CutRun& run, const InverseSolver& solver, std::size_t item, std::size_t first,
                                              std::size_t end)
{
    const BranchRun& found = found_;
    const std::size_t shift = item - first;
    std::array<Column, 2> far;
    std::array<Column, 2> worst;
    for (std::size_t b = 0; b < 2; ++b) {
        std::fill(far[b].begin() + first, far[b].begin() + end, 0);
        std::fill(worst[b].begin() + first, worst[b].begin() + end, 0);
        for (std::size_t k = 0; k < 2; ++k) {
            const std::size_t joint = solver.rotary()[k].value;
            const double allowed = RecordCheck::allowed_turn(budget_.half_increment(joint));
            const Column& stand = run.to[joint];
            for (std::size_t i = first; i < end; ++i) {
                const double turn = found.turns[b][k][i + shift];
                const double rest = std::abs(turn + RecordCheck::nearest_turns(stand[i] - turn) - stand[i]);
                far[b][i] = far[b][i] < rest ? rest : far[b][i];
                const double ratio = rest / allowed;
                worst[b][i] = worst[b][i] < ratio ? ratio : worst[b][i];
            }
        }
        for (std::size_t k = 0; k < 3; ++k) {
            const std::size_t joint = solver.linear()[k].value;
            const double half = budget_.half_increment(joint);
            const Column& stand = run.to[joint];
            for (std::size_t i = first; i < end; ++i) {
                const double off = std::abs(stand[i] - found.linear[b][k][i + shift]);
                const double ratio = off / RecordCheck::allowed_way(half, lever_term_[i]);
                worst[b][i] = worst[b][i] < ratio ? ratio : worst[b][i];
            }
        }
    }
    for (std::size_t i = first; i < end; ++i) {
        const double ratio = far[1][i] < far[0][i] ? worst[1][i] : worst[0][i];
        bad_[i] += unless(ratio <= 1) + unless(found.pole[i + shift] > at_pole);
    }
}

/// What has been found of cuts that are all as they should be.
void CutsTogether::note(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end)
{
    const CutRun& run = cuts.run;
    ReplayReport& report = log_.report();
    for (MotionListener* const observer : log_.observers()) {
        for (std::size_t i = first; i < end; ++i) {
            observer->measured(run.block[i], between_.deviation(i), between_.budget(i));
            observer->measured(run.block[i], record_.deviation(i), record_.budget(i));
        }
    }
    const auto measure = [&](const Measures& found, Measured& measured) {
        measured.tip = std::max(measured.tip, largest(found.tip, first, end));
        measured.axis = std::max(measured.axis, largest(found.axis, first, end));
        measured.tip_budget = std::max(measured.tip_budget, largest(found.tip_budget, first, end));
        measured.axis_budget = std::max(measured.axis_budget, largest(found.axis_budget, first, end));
    };
    measure(between_, report.between);
    measure(record_, report.at_records);
    if (largest(percent_, first, end) > report.feed_error_percent) {
        const auto worst = std::size_t(std::max_element(percent_.begin() + first, percent_.begin() + end) - percent_.begin());
        report.note_feed(percent_[worst],
                         CutCheck::feed_misfit(length_[worst], 1, 1, run.feed_precision[worst], record_.tip_budget[worst]).allowed);
    }
    report.compared += end - first;
    Column ratio;
    for (std::size_t i = first; i < end; ++i) {
        ratio[i] = std::max(between_.ratio(i), record_.ratio(i));
    }
    if (largest(ratio, first, end) > report.worst_ratio) {
        const std::size_t worst = std::size_t(std::max_element(ratio.begin() + first, ratio.begin() + end) - ratio.begin());
        log_.note_worst(ratio[worst], items.run->source(worst + items.at - first), run.block[worst]);
    }
    log_.note_cuts(run, first, end);
    note_front(cuts, first, end);
    place_.advance(end - first, cuts.to.at(end - 1));
}

void CutsTogether::note_front(const FollowedCuts& cuts, std::size_t first, std::size_t end)
{
    Column height;
    for (std::size_t i = first; i < end; ++i) {
        height[i] = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            height[i] += cuts.to.axis[k][i] * cuts.to.tip[k][i];
        }
    }
    place_.take_front(cuts.to.at(first));
    place_.take_front(cuts.to.at(end - 1), largest(height, first, end));
}

} // namespace wexilum
