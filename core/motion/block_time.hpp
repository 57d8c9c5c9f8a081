// How long one block takes: the asked feed at the tip, but no joint faster than it can go.
#pragma once

#include "core/machine/machine.hpp"

namespace wexilum {

struct BlockTime {
    double seconds = 0;
    bool limited = false; ///< a joint was too slow for the asked feed
    JointIndex joint;     ///< which
};

/// `tip_seconds`: the time the tip's way takes at the asked feed (0 where the tip stands still).
[[nodiscard]] BlockTime block_time(const Machine& machine, const Readings& from, const Readings& to, double tip_seconds);

} // namespace wexilum
