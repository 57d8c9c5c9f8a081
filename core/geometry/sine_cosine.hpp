// Sine and cosine together: the same bits for one angle as for many, which a compiler works out several at a time.
// Source: the argument is reduced by pi/2 in three parts (W. J. Cody, W. Waite, Software Manual for the Elementary Functions, 1980); the
// series on the rest are the minimax polynomials of the freely distributable mathematical library (Sun Microsystems, 1993).
#pragma once

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

/// The same for `count` angles; `sine` and `cosine` overlap neither each other nor the angles.
inline void sines_and_cosines(const double* __restrict angle, std::size_t count, double* __restrict sine, double* __restrict cosine)
{
    for (std::size_t i = 0; i < count; ++i) {
        const SineCosine found = sine_and_cosine(angle[i]);
        sine[i] = found.sine;
        cosine[i] = found.cosine;
    }
}

} // namespace wexilum
