// Rows of a clock that go on straight, as one motion.
#pragma once

#include "core/compare/compare_log.hpp"
#include "core/task/task.hpp"

#include <utility>
#include <vector>

namespace wexilum {

class StraightRows {
public:
    /// Begins with a row. The task must outlive the object.
    StraightRows(const Task& task, const SeenMotion& first);

    /// Takes a row that goes on where the ones before lead: from the first one's beginning all joints in proportion but for the rounding of
    /// their rows, none backwards, with the same tool and at feed as they are. False: it does not.
    [[nodiscard]] bool take(const SeenMotion& next);
    /// All of them. It lives as long as the object is not changed.
    [[nodiscard]] SeenMotion seen() const;

private:
    [[nodiscard]] bool narrow(const Readings& to);

    const Task& task_;
    ReplayMove move_;
    Pose from_;
    Pose to_;
    Budget budget_;
    double lever_term_;
    double turn_;
    bool stands_for_rapid_;
    Eigen::Index leads_ = 0; ///< the joint that goes furthest
    /// By joint: what it may go for each unit of that one, so that no row so far is off.
    std::vector<std::pair<double, double>> slopes_;
};

} // namespace wexilum
