#include "core/geometry/path_piece.hpp"

#include "core/geometry/triple.hpp"

#include <algorithm>

namespace wexilum {

double PathPiece::length() const
{
    if (wound) [[unlikely]] {
        return wound->length();
    }
    return arc ? arc->length() : (to.tip - from.tip).norm();
}
double PathPiece::turn_rate() const
{
    const double way = length();
    return way <= still_length ? 0 : wound ? std::max(turn() / way, 1 / wound->radius) : turn() / way;
}
double PathPiece::turn() const { return unit_angle_between(from.axis, to.axis); }

Pose PathPiece::at(double s) const
{
    if (wound) [[unlikely]] {
        return s == 1 ? to : wound->at(s);
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
    if (wound) {
        return wound->nearest(pose.tip, lo);
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

std::pair<PathPiece, PathPiece> split_at(const PathPiece& piece, double s, const Pose& pose)
{
    std::pair<PathPiece, PathPiece> parts{{piece.from, pose, piece.arc}, {pose, piece.to, piece.arc}};
    if (piece.arc) {
        parts.first.arc->end = parts.second.arc->start = pose.tip;
        parts.first.arc->sweep = piece.arc->sweep * s;
        parts.second.arc->sweep = piece.arc->sweep * (1 - s);
    }
    if (piece.wound) {
        parts.first.wound = std::make_shared<const WoundWay>(piece.wound->part(0, s));
        parts.second.wound = std::make_shared<const WoundWay>(piece.wound->part(s, 1));
    }
    return parts;
}

Deviation deviation_at(const PathPiece& piece, double s, const Pose& pose)
{
    const Pose wanted = piece.at(s);
    return {(wanted.tip - pose.tip).norm(), unit_angle_between(wanted.axis, pose.axis)};
}

} // namespace wexilum
