#include "core/run/arrange.hpp"

#include "core/base/units.hpp"
#include "core/machine/machine_parts.hpp"
#include "core/toolpath/arc_piece.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

constexpr int most_parts = 4096; // of one record
constexpr long long most_copies = 10000;

} // namespace

// --- winding ------------------------------------------------------------------------------------------------------------

Pose Wrap::wound(const Pose& flat) const
{
    const double a = angle(flat.tip);
    const Vec3 out(std::cos(a), std::sin(a), 0);
    const Vec3 round(-std::sin(a), std::cos(a), 0);
    // Right-handed on the surface: the turn and the way along it, seen from outside, as X and Y of the flat path.
    const Vec3 first = turns_y ? Vec3(-Vec3::UnitZ()) : round;
    const Vec3 second = turns_y ? round : Vec3(Vec3::UnitZ());
    const double along = turns_y ? -flat.tip.x() : flat.tip.y();
    const Vec3 tip = out * (radius + flat.tip.z()) + Vec3::UnitZ() * along;
    const Vec3 axis = first * flat.axis.x() + second * flat.axis.y() + out * flat.axis.z();
    return {cylinder * tip, cylinder.linear() * axis};
}

void Arranger::wind_line(const Pose& to, const Source& source, std::deque<Record>& out)
{
    const Wrap& wrap = *arrangement_.wrap;
    const Pose from = here_.value_or(to);
    // A chord of the circle on which the outer end runs leaves it by r (1 - cos(w / 2)).
    const double reach = wrap.radius + std::max({0.0, from.tip.z(), to.tip.z()});
    const double part = 2 * std::acos(std::max(-1.0, 1 - tolerance_ / std::max(reach, tolerance_)));
    const double turn = std::abs(wrap.angle(to.tip) - wrap.angle(from.tip));
    const int parts = std::clamp(int(std::ceil(turn / part - 1e-9)), 1, most_parts);
    for (int i = 1; i <= parts; ++i) {
        const double s = double(i) / parts;
        const Pose flat = i == parts ? to : Pose{from.tip + (to.tip - from.tip) * s, great_circle(from.axis, to.axis, s)};
        add({record::Linear{wrap.wound(flat)}, source}, out);
    }
}

void Arranger::wind_arc(const record::Circular& arc, const Source& source, std::deque<Record>& out)
{
    const PathPiece piece = arc_piece(Frame::Identity(), here_.value_or(arc.to), arc);
    const double radius = std::max(piece.arc->start_radius(), tolerance_);
    const double part = 2 * std::acos(std::max(-1.0, 1 - tolerance_ / radius));
    const int parts = std::clamp(int(std::ceil(piece.arc->sweep / part - 1e-9)), 2, most_parts);
    for (int i = 1; i <= parts; ++i) {
        const Pose to = i == parts ? arc.to : piece.at(double(i) / parts);
        wind_line(to, source, out);
        here_ = to;
    }
}

void Arranger::add(Record record, std::deque<Record>& out) const
{
    if (arrangement_.placement) {
        const Placement& placement = *arrangement_.placement;
        if (auto* arc = std::get_if<record::Circular>(&record.data)) {
            arc->centre = placement.point(arc->centre);
            // A normal is a pseudo-vector: under a mirror the motion runs the other way round.
            arc->normal = placement.turn * arc->normal * (placement.mirrors() ? -1.0 : 1.0);
        }
        if (const Pose* end = end_pose(record.data)) {
            const Pose placed = placement.pose(*end);
            std::visit(
                [&](auto& data) {
                    if constexpr (requires { data.to; }) {
                        data.to = placed;
                    } else if constexpr (requires { data.at; }) {
                        data.at = placed;
                    }
                },
                record.data);
        }
    }
    out.push_back(std::move(record));
}

void Arranger::arrange(Record record, std::deque<Record>& out)
{
    const Pose* end = end_pose(record.data);
    if (!arrangement_.wrap || end == nullptr) {
        add(std::move(record), out);
        return;
    }
    const Pose to = *end;
    if (const auto* arc = std::get_if<record::Circular>(&record.data)) {
        wind_arc(*arc, record.source, out);
    } else if (std::holds_alternative<record::Linear>(record.data)) {
        wind_line(to, record.source, out);
    } else {
        std::visit(
            [&](auto& data) {
                if constexpr (requires { data.to; }) {
                    data.to = arrangement_.wrap->wound(to);
                } else if constexpr (requires { data.at; }) {
                    data.at = arrangement_.wrap->wound(to);
                }
            },
            record.data);
        add(std::move(record), out);
    }
    here_ = to;
}

