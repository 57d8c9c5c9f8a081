// Cuts of the comparer that each end at the path's next record, as nearly all do: what one by one would find, for many at once, as far as
// there is nothing to tell of them.
#include "core/compare/compare_run.hpp"

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

void Comparer::cuts_moved(const FollowedCuts& cuts)
{
    if (kerf_.any()) {
        MotionListener::cuts_moved(cuts);
        return;
    }
    const CutRun& run = cuts.run;
    if (!along_) {
        along_ = std::make_unique<Along>();
    }
    Along& along = *along_;
    std::size_t at = 0;
    while (at < run.count) {
        if (along.rest == 0) {
            const std::size_t tried = std::min(run.count - at, along.tried);
            const std::size_t done = cuts_along(cuts, at, tried);
            at += done;
            along.misses = done > 0 ? 0 : along.misses + 1;
            along.tried = done == tried ? longest_run : std::max(fewest_tried, done);
            if (done > 0) {
                continue;
            }
            along.rest = std::min(longest_rest, (std::size_t{1} << std::min<std::size_t>(along.misses, 10)) - 1);
        } else {
            --along.rest;
        }
        const ReplayMove move = run.move(at);
        moved(cuts.cut(move, at));
        ++at;
    }
}

/// Compares up to `count` cuts from `first` on; how many. The next one then needs moved(), or there are no records at hand.
std::size_t Comparer::cuts_along(const FollowedCuts& cuts, std::size_t first, std::size_t count)
{
    const CutRun& run = cuts.run;
    path_.pass(next_);
    const auto items = path_.cuts();
    if (!items || hole_ || progress_ > 0 || (first == 0 && !cuts.goes_on)) {
        return 0;
    }
    const Expected& state = *items->state;
    const InverseSolver& solver = *state.solver;
    const ReplayMove& common = run.common;
    const bool words = !solver.rotary().empty();
    if (state.posture != checked_posture_ || (words && (solver.rotary().size() != 2 || !solver.linear_together())) ||
        spindle_differs(common, state) || coolant_differs(common, state) || common.tool != state.tool) {
        return 0;
    }
    budget_.set_length_increment(common.length_increment);
    budget_.set_surface(common.surface_joint, common.surface_scale);
    budget_.set_coordinates(common.shifted, 0, false);
    Along& along = *along_;
    std::size_t end = first + std::min(count, items->end - items->at);
    if (words) {
        follow(solver);
        along.branches = branches_;
        end = first + words_along(*items, common.tool_length, end - first);
        if (end == first) {
            return 0;
        }
    }
    middles_along(cuts, first, end);
    std::fill(along.bad.begin() + first, along.bad.begin() + end, 0);
    compare_ends(cuts, *items, first, end);
    compare_middles(cuts, first, end);
    compare_feeds(run, state, first, end);
    if (words) {
        compare_words(run, solver, items->at, first, end);
    }
    const auto bad = std::find_if(along.bad.begin() + first, along.bad.begin() + end, [](double b) { return b != 0; });
    if (const auto good = std::size_t(bad - along.bad.begin()); good < end) {
        end = good;
        if (words) { // what comes behind has not been followed
            branches_ = along.branches;
            (void)(end > first ? words_along(*items, common.tool_length, end - first) : 0);
        }
    }
    if (end > first) {
        brakes_.cuts(run, first, end, state);
        note_along(cuts, *items, first, end);
    }
    return end - first;
}

/// Where the path has the rotary joints and with them the linear ones; for how many cuts that is plain.
std::size_t Comparer::words_along(const ExpectedPath::Cuts& items, double tool_length, std::size_t count)
{
    const LinearRun* wanted = items.run;
    if (!in_work_.still()) {
        for (std::size_t i = items.at; i < items.at + count; ++i) {
            along_->in_work.set_pose(i, in_work_(items.run->pose(i)));
        }
        wanted = &along_->in_work;
    }
    return followed_->branches_along(*wanted, items.at, items.at + count, tool_length, branches_, along_->found);
}

/// Poses in the middle of each cut, in the part's frame, and what the budgets of all depend on.
void Comparer::middles_along(const FollowedCuts& cuts, std::size_t first, std::size_t end)
{
    Along& along = *along_;
    const CutRun& run = cuts.run;
    const Chain& chain = this->chain(run.common.mount);
    along.half_way.resize(run.to.size());
    for (std::size_t joint = 0; joint < run.to.size(); ++joint) {
        const Column& to = run.to[joint];
        Column& half_way = along.half_way[joint];
        half_way[first] = run.from(joint, first) + (to[first] - run.from(joint, first)) * 0.5;
        for (std::size_t i = first + 1; i < end; ++i) {
            half_way[i] = to[i - 1] + (to[i] - to[i - 1]) * 0.5;
        }
    }
    follower_.poses_along(run.common.mount, along.half_way, first, end, run.common.tool_length, false, along.middle);
    along.axis_budget = budget_.at_records(chain.kinematics, cuts.to, first, end, along.record.tip_budget);
    std::fill(along.lever_term.begin() + first, along.lever_term.begin() + end, 0);
    for (const JointIndex joint : chain.turning) {
        const double half = budget_.half_increment(joint.value);
        for (std::size_t i = first; i < end; ++i) {
            along.lever_term[i] += cuts.to.lever[joint.value][i] * half;
        }
    }
}

