// A point or a direction turned about an axis, for one value or for several at once.
#pragma once

#include "core/base/lanes.hpp"
#include "core/geometry/pose.hpp"

#include <array>

namespace wexilum {

/// The coordinate axis along which a unit vector lies, either way; -1 where it lies along none.
[[nodiscard]] inline int coordinate_axis(const Vec3& direction)
{
    Eigen::Index along = 0;
    return direction.cwiseAbs().maxCoeff(&along) == 1 ? int(along) : -1;
}

/// One point for all values that T holds.
template <typename T>
[[gnu::always_inline]] inline std::array<T, 3> spread(const Vec3& v)
{
    return {in_each<T>(v[0]), in_each<T>(v[1]), in_each<T>(v[2])};
}

/// The distance of `point` from the axis along the unit vector `k` through `centre`; `along` is coordinate_axis(k).
template <typename T>
[[gnu::always_inline]] inline T lever(const Vec3& centre, const Vec3& k, int along, const std::array<T, 3>& point)
{
    const std::array<T, 3> arm{point[0] - centre[0], point[1] - centre[1], point[2] - centre[2]};
    switch (along) {
    case 0: return root(arm[1] * arm[1] + arm[2] * arm[2]);
    case 1: return root(arm[2] * arm[2] + arm[0] * arm[0]);
    case 2: return root(arm[0] * arm[0] + arm[1] * arm[1]);
    default: break;
    }
    const T x = arm[2] * k[1] - arm[1] * k[2];
    const T y = arm[0] * k[2] - arm[2] * k[0];
    const T z = arm[1] * k[0] - arm[0] * k[1];
    return root(x * x + y * y + z * z);
}

/// Turns `point` by the angle of that sine and cosine about the unit vector `k` through `centre`, or a direction about `k` alone.
/// `along` is coordinate_axis(k). T: double, or lanes.
template <typename T, bool direction = false>
[[gnu::always_inline]] inline void turn_about(const Vec3& centre, const Vec3& k, int along, const T& sine, const T& cosine,
                                              std::array<T, 3>& point)
{
    const auto arm = [&](std::size_t i) __attribute__((always_inline))
    {
        return direction ? point[i] : T(point[i] - centre[Eigen::Index(i)]);
    };
    const auto place = [&](std::size_t i, const T& value) __attribute__((always_inline))
    {
        point[i] = direction ? value : T(value + centre[Eigen::Index(i)]);
    };
    const auto in_plane = [&](std::size_t u, std::size_t v) __attribute__((always_inline))
    {
        const T s = sine * k[along];
        const T arm_u = arm(u);
        const T arm_v = arm(v);
        place(u, arm_u * cosine - arm_v * s);
        place(v, arm_v * cosine + arm_u * s);
    };
    switch (along) { // a coordinate axis, as on nearly every machine
    case 0: in_plane(1, 2); return;
    case 1: in_plane(2, 0); return;
    case 2: in_plane(0, 1); return;
    default: break;
    }
    // Rodrigues: v c + (k x v) s + k (k.v) (1 - c).
    const std::array<T, 3> arms{arm(0), arm(1), arm(2)};
    const T share = arms[0] * k[0] + arms[1] * k[1] + arms[2] * k[2];
    const T rest = share - share * cosine;
    for (std::size_t i = 0; i < 3; ++i) {
        const std::size_t j = (i + 1) % 3;
        const std::size_t l = (i + 2) % 3;
        const T cross = arms[l] * k[Eigen::Index(j)] - arms[j] * k[Eigen::Index(l)];
        place(i, arms[i] * cosine + cross * sine + rest * k[Eigen::Index(i)]);
    }
}

} // namespace wexilum
