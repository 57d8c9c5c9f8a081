#include "core/solve/path_choice.hpp"

#include "core/base/lanes.hpp"
#include "core/base/units.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/solve/free_joint.hpp"
#include "core/solve/plan_format.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace wexilum {

using namespace plan;

namespace {

constexpr double slack = 1e-9;              // mm or rad beyond travel that is rounding
constexpr std::size_t longest_wait = 64;    // targets at a pole that wait for the way on
constexpr std::size_t longest_stay = 20000; // targets in a pole that are brought inside travel together

constexpr auto code(Planned::Entry entry) { return static_cast<std::uint8_t>(entry); }

} // namespace

PathChooser::PathChooser(const InverseSolver& solver, const Machine& machine, const Readings& start, Spool& steps, Spool& decisions)
    : solver_(&solver), machine_(machine), steps_(steps), decisions_(decisions), decision_spool_(decisions)
{
    take_joints();
    Survivor standing;
    for (std::size_t i = 0; i < standing.end.size(); ++i) {
        standing.end[i] = joints_[i] ? start[Eigen::Index(joints_[i]->value)] : 0;
    }
    survivors_.push_back(standing);
    lifts_.fill(solver.turns_of(start));
}

/// The joints of the solver at hand, with their speeds and travel.
void PathChooser::take_joints()
{
    rotary_ = solver_->settled().size();
    branch_count_ = rotary_ == 2 ? 2 : 1;
    per_speed_.fill(0);
    travel_low_.fill(-std::numeric_limits<double>::infinity());
    travel_high_.fill(std::numeric_limits<double>::infinity());
    joints_.fill(std::nullopt);
    const auto place = [&](std::size_t i, JointIndex index) {
        const Joint& joint = machine_.joints[index.value];
        joints_[i] = index;
        per_speed_[i] = 1 / joint.speed;
        if (joint.travel) {
            travel_low_[i] = joint.travel->low - slack;
            travel_high_[i] = joint.travel->high + slack;
        }
    };
    sense_.fill(0);
    for (std::size_t i = 0; i < rotary_; ++i) {
        place(i, solver_->settled()[i]);
        sense_[i] = machine_.joints[solver_->settled()[i].value].preferred_sense;
    }
    for (std::size_t i = 0; i < 3; ++i) {
        place(first_linear + i, solver_->linear()[i]);
    }
}

void PathChooser::change_solver(const InverseSolver& solver, const Readings& standing)
{
    settle_pending(nullptr);
    close();
    const auto before = joints_;
    solver_ = &solver;
    take_joints();
    for (Survivor& survivor : survivors_) {
        const Chain end = survivor.end;
        for (std::size_t i = 0; i < joints_.size(); ++i) {
            const auto stood = std::find(before.begin(), before.end(), joints_[i]);
            survivor.end[i] = !joints_[i]             ? 0
                              : stood != before.end() ? end[std::size_t(stood - before.begin())]
                                                      : standing[Eigen::Index(joints_[i]->value)];
        }
    }
    lifts_.fill({survivors_.front().end[0], survivors_.front().end[1]});
}

/// `found`: the branches whose turns the lifts are, where they are at hand.
std::array<PathChooser::Chain, 2> PathChooser::chains_at(const Lifts& lifts, const Vec3& tip, double tool_length,
                                                         const Branches* found) const
{
    const bool known = found != nullptr && rotary_ == 2 && solver_->linear_together();
    std::array<Chain, 2> out{};
    for (std::size_t b = 0; b < std::size_t(branch_count_); ++b) {
        const Vec3 linear = known ? solver_->linear_readings(found->sine[b], found->cosine[b], tip, tool_length)
                                  : solver_->linear_readings(lifts[b], tip, tool_length);
        out[b] = {lifts[b][0], lifts[b][1], linear[0], linear[1], linear[2]};
    }
    return out;
}

std::pair<std::int32_t, std::int32_t> PathChooser::turn_range(std::size_t rotary, double low, double high) const
{
    const auto whole = [](double v) { return static_cast<std::int32_t>(std::clamp(v, -1e9, 1e9)); };
    return {whole(std::ceil((travel_low_[rotary] - low) / whole_turn)), whole(std::floor((travel_high_[rotary] - high) / whole_turn))};
}

