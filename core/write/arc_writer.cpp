#include "core/write/arc_writer.hpp"

#include "core/base/units.hpp"
#include "core/job/language_check.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double widest_radius_form = 2 * pi / 3; // beyond it the centre depends too much on rounding
constexpr int deepest_split = 4;

const Arc& arc_of(const PathPiece& piece) { return *piece.bend(); }

} // namespace

/// The words of X, Y and Z at a place of the flat, before rounding.
Vec3 ArcWriter::words_on_cylinder(const WoundWay& wound, const Vec3& flat, const std::array<std::size_t, 3>& joints) const
{
    const Pose pose = wound.wound(flat);
    Readings at = place_.now();
    const Turns now = place_.solver().turns_of(at);
    Turns turns = place_.solver().branches(pose.axis, at).turns[0];
    turns[0] += whole_turn * std::round((now[0] - turns[0]) / whole_turn);
    place_.solver().set_turns(at, turns);
    place_.solver().set_linear(at, pose.tip, place_.tool_length);
    const Readings values = place_.frame.program_values(at);
    return {values[Eigen::Index(joints[0])], values[Eigen::Index(joints[1])], values[Eigen::Index(joints[2])]};
}

/// Where the machine stands at fraction s of an arc.
MachinePosition ArcWriter::position_on(const PathPiece& piece, const ArcFrame& frame, double s) const
{
    if (frame.wound == nullptr) {
        return place_.with_same_turn(piece.arc->at(s));
    }
    const SheetWay& way = *frame.wound;
    return place_.rounded(s == 1 ? way.to : readings_between(place_.solver(), piece, way.branch, way.from, way.to, s), piece.at(s).tip);
}

bool ArcWriter::write(const PathPiece& piece, const SheetWay& way, const FeedSpec& feed, std::string& why)
{
    ArcFrame frame;
    why = frame_of(piece, way, frame);
    if (!why.empty()) {
        return false;
    }
    part(piece, frame, 0, 1, feed, 0);
    return true;
}

std::string ArcWriter::frame_of(const PathPiece& piece, const SheetWay& way, ArcFrame& out) const
{
    const Controller& controller = assembly_.controller;
    if (std::string none = why_no_arcs(controller, assembly_.dialect); !none.empty()) {
        return none;
    }
    const bool same_axis = place_.on_cylinder() ? piece.wound() != nullptr : piece.turn() < 1e-9;
    if (!same_axis || place_.solver().linear().size() != 3) {
        return "the tool turns along the arc";
    }
    const double spread = std::abs(arc_of(piece).end_radius() - arc_of(piece).start_radius());
    if (spread > controller.arc_end_tolerance - place_.frame.rounding().step(Quantity::length)) {
        return fmt::format("its radius changes by {:.4f} mm, and the control takes {:.4f} mm between start and end", spread,
                           controller.arc_end_tolerance);
    }
    out.wound = place_.on_cylinder() ? &way : nullptr;
    std::string why = find_joints(out);
    why = why.empty() ? find_plane(piece, out) : why;
    if (why.empty()) {
        out.centre = centre_of(piece, out);
    }
    return why;
}

/// The joints behind X, Y and Z.
std::string ArcWriter::find_joints(ArcFrame& out) const
{
    const Dialect& dialect = assembly_.dialect;
    const std::string letters = "XYZ";
    for (std::size_t k = 0; k < 3; ++k) {
        bool found = false;
        for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
            const auto word = dialect.axes.find(assembly_.machine.joints[i].id);
            const bool meant = word != dialect.axes.end() && word->second.address == letters[k] && !place_.frame.is_rotary()[i];
            if (const auto working = meant ? place_.frame.working(i) : std::nullopt) {
                out.joints[k] = *working;
                out.signs[k] = dialect.axes.at(assembly_.machine.joints[*working].id).sign;
                out.named = out.named || *working != i;
                found = true;
            }
        }
        if (!found) {
            return fmt::format("no linear joint that works has the letter {}", letters[k]);
        }
    }
    return {};
}

