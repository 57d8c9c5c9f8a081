// Surfaces of triangles.
#pragma once

#include "core/geometry/pose.hpp"

#include <array>
#include <cstdint>
#include <vector>

namespace wexilum {

/// In the frame of its body, mm.
struct Triangles {
    std::vector<Vec3> points;
    std::vector<std::array<std::uint32_t, 3>> faces; ///< places in `points`
};

} // namespace wexilum
