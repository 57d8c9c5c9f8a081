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
    [[nodiscard]] bool any() const { return !kept_.empty(); }
    /// The kept body of a work (by its place in the setup) that the blade reaches on a straight cut (part's frame), or standing at its
    /// ends; null: none. The tool is a blade.
    [[nodiscard]] const Body* reached(const Pose& from, const Pose& to, const Tool& tool, std::uint32_t work) const;

private:
    struct Kept;
    std::vector<std::shared_ptr<const Kept>> kept_; ///< by work; empty: nothing of any
};

} // namespace wexilum
