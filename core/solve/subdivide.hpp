// Where one move needs points between its ends, because the control moves each joint in proportion and the tool would
// leave the agreed way.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/solve/inverse.hpp"

#include <vector>

namespace wexilum {

struct Tolerance {
    double tip = 0.005;   ///< mm across the way
    double axis = 3.5e-4; ///< rad from the great circle at the same place of the way
};

struct Waypoint {
    double s = 0; ///< fraction of the piece
    Readings readings;
};

struct Subdivision {
    std::vector<Waypoint> points; ///< the last is the end; the start is not among them
    Deviation worst;              ///< of the joint-proportional motion, over all parts
    bool capped = false;          ///< more points would be needed than allowed
    bool torn = false;            ///< the sheet could not be followed
};

/// Most points of one move.
inline constexpr int most_points = 512;

/// Splits a piece until joints that move in proportion between the points stay within the tolerance. `start` are the readings
/// at the piece's beginning; the sheet is followed from there. Poses are in the work mount's frame.
[[nodiscard]] Subdivision subdivide(const InverseSolver& solver, const PathPiece& piece, const Readings& start, double tool_length,
                                    const Tolerance& tolerance);

/// The largest deviation of a joint-proportional motion between two points of a piece, from samples inside.
[[nodiscard]] Deviation chord_deviation(const Kinematics& kinematics, const PathPiece& piece, const Waypoint& a, const Waypoint& b,
                                        double tool_length);

} // namespace wexilum
