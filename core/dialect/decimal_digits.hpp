// Numbers as text, three digits at a time; for the writer of lines, where most of a program's time would go otherwise.
#pragma once

#include "core/dialect/dialect.hpp"

#include <array>
#include <charconv>
#include <cstdint>
#include <cstring>

namespace wexilum::digits {

inline constexpr std::array<std::uint64_t, 10> powers{1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000, 1000000000};

/// Three characters, and in a fourth byte how many of them count. Stored as a whole: what follows overwrites what doesn't.
using Group = std::array<char, 4>;

/// The numbers below a thousand as text.
struct Thousand {
    std::array<Group, 1000> whole{};   ///< without leading zeros, at least one digit
    std::array<Group, 1000> decimal{}; ///< three digits, of which those before trailing zeros count
    constexpr Thousand()
    {
        for (std::size_t i = 0; i < 1000; ++i) {
            const std::array<char, 3> digit{char('0' + i / 100), char('0' + i / 10 % 10), char('0' + i % 10)};
            const std::size_t blank = i >= 100 ? 0 : i >= 10 ? 1 : 2;
            for (std::size_t k = blank; k < 3; ++k) {
                whole[i][k - blank] = digit[k];
            }
            whole[i][3] = char(3 - blank);
            decimal[i] = {digit[0], digit[1], digit[2], char(i % 10 != 0 ? 3 : i % 100 != 0 ? 2 : i != 0 ? 1 : 0)};
        }
    }
};
inline constexpr Thousand thousand;

/// How many of the group's characters count.
[[gnu::always_inline]] inline int put(char* out, const Group& group)
{
    std::memcpy(out, group.data(), group.size());
    return group[3];
}

/// A whole number of more than three digits without leading zeros.
inline char* write_long(char* out, std::uint64_t value)
{
    if (value >= 1000000000) {
        return std::to_chars(out, out + 20, value).ptr;
    }
    const auto number = static_cast<std::uint32_t>(value);
    if (number < 1000000) {
        out += put(out, thousand.whole[number / 1000]);
    } else {
        out += put(out, thousand.whole[number / 1000000]);
        put(out, thousand.decimal[number / 1000 % 1000]);
        out += 3;
    }
    put(out, thousand.decimal[number % 1000]);
    return out + 3;
}

/// With the number of decimals as a constant, divisions by its power are multiplications.
template <int decimals>
[[gnu::always_inline]] inline char* write_fixed(char* out, std::uint64_t magnitude, const NumberStyle& style)
{
    constexpr std::uint64_t power = powers[decimals];
    const std::uint64_t whole = magnitude / power;
    if (whole < 1000) {
        out += put(out, thousand.whole[whole]);
    } else {
        out = write_long(out, whole);
    }
    int needed = 0;
    if constexpr (decimals > 0) {
        // In groups of three, the last one filled up with zeros.
        constexpr int groups = (decimals + 2) / 3;
        auto fraction = static_cast<std::uint32_t>(magnitude - whole * power) * static_cast<std::uint32_t>(powers[3 * groups - decimals]);
        std::array<std::uint32_t, groups> parts;
        for (int group = groups - 1; group > 0; --group, fraction /= 1000) {
            parts[std::size_t(group)] = fraction % 1000;
        }
        parts[0] = fraction;
        for (int group = 0; group < groups; ++group) {
            const int count = put(out + 1 + std::ptrdiff_t{3} * group, thousand.decimal[parts[std::size_t(group)]]);
            needed = count > 0 ? 3 * group + count : needed;
        }
        needed = style.keep_zeros ? decimals : needed;
    }
    *out = '.';
    return out + (needed > 0 ? 1 + needed : style.point_always ? 1 : 0);
}

/// As write_decimal().
[[gnu::always_inline]] inline char* write(char* out, std::int64_t counts, const NumberStyle& style)
{
    *out = '-';
    out += counts < 0 ? 1 : 0;
    const std::uint64_t magnitude = counts < 0 ? 0 - static_cast<std::uint64_t>(counts) : static_cast<std::uint64_t>(counts);
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

} // namespace wexilum::digits
