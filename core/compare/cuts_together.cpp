#include "core/compare/cuts_together.hpp"

#include "core/base/units.hpp"
#include "core/geometry/followed_angle.hpp"
#include "core/solve/path_choice.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t fewest_tried = 8;
constexpr std::size_t longest_rest = 64;

/// The nearest whole number, of what is far below 2^51: adding it leaves no digits behind the point.
double nearest_whole(double value)
{
    constexpr double digits_end = 6755399441055744.0; // 1.5 * 2^52
    return (value + digits_end) - digits_end;
}

/// Between two points of columns.
double distance(const std::array<Column, 3>& a, const std::array<Column, 3>& b, std::size_t i)
{
    const double x = a[0][i] - b[0][i];
    const double y = a[1][i] - b[1][i];
    const double z = a[2][i] - b[2][i];
    return std::sqrt(x * x + y * y + z * z);
}

double product(const std::array<double, 3>& a, const std::array<double, 3>& b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }

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
        before_ = records_.branches_of(solver);
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
    if (const auto good = std::size_t(bad - bad_.begin()); good < end) {
        end = good;
        if (words) { // what comes behind has not been followed
            records_.branches_of(solver) = before_;
            (void)(end > first ? follow_words(*items, common.tool_length, end - first) : 0);
        }
    }
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
    return solver.branches_along(*wanted, items.at, items.at + count, tool_length, records_.branches_of(solver), found_);
}

/// Poses in the middle of each cut, in the part's frame, and what the budgets of all depend on.
void CutsTogether::find_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end)
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
    std::fill(lever_term_.begin() + first, lever_term_.begin() + end, 0);
    for (const JointIndex joint : chain.turning) {
        const double half = budget_.half_increment(joint.value);
        for (std::size_t i = first; i < end; ++i) {
            lever_term_[i] += cuts.to.lever[joint.value][i] * half;
        }
    }
}

/// Each end against its record.
void CutsTogether::compare_ends(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end)
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
        length_[i] = std::max(distance(from_tip_, to_tip_, i), still_length); // what is no longer is not plain
        const double turn = distance(from_axis_, to_axis_, i);
        piece_turn_[i] = 2 * small_arc_sine(0.5 * turn);
        record_.tip[i] = distance(to_tip_, cuts.to.tip, i);
        const double chord = distance(to_axis_, cuts.to.axis, i);
        record_.axis[i] = 2 * small_arc_sine(0.5 * chord);
        record_.axis_budget[i] = axis_budget_;
        const bool fits = length_[i] >= shortest && turn <= most_turn && cuts.turn[i] <= CutCheck::small_turn &&
                          record_.tip[i] <= record_.tip_budget[i] && record_.axis[i] <= axis_budget_;
        bad_[i] += fits ? 0 : 1;
    }
}

/// Each middle against the piece of the path, as sample().
void CutsTogether::compare_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end)
{
    const double tolerance_tip = task_.job.tolerance.tip;
    const double tolerance_axis = task_.job.tolerance.axis;
    for (std::size_t i = first; i < end; ++i) {
        std::array<double, 3> from;
        std::array<double, 3> way;
        std::array<double, 3> gone;
        std::array<double, 3> before;
        std::array<double, 3> turn;
        for (std::size_t k = 0; k < 3; ++k) {
            from[k] = from_tip_[k][i];
            way[k] = to_tip_[k][i] - from[k];
            gone[k] = middle_.tip[k][i] - from[k];
            before[k] = from_axis_[k][i];
            turn[k] = to_axis_[k][i] - before[k];
        }
        const double asked = product(way, gone) / std::max(product(way, way), still_length * still_length);
        const double place = asked < 0 ? 0 : asked > 1 ? 1 : asked;
        // The great circle: a short chord divided in proportion and made a unit vector again, otherwise by its angle.
        const double cosine = before[0] * to_axis_[0][i] + before[1] * to_axis_[1][i] + before[2] * to_axis_[2][i];
        std::array<double, 3> towards;
        for (std::size_t k = 0; k < 3; ++k) {
            towards[k] = to_axis_[k][i] - before[k] * cosine;
        }
        const double chord_square = product(turn, turn);
        const bool by_chord = chord_square < short_chord_square || chord_square > most_turn * most_turn; // not plain
        const double sine = by_chord ? 1 : std::sqrt(product(towards, towards));
        const double angle = by_chord ? 0 : small_arc_tangent(sine / cosine) * place;
        const double stay = by_chord ? 1 : 1 - small_versine(angle);
        const double go = by_chord ? place : small_sine(angle) / sine;
        std::array<double, 3> axis;
        for (std::size_t k = 0; k < 3; ++k) {
            axis[k] = before[k] * stay + (by_chord ? turn[k] : towards[k]) * go;
        }
        const double long_by = by_chord ? std::max(std::sqrt(product(axis, axis)), still_length) : 1;
        std::array<double, 3> off;
        std::array<double, 3> turned;
        for (std::size_t k = 0; k < 3; ++k) {
            off[k] = from[k] + way[k] * place - middle_.tip[k][i];
            turned[k] = axis[k] / long_by - middle_.axis[k][i];
        }
        const double turned_square = product(turned, turned);
        const double off_square = product(off, off);
        const double chord = std::sqrt(turned_square);
        between_.tip[i] = std::sqrt(off_square);
        between_.axis[i] = 2 * small_arc_sine(0.5 * chord);
        const bool rotary = cuts.turn[i] > 1e-9;
        between_.tip_budget[i] = record_.tip_budget[i] + (rotary ? tolerance_tip : 0);
        between_.axis_budget[i] = axis_budget_ + piece_turn_[i] / length_[i] * record_.tip_budget[i] + (rotary ? tolerance_axis : 0);
        const bool fits = chord <= most_turn && between_.tip[i] <= between_.tip_budget[i] && between_.axis[i] <= between_.axis_budget[i];
        bad_[i] += fits ? 0 : 1;
    }
}

