// Sine, cosine and the angle that belongs to them: the same bits for one as for many, which a compiler works out several at a time. None
// remembers anything.
// Source: the argument is reduced by pi/2 in three parts (W. J. Cody, W. Waite, Software Manual for the Elementary Functions, 1980); the
// series on the rest are the minimax polynomials of the freely distributable mathematical library (Sun Microsystems, 1993).
#pragma once

#include "core/base/lanes.hpp"

#include <array>
#include <bit>
#include <cmath>
#include <cstddef>
#include <cstdint>

namespace wexilum {

struct SineCosine {
    double sine = 0;
    double cosine = 1;
};

/// Within two units of the last digit; precondition: |angle| < 1e6 rad. Beyond, digits are lost one by one.
[[gnu::always_inline]] inline SineCosine sine_and_cosine(double angle)
{
    constexpr double digits_end = 6755399441055744.0; // 1.5 * 2^52: adding it leaves no digits behind the point
    constexpr double quarter_1 = 1.57079632673412561417e+00;
    constexpr double quarter_2 = 6.07710050630396597660e-11;
    constexpr double quarter_3 = 2.02226624879595063154e-21;
    const double shifted = angle * 0.63661977236758134308 + digits_end;
    const double quarters = shifted - digits_end;
    const double near = (angle - quarters * quarter_1) - quarters * quarter_2;
    const double x = near - quarters * quarter_3;
    const double z = x * x;
    const double s =
        x + x * z *
                (-1.66666666666666324348e-01 +
                 z * (8.33333333332248946124e-03 +
                      z * (-1.98412698298579493134e-04 +
                           z * (2.75573137070700676789e-06 + z * (-2.50507602534068634195e-08 + z * 1.58969099521155010221e-10)))));
    const double half = 0.5 * z;
    const double about = 1 - half;
    const double c =
        about + (((1 - about) - half) +
                 z * z *
                     (4.16666666666666019037e-02 +
                      z * (-1.38888888888741095749e-03 +
                           z * (2.48015872894767294178e-05 +
                                z * (-2.75573143513906633035e-07 + z * (2.08757232129817482790e-09 + z * -1.13596475577881948265e-11))))));
    const auto quarter = std::bit_cast<std::uint64_t>(shifted);
    // Bits instead of branches: a compiler has no four at a time for those.
    const std::uint64_t odd = std::uint64_t{0} - (quarter & 1U);
    const auto s_bits = std::bit_cast<std::uint64_t>(s);
    const auto c_bits = std::bit_cast<std::uint64_t>(c);
    const std::uint64_t other = (s_bits ^ c_bits) & odd;
    return {std::bit_cast<double>((s_bits ^ other) ^ (quarter & 2U) << 62),
            std::bit_cast<double>((c_bits ^ other) ^ ((quarter + 1) & 2U) << 62)};
}

/// The angle in [-pi, pi] that points along (cosine, sine), which need not be of length one; 0 where both are 0. Within two units of
/// the last digit of std::atan2.
[[gnu::always_inline]] inline double plane_angle(double sine, double cosine)
{
    constexpr double half_octant_tangent = 0.41421356237309503; // of pi/8
    constexpr double octant = 0.78539816339744830962;           // pi/4
    const double s = std::abs(sine);
    const double c = std::abs(cosine);
    const double low = s < c ? s : c;
    const double high = s < c ? c : s;
    // Seen from 0 or from pi/4, whichever is nearer: no more than pi/8 is left.
    const bool far = low > half_octant_tangent * high;
    const double below = far ? low + high : high;
    const double t = (far ? low - high : low) / (below == 0 ? 1 : below);
    const double z = t * t;
    const double w = z * z;
    const double odd =
        z * (3.33333333333329318027e-01 +
             w * (1.42857142725034663711e-01 +
                  w * (9.09088713343650656196e-02 +
                       w * (6.66107313738753120669e-02 + w * (4.97687799461593236017e-02 + w * 1.62858201153657823623e-02)))));
    const double even = w * (-1.99999999998764832476e-01 +
                             w * (-1.11111104054623557880e-01 +
                                  w * (-7.69187620504482999495e-02 + w * (-5.83357013379057348645e-02 + w * -3.65315727442169155270e-02))));
    const double near = t - t * (odd + even);
    const double first = far ? octant + near : near;
    const double second = s < c ? first : 2 * octant - first;
    const double half = cosine < 0 ? 4 * octant - second : second;
    return std::copysign(half, sine);
}

/// The arc sine of a small number, |sine| <= 0.1, by its series cut off below 1e-17.
[[gnu::always_inline]] inline double small_arc_sine(double sine)
{
    const double q = sine * sine;
    const double rest = q * (1.0 / 6 + q * (3.0 / 40 + q * (5.0 / 112 + q * (35.0 / 1152 + q * (63.0 / 2816 + q * (231.0 / 13312))))));
    return sine + sine * rest;
}

/// sine_and_cosine() in each lane.
[[gnu::always_inline]] inline void sine_and_cosine(double angle, double& sine, double& cosine)
{
    const SineCosine found = sine_and_cosine(angle);
    sine = found.sine;
    cosine = found.cosine;
}
[[gnu::always_inline]] inline void sine_and_cosine(const Four& angle, Four& sine, Four& cosine)
{
    const auto angles = std::bit_cast<std::array<double, 4>>(angle);
    std::array<double, 4> sines;
    std::array<double, 4> cosines;
    for (std::size_t i = 0; i < 4; ++i) {
        sine_and_cosine(angles[i], sines[i], cosines[i]);
    }
    sine = std::bit_cast<Four>(sines);
    cosine = std::bit_cast<Four>(cosines);
}

/// sine_and_cosine() of `count` angles; `sine` and `cosine` overlap neither each other nor the angles.
inline void sines_and_cosines(const double* __restrict angle, std::size_t count, double* __restrict sine, double* __restrict cosine)
{
    for (std::size_t i = 0; i < count; ++i) {
        const SineCosine found = sine_and_cosine(angle[i]);
        sine[i] = found.sine;
        cosine[i] = found.cosine;
    }
}

} // namespace wexilum
