// From words to text: the last step of the emitter, which may run on a thread of its own.
#pragma once

#include "core/base/hand_over.hpp"
#include "core/dialect/line_run.hpp"
#include "core/dialect/rounding.hpp"
#include "core/dialect/statement.hpp"
#include "core/toolpath/code_sink.hpp"
#include "core/toolpath/record.hpp"

#include <algorithm>
#include <cstdint>
#include <exception>
#include <span>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

namespace wexilum {

/// A word whose value is decided: a whole word of the dialect, or an address and a number.
/// Without initial values, because an array of them is made for every block.
struct DecidedWord {
    std::int64_t counts;
    const std::string* text; ///< nullptr: a number; outlives the writer
    char address;
    Quantity quantity;
};

class LineWriter {
public:
    /// All must outlive the writer. `own_thread`: the text is made on another thread, which finish() waits for.
    LineWriter(const Dialect& dialect, const Rounding& rounding, CodeSink& sink, bool own_thread);
    ~LineWriter();
    LineWriter(const LineWriter&) = delete;
    LineWriter& operator=(const LineWriter&) = delete;

    /// A line of words with its number (not written where the dialect numbers no lines). Precondition: no more words than SlotList::most,
    /// their texts among the dialect's words and work offsets.
    void words(const DecidedWord* words, std::size_t count, long long number, const Source& source);
    /// The same word by word, numbers only: begin_line(), add() for each word, end_line().
    void begin_line(long long number)
    {
        if (threaded_) {
            begun_ = {filling_.words.size(), number, {}};
        } else {
            out_ = begin_text(number);
        }
    }
    void add(char address, Quantity quantity, std::int64_t counts)
    {
        if (threaded_) {
            filling_.words.push_back({counts, nullptr, address, quantity});
        } else {
            out_ = add_number(out_, address, quantity, counts);
        }
    }
    void end_line(const Source& source);
    /// Many of them at once: a run to be filled, and its end. Nothing else may be written between.
    [[nodiscard]] LineRun& begin_run();
    void end_run();
    /// A line as it stands.
    void text(std::string line, const Source& source);
    /// Everything is with the sink when this returns; nothing may be written afterwards. What the other thread has met is thrown here.
    void finish();

    // Known after finish().
    [[nodiscard]] std::uint64_t bytes() const { return bytes_; } ///< a line end for each line included
    [[nodiscard]] std::uint32_t longest_line() const { return longest_line_; }
    [[nodiscard]] std::size_t longest() const { return longest_; }

private:
    struct Line {
        std::size_t words = 0; ///< 0: a text
        long long number;
        Source source;
    };
    struct Batch {
        std::vector<Line> lines;
        std::vector<DecidedWord> words;
        std::vector<std::string> texts;
        std::vector<LineRun> runs;
        std::vector<std::size_t> after; ///< how many lines stand before each run
        std::size_t run_count = 0;      ///< of the runs that hold something
    };
    void format(const DecidedWord* words, std::size_t count, long long number, const Source& source);
    /// Text in room_: a line's number, a word with a separator behind it, all of a line to the sink without its last separator.
    char* begin_text(long long number);
    char* add_separator(char* out) const
    {
        if (separator_ != '\0') {
            *out++ = separator_;
            return out;
        }
        return std::copy(dialect_.separator.begin(), dialect_.separator.end(), out);
    }
    char* add_number(char* out, char address, Quantity quantity, std::int64_t counts) const
    {
        *out++ = address;
        return add_separator(rounding_.write(out, quantity, counts));
    }
    void format(const LineRun& run);
    void hand_over();
    void give_text(const char* end, const Source& source);
    void give(std::string_view line, const Source& source);
    void work();
    void write_batches();
    void join();
    void hand_over_if_full();

    const Dialect& dialect_;
    const Rounding& rounding_;
    CodeSink& sink_;
    char separator_;       ///< zero where it is not one character
    std::string room_;     ///< as long as the longest block
    std::string run_room_; ///< as long as a run's
    bool threaded_;
    char* out_ = nullptr; ///< where the line goes on that is written word by word
    Line begun_;          ///< likewise; its count is where its words begin
    std::uint64_t bytes_ = 0;
    std::uint32_t lines_ = 0;
    std::uint32_t longest_line_ = 0;
    std::size_t longest_ = 0;
    HandOver<Batch> batches_{4};
    Batch filling_;
    std::exception_ptr thrown_; ///< in the thread, for finish()
    std::thread thread_;
};

} // namespace wexilum
