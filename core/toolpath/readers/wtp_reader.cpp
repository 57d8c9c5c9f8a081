#include "core/toolpath/readers/wtp_reader.hpp"

#include "core/base/file_units.hpp"
#include "core/base/json_document.hpp"
#include "core/base/units.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/cycle.hpp"
#include "core/toolpath/linear_run.hpp"
#include "core/toolpath/readers/motion_checks.hpp"
#include "core/toolpath/readers/text_lines.hpp"
#include "core/toolpath/wtp_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <map>
#include <optional>
#include <utility>
#include <variant>

namespace wexilum {
namespace {

constexpr json::Range any_place{-wtp::longest_length, wtp::longest_length};
constexpr double most_off_axis = 1e-3;  // rad
constexpr double unit_as_it_is = 1e-15; // a unit vector as exact as one that has just been made is not made one again

/// Makes a direction of a file a unit vector; false where its length is another one.
bool make_unit(const Vec3& given, Vec3& out)
{
    const double length = given.norm();
    if (!(std::abs(length - 1) <= unit_vector_tolerance)) {
        return false;
    }
    out = std::abs(length - 1) <= unit_as_it_is ? given : Vec3(given * (1 / length));
    return true;
}

bool blank(std::string_view line) { return line.find_first_not_of(" \t") == std::string_view::npos; }

/// A number as the grammar of JSON has it, at the beginning of a text, which it is taken off.
bool take_number(std::string_view& text, double& out)
{
    const auto digit = [&](std::size_t at) { return at < text.size() && text[at] >= '0' && text[at] <= '9'; };
    const std::size_t first = text.starts_with('-') ? 1 : 0;
    if (!digit(first) || (text[first] == '0' && digit(first + 1))) {
        return false;
    }
    const auto [stop, problem] = std::from_chars(text.data(), text.data() + text.size(), out);
    const auto length = std::size_t(stop - text.data());
    const std::size_t point = text.substr(0, length).find('.');
    if (problem != std::errc() || (point != std::string_view::npos && !digit(point + 1))) {
        return false;
    }
    text.remove_prefix(length);
    return true;
}

/// Three numbers and the end of their list.
bool take_three(std::string_view& text, Vec3& out)
{
    for (Eigen::Index k = 0; k < 3; ++k) {
        const std::string_view behind = k < 2 ? ", " : "]";
        if (!take_number(text, out[k]) || !text.starts_with(behind)) {
            return false;
        }
        text.remove_prefix(behind.size());
    }
    return true;
}

/// Reads the fields of a record, each by its name; what is wrong goes to the problems of `from`.
struct FieldReader {
    json::Fields& from;
    const FileUnits& units;
    Vec3 axis; ///< of the record before

