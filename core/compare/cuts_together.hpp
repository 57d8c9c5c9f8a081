// Cuts that each end at the path's next record, as nearly all do: what one by one would find, for many at once, as far as there is
// nothing to report about them.
#pragma once

#include "core/compare/cut_check.hpp"

#include <cmath>
#include <functional>

namespace wexilum {

class CutsTogether {
public:
    /// All must outlive the object.
    CutsTogether(const Task& task, const Follower& follower, BudgetRule& budget, PathPlace& place, RecordCheck& records, StateCheck& states,
                 CompareLog& log);

    /// Compares all of them; `one` is called for each that needs a closer look, by its place in the run.
    void take(const FollowedCuts& cuts, const std::function<void(std::size_t)>& one);

private:
    struct Measures {
        Column tip{};
        Column axis{};
        Column tip_budget{};
        Column axis_budget{};
        [[nodiscard]] Deviation deviation(std::size_t i) const { return {tip[i], axis[i]}; }
        [[nodiscard]] Budget budget(std::size_t i) const { return {tip_budget[i], axis_budget[i]}; }
        [[nodiscard]] double ratio(std::size_t i) const { return std::max(tip[i] / tip_budget[i], axis[i] / axis_budget[i]); }
    };
    [[nodiscard]] std::size_t compare(const FollowedCuts& cuts, std::size_t first, std::size_t count);
    [[nodiscard]] std::size_t follow_words(const ExpectedPath::Cuts& items, double tool_length, std::size_t count);
    void find_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end);
    void compare_ends(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end);
    void compare_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end);
    void compare_feeds(const CutRun& run, const Expected& state, std::size_t first, std::size_t end);
    void compare_words(const CutRun& run, const InverseSolver& solver, std::size_t item, std::size_t first, std::size_t end);
    void note(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end);
    void note_front(const FollowedCuts& cuts, std::size_t first, std::size_t end);

    const Task& task_;
    const Follower& follower_;
    BudgetRule& budget_;
    PathPlace& place_;
    RecordCheck& records_;
    StateCheck& states_;
    CompareLog& log_;

    // How many are tried at once: few where few could be done at once, none for a while where none could.
    std::size_t tried_ = longest_run;
    std::size_t rest_ = 0;
    std::size_t misses_ = 0;

    // By cut of the run at hand.
    PoseRun middle_;
    std::vector<Column> half_way_;     ///< readings by joint
    std::array<Column, 3> from_tip_{}; ///< of the path's piece, and so on
    std::array<Column, 3> from_axis_{};
    std::array<Column, 3> to_tip_{};
    std::array<Column, 3> to_axis_{};
    Column length_{};
    Column piece_turn_{};
    double axis_budget_ = 0; ///< at each record
    Column lever_term_{};    ///< as in SeenMotion
    Measures record_;
    Measures between_;
    Column percent_{}; ///< of the feed
    Column bad_{};     ///< not 0: it needs the closer look

    // By record.
    BranchRun found_;
    LinearRun in_work_;
};

} // namespace wexilum
