// How the linear joints follow from sines and cosines of the rotary ones; private to the solver.
#pragma once

#include "core/geometry/turn_about.hpp"
#include "core/solve/linear_joints.hpp"

namespace wexilum {

template <typename T, std::size_t n>
[[gnu::always_inline]] inline std::array<T, 3> LinearJoints::linear_by(const std::array<T, n>& sine, const std::array<T, n>& cosine,
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
        turn_about<T>(rotary_point_[i], rotary_axis_[i], rotary_along_[i], -sine[i], cosine[i], wanted);
    }
    for (std::size_t i = rotary_index_.size(); i-- > rotary_before_;) {
        turn_about<T>(rotary_point_[i], rotary_axis_[i], rotary_along_[i], sine[i], cosine[i], tool);
    }
    const std::array<T, 3> way{wanted[0] - tool[0], wanted[1] - tool[1], wanted[2] - tool[2]};
    std::array<T, 3> out;
    for (std::size_t i = 0; i < 3; ++i) {
        const auto row = Eigen::Index(i);
        if (directions_straight_) {
            out[i] = linear_at_zero_ ? way[i] : way[i] + linear_at_[row];
        } else {
            out[i] = way[0] * directions_inverse_(row, 0) + way[1] * directions_inverse_(row, 1) + way[2] * directions_inverse_(row, 2) +
                     linear_at_[row];
        }
    }
    return out;
}

} // namespace wexilum
