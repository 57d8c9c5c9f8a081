// Three coordinates as plain numbers, and what is asked of directions: formulas without branches, for one value or, in a loop over columns,
// for as many as the processor takes at a time, with the same bits.
#pragma once

#include "core/geometry/pose.hpp"
#include "core/geometry/sine_cosine.hpp"

namespace wexilum {

struct Triple {
    double x = 0;
    double y = 0;
    double z = 0;

    [[gnu::always_inline]] Triple operator+(const Triple& o) const { return {x + o.x, y + o.y, z + o.z}; }
    [[gnu::always_inline]] Triple operator-(const Triple& o) const { return {x - o.x, y - o.y, z - o.z}; }
    [[gnu::always_inline]] Triple operator*(double by) const { return {x * by, y * by, z * by}; }
    [[gnu::always_inline]] [[nodiscard]] double dot(const Triple& o) const { return x * o.x + y * o.y + z * o.z; }
    [[gnu::always_inline]] [[nodiscard]] double norm() const { return std::sqrt(dot(*this)); }
    [[nodiscard]] static Triple of(const Vec3& v) { return {v[0], v[1], v[2]}; }
    [[gnu::always_inline]] [[nodiscard]] static Triple of(const std::array<Column, 3>& columns, std::size_t at)
    {
        return {columns[0][at], columns[1][at], columns[2][at]};
    }
};

/// Where a point stands along the straight way between two others: 0 at the first, 1 at the second, also beyond them. They are apart.
[[gnu::always_inline]] inline double place_along(const Triple& from, const Triple& to, const Triple& point)
{
    const Triple way = to - from;
    const double square = way.dot(way);
    return way.dot(point - from) / (square == 0 ? 1 : square);
}

/// The angle between two unit vectors, rad: by their chord and its supplement's, exact for small and for nearly opposite ones alike.
/// Source: W. Kahan, How Futile are Mindless Assessments of Roundoff in Floating-Point Computation?, 2006, section 12.
[[gnu::always_inline]] inline double unit_angle_between(const Triple& a, const Triple& b)
{
    return 2 * plane_angle((b - a).norm(), (b + a).norm());
}

/// As great_circle() of vectors.
[[gnu::always_inline]] inline Triple great_circle(const Triple& a, const Triple& b, double s)
{
    // From a towards b in their plane.
    const double cosine = a.dot(b);
    const Triple towards = b - a * cosine;
    const double sine = towards.norm();
    const SineCosine turned = sine_and_cosine(plane_angle(sine, cosine) * s);
    const bool none = sine == 0; // one direction, or right round, as only a rapid may turn
    return a * (none ? 1 : turned.cosine) + towards * (turned.sine / (none ? 1 : sine));
}

} // namespace wexilum
