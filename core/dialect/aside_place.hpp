// Where lines that had been kept aside were written.
#pragma once

#include <cstdint>
#include <vector>

namespace wexilum {

/// Where the lines of an aside were written in the program.
struct AsidePlace {
    std::uint32_t id = 0;
    std::uint32_t first = 0; ///< line, from 1
    std::uint32_t count = 0;
    bool called = false;                 ///< they stand apart from the order of the records, and calls lead there
    std::vector<std::uint32_t> copies{}; ///< as in Aside
};

} // namespace wexilum
