// What every reader of toolpaths asks of a motion, whatever its format.
#pragma once

#include "core/toolpath/record.hpp"

namespace wexilum {

/// A tool axis or the axis of an arc may be so much longer or shorter than 1 in a file.
inline constexpr double unit_vector_tolerance = 1e-3;

/// Whether the axis turns right round from one direction to the other, so that its way is not defined.
[[nodiscard]] bool turns_right_round(const Vec3& from, const Vec3& to);

/// How far a point lies off the radius of an arc, mm; below 0 inside.
[[nodiscard]] double off_circle(const record::Circular& arc, const Vec3& point);
/// The ends of an arc may: files are written with three or more decimals.
inline constexpr double arc_end_tolerance = 0.02; // mm

} // namespace wexilum
