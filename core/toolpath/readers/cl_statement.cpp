#include "core/toolpath/readers/cl_statement.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace wexilum::cl {
namespace {

constexpr double largest_number = 1e9;

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

Result<bool> StatementReader::read_line(std::string& line)
{
    std::size_t searched = position_;
    for (;;) {
        const std::size_t newline = buffer_.find('\n', searched);
        const std::size_t length = (newline == std::string::npos ? buffer_.size() : newline) - position_;
        if (length > max_line_bytes) {
            return Error{ErrorKind::syntax,
                         fmt::format("the line is longer than {} bytes", max_line_bytes),
                         {{}, line_number_ + 1, 1},
                         "break it with '$', or check that this is a CL text file"};
        }
        if (newline != std::string::npos || (ended_ && length > 0)) {
            line.assign(buffer_, position_, length);
            position_ = newline == std::string::npos ? buffer_.size() : newline + 1;
            ++line_number_;
            return true;
        }
        if (ended_) {
            return false;
        }
        buffer_.erase(0, position_);
        position_ = 0;
        searched = buffer_.size();
        std::array<char, 65536> chunk{};
        auto got = source_.read(chunk);
        if (!got) {
            return got.error();
        }
        ended_ = *got == 0;
        buffer_.append(chunk.data(), *got);
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
