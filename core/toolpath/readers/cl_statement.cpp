#include "core/toolpath/readers/cl_statement.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>

namespace wexilum::cl {
namespace {

constexpr double largest_number = 1e9;
constexpr std::size_t chunk = std::size_t{1} << 18;
constexpr std::size_t quick_line = 512; // fewer bytes than these are not read the quick way
constexpr std::size_t read_beyond = 32; // bytes after the text that may be looked at; they are zero

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\r'; }
bool is_letter(char c) { return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z'); }
bool is_digit(char c) { return c >= '0' && c <= '9'; }

std::string upper(std::string_view text)
{
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), [](char c) { return c >= 'a' && c <= 'z' ? char(c - 'a' + 'A') : c; });
    return out;
}

std::string_view trimmed(std::string_view text)
{
    while (!text.empty() && is_blank(text.front())) {
        text.remove_prefix(1);
    }
    while (!text.empty() && is_blank(text.back())) {
        text.remove_suffix(1);
    }
    return text;
}

/// A piece of user text fit for a message: short and printable.
std::string shown(std::string_view text)
{
    std::string out;
    for (const char c : text.substr(0, 24)) {
        out += c >= ' ' && c < 127 ? c : '?';
    }
    return text.size() > 24 ? out + "..." : out;
}

/// The 8 characters at `at`, the first in the lowest byte.
[[gnu::always_inline]] inline std::uint64_t eight(const char* at)
{
    std::uint64_t word = 0;
    std::memcpy(&word, at, sizeof word);
    return word;
}

/// How many characters there are before the first that is no digit; 8 where all are digits.
[[gnu::always_inline]] inline unsigned digits_before(std::uint64_t word)
{
    word ^= 0x3030303030303030ULL;
    const std::uint64_t others = ((word + 0x7676767676767676ULL) | word) & 0x8080808080808080ULL;
    return others == 0 ? 8 : unsigned(std::countr_zero(others)) / 8;
}

/// The number that the first `count` of 8 characters are, which must be digits; 1 to 8. Eight at a time: three multiplications add them up
/// pairwise.
[[gnu::always_inline]] inline std::uint64_t number_of(std::uint64_t word, unsigned count)
{
    word = (word ^ 0x3030303030303030ULL) << 8 * (8 - count);
    word = (word * 10 + (word >> 8)) & 0x00FF00FF00FF00FFULL;
    word = (word * 100 + (word >> 16)) & 0x0000FFFF0000FFFFULL;
    return (word * 10000 + (word >> 32)) & 0x00000000FFFFFFFFULL;
}

constexpr std::array<double, 17> powers{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16};
constexpr std::array<std::uint64_t, 9> whole_powers{1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000};

/// As plain_decimal() behind the sign, for numbers of up to 15 digits in all and 8 before the point.
[[gnu::noinline]] const char* long_decimal(const char* at, std::uint64_t negative, double& out)
{
    const unsigned whole = digits_before(eight(at));
    std::uint64_t digits = whole > 0 ? number_of(eight(at), whole) : 0;
    at += whole;
    unsigned decimals = 0;
    if (*at == '.') {
        ++at;
        for (unsigned part = 8; part == 8 && decimals < 16;) {
            part = digits_before(eight(at));
            digits = digits * whole_powers[part] + (part > 0 ? number_of(eight(at), part) : 0); // may overflow where there are too many
            decimals += part;
            at += part;
        }
    }
    if (whole + decimals == 0 || whole + decimals > 15 || is_digit(*at)) {
        return nullptr;
    }
    const double value = static_cast<double>(static_cast<std::int64_t>(digits)) / powers[decimals];
    out = std::bit_cast<double>(std::bit_cast<std::uint64_t>(value) | negative << 63);
    return at;
}

/// Reads a decimal without exponent whose digits fit a double exactly, so that one division rounds it correctly, and gives its end;
/// nullptr for all else. Precondition: 16 readable bytes after what is read.
[[gnu::always_inline]] inline const char* plain_decimal(const char* at, double& out)
{
    const std::uint64_t negative = *at == '-' ? 1 : 0; // signs come in no order that a processor could foresee: nothing branches on them
    at += negative;
    const std::uint64_t front = eight(at);
    const unsigned whole = digits_before(front);
    const std::uint64_t back = eight(at + whole + 1);
    const unsigned decimals = digits_before(back);
    const unsigned count = whole + decimals;
    if (whole == 8 || at[whole] != '.' || count > 8 || count == 0) {
        return long_decimal(at, negative, out);
    }
    // The digits before and behind the point side by side.
    const std::uint64_t kept = front & ((std::uint64_t{1} << 8 * whole) - 1);
    const double value = static_cast<double>(static_cast<std::int64_t>(number_of(kept | back << 8 * whole, count))) / powers[decimals];
    out = std::bit_cast<double>(std::bit_cast<std::uint64_t>(value) | negative << 63);
    return at + whole + 1 + decimals;
}

std::string leading_word(std::string_view text)
{
    std::size_t n = 0;
    while (n < text.size() && (is_letter(text[n]) || (n > 0 && is_digit(text[n])))) {
        ++n;
    }
    return upper(text.substr(0, n));
}

} // namespace

