// The lines of a program, one after the other, read into words.
#pragma once

#include "core/base/hand_over.hpp"
#include "core/base/watch.hpp"
#include "core/base/world.hpp"
#include "core/control/lexer.hpp"

#include <array>
#include <exception>
#include <optional>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

namespace wexilum {

/// Takes a text apart into lines, without their ends. A line longer than a control reads is cut, so that it is reported as too long.
class LineReader {
public:
    /// The source must outlive the reader.
    explicit LineReader(ByteSource& source) : source_(source), buffer_(std::size_t{1} << 16) {}
    /// The next line, lent until the next call; nothing at the end, or where the source has failed.
    std::optional<std::string_view> next();
    [[nodiscard]] const Status& status() const { return status_; }

private:
    bool fill();

    ByteSource& source_;
    Status status_;
    std::vector<char> buffer_;
    std::size_t begin_ = 0;
    std::size_t filled_ = 0;
    bool skipping_ = false; ///< the rest of a line that was too long
    bool ended_ = false;
};

/// A line of a program, taken apart.
struct CodeLine {
    std::string_view text;
    CodeBlock block;
    Status status; ///< of reading it
};

class LineSource {
public:
    virtual ~LineSource() = default;
    /// The next line, lent until the next call; nullptr where there is none, or where the source has failed.
    virtual const CodeLine* next() = 0;
    [[nodiscard]] virtual const Status& status() const = 0;
};

/// The lines of a text.
class CodeLines final : public LineSource {
public:
    /// Both must outlive the object.
    CodeLines(const Controller& controller, ByteSource& source) : controller_(controller), reader_(source) {}
    const CodeLine* next() override;
    [[nodiscard]] const Status& status() const override { return reader_.status(); }

private:
    const Controller& controller_;
    LineReader reader_;
    CodeLine line_;
    BlockNumber number_;
};

/// The same, read on a thread of its own; where there is none to be had, on the one that asks.
class CodeLinesAhead final : public LineSource {
public:
    /// Both must outlive the object.
    CodeLinesAhead(const Controller& controller, ByteSource& source);
    ~CodeLinesAhead() override;
    CodeLinesAhead(const CodeLinesAhead&) = delete;
    CodeLinesAhead& operator=(const CodeLinesAhead&) = delete;
    const CodeLine* next() override;
    /// Precondition: next() has said that there is no more.
    [[nodiscard]] const Status& status() const override;

private:
    static constexpr std::size_t batch_lines = 256;
    struct Batch {
        std::vector<char> text;                            ///< not a string: short ones move their characters with them
        std::array<std::size_t, batch_lines + 1> starts{}; ///< of the lines in the text, and its end
        std::vector<CodeLine> lines;
        std::size_t count = 0;
    };
    void read();
    void read_batches();

    const Controller& controller_;
    LineReader reader_;
    HandOver<Batch> batches_{8};
    Batch batch_;
    std::size_t at_ = 0;
    std::exception_ptr thrown_; ///< in the thread, for next()
    std::thread thread_;
    std::optional<CodeLine> line_; ///< without a thread
    BlockNumber number_;
};

/// Lines given one by one; where none is at hand there is none yet.
class GivenLines final : public LineSource {
public:
    /// The controller must outlive the object.
    explicit GivenLines(const Controller& controller) : controller_(controller) {}
    /// Precondition: the line before has been taken.
    void give(std::string_view text);
    const CodeLine* next() override;
    [[nodiscard]] const Status& status() const override { return status_; }

private:
    const Controller& controller_;
    Status status_;
    std::string text_;
    CodeLine line_;
    BlockNumber number_;
    bool given_ = false;
};

/// The lines of another source, while nobody stops the run that reads them.
class WatchedLines final : public LineSource {
public:
    /// `watch` may be null; otherwise it gets the number of lines that have been read, those of `before` counted in. All must outlive the
    /// object.
    WatchedLines(LineSource& lines, RunWatch* watch, std::uint64_t before = 0) : lines_(lines), watch_(watch), count_(before) {}
    const CodeLine* next() override;
    [[nodiscard]] const Status& status() const override { return stopped_.ok() ? lines_.status() : stopped_; }
    [[nodiscard]] std::uint64_t count() const { return count_; }

private:
    LineSource& lines_;
    RunWatch* watch_;
    std::uint64_t count_;
    Status stopped_;
};

} // namespace wexilum
