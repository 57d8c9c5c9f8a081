// What a path's choice leaves in its two spools, for the chooser that writes it and the reader of the plan.
#pragma once

#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"

#include <array>
#include <cstdint>

namespace wexilum::plan {

// Steps: for each target its head (StepHead) and the lifts of both branches, then what its entry needs.
/// Instead of an entry: how many cuts follow (StepCount), then columns of their lifts by branch and joint.
inline constexpr std::uint8_t run_entry = UINT8_MAX;
using StepCount = std::uint32_t;
/// Instead of an entry: the target's (as a byte), how many joints there are (StepCount) and what each of them reads. The first of them
/// begins a stretch.
inline constexpr std::uint8_t whole_entry = UINT8_MAX - 1;
struct PoleStep {
    double s;
    std::array<Turns, 2> arrive;
    std::array<Turns, 2> depart;
};

// Decisions: for each stretch its head, its sheets, and their count again, so that they can be read from the end.
struct BlockHead {
    std::uint32_t count;
    std::uint32_t chosen;
    std::uint32_t beyond;
};
struct SheetEntry {
    std::array<std::int32_t, 2> turns;
    std::uint32_t branch;
    std::uint32_t from;
};

} // namespace wexilum::plan
