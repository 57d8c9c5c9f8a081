// How far along the expected path the program has come.
#pragma once

#include "core/compare/expected.hpp"
#include "core/control/replay_move.hpp"

#include <optional>
#include <vector>

namespace wexilum {

/// Along the cut that is waited for.
struct PieceProgress {
    double along = 0;   ///< by the tip, 0 to 1
    double place = 0;   ///< the same by time, where that is finer
    double reach = 0;   ///< mm: how far off that may be, by the feed words of all its blocks
    bool exact = true;  ///< so far the place of every block of this piece was known from its time
    BlockNumber block;  ///< that last moved along it
    Deviation short_of; ///< how far its end was from the piece's end
};

/// Of the rapids of this link the one that came nearest to the target that is waited for.
struct NearestRapid {
    bool any = false;
    double far = 0; ///< mm, a degree counting as much as 1.7
    std::optional<ReplayMove> move;
    std::vector<BlockNumber> set_by; ///< CompareLog::set_by() at that time
};

/// The hole that is being drilled.
struct DrilledHole {
    bool fed = false;
    double deepest = 0; ///< mm, over its mouth
    double dwell = 0;   ///< s
    bool complete = false;
    BlockNumber fed_by; ///< the last block that fed in it
};

class PathPlace {
public:
    /// The path must outlive the object.
    explicit PathPlace(ExpectedPath& path) : path_(path) {}

    /// The item that is waited for; null behind the last. It lives until it is passed.
    [[nodiscard]] const Expected* current() { return path_.at(next_); }
    [[nodiscard]] std::size_t next() const { return next_; }
    /// Precondition: not before next().
    [[nodiscard]] const Expected* item(std::size_t index) { return path_.at(index); }
    [[nodiscard]] ExpectedPath& path() { return path_; }
    /// The item has been reached at a pose (part's frame): the next one is waited for.
    void advance(const Pose& at);
    /// The same for several at once.
    void advance(std::size_t count, const Pose& at);
    /// Nothing, or nothing that moves, has been done for the item: the next one is waited for.
    void skip() { go_to(next_ + 1); }
    void go_to(std::size_t index);
    /// Items before the one that is waited for are not asked for again.
    void pass() { path_.pass(next_); }

    PieceProgress progress; ///< this and the next two: with the item that is waited for, begun anew with advance()
    NearestRapid nearest;
    std::optional<DrilledHole> hole;

    /// The last pose of the path that was reached; nothing where the tool or what carries it has been changed since.
    [[nodiscard]] const std::optional<Pose>& link_from() const { return link_from_; }
    void forget_link();
    /// mm: how far along the tool the path has come since that, or since the tool has turned.
    [[nodiscard]] const std::optional<double>& front() const { return front_; }
    /// The same along an axis, where it has gone along that one; `otherwise` where it has turned.
    [[nodiscard]] double front_along(const Vec3& axis, double otherwise) const;
    /// The path has been at a pose; the tip of what else it has been at in that direction is at most `highest` along the axis.
    void take_front(const Pose& at);
    void take_front(const Pose& at, double highest);

    static constexpr double same_direction = 1 - 5e-9; ///< cosine

private:
    ExpectedPath& path_;
    std::size_t next_ = 0;
    std::optional<Pose> link_from_;
    std::optional<double> front_;
    Vec3 front_axis_ = Vec3::Zero();
};

} // namespace wexilum
