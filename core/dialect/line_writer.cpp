#include "core/dialect/line_writer.hpp"

#include "core/dialect/decimal_digits.hpp"

#include <bit>
#include <cstring>

namespace wexilum {
namespace {

constexpr std::size_t batch_lines = 512;
constexpr std::size_t batch_runs = 8;

} // namespace

LineWriter::LineWriter(const Dialect& dialect, const Rounding& rounding, CodeSink& sink, bool own_thread)
    : dialect_(dialect), rounding_(rounding), sink_(sink), separator_(dialect.separator.size() == 1 ? dialect.separator[0] : '\0'),
      threaded_(own_thread)
{
    std::size_t longest = 1 + most_decimal_text;
    for (const auto& [function, word] : dialect.words) {
        longest = std::max(longest, word.size());
    }
    for (const auto& [name, word] : dialect.work_offsets) {
        longest = std::max(longest, word.size());
    }
    room_.resize((SlotList::most + 1) * (longest + dialect.separator.size()));
    run_room_.resize(longest_run * (LineRun::most_words + 1) * (2 + most_decimal_text + dialect.separator.size()));
    if (own_thread) {
        threaded_ = start_thread(thread_, [this] { work(); });
    }
}

LineWriter::~LineWriter() { join(); }

void LineWriter::words(const DecidedWord* words, std::size_t count, long long number, const Source& source)
{
    if (!threaded_) {
        format(words, count, number, source);
        return;
    }
    filling_.lines.push_back({count, number, source});
    filling_.words.insert(filling_.words.end(), words, words + count);
    hand_over_if_full();
}

void LineWriter::text(std::string line, const Source& source)
{
    if (!threaded_) {
        give(line, source);
        return;
    }
    filling_.lines.push_back({0, 0, source});
    filling_.texts.push_back(std::move(line));
    hand_over_if_full();
}

void LineWriter::hand_over()
{
    (void)batches_.put(std::move(filling_));
    filling_ = batches_.spare();
    filling_.lines.clear();
    filling_.words.clear();
    filling_.texts.clear();
    filling_.run_count = 0;
}

void LineWriter::hand_over_if_full()
{
    if (filling_.lines.size() >= batch_lines || filling_.run_count >= batch_runs) {
        hand_over();
    }
}

LineRun& LineWriter::begin_run()
{
    const std::size_t needed = filling_.run_count + 1;
    if (filling_.runs.size() < needed) {
        filling_.runs.resize(needed);
        filling_.after.resize(needed);
    }
    return filling_.runs[filling_.run_count];
}

void LineWriter::end_run()
{
    if (!threaded_) {
        format(filling_.runs.front());
        return;
    }
    filling_.after[filling_.run_count++] = filling_.lines.size();
    hand_over_if_full();
}

void LineWriter::finish()
{
    join();
    if (thrown_) {
        std::rethrow_exception(std::exchange(thrown_, nullptr));
    }
}

void LineWriter::join()
{
    if (thread_.joinable()) {
        (void)batches_.put(std::move(filling_));
        filling_ = {};
        batches_.end();
        thread_.join();
    }
}

void LineWriter::work()
{
    try {
        write_batches();
    } catch (...) {
        thrown_ = std::current_exception();
        batches_.stop();
    }
}

void LineWriter::write_batches()
{
    Batch batch;
    while (batches_.take(batch)) {
        const DecidedWord* word = batch.words.data();
        std::size_t text = 0;
        std::size_t run = 0;
        for (std::size_t at = 0; at <= batch.lines.size(); ++at) {
            for (; run < batch.run_count && batch.after[run] == at; ++run) {
                format(batch.runs[run]);
            }
            if (at == batch.lines.size()) {
                break;
            }
            const Line& line = batch.lines[at];
            if (line.words == 0) {
                give(batch.texts[text++], line.source);
            } else {
                format(word, line.words, line.number, line.source);
                word += line.words;
            }
        }
    }
}

void LineWriter::format(const LineRun& run)
{
    const NumberStyle whole{0, false, false};
    std::array<NumberStyle, LineRun::most_words> styles;
    for (std::size_t k = 0; k < run.words; ++k) {
        styles[k] = rounding_.style(run.word[k].quantity);
    }
    const char separator = separator_;
    const std::size_t separator_size = dialect_.separator.size();
    const auto separate = [&](char* to) __attribute__((always_inline))
    {
        if (separator != '\0') {
            *to = separator;
            return to + 1;
        }
        return add_separator(to);
    };
    // A block's number: the text of its thousands is used again.
    std::array<char, most_decimal_text> thousands;
    std::ptrdiff_t thousands_length = 0;
    long long thousands_of = 0;
    const auto add_number_text = [&](char* to, long long value) __attribute__((always_inline))
    {
        if (value < 1000 || value >= 1000000000) {
            return digits::write(to, value, whole);
        }
        if (value / 1000 != thousands_of) {
            thousands_of = value / 1000;
            thousands_length = digits::write(thousands.data(), thousands_of, whole) - thousands.data();
        }
        std::memcpy(to, thousands.data(), 8); // six at most
        (void)digits::put(to + thousands_length, digits::thousand.decimal[std::size_t(value % 1000)]);
        return to + thousands_length + 3;
    };
    std::array<std::uint32_t, longest_run> ends;
    char* const begin = run_room_.data();
    char* out = begin;
    long long number = run.number;
    for (std::size_t i = 0; i < run.count; ++i, number += run.step) {
        const char* const line = out;
        if (dialect_.sequence) {
            *out++ = dialect_.sequence_letter;
            out = separate(add_number_text(out, number));
        }
        for (unsigned due = run.due[i]; due != 0; due &= due - 1) {
            const auto k = std::size_t(std::countr_zero(due));
            *out++ = run.word[k].address;
            out = separate(digits::write(out, run.counts[k][i], styles[k]));
        }
        out -= separator_size;
        const auto length = std::size_t(out - line);
        ++lines_;
        if (length > longest_) {
            longest_ = length;
            longest_line_ = lines_;
        }
        *out++ = '\n';
        ends[i] = std::uint32_t(out - begin);
    }
    if (run.count > 0) {
        const std::string_view text(begin, std::size_t(out - begin));
        bytes_ += text.size();
        sink_.many_lines(text, std::span(ends).first(run.count), run.file, std::span(run.line).first(run.count));
    }
}

char* LineWriter::begin_text(long long number)
{
    char* out = room_.data();
    if (dialect_.sequence) {
        *out++ = dialect_.sequence_letter;
        out = add_separator(write_decimal(out, number, {0, false, false}));
    }
    return out;
}

void LineWriter::give_text(const char* end, const Source& source)
{
    give(std::string_view(room_.data(), static_cast<std::size_t>(end - room_.data()) - dialect_.separator.size()), source);
}

void LineWriter::end_line(const Source& source)
{
    if (threaded_) {
        filling_.lines.push_back({filling_.words.size() - begun_.words, begun_.number, source});
        hand_over_if_full();
    } else {
        give_text(out_, source);
    }
}

void LineWriter::format(const DecidedWord* words, std::size_t count, long long number, const Source& source)
{
    char* out = begin_text(number);
    for (const DecidedWord& word : std::span(words, count)) {
        if (word.text == nullptr) {
            out = add_number(out, word.address, word.quantity, word.counts);
            continue;
        }
        for (const char c : *word.text) { // two or three characters
            *out++ = c;
        }
        out = add_separator(out);
    }
    give_text(out, source);
}

void LineWriter::give(std::string_view line, const Source& source)
{
    sink_.line(line, source);
    bytes_ += line.size() + 1;
    ++lines_;
    if (line.size() > longest_) {
        longest_ = line.size();
        longest_line_ = lines_;
    }
}

} // namespace wexilum
