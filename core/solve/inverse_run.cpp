// The closed form for many cuts at once: step by step for all of them, so that the processor has several in hand.
#include "core/base/units.hpp"
#include "core/solve/linear_by.hpp"

#include <cmath>

namespace wexilum {

std::size_t InverseSolver::branches_along(const LinearRun& run, std::size_t first, std::size_t last, double tool_length,
                                          BranchFollower& follower, BranchRun& out) const
{
    // As two_joints(), whose names these are. What stands outside of the loops keeps them free of branches, so that the compiler takes
    // several cuts at a time.
    Column sine_x;
    Column cosine_x;
    Column sine_y;
    Column cosine_y;
    Column sine_phi;
    Column cosine_phi;
    Column square;
    const bool right_angles = c12_ == 0 && p2_ == 0;
    std::array<Column, 3> turned;
    if (!work_straight_) {
        for (std::size_t i = first; i < last; ++i) {
            const Vec3 wanted = kinematics_.work_frame().linear() * run.pose(i).axis;
            for (std::size_t k = 0; k < 3; ++k) {
                turned[k][i] = wanted[Eigen::Index(k)];
            }
        }
    }
    const std::array<Column, 3>& axis = work_straight_ ? run.axis : turned;
    {
        const Vec3 k1 = rotary_axis_[0];
        const Vec3 e1 = e1_;
        const Vec3 f1 = f1_;
        const double c12 = c12_;
        const double p2 = p2_;
        const double across = across_;
        const double inner_scale = inner_scale_;
        const double across_root = across_root_;
        Column root;
        for (std::size_t i = first; i < last; ++i) {
            const double p1 = axis[0][i] * k1[0] + axis[1][i] * k1[1] + axis[2][i] * k1[2];
            const double a = (p1 - c12 * p2) / across;
            const double b = (p2 - c12 * p1) / across;
            square[i] = (1 - (a * a + b * b + 2 * a * b * c12)) / across;
            root[i] = square[i] < 0 ? 0 : square[i];
            cosine_x[i] = a * inner_scale;
            cosine_y[i] = b;
        }
        for (std::size_t i = first; i < last; ++i) {
            const double c = std::sqrt(root[i]);
            const double u = axis[0][i] * e1[0] + axis[1][i] * e1[1] + axis[2][i] * e1[2];
            const double v = axis[0][i] * f1[0] + axis[1][i] * f1[1] + axis[2][i] * f1[2];
            const double flank = std::sqrt(u * u + v * v);
            const double flank_inverse = 1 / (flank < 1e-15 ? 1 : flank); // such a cut is none of those below
            const double outer_scale = across_root * flank_inverse;
            const double arc = small_arc_sine(flank);
            sine_phi[i] = v * flank_inverse;
            cosine_phi[i] = u * flank_inverse;
            sine_x[i] = c * inner_scale;
            sine_y[i] = c * outer_scale;
            cosine_y[i] *= outer_scale;
            out.pole[i] = flank < 0.1 ? arc : flank;
        }
        if (right_angles) {
            sine_y.fill(1);
            cosine_y.fill(0);
        }
    }
    std::size_t end = first;
    while (end < last && square[end] >= 1e-9 && out.pole[end] > pole_free && (right_angles || cosine_y[end] != 0)) {
        ++end;
    }
    const std::size_t count = end - first;
    if (count == 0) {
        return 0;
    }
    Column x;
    Column y;
    Column phi;
    follower.inner.along(sine_x.data() + first, cosine_x.data() + first, count, x.data() + first);
    if (right_angles) {
        y.fill(pi / 2);
    } else {
        follower.outer.along(sine_y.data() + first, cosine_y.data() + first, count, y.data() + first);
    }
    follower.azimuth.along(sine_phi.data() + first, cosine_phi.data() + first, count, phi.data() + first);
    const double first_at = at_[0];
    const double tool_sine = tool_sine_;
    const double tool_cosine = tool_cosine_;
    for (std::size_t b = 0; b < 2; ++b) {
        const double sense = b == 0 ? -1 : 1; // of x and y in the branches
        const double second = second_[b];
        for (std::size_t i = first; i < end; ++i) {
            out.turns[b][0][i] = first_at + phi[i] + sense * y[i];
            out.turns[b][1][i] = second + sense * x[i];
        }
        for (std::size_t i = first; i < end; ++i) {
            out.sine[b][0][i] = sine_phi[i] * cosine_y[i] + cosine_phi[i] * sine_y[i] * sense;
            out.cosine[b][0][i] = cosine_phi[i] * cosine_y[i] - sine_phi[i] * sine_y[i] * sense;
        }
        for (std::size_t i = first; i < end; ++i) {
            out.sine[b][1][i] = sine_x[i] * tool_cosine * sense - cosine_x[i] * tool_sine;
            out.cosine[b][1][i] = cosine_x[i] * tool_cosine + sine_x[i] * tool_sine * sense;
        }
        linear_along(run, first, end, tool_length, out.sine[b], out.cosine[b], out.linear[b]);
    }
    return count;
}

void InverseSolver::linear_along(const LinearRun& run, std::size_t first, std::size_t end, double tool_length,
                                 const std::array<Column, 2>& sine, const std::array<Column, 2>& cosine, std::array<Column, 3>& out) const
{
    using Four = Eigen::Array4d;
    const auto take = [](const Column& column, std::size_t at) __attribute__((always_inline))
    {
        return Four(Eigen::Map<const Four>(&column[at]));
    };
    for (std::size_t i = first - first % 4; i < end; i += 4) { // columns have room for a multiple of four
        const std::array<Four, 2> s{take(sine[0], i), take(sine[1], i)};
        const std::array<Four, 2> c{take(cosine[0], i), take(cosine[1], i)};
        const std::array<Four, 3> tip{take(run.tip[0], i), take(run.tip[1], i), take(run.tip[2], i)};
        const std::array<Four, 3> linear = linear_by<Four>(s, c, tip, tool_length);
        for (std::size_t k = 0; k < 3; ++k) {
            Eigen::Map<Four> to(&out[k][i]);
            to = linear[k];
        }
    }
}

} // namespace wexilum
