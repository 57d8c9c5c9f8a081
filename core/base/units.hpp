// Units inside the core: millimetres, radians, seconds. Only readers, writers and printers convert.
#pragma once

namespace wexilum {

inline constexpr double pi = 3.14159265358979323846;
inline constexpr double whole_turn = 2 * pi;
inline constexpr double mm_per_inch = 25.4;

constexpr double to_rad(double degrees) { return degrees * (pi / 180.0); }
constexpr double to_deg(double radians) { return radians * (180.0 / pi); }
/// mm/min (or rad/min) to mm/s (or rad/s).
constexpr double per_minute(double value) { return value / 60.0; }

} // namespace wexilum
