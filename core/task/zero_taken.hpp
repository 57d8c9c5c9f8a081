// What a setup says it has measured on the machine: rotation centres, and how the zeros of its registers were taken.
#pragma once

#include "core/task/task.hpp"

namespace wexilum {

/// How far a stated offset may be from what its zero comes to, mm.
inline constexpr double zero_tolerance = 0.01;

/// Puts the setup's rotation centres into the machine. An Error where a joint is not a rotary one, or the centre is further from the
/// machine's axis than an overlay may be (overlay_most_way).
Status take_centres(const Setup& setup, Machine& machine);

/// Fills the linear offsets that a register leaves out from how its zero was taken, and holds those that it states against it. An Error
/// names both values. Precondition: setup and machine are those of the task; it need not be linked.
Status settle_zeros(Task& task);

} // namespace wexilum
