// What a comparison reports.
#pragma once

#include "core/base/finding.hpp"

#include <cstddef>
#include <cstdint>

namespace wexilum {

/// Largest deviation and largest budget of one sort of place.
struct Measured {
    double tip = 0;         ///< mm
    double axis = 0;        ///< rad
    double tip_budget = 0;  ///< mm
    double axis_budget = 0; ///< rad
};

/// How far the tip's feed may be from the asked one, beside the rounding of its word and of the block's ends.
inline constexpr double feed_tolerance_percent = 0.5;

/// How far off its surface the tool was where the toolpath knows the normal: at ends of blocks and between.
struct SurfaceError {
    double deep = 0;              ///< mm that are cut too deep, the most
    double left = 0;              ///< mm that are left standing, the most
    std::uint32_t deep_block = 0; ///< line of the code; 0: nowhere
    std::uint32_t left_block = 0;
    std::size_t places = 0; ///< that were looked at

    /// `off`: mm along the normal, below 0 where it is cut too deep.
    void note(double off, std::uint32_t block)
    {
        ++places;
        if (-off > deep) {
            deep = -off;
            deep_block = block;
        }
        if (off > left) {
            left = off;
            left_block = block;
        }
    }
};

struct ReplayReport {
    Measured at_records;
    Measured between;
    SurfaceError surface;
    double feed_error_percent = 0;
    double feed_budget_percent = feed_tolerance_percent; ///< of the motion that has this error
    std::size_t uncovered = 0;
    std::size_t extra = 0;
    std::size_t compared = 0; ///< records of motion that were reached
    Place worst_source;       ///< where deviation over budget is largest
    Place worst_code;
    double worst_ratio = 0;
    FindingList findings;

    void note_feed(double percent, double allowed)
    {
        if (percent > feed_error_percent) {
            feed_error_percent = percent;
            feed_budget_percent = allowed;
        }
    }
};

} // namespace wexilum
