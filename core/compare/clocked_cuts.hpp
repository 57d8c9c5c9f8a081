// Cuts of a control whose rows come by a clock: each row is a short line that may begin and end anywhere along the path, and go past the
// ends of records.
#pragma once

#include "core/compare/pace_check.hpp"
#include "core/compare/path_place.hpp"
#include "core/compare/record_check.hpp"
#include "core/compare/state_check.hpp"
#include "core/compare/surface_notes.hpp"

#include <optional>

namespace wexilum {

class ClockedCuts final : public PathCheck {
public:
    /// All must outlive the object.
    ClockedCuts(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, StateCheck& states,
                CompareLog& log);

    /// Follows the path along a row, from where the one before has left it; whether all of the row is on it.
    /// Precondition: the path waits for a cut.
    [[nodiscard]] bool cut(const SeenMotion& seen);
    /// Whether a row keeps the tool where the path's last record was reached: the rest of a way whose end it came near enough before.
    [[nodiscard]] bool keeps_place(const SeenMotion& seen) const;
    /// Something else than a cut follows.
    void rest();

    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& common, const Expected& /*state*/) const override { return !common.by_clock; }

private:
    /// What of a row has been followed.
    struct Done {
        double u = 0;        ///< of its motion
        double way = 0;      ///< mm of the path
        double wanted = 0;   ///< s that the feed gives that
        bool silent = false; ///< the feed of a part does not say
    };
    [[nodiscard]] Budget near_path(const SeenMotion& seen, const PathPiece& piece) const;
    void stay(const SeenMotion& seen, double s, const Deviation& at_end);
    [[nodiscard]] bool go_on(const SeenMotion& seen, Done& done);
    [[nodiscard]] bool turns_off(const SeenMotion& seen, double left, const Deviation& off, const Budget& near);
    void follow(const SeenMotion& seen, const Expected& item, Done& done, double s, double u);
    void pass(const SeenMotion& seen, const Expected& item, const Deviation& off, const Budget& budget, const Pose& at);
    [[nodiscard]] bool may_end(const SeenMotion& seen, const Expected& item) const;
    [[nodiscard]] double nearest(const SeenMotion& seen, double from, const Pose& to) const;
    double check_feed(const SeenMotion& seen, const Expected& item, const Done& done);

    const Task& task_;
    const Follower& follower_;
    const BudgetRule& budget_;
    PathPlace& place_;
    StateCheck& states_;
    SurfaceNotes surface_;
    PaceCheck pace_;
    std::optional<Pose> reached_; ///< the last record of the cuts at hand
};

} // namespace wexilum
