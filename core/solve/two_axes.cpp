#include "core/solve/two_axes.hpp"

#include "core/base/lanes.hpp"
#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double parallel = 1e-9;     // rad
constexpr double at_the_edge = 1e-13; // rad

std::array<double, 3> numbers(const Vec3& v) { return {v[0], v[1], v[2]}; }
Vec3 vector(const std::array<double, 3>& v) { return {v[0], v[1], v[2]}; }

[[gnu::always_inline]] inline double product(const std::array<double, 3>& a, double x, double y, double z)
{
    return x * a[0] + y * a[1] + z * a[2];
}

} // namespace

TwoAxes::TwoAxes(const Vec3& first, const Vec3& second, const Vec3& tool, const Turns& at)
{
    const Vec3 n = first.cross(second);
    const Vec3 f1 = n.normalized();
    const Vec3 f2 = -f1;
    const Vec3 e2 = f2.cross(second);
    k1_ = numbers(first);
    f1_ = numbers(f1);
    e1_ = numbers(f1.cross(first));
    c12_ = first.dot(second);
    p2_ = tool.dot(second);
    across_ = n.squaredNorm();
    across_root_ = std::sqrt(across_);
    inner_scale_ = std::sqrt(across_ / (1 - p2_ * p2_));
    first_at_ = at[0];
    const double tool_turn = std::atan2(tool.dot(f2), tool.dot(e2)); // about the second axis, from e2
    tool_sine_ = std::sin(tool_turn);
    tool_cosine_ = std::cos(tool_turn);
    for (std::size_t b = 0; b < 2; ++b) {
        // On from there it turns by up to half a turn, down in the first branch and up in the second; in the turn nearest to 0.
        const double middle = at[1] - tool_turn + (b == 0 ? -pi / 2 : pi / 2);
        second_[b] = at[1] - tool_turn - 2 * pi * std::round(middle / (2 * pi));
    }
    const double between = angle_between(first, second);
    const double opening = angle_between(tool, second);
    least_ = std::abs(between - opening);
    most_ = pi - std::abs(pi - (between + opening));
    right_angles_ = c12_ == 0 && p2_ == 0;
}

[[gnu::always_inline]] inline TwoAxes::Lean TwoAxes::lean(double p1) const
{
    const double a = (p1 - c12_ * p2_) / across_;
    const double b = (p2_ - c12_ * p1) / across_;
    return {a, b, (1 - (a * a + b * b + 2 * a * b * c12_)) / across_};
}

[[gnu::always_inline]] inline TwoAxes::Azimuth TwoAxes::azimuth(double x, double y, double z) const
{
    const double u = product(e1_, x, y, z);
    const double v = product(f1_, x, y, z);
    const double flank = std::sqrt(u * u + v * v);
    const bool none = flank < 1e-15;
    const double inverse = 1 / (none ? 1 : flank);
    return {none ? 0 : v * inverse, none ? 1 : u * inverse, flank};
}

/// By their sines: across the second axis v is as long as the tool, across the first as long as what is wanted.
template <bool right_angles>
[[gnu::always_inline]] inline TwoAxes::Openings TwoAxes::openings(const Lean& lean, const Azimuth& azimuth) const
{
    const double c = std::sqrt(lean.square < 0 ? 0 : lean.square);
    const double outer_scale = across_root_ / (azimuth.flank < 1e-15 ? 1 : azimuth.flank);
    return {c * inner_scale_, lean.a * inner_scale_, right_angles ? 1 : c * outer_scale, right_angles ? 0 : lean.b * outer_scale};
}

/// Of a lean too short to be scaled.
TwoAxes::Openings TwoAxes::short_openings(const Lean& lean)
{
    const double c = std::sqrt(std::max(0.0, lean.square));
    const double x = lean.a * lean.a + c * c;
    const double y = lean.b * lean.b + c * c;
    return {x > 0 ? c / std::sqrt(x) : 0, x > 0 ? lean.a / std::sqrt(x) : 1, y > 0 ? c / std::sqrt(y) : 0,
            y > 0 ? lean.b / std::sqrt(y) : 1};
}

