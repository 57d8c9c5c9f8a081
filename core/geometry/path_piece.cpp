#include "core/geometry/path_piece.hpp"

#include "core/geometry/triple.hpp"

#include <algorithm>

namespace wexilum {

double PathPiece::length() const
{
    if (way) [[unlikely]] {
        return way->length();
    }
    return arc ? arc->length() : (to.tip - from.tip).norm();
}
double PathPiece::turn_rate() const
{
    if (way) {
        return way->turn_rate();
    }
    const double travel = length();
    return travel <= still_length ? 0 : turn() / travel;
}
double PathPiece::turn() const { return unit_angle_between(from.axis, to.axis); }

Pose PathPiece::at(double s) const
{
    if (way) [[unlikely]] {
        return s == 1 ? to : way->at(s);
    }
    Pose pose;
    pose.tip = arc ? arc->at(s) : Vec3(from.tip + (to.tip - from.tip) * s);
    pose.axis = s == 1 ? to.axis : great_circle(from.axis, to.axis, s);
    return pose;
}

double PathPiece::project(const Pose& pose, double lo) const
{
    if (arc) {
        return arc->nearest(pose.tip, lo);
    }
    if (way) {
        return way->nearest(pose.tip, lo);
    }
    double s = 0;
    if ((to.tip - from.tip).squaredNorm() > still_length * still_length) {
        s = place_along(Triple::of(from.tip), Triple::of(to.tip), Triple::of(pose.tip));
    } else if (const Vec3 across = from.axis.cross(to.axis); across.norm() > 1e-12) {
        s = angle_about(across.normalized(), from.axis, pose.axis) / turn();
    } else {
        s = 1;
    }
    return std::clamp(s, lo, 1.0);
}

double PathPiece::turned_to(const Vec3& direction, double s) const
{
    if (!way) {
        return s;
    }
    double low = 0;
    double high = 1;
    for (int i = 0; i < 60; ++i) {
        const double a = low + (high - low) / 3;
        const double b = high - (high - low) / 3;
        const bool first = unit_angle_between(way->at(a).axis, direction) < unit_angle_between(way->at(b).axis, direction);
        (first ? high : low) = first ? b : a;
    }
    return (low + high) / 2;
}

std::pair<PathPiece, PathPiece> split_at(const PathPiece& piece, double s, const Pose& pose)
{
    std::pair<PathPiece, PathPiece> parts{{piece.from, pose, piece.arc}, {pose, piece.to, piece.arc}};
    if (piece.arc) {
        parts.first.arc->end = parts.second.arc->start = pose.tip;
        parts.first.arc->sweep = piece.arc->sweep * s;
        parts.second.arc->sweep = piece.arc->sweep * (1 - s);
    }
    if (piece.way) {
        parts.first.way = piece.way->between(0, s);
        parts.second.way = piece.way->between(s, 1);
    }
    return parts;
}

Deviation deviation_at(const PathPiece& piece, double s, const Pose& pose)
{
    const Pose wanted = piece.at(s);
    return {(wanted.tip - pose.tip).norm(), unit_angle_between(wanted.axis, pose.axis)};
}

} // namespace wexilum
