// Where one move needs points between its ends, because the control does not move the tool the agreed way: line or arc for the
// tip, great circle for the axis.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/solve/inverse.hpp"

#include <vector>

namespace wexilum {

struct Tolerance {
    double tip = 0.005;   ///< mm across the way
    double axis = 3.5e-4; ///< rad from the great circle at the same place of the way
};

/// What the control does between two points.
enum class Interpolation {
    joints,         ///< every joint in proportion
    tip_and_joints, ///< tool-centre-point control: the tip on the line, each rotary joint in proportion
    tip_and_vector, ///< tool-centre-point control: the tip on the line, the tool axis on the great circle
};

struct Waypoint {
    double s = 0; ///< fraction of the piece
    Turns turns{};
};

struct Subdivision {
    std::vector<Waypoint> points; ///< the last is the end; the start is not among them
    Deviation worst;              ///< over all parts; a bound of it where that alone showed that the move needs no points
    bool capped = false;          ///< more points would be needed than allowed
};

/// Most points of one move.
inline constexpr int most_points = 512;

/// The rotary readings of a branch at fraction s of a piece whose ends read `a` and `b` on that same sheet.
[[nodiscard]] Turns turns_between(const InverseSolver& solver, const PathPiece& piece, int branch, const Turns& a, const Turns& b,
                                  double s);

/// Splits a piece until the control's own interpolation stays within the tolerance. `start` and `end` are readings of one sheet of
/// `branch`; poses are in the work mount's frame. `out` is filled anew.
void subdivide(const InverseSolver& solver, const PathPiece& piece, int branch, const Turns& start, const Turns& end, double tool_length,
               const Tolerance& tolerance, Interpolation interpolation, Subdivision& out);

/// The largest deviation between two points of a piece, from samples inside.
[[nodiscard]] Deviation chord_deviation(const InverseSolver& solver, const PathPiece& piece, const Waypoint& a, const Waypoint& b,
                                        double tool_length, Interpolation interpolation);

/// A deviation that is not exceeded between two points of a straight piece: a curve leaves its chord by no more than an eighth of
/// its largest second derivative. With w the sum of the turns, L the lever and v the way of the linear joints the tip's second
/// derivative is at most w^2 L + 2 w v, the axis' at most w^2.
[[nodiscard]] Deviation deviation_bound(const InverseSolver& solver, const PathPiece& piece, const Waypoint& a, const Waypoint& b,
                                        double tool_length, Interpolation interpolation);

} // namespace wexilum
