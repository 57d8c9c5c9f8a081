// Records of curved motion as the pieces of path they stand for.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/geometry/ruled_way.hpp"
#include "core/toolpath/record.hpp"

#include <utility>
#include <vector>

namespace wexilum {

/// `from` and the record are in the part's frame; the piece comes out in the frame that `frame` leads to. Ends that agree
/// within 1e-6 mm are a whole circle.
[[nodiscard]] PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Circular& circular);
[[nodiscard]] PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Wound& wound);
/// A ruled one whose axis keeps its direction is a line or an arc.
[[nodiscard]] PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Ruled& ruled);
/// A kind of record that moves on a curve: one that has a piece.
template <typename T>
concept Curve = requires(const Frame& frame, const Pose& from, const T& record)
{
    arc_piece(frame, from, record);
};
/// The two curves of a ruled record that begins at `from`, in the record's frame.
[[nodiscard]] std::pair<RulingCurve, RulingCurve> curves_of(const Pose& from, const record::Ruled& ruled);
/// The record in so many parts that whatever follows joints along them may look at their ends alone (parts_near_great_circles); each
/// keeps the source. Precondition: its curves are a ruled way (check_rulings).
[[nodiscard]] std::vector<record::Ruled> parts_of(const Pose& from, const record::Ruled& ruled);
/// Nothing for records of other motion.
[[nodiscard]] std::optional<PathPiece> curved_piece(const Frame& frame, const Pose& from, const RecordData& data);

} // namespace wexilum
