// What the first pass of a run leaves: records, choices and the outline. It depends on machine, setup, job and toolpaths alone, so that
// a change of the language or of rules can take it over.
#pragma once

#include "core/base/finding.hpp"
#include "core/base/world.hpp"
#include "core/path/outline.hpp"

#include <memory>
#include <string>
#include <vector>

namespace wexilum {

struct ReadPass {
    std::unique_ptr<Spool> records;
    std::unique_ptr<Spool> steps;
    std::unique_ptr<Spool> decisions;
    Outline outline;
    FindingList findings;
    std::vector<std::string> files; ///< that the records' sources point into
};

} // namespace wexilum
