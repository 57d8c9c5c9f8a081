// The grammar layer of CL text: lines, remarks, continuation, a word and its parameters. No meaning.
#pragma once

#include "core/base/result.hpp"
#include "core/base/world.hpp"

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace wexilum::cl {

inline constexpr std::size_t max_line_bytes = 65536;
inline constexpr std::size_t max_statement_bytes = std::size_t{1} << 20;

struct Parameter {
    std::optional<double> number; ///< set for a number
    std::string word;             ///< upper case, for a word
    Place place;                  ///< without the file's name
};

/// One logical statement: continuation lines joined, remarks removed.
struct Statement {
    std::string word; ///< upper case
    std::string text; ///< for text words all that follows, as written; for the others the whole statement
    std::vector<Parameter> parameters;
    Place place; ///< where the word starts, without the file's name
};

/// Splits a byte source into statements. Words listed in `text_words` take the rest of their line literally.
class StatementReader {
public:
    StatementReader(ByteSource& source, std::vector<std::string> text_words);
    /// The next statement; nothing at the end. Error places are without the file's name.
    Result<std::optional<Statement>> next();

    /// The numbers of the next line where it is exactly `word` and '/' and up to `most` (six) plain decimals between commas; the line stays
    /// to be read. Anything else about it, errors included, gives nothing: next() then reports it.
    [[nodiscard]] std::optional<std::size_t> peek_numbers(std::string_view word, double* out, std::size_t most);
    /// Numbers of several lines, column by column.
    static constexpr std::size_t most_lines = 128;
    static constexpr std::size_t most_numbers = 6;
    struct Lines {
        std::size_t numbers = 0; ///< of each line
        std::array<std::array<double, most_lines>, most_numbers> column{};
    };
    /// As peek_numbers() for lines that follow one another and have equally many numbers; how many lines.
    [[nodiscard]] std::size_t peek_lines(std::string_view word, Lines& out);
    /// Passes so many lines of those that have just been peeked at.
    void skip_peeked(std::size_t lines);
    /// The line number of the next line.
    [[nodiscard]] std::uint32_t next_line() const { return line_number_ + 1; }

private:
    struct Piece {
        std::size_t offset;
        std::uint32_t line;
        std::uint32_t column;
    };
    /// Reads on behind what is filled, which moves to the buffer's beginning.
    Status refill();
    [[nodiscard]] bool begins(const char* at, std::string_view word) const;
    /// Brings a whole line into the buffer; false at the end of the source.
    Result<bool> fill_line(std::size_t& length);
    Result<bool> read_line(std::string& line);
    [[nodiscard]] Place place_at(std::size_t offset) const;
    Result<Statement> parse(const std::string& text);
    Result<Parameter> parse_parameter(const std::string& text, std::size_t begin, std::size_t end) const;

    ByteSource& source_;
    std::vector<std::string> text_words_;
    static constexpr std::size_t read_before = 16;              ///< bytes before the text that may be looked at
    std::vector<char> buffer_ = std::vector<char>(read_before); ///< such bytes, the text, and zero bytes behind it
    std::size_t filled_ = read_before;                          ///< where the buffer's text ends
    std::size_t position_ = read_before;
    std::size_t decimals_ = 0;                                         ///< of the number read last
    std::array<std::size_t, most_lines> peeked_{};                     ///< where the line after each peeked one begins
    std::array<std::array<double, most_lines>, most_numbers> power_{}; ///< by which the columns' digits are divided
    bool ended_ = false;
    Status failed_; ///< an error of the source met while reading ahead, reported where the text before it ends
    std::uint32_t line_number_ = 0;
    std::vector<Piece> pieces_;
};

} // namespace wexilum::cl
