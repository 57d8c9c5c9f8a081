// Machines of four kinds as JSON text, with the numbers of one drawing each; tests type the same drawing a second time.
#pragma once

#include "core/job/assembly.hpp"

#include <string>

namespace wexilum::test {

/// Table-table: C (about +Z through 30, -20) carried by trunnion B (about +Y through 10, 0, -75); both read tool-relative.
[[nodiscard]] std::string table_table_json();
/// Head-head: C turns about +Z through (0, 0) of the ram, then B about +Y, 180 mm below the ram's face, 12 mm in front of C.
[[nodiscard]] std::string head_head_json();
/// Head-table: head B about +Y, table C about +Z read tool-relative.
[[nodiscard]] std::string head_table_json();
/// Nutating: head A about (0, sin 45, cos 45), table C about +Z read tool-relative; the spindle is vertical at A0.
[[nodiscard]] std::string nutating_json();

/// The tool leant from the vertical by `tilt` towards `azimuth` (degrees).
[[nodiscard]] Pose leaning(double tilt, double azimuth, const Vec3& tip);

/// s that the slowest joint needs from one place to another.
[[nodiscard]] double slowest(const Machine& machine, const Readings& a, const Readings& b);

/// Reads one of the above; ends the program on an error.
[[nodiscard]] Machine machine_from(const std::string& json);

/// Puts the five-axis demo's assembly on the head-head machine and links it anew; ends the program on an error.
void put_on_head_head(Assembly& assembly);

} // namespace wexilum::test
