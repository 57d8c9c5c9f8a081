// A circular arc or helix with both ends given, as a toolpath and a controller describe it.
#pragma once

#include "core/geometry/pose.hpp"

namespace wexilum {

/// Tip curve from start to end about the line through `centre` along the unit vector `normal`, right-handed about it.
/// Where the radii at both ends differ (rounding), the radius changes in proportion to the angle; height along the
/// normal likewise. `sweep` is in rad, > 0, whole turns included.
struct Arc {
    Vec3 start = Vec3::Zero();
    Vec3 end = Vec3::Zero();
    Vec3 centre = Vec3::Zero();
    Vec3 normal = Vec3::UnitZ();
    double sweep = 0;

    [[nodiscard]] double start_radius() const;
    [[nodiscard]] double end_radius() const;
    [[nodiscard]] double rise() const; ///< along the normal, from start to end
    [[nodiscard]] double length() const;
    /// The point at fraction s of the sweep.
    [[nodiscard]] Vec3 at(double s) const;
    /// The fraction in [lo, 1] whose point is nearest to p.
    [[nodiscard]] double nearest(const Vec3& p, double lo = 0) const;
};

/// Sweep (0, 2 pi] from start to end right-handed about normal; ends that agree in angle within `same_angle` rad are
/// a whole circle. `extra_turns` whole turns are added.
[[nodiscard]] double arc_sweep(const Vec3& start, const Vec3& end, const Vec3& centre, const Vec3& normal, double same_angle,
                               int extra_turns = 0);

} // namespace wexilum
