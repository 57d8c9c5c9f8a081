// How the linear joints follow from sines and cosines of the rotary ones; private to the solver.
#pragma once

#include "core/solve/inverse.hpp"

#include <type_traits>

namespace wexilum {

/// One point for all values that T holds.
template <typename T>
[[gnu::always_inline]] inline std::array<T, 3> spread(const Vec3& v)
{
    if constexpr (std::is_same_v<T, double>) {
        return {v[0], v[1], v[2]};
    } else {
        return {T::Constant(v[0]), T::Constant(v[1]), T::Constant(v[2])};
    }
}

template <typename T>
[[gnu::always_inline]] inline void InverseSolver::turn_about(std::size_t rotary, const T& sine, const T& cosine,
                                                             std::array<T, 3>& point) const
{
    const Vec3& centre = rotary_point_[rotary];
    const Vec3& k = rotary_axis_[rotary];
    const std::array<T, 3> arm{point[0] - centre[0], point[1] - centre[1], point[2] - centre[2]};
    const auto in_plane = [&](int along, std::size_t u, std::size_t v) __attribute__((always_inline))
    {
        const T s = sine * k[along];
        point[u] = arm[u] * cosine - arm[v] * s + centre[Eigen::Index(u)];
        point[v] = arm[v] * cosine + arm[u] * s + centre[Eigen::Index(v)];
    };
    switch (rotary_along_[rotary]) { // a coordinate axis, as on nearly every machine
    case 0: in_plane(0, 1, 2); return;
    case 1: in_plane(1, 2, 0); return;
    case 2: in_plane(2, 0, 1); return;
    default: break;
    }
    // Rodrigues: v c + (k x v) s + k (k.v) (1 - c).
    const T along = arm[0] * k[0] + arm[1] * k[1] + arm[2] * k[2];
    const T rest = along - along * cosine;
    for (std::size_t i = 0; i < 3; ++i) {
        const std::size_t j = (i + 1) % 3;
        const std::size_t l = (i + 2) % 3;
        const T cross = arm[l] * k[Eigen::Index(j)] - arm[j] * k[Eigen::Index(l)];
        point[i] = arm[i] * cosine + cross * sine + rest * k[Eigen::Index(i)] + centre[Eigen::Index(i)];
    }
}

template <typename T>
[[gnu::always_inline]] inline std::array<T, 3> InverseSolver::linear_by(const std::array<T, 2>& sine, const std::array<T, 2>& cosine,
                                                                        const std::array<T, 3>& tip, double tool_length) const
{
    // Bring the wanted tip and the tool's own tip to the linear joints from both sides; what is between them is their way.
    const Frame& work = kinematics_.work_frame();
    std::array<T, 3> wanted;
    for (std::size_t i = 0; i < 3; ++i) {
        const auto row = Eigen::Index(i);
        const double from = work.translation()[row];
        if (work_straight_) {
            wanted[i] = from + tip[i];
        } else {
            wanted[i] = from + (tip[0] * work.linear()(row, 0) + tip[1] * work.linear()(row, 1) + tip[2] * work.linear()(row, 2));
        }
    }
    std::array<T, 3> tool = spread<T>(kinematics_.tool_frame().translation() - kinematics_.length_direction() * tool_length);
    for (std::size_t i = 0; i < rotary_before_; ++i) {
        turn_about<T>(i, -sine[i], cosine[i], wanted);
    }
    for (std::size_t i = rotary_index_.size(); i-- > rotary_before_;) {
        turn_about<T>(i, sine[i], cosine[i], tool);
    }
    const std::array<T, 3> way{wanted[0] - tool[0], wanted[1] - tool[1], wanted[2] - tool[2]};
    std::array<T, 3> out;
    for (std::size_t i = 0; i < 3; ++i) {
        const auto row = Eigen::Index(i);
        if (directions_straight_) {
            out[i] = linear_at_zero_ ? way[i] : T(way[i] + linear_at_[row]);
        } else {
            out[i] = way[0] * directions_inverse_(row, 0) + way[1] * directions_inverse_(row, 1) + way[2] * directions_inverse_(row, 2) +
                     linear_at_[row];
        }
    }
    return out;
}

} // namespace wexilum
