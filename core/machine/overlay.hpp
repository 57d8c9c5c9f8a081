// What one machine of a type has measured of its own: points, directions and zeros that stand in place of the drawing's.
#pragma once

#include "core/machine/machine.hpp"

namespace wexilum {

/// How far a measured value may be from the drawing's: more is another machine, or a sign.
inline constexpr double overlay_most_way = 10;       // mm
inline constexpr double overlay_most_turn = 0.03491; // rad, 2 degrees

/// A machine with the values of an "overlay/1" document put in; the machine's own witnesses are left out, as they hold for the drawing,
/// the overlay's are checked. `machine_path` is what the overlay has to name as its machine. Nothing where a value is out of reach.
Result<Machine> with_overlay(const Machine& machine, const std::string& machine_path, const json::Document& document);

/// The machine that an "overlay/1" document names, from the project's folder.
[[nodiscard]] Result<std::string> machine_of_overlay(const json::Document& document);

} // namespace wexilum
