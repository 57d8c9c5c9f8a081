#include "core/solve/ladder.hpp"

#include "core/base/units.hpp"
#include "core/solve/goes_over.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <utility>

namespace wexilum {
namespace {

constexpr double nano = 1e9;
constexpr double no_turn = 1e-9;      // rad
constexpr double same_axis = 1e-9;    // rad
constexpr double stands_still = 1e-7; // rad
constexpr double roomy = 0.2;         // of travel_left(): with more there is room
constexpr double end_strain = 0.1;    // rad: what it is worth to turn in order to stay off an end of travel
constexpr int beside = 3;             // samples on each side of what has been found
constexpr int most_again = 60;        // rounds with samples as far apart

/// What a chain has cost: time in ns, then how far rotary joints have turned, each way weighed by the share of the joint's speed that it
/// takes, in 1e-9 rad. Of ways that take as long the even one weighs least.
struct Cost {
    std::int64_t time = 0;
    std::int64_t strain = 0;
    friend auto operator<=>(const Cost&, const Cost&) = default;
    friend Cost operator+(const Cost& a, const Cost& b) { return {a.time + b.time, a.strain + b.strain}; }
};
constexpr Cost no_chain{std::numeric_limits<std::int64_t>::max() / 2, 0};

/// The way of a joint; of one without end by the shorter way round.
double way_of(const Joint& joint, double from, double to)
{
    const bool endless = joint.kind == JointKind::rotary && !joint.travel;
    return endless ? wrapped(to - from) : to - from;
}

/// How a move is priced.
struct Pricing {
    double least = 0;                  ///< what it takes however fast the joints are, s
    double ease = 0;                   ///< as in LadderOptions
    double pull = 0;                   ///< likewise
    std::optional<JointIndex> free;    ///< that is pulled
    std::optional<JointIndex> retract; ///< of a link: leads the tool away before others turn
};

Cost price(const std::vector<Joint>& joints, const Readings& from, const Readings& to, const Pricing& by)
{
    double seconds = by.least;
    double turned = 0;
    double weighed = 0; // rad s
    double squares = 0; // s^2
    for (std::size_t i = 0; i < joints.size(); ++i) {
        const double way = std::abs(way_of(joints[i], from[Eigen::Index(i)], to[Eigen::Index(i)]));
        seconds = std::max(seconds, way / joints[i].speed);
        if (joints[i].kind == JointKind::rotary) {
            turned += way;
            weighed += way * way / joints[i].speed;
            squares += way * way / (joints[i].speed * joints[i].speed);
        }
    }
    const double strain = seconds > 0 ? weighed / seconds : 0;
    const double off_home = by.free ? std::abs(to[Eigen::Index(by.free->value)] - joints[by.free->value].home) : 0;
    seconds = seconds > 0 ? seconds * (1 + by.pull * off_home) + by.ease * squares / seconds : 0;
    if (by.retract && turned > no_turn) {
        const Joint& joint = joints[by.retract->value];
        const auto at = Eigen::Index(by.retract->value);
        seconds += (std::abs(from[at] - joint.home) + std::abs(to[at] - joint.home)) / joint.speed;
    }
    return {std::llround(seconds * nano), std::llround(strain * nano)};
}

/// How far rotary joints turn in all.
double turn_between(const std::vector<Joint>& joints, const Readings& from, const Readings& to)
{
    double out = 0;
    for (std::size_t i = 0; i < joints.size(); ++i) {
        const auto at = Eigen::Index(i);
        out += joints[i].kind == JointKind::rotary ? std::abs(way_of(joints[i], from[at], to[at])) : 0;
    }
    return out;
}

/// `target`: that the move leads to; null: the first one, from where the machine stands.
Pricing pricing(const PathSolver& solver, const PathTarget* target, const LadderOptions& options)
{
    const auto& free = solver.free_joints();
    const bool link = target == nullptr || target->link;
    return {link ? 0 : target->seconds, options.ease, options.pull, free.empty() ? std::nullopt : std::optional(free.front()),
            target != nullptr && link ? options.retract : std::nullopt};
}

/// Where a cut does not turn the tool the rotary joints stand still.
bool stands_at(const PathTarget& before, const PathTarget& target)
{
    return target.curve == nullptr ? angle_between(before.pose.axis, target.pose.axis) < same_axis : target.curve->turn() < same_axis;
}

/// What it costs to stand near an end of travel: among ways that take as long those are taken that keep off.
std::int64_t near_end(const std::vector<Joint>& joints, const Readings& readings)
{
    const double short_of = std::max(0.0, 1 - travel_left(joints, readings) / roomy);
    return std::llround(short_of * short_of * end_strain * nano);
}

struct Rung {
    std::vector<Candidate> candidates;
    std::vector<std::int64_t> ends; ///< strain of each candidate's nearness to ends of travel
    std::vector<Cost> costs;
    std::vector<std::uint32_t> from;                                   ///< on the rung before
    std::vector<std::uint32_t> order;                                  ///< by cost
    std::map<std::pair<std::uint32_t, std::uint32_t>, bool> looked_at; ///< from there to here: whether the joints go over
    bool closely = false;                                              ///< all that joins it to the rung before is looked at
    bool begins = false;                                               ///< nothing has to go over to it
    bool broken = false;
};

/// One search over given samples.
class Search {
public:
    Search(const PathSolver& solver, const std::vector<PathTarget>& targets, const Readings& start, const LadderOptions& options)
        : solver_(solver), targets_(targets), start_(start), options_(options), rungs_(targets.size())
    {}