// --- reading ------------------------------------------------------------------------------------------------------------

std::optional<Wrap> read_wrap(Fields& operation, const FileUnits& units)
{
    const Node* node = operation.node("wrap", Kind::object);
    if (node == nullptr) {
        return std::nullopt;
    }
    Fields fields(*node, "the wrap", operation.problems());
    Wrap out;
    double value = 0;
    if (fields.number("radius", value, json::positive, true)) {
        out.radius = value * units.length;
    }
    if (fields.number("start", value)) {
        out.start = value * units.angle;
    }
    std::size_t turns = 0;
    fields.choice("turns", turns, {"x", "y"}, true);
    out.turns_y = turns == 1;
    Vec3 axis = Vec3::UnitZ();
    Vec3 zero = Vec3::UnitX();
    read_direction(fields, "axis", axis, true);
    read_direction(fields, "zero", zero, true);
    std::vector<double> point{0, 0, 0};
    fields.numbers("point", point, 3);
    if (std::abs(axis.dot(zero)) > 1e-6) {
        fields.problem(*node, "axis and zero of the wrap are not perpendicular", "let \"zero\" point from the axis to where angles begin");
    } else {
        out.cylinder = frame_from(Vec3(point[0], point[1], point[2]) * units.length, zero, axis);
    }
    fields.finish();
    return out;
}

namespace {

Vec3 point_of(Fields& fields, const char* key, const FileUnits& units, bool required)
{
    std::vector<double> v{0, 0, 0};
    fields.numbers(key, v, 3, json::any_length, required);
    return Vec3(v[0], v[1], v[2]) * units.length;
}

Placement turned(const Vec3& axis, const Vec3& point, double angle)
{
    Placement out;
    out.turn = Eigen::AngleAxisd(angle, axis).toRotationMatrix();
    out.move = point - out.turn * point;
    return out;
}

/// One step of a copy: move, turn or mirror.
bool read_step(Fields& copy, const FileUnits& units, Placement& out)
{
    int steps = 0;
    if (copy.has("move")) {
        ++steps;
        out.move = point_of(copy, "move", units, true);
    }
    if (const Node* node = copy.node("turn", Kind::object)) {
        ++steps;
        Fields fields(*node, "the turn", copy.problems());
        Vec3 axis = Vec3::UnitZ();
        read_direction(fields, "axis", axis, true);
        double angle = 0;
        fields.number("angle", angle, json::any_length, true);
        out = turned(axis, point_of(fields, "point", units, false), angle * units.angle);
        fields.finish();
    }
    if (const Node* node = copy.node("mirror", Kind::object)) {
        ++steps;
        Fields fields(*node, "the mirror", copy.problems());
        Vec3 normal = Vec3::UnitX();
        read_direction(fields, "normal", normal, true);
        const Vec3 point = point_of(fields, "point", units, false);
        fields.finish();
        out.turn = Mat3::Identity() - 2 * normal * normal.transpose();
        out.move = point - out.turn * point;
    }
    return steps == 1;
}

} // namespace

std::vector<CopyWish> read_copies(Fields& operation, const FileUnits& units)
{
    std::vector<CopyWish> out;
    operation.each_item("copies", [&](const Node& node) {
        Fields fields(node, "the copy", operation.problems());
        fields.allow({"posture"});
        long long count = 2;
        const bool pattern = fields.integer("count", count, 2, most_copies);
        Placement step;
        if (!read_step(fields, units, step)) {
            fields.problem(node, "a copy is moved, turned or mirrored", "write one of \"move\", \"turn\", \"mirror\"");
        }
        if (pattern && step.mirrors()) {
            fields.problem(node, "a mirrored copy of a mirrored one is the first again", "leave \"count\" away");
        }
        fields.finish();
        Placement at = step;
        for (long long i = 1; i < count && out.size() < std::size_t(most_copies); ++i) {
            out.push_back({at, &node});
            at = step.after(at);
        }
    });
    return out;
}

} // namespace wexilum
