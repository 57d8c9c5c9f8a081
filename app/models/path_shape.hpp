// The path of a replay as it is drawn: cut into chunks with their boxes, thinned, and with a colour number for each segment.
#pragma once

#include "core/geometry/pose.hpp"
#include "core/project/path_state.hpp"

#include <cstdint>
#include <vector>

namespace wexilum {
struct PostedJob;
class ReplayTrack;
} // namespace wexilum

namespace wexilum::app {

struct PathShape {
    struct Chunk {
        int first = 0; ///< point
        int count = 0; ///< a chunk's last point is the next one's first
        int thin_first = 0;
        int thin_count = 0;
        Vec3 low = Vec3::Zero(); ///< part's frame
        Vec3 high = Vec3::Zero();
    };
    std::vector<Chunk> chunks;
    std::vector<std::uint32_t> thin; ///< points of the thinned path
};
[[nodiscard]] PathShape path_shape_of(const ReplayTrack& track);

enum class PathColouring { state, operation, deviation };
inline constexpr std::size_t operation_colours = 6;
inline constexpr std::size_t deviation_steps = 5; ///< of the budget, and one beyond

/// Numbers of colours: 0 is a rapid; by state the rest are PathState, by operation 1 to operation_colours in turn, by deviation 1 to
/// deviation_steps + 1.
struct PathPaint {
    static constexpr std::uint8_t gap = 255; ///< no segment leads to this point
    std::vector<std::uint8_t> status;        ///< by point, of the segment that leads to it
    std::vector<std::uint32_t> over;         ///< points whose segment is wrong and drawn over, thicker
};
[[nodiscard]] PathPaint path_paint_of(const PostedJob& job, const ReplayTrack& track, const std::vector<PathState>& states,
                                      PathColouring colouring);

} // namespace wexilum::app
