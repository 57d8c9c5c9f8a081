// Bodies as triangles and edges, for the picture.
#pragma once

#include "core/machine/body.hpp"
#include "core/setup/setup.hpp"

#include <vector>

namespace wexilum::app {

struct Solid {
    struct Corner {
        Eigen::Vector3f at;
        Eigen::Vector3f normal;
    };
    std::vector<Corner> triangles;      ///< three corners each, in the body's own frame
    std::vector<Eigen::Vector3f> edges; ///< two ends each
};

[[nodiscard]] Solid solid_of(const Body& body);
/// A tool with its tip in the origin and its axis along z, and what holds it up to the gauge line, as far as the tool table states them.
[[nodiscard]] Solid solid_of(const Tool& tool, double length);

} // namespace wexilum::app
