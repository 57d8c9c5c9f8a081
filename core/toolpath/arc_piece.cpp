#include "core/toolpath/arc_piece.hpp"

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

std::optional<PathPiece> curved_piece(const Frame& frame, const Pose& from, const RecordData& data)
{
    if (const auto* circular = std::get_if<record::Circular>(&data)) {
        return arc_piece(frame, from, *circular);
    }
    if (const auto* wound = std::get_if<record::Wound>(&data)) {
        return arc_piece(frame, from, *wound);
    }
    return std::nullopt;
}

} // namespace wexilum
