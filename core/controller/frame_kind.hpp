// The kinds of coordinates in which a program may be written.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string_view>

namespace wexilum {

/// What the words X, Y and Z of a program mean.
enum class FrameKind : std::uint8_t {
    joints,            ///< readings of the joints, less the work offset
    tool_centre_point, ///< the tip's place on the work; between two blocks it goes straight there, the rotary joints in proportion
    tilted_plane,      ///< the tip's place on a declared plane of the work
    world,             ///< the tip's place in the room: turning the work changes nothing
    cylinder           ///< readings of the joints, but one letter gives the way round a cylinder, which a rotary joint turns
};
/// Whether X, Y and Z are coordinates of the tip, which a TipFrame computes.
[[nodiscard]] constexpr bool of_the_tip(FrameKind kind) { return kind != FrameKind::joints && kind != FrameKind::cylinder; }
/// "joints", "tool-centre-point", "tilted-plane", "world", "cylinder".
[[nodiscard]] std::string_view name_of(FrameKind kind);
inline constexpr std::size_t frame_kind_count = 5;

} // namespace wexilum
