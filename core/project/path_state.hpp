// How near motions of the machine come to its limits.
#pragma once

#include <cstddef>
#include <cstdint>

namespace wexilum {

/// How near a motion of the machine comes to its limits.
enum class PathState : std::uint8_t { rapid, fits, margin_low, near_singular, beyond_travel, off_path, too_close, contact };
inline constexpr std::size_t path_state_count = 8;

} // namespace wexilum
