// The outline pass: what the whole job holds, known before the first line of code is written.
#pragma once

#include "core/run/assembly.hpp"
#include "core/run/finding.hpp"

#include <cstdint>
#include <map>
#include <string>
#include <vector>

namespace wexilum {

struct OperationOutline {
    std::string id;
    std::string name;
    std::size_t first_record = 0;
    std::size_t records = 0;
    std::vector<std::uint32_t> tools;
    Vec3 low = Vec3::Constant(1e300); ///< extent of all motion in the part's frame, arcs and holes included
    Vec3 high = Vec3::Constant(-1e300);

    void include(const Vec3& tip)
    {
        low = low.cwiseMin(tip);
        high = high.cwiseMax(tip);
    }
};

struct Outline {
    std::vector<OperationOutline> operations;
    std::vector<std::uint32_t> tool_calls; ///< tool numbers in the order they come into the spindle, repeats of the same tool left out
    std::size_t records = 0;
    std::size_t motions = 0;
};

/// Looks through the toolpath once. Reports tools that are missing or have no length, words that were not understood, and
/// motion before the first tool.
Outline outline_of(const Assembly& assembly, FindingList& findings);

/// "file:line" of a record.
[[nodiscard]] Place place_of(const Toolpath& toolpath, const Source& source);

} // namespace wexilum
