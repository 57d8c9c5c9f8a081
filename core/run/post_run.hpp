// One run: job + post -> code and findings.
#pragma once

#include "core/run/assembly.hpp"
#include "core/run/finding.hpp"
#include "core/run/outline.hpp"

#include <string>
#include <vector>

namespace wexilum {

struct CodeFile {
    std::string name; ///< file name with extension, no folder
    std::string text;
    std::uint32_t blocks = 0; ///< lines
    std::string channel = "1";
    std::vector<Source> sources; ///< the record behind each block, blocks counted from 0
};

struct RunResult {
    std::vector<CodeFile> files;
    Outline outline;
    FindingList findings;
};

/// Posts a linked assembly. The code is complete even where findings are errors; whoever writes files then writes none.
[[nodiscard]] RunResult post(const Assembly& assembly);

} // namespace wexilum
