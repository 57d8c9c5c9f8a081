// What meets what along a program.
#pragma once

#include "core/base/finding.hpp"
#include "core/machine/machine.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace wexilum {

/// A stretch of blocks in which two solids meet, with the place where they are nearest.
struct ContactPlace {
    std::string first;
    std::string second;
    bool touches = false;
    double distance = 0;     ///< mm
    double clearance = 0;    ///< mm
    std::uint32_t block = 0; ///< from 1, of the nearest place
    std::uint32_t first_block = 0;
    std::uint32_t last_block = 0;
    Readings readings; ///< where the joints stand there
    std::uint32_t tool = 0;
    std::optional<std::pair<Vec3, Vec3>> points; ///< nearest ones, base frame; none where they touch
};
inline constexpr std::size_t most_contact_places = 500;

/// What checking a job's code for contact finds.
struct ContactReport {
    FindingList findings;             ///< of contact alone; what else the replay finds is not among them
    std::vector<ContactPlace> places; ///< in the order in which they begin, the first `most_contact_places`
    std::uint64_t moves = 0;
    std::uint64_t measured = 0; ///< distances
};

} // namespace wexilum
