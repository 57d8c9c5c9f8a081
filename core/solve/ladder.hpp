// The choice of whole readings along a path where the machine has joints to spare: a rung for each target, and on it every posture and turn
// for every sample of what is free.
//
// The cheapest chain of one candidate a rung is taken: the sum over all moves of the time that the slowest joint needs, and of what
// LadderOptions adds to it; ties by less
// turning, then by the candidate that comes first (dynamic programming over a layered graph: R. Bellman, Dynamic Programming, 1957). What
// joins two candidates in a cut is only looked at closely where it is on a cheapest chain: both must be of one continuous course of all
// joints, the free ones in proportion. Then the samples are taken about the chain that has been found, as long as that gets cheaper, and
// then half as far apart.
#pragma once

#include "core/solve/path_choice.hpp"
#include "core/solve/path_solver.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct LadderOptions {
    double step = 0.0872664625997165; ///< rad: between samples of a free joint
    int refinements = 5;              ///< how often that is halved
    std::size_t most_samples = 721;   ///< of a free joint
    double pull = 0; ///< 1/rad: by what share of its time a move costs more for each rad that a free joint is from its home
    double ease = 0; ///< what a second at full speed of a rotary joint costs beside the time: with more they turn less
    std::optional<JointIndex> retract; ///< goes home and comes back where rotary joints turn in a link; none: they turn as they are
};

/// Behind a target with a problem the path is chosen anew as after a link. Memory grows with the path: some hundred bytes for each
/// candidate of each target.
class LadderChooser final : public WholeChooser {
public:
    /// The solver must outlive the chooser. Precondition: it has at most one free joint; options.step > 0.
    explicit LadderChooser(const PathSolver& solver, const LadderOptions& options = {}) : solver_(solver), options_(options) {}
    /// The free joint's reading in `start` is one of its first samples.
    [[nodiscard]] std::vector<Choice> choose(const std::vector<PathTarget>& targets, const Readings& start) const override;

private:
    const PathSolver& solver_;
    LadderOptions options_;
};

} // namespace wexilum