template <bool right_angles>
[[gnu::always_inline]] inline TwoAxes::Solved TwoAxes::solved(const Azimuth& azimuth, const Openings& openings) const
{
    const auto [sine_x, cosine_x, sine_y, cosine_y] = openings;
    const double x = plane_angle(sine_x, cosine_x);
    const double y = right_angles ? pi / 2 : plane_angle(sine_y, cosine_y);
    const double phi = plane_angle(azimuth.sine, azimuth.cosine);
    const double arc = small_arc_sine(azimuth.flank);
    // Sums and differences of the angles.
    const double straight_sine = azimuth.sine * cosine_y;
    const double straight_cosine = azimuth.cosine * cosine_y;
    const double aside_sine = azimuth.sine * sine_y;
    const double aside_cosine = azimuth.cosine * sine_y;
    return {{Turns{first_at_ + phi - y, second_[0] - x}, Turns{first_at_ + phi + y, second_[1] + x}},
            {Turns{straight_sine - aside_cosine, -sine_x * tool_cosine_ - cosine_x * tool_sine_},
             Turns{straight_sine + aside_cosine, sine_x * tool_cosine_ - cosine_x * tool_sine_}},
            {Turns{straight_cosine + aside_sine, cosine_x * tool_cosine_ - sine_x * tool_sine_},
             Turns{straight_cosine - aside_sine, cosine_x * tool_cosine_ + sine_x * tool_sine_}},
            azimuth.flank < 0.1 ? arc : azimuth.flank};
}

template <bool right_angles>
[[gnu::always_inline]] inline void TwoAxes::one_of(const std::array<Column, 3>& wanted, std::size_t i, BranchRun& out) const
{
    const double x = wanted[0][i];
    const double y = wanted[1][i];
    const double z = wanted[2][i];
    const Lean lean = this->lean(product(k1_, x, y, z));
    const Azimuth azimuth = this->azimuth(x, y, z);
    const Solved one = solved<right_angles>(azimuth, openings<right_angles>(lean, azimuth));
    for (std::size_t b = 0; b < 2; ++b) {
        for (std::size_t joint = 0; joint < 2; ++joint) {
            out.turns[b][joint][i] = one.turns[b][joint];
            out.sine[b][joint][i] = one.sine[b][joint];
            out.cosine[b][joint][i] = one.cosine[b][joint];
        }
    }
    out.pole[i] = one.pole;
    out.square[i] = lean.square;
}

/// The object is a copy, so that nothing that is written can change it.
WEXILUM_WIDE void TwoAxes::all_of(const TwoAxes axes, const std::array<Column, 3>& wanted, std::size_t first, std::size_t end,
                                  BranchRun& __restrict out)
{
    if (axes.right_angles_) {
        for (std::size_t i = first; i < end; ++i) {
            axes.one_of<true>(wanted, i, out);
        }
    } else {
        for (std::size_t i = first; i < end; ++i) {
            axes.one_of<false>(wanted, i, out);
        }
    }
}

std::size_t TwoAxes::branches_along(const std::array<Column, 3>& wanted, std::size_t first, std::size_t end, BranchRun& out) const
{
    all_of(*this, wanted, first, end, out);
    std::size_t at = first;
    while (at < end && out.square[at] >= apart && out.pole[at] > pole_free) {
        ++at;
    }
    return at;
}

Branches TwoAxes::branches(const Vec3& wanted) const
{
    Lean lean = this->lean(product(k1_, wanted[0], wanted[1], wanted[2]));
    Branches out;
    const bool short_lean = lean.square < apart;
    if (short_lean) { // near the edge of what can be reached, or at a pole
        const Vec3 first = vector(k1_);
        const double asked = angle_between(wanted, first);
        double held = std::clamp(asked, least_, most_);
        out.residual = std::abs(asked - held);
        if (out.residual > reach_tolerance) {
            out.missed_by = out.residual;
            Vec3 hinge = first.cross(wanted);
            if (hinge.norm() < parallel) {
                hinge = any_across(first);
            }
            out.nearest_axis = Eigen::AngleAxisd(held, hinge.normalized()) * first;
            return out;
        }
        // On the edge itself the branches meet; the last bits of the direction must not keep them a root apart.
        held = held - least_ < at_the_edge ? least_ : most_ - held < at_the_edge ? most_ : held;
        if (held == least_ || held == most_) {
            lean = this->lean(std::cos(held));
            lean.square = 0;
        }
    }
    const Azimuth azimuth = this->azimuth(wanted[0], wanted[1], wanted[2]);
    const Solved one = short_lean      ? solved<false>(azimuth, short_openings(lean))
                       : right_angles_ ? solved<true>(azimuth, openings<true>(lean, azimuth))
                                       : solved<false>(azimuth, openings<false>(lean, azimuth));
    out.turns = one.turns;
    out.sine = one.sine;
    out.cosine = one.cosine;
    out.pole = one.pole;
    out.count = lean.square > 1e-24 || out.pole < pole_free ? 2 : 1;
    return out;
}

} // namespace wexilum
