// A motion of the simulated control.
#pragma once

#include "core/base/ids.hpp"
#include "core/geometry/arc.hpp"
#include "core/machine/machine.hpp"
#include "core/solve/inverse.hpp"
#include "core/toolpath/linear_run.hpp"

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

namespace wexilum {

/// One motion of the machine between two positions.
struct ReplayMove {
    BlockNumber block;
    BlockNumber called_by; ///< the block of the program itself whose call has led to it; 0: none
    bool feed = false;
    Readings from;
    Readings to;
    std::optional<Arc> arc; ///< in the readings of arc_joints; those joints follow it, the others go in proportion
    std::array<int, 3> arc_joints{0, 0, 0};
    bool arc_by_centre = false;
    std::size_t surface_joint = SIZE_MAX;       ///< turns a cylinder: an arc's values for it, and the feed's, are lengths on its surface
    double surface_scale = 1;                   ///< mm a rad of that joint
    double surface_zero = 0;                    ///< rad: its reading where those lengths are 0
    double waited = 0;                          ///< s: for brakes, before it
    double seconds = 0;                         ///< how long it takes, no joint faster than it can go
    double asked = 0;                           ///< s that its feed word alone says; 0 in rapid
    double feed_precision = 0;                  ///< half the last digit of the feed word over its value
    bool at_joint_limit = false;                ///< a joint, not the feed word, says how long it takes
    bool by_clock = false;                      ///< it is one of many by which the control follows a way: docs/budget.md
    bool at_feed_limit = false;                 ///< the feed word is the most that the control takes
    bool from_known = true;                     ///< the program itself has brought every joint where it starts
    bool to_machine_position = false;           ///< went by absolute machine coordinates
    std::uint32_t mount = 0;                    ///< that carries the tool, by its place in Machine::mounts
    std::uint32_t tool = 0;                     ///< in the spindle
    const std::string* zero_register = nullptr; ///< whose offsets have placed it; null: none has. Lives as long as the controller
    double tool_length = 0;                     ///< of that tool, mm
    record::SpindleState spindle = record::SpindleState::off; ///< of the tool, behind the gears of its mount
    double spindle_rpm = 0;                                   ///< likewise
    record::CoolantState coolant = record::CoolantState::off;
    double length_increment = 0.001;           ///< mm: the last digit of a length word, in the units in force
    std::uint32_t open_brakes = 0;             ///< joints that a brake could hold and does not, a bit each
    std::uint32_t shifted = 0;                 ///< joints whose coordinate a word has shifted, a bit each
    double turned_slack = 0;                   ///< mm: how far the rounding of a rotation's words may carry the tip
    bool rapid_straight = false;               ///< where it goes, the control moves all joints of a rapid in proportion
    bool on_plane = false;                     ///< X, Y and Z were coordinates on a tilted plane
    bool tip_words = false;                    ///< X, Y and Z were coordinates of the tip: no rotary word has moved it
    const InverseSolver* tip_solver = nullptr; ///< set: the tip goes straight from tip_from to tip_to (work mount's frame) while the
                                               ///< rotary joints turn; lives as long as the control
    bool tip_by_vector = false;                ///< the tool axis stays on the great circle; otherwise each rotary joint in proportion
    Vec3 tip_from = Vec3::Zero();
    Vec3 tip_to = Vec3::Zero();
    double tip_length = 0; ///< as the control knows it

    /// The reading of one of arc_joints where the arc has `value` for it.
    [[nodiscard]] double arc_value(std::size_t joint, double value) const
    {
        return joint == surface_joint ? surface_zero + value / surface_scale : value;
    }
    /// Whether the joints go in proportion; otherwise each at its own speed, and one after the other comes to its end.
    [[nodiscard]] bool together() const { return feed || rapid_straight; }
    /// Where the joints are at fraction u of the motion, were they to go together.
    [[nodiscard]] Readings at(double u) const;

private:
    [[nodiscard]] Readings on_tip_line(double u) const;
};

/// Straight cuts that follow one another while only readings and feed change, column by column.
struct CutRun {
    std::size_t count = 0;
    ReplayMove common; ///< what is the same for all; `from`: where the first of them begins
    std::array<BlockNumber, longest_run> block{};
    std::vector<Column> to; ///< by joint
    Column seconds{};       ///< this and the next three as in ReplayMove
    Column asked{};
    Column feed_precision{};
    std::array<bool, longest_run> at_joint_limit{};
    Column least{}; ///< s: that the slowest joint needs

    [[nodiscard]] double from(std::size_t joint, std::size_t at) const
    {
        return at == 0 ? common.from[Eigen::Index(joint)] : to[joint][at - 1];
    }
    /// One of them by itself.
    [[nodiscard]] ReplayMove move(std::size_t at) const;
};

} // namespace wexilum