StatementReader::StatementReader(ByteSource& source, std::vector<std::string> text_words)
    : source_(source), text_words_(std::move(text_words))
{}

Result<bool> StatementReader::fill_line(std::size_t& length)
{
    std::size_t searched = position_;
    for (;;) {
        const void* found = std::memchr(buffer_.data() + searched, '\n', filled_ - searched);
        const std::size_t end = found == nullptr ? filled_ : std::size_t(static_cast<const char*>(found) - buffer_.data());
        length = end - position_;
        if (length > max_line_bytes) {
            return Error{ErrorKind::syntax,
                         fmt::format("the line is longer than {} bytes", max_line_bytes),
                         {{}, line_number_ + 1, 1},
                         "break it with '$', or check that this is a CL text file"};
        }
        if (found != nullptr || (ended_ && length > 0)) {
            return true;
        }
        if (ended_) {
            return false;
        }
        searched = filled_ - position_;
        failed_ = failed_ ? refill() : failed_;
        if (!failed_) {
            return failed_.error();
        }
    }
}

Status StatementReader::refill()
{
    std::memmove(buffer_.data(), buffer_.data() + position_, filled_ - position_);
    filled_ -= position_;
    position_ = 0;
    if (buffer_.size() < filled_ + chunk + read_beyond) {
        buffer_.resize(filled_ + chunk + read_beyond);
    }
    auto got = source_.read(std::span(buffer_).subspan(filled_, chunk));
    filled_ += got ? *got : 0;
    std::memset(buffer_.data() + filled_, 0, read_beyond);
    if (!got) {
        return got.error();
    }
    ended_ = *got == 0;
    return {};
}

Result<bool> StatementReader::read_line(std::string& line)
{
    std::size_t length = 0;
    auto more = fill_line(length);
    if (more && *more) {
        line.assign(buffer_.data() + position_, length);
        position_ = std::min(position_ + length + 1, filled_);
        ++line_number_;
    }
    return more;
}

std::optional<std::size_t> StatementReader::peek_numbers(std::string_view word, double* out, std::size_t most)
{
    if (filled_ - position_ < quick_line && !ended_ && failed_) {
        failed_ = refill();
    }
    // Where the text ends there are zero bytes, which end a number, and are neither comma nor line end.
    const char* at = buffer_.data() + position_;
    if (filled_ - position_ <= word.size() || std::memcmp(at, word.data(), word.size()) != 0 || at[word.size()] != '/') {
        return std::nullopt;
    }
    at += word.size() + 1;
    const auto skip_blanks = [&] {
        while (*at <= ' ' && is_blank(*at)) {
            ++at;
        }
    };
    for (std::size_t count = 0; count < most; ++count) {
        skip_blanks();
        at = plain_decimal(at, out[count]);
        if (at == nullptr) {
            return std::nullopt;
        }
        if (*at != ',') {
            skip_blanks();
            if (*at == '\n') {
                peeked_ = std::size_t(at - buffer_.data()) + 1;
                return count + 1;
            }
            if (*at != ',') {
                return std::nullopt;
            }
        }
        ++at;
    }
    return std::nullopt;
}

void StatementReader::skip_peeked()
{
    position_ = peeked_;
    ++line_number_;
}

Place StatementReader::place_at(std::size_t offset) const
{
    const Piece* piece = &pieces_.front();
    for (const Piece& candidate : pieces_) {
        if (candidate.offset <= offset) {
            piece = &candidate;
        }
    }
    return {{}, piece->line, piece->column + static_cast<std::uint32_t>(offset - piece->offset)};
}

