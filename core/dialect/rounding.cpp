#include "core/dialect/rounding.hpp"

#include "core/base/units.hpp"
#include "core/dialect/decimal_digits.hpp"

#include <array>
#include <cmath>

namespace wexilum {

Rounding::Rounding(const Dialect& dialect, const Controller& controller)
{
    const double length = dialect.inches ? mm_per_inch : 1;
    const auto set = [&](Quantity q, double unit, double increment) {
        auto& scale = scales_[static_cast<std::size_t>(q)];
        scale.unit = unit;
        scale.increment = increment;
        scale.style = dialect.style(q);
        scale.count = std::pow(10.0, -scale.style.decimals);
        scale.per_count = unit * scale.count;
        scale.per_unit = 1 / scale.per_count;
        scale.coarse = increment > scale.count;
    };
    set(Quantity::length, length, controller.length_increment);
    set(Quantity::angle, pi / 180, controller.angle_increment);
    set(Quantity::feed, length / 60, controller.feed_increment);
    set(Quantity::inverse_time, 1.0 / 60, controller.inverse_time_increment);
    set(Quantity::revolution_feed, length, controller.revolution_feed_increment);
    set(Quantity::speed, 1, controller.speed_increment);
    set(Quantity::time, dialect.dwell_in_milliseconds ? 1e-3 : 1.0, controller.time_increment * (dialect.dwell_in_milliseconds ? 1e3 : 1));
    set(Quantity::whole, 1, 1);
    set(Quantity::direction, 1, controller.direction_increment);
}

std::int64_t Rounding::on_increment(const Scale& scale, double value)
{
    return nearest(std::round(value / scale.unit / scale.increment) * scale.increment / scale.count);
}

double Rounding::step(Quantity quantity) const
{
    const Scale& s = scales_[static_cast<std::size_t>(quantity)];
    return std::max(s.count, s.increment) * s.unit;
}

std::string Rounding::text(Quantity quantity, std::int64_t counts) const
{
    return decimal_text(counts, scales_[static_cast<std::size_t>(quantity)].style);
}

char* Rounding::write(char* out, Quantity quantity, std::int64_t counts) const
{
    return write_decimal(out, counts, scales_[static_cast<std::size_t>(quantity)].style);
}

char* write_decimal(char* out, std::int64_t counts, const NumberStyle& style) { return digits::write(out, counts, style); }

std::string decimal_text(std::int64_t counts, const NumberStyle& style)
{
    std::array<char, most_decimal_text> buffer;
    return {buffer.data(), write_decimal(buffer.data(), counts, style)};
}

} // namespace wexilum