    std::vector<Candidate>& candidates(std::size_t i) { return rungs_[i].candidates; }

    /// The candidate of each rung; nothing where it has none.
    std::vector<std::optional<std::uint32_t>> run()
    {
        std::size_t dirty = 0;
        while (true) {
            for (std::size_t i = dirty; i < rungs_.size(); ++i) {
                take(i);
            }
            auto chain = trace_back();
            const auto jump = first_jump(chain);
            if (!jump) {
                return chain;
            }
            rungs_[*jump].closely = true;
            dirty = *jump;
        }
    }
    [[nodiscard]] bool broken(std::size_t i) const { return rungs_[i].broken; }

private:
    /// The rung before one, of those that have candidates.
    [[nodiscard]] const Rung* before(std::size_t i) const { return i > 0 && !rungs_[i - 1].candidates.empty() ? &rungs_[i - 1] : nullptr; }

    void take(std::size_t i)
    {
        Rung& rung = rungs_[i];
        const Rung* last = before(i);
        rung.begins = last == nullptr || targets_[i].link;
        rung.broken = false;
        choose(i);
        if (!rung.begins && !rung.candidates.empty() &&
            std::all_of(rung.costs.begin(), rung.costs.end(), [](const Cost& cost) { return cost >= no_chain; })) {
            rung.begins = rung.broken = true;
            choose(i);
        }
    }

    void choose(std::size_t i)
    {
        Rung& rung = rungs_[i];
        const Rung* last = before(i);
        const std::size_t count = rung.candidates.size();
        for (std::size_t k = rung.ends.size(); k < count; ++k) {
            rung.ends.push_back(near_end(solver_.joints(), rung.candidates[k].readings));
        }
        rung.costs.assign(count, no_chain);
        rung.from.assign(count, 0);
        const Pricing by = pricing(solver_, last == nullptr ? nullptr : &targets_[i], options_);
        const bool stands = !rung.begins && last != nullptr && stands_at(targets_[i - 1], targets_[i]);
        for (std::uint32_t to = 0; to < count; ++to) {
            const Readings& here = rung.candidates[to].readings;
            if (last == nullptr) {
                rung.costs[to] = price(solver_.joints(), standing(i), here, by) + Cost{0, rung.ends[to]};
                continue;
            }
            for (const std::uint32_t from : last->order) {
                if (last->costs[from] > rung.costs[to] || last->costs[from] >= no_chain) {
                    break; // none that follows is cheaper
                }
                const Readings& before = last->candidates[from].readings;
                if (stands && turn_between(solver_.joints(), before, here) > stands_still) {
                    continue;
                }
                const Cost cost = last->costs[from] + price(solver_.joints(), before, here, by) + Cost{0, rung.ends[to]};
                const bool better = cost < rung.costs[to] || (cost == rung.costs[to] && cost < no_chain && from < rung.from[to]);
                if (better && (rung.begins || may_go_over(i, from, to))) {
                    rung.costs[to] = cost;
                    rung.from[to] = from;
                }
            }
        }
        rung.order.resize(count);
        std::iota(rung.order.begin(), rung.order.end(), 0);
        std::stable_sort(rung.order.begin(), rung.order.end(),
                         [&](std::uint32_t a, std::uint32_t b) { return rung.costs[a] < rung.costs[b]; });
    }

