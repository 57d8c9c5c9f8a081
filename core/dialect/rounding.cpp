#include "core/dialect/rounding.hpp"

#include "core/base/units.hpp"

#include <array>
#include <charconv>
#include <cmath>
#include <cstring>

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

namespace {

struct DigitPairs {
    std::array<char, 200> text{};
    constexpr DigitPairs()
    {
        for (std::size_t i = 0; i < 100; ++i) {
            text[2 * i] = static_cast<char>('0' + i / 10);
            text[2 * i + 1] = static_cast<char>('0' + i % 10);
        }
    }
};
constexpr DigitPairs pairs;

[[gnu::always_inline]] inline char* write_four(char* out, std::uint32_t value)
{
    std::memcpy(out, &pairs.text[std::size_t{2} * (value / 100)], 2);
    std::memcpy(out + 2, &pairs.text[std::size_t{2} * (value % 100)], 2);
    return out + 4;
}

[[gnu::always_inline]] inline char* write_whole(char* out, std::uint64_t value)
{
    if (value >= 100000000) {
        return std::to_chars(out, out + 20, value).ptr;
    }
    auto head = static_cast<std::uint32_t>(value);
    const std::uint32_t tail = head % 10000;
    const bool long_one = head >= 10000;
    if (long_one) {
        head /= 10000;
    }
    if (head >= 100) {
        const char* pair = &pairs.text[std::size_t{2} * (head / 100)];
        if (head >= 1000) {
            *out++ = pair[0];
        }
        *out++ = pair[1];
        std::memcpy(out, &pairs.text[std::size_t{2} * (head % 100)], 2);
        out += 2;
    } else {
        const char* pair = &pairs.text[std::size_t{2} * head];
        if (head >= 10) {
            *out++ = pair[0];
        }
        *out++ = pair[1];
    }
    return long_one ? write_four(out, tail) : out;
}

/// With the number of decimals as a constant, the division by its power is a multiplication.
template <int decimals>
char* write_fixed(char* out, std::uint64_t magnitude, const NumberStyle& style)
{
    constexpr std::array<std::uint64_t, 10> powers{1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000, 1000000000};
    constexpr std::uint64_t power = powers[decimals];
    out = write_whole(out, magnitude / power);
    auto fraction = static_cast<std::uint32_t>(magnitude % power);
    if (decimals == 0 || (fraction == 0 && !style.keep_zeros)) {
        if (style.point_always) {
            *out++ = '.';
        }
        return out;
    }
    *out++ = '.';
    int at = decimals;
    for (; at >= 2; at -= 2, fraction /= 100) {
        std::memcpy(out + at - 2, &pairs.text[std::size_t{2} * (fraction % 100)], 2);
    }
    if (at == 1) {
        *out = static_cast<char>('0' + fraction);
    }
    char* end = out + decimals;
    if (!style.keep_zeros) {
        while (end[-1] == '0') {
            --end;
        }
    }
    return end;
}

} // namespace

char* write_decimal(char* out, std::int64_t counts, const NumberStyle& style)
{
    auto magnitude = static_cast<std::uint64_t>(counts);
    if (counts < 0) {
        *out++ = '-';
        magnitude = 0 - magnitude;
    }
    switch (style.decimals) {
    case 0: return write_fixed<0>(out, magnitude, style);
    case 1: return write_fixed<1>(out, magnitude, style);
    case 2: return write_fixed<2>(out, magnitude, style);
    case 3: return write_fixed<3>(out, magnitude, style);
    case 4: return write_fixed<4>(out, magnitude, style);
    case 5: return write_fixed<5>(out, magnitude, style);
    case 6: return write_fixed<6>(out, magnitude, style);
    case 7: return write_fixed<7>(out, magnitude, style);
    default: return write_fixed<8>(out, magnitude, style);
    }
}

std::string decimal_text(std::int64_t counts, const NumberStyle& style)
{
    std::array<char, most_decimal_text> buffer;
    return {buffer.data(), write_decimal(buffer.data(), counts, style)};
}

} // namespace wexilum
