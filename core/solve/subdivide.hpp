// Where one move needs points between its ends, because the control does not move the tool the agreed way: line or arc for the
// tip, great circle for the axis.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/geometry/tolerance.hpp"
#include "core/solve/inverse.hpp"

#include <vector>

namespace wexilum {

/// What the control does between two points.
enum class Interpolation {
    joints,         ///< every joint in proportion
    tip_and_joints, ///< tool-centre-point control: the tip on the line, each rotary joint in proportion
    tip_and_vector, ///< tool-centre-point control: the tip on the line, the tool axis on the great circle
};

struct Waypoint {
    double s = 0;      ///< fraction of the piece
    Readings readings; ///< of the rotary joints; what the others read here means nothing
};

/// InverseSolver::lever_bound() from one point of a path to the next: no lever grows by more than the tip goes.
class LeverBound {
public:
    [[nodiscard]] double at(const InverseSolver& solver, const Vec3& tip, double tool_length)
    {
        const double way = (tip - tip_).lpNorm<1>();
        if (!(way <= 0.02 * lever_) || tool_length != tool_length_) {
            lever_ = solver.lever_bound(tip, tool_length);
            tip_ = tip;
            tool_length_ = tool_length;
            return lever_;
        }
        return lever_ + way;
    }

private:
    Vec3 tip_ = Vec3::Zero();
    double lever_ = -1;
    double tool_length_ = 0;
};

struct Subdivision {
    std::vector<Waypoint> points; ///< the last is the end; the start is not among them
    Deviation worst;              ///< over all parts; a bound of it where that alone showed that the move needs no points
    bool capped = false;          ///< more points would be needed than allowed
    LeverBound lever;             ///< kept from piece to piece
};

/// Most points of one move.
inline constexpr int most_points = 512;

/// The rotary readings at fraction s of a piece whose ends read `a` and `b` on one sheet of that branch; a joint to spare goes in
/// proportion, and of the branches the one nearest to the proportion is taken then. Other joints read as in `a`.
[[nodiscard]] Readings readings_between(const InverseSolver& solver, const PathPiece& piece, int branch, const Readings& a,
                                        const Readings& b, double s);

/// Splits a piece until the control's own interpolation stays within the tolerance. `start` and `end` are rotary readings of one sheet of
/// `branch`; poses are in the work mount's frame. `out` is filled anew.
void subdivide(const InverseSolver& solver, const PathPiece& piece, int branch, const Readings& start, const Readings& end,
               double tool_length, const Tolerance& tolerance, Interpolation interpolation, Subdivision& out);

/// The largest deviation between two points of a piece, from samples inside.
[[nodiscard]] Deviation chord_deviation(const InverseSolver& solver, const PathPiece& piece, const Waypoint& a, const Waypoint& b,
                                        double tool_length, Interpolation interpolation);

/// A deviation that is not exceeded on a straight way of `length` mm on which the rotary joints turn by `w` rad in all, no point of the
/// tool being further than `lever` mm from their axes: a curve leaves its chord by no more than an eighth of its largest second
/// derivative. With v the way of the linear joints the tip's second derivative is at most w^2 lever + 2 w v, the axis' at most w^2.
[[nodiscard]] inline Deviation deviation_bound(double w, double length, double lever, Interpolation interpolation)
{
    if (w < 1e-12 || interpolation == Interpolation::tip_and_vector) {
        return {};
    }
    const double axis = w * w / 4; // the axis turns no more than the joints do; the great circle's and the joints' own share
    if (interpolation == Interpolation::tip_and_joints) {
        return {0, axis};
    }
    // The joints take the tip along its way and back from where the rotary joints carry it.
    const double way = length + w * (lever + length);
    const double tip = (w * w * (lever + length) + 2 * w * way) / 8;
    return {tip, axis + (length > still_length ? w * tip / length : w)};
}

} // namespace wexilum
