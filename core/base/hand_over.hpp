// Hands things over from one thread to another, in order, with no more than a few on the way; and starts such a thread.
#pragma once

#include <condition_variable>
#include <cstddef>
#include <deque>
#include <mutex>
#include <system_error>
#include <thread>
#include <utility>
#include <vector>

namespace wexilum {

/// False where no thread is to be had: then the one that asks does the work itself.
template <typename Work>
bool start_thread(std::thread& thread, Work work)
{
    try {
        thread = std::thread(std::move(work));
        return true;
    } catch (const std::system_error&) {
        return false;
    }
}

template <typename T>
class HandOver {
public:
    explicit HandOver(std::size_t most) : most_(most) {}

    /// Waits while too many are on the way. False after stop(): nobody takes any more.
    bool put(T&& thing)
    {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [&] { return things_.size() < most_ || stopped_; });
        if (stopped_) {
            return false;
        }
        things_.push_back(std::move(thing));
        changed_.notify_all();
        return true;
    }
    /// No more will be put.
    void end()
    {
        const std::lock_guard lock(mutex_);
        ended_ = true;
        changed_.notify_all();
    }
    /// A thing that was handed over before, to be filled anew, or a new one: its memory need not be asked for again.
    [[nodiscard]] T spare()
    {
        const std::lock_guard lock(mutex_);
        if (spares_.empty()) {
            return T();
        }
        T out = std::move(spares_.back());
        spares_.pop_back();
        return out;
    }
    /// Waits for the next; false where there will be none. What `thing` was before becomes a spare.
    bool take(T& thing)
    {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [&] { return !things_.empty() || ended_ || stopped_; });
        if (things_.empty() || stopped_) {
            return false;
        }
        spares_.push_back(std::move(thing));
        thing = std::move(things_.front());
        things_.pop_front();
        changed_.notify_all();
        return true;
    }
    /// No more will be taken.
    void stop()
    {
        const std::lock_guard lock(mutex_);
        stopped_ = true;
        changed_.notify_all();
    }

private:
    std::mutex mutex_;
    std::condition_variable changed_;
    std::deque<T> things_;
    std::vector<T> spares_;
    std::size_t most_;
    bool ended_ = false;
    bool stopped_ = false;
};

} // namespace wexilum
