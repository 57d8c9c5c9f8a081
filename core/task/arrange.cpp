#include "core/task/arrange.hpp"

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
constexpr double chord_axis = 1e-3; // rad

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

Vec3 Wrap::developed(const Vec3& flat) const
{
    const Vec3 turned = turns_y ? Vec3(flat.y(), -flat.x(), flat.z()) : flat;
    return turned + Vec3::UnitX() * (start * radius);
}

/// A line or arc on the cylinder, in parts of a quarter turn at most.
void Arranger::wind(const Pose& to, const std::optional<Arc>& flat_arc, const Source& source, std::deque<Record>& out)
{
    const Wrap& wrap = *arrangement_.wrap;
    WoundWay way;
    way.cylinder = wrap.cylinder;
    way.radius = wrap.radius;
    way.from = wrap.developed(here_->tip);
    way.to = wrap.developed(to.tip);
    double turn = std::abs(way.to.x() - way.from.x()) / wrap.radius;
    if (flat_arc) {
        way.arc = flat_arc; // the flat is turned at most, and a turn about its normal changes neither sweep nor normal
        way.arc->start = way.from;
        way.arc->end = way.to;
        way.arc->centre = wrap.developed(flat_arc->centre);
        turn = std::min(flat_arc->sweep, 2.0) * std::max(flat_arc->start_radius(), flat_arc->end_radius()) / wrap.radius;
    }
    const int parts = std::clamp(int(std::ceil(turn / (pi / 2) - 1e-9)), 1, most_parts);
    for (int i = 0; i < parts; ++i) {
        const auto part = std::static_pointer_cast<const WoundWay>(way.between(double(i) / parts, double(i + 1) / parts));
        add({record::Wound{part, i + 1 == parts ? wrap.wound(to) : part->at(1)}, source}, out);
    }
}

void Arranger::wind_line(const Pose& to, const Source& source, std::deque<Record>& out)
{
    const Wrap& wrap = *arrangement_.wrap;
    const Pose from = here_.value_or(to);
    if (here_ && wrap.angle(from.tip) != wrap.angle(to.tip) && stands(from) && stands(to)) {
        wind(to, std::nullopt, source, out);
        return;
    }
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
    if (here_ && stands(*here_) && stands(arc.to) && std::abs(piece.arc->normal.z()) > 1 - 1e-12) {
        wind(arc.to, piece.arc, source, out);
        return;
    }
    const double radius = std::max(piece.arc->start_radius(), tolerance_);
    const double part = 2 * std::acos(std::max(-1.0, 1 - tolerance_ / radius));
    const int parts = std::clamp(int(std::ceil(piece.arc->sweep / part - 1e-9)), 2, most_parts);
    for (int i = 1; i <= parts; ++i) {
        const Pose to = i == parts ? arc.to : piece.at(double(i) / parts);
        wind_line(to, source, out);
        here_ = to;
    }
}

/// A ruled cut that does not stay one, in parts whose middles lie within the tolerance of straight cuts.
void Arranger::in_chords(const record::Ruled& ruled, const Source& source, std::deque<Record>& out)
{
    const PathPiece piece = arc_piece(Frame::Identity(), here_.value_or(ruled.to), ruled);
    int parts = 1;
    const auto fine = [&] {
        for (int i = 0; i < parts; ++i) {
            const double s0 = double(i) / parts;
            const double s1 = double(i + 1) / parts;
            const PathPiece chord{piece.at(s0), piece.at(s1), std::nullopt};
            const Deviation off = deviation_at(chord, 0.5, piece.at((s0 + s1) / 2));
            if (off.tip > tolerance_ || off.axis > chord_axis) {
                return false;
            }
        }
        return true;
    };
    while (parts < most_parts && !fine()) {
        parts *= 2;
    }
    for (int i = 1; i <= parts; ++i) {
        arrange({record::Linear{i == parts ? ruled.to : piece.at(double(i) / parts)}, source}, out);
    }
}

// --- laying out ---------------------------------------------------------------------------------------------------------

void Arranger::add(Record record, std::deque<Record>& out) const
{
    if (arrangement_.placement) {
        const Placement& placement = *arrangement_.placement;
        if (auto* linear = std::get_if<record::Linear>(&record.data)) {
            linear->surface = placement.turn * linear->surface;
        }
        if (auto* arc = std::get_if<record::Circular>(&record.data)) {
            arc->centre = placement.point(arc->centre);
            arc->normal = placement.axis(arc->normal);
        }
        if (auto* ruled = std::get_if<record::Ruled>(&record.data)) {
            ruled->upper_from = placement.point(ruled->upper_from);
            ruled->upper_to = placement.point(ruled->upper_to);
            for (auto* round : {&ruled->lower_round, &ruled->upper_round}) {
                if (*round) {
                    (*round)->centre = placement.point((*round)->centre);
                    (*round)->normal = placement.axis((*round)->normal);
                }
            }
        }
        if (auto* wound = std::get_if<record::Wound>(&record.data)) {
            wound->way = std::static_pointer_cast<const WoundWay>(wound->way->moved(placement.turn, placement.move));
        }
        if (const Pose* end = end_pose(record.data)) {
            set_end_pose(record.data, placement.pose(*end));
        }
    }
    out.push_back(std::move(record));
}

