#include "core/dialect/rounding.hpp"

#include "core/base/units.hpp"

#include <cmath>
#include <cstdlib>

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
    const double number = value / s.unit;
    if (s.increment <= s.count) {
        return std::llround(number / s.count);
    }
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

std::string decimal_text(std::int64_t counts, const NumberStyle& style)
{
    std::string digits = std::to_string(std::llabs(counts));
    const auto decimals = static_cast<std::size_t>(style.decimals);
    if (digits.size() <= decimals) {
        digits.insert(0, decimals + 1 - digits.size(), '0');
    }
    std::string fraction = digits.substr(digits.size() - decimals);
    std::string whole = digits.substr(0, digits.size() - decimals);
    if (!style.keep_zeros) {
        while (!fraction.empty() && fraction.back() == '0') {
            fraction.pop_back();
        }
    }
    std::string out = counts < 0 ? "-" : "";
    out += whole;
    if (!fraction.empty() || style.point_always) {
        out += '.';
    }
    return out + fraction;
}

} // namespace wexilum
