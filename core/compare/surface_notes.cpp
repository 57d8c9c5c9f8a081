#include "core/compare/surface_notes.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

std::optional<ToolRound> round_of(const Tool& tool)
{
    if (tool.shape == "ball-mill") {
        return ToolRound{0, tool.diameter / 2};
    }
    if (tool.shape == "end-mill" || tool.shape == "face-mill") {
        return ToolRound{tool.diameter / 2, 0};
    }
    return std::nullopt;
}

double off_surface(const ToolRound& tool, const Vec3& normal, const Pose& wanted, const Pose& is)
{
    const auto along = [&](const Pose& pose) {
        const double lean = pose.axis.dot(normal);
        return pose.tip.dot(normal) + tool.corner * lean - tool.flat * std::sqrt(std::max(0.0, 1 - lean * lean));
    };
    return along(is) - along(wanted);
}

void SurfaceNotes::note(const Expected& item, double s, const Pose& pose, BlockNumber block)
{
    if (item.surface_from.isZero() || item.surface_to.isZero()) {
        return;
    }
    const Tool* tool = task_.setup.find_tool(item.tool);
    const auto round = tool != nullptr ? round_of(*tool) : std::nullopt;
    const Vec3 between = item.surface_from + (item.surface_to - item.surface_from) * s;
    if (!round || between.norm() < 0.1) { // normals that point apart say nothing of what lies between
        return;
    }
    log_.report().surface.note(off_surface(*round, between.normalized(), item.piece.at(s), pose), block.value);
}

} // namespace wexilum
