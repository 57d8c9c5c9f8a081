// Runs of straight cuts: what is plain is done for many at once, with rules or without; the rest goes the way of single records.
#pragma once

#include "core/events/rule_events.hpp"

#include <functional>

namespace wexilum {

class CutRuns {
public:
    /// All must outlive the object. `single` does a record by itself, `ready` is called before the tool moves.
    CutRuns(MotionWriter& motion, PathMotion& path, RuleEvents& rules, EventNotes& notes, EventActions& actions,
            std::function<void(const Record&)> single, std::function<void()> ready)
        : motion_(motion), path_(path), rules_(rules), notes_(notes), actions_(actions), single_(std::move(single)),
          ready_(std::move(ready))
    {}

    /// A run of the path. The plan of it is taken part by part: where plain cuts come, all of them at once. With a probe it ends where the
    /// probe has seen its line, or has its answer.
    void handle(const LinearRun& run);
    /// EventActions::catch_up() and waits().
    void catch_up();
    bool waits(EventKind kind);

private:
    void keep_plan(std::size_t at) { path_.keep({turns_[0][at], turns_[1][at]}); }
    void go_to(std::size_t at);
    std::size_t cut_along(std::size_t first, std::size_t end);
    [[nodiscard]] bool may_wait(std::size_t at);
    std::size_t offer(std::size_t first);

    MotionWriter& motion_;
    PathMotion& path_;
    RuleEvents& rules_;
    EventNotes& notes_;
    EventActions& actions_;
    std::function<void(const Record&)> single_;
    std::function<void()> ready_;
    LinearRun in_work_; ///< room for a run in the work mount's frame
    std::array<Column, 2> turns_{};
    CutsAlong along_;                ///< the part of a run at hand
    const LinearRun* run_ = nullptr; ///< the run at hand, part's frame
    std::size_t first_index_ = 0;    ///< of its first record
    Record record_;                  ///< one of its records

    // Cuts that wait: what a rule leaves to the native way and nobody has asked about yet is done for many at once.
    std::size_t waiting_ = 0; ///< cuts from here to before waiting_end_ are to be written
    std::size_t waiting_end_ = 0;
    std::size_t offered_ = 0;       ///< the cut that a rule has
    bool offered_may_wait_ = false; ///< and it may wait
    bool native_taken_ = false;     ///< the native way was taken for it, or will be
};

} // namespace wexilum
