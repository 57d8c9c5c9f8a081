#include "core/replay/lexer.hpp"

#include <fmt/format.h>

#include <charconv>

namespace wexilum {
namespace {

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\r'; }

Error bad(BlockNumber block, std::size_t at, std::string message, std::string cure)
{
    return {ErrorKind::syntax, std::move(message), {{}, block.value, static_cast<std::uint32_t>(at + 1)}, std::move(cure)};
}

} // namespace

Result<CodeBlock> read_block(const Controller& controller, std::string_view line, BlockNumber number)
{
    CodeBlock block;
    block.number = number;
    if (line.size() > max_code_line) {
        return bad(number, 0, fmt::format("the line is longer than {} characters", max_code_line), "check that this is a program text");
    }
    std::size_t at = 0;
    while (at < line.size()) {
        const char c = line[at];
        if (is_blank(c) || (c == '%' && at == 0)) {
            ++at;
            continue;
        }
        if (c == '/' && block.words.empty() && !block.skippable) {
            block.skippable = true;
            ++at;
            continue;
        }
        if (c == controller.comment_open) {
            const std::size_t close = line.find(controller.comment_close, at);
            if (close == std::string_view::npos) {
                return bad(number, at, "the comment does not end in its line", fmt::format("close it with '{}'", controller.comment_close));
            }
            at = close + 1;
            continue;
        }
        const char letter = c >= 'a' && c <= 'z' ? char(c - 'a' + 'A') : c;
        if (letter < 'A' || letter > 'Z') {
            return bad(number, at, fmt::format("a word starts with a letter, found '{}'", c >= ' ' && c < 127 ? c : '?'),
                       "take the character away or put it in a comment");
        }
        CodeWord word;
        word.letter = letter;
        word.column = static_cast<std::uint32_t>(at + 1);
        std::size_t end = at + 1;
        while (end < line.size() && is_blank(line[end])) {
            ++end;
        }
        const std::size_t begin = end;
        while (end < line.size() && ((line[end] >= '0' && line[end] <= '9') || line[end] == '.' || line[end] == '-' || line[end] == '+')) {
            word.has_point = word.has_point || line[end] == '.';
            ++end;
        }
        word.number = std::string(line.substr(begin, end - begin));
        const char* first = line.data() + begin;
        const char* const last = line.data() + end;
        if (first != last && *first == '+') {
            ++first;
        }
        const auto [stop, problem] = std::from_chars(first, last, word.value, std::chars_format::fixed);
        std::size_t digits = 0;
        for (const char d : word.number) {
            digits += d >= '0' && d <= '9' ? 1 : 0;
        }
        if (problem != std::errc{} || stop != last) {
            return bad(number, at, fmt::format("the word {} has no readable number: '{}'", letter, word.number.substr(0, 24)),
                       "write a number like 12.5 or -3 after the letter");
        }
        if (digits > std::size_t(controller.most_digits) && letter != controller.program_number && letter != controller.sequence_number) {
            return bad(number, at,
                       fmt::format("the word {}{} has more than {} digits", letter, word.number.substr(0, 24), controller.most_digits),
                       "write fewer decimals");
        }
        at = end;
        if ((letter == controller.sequence_number && block.words.empty()) || letter == controller.program_number) {
            continue;
        }
        block.words.push_back(std::move(word));
    }
    return block;
}

} // namespace wexilum
