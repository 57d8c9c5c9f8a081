// Words of CL data that move the tool.
#include "core/toolpath/readers/cl_reader_state.hpp"
#include "core/toolpath/readers/motion_checks.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>

namespace wexilum {

namespace cl {
namespace {

std::string numbers(const Vec3& v) { return fmt::format("{},{},{}", v[0], v[1], v[2]); }
std::string numbers(const Pose& pose) { return numbers(pose.tip) + "," + numbers(pose.axis); }

} // namespace

std::string written(const record::From& r) { return "FROM/" + numbers(r.at); }
std::string written(const record::Rapid& r) { return "RAPID\nGOTO/" + numbers(r.to); }
std::string written(const record::Linear& r) { return "GOTO/" + numbers(r.to); }
std::string written(const record::CyclePoint& r) { return "GOTO/" + numbers(r.at); }
std::string written(const record::Circular& r)
{
    const std::string turns = r.extra_turns > 0 ? fmt::format(",TIMES,{}", r.extra_turns + 1) : std::string();
    return fmt::format("CIRCLE/{},{},{}{}\nGOTO/{}", numbers(r.centre), numbers(r.normal), r.radius, turns, numbers(r.to));
}

} // namespace cl

using cl::bad;
using cl::Parameter;
using cl::Statement;

Result<std::vector<double>> ClReader::State::numbers(const Statement& s, std::size_t begin) const
{
    std::vector<double> out;
    for (std::size_t i = begin; i < s.parameters.size(); ++i) {
        const Parameter& p = s.parameters[i];
        if (!p.number) {
            return bad(p.place, fmt::format("{} takes numbers here, found the word {}", s.word, p.word), "give a number");
        }
        out.push_back(*p.number);
    }
    return out;
}

Result<Pose> ClReader::State::read_pose(const Statement& s)
{
    auto values = numbers(s);
    if (!values) {
        return values.error();
    }
    if (values->size() != 3 && values->size() != 6) {
        return bad(s.place, fmt::format("{} takes 3 or 6 numbers, found {}", s.word, values->size()), "give x,y,z or x,y,z,i,j,k");
    }
    const auto& v = *values;
    Pose pose;
    pose.tip = Vec3(v[0], v[1], v[2]) * scale - origin;
    if (v.size() == 6) {
        const Vec3 axis(v[3], v[4], v[5]);
        const double length = axis.norm();
        if (std::abs(length - 1) > unit_vector_tolerance) {
            return bad(s.parameters[3].place, fmt::format("the tool axis has length {:.6f}, not 1", length),
                       "give a unit vector from the tip to the holder");
        }
        pose.axis = axis * (1 / length);
    } else {
        pose.axis = multi_axis && known_position ? position.axis : Vec3::UnitZ();
    }
    return pose;
}

Status ClReader::State::move_to(const Statement& s, const Pose& to)
{
    if (circle) {
        return finish_circle(s, to);
    }
    const bool opposite = known_position && turns_right_round(position.axis, to.axis);
    if (in_cycle && !rapid) {
        emit(record::CyclePoint{to});
    } else if (rapid) {
        emit(record::Rapid{to});
    } else {
        if (opposite) {
            return bad(s.place, "the tool axis turns right round between two records, so its way is not defined",
                       "add a record between them, or move there in RAPID");
        }
        emit(record::Linear{to});
    }
    rapid = false;
    position = to;
    known_position = true;
    return {};
}

Status ClReader::State::finish_circle(const Statement& s, const Pose& to)
{
    record::Circular arc = *circle;
    circle.reset();
    if (turns_right_round(position.axis, to.axis)) {
        return bad(s.place, "the tool axis turns right round along the circle", "add records between");
    }
    for (const auto& [name, point] : {std::pair{"start", position.tip}, std::pair{"end", to.tip}}) {
        const double off = off_circle(arc, point);
        if (std::abs(off) > arc_end_tolerance) {
            return bad(s.place, fmt::format("the {} of the circle lies {:.3f} mm off its radius", name, std::abs(off)),
                       fmt::format("correct the CIRCLE in line {} or the point", circle_place.line));
        }
    }
    arc.to = to;
    emit(arc);
    position = to;
    return {};
}

bool ClReader::State::plain_goto(Pose& to)
{
    if (circle || in_cycle) {
        return false;
    }
    std::array<double, 6> v{};
    const auto count = statements.peek_numbers("GOTO", v.data(), v.size());
    if (!count || (*count != 3 && *count != 6)) {
        return false;
    }
    to.tip = Vec3(v[0], v[1], v[2]) * scale - origin;
    if (*count == 6) {
        const Vec3 axis(v[3], v[4], v[5]);
        const double length = axis.norm();
        if (std::abs(length - 1) > unit_vector_tolerance) {
            return false;
        }
        to.axis = axis * (1 / length);
    } else {
        to.axis = multi_axis && known_position ? position.axis : Vec3::UnitZ();
    }
    return rapid || !known_position || position.axis.dot(to.axis) >= -0.99; // otherwise it goes perhaps right round
}

bool ClReader::State::plain_record(Record& out)
{
    Pose to;
    if (!plain_goto(to)) {
        return false;
    }
    out.source = {file_index, LineNumber(statements.next_line())};
    if (rapid) {
        out.data = record::Rapid{to};
    } else {
        out.data = record::Linear{to};
    }
    statements.skip_peeked(1);
    rapid = false;
    position = to;
    known_position = true;
    return true;
}

void ClReader::State::plain_run(LinearRun& out)
{
    static_assert(longest_run == cl::StatementReader::most_lines);
    if (circle || in_cycle || rapid) {
        return;
    }
    std::size_t count = statements.peek_lines("GOTO", lines);
    if (count == 0 || (lines.numbers != 3 && lines.numbers != 6)) {
        return;
    }
    for (std::size_t k = 0; k < 3; ++k) {
        const double moved = origin[Eigen::Index(k)];
        for (std::size_t i = 0; i < count; ++i) {
            out.tip[k][i] = lines.column[k][i] * scale - moved;
        }
    }
    if (lines.numbers == 6) {
        auto& [x, y, z] = out.axis;
        Column length;
        for (std::size_t i = 0; i < count; ++i) {
            const double u = lines.column[3][i];
            const double v = lines.column[4][i];
            const double w = lines.column[5][i];
            length[i] = std::sqrt(u * u + v * v + w * w);
            const double shorter = 1 / (length[i] > 0 ? length[i] : 1); // without length it is none of those below
            x[i] = u * shorter;
            y[i] = v * shorter;
            z[i] = w * shorter;
        }
        // A place that needs a closer look when read one by one ends the run.
        Vec3 before = known_position ? position.axis : Vec3(x[0], y[0], z[0]);
        for (std::size_t i = 0; i < count; ++i) {
            const Vec3 axis(x[i], y[i], z[i]);
            if (!(std::abs(length[i] - 1) <= unit_vector_tolerance) || before.dot(axis) < -0.99) {
                count = i;
            }
            before = axis;
        }
    } else {
        const Vec3 axis = multi_axis && known_position ? position.axis : Vec3::UnitZ();
        if (known_position && position.axis.dot(axis) < -0.99) {
            return;
        }
        for (std::size_t k = 0; k < 3; ++k) {
            std::fill_n(out.axis[k].begin(), count, axis[Eigen::Index(k)]);
        }
    }
    if (count == 0) {
        return;
    }
    const std::uint32_t first = statements.next_line();
    for (std::size_t i = 0; i < count; ++i) {
        out.line[i] = first + static_cast<std::uint32_t>(i);
    }
    out.file = file_index;
    out.count = count;
    statements.skip_peeked(count);
    position = out.pose(count - 1);
    known_position = true;
}

Status ClReader::State::goto_point(const Statement& s)
{
    auto pose = read_pose(s);
    return pose ? move_to(s, *pose) : Status(pose.error());
}

Status ClReader::State::go_delta(const Statement& s)
{
    auto values = numbers(s);
    if (!values) {
        return values.error();
    }
    if (!known_position) {
        return bad(s.place, "GODLTA without a position before it", "start with FROM or GOTO");
    }
    Pose to = position;
    if (values->size() == 1) {
        to.tip += position.axis * (*values)[0] * scale;
    } else if (values->size() == 3) {
        to.tip += Vec3((*values)[0], (*values)[1], (*values)[2]) * scale;
    } else {
        return bad(s.place, fmt::format("GODLTA takes 1 or 3 numbers, found {}", values->size()),
                   "give dx,dy,dz, or one distance along the tool axis");
    }
    return move_to(s, to);
}

Status ClReader::State::from(const Statement& s)
{
    auto pose = read_pose(s);
    if (!pose) {
        return pose.error();
    }
    emit(record::From{*pose});
    position = *pose;
    known_position = true;
    return {};
}

Status ClReader::State::rapid_next(const Statement& s)
{
    if (!s.parameters.empty()) {
        return bad(s.parameters.front().place, "RAPID takes no parameters", "remove the parameters");
    }
    rapid = true;
    return {};
}

Status ClReader::State::circle_next(const Statement& s)
{
    auto values =
        s.parameters.size() >= 7
            ? numbers({s.word, s.text, {s.parameters.begin(), s.parameters.begin() + 7}, s.place})
            : Result<std::vector<double>>(bad(s.place, fmt::format("CIRCLE takes at least 7 numbers, found {}", s.parameters.size()),
                                              "give centre x,y,z, axis i,j,k and radius"));
    if (!values) {
        return values.error();
    }
    if (rapid) {
        return bad(s.place, "a CIRCLE can't be moved in RAPID", "remove RAPID or state a feed");
    }
    if (!known_position) {
        return bad(s.place, "CIRCLE without a position before it", "start with FROM or GOTO");
    }
    const auto& v = *values;
    record::Circular arc;
    arc.centre = Vec3(v[0], v[1], v[2]) * scale - origin;
    arc.normal = Vec3(v[3], v[4], v[5]);
    arc.radius = v[6] * scale;
    if (std::abs(arc.normal.norm() - 1) > unit_vector_tolerance) {
        return bad(s.parameters[3].place, fmt::format("the circle's axis has length {:.6f}, not 1", arc.normal.norm()),
                   "give a unit vector; motion is right-handed about it");
    }
    arc.normal.normalize();
    if (!(arc.radius > 0)) {
        return bad(s.parameters[6].place, "the circle's radius is not above zero", "give the radius");
    }
    for (std::size_t i = 7; i < s.parameters.size(); i += 2) {
        const bool times = s.parameters[i].word == "TIMES" && i + 1 < s.parameters.size() && s.parameters[i + 1].number;
        const double n = times ? *s.parameters[i + 1].number : 0;
        if (!times || n < 1 || n > 1000 || n != std::floor(n)) {
            return bad(s.parameters[i].place, "after its radius CIRCLE takes only TIMES and a whole number from 1 to 1000",
                       "write TIMES,n for n arrivals at the end point (a helix of n turns)");
        }
        arc.extra_turns = static_cast<int>(n) - 1;
    }
    circle = arc;
    circle_place = s.place;
    return {};
}

} // namespace wexilum