    /// Where the machine is before a rung that follows none with candidates.
    [[nodiscard]] const Readings& standing(std::size_t i) const
    {
        while (i > 0) {
            if (const Rung& rung = rungs_[--i]; !rung.candidates.empty()) {
                return rung.candidates[rung.order.front()].readings;
            }
        }
        return start_;
    }

    /// Known not to, or looked at here where the rung asks for it.
    bool may_go_over(std::size_t i, std::uint32_t from, std::uint32_t to)
    {
        return (!rungs_[i].closely && !rungs_[i].looked_at.contains({from, to})) || goes_over(i, from, to);
    }

    /// Looked at once.
    bool goes_over(std::size_t i, std::uint32_t from, std::uint32_t to)
    {
        const auto [known, is_new] = rungs_[i].looked_at.try_emplace({from, to}, false);
        if (!is_new) {
            return known->second;
        }
        const PathTarget& target = targets_[i];
        const PathPiece line{targets_[i - 1].pose, target.pose, {}};
        const Readings& before = rungs_[i - 1].candidates[from].readings;
        Readings here = rungs_[i].candidates[to].readings;
        for (std::size_t j = 0; j < solver_.joints().size(); ++j) {
            const auto at = Eigen::Index(j);
            here[at] = before[at] + way_of(solver_.joints()[j], before[at], here[at]);
        }
        known->second = wexilum::goes_over(solver_, target.curve != nullptr ? *target.curve : line, target.tool_length, before, here);
        return known->second;
    }

    [[nodiscard]] std::vector<std::optional<std::uint32_t>> trace_back() const
    {
        std::vector<std::optional<std::uint32_t>> out(rungs_.size());
        for (std::size_t i = rungs_.size(); i-- > 0;) {
            const Rung& rung = rungs_[i];
            if (rung.candidates.empty()) {
                continue;
            }
            const bool goes_on = i + 1 < rungs_.size() && out[i + 1].has_value();
            out[i] = goes_on ? rungs_[i + 1].from[*out[i + 1]] : rung.order.front();
        }
        return out;
    }

    /// The first rung of a chain to which the joints would have to jump.
    std::optional<std::size_t> first_jump(const std::vector<std::optional<std::uint32_t>>& chain)
    {
        for (std::size_t i = 1; i < rungs_.size(); ++i) {
            if (!rungs_[i].begins && chain[i] && chain[i - 1] && !goes_over(i, *chain[i - 1], *chain[i])) {
                return i;
            }
        }
        return std::nullopt;
    }

