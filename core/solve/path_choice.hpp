// Which branch and turn the rotary joints take along a path.
//
// The path falls into sections that begin at links (moves in rapid), where the sheet may change. At the beginning of a
// section every branch and turn inside travel is tried in the order of the time the slowest joint needs from where the
// machine stands, and followed through the whole section; the first that stays inside travel is taken. Ties go to the smaller
// sum of turns, then to the first branch. Inside a section the sheet never changes.
#pragma once

#include "core/solve/inverse.hpp"

#include <optional>
#include <vector>

namespace wexilum {

struct PathTarget {
    Pose pose;              ///< in the frame of the work mount
    double tool_length = 0; ///< mm
    bool link = false;      ///< reached in rapid: the sheet may change here
};

enum class ChoiceProblem {
    none,
    unreachable,   ///< no readings bring the tool axis there; `missed_by` rad
    beyond_travel, ///< every sheet leaves travel in this section; joint and `missed_by` (mm or rad) of the one that came furthest
    torn,          ///< the sheet could not be followed to this target
};

struct Choice {
    Readings readings; ///< where there is a problem: the nearest that could be had, so that later checks can go on
    Outcome outcome = Outcome::solved;
    double residual = 0; ///< rad
    double pole = 10;    ///< rad from the nearest pole
    ChoiceProblem problem = ChoiceProblem::none;
    JointIndex joint; ///< for beyond_travel
    double missed_by = 0;
    Vec3 nearest_axis = Vec3::UnitZ(); ///< for unreachable, in the work's frame
};

/// One choice for each target, in order, starting from `start`. Deterministic.
[[nodiscard]] std::vector<Choice> choose_path(const InverseSolver& solver, const Machine& machine, const std::vector<PathTarget>& targets,
                                              const Readings& start);

/// Follows the sheet of `from` along the piece to its end; nothing where it tears or can't be reached.
[[nodiscard]] std::optional<Candidate> follow(const InverseSolver& solver, const Pose& from_pose, const Readings& from, const Pose& to,
                                              double tool_length);

} // namespace wexilum
