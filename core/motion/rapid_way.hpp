// Where the joints are while a rapid goes.
#pragma once

#include "core/machine/machine.hpp"

#include <vector>

namespace wexilum {

/// The ends of the straight stretches that a rapid consists of, the first being `from` and the last `to`. `together`: the control moves
/// all joints in proportion; otherwise each goes at its own speed, and one after the other comes to its end.
[[nodiscard]] std::vector<Readings> rapid_stretches(const Machine& machine, const Readings& from, const Readings& to, bool together);

} // namespace wexilum
