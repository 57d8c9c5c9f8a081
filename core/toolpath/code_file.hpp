// A program in memory.
#pragma once

#include "core/toolpath/record.hpp"

#include <cstdint>
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

} // namespace wexilum
