// Values as the control will see them: whole counts of the last decimal written. Everything that depends on a written
// value (suppression, arc senses, the next start point) is decided on these.
#pragma once

#include "core/controller/controller.hpp"
#include "core/dialect/dialect.hpp"

#include <cmath>
#include <cstdint>
#include <string>

namespace wexilum {

class Rounding {
public:
    Rounding(const Dialect& dialect, const Controller& controller);

    /// Counts of the last written decimal nearest to `value` (core units: mm, rad, mm/s, 1/s, mm/rev, rpm, s), after rounding
    /// to the control's increment. Precondition: the result fits 53 bits (inputs are range-checked when read).
    [[nodiscard]] std::int64_t counts(Quantity quantity, double value) const
    {
        const Scale& s = scales_[static_cast<std::size_t>(quantity)];
        return s.coarse ? on_increment(s, value) : nearest(value * s.per_unit);
    }
    /// The value of such counts in core units.
    [[nodiscard]] double value(Quantity quantity, std::int64_t counts) const
    {
        const Scale& s = scales_[static_cast<std::size_t>(quantity)];
        return static_cast<double>(counts) * s.per_count;
    }
    /// One count in core units.
    [[nodiscard]] double step(Quantity quantity) const;
    /// The number as text, e.g. "-12.5", "3.", "0." (never "-0.").
    [[nodiscard]] std::string text(Quantity quantity, std::int64_t counts) const;
    [[nodiscard]] const NumberStyle& style(Quantity quantity) const { return scales_[static_cast<std::size_t>(quantity)].style; }
    /// Writes the same text to `out`, which has room for most_decimal_text bytes; returns its end.
    char* write(char* out, Quantity quantity, std::int64_t counts) const;

private:
    struct Scale {
        double unit = 1;      // core units per program unit
        double increment = 0; // program units
        double count = 1;     // program units per count
        double per_unit = 1;  // counts per core unit
        double per_count = 1; // core units per count
        bool coarse = false;  // the control's increment is larger than a count
        NumberStyle style;
    };
    [[nodiscard]] static std::int64_t nearest(double number)
    {
        return static_cast<std::int64_t>(number + std::copysign(0.5, number)); // halves away from zero
    }
    [[nodiscard]] static std::int64_t on_increment(const Scale& scale, double value);

    std::array<Scale, quantity_count> scales_;
};

/// No number's text is longer: 19 digits, sign, point and zero, with 0 to 8 decimals.
inline constexpr std::size_t most_decimal_text = 32;
char* write_decimal(char* out, std::int64_t counts, const NumberStyle& style);
/// "12.5" from 12500 counts at three decimals.
[[nodiscard]] std::string decimal_text(std::int64_t counts, const NumberStyle& style);

} // namespace wexilum
