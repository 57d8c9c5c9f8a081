// A way of the tool on a cylinder: a line or an arc of the flat, laid round it.
#pragma once

#include "core/geometry/path_way.hpp"

#include <optional>

namespace wexilum {

/// Flat places are (u, v, h): u along the turn, measured at the cylinder's radius, v along the cylinder, h above its surface, all mm;
/// seen from outside u and v are as X and Y. The tool stands on the surface: its axis points away from the cylinder's.
struct WoundWay final : PathWay {
    Frame cylinder = Frame::Identity(); ///< Z along it, X towards u = 0; u grows right-handed about Z
    double radius = 1;                  ///< mm
    Vec3 from = Vec3::Zero();           ///< flat
    Vec3 to = Vec3::Zero();
    std::optional<Arc> arc; ///< flat, its normal along h or against it; its ends are from and to. Otherwise a line

    /// On the surface, as the flat path has it: a way at another height than h = 0 counts as if it were there.
    [[nodiscard]] double length() const override;
    [[nodiscard]] Vec3 flat_at(double s) const; ///< at fraction s (0..1) of that length
    [[nodiscard]] Pose wound(const Vec3& flat) const;
    [[nodiscard]] Pose at(double s) const override { return wound(flat_at(s)); }
    /// A pose's place in the flat, on the turn nearest to u.
    [[nodiscard]] Vec3 unwound(const Vec3& tip, double u) const;
    [[nodiscard]] double nearest(const Vec3& tip, double lo = 0) const override;
    [[nodiscard]] double turn_rate() const override;
    [[nodiscard]] const Arc* bend() const override { return arc ? &*arc : nullptr; } ///< of the flat
    [[nodiscard]] std::shared_ptr<const PathWay> between(double s0, double s1) const override;
    [[nodiscard]] std::shared_ptr<const PathWay> moved(const Mat3& map, const Vec3& move) const override;
};

} // namespace wexilum
