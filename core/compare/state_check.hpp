// What a cut is done with: tool, spindle, coolant, what is set by hand and parked, brakes, and what a blade may not reach.
#pragma once

#include "core/compare/brake_watch.hpp"
#include "core/compare/budget.hpp"
#include "core/compare/compare_log.hpp"
#include "core/compare/path_place.hpp"
#include "core/path/kerf.hpp"

namespace wexilum {

class StateCheck final : public PathCheck {
public:
    /// All must outlive the object.
    StateCheck(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, CompareLog& log);

    /// A motion at feed, before it is compared; `cuts`: it does not stand for a rapid.
    void begin(const SeenMotion& seen, bool cuts);
    /// Tool, spindle and coolant of a cut.
    void check(const SeenMotion& seen, const Expected& item);
    /// Cuts from `first` to before `end` of a run, which are plain.
    void note_cuts(const CutRun& run, std::size_t first, std::size_t end, const Expected& state) { brakes_.cuts(run, first, end, state); }
    /// A person has set the machine: whether it is as an item of the path needs it.
    [[nodiscard]] bool stands_as(const Posture& posture, std::uint32_t mount, const Readings& readings) const;
    /// The path is over.
    void finish() { brakes_.settle(); }

    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& common, const Expected& state) const override;

private:
    [[nodiscard]] bool spindle_differs(const ReplayMove& move, const Expected& item) const;
    [[nodiscard]] bool coolant_differs(const ReplayMove& move, const Expected& item) const;
    void check_kerf(const SeenMotion& seen);
    void miss_posture(const ReplayMove& move);
    void check_parked(const ReplayMove& move);

    const Task& task_;
    const Follower& follower_;
    const BudgetRule& budget_;
    PathPlace& place_;
    KerfWatch kerf_;
    BrakeWatch brakes_;
    const Posture* checked_posture_ = nullptr;
};

} // namespace wexilum
