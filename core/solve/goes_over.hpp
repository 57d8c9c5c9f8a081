// Whether a cut can be carried on from some readings of the joints to others.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/solve/path_solver.hpp"

namespace wexilum {

/// Whether the joints go over from one candidate's readings to another's along a cut, without a jump. The free joints go in proportion.
[[nodiscard]] bool goes_over(const PathSolver& solver, const PathPiece& way, double tool_length, const Readings& from, const Readings& to);

} // namespace wexilum
