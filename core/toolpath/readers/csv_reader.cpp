#include "core/toolpath/readers/csv_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t max_bytes = std::size_t{1} << 30;
constexpr std::size_t max_line = 65536;

std::string_view trimmed(std::string_view text)
{
    while (!text.empty() && (text.front() == ' ' || text.front() == '\t')) {
        text.remove_prefix(1);
    }
    while (!text.empty() && (text.back() == ' ' || text.back() == '\t' || text.back() == '\r')) {
        text.remove_suffix(1);
    }
    return text;
}

Error bad(const std::string& file, std::uint32_t line, std::size_t column, std::string message, std::string cure)
{
    return {ErrorKind::syntax, std::move(message), {file, line, static_cast<std::uint32_t>(column + 1)}, std::move(cure)};
}

} // namespace

Result<NumberTable> read_number_table(ByteSource& source, const std::string& file_name)
{
    std::string text;
    std::array<char, 65536> chunk{};
    for (;;) {
        auto got = source.read(chunk);
        if (!got) {
            return got.error();
        }
        if (*got == 0) {
            break;
        }
        text.append(chunk.data(), *got);
        if (text.size() > max_bytes) {
            return bad(file_name, 0, 0, "the table is larger than 1 GiB", "split it");
        }
    }
    NumberTable table;
    std::uint32_t line_number = 0;
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        const std::string_view line = std::string_view(text).substr(at, end - at);
        at = end + 1;
        ++line_number;
        if (line.size() > max_line) {
            return bad(file_name, line_number, 0, fmt::format("the line is longer than {} bytes", max_line),
                       "check that this is a table of numbers");
        }
        if (trimmed(line).empty() || trimmed(line).front() == '#') {
            continue;
        }
        std::vector<double> row;
        const bool is_header = table.header.empty();
        for (std::size_t begin = 0; begin <= line.size();) {
            const std::size_t comma = std::min(line.find(',', begin), line.size());
            const std::string_view cell = trimmed(line.substr(begin, comma - begin));
            if (is_header) {
                const std::string name(cell);
                if (name.empty() || std::find(table.header.begin(), table.header.end(), name) != table.header.end()) {
                    return bad(file_name, line_number, begin,
                               fmt::format("the header needs different names, found '{}'", name.substr(0, 24)), "name each column once");
                }
                table.header.push_back(name);
            } else {
                double value = 0;
                const auto [stop, problem] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
                if (problem != std::errc{} || stop != cell.data() + cell.size() || !std::isfinite(value) || std::abs(value) > 1e9) {
                    return bad(file_name, line_number, begin,
                               fmt::format("'{}' is not a number within 1e9", std::string(cell.substr(0, 24))),
                               "write numbers like 12.5 or -3e-4");
                }
                row.push_back(value);
            }
            begin = comma + 1;
        }
        if (is_header) {
            continue;
        }
        if (row.size() != table.header.size()) {
            return bad(file_name, line_number, 0,
                       fmt::format("the row has {} numbers, the header {} names", row.size(), table.header.size()),
                       "give one number a column");
        }
        table.rows.push_back(std::move(row));
        table.lines.push_back(line_number);
    }
    if (table.header.empty()) {
        return bad(file_name, 1, 0, "the table has no header", "name the columns in the first line");
    }
    return table;
}

} // namespace wexilum
