// What a comparison tells, and who may follow it.
#pragma once

#include "core/base/finding.hpp"
#include "core/base/ids.hpp"
#include "core/geometry/pose.hpp"

#include <cstddef>
#include <functional>

namespace wexilum {

struct Budget;
struct Deviation;
struct ReplayMove;

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
    std::size_t uncovered = 0;
    std::size_t extra = 0;
    std::size_t compared = 0; ///< records of motion that were reached
    Place worst_source;       ///< where deviation over budget is largest
    Place worst_code;
    double worst_ratio = 0;
    FindingList findings;
};

/// Follows a comparison, motion by motion.
class ReplayObserver {
public:
    virtual ~ReplayObserver() = default;
    /// A motion, with the poses at its ends in the part's frame; `between` gives the pose at a fraction of it, during the call.
    virtual void moved(const ReplayMove& move, const Pose& from, const Pose& to, const std::function<Pose(double)>& between) = 0;
    /// How far the tool was from the path because of a block, and how far it may be.
    virtual void measured(BlockNumber block, const Deviation& deviation, const Budget& budget) = 0;
};

} // namespace wexilum