/// How the words' directions lie in the arc's frame, by column.
Mat3 ArcWriter::directions(const PathPiece& piece, const ArcFrame& frame) const
{
    Mat3 columns;
    if (place_.on_cylinder()) {
        const WoundWay& way = *piece.wound();
        const Vec3 from = words_on_cylinder(way, way.from, frame.joints);
        for (int k = 0; k < 3; ++k) {
            columns.row(k) = (words_on_cylinder(way, way.from + Vec3::Unit(k), frame.joints) - from).transpose();
        }
    } else if (of_the_tip(place_.frame.kind())) {
        columns = place_.frame.tip_frame().frame(place_.now()).linear();
    } else {
        const auto jacobian = place_.solver().kinematics().tip_jacobian(place_.now(), place_.tool_length);
        for (int k = 0; k < 3; ++k) {
            columns.col(k) = jacobian.col(Eigen::Index(frame.joints[std::size_t(k)]));
        }
    }
    for (int k = 0; k < 3; ++k) {
        columns.col(k) *= frame.signs[std::size_t(k)];
    }
    return columns;
}

std::string ArcWriter::find_plane(const PathPiece& piece, ArcFrame& out) const
{
    const Controller& controller = assembly_.controller;
    const Arc& arc = arc_of(piece);
    const Mat3 columns = directions(piece, out);
    if ((columns.transpose() * columns - Mat3::Identity()).cwiseAbs().maxCoeff() > 1e-9) {
        return "the linear joints are out of square, so that the control would draw an ellipse";
    }
    // A normal is a pseudo-vector: it turns round under a left-handed set of axes.
    const Vec3 normal = columns.transpose() * arc.normal * columns.determinant();
    Eigen::Index across = 0;
    normal.cwiseAbs().maxCoeff(&across);
    const double lean = std::sqrt(std::max(0.0, 1 - normal[across] * normal[across]));
    if (lean * arc.start_radius() > 1e-4) {
        return "it lies in no plane of the control's axes";
    }
    out.w = int(across);
    out.u = (out.w + 1) % 3;
    out.v = (out.w + 2) % 3;
    out.plane = out.w == 2 ? Function::plane_xy : out.w == 1 ? Function::plane_zx : Function::plane_yz;
    out.counter_clockwise = normal[across] > 0;
    out.helix = std::abs(arc.rise()) > 1e-9;
    const std::string plane(name_of(out.plane).substr(6));
    const auto& planes = controller.arc_planes;
    if (std::find(planes.begin(), planes.end(), plane) == planes.end() || !emitter_.function(out.plane)) {
        return fmt::format("{} has no arcs in its plane ({})", emitter_.function(out.plane) ? "the control" : "the dialect", plane);
    }
    if (out.helix && (!assembly_.dialect.helix || !controller.arc_helix)) {
        return fmt::format("it is a helix, which {} does not have", controller.arc_helix ? "the dialect" : "the control");
    }
    return {};
}

/// The words at the centre.
Vec3 ArcWriter::centre_of(const PathPiece& piece, const ArcFrame& frame) const
{
    const Arc& arc = arc_of(piece);
    if (place_.on_cylinder()) {
        return words_on_cylinder(*piece.wound(), arc.centre, frame.joints);
    }
    if (of_the_tip(place_.frame.kind())) {
        return place_.frame.tip_frame().coordinates(arc.centre, place_.now());
    }
    Readings at_centre = place_.now();
    place_.solver().set_linear(at_centre, arc.centre, place_.tool_length);
    Vec3 out;
    for (int k = 0; k < 3; ++k) {
        out[k] = at_centre[Eigen::Index(frame.joints[std::size_t(k)])];
    }
    return out;
}

