// Angles that change little from one point of a path to the next: followed by short series instead of computed anew.
//
// The class holds the last value and goes on from it while the step is below `short_step`; after `longest_follow` steps, or
// where the step is longer, it computes anew. A short step's series are cut off below 1e-17, so that what is followed differs from
// what is computed anew by rounding alone, some 1e-16 a step. The same calls give the same results.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>

namespace wexilum {

inline constexpr double short_step = 0.05; // rad
inline constexpr int longest_follow = 64;

/// Sine of a small angle, and one minus its cosine; |angle| <= short_step.
[[nodiscard]] inline double small_sine(double angle)
{
    const double q = angle * angle;
    return angle - angle * q * (1.0 / 6 - q * (1.0 / 120 - q * (1.0 / 5040 - q * (1.0 / 362880))));
}
[[nodiscard]] inline double small_versine(double angle)
{
    const double q = angle * angle;
    return q * (1.0 / 2 - q * (1.0 / 24 - q * (1.0 / 720 - q * (1.0 / 40320))));
}

/// The arc sine of a small number, |sine| <= 0.1.
[[nodiscard]] inline double small_arc_sine(double sine)
{
    const double q = sine * sine;
    const double rest = q * (1.0 / 6 + q * (3.0 / 40 + q * (5.0 / 112 + q * (35.0 / 1152 + q * (63.0 / 2816 + q * (231.0 / 13312))))));
    return sine + sine * rest;
}

/// The arc tangent of a small number, |tangent| <= 0.1.
[[nodiscard]] inline double small_arc_tangent(double tangent)
{
    const double q = tangent * tangent;
    const double rest = q * (-1.0 / 3 + q * (1.0 / 5 + q * (-1.0 / 7 + q * (1.0 / 9 + q * (-1.0 / 11 + q * (1.0 / 13 - q * (1.0 / 15)))))));
    return tangent + tangent * rest;
}

/// The angle of a unit vector in a plane, given by its sine and cosine.
class FollowedAngle {
public:
    /// Differs from atan2(sine, cosine) by whole turns only (and rounding). Precondition: sine^2 + cosine^2 = 1 but for rounding.
    double at(double sine, double cosine)
    {
        const double step_sine = sine * cosine_ - cosine * sine_;
        const double step_cosine = cosine * cosine_ + sine * sine_;
        if (left_-- > 0 && step_cosine > 0 && std::abs(step_sine) < short_step) {
            angle_ += small_arc_sine(step_sine);
        } else {
            angle_ = std::atan2(sine, cosine);
            left_ = longest_follow;
        }
        sine_ = sine;
        cosine_ = cosine;
        return angle_;
    }

    /// The same for `count` angles one after the other; `out` overlaps none of the others.
    void along(const double* sine, const double* cosine, std::size_t count, double* out)
    {
        constexpr std::size_t many = 32;
        std::array<double, many> step_sine;
        std::array<double, many> step_cosine;
        for (std::size_t begin = 0; begin < count; begin += many) {
            const std::size_t n = std::min(many, count - begin);
            const double* const s = sine + begin;
            const double* const c = cosine + begin;
            step_sine[0] = s[0] * cosine_ - c[0] * sine_;
            step_cosine[0] = c[0] * cosine_ + s[0] * sine_;
            for (std::size_t i = 1; i < n; ++i) {
                step_sine[i] = s[i] * c[i - 1] - c[i] * s[i - 1];
                step_cosine[i] = c[i] * c[i - 1] + s[i] * s[i - 1];
            }
            sine_ = s[n - 1];
            cosine_ = c[n - 1];
            double* const to = out + begin;
            for (std::size_t i = 0; i < n; ++i) {
                to[i] = small_arc_sine(step_sine[i]);
            }
            for (std::size_t i = 0; i < n; ++i) {
                if (left_-- > 0 && step_cosine[i] > 0 && std::abs(step_sine[i]) < short_step) {
                    angle_ += to[i];
                } else {
                    angle_ = std::atan2(s[i], c[i]);
                    left_ = longest_follow;
                }
                to[i] = angle_;
            }
        }
    }

private:
    double angle_ = 0;
    double sine_ = 0;
    double cosine_ = 0;
    int left_ = 0;
};

} // namespace wexilum
