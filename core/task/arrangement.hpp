// How a job lays an operation's toolpath out: wound round a cylinder, moved, turned or mirrored to where a copy of it is cut, and with
// other data than it was made for.
#pragma once

#include "core/geometry/pose.hpp"

#include <cstdint>
#include <optional>

namespace wexilum {

/// A flat toolpath wound round a cylinder of the part: one of its directions becomes the turn, the other runs along the cylinder, its Z
/// stands on the surface. Lengths along the turn are those at the cylinder's radius.
struct Wrap {
    double radius = 0;    ///< mm
    double start = 0;     ///< rad, of the flat path's zero
    bool turns_y = false; ///< the flat Y becomes the turn; otherwise X
    /// The cylinder in the part's frame: Z along it, X towards the angle 0, angles right-handed about Z.
    Frame cylinder = Frame::Identity();
    /// Leaning tools and directions that the machine may depart from are laid in chords.
    bool in_chords = false;

    /// Where a place of the flat path comes to lie.
    [[nodiscard]] Pose wound(const Pose& flat) const;
    /// The flat path's place as WoundWay has it.
    [[nodiscard]] Vec3 developed(const Vec3& flat) const;
    /// rad along the turn for a place of the flat path.
    [[nodiscard]] double angle(const Vec3& flat) const { return start + (turns_y ? flat.y() : flat.x()) / radius; }
};

/// A blade that follows its path: the tool axis of the toolpath leads out of the work, and becomes the way that it cuts.
struct Follow {
    double gentle = 0;     ///< rad: corners up to so much are turned through in the cut; at others the blade is lifted and turned
    double curve = 25;     ///< mm: where both moves at a gentle corner are no longer, they are a curve, and it turns along them
    double lift = 0;       ///< mm, height in the part's frame along the toolpath's axis, to which it is lifted then
    double plunge = 0;     ///< mm/s: the feed back into the cut; 0: the one in force
    bool backwards = true; ///< it may cut both ways: it turns the less
};

/// A motion of space that keeps lengths: moved, turned or mirrored.
struct Placement {
    Mat3 turn = Mat3::Identity(); ///< orthogonal; its determinant is -1 under a mirror
    Vec3 move = Vec3::Zero();     ///< mm, after the turn

    [[nodiscard]] bool mirrors() const { return turn.determinant() < 0; }
    [[nodiscard]] Vec3 point(const Vec3& p) const { return turn * p + move; }
    [[nodiscard]] Pose pose(const Pose& p) const { return {point(p.tip), turn * p.axis}; }
    /// What something goes round, right-handed: a pseudo-vector, so that under a mirror it runs the other way round.
    [[nodiscard]] Vec3 axis(const Vec3& a) const { return turn * a * (mirrors() ? -1.0 : 1.0); }
    /// This one after another.
    [[nodiscard]] Placement after(const Placement& first) const { return {turn * first.turn, turn * first.move + move}; }
};

/// What the same cuts are made with instead.
struct OtherData {
    std::optional<std::uint32_t> tool; ///< in the place of every one that is called
    std::optional<double> spindle;     ///< rpm
    double feeds = 1;                  ///< factor of all feeds
    [[nodiscard]] bool any() const { return tool || spindle || feeds != 1; }
};

struct Arrangement {
    std::optional<Wrap> wrap;
    std::optional<Follow> follow;       ///< not with a wrap
    std::optional<Placement> placement; ///< after both
    OtherData data;
    [[nodiscard]] bool any() const { return wrap || follow || placement || data.any(); }
};

} // namespace wexilum
