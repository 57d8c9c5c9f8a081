// The agreed path as the replay expects to see it: the toolpath's records with the state each is cut in.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/run/assembly.hpp"
#include "core/toolpath/cycle.hpp"

#include <optional>
#include <vector>

namespace wexilum {

struct Expected {
    enum class Kind { rapid, feed, hole, tool_change, dwell, stop, optional_stop };
    Kind kind = Kind::rapid;
    PathPiece piece;         ///< part's frame. rapid and hole: only `to` counts
    bool start_known = true; ///< feed: false where the path does not say where it comes from
    CyclePlan plan;          ///< hole
    FeedMode feed_mode = FeedMode::per_minute;
    double feed = 0;        ///< mm/s, mm/rev, 1/s
    std::uint32_t tool = 0; ///< in force; of a tool_change: the new one
    double tool_length = 0;
    record::SpindleState spindle = record::SpindleState::off;
    double spindle_rpm = 0;
    record::CoolantState coolant = record::CoolantState::off;
    double dwell = 0;       ///< s
    std::size_t record = 0; ///< index in the assembly's toolpath
    Source source;

    /// Seconds that `length` mm of this cut should take; 0 where the feed does not say.
    [[nodiscard]] double seconds(double length, double whole_length) const;
};

/// Builds the list for all operations of the job.
[[nodiscard]] std::vector<Expected> expected_path(const Assembly& assembly);

} // namespace wexilum
