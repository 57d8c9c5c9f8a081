// Records of curved motion as the pieces of path they stand for.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/toolpath/record.hpp"

namespace wexilum {

/// `from` and the record are in the part's frame; the piece comes out in the frame that `frame` leads to. Ends that agree
/// within 1e-6 mm are a whole circle.
[[nodiscard]] PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Circular& circular);
[[nodiscard]] PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Wound& wound);
/// A kind of record that moves on a curve: one that has a piece.
template <typename T>
concept Curve = requires(const Frame& frame, const Pose& from, const T& record)
{
    arc_piece(frame, from, record);
};
/// Nothing for records of other motion.
[[nodiscard]] std::optional<PathPiece> curved_piece(const Frame& frame, const Pose& from, const RecordData& data);

} // namespace wexilum
