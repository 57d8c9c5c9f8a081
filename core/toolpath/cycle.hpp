// What a point cycle means as motion, independent of any controller: the toolpath's side of the comparison.
#pragma once

#include "core/base/result.hpp"
#include "core/toolpath/record.hpp"

#include <optional>
#include <vector>

namespace wexilum {

enum class CycleKind { drill, peck, chip_break, tap, bore, ream };

/// The kind named by a CycleStart ("drill", "peck", …); nothing for an open kind.
[[nodiscard]] std::optional<CycleKind> cycle_kind(const std::string& name);

/// A cycle with its heights resolved, all in mm along the tool axis from the point, up positive.
struct CyclePlan {
    CycleKind kind = CycleKind::drill;
    double clearance = 0;   ///< the height where feed begins
    double bottom = 0;      ///< negative: where it ends
    double retreat = 0;     ///< the height left at the end, >= clearance
    double step = 0;        ///< infeed of a peck; 0 for one feed
    double dwell = 0;       ///< seconds at the bottom
    bool feeds_out = false; ///< leaves the hole at feed (tap, bore, ream)
};

/// Parameters: depth (> 0, required), clearance (>= 0, default 2), step (required and > 0 for peck and chip_break),
/// dwell (s), retreat (>= clearance). Returns the plan or an Error of kind value without place.
Result<CyclePlan> plan_cycle(const record::CycleStart& start);

/// One straight move along the tool axis at a cycle's point.
struct CycleMove {
    bool feed = false;
    double height = 0;
    double dwell_after = 0;
    bool reverse_after = false; ///< the spindle turns round here (tap)
};

/// The moves of one hole from the clearance height on, ending at the retreat height. A peck leaves to the clearance height
/// and comes back in rapid to `gap` above the depth reached; a chip break backs off by `gap`.
[[nodiscard]] std::vector<CycleMove> cycle_moves(const CyclePlan& plan, double gap);

} // namespace wexilum