    void pose(Pose& out)
    {
        point("tip", out.tip);
        out.axis = axis;
        read_direction("axis", "the tool axis", out.axis, false);
    }
    void point(const char* key, Vec3& out)
    {
        std::vector<double> numbers;
        if (from.numbers(key, numbers, 3, any_place, true)) {
            out = Vec3(numbers[0], numbers[1], numbers[2]) * units.length;
        }
    }
    void direction(const char* key, const char* what, Vec3& out) { read_direction(key, what, out, true); }
    void known_direction(const char* key, const char* what, Vec3& out) { read_direction(key, what, out, false); }
    void above_zero_length(const char* key, double& out)
    {
        from.number(key, out, json::positive, true);
        out *= units.length;
    }
    void ends_of_rulings(Pose& to, Vec3& upper_from, Vec3& upper_to)
    {
        point("tip", to.tip);
        point("upper_from", upper_from);
        point("upper", upper_to);
        if (const Vec3 ruling = upper_to - to.tip; ruling.norm() > 0) {
            to.axis = ruling.normalized();
        }
    }
    void round(const char* centre, const char* normal, const char* turns, std::optional<record::Round>& out)
    {
        if (!from.has(centre)) {
            for (const char* key : {normal, turns}) {
                if (from.has(key)) {
                    from.problem(from.here(), fmt::format("\"{}\" without \"{}\"", key, centre), "give both, or none for a straight curve");
                }
            }
            from.allow({normal, turns});
            return;
        }
        record::Round round;
        point(centre, round.centre);
        direction(normal, "the arc's axis", round.normal);
        arrivals(turns, round.extra_turns);
        out = round;
    }
    void arrivals(const char* key, int& beyond_first)
    {
        long long count = 1;
        from.integer(key, count, 1, 1000);
        beyond_first = int(count) - 1;
    }
    void text(const char* key, std::string& out)
    {
        from.text(key, out, true);
        if (!wtp::is_one_line(out)) {
            from.problem(*from.node(key, json::Kind::string), fmt::format("\"{}\" holds a control character", key),
                         "a text is one line; write a record for each");
        }
    }
    void cycle_parameters(const char* key, const std::string& kind, std::map<std::string, double>& out);
    void tool_number(const char* key, std::uint32_t& out)
    {
        long long number = 0;
        from.integer(key, number, 1, 99999999, true);
        out = std::uint32_t(number);
    }
    void optional_length(const char* key, std::optional<double>& out)
    {
        if (double length = 0; from.number(key, length, any_place)) {
            out = length * units.length;
        }
    }
    template <std::size_t N, typename E>
    void choice(const char* key, const std::array<const char*, N>& names, E& out)
    {
        std::size_t index = 0;
        from.choice(key, index, {names.begin(), names.end()}, true);
        out = E(index);
    }
    void feed(const char* key, FeedMode mode, double& out)
    {
        from.number(key, out, json::positive, true);
        out = mode == FeedMode::per_revolution ? out : per_minute(out);
        out *= mode == FeedMode::inverse_time ? 1 : units.length;
    }
    void amount(const char* key, double& out, bool required) { from.number(key, out, json::not_negative, required); }
    void seconds_or_revolutions(double& amount, bool& revolutions)
    {
        revolutions = from.has("revolutions");
        if (revolutions && from.has("seconds")) {
            from.problem(from.here(), "a dwell of seconds and of revolutions", "give one of them");
        }
        from.allow({"seconds", "revolutions"});
        from.number(revolutions ? "revolutions" : "seconds", amount, json::not_negative, true);
    }

private:
    void read_direction(const char* key, const char* what, Vec3& out, bool required)
    {
        std::vector<double> numbers;
        if (!from.numbers(key, numbers, 3, {-2, 2}, required)) {
            return;
        }
        if (!make_unit(Vec3(numbers[0], numbers[1], numbers[2]), out)) {
            const double length = Vec3(numbers[0], numbers[1], numbers[2]).norm();
            from.problem(*from.node(key, json::Kind::array), fmt::format("{} has length {:.6f}, not 1", what, length),
                         "give a unit vector");
        }
    }
};

void FieldReader::cycle_parameters(const char* key, const std::string& kind, std::map<std::string, double>& out)
{
    from.each_member(key, [&](const std::string& name, const json::Node& node) {
        const wtp::CycleParameter* known = wtp::cycle_parameter(name);
        if (known == nullptr && cycle_kind(kind)) {
            from.problem(node, fmt::format("a cycle of the kind \"{}\" takes no \"{}\"", kind, name),
                         "use depth, clearance, step, retreat, dwell, feed or feed_per_rev");
            return;
        }
        if (node.kind != json::Kind::number || !(std::abs(node.number) <= any_place.high) || (known != nullptr && node.number < 0)) {
            from.problem(node, fmt::format("\"{}\" of a cycle is no number {}", name, known != nullptr ? "from 0 to 1e12" : "within 1e12"),
                         "give its size; depth counts downwards");
            return;
        }
        const double value = known != nullptr && known->length ? node.number * units.length : node.number;
        out[name] = known != nullptr && known->a_minute ? per_minute(value) : value;
    });
}

/// The record of a tag, with its fields; nothing where no kind has it.
template <std::size_t I = 0>
std::optional<RecordData> read_tagged(std::string_view tag, FieldReader& fields)
{
    if constexpr (I < std::variant_size_v<RecordData>) {
        using T = std::variant_alternative_t<I, RecordData>;
        if constexpr (T::tag != nullptr) {
            if (tag == T::tag) {
                T out;
                T::fields(fields, out);
                return out;
            }
        }
        return read_tagged<I + 1>(tag, fields);
    } else {
        return std::nullopt;
    }
}

template <std::size_t... I>
std::vector<std::string> tags(std::index_sequence<I...>)
{
    std::vector<std::string> out;
    for (const char* tag : {std::variant_alternative_t<I, RecordData>::tag...}) {
        if (tag != nullptr) {
            out.emplace_back(tag);
        }
    }
    return out;
}

} // namespace

struct WtpReader::State {
    State(ByteSource& source, std::string name, std::uint32_t index) : lines(source), file_name(std::move(name)), file_index(index) {}

