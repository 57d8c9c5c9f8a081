#include "core/control/lexer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>

namespace wexilum {
namespace {

constexpr std::array<double, 16> powers_of_ten{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\r'; }

Error bad(BlockNumber block, std::size_t at, std::string message, std::string cure)
{
    return {ErrorKind::syntax, std::move(message), {{}, block.value, static_cast<std::uint32_t>(at + 1)}, std::move(cure)};
}

/// A plain word, as nearly all are: a letter, perhaps a minus, up to 15 digits with at most one point, a blank or the line's end. Its end;
/// nullptr where it is something else.
[[gnu::always_inline]] inline const char* plain_word(const char* at, const char* line_end, std::size_t most_digits, CodeWord& out)
{
    if (*at < 'A' || *at > 'Z' || at + 1 == line_end) {
        return nullptr;
    }
    const char* const begin = at + 1;
    const bool negative = *begin == '-';
    const char* p = begin + (negative ? 1 : 0);
    const char* const first = p;
    std::uint64_t whole = 0;
    const auto take_digits = [&] {
        for (unsigned digit = 0; p < line_end && (digit = static_cast<unsigned char>(*p) - unsigned{'0'}) < 10; ++p) {
            whole = whole * 10 + digit;
        }
    };
    take_digits();
    auto digits = std::size_t(p - first);
    std::size_t decimals = 0;
    out.has_point = p < line_end && *p == '.';
    if (out.has_point) {
        const char* const behind = ++p;
        take_digits();
        decimals = std::size_t(p - behind);
        digits += decimals;
    }
    if (digits == 0 || digits > most_digits || (p < line_end && *p != ' ')) {
        return nullptr;
    }
    // Both numbers are whole and fit a double, so the quotient is the nearest double.
    const double value = static_cast<double>(static_cast<std::int64_t>(whole)) / powers_of_ten[decimals];
    out.letter = *at;
    out.value = negative ? -value : value;
    out.number = std::string_view(begin, std::size_t(p - begin));
    return p;
}

/// The number of a word that begins there: its text, value and point, and how many digits it has. False where it has no value.
bool read_number(std::string_view line, std::size_t begin, CodeWord& word, std::size_t& digits)
{
    std::size_t last = begin;
    std::uint64_t whole = 0; // all digits as one number, and how many of them stand behind the point
    std::size_t decimals = 0;
    std::size_t points = 0;
    std::size_t signs = 0;
    for (; last < line.size(); ++last) { // a sign, digits, a point and digits, mostly
        const char c = line[last];
        if (c >= '0' && c <= '9') {
            whole = whole * 10 + std::uint64_t(c - '0');
            ++digits;
            decimals += points > 0 ? 1 : 0;
        } else if (c == '.' || c == '-' || c == '+') {
            ++(c == '.' ? points : signs);
        } else {
            break;
        }
    }
    word.has_point = points > 0;
    word.number = line.substr(begin, last - begin);
    const bool sign_leads = signs == 0 || (signs == 1 && (line[begin] == '-' || line[begin] == '+'));
    const bool readable = digits > 0 && points <= 1 && sign_leads;
    if (readable && digits <= 15) {
        // Both numbers are whole and fit a double, so the quotient is the nearest double.
        word.value = static_cast<double>(whole) / powers_of_ten[decimals];
    } else if (readable) {
        (void)std::from_chars(line.data() + begin + signs, line.data() + last, word.value, std::chars_format::fixed);
    }
    if (signs == 1 && line[begin] == '-') {
        word.value = -word.value;
    }
    return readable;
}

/// A word as it may be written: small letters, blanks behind the letter, a sign, digits and a point in any number and order, of which some
/// make a number. Goes on behind it.
Status any_word(const Controller& controller, std::string_view line, BlockNumber number, std::size_t& at, CodeBlock& block)
{
    const char c = line[at];
    const char letter = c >= 'a' && c <= 'z' ? char(c - 'a' + 'A') : c;
    if (letter < 'A' || letter > 'Z') {
        return bad(number, at, fmt::format("a word starts with a letter, found '{}'", c >= ' ' && c < 127 ? c : '?'),
                   "remove the character or put it in a comment");
    }
    CodeWord& word = block.words.emplace_back();
    word.letter = letter;
    word.column = static_cast<std::uint32_t>(at + 1);
    std::size_t begin = at + 1;
    while (begin < line.size() && is_blank(line[begin])) {
        ++begin;
    }
    std::size_t digits = 0;
    if (!read_number(line, begin, word, digits)) {
        return bad(number, at, fmt::format("the word {} has no readable number: '{}'", letter, word.number.substr(0, 24)),
                   "write a number like 12.5 or -3 after the letter");
    }
    const bool names = letter == controller.program_number || letter == controller.sequence_number;
    if (digits > std::size_t(controller.most_digits) && !names) {
        return bad(number, at,
                   fmt::format("the word {}{} has more than {} digits", letter, word.number.substr(0, 24), controller.most_digits),
                   "write fewer decimals");
    }
    at = begin + word.number.size();
    if ((letter == controller.sequence_number && block.words.size() == 1) || letter == controller.program_number) {
        block.words.pop_back();
    }
    return {};
}

} // namespace

Status read_block(const Controller& controller, std::string_view line, BlockNumber number, CodeBlock& block)
{
    block.number = number;
    block.words.clear();
    block.skippable = false;
    block.has_comment = false;
    if (line.size() > max_code_line) {
        return bad(number, 0, fmt::format("the line is longer than {} characters", max_code_line), "check that this is a program text");
    }
    const std::size_t plain_digits = std::min<std::size_t>(15, std::size_t(std::max(controller.most_digits, 0)));
    std::size_t at = 0;
    while (at < line.size()) {
        const char* const text = line.data();
        if (text[at] != controller.comment_open) {
            const bool first = block.words.empty();
            CodeWord& word = block.words.emplace_back(); // in place, because it is copied slowly right after its fields are set
            word.column = static_cast<std::uint32_t>(at + 1);
            const char* const end = plain_word(text + at, text + line.size(), plain_digits, word);
            if (end == nullptr || word.letter == controller.program_number || (first && word.letter == controller.sequence_number)) {
                block.words.pop_back();
            }
            if (end != nullptr) {
                at = std::size_t(end - text) + (end < text + line.size() ? 1 : 0);
                continue;
            }
        }
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
            block.has_comment = true;
            const std::size_t close = line.find(controller.comment_close, at);
            if (close == std::string_view::npos) {
                return bad(number, at, "the comment does not end in its line", fmt::format("close it with '{}'", controller.comment_close));
            }
            at = close + 1;
            continue;
        }
        if (Status status = any_word(controller, line, number, at, block); !status) {
            return status;
        }
    }
    return {};
}

} // namespace wexilum