/// Each end against its record.
void Comparer::compare_ends(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end)
{
    Along& along = *along_;
    const CutRun& run = cuts.run;
    const std::size_t shift = items.at - first; // from a cut to its record; may wrap
    for (std::size_t k = 0; k < 3; ++k) {
        along.from_tip[k][first] = items.from.tip[Eigen::Index(k)];
        along.from_axis[k][first] = items.from.axis[Eigen::Index(k)];
        std::copy(&items.run->tip[k][items.at], &items.run->tip[k][end - 1 + shift], &along.from_tip[k][first] + 1);
        std::copy(&items.run->axis[k][items.at], &items.run->axis[k][end - 1 + shift], &along.from_axis[k][first] + 1);
        std::copy(&items.run->tip[k][items.at], &items.run->tip[k][end - 1 + shift] + 1, &along.to_tip[k][first]);
        std::copy(&items.run->axis[k][items.at], &items.run->axis[k][end - 1 + shift] + 1, &along.to_axis[k][first]);
    }
    const double shortest = std::max(1.8 * run.common.length_increment, 2 * still_length);
    for (std::size_t i = first; i < end; ++i) {
        along.length[i] = std::max(distance(along.from_tip, along.to_tip, i), still_length); // what is no longer is not plain
        const double turn = distance(along.from_axis, along.to_axis, i);
        along.piece_turn[i] = 2 * small_arc_sine(0.5 * turn);
        along.record.tip[i] = distance(along.to_tip, cuts.to.tip, i);
        const double chord = distance(along.to_axis, cuts.to.axis, i);
        along.record.axis[i] = 2 * small_arc_sine(0.5 * chord);
        along.record.axis_budget[i] = along.axis_budget;
        const bool fits = along.length[i] >= shortest && turn <= Along::most_turn && cuts.turn[i] <= small_turn &&
                          along.record.tip[i] <= along.record.tip_budget[i] && along.record.axis[i] <= along.axis_budget;
        along.bad[i] += fits ? 0 : 1;
    }
}

/// Each middle against the piece of the path, as sample().
void Comparer::compare_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end)
{
    Along& along = *along_;
    Along::Measures& between = along.between;
    const double tolerance_tip = task_.job.tolerance.tip;
    const double tolerance_axis = task_.job.tolerance.axis;
    for (std::size_t i = first; i < end; ++i) {
        std::array<double, 3> from;
        std::array<double, 3> way;
        std::array<double, 3> gone;
        std::array<double, 3> before;
        std::array<double, 3> turn;
        for (std::size_t k = 0; k < 3; ++k) {
            from[k] = along.from_tip[k][i];
            way[k] = along.to_tip[k][i] - from[k];
            gone[k] = along.middle.tip[k][i] - from[k];
            before[k] = along.from_axis[k][i];
            turn[k] = along.to_axis[k][i] - before[k];
        }
        const double asked = product(way, gone) / std::max(product(way, way), still_length * still_length);
        const double place = asked < 0 ? 0 : asked > 1 ? 1 : asked;
        // The great circle: a short chord divided in proportion and made a unit vector again, otherwise by its angle.
        const double cosine = before[0] * along.to_axis[0][i] + before[1] * along.to_axis[1][i] + before[2] * along.to_axis[2][i];
        std::array<double, 3> towards;
        for (std::size_t k = 0; k < 3; ++k) {
            towards[k] = along.to_axis[k][i] - before[k] * cosine;
        }
        const double chord_square = product(turn, turn);
        const bool by_chord = chord_square < Along::short_chord_square || chord_square > Along::most_turn * Along::most_turn; // not plain
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
            off[k] = from[k] + way[k] * place - along.middle.tip[k][i];
            turned[k] = axis[k] / long_by - along.middle.axis[k][i];
        }
        const double turned_square = product(turned, turned);
        const double off_square = product(off, off);
        const double chord = std::sqrt(turned_square);
        between.tip[i] = std::sqrt(off_square);
        between.axis[i] = 2 * small_arc_sine(0.5 * chord);
        const bool rotary = cuts.turn[i] > 1e-9;
        between.tip_budget[i] = along.record.tip_budget[i] + (rotary ? tolerance_tip : 0);
        between.axis_budget[i] =
            along.axis_budget + along.piece_turn[i] / along.length[i] * along.record.tip_budget[i] + (rotary ? tolerance_axis : 0);
        const bool fits = chord <= Along::most_turn && between.tip[i] <= between.tip_budget[i] && between.axis[i] <= between.axis_budget[i];
        along.bad[i] += fits ? 0 : 1;
    }
}

