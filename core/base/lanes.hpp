// Numbers side by side: a formula for one value or for four at once, as a template over what it takes; one value is one lane.
#pragma once

#include "core/base/column.hpp"

#include <cmath>
#include <cstring>
#include <type_traits>

namespace wexilum {

/// Four lanes. They are added, multiplied and so on lane by lane, with the bits that each lane would have by itself.
using Four = double __attribute__((vector_size(32)));

/// Lanes of a column; `at` is a multiple of four.
[[gnu::always_inline]] inline Four four_of(const Column& column, std::size_t at)
{
    Four out;
    std::memcpy(&out, &column[at], sizeof out);
    return out;
}
[[gnu::always_inline]] inline void put(const Four& lanes, Column& column, std::size_t at)
{
    std::memcpy(&column[at], &lanes, sizeof lanes);
}

/// One value in each lane.
template <typename T>
[[gnu::always_inline]] inline T in_each(double value)
{
    if constexpr (std::is_same_v<T, double>) {
        return value;
    } else {
        return T{value, value, value, value};
    }
}

[[gnu::always_inline]] inline double root(double value) { return std::sqrt(value); }
[[gnu::always_inline]] inline Four root(const Four& lanes)
{
    return Four{std::sqrt(lanes[0]), std::sqrt(lanes[1]), std::sqrt(lanes[2]), std::sqrt(lanes[3])};
}

} // namespace wexilum

/// A function whose loops over columns are compiled for four lanes in one register as well, where the processor has them; the results
/// are the same to the last bit. Sanitizers do not work with the code that chooses between both at the start.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && defined(NDEBUG)
#define WEXILUM_WIDE [[gnu::target_clones("avx2", "default")]]
#else
#define WEXILUM_WIDE
#endif
