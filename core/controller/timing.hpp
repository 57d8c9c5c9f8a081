// How a control speeds up and slows down along its way, and what takes it time beside motion.
#pragma once

#include "core/base/file_units.hpp"
#include "core/base/json_document.hpp"

#include <cstddef>
#include <cstdint>

namespace wexilum {

struct Timing {
    enum class Ramps : std::uint8_t {
        unstated,     ///< nothing is known of them: each motion takes what its feed says
        none,         ///< it keeps its feed, whatever that asks of the joints
        acceleration, ///< no joint is accelerated more than its machine states
        jerk          ///< and no acceleration builds up faster than the joints' jerks say
    };
    Ramps ramps = Ramps::unstated;
    enum class Corners : std::uint8_t {
        jump,     ///< the speed of a joint may jump by so much at a corner
        tolerance ///< a joint may be so far off where two blocks meet
    };
    Corners corners = Corners::jump;
    double corner_linear = 0;   ///< jump: mm/s, tolerance: mm
    double corner_rotary = 0;   ///< jump: rad/s, tolerance: rad
    std::size_t look_ahead = 0; ///< blocks behind the one at hand that it knows when it says how fast that one ends
    double block_time = 0;      ///< s: no block is done in less
    double tool_change = 0;     ///< s
    double spindle_ramp = 0;    ///< rpm a second, up and down; 0: at once

    static constexpr long long most_look_ahead = 5000;

    /// Whether it slows down where a joint could not follow.
    [[nodiscard]] bool slows() const { return ramps == Ramps::acceleration || ramps == Ramps::jerk; }
};

/// Reads the member "timing" of a controller; nothing is stated where there is none.
void read_timing(json::Fields& root, const FileUnits& units, json::Problems& problems, Timing& out);

} // namespace wexilum