/// How far a chain that goes from `low` to `high` stays inside travel as it stands: negative where a joint is beyond.
double PathChooser::room(const Chain& low, const Chain& high) const
{
    double out = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < low.size(); ++i) {
        out = std::min({out, low[i] - travel_low_[i], travel_high_[i] - high[i]});
    }
    return out;
}

bool PathChooser::fits(const Chain& low, const Chain& high) const
{
    for (std::size_t i = first_linear; i < low.size(); ++i) {
        if (low[i] < travel_low_[i] || high[i] > travel_high_[i]) {
            return false;
        }
    }
    for (std::size_t i = 0; i < first_linear; ++i) {
        const auto [least, most] = turn_range(i, low[i], high[i]); // empty for a band wider than travel
        if (least > most) {
            return false;
        }
    }
    return true;
}

// --- following ------------------------------------------------------------------------------------------------------

/// The whole turns, in rad, that bring both branches' first readings nearest to the last target's. Both stand at equal angles on either
/// side of the tool's azimuth about the first axis. The azimuth turns by less than half a turn along a great circle that misses the
/// pole, so the nearest turn is the right one.
double PathChooser::turn_to(const Branches& found) const
{
    const double azimuth = 0.5 * (found.turns[0][0] + found.turns[1][0]);
    const double before = 0.5 * (lifts_[0][0] + lifts_[1][0]);
    return std::abs(before - azimuth) > pi ? whole_turn * std::round((before - azimuth) / whole_turn) : 0;
}

PathChooser::Lifts PathChooser::lifts_near(const Branches& found) const
{
    Lifts out = found.turns;
    if (rotary_ == 1) {
        out[0][0] += whole_turn * std::round((lifts_[0][0] - out[0][0]) / whole_turn);
    } else if (rotary_ == 2) {
        const double turn = turn_to(found);
        out[0][0] += turn;
        out[1][0] += turn;
    }
    return out;
}

PathChooser::Lifts PathChooser::at_the_pole(bool opposite) const
{
    Lifts out = lifts_;
    const Branches there = solver_->branches(opposite ? Vec3(-solver_->pole_axis()) : solver_->pole_axis());
    for (std::size_t b = 0; b < 2; ++b) {
        out[b][1] = there.turns[b][1];
    }
    return out;
}

void PathChooser::begin(const Lifts& lifts, const Vec3& tip, double tool_length)
{
    frozen_.clear();
    beyond_ = false;
    open_ = true;
    const std::array<Chain, 2> here = chains_at(lifts, tip, tool_length, nullptr);
    stretch_ = {};
    for (std::size_t b = 0; b < std::size_t(branch_count_); ++b) {
        const double inside = room(here[b], here[b]);
        stretch_[b] = {here[b], here[b], here[b], here[b], 0, 0, inside, inside >= 0 || fits(here[b], here[b])};
    }
    if (!stretch_[0].alive && !stretch_[1].alive) {
        beyond_ = true;
        for (int b = 0; b < branch_count_; ++b) {
            frozen_.push_back({b, {}, {true, true}});
        }
    }
}

/// Carries all branches on along cuts. Where no sheet would be left inside travel nothing is changed and false is the answer, unless it is
/// to be done anyway.
WEXILUM_WIDE bool PathChooser::advance(const Ways& ways, std::size_t count, bool anyway)
{
    Stretch after = stretch_;
    for (std::size_t b = 0; b < std::size_t(branch_count_); ++b) {
        Track& track = after[b];
        Column step;
        Column slowest;
        Column turned;
        std::fill_n(slowest.begin(), count, 0);
        std::fill_n(turned.begin(), count, 0);
        for (std::size_t joint = 0; joint < most_chain; ++joint) {
            const double* const at = ways[b][joint];
            const Eigen::Map<const Eigen::ArrayXd> readings(at, Eigen::Index(count));
            track.low[joint] = std::min(track.low[joint], readings.minCoeff());
            track.high[joint] = std::max(track.high[joint], readings.maxCoeff());
            step[0] = std::abs(at[0] - track.last[joint]);
            for (std::size_t i = 1; i < count; ++i) {
                step[i] = std::abs(at[i] - at[i - 1]);
            }
            const double per_speed = per_speed_[joint];
            for (std::size_t i = 0; i < count; ++i) {
                const double seconds = step[i] * per_speed;
                slowest[i] = slowest[i] < seconds ? seconds : slowest[i];
            }
            for (std::size_t i = 0; i < count && joint < first_linear; ++i) {
                turned[i] += step[i];
            }
            track.last[joint] = at[count - 1];
        }
        for (std::size_t i = 0; i < count; ++i) {
            track.seconds += slowest[i];
            track.turned += turned[i];
        }
        track.room = room(track.low, track.high);
        track.alive = track.alive && (track.room >= 0 || fits(track.low, track.high)); // what is inside as it stands needs no whole turns
    }
    if (!after[0].alive && !after[1].alive && !beyond_) {
        if (!anyway) {
            return false;
        }
        frozen_ = sheets();
        beyond_ = true;
    }
    stretch_ = after;
    return true;
}

