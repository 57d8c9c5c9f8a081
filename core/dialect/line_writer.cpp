#include "core/dialect/line_writer.hpp"

namespace wexilum {
namespace {

constexpr std::size_t batch_lines = 512;

}

LineWriter::LineWriter(const Dialect& dialect, const Rounding& rounding, CodeSink& sink, bool own_thread)
    : dialect_(dialect), rounding_(rounding), sink_(sink), separator_(dialect.separator.size() == 1 ? dialect.separator[0] : '\0')
{
    std::size_t longest = 1 + most_decimal_text;
    for (const auto& [function, word] : dialect.words) {
        longest = std::max(longest, word.size());
    }
    for (const auto& [name, word] : dialect.work_offsets) {
        longest = std::max(longest, word.size());
    }
    room_.resize((SlotList::most + 1) * (longest + dialect.separator.size()));
    if (own_thread) {
        thread_ = std::thread([this] { work(); });
    }
}

LineWriter::~LineWriter() { finish(); }

void LineWriter::words(const DecidedWord* words, std::size_t count, long long number, const Source& source)
{
    if (!thread_.joinable()) {
        format(words, count, number, source);
        return;
    }
    filling_.lines.push_back({count, number, source});
    filling_.words.insert(filling_.words.end(), words, words + count);
    hand_over_if_full();
}

void LineWriter::text(std::string line, const Source& source)
{
    if (!thread_.joinable()) {
        give(line, source);
        return;
    }
    filling_.lines.push_back({0, 0, source});
    filling_.texts.push_back(std::move(line));
    hand_over_if_full();
}

void LineWriter::hand_over_if_full()
{
    if (filling_.lines.size() >= batch_lines) {
        (void)batches_.put(std::move(filling_));
        filling_ = batches_.spare();
        filling_.lines.clear();
        filling_.words.clear();
        filling_.texts.clear();
    }
}

void LineWriter::finish()
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
    Batch batch;
    while (batches_.take(batch)) {
        const DecidedWord* word = batch.words.data();
        std::size_t text = 0;
        for (const Line& line : batch.lines) {
            if (line.words == 0) {
                give(batch.texts[text++], line.source);
            } else {
                format(word, line.words, line.number, line.source);
                word += line.words;
            }
        }
    }
}

void LineWriter::format(const DecidedWord* words, std::size_t count, long long number, const Source& source)
{
    char* out = room_.data();
    const auto add = [&](const std::string& text) {
        for (const char c : text) { // two or three characters
            *out++ = c;
        }
    };
    const auto separate = [&] {
        if (separator_ != '\0') {
            *out++ = separator_;
        } else {
            add(dialect_.separator);
        }
    };
    if (dialect_.sequence) {
        *out++ = dialect_.sequence_letter;
        out = write_decimal(out, number, {0, false, false});
    }
    for (std::size_t i = 0; i < count; ++i) {
        if (i > 0 || dialect_.sequence) {
            separate();
        }
        if (words[i].text != nullptr) {
            add(*words[i].text);
            continue;
        }
        *out++ = words[i].address;
        out = rounding_.write(out, words[i].quantity, words[i].counts);
    }
    give(std::string_view(room_.data(), static_cast<std::size_t>(out - room_.data())), source);
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
