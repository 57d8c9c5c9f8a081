#include "core/geometry/pose.hpp"

#include "core/base/units.hpp"
#include "core/geometry/triple.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

double angle_between(const Vec3& a, const Vec3& b)
{
    const double sine = a.cross(b).norm();
    const double cosine = a.dot(b);
    return plane_angle(sine, cosine);
}

double unit_angle_between(const Vec3& a, const Vec3& b) { return unit_angle_between(Triple::of(a), Triple::of(b)); }

double angle_about(const Vec3& about, const Vec3& from, const Vec3& to)
{
    const Vec3 f = from - about * about.dot(from);
    const Vec3 t = to - about * about.dot(to);
    return std::atan2(about.dot(f.cross(t)), f.dot(t));
}

Vec3 any_across(const Vec3& v)
{
    Eigen::Index least = 0;
    v.cwiseAbs().minCoeff(&least);
    return v.cross(Vec3::Unit(least)).normalized();
}

Vec3 great_circle(const Vec3& a, const Vec3& b, double s)
{
    const Triple at = great_circle(Triple::of(a), Triple::of(b), s);
    return {at.x, at.y, at.z};
}

std::optional<NearestPass> nearest_pass(const Vec3& a, const Vec3& b, const Vec3& to)
{
    const Vec3 across = a.cross(b);
    if (across.norm() <= 1e-12) {
        return std::nullopt;
    }
    const Vec3 normal = across.normalized();
    return NearestPass{angle_about(normal, a, to) / unit_angle_between(a, b), std::abs(std::asin(std::clamp(normal.dot(to), -1.0, 1.0)))};
}

Pose transformed(const Frame& frame, const Pose& pose) { return {frame * pose.tip, frame.linear() * pose.axis}; }

Frame frame_from(const Vec3& origin, const Vec3& x, const Vec3& z)
{
    Frame frame = Frame::Identity();
    const Vec3 zn = z.normalized();
    const Vec3 xn = (x - zn * zn.dot(x)).normalized();
    frame.linear().col(0) = xn;
    frame.linear().col(1) = zn.cross(xn);
    frame.linear().col(2) = zn;
    frame.translation() = origin;
    return frame;
}

double wrapped(double angle)
{
    const double turns = std::ceil((angle - pi) / (2 * pi));
    return angle - turns * 2 * pi;
}

} // namespace wexilum