/// The data that the job has for the operation.
void Arranger::change(RecordData& data) const
{
    const OtherData& other = arrangement_.data;
    if (auto* tool = std::get_if<record::ToolChange>(&data); tool != nullptr && other.tool) {
        tool->number = *other.tool;
        tool->length.reset(); // it was the other one's
    } else if (auto* spindle = std::get_if<record::Spindle>(&data); spindle != nullptr && other.spindle && spindle->speed_rpm > 0) {
        spindle->speed_rpm = *other.spindle;
    } else if (auto* feed = std::get_if<record::Feed>(&data)) {
        feed->value *= other.feeds;
    } else if (auto* cycle = std::get_if<record::CycleStart>(&data)) {
        for (const char* key : {"feed", "feed_per_rev"}) {
            if (const auto found = cycle->parameters.find(key); found != cycle->parameters.end()) {
                found->second *= other.feeds;
            }
        }
    }
}

void Arranger::arrange(Record record, std::deque<Record>& out)
{
    if (arrangement_.data.any()) {
        change(record.data);
    }
    if (const auto* ruled = std::get_if<record::Ruled>(&record.data); ruled != nullptr && (arrangement_.follow || arrangement_.wrap)) {
        in_chords(*ruled, record.source, out);
        return;
    }
    if (arrangement_.follow) {
        follow(std::move(record), out);
        return;
    }
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
        set_end_pose(record.data, arrangement_.wrap->wound(to));
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

std::optional<Follow> read_follow(Fields& operation, const FileUnits& units)
{
    const Node* node = operation.node("follow", Kind::object);
    if (node == nullptr) {
        return std::nullopt;
    }
    Fields fields(*node, "the following", operation.problems());
    Follow out;
    double value = 0;
    if (fields.number("gentle", value, {0, 90 / units.angle * pi / 180}, true)) {
        out.gentle = value * units.angle;
    }
    if (fields.number("lift", value, json::any_length, true)) {
        out.lift = value * units.length;
    }
    if (fields.number("curve", value, json::not_negative)) {
        out.curve = value * units.length;
    }
    if (fields.number("plunge", value, json::positive)) {
        out.plunge = value * units.length / 60;
    }
    fields.flag("backwards", out.backwards);
    fields.finish();
    if (operation.has("wrap")) {
        operation.problem(*node, "a wound toolpath can't be followed by a blade", "remove \"wrap\" or \"follow\"");
    }
    return out;
}

namespace {

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
        out.move = read_point(copy, "move", units, true);
    }
    if (const Node* node = copy.node("turn", Kind::object)) {
        ++steps;
        Fields fields(*node, "the turn", copy.problems());
        Vec3 axis = Vec3::UnitZ();
        read_direction(fields, "axis", axis, true);
        double angle = 0;
        fields.number("angle", angle, json::any_length, true);
        out = turned(axis, read_point(fields, "point", units, false), angle * units.angle);
        fields.finish();
    }
    if (const Node* node = copy.node("mirror", Kind::object)) {
        ++steps;
        Fields fields(*node, "the mirror", copy.problems());
        Vec3 normal = Vec3::UnitX();
        read_direction(fields, "normal", normal, true);
        const Vec3 point = read_point(fields, "point", units, false);
        fields.finish();
        out.turn = Mat3::Identity() - 2 * normal * normal.transpose();
        out.move = point - out.turn * point;
    }
    return steps == 1;
}

} // namespace

OtherData read_other_data(Fields& fields)
{
    OtherData out;
    const Node* node = fields.node("data", Kind::object);
    if (node == nullptr) {
        return out;
    }
    Fields data(*node, "the data", fields.problems());
    long long tool = 0;
    if (data.integer("tool", tool, 1, 1000000000)) {
        out.tool = std::uint32_t(tool);
    }
    double spindle = 0;
    if (data.number("spindle", spindle, json::positive)) {
        out.spindle = spindle;
    }
    data.number("feeds", out.feeds, {0.01, 100});
    data.finish();
    return out;
}

std::vector<CopyWish> read_copies(Fields& operation, const FileUnits& units)
{
    std::vector<CopyWish> out;
    operation.each_item("copies", [&](const Node& node) {
        Fields fields(node, "the copy", operation.problems());
        fields.allow({"posture", "data", "work"});
        long long count = 2;
        const bool pattern = fields.integer("count", count, 2, most_copies);
        Placement step;
        const bool placed = read_step(fields, units, step);
        if (!placed && (pattern || node.find("work") == nullptr)) {
            fields.problem(node, "a copy is moved, turned or mirrored",
                           "write one of \"move\", \"turn\", \"mirror\", or the \"work\" that it is for");
        }
        if (pattern && step.mirrors()) {
            fields.problem(node, "a mirrored copy of a mirrored one is the first again", "leave \"count\" out");
        }
        fields.finish();
        Placement at = step;
        for (long long i = 1; i < count && out.size() < std::size_t(most_copies); ++i) {
            out.push_back({placed ? std::optional(at) : std::nullopt, &node});
            at = step.after(at);
        }
    });
    return out;
}

} // namespace wexilum