    TextLines lines;
    std::string file_name;
    std::uint32_t file_index;
    bool begun = false; ///< the first line has been read
    FileUnits units;
    bool in_cycle = false;
    bool known_position = false;
    Pose position; ///< of the last record that has one

    Error with_place(Error error) const
    {
        error.place.file = file_name;
        error.place.line = lines.number();
        return error;
    }
    Result<bool> next(Record& out);
    Status read_line(std::string_view line, Record& out);
    bool plain_linear(std::string_view line, record::Linear& out) const;
    void arrive(const Pose& at)
    {
        position = at;
        known_position = true;
    }
    void check(json::Fields& fields, const RecordData& data);
    void check_arc(json::Fields& fields, const record::Circular& arc);
    void check_ruled(json::Fields& fields, const record::Ruled& ruled);
};

/// Whether a motion fits to what comes before it; and takes it in.
void WtpReader::State::check(json::Fields& fields, const RecordData& data)
{
    const auto wrong = [&](const char* message, const char* cure) { fields.problem(fields.here(), message, cure); };
    const Pose* to = end_pose(data);
    const MotionKind motion = motion_kind(data);
    if (is_cut(data) && known_position && turns_right_round(position.axis, to->axis)) {
        wrong("the tool axis turns right round between two records, so its way is not defined",
              "add a record between them, or move there in rapid");
    }
    if (motion == MotionKind::straight && in_cycle) {
        wrong("a straight cut inside of a cycle", "end the cycle before it, or write a hole");
    }
    if (motion == MotionKind::hole && !in_cycle) {
        wrong("a hole outside of a cycle", "put a cycle before it");
    }
    if (const auto* arc = std::get_if<record::Circular>(&data)) {
        check_arc(fields, *arc);
    }
    if (const auto* ruled = std::get_if<record::Ruled>(&data)) {
        check_ruled(fields, *ruled);
    }
    if (std::holds_alternative<record::CycleStart>(data)) {
        in_cycle = true;
    } else if (std::holds_alternative<record::CycleEnd>(data) || std::holds_alternative<record::ToolChange>(data)) {
        in_cycle = false;
    }
    if (to != nullptr) {
        arrive(*to);
    }
}

void WtpReader::State::check_arc(json::Fields& fields, const record::Circular& arc)
{
    if (!known_position) {
        fields.problem(fields.here(), "an arc without a position before it", "begin with a from or a rapid");
    }
    for (const auto& [name, point] : {std::pair{"start", position.tip}, std::pair{"end", arc.to.tip}}) {
        if (const double off = off_circle(arc, point); std::abs(off) > arc_end_tolerance) {
            fields.problem(fields.here(), fmt::format("the {} of the arc lies {:.3f} mm off its radius", name, std::abs(off)),
                           "correct centre, radius or the point");
        }
    }
}

void WtpReader::State::check_ruled(json::Fields& fields, const record::Ruled& ruled)
{
    const auto wrong = [&](const std::string& message, const char* cure) { fields.problem(fields.here(), message, cure); };
    if (!known_position) {
        wrong("a ruled cut without a position before it", "begin with a from or a rapid");
        return;
    }
    if (in_cycle) {
        wrong("a ruled cut inside of a cycle", "end the cycle before it, or write a hole");
    }
    const Vec3 first = ruled.upper_from - position.tip;
    if (const double off = first.norm() > 0 ? angle_between(first, position.axis) : pi; off > most_off_axis) {
        wrong(fmt::format("the upper curve begins {:.4f} deg beside the tool's axis", to_deg(off)),
              "let it begin on the axis of the record before: a linear turns the tool there");
        return;
    }
    const auto [lower, upper] = curves_of(position, ruled);
    for (const auto& [name, curve] : {std::pair{"lower", &lower}, std::pair{"upper", &upper}}) {
        const double off = curve->arc ? std::abs(curve->arc->end_radius() - curve->arc->start_radius()) : 0;
        if (off > arc_end_tolerance) {
            wrong(fmt::format("the ends of the {} arc lie at distances from its axis that differ by {:.3f} mm", name, off),
                  "correct centre, normal or the points");
            return;
        }
    }
    double s = 0;
    switch (check_rulings(lower, upper, s)) {
    case RuledProblem::none: break;
    case RuledProblem::no_length:
        wrong("the lower curve of a ruled cut has no length", "write a linear: the tool turns about its tip");
        break;
    case RuledProblem::meets:
        wrong(fmt::format("the curves come nearer to one another than {} mm at {:.1f} % of the way", shortest_ruling, 100 * s),
              "the tool's axis has no direction there; give an upper curve that lies further along the tool");
        break;
    case RuledProblem::turns_over:
        wrong(fmt::format("the tool axis turns right over at {:.1f} % of the way", 100 * s),
              "give an upper curve that lies further along the tool, or end the cut before");
        break;
    }
}

Status WtpReader::State::read_line(std::string_view line, Record& out)
{
    const auto document = json::Document::parse(std::string(line), file_name);
    if (!document) {
        return document.error();
    }
    json::Problems problems(*document);
    if (!begun) {
        json::Fields head(document->root(), "the first line of a toolpath", problems);
        json::check_format(head, wtp::format);
        units = read_units(head);
        head.finish();
        return problems.status();
    }
    json::Fields fields(document->root(), "a record", problems);
    std::string name;
    fields.text("record", name, true);
    if (problems.any()) {
        return problems.status();
    }
    FieldReader reader{fields, units, position.axis};
    auto data = read_tagged(name, reader);
    if (!data) {
        out.data = record::Unknown{name.substr(0, 80), std::string(line)};
        return {};
    }
    fields.finish();
    if (!problems.any()) {
        check(fields, *data);
    }
    out.data = std::move(*data);
    return problems.status();
}

/// Reads a straight cut as the writer puts it. False where the line is anything else, or needs a closer look.
bool WtpReader::State::plain_linear(std::string_view line, record::Linear& out) const
{
    Pose& to = out.to;
    if (!begun || in_cycle || !line.starts_with(wtp::linear_begin)) {
        return false;
    }
    line.remove_prefix(wtp::linear_begin.size());
    if (!take_three(line, to.tip) || !(to.tip.cwiseAbs().maxCoeff() <= any_place.high)) {
        return false;
    }
    to.tip *= units.length;
    to.axis = position.axis;
    if (line.starts_with(wtp::axis_begin)) {
        line.remove_prefix(wtp::axis_begin.size());
        if (!take_three(line, to.axis)) {
            return false;
        }
        if (!make_unit(to.axis, to.axis)) {
            return false;
        }
    }
    if (line.starts_with(wtp::surface_begin)) {
        line.remove_prefix(wtp::surface_begin.size());
        if (!take_three(line, out.surface) || !make_unit(out.surface, out.surface)) {
            return false;
        }
    }
    return line == "}" && (!known_position || position.axis.dot(to.axis) >= -0.99); // otherwise it goes perhaps right round
}

Result<bool> WtpReader::State::next(Record& out)
{
    for (;;) {
        const auto line = lines.peek();
        if (!line) {
            return with_place(line.error());
        }
        if (!line->has_value()) {
            if (!begun) {
                return with_place(
                    {ErrorKind::syntax,
                     "the toolpath is empty",
                     {},
                     fmt::format(R"(begin with {{"format": "{}", "units": {{"length": "mm", "angle": "deg"}}}})", wtp::format)});
            }
            return false;
        }
        if (blank(**line)) {
            lines.pass();
            continue;
        }
        out.source = {file_index, LineNumber(lines.number())};
        if (record::Linear linear; plain_linear(**line, linear)) {
            arrive(linear.to);
            out.data = linear;
        } else if (auto status = read_line(**line, out); !status) {
            return with_place(status.error());
        }
        lines.pass();
        if (std::exchange(begun, true)) {
            return true;
        }
    }
}

WtpReader::WtpReader(ByteSource& source, std::string file_name, std::uint32_t file_index)
    : state_(std::make_unique<State>(source, std::move(file_name), file_index))
{}

WtpReader::~WtpReader() = default;

Result<bool> WtpReader::next(Record& out) { return state_->next(out); }

bool WtpReader::next_run(LinearRun& out)
{
    out.clear();
    while (out.count < longest_run) {
        const auto line = state_->lines.peek();
        record::Linear linear;
        if (!line || !line->has_value() || !state_->plain_linear(**line, linear) || !out.goes_on(linear.surface)) {
            break;
        }
        out.add(linear.to, {state_->file_index, LineNumber(state_->lines.number())}, linear.surface);
        state_->arrive(linear.to);
        state_->lines.pass();
    }
    return out.count > 0;
}

std::vector<std::string> WtpReader::records() { return tags(std::make_index_sequence<std::variant_size_v<RecordData>>()); }

} // namespace wexilum
