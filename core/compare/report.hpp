// What a comparison reports.
#pragma once

#include "core/base/finding.hpp"

#include <cstddef>

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

struct ReplayReport {
    Measured at_records;
    Measured between;
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