    const PathSolver& solver_;
    const std::vector<PathTarget>& targets_;
    const Readings& start_;
    const LadderOptions& options_;
    std::vector<Rung> rungs_;
};

/// What a free joint may read: from end to end of its travel, or once round.
std::vector<double> samples(const Joint& joint, double standing, const LadderOptions& options)
{
    const double low = joint.travel ? joint.travel->low : standing - pi;
    const double high = joint.travel ? joint.travel->high : standing + pi;
    const double step = std::max(options.step, (high - low) / double(std::max<std::size_t>(options.most_samples, 2) - 1));
    std::vector<double> out;
    // Counted from where it stands, so that it may stay there.
    const double first = standing - std::floor((standing - low) / step) * step;
    for (int k = 0; first + k * step <= high; ++k) {
        out.push_back(first + k * step);
    }
    for (const double end : {low, high}) {
        out.push_back(end);
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end(), [](double a, double b) { return b - a < 1e-12; }), out.end());
    return out;
}

Readings with_free(const PathSolver& solver, Readings readings, double free)
{
    for (const JointIndex joint : solver.free_joints()) {
        readings[Eigen::Index(joint.value)] = free;
    }
    return readings;
}

void add(std::vector<Candidate>& to, const PathSolver& solver, const PathTarget& target, const Readings& near, double free)
{
    auto found = solver.candidates(target.pose, target.tool_length, with_free(solver, near, free));
    to.insert(to.end(), std::make_move_iterator(found.begin()), std::make_move_iterator(found.end()));
}

/// What a free joint may read about what has been chosen; nothing where nothing could be.
std::vector<double> about(const Choice& choice, JointIndex joint, double step)
{
    std::vector<double> out;
    if (choice.readings.size() > 0) {
        out.push_back(choice.readings[Eigen::Index(joint.value)]); // first, so that it stays where nothing is better
        for (int k = 1; k <= beside; ++k) {
            out.push_back(out.front() - k * step);
            out.push_back(out.front() + k * step);
        }
    }
    return out;
}

/// The cheapest chain for given samples by target; what it costs.
template <typename Samples>
Cost search(const PathSolver& solver, const std::vector<PathTarget>& targets, const Readings& start, const LadderOptions& options,
            const Samples& samples_at, std::vector<Choice>& out)
{
    Search search(solver, targets, start, options);
    for (std::size_t i = 0; i < targets.size(); ++i) {
        for (const double sample : samples_at(i)) {
            add(search.candidates(i), solver, targets[i], start, sample);
        }
    }
    const auto chain = search.run();
    Cost cost;
    const Readings* before = &start;
    for (std::size_t i = 0; i < targets.size(); ++i) {
        if (chain[i]) {
            const Candidate& found = search.candidates(i)[*chain[i]];
            out[i] = {found.readings,
                      found.outcome,
                      found.residual,
                      found.pole,
                      search.broken(i) ? ChoiceProblem::broken : ChoiceProblem::none,
                      JointIndex(),
                      0,
                      Vec3::UnitZ()};
            const Pricing by = pricing(solver, before == &start ? nullptr : &targets[i], options);
            cost = cost + price(solver.joints(), *before, out[i].readings, by) + Cost{0, near_end(solver.joints(), out[i].readings)};
            before = &out[i].readings;
        }
    }
    return cost;
}

/// Why nothing reaches a target: of the samples the one that comes nearest.
Choice out_of_reach_at(const PathSolver& solver, const PathTarget& target, const Readings& near, const std::vector<double>& samples)
{
    std::optional<OutOfReach> why;
    for (const double sample : samples) {
        const OutOfReach here = solver.why_not(target.pose, target.tool_length, with_free(solver, near, sample));
        const auto key = [](const OutOfReach& of) { return std::pair(of.missed_by, std::abs(of.beyond)); };
        if (!why || key(here) < key(*why)) {
            why = here;
        }
    }
    Choice out;
    out.problem = why->joint ? ChoiceProblem::beyond_travel : ChoiceProblem::unreachable;
    out.joint = why->joint.value_or(JointIndex());
    out.missed_by = why->joint ? why->beyond : why->missed_by;
    out.nearest_axis = why->nearest_axis;
    return out;
}

/// Endless joints go on from turn to turn.
void unwind(const std::vector<Joint>& joints, const Readings& start, std::vector<Choice>& choices)
{
    Readings before = start;
    for (Choice& choice : choices) {
        if (choice.readings.size() == 0) {
            continue;
        }
        Readings& here = choice.readings;
        for (std::size_t j = 0; j < joints.size(); ++j) {
            const auto at = Eigen::Index(j);
            here[at] = before[at] + way_of(joints[j], before[at], here[at]);
        }
        before = here;
    }
}

} // namespace

std::vector<Choice> LadderChooser::choose(const std::vector<PathTarget>& targets, const Readings& start) const
{
    const PathSolver& solver = solver_;
    std::vector<Choice> out(targets.size());
    const bool free = !solver.free_joints().empty();
    const std::vector<double> first = free ? samples(solver.joints()[solver.free_joints().front().value],
                                                     start[Eigen::Index(solver.free_joints().front().value)], options_)
                                           : std::vector<double>{0};
    Cost cost = search(
        solver, targets, start, options_, [&](std::size_t) -> const std::vector<double>& { return first; }, out);
    for (std::size_t i = 0; i < targets.size(); ++i) {
        if (out[i].readings.size() == 0) {
            out[i] = out_of_reach_at(solver, targets[i], start, first);
        }
    }
    double step = options_.step;
    for (int halved = 0; free && halved < options_.refinements; ++halved) {
        step /= 2;
        const auto near = [&](std::size_t i) { return about(out[i], solver.free_joints().front(), step); };
        for (int again = 0; again < most_again; ++again) { // as long as the chain moves on
            const Cost now = search(solver, targets, start, options_, near, out);
            if (!(now < cost)) {
                break;
            }
            cost = now;
        }
    }
    unwind(solver.joints(), start, out);
    return out;
}

} // namespace wexilum
