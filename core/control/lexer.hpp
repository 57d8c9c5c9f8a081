// The replay's own reading of program text: lines into words. Shares nothing with the emitters.
#pragma once

#include "core/base/ids.hpp"
#include "core/controller/controller.hpp"

#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

struct CodeWord {
    char letter = 'G';
    std::string_view number; ///< as written, in the line's text
    double value = 0;
    bool has_point = false;
    std::uint32_t column = 0; ///< from 1
};

struct CodeBlock {
    BlockNumber number;
    std::vector<CodeWord> words; ///< they point into the line, which has to stay
    bool skippable = false;      ///< begins with '/'
    bool has_comment = false;
};

inline constexpr std::size_t max_code_line = 4096;

/// Reads one line into `out`, whose memory is used again. Comments, blanks, tape marks ('%') and the sequence number are left out.
/// Errors carry line and column, the file name is left empty.
Status read_block(const Controller& controller, std::string_view line, BlockNumber number, CodeBlock& out);

} // namespace wexilum
