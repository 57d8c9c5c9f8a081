// Arcs of MotionWriter: into which plane an arc falls, where it is cut, and how its words are rounded.
#include "core/base/units.hpp"
#include "core/job/language_check.hpp"
#include "core/write/motion_writer.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

constexpr double widest_radius_form = 2 * pi / 3; // beyond it the centre hangs too much on rounding
constexpr int deepest_split = 4;

} // namespace

namespace {

const Arc& arc_of(const PathPiece& piece) { return piece.wound ? *piece.wound->arc : *piece.arc; }

} // namespace

/// What the words of X, Y and Z tell at a place of the flat, before rounding.
Vec3 MotionWriter::told_on_cylinder(const WoundWay& wound, const Vec3& flat, const std::array<std::size_t, 3>& joints) const
{
    const Pose pose = wound.wound(flat);
    const Turns now = solver_->turns_of(now_.readings);
    Turns turns = solver_->branches(pose.axis).turns[0];
    turns[0] += whole_turn * std::round((now[0] - turns[0]) / whole_turn);
    Readings at = now_.readings;
    solver_->set_turns(at, turns);
    solver_->set_linear(at, pose.tip, tool_length_);
    const Readings values = frame_.program_values(at);
    return {values[Eigen::Index(joints[0])], values[Eigen::Index(joints[1])], values[Eigen::Index(joints[2])]};
}

/// Where the machine stands at fraction s of an arc.
Stand MotionWriter::stand_on(const PathPiece& piece, const ArcFrame& frame, double s) const
{
    if (frame.wound == nullptr) {
        return with_same_turn(piece.arc->at(s));
    }
    const SheetWay& way = *frame.wound;
    return rounded(s == 1 ? way.to : turns_between(*solver_, piece, way.branch, way.from, way.to, s), piece.at(s).tip);
}

std::optional<MotionWriter::ArcFrame> MotionWriter::arc_frame(const PathPiece& piece, const SheetWay& way, std::string& why) const
{
    const Dialect& dialect = assembly_.dialect;
    const Controller& controller = assembly_.controller;
    const bool same_axis = on_cylinder() ? bool(piece.wound) : piece.turn() < 1e-9;
    const auto lines = [&](std::string reason) {
        why = std::move(reason);
        return std::nullopt;
    };
    if (std::string none = why_no_arcs(controller, dialect); !none.empty()) {
        return lines(std::move(none));
    }
    if (!same_axis || solver_->linear().size() != 3) {
        return lines("the tool turns along the arc");
    }
    const double spread = std::abs(arc_of(piece).end_radius() - arc_of(piece).start_radius());
    if (spread > controller.arc_end_tolerance - frame_.rounding().step(Quantity::length)) {
        return lines(fmt::format("its radius changes by {:.4f} mm, and the control takes {:.4f} mm between start and end", spread,
                                 controller.arc_end_tolerance));
    }
    ArcFrame out;
    const std::string letters = "XYZ";
    for (std::size_t k = 0; k < 3; ++k) {
        bool found = false;
        for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
            const auto word = dialect.axes.find(assembly_.machine.joints[i].id);
            const bool meant = word != dialect.axes.end() && word->second.address == letters[k] && !frame_.is_rotary()[i];
            if (const auto working = meant ? frame_.working(i) : std::nullopt) {
                out.joints[k] = *working;
                out.signs[k] = dialect.axes.at(assembly_.machine.joints[*working].id).sign;
                out.named = out.named || *working != i;
                found = true;
            }
        }
        if (!found) {
            return lines(fmt::format("no linear joint that works has the letter {}", letters[k]));
        }
    }
    const Arc& arc = arc_of(piece);
    const Turns turns = solver_->turns_of(now());
    const auto jacobian = solver_->kinematics().tip_jacobian(now(), tool_length_);
    Mat3 columns; // how the words' directions lie in the arc's frame
    if (on_cylinder()) {
        out.wound = &way;
        const Vec3 from = told_on_cylinder(*piece.wound, piece.wound->from, out.joints);
        for (int k = 0; k < 3; ++k) {
            columns.row(k) = (told_on_cylinder(*piece.wound, piece.wound->from + Vec3::Unit(k), out.joints) - from).transpose();
        }
    } else if (of_the_tip(frame_.kind())) {
        columns = frame_.tip_frame().frame(turns).linear();
    } else {
        for (int k = 0; k < 3; ++k) {
            columns.col(k) = jacobian.col(Eigen::Index(out.joints[std::size_t(k)]));
        }
    }
    for (int k = 0; k < 3; ++k) {
        columns.col(k) *= out.signs[std::size_t(k)];
    }
    if ((columns.transpose() * columns - Mat3::Identity()).cwiseAbs().maxCoeff() > 1e-9) {
        return lines("the linear joints stand out of square, so that the control would draw an ellipse");
    }
    // A normal is a pseudo-vector: it turns round under a left-handed set of axes.
    const Vec3 normal = columns.transpose() * arc.normal * columns.determinant();
    Eigen::Index across = 0;
    normal.cwiseAbs().maxCoeff(&across);
    const double lean = std::sqrt(std::max(0.0, 1 - normal[across] * normal[across]));
    if (lean * arc.start_radius() > 1e-4) {
        return lines("it lies in no plane of the control's axes");
    }
    out.w = int(across);
    out.u = (out.w + 1) % 3;
    out.v = (out.w + 2) % 3;
    out.plane = out.w == 2 ? Function::plane_xy : out.w == 1 ? Function::plane_zx : Function::plane_yz;
    const std::string plane(name_of(out.plane).substr(6));
    const auto& planes = controller.arc_planes;
    out.counter_clockwise = normal[across] > 0;
    out.helix = std::abs(arc.rise()) > 1e-9;
    if (std::find(planes.begin(), planes.end(), plane) == planes.end() || !emitter_.function(out.plane)) {
        return lines(fmt::format("{} has no arcs in its plane ({})", emitter_.function(out.plane) ? "the control" : "the dialect", plane));
    }
    if (out.helix && (!dialect.helix || !controller.arc_helix)) {
        return lines(fmt::format("it is a helix, which {} does not have", controller.arc_helix ? "the dialect" : "the control"));
    }
    if (on_cylinder()) {
        out.centre = told_on_cylinder(*piece.wound, arc.centre, out.joints);
    } else if (of_the_tip(frame_.kind())) {
        out.centre = frame_.tip_frame().coordinates(arc.centre, turns);
    } else {
        Readings at_centre = now();
        solver_->set_linear(at_centre, arc.centre, tool_length_);
        for (int k = 0; k < 3; ++k) {
            out.centre[k] = at_centre[Eigen::Index(out.joints[std::size_t(k)])];
        }
    }
    return out;
}

