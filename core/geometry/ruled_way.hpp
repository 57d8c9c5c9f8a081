// A way of the tool along a ruled surface: its tip runs on one curve, and its axis points to the place of a second curve that belongs to
// it.
#pragma once

#include "core/geometry/path_way.hpp"

#include <optional>

namespace wexilum {

/// A straight line or an arc.
struct RulingCurve {
    Vec3 from = Vec3::Zero();
    Vec3 to = Vec3::Zero();
    std::optional<Arc> arc{}; ///< its ends are from and to

    [[nodiscard]] double length() const { return arc ? arc->length() : (to - from).norm(); }
    [[nodiscard]] Vec3 at(double s) const { return s == 1 ? to : arc ? arc->at(s) : Vec3(from + (to - from) * s); }
    [[nodiscard]] double nearest(const Vec3& point, double lo) const;
    [[nodiscard]] RulingCurve between(double s0, double s1) const;
    [[nodiscard]] RulingCurve moved(const Mat3& map, const Vec3& move) const;
};

/// Places that belong together have the same fraction of their curve's own length: x(s, t) = lower(s) + t (upper(s) - lower(s)) is the
/// surface, and the tool lies along its straight lines (do Carmo, Differential Geometry of Curves and Surfaces, section 3-5).
class RuledWay final : public PathWay {
public:
    /// Preconditions: the lower curve has a length, and no ruling is shorter than shortest_ruling.
    RuledWay(const RulingCurve& lower, const RulingCurve& upper);

    [[nodiscard]] const RulingCurve& lower() const { return lower_; }
    [[nodiscard]] const RulingCurve& upper() const { return upper_; }

    [[nodiscard]] double length() const override { return lower_.length(); }
    [[nodiscard]] Pose at(double s) const override;
    [[nodiscard]] double nearest(const Vec3& tip, double lo = 0) const override { return lower_.nearest(tip, lo); }
    [[nodiscard]] double turn_rate() const override { return turn_rate_; }
    [[nodiscard]] const Arc* bend() const override { return lower_.arc ? &*lower_.arc : nullptr; }
    [[nodiscard]] std::shared_ptr<const PathWay> between(double s0, double s1) const override;
    [[nodiscard]] std::shared_ptr<const PathWay> moved(const Mat3& map, const Vec3& move) const override;

private:
    RulingCurve lower_;
    RulingCurve upper_;
    double turn_rate_;
};

/// From the lower to the upper curve, mm.
inline constexpr double shortest_ruling = 0.01;

/// How a pair of curves fails to be a ruled way.
enum class RuledProblem {
    none,
    no_length,  ///< the lower curve has none
    meets,      ///< the curves come nearer to one another than the shortest ruling
    turns_over, ///< a ruling turns by more than a third of a turn on a hundredth of the way: its sense is not certain
};
/// `s`: where, for the last two.
[[nodiscard]] RuledProblem check_rulings(const RulingCurve& lower, const RulingCurve& upper, double& s);

/// In how many equal parts a way falls so that in each the axis stays near the great circle between the part's ends, and turns little.
/// Whatever follows joints along a cut may look at ends of parts alone.
[[nodiscard]] int parts_near_great_circles(const RuledWay& way);

} // namespace wexilum
