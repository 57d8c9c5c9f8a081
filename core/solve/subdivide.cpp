#include "core/solve/subdivide.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

struct Splitter {
    const InverseSolver& solver;
    const PathPiece& piece;
    int branch;
    double tool_length;
    const Tolerance& tolerance;
    Interpolation interpolation;
    Subdivision& out;
    double length; ///< of the piece

    [[nodiscard]] double excess(const Deviation& d) const { return std::max(d.tip / tolerance.tip, d.axis / tolerance.axis); }

    void add(const Waypoint& point, const Deviation& d)
    {
        out.worst.tip = std::max(out.worst.tip, d.tip);
        out.worst.axis = std::max(out.worst.axis, d.axis);
        out.points.push_back(point);
    }

    /// Adds points after `a` up to and with `b`.
    void split(const Waypoint& a, const Waypoint& b)
    {
        if (!piece.curved()) {
            const double w = solver.turn_between(a.readings, b.readings);
            const Vec3 tip = piece.from.tip + (piece.to.tip - piece.from.tip) * a.s;
            const Deviation bound = deviation_bound(w, length * (b.s - a.s), out.lever.at(solver, tip, tool_length), interpolation);
            if (excess(bound) <= 1) {
                add(b, bound);
                return;
            }
        }
        Deviation d = chord_deviation(solver, piece, a, b, tool_length, interpolation);
        const Arc* arc = piece.bend();
        const double quarter = arc != nullptr ? std::min(0.25 * arc->sweep * (b.s - a.s), pi / 2) : 0;
        if (quarter > pi / 8) { // the ends alone say little about a long arc, and nothing about a whole circle
            d.tip = std::max(d.tip, 2 * arc->start_radius() * std::sin(quarter) * std::sin(quarter));
        }
        const double over = excess(d);
        if (over <= 1) {
            add(b, d);
            return;
        }
        if (int(out.points.size()) >= most_points || b.s - a.s < 1e-9) {
            out.capped = true;
            add(b, d);
            return;
        }
        // The deviation of a chord falls with the square of its length; that of a long arc's, r (1 - cos w / 2), more slowly at first.
        const double bend = quarter > 1e-3 ? quarter / std::sin(quarter) : 1;
        const int parts = std::clamp(int(std::ceil(bend * std::sqrt(over))), 2, 16);
        Waypoint before = a;
        for (int i = 1; i <= parts; ++i) {
            Waypoint next = b;
            if (i < parts) {
                next.s = a.s + (b.s - a.s) * i / parts;
                next.readings = readings_between(solver, piece, branch, a.readings, b.readings, next.s);
            }
            split(before, next);
            if (out.capped) {
                return;
            }
            before = next;
        }
    }
};

} // namespace

Readings readings_between(const InverseSolver& solver, const PathPiece& piece, int branch, const Readings& a, const Readings& b, double s)
{
    Readings out = a;
    if (const auto spare = solver.spare()) {
        const auto at = Eigen::Index(spare->value);
        out[at] = a[at] + (b[at] - a[at]) * s;
    }
    const Branches found = solver.branches(piece.way ? piece.at(s).axis : great_circle(piece.from.axis, piece.to.axis, s), out);
    const Turns from = solver.turns_of(a);
    const Turns to = solver.turns_of(b);
    const auto on_branch = [&](std::size_t of) {
        Turns turns = found.turns[of];
        for (std::size_t i = 0; i < turns.size(); ++i) {
            // The way between is shorter than a whole turn: the reading near its middle is the one.
            const double middle = 0.5 * (from[i] + to[i]);
            turns[i] += 2 * pi * std::round((middle - turns[i]) / (2 * pi));
        }
        return turns;
    };
    Turns turns = on_branch(std::size_t(found.count > 1 ? branch : 0));
    if (solver.spare() && found.count > 1) {
        const auto off = [&](const Turns& of) {
            return std::max(std::abs(of[0] - from[0] - (to[0] - from[0]) * s), std::abs(of[1] - from[1] - (to[1] - from[1]) * s));
        };
        const Turns other = on_branch(branch == 0 ? 1 : 0);
        turns = off(other) < off(turns) ? other : turns;
    }
    if (found.count > 0 && found.pole < 1e-9) {
        turns[0] = from[0] + (to[0] - from[0]) * s;
    }
    solver.set_turns(out, turns);
    return out;
}

Deviation chord_deviation(const InverseSolver& solver, const PathPiece& piece, const Waypoint& a, const Waypoint& b, double tool_length,
                          Interpolation interpolation)
{
    Deviation worst;
    if (interpolation == Interpolation::tip_and_vector && !piece.curved()) {
        return worst;
    }
    const Kinematics& kinematics = solver.kinematics();
    Readings from = a.readings;
    Readings to = b.readings;
    solver.set_linear(from, piece.at(a.s).tip, tool_length);
    solver.set_linear(to, piece.at(b.s).tip, tool_length);
    for (const double u : {0.25, 0.5, 0.75}) {
        const Readings readings = from + (to - from) * u;
        Pose pose = kinematics.pose(readings, tool_length);
        double s = a.s + (b.s - a.s) * u;
        if (interpolation == Interpolation::tip_and_vector) {
            pose.axis = great_circle(piece.at(a.s).axis, piece.at(b.s).axis, u);
        }
        if (interpolation != Interpolation::joints) {
            pose.tip = piece.at(a.s).tip + (piece.at(b.s).tip - piece.at(a.s).tip) * u;
        }
        if (interpolation == Interpolation::joints || piece.curved()) {
            s = piece.project(pose);
        }
        const Deviation d = deviation_at(piece, s, pose);
        worst.tip = std::max(worst.tip, d.tip);
        worst.axis = std::max(worst.axis, d.axis);
    }
    return worst;
}

void subdivide(const InverseSolver& solver, const PathPiece& piece, int branch, const Readings& start, const Readings& end,
               double tool_length, const Tolerance& tolerance, Interpolation interpolation, Subdivision& out)
{
    out.points.clear();
    out.worst = {};
    out.capped = false;
    Splitter{solver, piece, branch, tool_length, tolerance, interpolation, out, piece.length()}.split({0, start}, {1, end});
    if (out.points.back().s < 1) {
        out.points.push_back({1, end}); // capped: the rest in one go
    }
}

} // namespace wexilum
