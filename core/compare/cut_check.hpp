// Cuts: every feed move of the path in order, nothing beside it, at the right feed.
#pragma once

#include "core/base/units.hpp"
#include "core/compare/clocked_cuts.hpp"
#include "core/compare/link_check.hpp"
#include "core/compare/state_check.hpp"
#include "core/compare/surface_notes.hpp"

namespace wexilum {

class CutCheck final : public PathCheck {
public:
    /// All must outlive the object.
    CutCheck(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, RecordCheck& records,
             StateCheck& states, LinkCheck& links, CompareLog& log);

    void cut(const SeenMotion& seen);
    /// A motion that is no cut.
    void rest() { rows_.rest(); }
    /// Pieces below the last digit of the words, which need no block of their own, before a motion; null: before something else.
    void pass_tiny(const SeenMotion* seen);
    /// A cut that has begun and is not gone on with.
    void leave_unfinished();
    /// Whether a motion ends on the cut that comes next.
    [[nodiscard]] bool ends_on_path(const SeenMotion& seen);

    /// A cut that has begun is gone on with block by block.
    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& /*common*/, const Expected& /*state*/) const override
    {
        return place_.progress.along <= 0;
    }

    /// So near to the path a motion is a wrong word of it rather than another motion.
    [[nodiscard]] static bool is_close(const Deviation& off) { return off.tip < 0.25 && off.axis < to_rad(0.5); }

    static constexpr double small_turn = 0.02;     ///< rad: of a motion that needs to be looked at in its middle only
    static constexpr double shortest_timed = 0.01; ///< mm

    /// How much faster a cut goes than it should, and how much may be.
    struct FeedMisfit {
        double percent = 0; ///< 0 where no feed is asked or in force, or the way is too short to say
        double allowed = 0;
    };
    /// A cut of `length` mm is to take `wanted` s, and takes `seconds`. `precision`: of its feed word; `tip`: each end's budget.
    [[gnu::always_inline]] [[nodiscard]] static FeedMisfit feed_misfit(double length, double wanted, double seconds, double precision,
                                                                       double tip)
    {
        const bool timed = length >= shortest_timed && wanted > 0 && seconds > 0;
        const double percent = 100 * (wanted / (timed ? seconds : 1) - 1);
        return {timed ? percent : 0, feed_tolerance_percent + 100 * precision + 100 * 2 * tip / (timed ? length : 1)};
    }

private:
    /// Where a motion ends along the cut that is waited for.
    struct Landing {
        Deviation at_end;    ///< from the cut's own end
        Deviation on_way;    ///< from where it is
        double s = 0;        ///< there, 0 to 1
        bool covers = false; ///< it goes on along the cut
        bool is_end = false;
        bool ahead = false; ///< further than before, and not at the end
    };
    [[nodiscard]] Landing land(const SeenMotion& seen, const Expected& item);
    void follow(const SeenMotion& seen, const Expected& item, const Landing& landing);
    void follow_closely(const SeenMotion& seen, const Expected& item, const Landing& landing);
    bool look_ahead(const SeenMotion& seen);
    bool nearly_reached(const SeenMotion& seen);
    [[nodiscard]] double place_by_time(const SeenMotion& seen, const Expected& item, double s, double& reach);
    void sample(const SeenMotion& seen, const Expected& item, bool to_the_end);
    [[nodiscard]] bool goes_round(const SeenMotion& seen, const Expected& item) const;
    bool standing_turn(const SeenMotion& seen, const Expected& item);
    void check_feed(const SeenMotion& seen, const Expected& item, double s0, double s1);
    void check_centre(const SeenMotion& seen, const Expected& item);
    void extra(const SeenMotion& seen);

    const Task& task_;
    const Follower& follower_;
    const BudgetRule& budget_;
    PathPlace& place_;
    RecordCheck& records_;
    StateCheck& states_;
    LinkCheck& links_;
    SurfaceNotes surface_;
    ClockedCuts rows_;
};

} // namespace wexilum
