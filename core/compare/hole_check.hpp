// Holes: the depths a cycle reaches, whatever moves it is made of.
#pragma once

#include "core/compare/link_check.hpp"
#include "core/compare/state_check.hpp"
#include "core/compare/straight_rows.hpp"

#include <optional>

namespace wexilum {

class HoleCheck final : public PathCheck {
public:
    /// All must outlive the object.
    HoleCheck(const Task& task, PathPlace& place, RecordCheck& records, StateCheck& states, LinkCheck& links, CompareLog& log);

    /// A motion while a hole is being drilled or waited for; false where it does not belong to the hole. Precondition: one of the two.
    bool take(const SeenMotion& seen);
    /// Looks at rows of a clock that waited for others to go on with them: nothing does.
    void settle();
    /// A dwell while a hole is being drilled; `tip`: where the tool is. Precondition: a hole is being drilled.
    void dwell(const Vec3& tip, BlockNumber block, double seconds);

    /// A hole that has been begun is drilled block by block.
    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& /*common*/, const Expected& /*state*/) const override { return !place_.hole; }

private:
    bool take_row(const SeenMotion& seen);
    [[nodiscard]] bool rests_at_retreat(const SeenMotion& rows);
    bool take_motion(const SeenMotion& seen);
    bool come_near(const SeenMotion& seen, const Expected& item);
    [[nodiscard]] bool comes_from_afar(const SeenMotion& seen, const Expected& item) const;
    void check_level(const SeenMotion& seen, const Expected& item, double height);
    void rapid(const SeenMotion& seen, const Expected& item, double h0, double h1);
    void feed(const SeenMotion& seen, const Expected& item, double h0, double h1);
    void feed_out(const SeenMotion& seen, const Expected& item);
    void feed_in(const SeenMotion& seen, const Expected& item, double h0, double h1);
    void check_peck(const SeenMotion& seen, const Expected& item, double h1);
    void check_feed(const SeenMotion& seen, const Expected& item, double length);
    void leave(const SeenMotion& seen, const Expected& item);

    const Task& task_;
    PathPlace& place_;
    RecordCheck& records_;
    StateCheck& states_;
    LinkCheck& links_;
    std::optional<StraightRows> rows_; ///< that wait for others
};

} // namespace wexilum