/// As check_feed(), where each cut makes the whole of its piece.
void CutsTogether::compare_feeds(const CutRun& run, const Expected& state, std::size_t first, std::size_t end)
{
    for (std::size_t i = first; i < end; ++i) {
        const double length = length_[i];
        const double asked = state.seconds(length, length);
        const double wanted = asked < run.least[i] ? run.least[i] : asked;
        const bool told = length >= CutCheck::shortest_timed && asked > 0 && run.seconds[i] > 0;
        const double off = std::abs(100 * (wanted / (told ? run.seconds[i] : 1) - 1));
        const double allowed = feed_tolerance_percent + 100 * run.feed_precision[i] + 100 * 2 * record_.tip_budget[i] / length;
        percent_[i] = told ? off : 0;
        bad_[i] += percent_[i] <= allowed ? 0 : 1;
    }
}

/// As check_rotary_words() at a record.
void CutsTogether::compare_words(const CutRun& run, const InverseSolver& solver, std::size_t item, std::size_t first, std::size_t end)
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
            const double allowed = budget_.half_increment(joint) * RecordCheck::allowed_share + 1e-9;
            const Column& stand = run.to[joint];
            for (std::size_t i = first; i < end; ++i) {
                const double off = stand[i] - found.turns[b][k][i + shift];
                const double rest = std::abs(off - whole_turn * nearest_whole(off / whole_turn));
                far[b][i] = far[b][i] < rest ? rest : far[b][i];
                const double ratio = rest / allowed;
                worst[b][i] = worst[b][i] < ratio ? ratio : worst[b][i];
            }
        }
        for (std::size_t k = 0; k < 3; ++k) {
            const std::size_t joint = solver.linear()[k].value;
            const double half = budget_.half_increment(joint) * RecordCheck::allowed_share;
            const Column& stand = run.to[joint];
            for (std::size_t i = first; i < end; ++i) {
                const double off = std::abs(stand[i] - found.linear[b][k][i + shift]);
                const double ratio = off / (half + (lever_term_[i] + BudgetRule::computing_tip));
                worst[b][i] = worst[b][i] < ratio ? ratio : worst[b][i];
            }
        }
    }
    for (std::size_t i = first; i < end; ++i) {
        const double ratio = far[1][i] < far[0][i] ? worst[1][i] : worst[0][i];
        bad_[i] += ratio <= 1 && found.pole[i + shift] > at_pole ? 0 : 1;
    }
}

/// What has been found of cuts that are all as they should be.
void CutsTogether::note(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end)
{
    const CutRun& run = cuts.run;
    ReplayReport& report = log_.report();
    MotionListener* const observer = log_.observer();
    for (std::size_t i = first; observer != nullptr && i < end; ++i) {
        observer->measured(run.block[i], between_.deviation(i), between_.budget(i));
        observer->measured(run.block[i], record_.deviation(i), record_.budget(i));
    }
    const auto measure = [&](const Measures& found, Measured& measured) {
        measured.tip = std::max(measured.tip, largest(found.tip, first, end));
        measured.axis = std::max(measured.axis, largest(found.axis, first, end));
        measured.tip_budget = std::max(measured.tip_budget, largest(found.tip_budget, first, end));
        measured.axis_budget = std::max(measured.axis_budget, largest(found.axis_budget, first, end));
    };
    measure(between_, report.between);
    measure(record_, report.at_records);
    report.feed_error_percent = std::max(report.feed_error_percent, largest(percent_, first, end));
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
