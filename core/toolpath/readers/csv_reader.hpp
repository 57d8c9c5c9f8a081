// Tables of numbers: a header line of names, then one row a line. Described in docs/formats/csv.md.
#pragma once

#include "core/base/result.hpp"
#include "core/base/world.hpp"

#include <string>
#include <vector>

namespace wexilum {

struct NumberTable {
    std::vector<std::string> header;
    std::vector<std::vector<double>> rows; ///< each as long as the header
    std::vector<std::uint32_t> lines;      ///< the line each row stands on
};

/// Reads a comma-separated table; blank lines and lines that begin with '#' are left out. Errors carry file:line:column.
Result<NumberTable> read_number_table(ByteSource& source, const std::string& file_name);

} // namespace wexilum
