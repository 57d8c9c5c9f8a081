#include "core/toolpath/arc_piece.hpp"

#include <utility>

namespace wexilum {

PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Circular& circular)
{
    PathPiece piece{transformed(frame, from), transformed(frame, circular.to), Arc{}};
    Arc& arc = *piece.arc;
    arc.start = piece.from.tip;
    arc.end = piece.to.tip;
    arc.centre = frame * circular.centre;
    arc.normal = frame.linear() * circular.normal;
    arc.sweep = arc_sweep(arc.start, arc.end, arc.centre, arc.normal, 1e-6 / circular.radius, circular.extra_turns);
    return piece;
}

PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Wound& wound)
{
    PathPiece piece{transformed(frame, from), transformed(frame, wound.to), std::nullopt, wound.way};
    if (frame.matrix() != Frame::Identity().matrix()) {
        piece.wound = std::make_shared<const WoundWay>(transformed(*wound.way, frame.linear(), frame.translation()));
    }
    return piece;
}

namespace {

/// The table of kinds says of each kind whether it moves on a curve, and it does where it has a piece.
template <std::size_t... kind>
constexpr bool curves_have_pieces(std::index_sequence<kind...> /*all*/)
{
    return ((Curve<std::variant_alternative_t<kind, RecordData>> == (record_kinds[kind].motion == MotionKind::curve)) && ...);
}
static_assert(curves_have_pieces(std::make_index_sequence<std::variant_size_v<RecordData>>()));

} // namespace

std::optional<PathPiece> curved_piece(const Frame& frame, const Pose& from, const RecordData& data)
{
    return std::visit(
        [&]<typename T>(const T& record) -> std::optional<PathPiece> {
            if constexpr (Curve<T>) {
                return arc_piece(frame, from, record);
            } else {
                return std::nullopt;
            }
        },
        data);
}

} // namespace wexilum
