// Solids of machine, tool and work, and how far two of them are apart.
#pragma once

#include "core/machine/body.hpp"

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <utility>
#include <vector>

namespace wexilum {

/// A body as it is measured against others. Copies share what they hold.
class Solid {
public:
    /// Precondition: a surface is loaded.
    explicit Solid(Body body);
    /// A surface; of `body` its id, parent and frame. Precondition: at least one face, every face names points that are there.
    Solid(Body body, const Triangles& surface);

    [[nodiscard]] const Body& body() const { return body_; }
    /// The middle of a ball about it, in the body's frame, and that ball's radius (mm).
    [[nodiscard]] const Vec3& middle() const { return middle_; }
    [[nodiscard]] double radius() const { return radius_; }

    /// The distance between two solids whose bodies' frames stand so, mm; 0 where they touch or overlap (of surfaces: where they cross).
    [[nodiscard]] static double distance(const Solid& a, const Frame& at_a, const Solid& b, const Frame& at_b);
    /// Points of both that are as far apart, in the frame that the bodies' frames stand in; nothing where they touch.
    [[nodiscard]] static std::optional<std::pair<Vec3, Vec3>> nearest(const Solid& a, const Frame& at_a, const Solid& b, const Frame& at_b);

private:
    void take(const Triangles& surface);
    [[nodiscard]] Frame placed(const Frame& at) const; ///< of the shape, where the body's frame stands so
    struct Geometry;
    Body body_;
    Vec3 middle_ = Vec3::Zero();
    double radius_ = 0;
    std::shared_ptr<const Geometry> geometry_;
};

} // namespace wexilum
