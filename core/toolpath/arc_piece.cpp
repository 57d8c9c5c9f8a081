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

} // namespace wexilum
