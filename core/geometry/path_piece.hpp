// The agreed way between two poses: tip on a straight line or an arc, axis on the great circle in proportion to tip travel; or both on
// a way of another kind (PathWay).
#pragma once

#include "core/geometry/wound_way.hpp"

#include <memory>
#include <optional>
#include <utility>

namespace wexilum {

struct PathPiece {
    Pose from;
    Pose to;
    std::optional<Arc> arc; ///< its ends are from.tip and to.tip

    std::shared_ptr<const PathWay> way{}; ///< not with an arc; its ends are from and to. null: none

    [[nodiscard]] bool curved() const { return arc || way; }
    /// The arc that the tip runs on, also one of the flat that is wound; null: none. The pointer lives as long as the piece.
    [[nodiscard]] const Arc* bend() const { return arc ? &*arc : way ? way->bend() : nullptr; }
    /// The way, where it is wound round a cylinder; null otherwise.
    [[nodiscard]] const WoundWay* wound() const { return dynamic_cast<const WoundWay*>(way.get()); }
    [[nodiscard]] double length() const;    ///< of the tip's way, mm; of a wound one on the cylinder's surface
    [[nodiscard]] double turn() const;      ///< of the axis between its ends, rad
    [[nodiscard]] double turn_rate() const; ///< rad a mm of the tip's way, the most; 0 where the tip stands still
    /// The pose at fraction s (0..1) of tip travel; of the turn where the tip stands still.
    [[nodiscard]] Pose at(double s) const;
    /// The fraction in [lo, 1] nearest to a pose: by its tip, or by its axis where the tip stands still.
    [[nodiscard]] double project(const Pose& pose, double lo = 0) const;
    /// The fraction at which the axis is nearest to a direction, known to be near `s` where the axis went on the great circle in
    /// proportion.
    [[nodiscard]] double turned_to(const Vec3& direction, double s) const;
};

/// The two parts of a piece before and after fraction s, which meet in a given pose there.
[[nodiscard]] std::pair<PathPiece, PathPiece> split_at(const PathPiece& piece, double s, const Pose& pose);

/// How far a pose is from a piece at fraction s: mm and rad.
struct Deviation {
    double tip = 0;  ///< mm
    double axis = 0; ///< rad
};
/// How far that may be.
struct Budget {
    double tip = 0;  ///< mm
    double axis = 0; ///< rad
};
[[nodiscard]] Deviation deviation_at(const PathPiece& piece, double s, const Pose& pose);

/// Shorter than this the tip counts as standing still.
inline constexpr double still_length = 1e-6; // mm

} // namespace wexilum
