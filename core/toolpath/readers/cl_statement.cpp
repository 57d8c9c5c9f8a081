#include "core/toolpath/readers/cl_statement.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>

#ifdef __SSE2__
#include <emmintrin.h>
#endif

namespace wexilum::cl {
namespace {

constexpr double largest_number = 1e9;
constexpr std::size_t chunk = std::size_t{1} << 18;
constexpr std::size_t quick_line = 512;                   // fewer bytes than these are not read the quick way,
constexpr std::size_t quick_lines = std::size_t{1} << 14; // nor than these for many lines
constexpr std::size_t read_beyond = 128;                  // bytes after the text that may be looked at; they are zero

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

/// The 8 characters at `at`, the first in the lowest byte: digits as their values, all else above 9.
[[gnu::always_inline]] inline std::uint64_t eight_values(const char* at)
{
    std::uint64_t word = 0;
    std::memcpy(&word, at, sizeof word);
    return word ^ 0x3030303030303030ULL;
}

/// Whether all 8 values are digits.
[[gnu::always_inline]] inline bool all_digits(std::uint64_t word)
{
    return (((word + 0x7676767676767676ULL) | word) & 0x8080808080808080ULL) == 0;
}

/// The number that 8 digits are. Three multiplications add them up pairwise.
[[gnu::always_inline]] inline std::uint64_t number_of(std::uint64_t word)
{
    word = (word * 10 + (word >> 8)) & 0x00FF00FF00FF00FFULL;
    word = (word * 100 + (word >> 16)) & 0x0000FFFF0000FFFFULL;
    return (word * 10000 + (word >> 32)) & 0x00000000FFFFFFFFULL;
}

/// The last `count` of 8 values, zeros before them; 0 to 8.
[[gnu::always_inline]] inline std::uint64_t last_of(std::uint64_t word, std::size_t count)
{
    return count == 0 ? 0 : word & (~std::uint64_t{0} << 8 * (8 - count));
}

constexpr std::array<double, 16> powers{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
constexpr std::array<std::uint64_t, 9> whole_powers{1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000};

/// A decimal that is not yet divided: one division rounds correctly what fits a double exactly, as up to 15 digits do.
struct Decimal {
    double digits;
    double power;
};
[[gnu::always_inline]] inline Decimal decimal(std::uint64_t digits, std::size_t decimals, std::uint64_t negative)
{
    const auto value = static_cast<double>(static_cast<std::int64_t>(digits));
    return {std::bit_cast<double>(std::bit_cast<std::uint64_t>(value) | negative << 63), powers[decimals]};
}

/// Any decimal without exponent of up to 15 digits, with blanks around it; false for all else.
[[gnu::noinline]] bool any_decimal(const char* from, const char* end, Decimal& out)
{
    while (from < end && is_blank(*from)) {
        ++from;
    }
    while (from < end && is_blank(end[-1])) {
        --end;
    }
    const std::uint64_t negative = from < end && *from == '-' ? 1 : 0;
    std::uint64_t digits = 0;
    std::size_t count = 0;
    std::size_t decimals = 0;
    bool point = false;
    for (from += negative; from < end; ++from) {
        if (*from == '.' && !point) {
            point = true;
        } else if (is_digit(*from) && count < 15) {
            digits = digits * 10 + std::uint64_t(*from - '0');
            ++count;
            decimals += point ? 1 : 0;
        } else {
            return false;
        }
    }
    out = decimal(digits, decimals, negative);
    return count > 0;
}

/// The same, quicker for numbers with a point and up to 8 digits on either side. `decimals`: how many there were in the number before;
/// most files have as many in all, so that the processor need not wait to know where the point is. Precondition: 16 readable bytes before.
[[gnu::always_inline]] inline bool plain_decimal(const char* from, const char* end, std::size_t& decimals, Decimal& out)
{
    const char* at = from + (*from == ' ' ? 1 : 0);
    const std::uint64_t negative = *at == '-' ? 1 : 0; // signs come in no predictable order: nothing branches on them
    at += negative;
    const auto length = std::size_t(end - at);
    if (decimals >= length || *(end - 1 - decimals) != '.') [[unlikely]] {
        const void* const point = std::memchr(at, '.', length);
        if (point == nullptr || end - static_cast<const char*>(point) > 9) {
            return any_decimal(from, end, out);
        }
        decimals = std::size_t(end - static_cast<const char*>(point)) - 1;
    }
    const std::size_t whole = length - decimals - 1;
    const std::size_t count = whole + decimals;
    if (count <= 8) {
        // The digits before and behind the point side by side.
        const std::uint64_t digits =
            last_of(last_of(eight_values(end - 8), decimals) | (eight_values(end - 9) & ~last_of(~std::uint64_t{0}, decimals)), count);
        if (!all_digits(digits) || count == 0) {
            return any_decimal(from, end, out);
        }
        out = decimal(number_of(digits), decimals, negative);
        return true;
    }
    const std::uint64_t before = last_of(eight_values(end - 9 - decimals), std::min<std::size_t>(whole, 8));
    const std::uint64_t behind = last_of(eight_values(end - 8), decimals);
    if (count > 15 || whole > 8 || !all_digits(before) || !all_digits(behind)) {
        return any_decimal(from, end, out);
    }
    out = decimal(number_of(before) * whole_powers[decimals] + number_of(behind), decimals, negative);
    return true;
}

/// A bit for each of 64 characters that is a comma or ends a line.
[[gnu::always_inline]] inline std::uint64_t ends_in(const char* text)
{
    std::uint64_t out = 0;
#ifdef __SSE2__
    for (unsigned part = 0; part < 4; ++part) {
        const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(text + std::size_t{16} * part));
        const __m128i ends = _mm_or_si128(_mm_cmpeq_epi8(bytes, _mm_set1_epi8(',')), _mm_cmpeq_epi8(bytes, _mm_set1_epi8('\n')));
        out |= std::uint64_t(static_cast<unsigned>(_mm_movemask_epi8(ends))) << 16 * part;
    }
#else
    for (unsigned i = 0; i < 64; ++i) {
        out |= std::uint64_t(text[i] == ',' || text[i] == '\n') << i;
    }
#endif
    return out;
}

/// The numbers of a line between `at` and its end, which is the answer; nullptr where something else is there or more than `most`. Each
/// is `stride` behind the one before. Where the numbers end is seen for many at once, so that none has to wait for the one before it.
[[gnu::always_inline]] inline const char* plain_numbers(const char* at, const char* text_end, std::size_t most, std::size_t stride,
                                                        std::size_t& decimals, double* digits, double* power, std::size_t& count)
{
    count = 0;
    for (const char* block = at; block < text_end; block += 64) {
        for (std::uint64_t ends = ends_in(block); ends != 0; ends &= ends - 1) {
            const char* const end = block + std::countr_zero(ends);
            const bool last = *end == '\n';
            Decimal number;
            if (count == most || end == at || !plain_decimal(at, end - (last && end[-1] == '\r' ? 1 : 0), decimals, number)) {
                return nullptr;
            }
            digits[count * stride] = number.digits;
            power[count * stride] = number.power;
            ++count;
            if (last) {
                return end;
            }
            at = end + 1;
        }
    }
    return nullptr;
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
        const std::size_t held = filled_ - position_;
        failed_ = failed_ ? refill() : failed_;
        searched = position_ + held;
        if (!failed_) {
            return failed_.error();
        }
    }
}

Status StatementReader::refill()
{
    std::memmove(buffer_.data() + read_before, buffer_.data() + position_, filled_ - position_);
    filled_ -= position_ - read_before;
    position_ = read_before;
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

/// Whether the text goes on with the word and '/'.
bool StatementReader::begins(const char* at, std::string_view word) const
{
    return std::size_t(buffer_.data() + filled_ - at) > word.size() && std::equal(word.begin(), word.end(), at) && at[word.size()] == '/';
}

std::optional<std::size_t> StatementReader::peek_numbers(std::string_view word, double* out, std::size_t most)
{
    if (filled_ - position_ < quick_line && !ended_ && failed_) {
        failed_ = refill();
    }
    // Where the text ends there are zero bytes, which are neither comma nor line end.
    const char* const at = buffer_.data() + position_;
    if (!begins(at, word)) {
        return std::nullopt;
    }
    std::array<double, most_numbers> power;
    std::size_t count = 0;
    const char* const end =
        plain_numbers(at + word.size() + 1, buffer_.data() + filled_, std::min(most, most_numbers), 1, decimals_, out, power.data(), count);
    if (end == nullptr) {
        return std::nullopt;
    }
    for (std::size_t k = 0; k < count; ++k) {
        out[k] /= power[k];
    }
    peeked_[0] = std::size_t(end - buffer_.data()) + 1;
    return count;
}

std::size_t StatementReader::peek_lines(std::string_view word, Lines& out)
{
    if (filled_ - position_ < quick_lines && !ended_ && failed_) {
        failed_ = refill();
    }
    const char* at = buffer_.data() + position_;
    const char* const text_end = buffer_.data() + filled_;
    std::size_t lines = 0;
    out.numbers = 0;
    for (; lines < most_lines && begins(at, word); ++lines) {
        std::size_t count = 0;
        const char* const end = plain_numbers(at + word.size() + 1, text_end, most_numbers, most_lines, decimals_, &out.column[0][lines],
                                              &power_[0][lines], count);
        if (end == nullptr || (lines > 0 && count != out.numbers)) {
            break;
        }
        out.numbers = count;
        at = end + 1;
        peeked_[lines] = std::size_t(at - buffer_.data());
    }
    for (std::size_t k = 0; k < out.numbers; ++k) {
        for (std::size_t i = 0; i < lines; ++i) {
            out.column[k][i] /= power_[k][i];
        }
    }
    return lines;
}

void StatementReader::skip_peeked(std::size_t lines)
{
    if (lines > 0) {
        position_ = peeked_[lines - 1];
        line_number_ += static_cast<std::uint32_t>(lines);
    }
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
                         "remove the last '$' or add what should follow it"};
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
