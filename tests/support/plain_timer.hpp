// The timing of docs/timing.md once more, step by step on a fine grid: slow and plain, to hold the real one against.
#pragma once

#include "core/motion/way_timer.hpp"

#include <random>
#include <string>
#include <vector>

namespace wexilum::test {

struct PlainPiece {
    std::vector<double> way;
    double asked = 0;
    bool smooth = false;
    bool block = true;
    std::vector<double> into{}; ///< how the joints set off and arrive where it is bent; empty: as `way`
    std::vector<double> out_of{};
};

/// What the timer says.
struct Timed {
    std::vector<PieceTime> pieces;
    std::vector<WayPhase> phases;
    double builds = 0;
    [[nodiscard]] double seconds() const;
};
[[nodiscard]] Timed timed(const WayRules& rules, const std::vector<PlainPiece>& path);

/// From standstill to standstill over straight stretches, curves and corners, with blocks between 0.02 mm and 30 mm.
[[nodiscard]] std::vector<PlainPiece> random_path(std::mt19937& random, const WayRules& rules);

/// Seconds of a whole path.
[[nodiscard]] double plain_seconds(const WayRules& rules, const std::vector<PlainPiece>& path, std::size_t least_cells = 40000);

/// Follows what the timer says in steps of `step` seconds; the first limit of speed, acceleration, jerk or corner that is broken, in words.
[[nodiscard]] std::string broken_limit(const WayRules& rules, const std::vector<PlainPiece>& path, const Timed& timed, double step);

} // namespace wexilum::test