void ArcWriter::part(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const FeedSpec& feed, int depth)
{
    const double sweep = arc_of(piece).sweep * (s1 - s0);
    const double widest = assembly_.dialect.arc_form == ArcForm::radius ? widest_radius_form : 2 * pi;
    if (depth == 0 && sweep > widest * (1 + 1e-12)) {
        const int parts = int(std::ceil(sweep / widest - 1e-9));
        for (int i = 0; i < parts; ++i) {
            part(piece, frame, s0 + (s1 - s0) * i / parts, s0 + (s1 - s0) * (i + 1) / parts, feed, 1);
        }
        return;
    }
    const MachinePosition target = position_on(piece, frame, s1);
    const double length = piece.length() * (s1 - s0);
    const double least = place_.frame.rounding().step(Quantity::length);
    if (length < 4 * least) {
        lines_.line(target, feed.seconds(length), length, feed);
        return;
    }
    if (block(piece, frame, s0, s1, target, feed)) {
        return;
    }
    if (depth >= deepest_split) {
        lines_.line(target, feed.seconds(length), length, feed);
        return;
    }
    const double half = 0.5 * (s0 + s1);
    part(piece, frame, s0, half, feed, depth + 1);
    part(piece, frame, half, s1, feed, depth + 1);
}

bool ArcWriter::Radii::same_place() const { return std::hypot(to_u - from_u, to_v - from_v) < 1e-9; }

double ArcWriter::Radii::sweep(double sense) const
{
    const double read = sense * std::atan2(from_u * to_v - from_v * to_u, from_u * to_u + from_v * to_v);
    return same_place() || read < 0 ? read + 2 * pi : read;
}

ArcWriter::Radii ArcWriter::radii(const ArcFrame& frame, const MachinePosition& target) const
{
    const auto radius = [&](const MachinePosition& position, int k) {
        return place_.word_value(position, frame.joints[std::size_t(k)]) * frame.signs[std::size_t(k)] -
               frame.centre[k] * frame.signs[std::size_t(k)];
    };
    return {radius(place_.position(), frame.u), radius(place_.position(), frame.v), radius(target, frame.u), radius(target, frame.v)};
}

/// One block. Everything is decided on what the control will read; false where rounding has turned it into another arc.
bool ArcWriter::block(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const MachinePosition& target,
                      const FeedSpec& feed)
{
    const Radii read = radii(frame, target);
    const double sweep = arc_of(piece).sweep * (s1 - s0);
    const bool centre_form = assembly_.dialect.arc_form == ArcForm::centre;
    const auto motion = emitter_.function(frame.counter_clockwise ? Function::arc_counter_clockwise : Function::arc_clockwise);
    const bool another = std::abs(read.sweep(frame.counter_clockwise ? 1 : -1) - sweep) > 0.5 || (read.same_place() && !centre_form);
    if (another || !motion) {
        return false;
    }
    Statement statement(StatementKind::motion);
    statement.slots.push_back(*emitter_.function(frame.plane));
    const double length = piece.length() * (s1 - s0) + feeds_.carried_length;
    const double seconds = feed.mode == FeedMode::inverse_time ? feed.seconds(length) * (s1 - s0) : feed.seconds(length);
    feeds_.carried_seconds = feeds_.carried_length = 0;
    statement.slots.push_back(feeds_.for_block(statement, target, place_.way_to(target), seconds, length, feed));
    statement.slots.push_back(*motion);
    for (const int k : {frame.u, frame.v, frame.w}) {
        const std::size_t joint = frame.joints[std::size_t(k)];
        if (frame.named) {
            emitter_.forget_axis(joint); // the control takes the joint that the block names
        }
        circles_.add_axis(statement, joint, target.counts[joint]);
    }
    if (centre_form) {
        add_centre(statement, frame, read);
    } else {
        const double radius = 0.5 * (std::hypot(read.from_u, read.from_v) + std::hypot(read.to_u, read.to_v));
        statement.slots.push_back(place_.frame.slot(Role::radius, Quantity::length, radius));
    }
    // Travel along the arc, not only at its end.
    for (int i = 1; i <= 16; ++i) {
        place_.check_travel(position_on(piece, frame, s0 + (s1 - s0) * i / 16).readings);
    }
    emitter_.emit(statement);
    place_.set_position(target);
    return true;
}

void ArcWriter::add_centre(Statement& statement, const ArcFrame& frame, const Radii& radii) const
{
    for (const auto& [k, way] : {std::pair(frame.u, -radii.from_u), std::pair(frame.v, -radii.from_v)}) {
        const Slot slot = place_.frame.slot(Role::centre, Quantity::length, way, std::size_t(k));
        if (slot.counts != 0) {
            statement.slots.push_back(slot);
        }
    }
}

} // namespace wexilum
