// Who receives a program as it is written.
#pragma once

#include "core/toolpath/record.hpp"

#include <cstdint>
#include <span>
#include <string_view>

namespace wexilum {

/// Receives the program, line by line, from one thread at a time.
class CodeSink {
public:
    virtual ~CodeSink() = default;
    /// One line without its end, and the record it was written for, or no_source.
    virtual void line(std::string_view text, const Source& source) = 0;
    /// Several lines, each with a line end, of one file's records: where each ends in `text`, and the record's line in the file.
    virtual void many_lines(std::string_view text, std::span<const std::uint32_t> ends, std::uint32_t file,
                            std::span<const std::uint32_t> records)
    {
        std::size_t begin = 0;
        for (std::size_t i = 0; i < ends.size(); ++i) {
            line(text.substr(begin, ends[i] - 1 - begin), {file, LineNumber(records[i])});
            begin = ends[i];
        }
    }
};

} // namespace wexilum
