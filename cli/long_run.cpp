#include "cli/long_run.hpp"

#include "core/base/hand_over.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdio>

namespace wexilum::cli {
namespace {

std::atomic<RunWatch*> at_work{nullptr};

void stop_work(int signal)
{
    if (RunWatch* const watch = at_work.load()) {
        watch->stop = true;
    }
    std::signal(signal, SIG_DFL); // a second one ends the program
}

} // namespace

std::string progress_text(const RunWatch& watch)
{
    const std::uint64_t records = watch.records;
    const std::uint64_t written = watch.arranged;
    const std::uint64_t replayed = watch.replayed;
    const std::uint64_t lines = watch.lines;
    if (replayed > 0) {
        return lines > 0 ? fmt::format("reading back: {} of {} blocks", replayed, lines) : fmt::format("reading back: {} blocks", replayed);
    }
    if (written > 0) {
        return fmt::format("writing: {} of {} records", written, std::max(records, written));
    }
    return records > 0 ? fmt::format("reading the toolpaths: {} records", records) : std::string("opening the job");
}

LongRun::LongRun(bool wanted) : on_line_(isatty(STDERR_FILENO) != 0 && !wanted)
{
    at_work = &watch_;
    std::signal(SIGINT, stop_work);
    std::signal(SIGTERM, stop_work);
    if (wanted || on_line_) {
        start_thread(progress_thread_, [this] { show_progress(); }); // without a thread there is no progress to see
    }
}

LongRun::~LongRun()
{
    done_ = true;
    if (progress_thread_.joinable()) {
        progress_thread_.join();
    }
    std::signal(SIGINT, SIG_DFL);
    std::signal(SIGTERM, SIG_DFL);
    at_work = nullptr;
}

void LongRun::show_progress()
{
    constexpr int tick_ms = 50;
    const int every = on_line_ ? 20 : 5; // ticks
    for (int tick = 1; !done_; ++tick) {
        std::this_thread::sleep_for(std::chrono::milliseconds(tick_ms));
        if (tick % every == 0 && !done_) {
            show(watch_.stopped() ? "stopping …" : progress_text(watch_));
        }
    }
    if (on_line_ && shown_ > 0) {
        std::fprintf(stderr, "\r%*s\r", int(shown_), "");
        std::fflush(stderr);
    }
}

void LongRun::show(const std::string& text)
{
    if (!on_line_) {
        std::fprintf(stderr, "  %s\n", text.c_str());
        return;
    }
    std::fprintf(stderr, "\r  %-*s", int(shown_), text.c_str());
    std::fflush(stderr);
    shown_ = std::max(shown_, text.size() + 2);
}

} // namespace wexilum::cli
