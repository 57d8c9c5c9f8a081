// Where a blade cuts beyond its lowest point: a disc that is d deep cuts sqrt(d (2 r - d)) before and behind its middle.
#pragma once

#include "core/task/task.hpp"

#include <memory>

namespace wexilum {

/// Holds the cuts of a blade against what the setup wants kept.
class KerfWatch {
public:
    /// The task must be linked and outlive the watch.
    explicit KerfWatch(const Task& task);
    /// Whether there is anything to watch for.
    [[nodiscard]] bool any() const { return kept_ != nullptr; }
    /// The kept body that the blade reaches on a straight cut (part's frame), or standing at its ends; null: none. The tool is a blade.
    [[nodiscard]] const Body* reached(const Pose& from, const Pose& to, const Tool& tool) const;

private:
    struct Kept;
    std::shared_ptr<const Kept> kept_; ///< null: nothing
    Vec3 up_ = Vec3::UnitZ();          ///< part's frame, out of the work
};

} // namespace wexilum