Result<std::optional<Statement>> StatementReader::next()
{
    std::string text;
    pieces_.clear();
    for (;;) {
        std::string line;
        auto got = read_line(line);
        if (!got) {
            return got.error();
        }
        if (!*got) {
            if (trimmed(text).empty()) {
                return std::optional<Statement>{};
            }
            return Error{ErrorKind::syntax,
                         "the file ends inside a continued statement",
                         {{}, line_number_, 1},
                         "take the last '$' away or add what should follow it"};
        }
        if (const std::size_t zero = line.find('\0'); zero != std::string::npos) {
            return Error{ErrorKind::syntax,
                         "the line holds a zero byte",
                         {{}, line_number_, static_cast<std::uint32_t>(zero + 1)},
                         "check that this is a CL text file, not a binary one"};
        }
        std::string_view view(line);
        const std::string head = pieces_.empty() ? leading_word(trimmed(view)) : std::string();
        const bool literal = std::find(text_words_.begin(), text_words_.end(), head) != text_words_.end();
        bool continued = false;
        if (!literal) {
            if (const std::size_t dollar = view.find('$'); dollar != std::string_view::npos) {
                const bool remark = dollar + 1 < view.size() && view[dollar + 1] == '$';
                if (!remark && !trimmed(view.substr(dollar + 1)).starts_with("$$") && !trimmed(view.substr(dollar + 1)).empty()) {
                    return Error{ErrorKind::syntax,
                                 "text follows the continuation mark '$'",
                                 {{}, line_number_, static_cast<std::uint32_t>(dollar + 2)},
                                 "'$' must end the line; a remark starts with '$$'"};
                }
                continued = !remark;
                view = view.substr(0, dollar);
            }
        }
        pieces_.push_back({text.size(), line_number_, 1});
        text += view;
        if (text.size() > max_statement_bytes) {
            return Error{ErrorKind::syntax,
                         "the continued statement is longer than 1 MiB",
                         {{}, line_number_, 1},
                         "end the statement; check for a '$' too many"};
        }
        if (continued) {
            continue;
        }
        if (trimmed(text).empty()) {
            text.clear();
            pieces_.clear();
            continue;
        }
        auto statement = parse(text);
        if (!statement) {
            return statement.error();
        }
        return std::optional<Statement>(std::move(*statement));
    }
}

Result<Statement> StatementReader::parse(const std::string& text)
{
    std::size_t begin = 0;
    while (is_blank(text[begin])) {
        ++begin;
    }
    Statement out;
    out.word = leading_word(std::string_view(text).substr(begin));
    out.place = place_at(begin);
    if (out.word.empty()) {
        return Error{ErrorKind::syntax, fmt::format("a statement starts with a word, found '{}'", shown(trimmed(text))), out.place,
                     "each statement is WORD or WORD/parameters"};
    }
    std::size_t at = begin + out.word.size();
    if (std::find(text_words_.begin(), text_words_.end(), out.word) != text_words_.end()) {
        std::string_view rest = std::string_view(text).substr(at);
        if (!rest.empty() && (rest.front() == '/' || is_blank(rest.front()))) {
            rest.remove_prefix(1);
        }
        out.text = std::string(trimmed(rest));
        return out;
    }
    out.text = std::string(trimmed(text));
    while (at < text.size() && is_blank(text[at])) {
        ++at;
    }
    if (at == text.size()) {
        return out;
    }
    if (text[at] != '/') {
        return Error{ErrorKind::syntax, fmt::format("expected '/' after {}, found '{}'", out.word, shown(text.substr(at, 1))), place_at(at),
                     "separate the word from its parameters by '/'"};
    }
    for (++at;;) {
        const std::size_t comma = std::min(text.find(',', at), text.size());
        auto parameter = parse_parameter(text, at, comma);
        if (!parameter) {
            return parameter.error();
        }
        out.parameters.push_back(std::move(*parameter));
        if (comma == text.size()) {
            return out;
        }
        at = comma + 1;
    }
}

Result<Parameter> StatementReader::parse_parameter(const std::string& text, std::size_t begin, std::size_t end) const
{
    while (begin < end && is_blank(text[begin])) {
        ++begin;
    }
    while (end > begin && is_blank(text[end - 1])) {
        --end;
    }
    Parameter out;
    out.place = place_at(std::min(begin, text.size()));
    const std::string_view token = std::string_view(text).substr(begin, end - begin);
    if (token.empty()) {
        return Error{ErrorKind::syntax, "a parameter is missing", out.place, "give a number or a word between the commas"};
    }
    if (is_letter(token.front())) {
        out.word = upper(token);
        return out;
    }
    const char* first = token.data();
    const char* const last = first + token.size();
    if (*first == '+') {
        ++first;
    }
    double value = 0;
    const auto [stop, problem] = std::from_chars(first, last, value);
    if (problem == std::errc::result_out_of_range || (problem == std::errc{} && std::abs(value) > largest_number)) {
        return Error{ErrorKind::value, fmt::format("the number '{}' is beyond 1e9", shown(token)), out.place,
                     "check the file that wrote it; no machine is that large"};
    }
    if (problem != std::errc{} || stop != last) {
        return Error{ErrorKind::syntax, fmt::format("'{}' is not a number", shown(token)), out.place,
                     "write numbers like 12.5, -0.75 or 1.2E-3"};
    }
    out.number = value;
    return out;
}

} // namespace wexilum::cl
