// Motion that the code has beyond the toolpath.
#pragma once

#include "core/toolpath/record.hpp"

#include <cstddef>
#include <vector>

namespace wexilum {

/// Motion put in before a record of the agreed path.
struct Excursion {
    std::size_t record = 0;       ///< number of that record among the agreed path's, from 0
    std::vector<Record> inserted; ///< part's frame
};

} // namespace wexilum
