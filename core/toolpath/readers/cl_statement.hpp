// The grammar layer of CL text: lines, remarks, continuation, a word and its parameters. No meaning.
#pragma once

#include "core/base/result.hpp"
#include "core/base/world.hpp"

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

/// One logical statement: continuation lines joined, remarks taken away.
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

    /// The numbers of the next line where it is exactly `word` and '/' and up to `most` plain decimals between commas; the line stays
    /// to be read. Anything else about it, errors included, gives nothing: then next() tells.
    [[nodiscard]] std::optional<std::size_t> peek_numbers(std::string_view word, double* out, std::size_t most);
    /// Passes the line that peek_numbers() has just read.
    void skip_peeked();
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
    /// Brings a whole line into the buffer; false at the end of the source.
    Result<bool> fill_line(std::size_t& length);
    Result<bool> read_line(std::string& line);
    [[nodiscard]] Place place_at(std::size_t offset) const;
    Result<Statement> parse(const std::string& text);
    Result<Parameter> parse_parameter(const std::string& text, std::size_t begin, std::size_t end) const;

    ByteSource& source_;
    std::vector<std::string> text_words_;
    std::vector<char> buffer_ = std::vector<char>(32); ///< the text, and zero bytes behind it
    std::size_t filled_ = 0;                           ///< bytes of the buffer that hold text
    std::size_t position_ = 0;
    std::size_t peeked_ = 0; ///< where the line after the peeked one begins
    bool ended_ = false;
    Status failed_; ///< an error of the source met while reading ahead, told where the text before it ends
    std::uint32_t line_number_ = 0;
    std::vector<Piece> pieces_;
};

} // namespace wexilum::cl