void MotionWriter::feed_arc(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const FeedSpec& feed, int depth)
{
    const double sweep = arc_of(piece).sweep * (s1 - s0);
    const double widest = assembly_.dialect.arc_form == ArcForm::radius ? widest_radius_form : 2 * pi;
    if (depth == 0 && sweep > widest * (1 + 1e-12)) {
        const int parts = int(std::ceil(sweep / widest - 1e-9));
        for (int i = 0; i < parts; ++i) {
            feed_arc(piece, frame, s0 + (s1 - s0) * i / parts, s0 + (s1 - s0) * (i + 1) / parts, feed, 1);
        }
        return;
    }
    const Stand target = stand_on(piece, frame, s1);
    const double length = piece.length() * (s1 - s0);
    const double least = frame_.rounding().step(Quantity::length);
    if (length < 4 * least) {
        feed_line(target, feed.seconds(length), length, feed);
        return;
    }
    if (write_arc(piece, frame, s0, s1, target, feed)) {
        return;
    }
    if (depth >= deepest_split) {
        feed_line(target, feed.seconds(length), length, feed);
        return;
    }
    const double half = 0.5 * (s0 + s1);
    feed_arc(piece, frame, s0, half, feed, depth + 1);
    feed_arc(piece, frame, half, s1, feed, depth + 1);
}

bool MotionWriter::write_arc(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const Stand& target, const FeedSpec& feed)
{
    // Everything below is decided on what the control will read.
    const auto value = [&](const Stand& stand, int k) {
        return word_value(stand, frame.joints[std::size_t(k)]) * frame.signs[std::size_t(k)];
    };
    const auto centre = [&](int k) { return frame.centre[k] * frame.signs[std::size_t(k)]; };
    const double sense = frame.counter_clockwise ? 1 : -1;
    const double su = value(now_, frame.u) - centre(frame.u);
    const double sv = value(now_, frame.v) - centre(frame.v);
    const double eu = value(target, frame.u) - centre(frame.u);
    const double ev = value(target, frame.v) - centre(frame.v);
    double read = sense * std::atan2(su * ev - sv * eu, su * eu + sv * ev);
    const bool same_place = std::hypot(eu - su, ev - sv) < 1e-9;
    if (same_place || read < 0) {
        read += 2 * pi;
    }
    const double sweep = arc_of(piece).sweep * (s1 - s0);
    const bool centre_form = assembly_.dialect.arc_form == ArcForm::centre;
    if (std::abs(read - sweep) > 0.5 || (same_place && !centre_form)) {
        return false; // rounding turned it into another arc
    }
    Statement statement(StatementKind::motion);
    statement.slots.push_back(*emitter_.function(frame.plane));
    const auto motion = emitter_.function(frame.counter_clockwise ? Function::arc_counter_clockwise : Function::arc_clockwise);
    if (!motion) {
        return false;
    }
    const double length = piece.length() * (s1 - s0) + carried_length_;
    const double seconds = feed.mode == FeedMode::inverse_time ? feed.seconds(length) * (s1 - s0) : feed.seconds(length);
    carried_seconds_ = carried_length_ = 0;
    statement.slots.push_back(block_feed(statement, target, way_to(target), seconds, length, feed));
    statement.slots.push_back(*motion);
    for (const int k : {frame.u, frame.v, frame.w}) {
        if (frame.named) {
            emitter_.forget_axis(frame.joints[std::size_t(k)]); // the control takes the joint that the block names
        }
        const std::size_t joint = frame.joints[std::size_t(k)];
        add_axis(statement, joint, target.counts[joint]);
    }
    if (centre_form) {
        for (const int k : {frame.u, frame.v}) {
            const Slot slot = frame_.slot(Role::centre, Quantity::length, centre(k) - value(now_, k), std::size_t(k));
            if (slot.counts != 0) {
                statement.slots.push_back(slot);
            }
        }
    } else {
        const double radius = 0.5 * (std::hypot(su, sv) + std::hypot(eu, ev));
        statement.slots.push_back(frame_.slot(Role::radius, Quantity::length, radius));
    }
    // Travel along the arc, not only at its end.
    for (int i = 1; i <= 16; ++i) {
        check_travel(stand_on(piece, frame, s0 + (s1 - s0) * i / 16).readings);
    }
    emitter_.emit(statement);
    now_ = target;
    return true;
}

} // namespace wexilum