/// As check_feed(), where each cut makes the whole of its piece.
void Comparer::compare_feeds(const CutRun& run, const Expected& state, std::size_t first, std::size_t end)
{
    Along& along = *along_;
    for (std::size_t i = first; i < end; ++i) {
        const double length = along.length[i];
        const double asked = state.seconds(length, length);
        const double wanted = asked < run.least[i] ? run.least[i] : asked;
        const bool told = length >= shortest_timed && asked > 0 && run.seconds[i] > 0;
        const double off = std::abs(100 * (wanted / (told ? run.seconds[i] : 1) - 1));
        const double allowed = feed_tolerance_percent + 100 * run.feed_precision[i] + 100 * 2 * along.record.tip_budget[i] / length;
        along.percent[i] = told ? off : 0;
        along.bad[i] += along.percent[i] <= allowed ? 0 : 1;
    }
}

/// As check_rotary_words() at a record.
void Comparer::compare_words(const CutRun& run, const InverseSolver& solver, std::size_t item, std::size_t first, std::size_t end)
{
    Along& along = *along_;
    const BranchRun& found = along.found;
    const std::size_t shift = item - first;
    std::array<Column, 2> far;
    std::array<Column, 2> worst;
    for (std::size_t b = 0; b < 2; ++b) {
        std::fill(far[b].begin() + first, far[b].begin() + end, 0);
        std::fill(worst[b].begin() + first, worst[b].begin() + end, 0);
        for (std::size_t k = 0; k < 2; ++k) {
            const std::size_t joint = solver.rotary()[k].value;
            const double allowed = budget_.half_increment(joint) * allowed_share + 1e-9;
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
            const double half = budget_.half_increment(joint) * allowed_share;
            const Column& stand = run.to[joint];
            for (std::size_t i = first; i < end; ++i) {
                const double off = std::abs(stand[i] - found.linear[b][k][i + shift]);
                const double ratio = off / (half + (along.lever_term[i] + BudgetRule::computing_tip));
                worst[b][i] = worst[b][i] < ratio ? ratio : worst[b][i];
            }
        }
    }
    for (std::size_t i = first; i < end; ++i) {
        const double ratio = far[1][i] < far[0][i] ? worst[1][i] : worst[0][i];
        along.bad[i] += ratio <= 1 && found.pole[i + shift] > at_pole ? 0 : 1;
    }
}

/// What has been found of cuts that are all as they should be.
void Comparer::note_along(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end)
{
    Along& along = *along_;
    const CutRun& run = cuts.run;
    const auto block = [&](std::size_t i) { return run.block[i]; };
    for (std::size_t i = first; observer_ != nullptr && i < end; ++i) {
        observer_->measured(block(i), along.between.deviation(i), along.between.budget(i));
        observer_->measured(block(i), along.record.deviation(i), along.record.budget(i));
    }
    const auto measure = [&](const Along::Measures& found, Measured& measured) {
        measured.tip = std::max(measured.tip, largest(found.tip, first, end));
        measured.axis = std::max(measured.axis, largest(found.axis, first, end));
        measured.tip_budget = std::max(measured.tip_budget, largest(found.tip_budget, first, end));
        measured.axis_budget = std::max(measured.axis_budget, largest(found.axis_budget, first, end));
    };
    measure(along.between, report_.between);
    measure(along.record, report_.at_records);
    report_.feed_error_percent = std::max(report_.feed_error_percent, largest(along.percent, first, end));
    report_.compared += end - first;
    Column ratio;
    for (std::size_t i = first; i < end; ++i) {
        ratio[i] = std::max(along.between.ratio(i), along.record.ratio(i));
    }
    if (largest(ratio, first, end) > report_.worst_ratio) {
        const std::size_t worst = std::size_t(std::max_element(ratio.begin() + first, ratio.begin() + end) - ratio.begin());
        report_.worst_ratio = ratio[worst];
        report_.worst_source = place_of(path_.files(), items.run->source(worst + items.at - first));
        report_.worst_code = {code_file_, block(worst).value, 0};
    }
    for (std::size_t joint = 0; joint < last_set_.size(); ++joint) {
        for (std::size_t i = end; i-- > first;) {
            if (std::abs(run.to[joint][i] - run.from(joint, i)) > 1e-12) {
                last_set_[joint] = block(i);
                break;
            }
        }
    }
    for (std::size_t i = first; i < end; ++i) {
        ratio[i] = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            ratio[i] += cuts.to.axis[k][i] * cuts.to.tip[k][i];
        }
    }
    const Pose last = cuts.to.at(end - 1);
    take_front(cuts.to.at(first));
    if (front_axis_.dot(last.axis) > same_direction) {
        front_ = std::max(*front_, largest(ratio, first, end));
    }
    next_ += end - first - 1;
    advance(last);
    path_.pass_cuts(end - first);
}

} // namespace wexilum
