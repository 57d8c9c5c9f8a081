#include "core/geometry/arc.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

Vec3 across(const Vec3& v, const Vec3& n) { return v - n * n.dot(v); }

} // namespace

double Arc::start_radius() const { return across(start - centre, normal).norm(); }
double Arc::end_radius() const { return across(end - centre, normal).norm(); }
double Arc::rise() const { return normal.dot(end - start); }

double Arc::length() const { return std::hypot(sweep * 0.5 * (start_radius() + end_radius()), rise()); }

Vec3 Arc::at(double s) const
{
    if (s >= 1) {
        return end;
    }
    const Vec3 r0 = across(start - centre, normal);
    const double r = start_radius() + (end_radius() - start_radius()) * s;
    const Vec3 spoke = Eigen::AngleAxisd(sweep * s, normal) * r0.normalized();
    const double height = normal.dot(start - centre) + rise() * s;
    return centre + spoke * r + normal * height;
}

double Arc::nearest(const Vec3& p, double lo) const
{
    // The angle of p gives one fraction a turn; for a helix the height chooses the turn. The ends are tried as well.
    const Vec3 r0 = across(start - centre, normal);
    double angle = angle_about(normal, r0, p - centre);
    if (angle < 0) {
        angle += 2 * pi;
    }
    double best = lo;
    double best_distance = (at(lo) - p).norm();
    const auto offer = [&](double s) {
        s = std::clamp(s, lo, 1.0);
        const double d = (at(s) - p).norm();
        if (d < best_distance - 1e-12) {
            best = s;
            best_distance = d;
        }
    };
    const int turns = int(std::floor((sweep + 1e-9 - angle) / (2 * pi)));
    for (int i = 0; i <= turns; ++i) {
        offer((angle + 2 * pi * i) / sweep);
    }
    offer(1);
    return best;
}

double arc_sweep(const Vec3& start, const Vec3& end, const Vec3& centre, const Vec3& normal, double same_angle, int extra_turns)
{
    double angle = angle_about(normal, start - centre, end - centre);
    if (std::abs(angle) <= same_angle) {
        angle = 2 * pi;
    } else if (angle < 0) {
        angle += 2 * pi;
    }
    return angle + 2 * pi * extra_turns;
}

} // namespace wexilum
