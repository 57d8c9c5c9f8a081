#include "core/control/code_lines.hpp"

#include <cstring>
#include <span>
#include <utility>

namespace wexilum {
namespace {

std::string_view without_return(std::string_view line)
{
    return !line.empty() && line.back() == '\r' ? line.substr(0, line.size() - 1) : line;
}

const CodeLine* taken_apart(const Controller& controller, std::string_view text, BlockNumber& number, CodeLine& out)
{
    number = BlockNumber(number.value + 1);
    out.text = text;
    out.status = read_block(controller, text, number, out.block);
    return &out;
}

} // namespace

// --- lines of a source ----------------------------------------------------------------------------------------------------

/// Reads more behind what is there; false where there is none.
bool LineReader::fill()
{
    std::memmove(buffer_.data(), buffer_.data() + begin_, filled_ - begin_);
    filled_ -= begin_;
    begin_ = 0;
    const auto got = source_.read(std::span(buffer_).subspan(filled_));
    if (!got) {
        status_ = got.error();
        return false;
    }
    filled_ += *got;
    return *got > 0;
}

std::optional<std::string_view> LineReader::next()
{
    while (!ended_) {
        const auto* found = static_cast<const char*>(std::memchr(buffer_.data() + begin_, '\n', filled_ - begin_));
        const bool too_long = found == nullptr && begin_ == 0 && filled_ == buffer_.size();
        if (found == nullptr && !too_long) {
            if (fill()) {
                continue;
            }
            ended_ = true;
            if (!status_ || begin_ == filled_ || skipping_) {
                return std::nullopt;
            }
        }
        const std::size_t end = found != nullptr ? std::size_t(found - buffer_.data()) : filled_;
        const std::string_view line = without_return({buffer_.data() + begin_, end - begin_});
        begin_ = found != nullptr ? end + 1 : end;
        const bool rest = std::exchange(skipping_, too_long);
        if (!rest) {
            return line;
        }
    }
    return std::nullopt;
}

const CodeLine* CodeLines::next()
{
    const auto text = reader_.next();
    return text ? taken_apart(controller_, *text, number_, line_) : nullptr;
}

// --- on a thread of its own -----------------------------------------------------------------------------------------------

CodeLinesAhead::CodeLinesAhead(const Controller& controller, ByteSource& source) : controller_(controller), reader_(source)
{
    if (!start_thread(thread_, [this] { read(); })) {
        line_.emplace();
    }
}

CodeLinesAhead::~CodeLinesAhead()
{
    batches_.stop();
    if (thread_.joinable()) {
        thread_.join();
    }
}

const CodeLine* CodeLinesAhead::next()
{
    if (line_) {
        const auto text = reader_.next();
        return text ? taken_apart(controller_, *text, number_, *line_) : nullptr;
    }
    if (at_ == batch_.count) {
        at_ = batch_.count = 0;
        if (!batches_.take(batch_)) {
            if (thrown_) {
                std::rethrow_exception(std::exchange(thrown_, nullptr));
            }
            return nullptr;
        }
    }
    return &batch_.lines[at_++];
}

const Status& CodeLinesAhead::status() const { return reader_.status(); }

void CodeLinesAhead::read()
{
    try {
        read_batches();
    } catch (...) {
        thrown_ = std::current_exception();
        batches_.end();
    }
}

void CodeLinesAhead::read_batches()
{
    Batch batch;
    const auto hand_over = [&] {
        batch.lines.resize(batch_lines);
        for (std::size_t i = 0; i < batch.count; ++i) {
            (void)taken_apart(controller_, {batch.text.data() + batch.starts[i], batch.starts[i + 1] - batch.starts[i]}, number_,
                              batch.lines[i]);
        }
        const bool wanted = batches_.put(std::move(batch));
        batch = batches_.spare();
        batch.text.clear();
        batch.count = 0;
        return wanted;
    };
    bool wanted = true;
    while (const auto line = wanted ? reader_.next() : std::nullopt) {
        batch.text.insert(batch.text.end(), line->begin(), line->end());
        batch.starts[++batch.count] = batch.text.size();
        wanted = batch.count < batch_lines || hand_over();
    }
    if (wanted && batch.count > 0) {
        (void)hand_over();
    }
    batches_.end();
}

// --- others ---------------------------------------------------------------------------------------------------------------

void GivenLines::give(std::string_view text)
{
    text_ = text;
    given_ = true;
}

const CodeLine* GivenLines::next() { return std::exchange(given_, false) ? taken_apart(controller_, text_, number_, line_) : nullptr; }

const CodeLine* WatchedLines::next()
{
    constexpr std::uint64_t look_every = 1024;
    if (watch_ != nullptr && count_ % look_every == 0) {
        watch_->replayed = count_;
        if (watch_->stopped()) {
            stopped_ = cancelled();
            return nullptr;
        }
    }
    const CodeLine* line = lines_.next();
    count_ += line != nullptr ? 1 : 0;
    return line;
}

} // namespace wexilum
