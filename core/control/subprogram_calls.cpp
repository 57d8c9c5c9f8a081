#include "core/control/subprogram_calls.hpp"

#include "core/base/watch.hpp"
#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t most_deep = 8;
constexpr long long most_times = 9999;
constexpr std::uint64_t watch_every = 1024;

bool whole(double value, double least, double most) { return value >= least && value <= most && value == std::floor(value); }

} // namespace

SubprogramCalls::SubprogramCalls(const Controller& controller, const ControlMemory& memory, ControlLog& log)
    : ControlPart(log), controller_(controller), memory_(memory)
{}

bool SubprogramCalls::is_program(std::string_view line, BlockNumber number)
{
    if (memory_.subprograms != nullptr && !library_ && memory_.subprograms->wanted()) {
        const auto named = memory_.subprograms->number_of(line);
        const Subprogram* begins = named ? memory_.subprograms->find(*named) : nullptr;
        library_ = begins != nullptr && begins->first == number.value;
    }
    return !library_;
}

void SubprogramCalls::apply(const BlockWords& words)
{
    if (words.has(Function::subprogram_return)) {
        log_.note_change();
        if (calls_.empty()) {
            log_.report(Severity::error, "code-error", "", "a subprogram ends where none has been called", "remove the block");
        }
        returned_ = true;
    }
    if (!words.has(Function::subprogram_call)) {
        return;
    }
    log_.note_change();
    const CodeWord* number = words.take(controller_.subprogram);
    const CodeWord* times = words.take(controller_.loop_count);
    if (number == nullptr || !whole(number->value, 0, 1e9)) {
        log_.report(Severity::error, "code-error", "",
                    fmt::format("a call needs the number of its subprogram, a whole one after {}", controller_.subprogram),
                    "write it in the block that calls");
        return;
    }
    if (times != nullptr && !whole(times->value, 1, double(most_times))) {
        log_.report(Severity::error, "code-error", "",
                    fmt::format("how many times a subprogram is called is a whole number from 1 to {} behind {}", most_times,
                                controller_.loop_count),
                    "correct the word");
        return;
    }
    call_ = Call{std::uint64_t(number->value), times != nullptr ? static_cast<long long>(times->value) : 1};
}

void SubprogramCalls::begin()
{
    if (!call_) {
        return;
    }
    const Call call = *std::exchange(call_, std::nullopt);
    const std::string name = fmt::format("{}{}", controller_.program_number, call.number);
    Subprogram* called = memory_.subprograms != nullptr ? memory_.subprograms->find(call.number) : nullptr;
    if (called == nullptr) {
        log_.report(Severity::error, "subprogram-missing", name, fmt::format("the subprogram {} is called, which is not in the file", name),
                    "put it after the end of the program");
        return;
    }
    if (calls_.size() == most_deep) {
        log_.report(Severity::error, "calls-too-deep", "", fmt::format("subprograms call each other more than {} deep", most_deep),
                    "let them call fewer");
        return;
    }
    if (called->twice && !called->called) {
        log_.report(Severity::error, "subprogram-twice", name, fmt::format("the file has two subprograms {}", name),
                    "give one another number");
    }
    called->called = true;
    Happening& happening = log_.happens(Happening::Kind::call);
    happening.number = call.number;
    happening.count = double(call.times);
    if (calls_.empty()) {
        log_.set_called_by(log_.block());
    }
    calls_.push_back({called, name, log_.block(), call.times});
}

std::optional<SubprogramCalls::Line> SubprogramCalls::next()
{
    Called& called = calls_.back();
    Subprogram& subprogram = *called.subprogram;
    if (!called.on) {
        if (called.left == 0 || !count()) { // one of nothing takes its time as well
            go_back();
            return std::nullopt;
        }
        --called.left;
        called.on = true;
        called.next = 0;
        returned_ = false;
    }
    if (called.next < subprogram.lines.size() && !returned_ && count()) {
        const std::string& line = subprogram.lines[called.next++];
        log_.set_block(BlockNumber(subprogram.first + std::uint32_t(called.next)));
        subprogram.reached = std::max(subprogram.reached, called.next);
        Status status = read_block(controller_, line, log_.block(), read_);
        return Line{line, read_, std::move(status)};
    }
    if (!returned_ && !log_.ended()) {
        log_.report(Severity::error, "no-return", called.name, fmt::format("the subprogram {} does not end", called.name),
                    "end it with the control's word that returns to the caller");
    }
    called.on = false;
    return std::nullopt;
}

void SubprogramCalls::go_back()
{
    log_.set_block(calls_.back().from);
    calls_.pop_back();
    if (calls_.empty()) {
        log_.set_called_by(BlockNumber(0));
    }
    returned_ = false;
    log_.happens(Happening::Kind::back);
}

/// Whether the calls may go on by a block.
bool SubprogramCalls::count()
{
    if (++lines_ > memory_.most_called_blocks && !log_.ended()) {
        log_.report(Severity::error, "calls-too-many", "", fmt::format("the calls take more than {} blocks", memory_.most_called_blocks),
                    "call fewer times");
        log_.end();
    }
    if (memory_.watch != nullptr && lines_ % watch_every == 0 && memory_.watch->stopped()) {
        log_.end();
    }
    return !log_.ended();
}

std::vector<std::pair<std::string, BlockNumber>> SubprogramCalls::names() const
{
    std::vector<std::pair<std::string, BlockNumber>> out;
    for (const Called& called : calls_) {
        out.emplace_back(called.name, called.from);
    }
    return out;
}

void SubprogramCalls::finish()
{
    if (memory_.subprograms == nullptr) {
        return;
    }
    const BlockNumber end = log_.block();
    for (const auto& [number, subprogram] : memory_.subprograms->all()) {
        const std::string name = fmt::format("{}{}", controller_.program_number, number);
        if (!subprogram.called) {
            log_.set_block(BlockNumber(subprogram.first));
            log_.report(Severity::warning, "subprogram-unused", name, fmt::format("nothing calls the subprogram {}", name), "remove it");
            continue;
        }
        for (std::size_t i = subprogram.reached; i < subprogram.lines.size(); ++i) {
            log_.set_block(BlockNumber(subprogram.first + std::uint32_t(i) + 1));
            if (!read_block(controller_, subprogram.lines[i], log_.block(), read_) || !read_.words.empty()) {
                log_.report(Severity::warning, "not-reached", name, fmt::format("the subprogram {} has ended before this block", name),
                            "remove it, or the word that returns before it");
                break;
            }
        }
    }
    log_.set_block(end);
}

} // namespace wexilum
