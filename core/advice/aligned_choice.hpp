// Which of joints that point the same way (column, ram, quill) works in an operation that does not say so.
//
// Least overhang: the joints that the outermost of them carries stand, or come, as little out of their homes as is free of travel and of
// contact over the whole operation, links and the turning of the table included. Places are tried in steps; the room that is left in
// travel decides only between equals.
#pragma once

#include "core/base/watch.hpp"
#include "core/job/assembly.hpp"
#include "core/toolpath/record_source.hpp"

#include <vector>

namespace wexilum {

/// mm between the places that are tried.
inline constexpr double overhang_step = 10;

/// The joints of an operation that point the same way and of which it says neither which works nor where all others stand, from the base
/// to the tool. None: it leaves nothing open. The assembly need not be linked.
[[nodiscard]] std::vector<JointIndex> left_open(const Assembly& assembly, std::size_t operation);

/// Settles what operations leave open: adds where the other joints stand to their postures, and what was chosen to the assembly's
/// choices. `records` are the whole job's. An Error where no posture is free names the operation's place. Operations whose
/// setup is unfit for it (no tool, no solver) stay open. At most some hundred sets of parked positions are looked at for contact in an
/// operation, some thousand for travel; where none of them is free, that is the error. A watch, which may be null, can stop it.
Status choose_aligned(Assembly& assembly, RecordSource& records, const RunWatch* watch = nullptr);

} // namespace wexilum
