// A surface outside of which a tool may move freely. Links ride on it.
#pragma once

#include "core/geometry/pose.hpp"

#include <functional>
#include <optional>
#include <vector>

namespace wexilum {

/// A way along a surface: a place for each fraction of it, and the fractions at which it bends.
struct SurfaceWay {
    std::function<Vec3(double)> at;
    std::vector<double> bends; ///< between 0 and 1, rising
};

/// A plane, cylinder without ends, sphere or box; all lengths in mm, in the frame of whoever made it. What is inside is convex.
class ClearanceSurface {
public:
    /// Outside is where `direction` points.
    static ClearanceSurface plane(const Vec3& point, const Vec3& direction);
    static ClearanceSurface cylinder(const Vec3& point, const Vec3& direction, double radius);
    static ClearanceSurface sphere(const Vec3& point, double radius);
    /// Along the frame's own axes. Precondition: low < high.
    static ClearanceSurface box(const Vec3& low, const Vec3& high);

    /// How far a point is outside; negative inside.
    [[nodiscard]] double height(const Vec3& point) const;
    [[nodiscard]] Vec3 nearest(const Vec3& point) const;
    /// Where a tool at `point` that goes out along the unit vector `direction` is outside for good: `point` itself where it is so already.
    /// Nothing where that way never leads out.
    [[nodiscard]] std::optional<Vec3> way_out(const Vec3& point, const Vec3& direction) const;
    /// The tip is outside, and a tool without end behind it too.
    [[nodiscard]] bool is_clear(const Pose& pose) const;
    /// The same surface further in by so much, or out by a negative amount. Precondition: something of it is left.
    [[nodiscard]] ClearanceSurface shrunk(double by) const;
    /// A short way along the surface, between the points of it that are nearest to `from` and `to`. On a cylinder, that one of its ways
    /// round which turns about it by nearest to `winding` (rad).
    [[nodiscard]] SurfaceWay way(const Vec3& from, const Vec3& to, double winding = 0) const;
    /// The direction that a cylinder runs along; nothing for other shapes.
    [[nodiscard]] std::optional<Vec3> along() const;

private:
    enum class Shape { plane, cylinder, sphere, box };
    ClearanceSurface(Shape shape, const Frame& frame, const Vec3& half) : shape_(shape), frame_(frame), half_(half) {}
    [[nodiscard]] Vec3 inside(const Vec3& point) const { return frame_.inverse() * point; }
    [[nodiscard]] SurfaceWay box_way(const Vec3& a, const Vec3& b) const;

    Shape shape_;
    Frame frame_; ///< Z along a plane's or cylinder's direction
    Vec3 half_;   ///< of a box: half its lengths; otherwise the radius in each
};

} // namespace wexilum
