#include "core/geometry/wound_way.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

double WoundWay::length() const { return arc ? arc->length() : (to - from).norm(); }

Vec3 WoundWay::flat_at(double s) const
{
    if (s == 1) {
        return to;
    }
    return arc ? arc->at(s) : Vec3(from + (to - from) * s);
}

Pose WoundWay::wound(const Vec3& flat) const
{
    const double angle = flat.x() / radius;
    const Vec3 out(std::cos(angle), std::sin(angle), 0);
    return {cylinder * Vec3(out * (radius + flat.z()) + Vec3::UnitZ() * flat.y()), cylinder.linear() * out};
}

Vec3 WoundWay::unwound(const Vec3& tip, double u) const
{
    const Vec3 local = cylinder.inverse() * tip;
    const double angle = std::atan2(local.y(), local.x());
    return {radius * (angle + whole_turn * std::round((u / radius - angle) / whole_turn)), local.z(),
            std::hypot(local.x(), local.y()) - radius};
}

double WoundWay::nearest(const Vec3& tip, double lo) const
{
    const Vec3 flat = unwound(tip, flat_at(0.5).x());
    if (arc) {
        return arc->nearest(flat, lo);
    }
    const Vec3 way = to - from;
    const double square = way.squaredNorm();
    return std::clamp(square > 0 ? way.dot(flat - from) / square : 1.0, lo, 1.0);
}

double WoundWay::turn_rate() const { return std::max(unit_angle_between(at(0).axis, at(1).axis) / length(), 1 / radius); }

std::shared_ptr<const PathWay> WoundWay::between(double s0, double s1) const
{
    auto part = std::make_shared<WoundWay>(*this);
    WoundWay& out = *part;
    out.from = flat_at(s0);
    out.to = flat_at(s1);
    if (arc) {
        out.arc->start = out.from;
        out.arc->end = out.to;
        out.arc->sweep = arc->sweep * (s1 - s0);
    }
    return part;
}

std::shared_ptr<const PathWay> WoundWay::moved(const Mat3& map, const Vec3& move) const
{
    auto image = std::make_shared<WoundWay>(*this);
    WoundWay& out = *image;
    out.cylinder.linear() = map * cylinder.linear();
    out.cylinder.translation() = map * cylinder.translation() + move;
    if (map.determinant() < 0) { // the cylinder's own Z the other way, so that its frame stays right-handed
        out.cylinder.linear().col(2) *= -1;
        const auto flip = [](Vec3& flat) { flat.y() = -flat.y(); };
        flip(out.from);
        flip(out.to);
        if (out.arc) {
            flip(out.arc->start);
            flip(out.arc->end);
            flip(out.arc->centre);
            out.arc->normal *= -1; // right-handed about it: the other way round
        }
    }
    return image;
}

} // namespace wexilum
