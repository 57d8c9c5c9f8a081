#include "core/toolpath/readers/motion_checks.hpp"

#include "core/base/units.hpp"

namespace wexilum {

bool turns_right_round(const Vec3& from, const Vec3& to)
{
    constexpr double opposite_tolerance = 1e-6; // rad
    return pi - angle_between(from, to) < opposite_tolerance;
}

double off_circle(const record::Circular& arc, const Vec3& point)
{
    const Vec3 spoke = point - arc.centre;
    return (spoke - arc.normal * arc.normal.dot(spoke)).norm() - arc.radius;
}

} // namespace wexilum
