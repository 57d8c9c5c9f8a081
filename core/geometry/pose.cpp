#include "core/geometry/pose.hpp"

#include "core/base/units.hpp"
#include "core/geometry/followed_angle.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

double angle_between(const Vec3& a, const Vec3& b)
{
    const double sine = a.cross(b).norm();
    const double cosine = a.dot(b);
    return sine <= 0.1 * cosine ? small_arc_tangent(sine / cosine) : std::atan2(sine, cosine);
}

double unit_angle_between(const Vec3& a, const Vec3& b)
{
    const double chord = (b - a).norm();
    return chord <= 0.2 ? 2 * small_arc_sine(0.5 * chord) : angle_between(a, b);
}

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
    if ((b - a).squaredNorm() < 1e-8) {
        // So near, the chord divided in proportion is off by less than 1e-13 rad.
        return (a + (b - a) * s).normalized();
    }
    // From a towards b in their plane.
    const double cosine = a.dot(b);
    const Vec3 towards = b - a * cosine;
    const double sine = towards.norm();
    if (sine == 0) {
        return a; // right round, as only a rapid may turn
    }
    const double angle = (sine <= 0.1 * cosine ? small_arc_tangent(sine / cosine) : std::atan2(sine, cosine)) * s;
    const bool small = std::abs(angle) <= short_step;
    const double along = small ? 1 - small_versine(angle) : std::cos(angle);
    return a * along + towards * ((small ? small_sine(angle) : std::sin(angle)) / sine);
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
