#include "core/dialect/rounding.hpp"

#include "core/base/units.hpp"

#include <array>
#include <charconv>
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
        scale.per_unit = 1 / (unit * scale.count);
    };
    set(Quantity::length, length, controller.length_increment);
    set(Quantity::angle, pi / 180, controller.angle_increment);
    set(Quantity::feed, length / 60, controller.feed_increment);
    set(Quantity::inverse_time, 1.0 / 60, controller.inverse_time_increment);
    set(Quantity::revolution_feed, length, controller.revolution_feed_increment);
    set(Quantity::speed, 1, controller.speed_increment);
    set(Quantity::time, dialect.dwell_in_milliseconds ? 1e-3 : 1.0, controller.time_increment * (dialect.dwell_in_milliseconds ? 1e3 : 1));
    set(Quantity::whole, 1, 1);
}

std::int64_t Rounding::counts(Quantity quantity, double value) const
{
    const Scale& s = scales_[static_cast<std::size_t>(quantity)];
    if (s.increment <= s.count) {
        return std::llround(value * s.per_unit);
    }
    const double number = value / s.unit;
    return std::llround(std::round(number / s.increment) * s.increment / s.count);
}

double Rounding::value(Quantity quantity, std::int64_t counts) const
{
    const Scale& s = scales_[static_cast<std::size_t>(quantity)];
    return static_cast<double>(counts) * s.count * s.unit;
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

char* write_decimal(char* out, std::int64_t counts, const NumberStyle& style)
{
    constexpr std::array<std::uint64_t, 10> powers{1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000, 1000000000};
    const auto decimals = static_cast<std::size_t>(style.decimals);
    auto magnitude = static_cast<std::uint64_t>(counts);
    if (counts < 0) {
        *out++ = '-';
        magnitude = 0 - magnitude;
    }
    const std::uint64_t whole = magnitude / powers[decimals];
    std::uint64_t fraction = magnitude % powers[decimals];
    out = std::to_chars(out, out + 20, whole).ptr;
    std::size_t digits = decimals;
    while (!style.keep_zeros && digits > 0 && fraction % 10 == 0) {
        fraction /= 10;
        --digits;
    }
    if (digits > 0 || style.point_always) {
        *out++ = '.';
    }
    for (std::size_t i = digits; i-- > 0; fraction /= 10) {
        out[i] = static_cast<char>('0' + fraction % 10);
    }
    return out + digits;
}

std::string decimal_text(std::int64_t counts, const NumberStyle& style)
{
    std::array<char, most_decimal_text> buffer;
    return {buffer.data(), write_decimal(buffer.data(), counts, style)};
}

} // namespace wexilum
