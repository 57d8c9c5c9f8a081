#include "core/write/cut_writer.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t remarkable_blocks = 24; // of one move

} // namespace

void CutWriter::feed(const PathPiece& piece, const SheetWay& planned, const FeedSpec& feed)
{
    const SheetWay way{planned.branch, circles_.shifted(planned.from), circles_.shifted(planned.to)};
    if (!feed.stated()) {
        log_.report(Severity::error, "feed-missing", "", "a cut without a feed",
                    "state FEDRAT (and SPINDL for a feed per revolution) before it", 1);
        return;
    }
    if (place_.on_cylinder()) {
        lines_.check_beside(piece.to, way.to);
    }
    if (piece.arc || (place_.on_cylinder() && piece.wound() != nullptr && piece.bend() != nullptr)) {
        std::string why;
        if (arcs_.write(piece, way, feed, why)) {
            return;
        }
        log_.report(Severity::remark, "arc-as-lines", why, "an arc is written as lines: " + why,
                    "nothing has to be done; the lines keep the job's tolerance", 0, SIZE_MAX);
    }
    if (!place_.on_cylinder()) {
        circles_.check_one_way(way.from, way.to);
    }
    if (is_one_block(piece, way)) {
        const double length = piece.length();
        lines_.point(way.to, piece.to.tip, feed.seconds(length), length, feed);
    } else {
        feed_in_parts(piece, way, feed);
    }
}

/// Whether nothing turns, or the bound shows that one block keeps the tolerance.
bool CutWriter::is_one_block(const PathPiece& piece, const SheetWay& way)
{
    if (piece.curved()) {
        return false;
    }
    if (place_.solver().rotary().empty()) {
        return true;
    }
    if (circles_.blocks_between(way.from, way.to) != 1) {
        return false;
    }
    const double turns = place_.solver().turn_between(way.from, way.to);
    const double lever = parts_.lever.at(place_.solver(), piece.from.tip, place_.tool_length);
    const Deviation bound = deviation_bound(turns, piece.length(), lever, lines_.interpolation());
    const Tolerance tolerance = assembly_.line_tolerance();
    return bound.tip <= tolerance.tip && bound.axis <= tolerance.axis;
}

void CutWriter::feed_in_parts(const PathPiece& piece, const SheetWay& way, const FeedSpec& feed)
{
    const double length = piece.length();
    subdivide(place_.solver(), piece, way.branch, way.from, way.to, place_.tool_length, assembly_.line_tolerance(), lines_.interpolation(),
              parts_);
    if (parts_.capped) {
        log_.report(Severity::error, "too-many-blocks", "",
                    fmt::format("{} blocks are not enough to keep the tolerance in one move", most_points),
                    "lean the tool away from the pole, or allow a larger tolerance", parts_.worst.tip);
    }
    if (parts_.points.size() > remarkable_blocks && !parts_.capped && !piece.curved() && !place_.solver().rotary().empty()) {
        report_many_blocks(way, length);
    }
    double before = 0;
    Readings at = way.from;
    const auto go = [&](double s, const Readings& to) {
        const double part = length * (s - before);
        const double seconds = feed.mode == FeedMode::inverse_time ? feed.seconds(length) * (s - before) : feed.seconds(part);
        lines_.point(to, s == 1 ? piece.to.tip : piece.at(s).tip, seconds, part, feed);
        before = s;
    };
    for (const Waypoint& point : parts_.points) {
        const int parts = circles_.blocks_between(at, point.readings);
        const double begin = before;
        for (int k = 1; k < parts; ++k) {
            const double u = double(k) / parts;
            go(begin + (point.s - begin) * u, at + (point.readings - at) * u);
        }
        go(point.s, point.readings);
        at = point.readings;
    }
}

void CutWriter::report_many_blocks(const SheetWay& way, double length)
{
    const auto count = double(parts_.points.size());
    const auto turn_of = [&](JointIndex joint) {
        return std::abs(way.to[Eigen::Index(joint.value)] - way.from[Eigen::Index(joint.value)]);
    };
    const auto& rotary = place_.solver().rotary();
    const JointIndex most =
        *std::max_element(rotary.begin(), rotary.end(), [&](JointIndex a, JointIndex b) { return turn_of(a) < turn_of(b); });
    const std::string& joint = assembly_.machine.joints[most.value].id;
    if (!log_.absorb("many-blocks", joint, count)) {
        log_.report(Severity::remark, "many-blocks", joint,
                    fmt::format("{:.0f} blocks for one move: {} turns {:.3f} deg while the tool goes {:.3f} mm", count, joint,
                                to_deg(turn_of(most)), length),
                    "a lean in the operation's \"pole\" would spare the turn where a pole is near; a larger tolerance needs fewer blocks",
                    count);
    }
}

void CutWriter::turn_standing(const Pose& pose, const Readings& from_planned, const Readings& to_planned, const FeedSpec& feed)
{
    const Readings from = circles_.shifted(from_planned);
    const Readings to = circles_.shifted(to_planned);
    circles_.check_one_way(from, to);
    const double turn = place_.solver().turn_between(from, to);
    const double lever = std::min(place_.solver().lever_bound(pose.tip, place_.tool_length), 1e5);
    // Chords of a circle about the axis, with room for rounding; none where the control itself keeps the tip in its place.
    const bool kept = place_.frame.kind() == FrameKind::tool_centre_point;
    const double wanted = kept ? 1 : std::ceil(turn * std::sqrt(lever / (4 * assembly_.line_tolerance().tip)));
    const int parts = std::max(int(std::clamp(wanted, 1.0, double(most_points))), circles_.blocks_between(from, to));
    for (int i = 1; i <= parts; ++i) {
        const double u = double(i) / parts;
        lines_.point(from + (to - from) * u, pose.tip, 0, 0, feed);
    }
}

} // namespace wexilum
