#include "core/solve/subdivide.hpp"

#include "core/solve/path_choice.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

struct Splitter {
    const InverseSolver& solver;
    const PathPiece& piece;
    double tool_length;
    const Tolerance& tolerance;
    Subdivision out;

    std::optional<Waypoint> reach(const Waypoint& from, double s)
    {
        auto end = follow(solver, piece.at(from.s), from.readings, piece.at(s), tool_length);
        if (!end) {
            out.torn = true;
            return std::nullopt;
        }
        return Waypoint{s, end->readings};
    }

    void note(const Deviation& d)
    {
        out.worst.tip = std::max(out.worst.tip, d.tip);
        out.worst.axis = std::max(out.worst.axis, d.axis);
    }

    /// Adds points after `a` up to and with `b`.
    void split(const Waypoint& a, const Waypoint& b)
    {
        const Deviation d = chord_deviation(solver.kinematics(), piece, a, b, tool_length);
        const double excess = std::max(d.tip / tolerance.tip, d.axis / tolerance.axis);
        if (excess <= 1) {
            note(d);
            out.points.push_back(b);
            return;
        }
        if (int(out.points.size()) >= most_points || b.s - a.s < 1e-6) {
            note(d);
            out.capped = true;
            out.points.push_back(b);
            return;
        }
        // The deviation of a chord falls with the square of its length.
        const int parts = std::clamp(int(std::ceil(std::sqrt(excess))), 2, 16);
        Waypoint before = a;
        for (int i = 1; i <= parts; ++i) {
            if (i == parts) {
                split(before, b);
                return;
            }
            const auto next = reach(before, a.s + (b.s - a.s) * i / parts);
            if (!next) {
                out.points.push_back(b);
                return;
            }
            split(before, *next);
            before = *next;
        }
    }
};

} // namespace

Deviation chord_deviation(const Kinematics& kinematics, const PathPiece& piece, const Waypoint& a, const Waypoint& b, double tool_length)
{
    Deviation worst;
    for (const double u : {0.25, 0.5, 0.75}) {
        const Readings readings = a.readings + (b.readings - a.readings) * u;
        const Pose pose = kinematics.pose(readings, tool_length);
        const Deviation d = deviation_at(piece, piece.project(pose), pose);
        worst.tip = std::max(worst.tip, d.tip);
        worst.axis = std::max(worst.axis, d.axis);
    }
    return worst;
}

Subdivision subdivide(const InverseSolver& solver, const PathPiece& piece, const Readings& start, double tool_length,
                      const Tolerance& tolerance)
{
    Splitter splitter{solver, piece, tool_length, tolerance, {}};
    const Waypoint begin{0, start};
    if (const auto end = splitter.reach(begin, 1)) {
        splitter.split(begin, *end);
    } else {
        splitter.out.points.push_back({1, start});
    }
    return std::move(splitter.out);
}

} // namespace wexilum