/// The same to one point.
bool PathChooser::advance_to(const Lifts& lifts, const Vec3& tip, double tool_length, bool anyway, const Branches* found)
{
    const std::array<Chain, 2> at = chains_at(lifts, tip, tool_length, found);
    Ways ways{};
    for (std::size_t b = 0; b < 2; ++b) {
        for (std::size_t joint = 0; joint < most_chain; ++joint) {
            ways[b][joint] = &at[b][joint];
        }
    }
    return advance(ways, 1, anyway);
}

PathChooser::Seen PathChooser::add(const PathTarget& target) { return add_found(target, solver_->branches(target.pose.axis)); }

PathChooser::Seen PathChooser::add_found(const PathTarget& target, const Branches& found)
{
    Seen seen;
    seen.residual = found.residual;
    seen.pole = found.pole;
    if (found.count == 0) {
        seen.problem = ChoiceProblem::unreachable;
        seen.missed_by = found.missed_by;
        seen.nearest_axis = found.nearest_axis;
        settle_pending(nullptr);
        close();
        write_step(code(Planned::Entry::lost), lifts_);
        return seen;
    }
    const bool pole = found.pole <= at_pole;
    if (target.link || (!open_ && pending_.empty())) {
        settle_pending(nullptr);
        close();
        if (pole) {
            pending_.push_back(target);
            return seen;
        }
        lifts_ = lifts_near(found);
        begin(lifts_, target.pose.tip, target.tool_length);
        write_step(code(Planned::Entry::link), lifts_);
        here_ = target.pose;
        here_pole_ = found.pole;
    } else {
        if (!pending_.empty()) {
            if (pole && pending_.size() < longest_stay) {
                pending_.push_back(target);
                pending_.back().curve = nullptr;
                return seen;
            }
            settle_pending(pole || pending_.size() > longest_wait ? nullptr : &found);
        }
        cut(target, found);
    }
    if (beyond_) {
        seen.problem = ChoiceProblem::beyond_travel;
    }
    return seen;
}

/// Brings the free joint where targets in a pole are inside travel, from where it stands by the least; it stays where no reading does that.
void PathChooser::free_joint_inside(const std::vector<PathTarget>& waiting)
{
    std::vector<FreeTarget> targets;
    targets.reserve(waiting.size());
    for (const PathTarget& target : waiting) {
        const Lifts there = at_the_pole(target.pose.axis.dot(solver_->pole_axis()) < 0);
        targets.push_back({target.pose.tip, target.tool_length, there[0][1]});
    }
    const bool together = std::abs(lifts_[0][0] - lifts_[1][0]) < slack || branch_count_ == 1;
    const Lifts before = lifts_;
    for (std::size_t b = 0; b < 2; ++b) {
        const double standing = before[together ? 0 : b][0];
        const auto readings = free_readings(*solver_, targets, standing);
        if (!readings) {
            return;
        }
        const auto [below, above] = *readings;
        const bool lower = branch_count_ == 1 || !together ? standing - below <= above - standing : b == 0;
        lifts_[b][0] = lower ? below : above;
    }
}

/// The targets at a pole that begin a cut take the free joint's reading from the way on, or leave the joint where it stands.
void PathChooser::settle_pending(const Branches* next)
{
    if (pending_.empty()) {
        return;
    }
    const std::vector<PathTarget> waiting = std::move(pending_);
    pending_.clear();
    if (next != nullptr) {
        lifts_ = lifts_near(*next);
    } else {
        free_joint_inside(waiting);
    }
    for (std::size_t i = 0; i < waiting.size(); ++i) {
        const PathTarget& target = waiting[i];
        const bool opposite = target.pose.axis.dot(solver_->pole_axis()) < 0;
        const Lifts lifts = at_the_pole(opposite);
        if (i == 0) {
            begin(lifts, target.pose.tip, target.tool_length);
            write_step(code(Planned::Entry::link), lifts);
        } else {
            std::uint8_t entry = code(Planned::Entry::cut);
            Lifts depart{};
            move_to(lifts, target.pose.tip, target, entry, depart);
            write_step(entry, lifts);
            if (entry == code(Planned::Entry::reorient)) {
                steps_.put(depart);
            }
        }
        lifts_ = lifts;
        here_ = target.pose;
        here_pole_ = 0;
    }
}

