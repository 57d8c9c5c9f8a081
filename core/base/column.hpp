// Numbers side by side: what is done for many places of a path at once is done column by column.
#pragma once

#include <array>
#include <cstddef>

namespace wexilum {

/// Most places at once; a multiple of four.
inline constexpr std::size_t longest_run = 128;
/// A number for each of them.
using Column = std::array<double, longest_run>;

} // namespace wexilum
