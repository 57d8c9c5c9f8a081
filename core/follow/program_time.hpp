// How long a program takes, and with what.
#pragma once

#include "core/base/finding.hpp"
#include "core/base/ids.hpp"

#include <array>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace wexilum {

/// What time goes into. A cut that takes longer than its feed says is counted as that long in `feed`, and what is beyond it where it
/// comes from.
enum class TimeCause : std::uint8_t {
    feed,        ///< cuts, as long as their feeds say
    joint_speed, ///< cuts: a joint can go no faster
    ramps,       ///< cuts: speeding up and slowing down, corners and curves
    look_ahead,  ///< cuts: the control does not see far enough
    block_time,  ///< cuts: the control needs its time for each block
    rapid,
    tool_change,
    spindle, ///< until it has its speed
    brakes,
    dwell
};
inline constexpr std::size_t time_causes = 10;
/// "feed", "joint-speed", …: stable words.
[[nodiscard]] const char* key_of(TimeCause cause);

/// Seconds by cause.
struct SpentTime {
    std::array<double, time_causes> by{};
    [[nodiscard]] double& operator[](TimeCause cause) { return by[std::size_t(cause)]; }
    [[nodiscard]] double operator[](TimeCause cause) const { return by[std::size_t(cause)]; }
    [[nodiscard]] double seconds() const;
    /// All that is spent cutting.
    [[nodiscard]] double cutting() const;
};

struct ProgramTime {
    bool ramps = false; ///< the control says how it speeds up; otherwise nothing is known of that, and motions take what their feeds say
    bool rows = false;  ///< of a table, which say how long they take
    SpentTime all;
    struct OfTool {
        std::uint32_t tool = 0;
        BlockNumber first_block;
        SpentTime time;
    };
    std::vector<OfTool> tools; ///< from change to change, in the program's order; motions before the first change are those of tool 0
    std::vector<SpentTime> operations; ///< as many as there were lines that begin one
    FindingList findings;
};

} // namespace wexilum