/// One straight part of a cut. Where no sheet would be left and the job allows it the stretch ends at the point before.
void PathChooser::move_to(const Lifts& lifts, const Vec3& tip, const PathTarget& target, std::uint8_t& entry, Lifts& depart,
                          const Branches* found)
{
    if (advance_to(lifts, tip, target.tool_length, false, found)) {
        return;
    }
    if (target.may_reorient) {
        close();
        begin(lifts_, here_.tip, target.tool_length);
        entry = code(Planned::Entry::reorient);
        depart = lifts_;
    }
    advance_to(lifts, tip, target.tool_length, true);
}

void PathChooser::cut(const PathTarget& target, const Branches& found)
{
    const auto piece = [&] { return target.curve != nullptr ? *target.curve : PathPiece{here_, target.pose, std::nullopt}; };
    const bool pole = found.pole <= at_pole;
    const Vec3& axis = solver_->pole_axis();
    Lifts lifts = pole ? at_the_pole(target.pose.axis.dot(axis) < 0) : lifts_near(found);
    std::optional<double> pass;
    bool opposite = false;
    if (rotary_ == 2 && !pole) {
        const double chord = (target.pose.axis - here_.axis).lpNorm<1>(); // at least
        if (here_pole_ <= at_pole) {
            opposite = here_.axis.dot(axis) < 0;
            const bool turns = std::abs(lifts[0][0] - lifts_[0][0]) > 1e-12 || std::abs(lifts[1][0] - lifts_[1][0]) > 1e-12;
            pass = turns ? std::optional(0.0) : std::nullopt;
        } else if (std::min(found.pole, here_pole_) <= clear_of_poles * (chord + at_pole)) {
            opposite = (here_.axis + target.pose.axis).dot(axis) < 0;
            const auto nearest = nearest_pass(here_.axis, target.pose.axis, opposite ? Vec3(-axis) : axis);
            if (nearest && solver_->reaches_pole(opposite) && nearest->s > 0 && nearest->s < 1 && nearest->distance <= at_pole) {
                pass = piece().turned_to(opposite ? Vec3(-axis) : axis, nearest->s);
            }
        }
    }
    std::uint8_t entry = code(Planned::Entry::cut);
    Lifts depart{};
    if (pass) {
        PoleStep step{*pass, at_the_pole(opposite), {}};
        const Vec3 tip = piece().at(*pass).tip;
        if (*pass > 0) {
            advance_to(step.arrive, tip, target.tool_length, true);
        }
        close();
        step.depart = step.arrive;
        for (std::size_t b = 0; b < 2; ++b) {
            step.depart[b][0] = lifts[b][0];
        }
        begin(step.depart, tip, target.tool_length);
        advance_to(lifts, target.pose.tip, target.tool_length, true);
        write_step(code(Planned::Entry::pole), lifts, opposite);
        steps_.put(step);
    } else {
        if (target.curve != nullptr) {
            // Travel along the curve, not only at its end.
            for (int i = 1; i < 8; ++i) {
                const Pose between = target.curve->at(i / 8.0);
                advance_to(pole ? lifts : lifts_near(solver_->branches(between.axis)), between.tip, target.tool_length, true);
            }
        }
        move_to(lifts, target.pose.tip, target, entry, depart, pole ? nullptr : &found);
        write_step(entry, lifts);
        if (entry == code(Planned::Entry::reorient)) {
            steps_.put(depart);
        }
    }
    lifts_ = lifts;
    here_ = target.pose;
    here_pole_ = found.pole;
}

void PathChooser::write_step(std::uint8_t entry, const Lifts& lifts, bool opposite)
{
    steps_.put(StepHead{entry, opposite ? std::uint8_t{1} : std::uint8_t{0}});
    steps_.put(lifts);
}

} // namespace wexilum
