#include "core/toolpath/arc_piece.hpp"

#include "core/base/units.hpp"

#include <algorithm>
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
        piece.way = wound.way->moved(frame.linear(), frame.translation());
    }
    return piece;
}

namespace {

constexpr double same_place = 1e-6;      // mm: a curve that ends there goes all the way round
constexpr double same_direction = 1e-12; // rad

RulingCurve curve_of(const Vec3& from, const Vec3& to, const std::optional<record::Round>& round)
{
    RulingCurve out{from, to};
    if (round) {
        Arc& arc = out.arc.emplace(Arc{from, to, round->centre, round->normal, 0});
        arc.sweep =
            arc_sweep(from, to, round->centre, round->normal, same_place / std::max(arc.start_radius(), same_place), round->extra_turns);
    }
    return out;
}

std::optional<record::Round> round_of(const RulingCurve& curve)
{
    if (!curve.arc) {
        return std::nullopt;
    }
    return record::Round{curve.arc->centre, curve.arc->normal, int(curve.arc->sweep / whole_turn - 1e-9)};
}

/// Whether all rulings of two curves are parallel and the tip's place says all.
bool keeps_direction(const RuledWay& way) { return way.turn_rate() * way.length() <= same_direction; }

} // namespace

std::pair<RulingCurve, RulingCurve> curves_of(const Pose& from, const record::Ruled& ruled)
{
    // A file's first ruling lies on the tool's axis but for its last digits.
    const Vec3 upper_from = from.tip + from.axis * (ruled.upper_from - from.tip).norm();
    return {curve_of(from.tip, ruled.to.tip, ruled.lower_round), curve_of(upper_from, ruled.upper_to, ruled.upper_round)};
}

PathPiece arc_piece(const Frame& frame, const Pose& from, const record::Ruled& ruled)
{
    const auto [lower, upper] = curves_of(from, ruled);
    const Mat3 turn = frame.linear();
    const RuledWay way(lower.moved(turn, frame.translation()), upper.moved(turn, frame.translation()));
    PathPiece piece{transformed(frame, from), transformed(frame, ruled.to), std::nullopt};
    if (keeps_direction(way)) {
        piece.arc = way.lower().arc;
        piece.to.axis = piece.from.axis;
    } else {
        piece.way = std::make_shared<const RuledWay>(way);
    }
    return piece;
}

std::vector<record::Ruled> parts_of(const Pose& from, const record::Ruled& ruled)
{
    const auto [lower, upper] = curves_of(from, ruled);
    const RuledWay way(lower, upper);
    const int parts = parts_near_great_circles(way);
    if (parts == 1) {
        return {ruled};
    }
    std::vector<record::Ruled> out;
    out.reserve(std::size_t(parts));
    for (int i = 0; i < parts; ++i) {
        const RulingCurve below = lower.between(double(i) / parts, double(i + 1) / parts);
        const RulingCurve above = upper.between(double(i) / parts, double(i + 1) / parts);
        out.push_back({i + 1 == parts ? ruled.to : way.at(double(i + 1) / parts), above.from, above.to, round_of(below), round_of(above)});
    }
    return out;
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
