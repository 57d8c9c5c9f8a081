// Work that may take long, on the command line: shows its progress, and stops when it is asked to.
#pragma once

#include "core/base/watch.hpp"

#include <atomic>
#include <string>
#include <thread>

namespace wexilum::cli {

/// While an object lives, Ctrl+C (and a plain kill) stops its work, a second one the program. How far it is goes to standard error: from
/// the first second on where that is a terminal, or always where it is wanted.
class LongRun {
public:
    explicit LongRun(bool wanted);
    ~LongRun();
    LongRun(const LongRun&) = delete;
    LongRun& operator=(const LongRun&) = delete;
    [[nodiscard]] RunWatch* watch() { return &watch_; }

private:
    void show_progress();
    void show(const std::string& text);

    RunWatch watch_;
    bool on_line_ = false; ///< each text takes the place of the one before
    std::size_t shown_ = 0;
    std::atomic<bool> done_{false};
    std::thread progress_thread_;
};

/// How far a run is, in words.
[[nodiscard]] std::string progress_text(const RunWatch& watch);

} // namespace wexilum::cli
