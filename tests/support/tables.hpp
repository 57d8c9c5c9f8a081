// Lines of programs changed, and tables read, without the code under test.
#pragma once

#include <QString>

#include <cstdint>
#include <string>
#include <vector>

namespace wexilum::test {

struct Row {
    std::uint32_t line = 0; ///< of the program, from 1
    std::vector<double> cells;
};

/// The rows of a CSV table; its first line names the columns.
[[nodiscard]] std::vector<Row> rows_of(const std::string& code);

/// With a line replaced; by nothing: without it.
[[nodiscard]] std::string with_line(const std::string& code, std::uint32_t line, const std::string& text);

/// A line with one of its cells written anew.
[[nodiscard]] std::string with_cell(const std::string& code, std::uint32_t line, int cell, const QString& value);

} // namespace wexilum::test
