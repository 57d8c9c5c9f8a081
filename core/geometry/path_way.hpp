// A way of the tool between two poses, known by what it offers. A new kind of way is a class here and a record that has one.
#pragma once

#include "core/geometry/arc.hpp"

#include <memory>

namespace wexilum {

/// Places on the way are fractions s (0..1) of the tip's travel. A way does not change.
class PathWay {
public:
    virtual ~PathWay() = default;

    [[nodiscard]] virtual double length() const = 0; ///< of the tip's travel, mm, > 0
    [[nodiscard]] virtual Pose at(double s) const = 0;
    /// The fraction in [lo, 1] whose tip is nearest to one.
    [[nodiscard]] virtual double nearest(const Vec3& tip, double lo = 0) const = 0;
    /// How fast the tool turns, the most: rad a mm of travel.
    [[nodiscard]] virtual double turn_rate() const = 0;
    /// The arc that the tip runs on, where there is one, in whatever space the way has it: how far and how narrowly it bends. The pointer
    /// lives as long as the way.
    [[nodiscard]] virtual const Arc* bend() const = 0;
    /// Between two fractions.
    [[nodiscard]] virtual std::shared_ptr<const PathWay> between(double s0, double s1) const = 0;
    /// As another frame sees it; `map` is orthogonal and may mirror, `move` follows, mm.
    [[nodiscard]] virtual std::shared_ptr<const PathWay> moved(const Mat3& map, const Vec3& move) const = 0;

protected:
    PathWay() = default;
    PathWay(const PathWay&) = default;
    PathWay& operator=(const PathWay&) = default;
    PathWay(PathWay&&) = default;
    PathWay& operator=(PathWay&&) = default;
};

} // namespace wexilum
