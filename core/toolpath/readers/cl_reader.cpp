#include "core/toolpath/readers/cl_reader.hpp"

#include "core/base/units.hpp"
#include "core/geometry/arc.hpp"
#include "core/toolpath/cycle.hpp"
#include "core/toolpath/readers/cl_statement.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>

namespace wexilum {
namespace {

constexpr double arc_end_tolerance = 0.02; // mm; CL files are written with three or more decimals
constexpr double unit_vector_tolerance = 1e-3;
constexpr double opposite_tolerance = 1e-6; // rad

using cl::Parameter;
using cl::Statement;

Error bad(const Place& place, std::string message, std::string cure, ErrorKind kind = ErrorKind::value)
{
    return {kind, std::move(message), place, std::move(cure)};
}

} // namespace

/// Reader state and one method for each word.
struct ClReader::State {
    using Handler = Status (State::*)(const Statement&);
    struct Word {
        const char* name;
        Handler handle;
    };
    static const std::vector<Word>& words();

    State(ByteSource& source, std::string name, std::uint32_t index)
        : statements(source, {"PARTNO", "PPRINT", "INSERT", "REMARK"}), file_name(std::move(name)), file_index(index)
    {
    }

    cl::StatementReader statements;
    std::string file_name;
    std::uint32_t file_index;
    std::deque<Record> ready;
    LineNumber line;

    double scale = 1; // file lengths to mm
    bool multi_axis = false;
    bool rapid = false;
    bool in_cycle = false;
    bool known_position = false;
    Pose position;
    Vec3 origin = Vec3::Zero();
    std::optional<record::Circular> circle;
    Place circle_place;
    record::Spindle spindle;
    std::optional<record::CycleStart> last_cycle;
    record::CoolantState last_coolant = record::CoolantState::flood;

    void emit(RecordData data) { ready.push_back({std::move(data), {file_index, line}}); }

    Status goto_point(const Statement& s);
    Status go_delta(const Statement& s);
    Status from(const Statement& s);
    Status rapid_next(const Statement& s);
    Status circle_next(const Statement& s);
    Status multax(const Statement& s);
    Status fedrat(const Statement& s);
    Status spindl(const Statement& s);
    Status coolnt(const Statement& s);
    Status loadtl(const Statement& s);
    Status cycle(const Statement& s);
    Status units(const Statement& s);
    Status set_origin(const Statement& s);
    Status delay(const Statement& s);
    Status partno(const Statement& s) { return text<record::ProgramName>(s); }
    Status pprint(const Statement& s) { return text<record::Comment>(s); }
    Status insert(const Statement& s) { return text<record::InsertedText>(s); }
    Status remark(const Statement& s);
    Status stop(const Statement& s) { return bare<record::Stop>(s); }
    Status opstop(const Statement& s) { return bare<record::OptionalStop>(s); }
    Status fini(const Statement& s) { return bare<record::ProgramEnd>(s); }

    template <typename T>
    Status text(const Statement& s)
    {
        emit(T{s.text});
        return {};
    }
    template <typename T>
    Status bare(const Statement& s)
    {
        if (!s.parameters.empty()) {
            return bad(s.parameters.front().place, s.word + " takes no parameters", "take the parameters away");
        }
        emit(T{});
        return {};
    }

    Result<std::vector<double>> numbers(const Statement& s, std::size_t begin = 0) const;
    Result<Pose> read_pose(const Statement& s);
    Status move_to(const Statement& s, const Pose& to);
    Status finish_circle(const Statement& s, const Pose& to);
    Status cycle_parameters(const Statement& s, record::CycleStart& out) const;
};

const std::vector<ClReader::State::Word>& ClReader::State::words()
{
    static const std::vector<Word> table{
        {"CIRCLE", &State::circle_next}, {"COOLNT", &State::coolnt},     {"CYCLE", &State::cycle},
        {"DELAY", &State::delay},        {"END", &State::fini},          {"FEDRAT", &State::fedrat},
        {"FINI", &State::fini},          {"FROM", &State::from},         {"GODLTA", &State::go_delta},
        {"GOTO", &State::goto_point},    {"INSERT", &State::insert},     {"LOADTL", &State::loadtl},
        {"MULTAX", &State::multax},      {"OPSTOP", &State::opstop},     {"ORIGIN", &State::set_origin},
        {"PARTNO", &State::partno},      {"PPRINT", &State::pprint},     {"RAPID", &State::rapid_next},
        {"REMARK", &State::remark},      {"SPINDL", &State::spindl},     {"STOP", &State::stop},
        {"UNITS", &State::units},
    };
    return table;
}

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
        return bad(s.place, fmt::format("{} takes 3 or 6 numbers, found {}", s.word, values->size()),
                   "give x,y,z or x,y,z,i,j,k");
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
        pose.axis = axis / length;
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
    const bool opposite = known_position && pi - angle_between(position.axis, to.axis) < opposite_tolerance;
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
    if (angle_between(position.axis, to.axis) > 1e-6 && pi - angle_between(position.axis, to.axis) < opposite_tolerance) {
        return bad(s.place, "the tool axis turns right round along the circle", "add records between");
    }
    const auto off_circle = [&](const Vec3& p) {
        const Vec3 spoke = p - arc.centre;
        return (spoke - arc.normal * arc.normal.dot(spoke)).norm() - arc.radius;
    };
    for (const auto& [name, point] : {std::pair{"start", position.tip}, std::pair{"end", to.tip}}) {
        const double off = off_circle(point);
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
        return bad(s.parameters.front().place, "RAPID takes no parameters", "take the parameters away");
    }
    rapid = true;
    return {};
}

Status ClReader::State::circle_next(const Statement& s)
{
    auto values = s.parameters.size() >= 7 ? numbers({s.word, s.text, {s.parameters.begin(), s.parameters.begin() + 7}, s.place})
                                           : Result<std::vector<double>>(bad(
                                                 s.place, fmt::format("CIRCLE takes at least 7 numbers, found {}", s.parameters.size()),
                                                 "give centre x,y,z, axis i,j,k and radius"));
    if (!values) {
        return values.error();
    }
    if (rapid) {
        return bad(s.place, "a CIRCLE can't be moved in RAPID", "take RAPID away or state a feed");
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

Status ClReader::State::multax(const Statement& s)
{
    const std::string mode = s.parameters.empty() ? "ON" : s.parameters.front().word;
    if (s.parameters.size() > 1 || (mode != "ON" && mode != "OFF")) {
        return bad(s.place, "MULTAX takes ON, OFF or nothing", "write MULTAX/ON or MULTAX/OFF");
    }
    multi_axis = mode == "ON";
    return {};
}

Status ClReader::State::fedrat(const Statement& s)
{
    std::optional<double> value;
    std::string mode;
    for (const Parameter& p : s.parameters) {
        if (p.number && !value) {
            value = p.number;
        } else if (!p.number && mode.empty()) {
            mode = p.word;
        } else {
            return bad(p.place, "FEDRAT takes one number and one unit word", "write FEDRAT/f,MMPM or the like");
        }
    }
    if (!value || *value <= 0) {
        return bad(s.place, "FEDRAT needs a number above zero", "write FEDRAT/f,MMPM or the like");
    }
    const double v = *value;
    if (mode.empty() || mode == "PERMIN") {
        emit(record::Feed{FeedMode::per_minute, per_minute(v * scale)});
    } else if (mode == "MMPM") {
        emit(record::Feed{FeedMode::per_minute, per_minute(v)});
    } else if (mode == "IPM") {
        emit(record::Feed{FeedMode::per_minute, per_minute(v * mm_per_inch)});
    } else if (mode == "PERREV") {
        emit(record::Feed{FeedMode::per_revolution, v * scale});
    } else if (mode == "MMPR") {
        emit(record::Feed{FeedMode::per_revolution, v});
    } else if (mode == "IPR") {
        emit(record::Feed{FeedMode::per_revolution, v * mm_per_inch});
    } else if (mode == "INVERS") {
        emit(record::Feed{FeedMode::inverse_time, per_minute(v)});
    } else {
        return bad(s.place, fmt::format("the feed unit {} is not known", mode),
                   "use PERMIN, PERREV, MMPM, IPM, MMPR, IPR or INVERS");
    }
    return {};
}

Status ClReader::State::spindl(const Statement& s)
{
    record::Spindle next = spindle;
    if (next.state == record::SpindleState::off) {
        next.state = record::SpindleState::clockwise;
    }
    for (const Parameter& p : s.parameters) {
        if (p.number) {
            if (*p.number < 0) {
                return bad(p.place, "a spindle speed is not negative", "state the sense by CLW or CCLW");
            }
            next.speed_rpm = *p.number;
        } else if (p.word == "OFF") {
            next.state = record::SpindleState::off;
        } else if (p.word == "CLW") {
            next.state = record::SpindleState::clockwise;
        } else if (p.word == "CCLW") {
            next.state = record::SpindleState::counter_clockwise;
        } else if (p.word != "ON" && p.word != "RPM") {
            return bad(p.place, fmt::format("SPINDL does not take {}", p.word), "use a speed, RPM, CLW, CCLW, ON or OFF");
        }
    }
    if (s.parameters.empty()) {
        return bad(s.place, "SPINDL needs a parameter", "use a speed, RPM, CLW, CCLW, ON or OFF");
    }
    if (next.state != record::SpindleState::off) {
        spindle = next;
    }
    emit(next);
    return {};
}

Status ClReader::State::coolnt(const Statement& s)
{
    using record::CoolantState;
    constexpr std::array<std::pair<const char*, CoolantState>, 5> kinds{{{"OFF", CoolantState::off},
                                                                         {"FLOOD", CoolantState::flood},
                                                                         {"MIST", CoolantState::mist},
                                                                         {"THRU", CoolantState::through},
                                                                         {"AIR", CoolantState::air}}};
    const std::string word = s.parameters.size() == 1 ? s.parameters.front().word : "";
    if (word == "ON") {
        emit(record::Coolant{last_coolant});
        return {};
    }
    for (const auto& [name, state] : kinds) {
        if (word == name) {
            if (state != CoolantState::off) {
                last_coolant = state;
            }
            emit(record::Coolant{state});
            return {};
        }
    }
    return bad(s.place, "COOLNT takes one of ON, OFF, FLOOD, MIST, THRU, AIR", "name the coolant");
}

Status ClReader::State::loadtl(const Statement& s)
{
    record::ToolChange change;
    if (s.parameters.empty() || !s.parameters.front().number) {
        return bad(s.place, "LOADTL needs a tool number", "write LOADTL/n");
    }
    const double n = *s.parameters.front().number;
    if (n < 1 || n > 99999999 || n != std::floor(n)) {
        return bad(s.parameters.front().place, "a tool number is whole and from 1 to 99999999", "write LOADTL/n");
    }
    change.number = static_cast<std::uint32_t>(n);
    for (std::size_t i = 1; i < s.parameters.size(); i += 2) {
        const bool pair = i + 1 < s.parameters.size() && s.parameters[i + 1].number;
        if (!pair || s.parameters[i].word != "LENGTH") {
            return bad(s.parameters[i].place, "after its number LOADTL takes only LENGTH and a number", "write LOADTL/n,LENGTH,l");
        }
        change.length = *s.parameters[i + 1].number * scale;
    }
    emit(change);
    in_cycle = false;
    return {};
}

Status ClReader::State::cycle_parameters(const Statement& s, record::CycleStart& out) const
{
    struct Key {
        const char* word;
        const char* name;
        bool length;
        double factor;
    };
    constexpr std::array<Key, 10> keys{{{"DEPTH", "depth", true, 1},
                                       {"CLEAR", "clearance", true, 1},
                                       {"STEP", "step", true, 1},
                                       {"RTRCTO", "retreat", true, 1},
                                       {"DWELL", "dwell", false, 1},
                                       {"MMPM", "feed", false, 1.0 / 60},
                                       {"IPM", "feed", false, mm_per_inch / 60},
                                       {"MMPR", "feed_per_rev", false, 1},
                                       {"IPR", "feed_per_rev", false, mm_per_inch},
                                       {"PITCH", "feed_per_rev", true, 1}}};
    for (std::size_t i = 1; i < s.parameters.size(); i += 2) {
        const Parameter& key = s.parameters[i];
        if (key.word.empty() || i + 1 == s.parameters.size() || !s.parameters[i + 1].number) {
            return bad(key.place, "after its kind CYCLE takes pairs of a word and a number", "write CYCLE/DRILL,DEPTH,d,CLEAR,c,…");
        }
        const double value = *s.parameters[i + 1].number;
        const auto known = std::find_if(keys.begin(), keys.end(), [&](const Key& k) { return key.word == k.word; });
        if (known == keys.end()) {
            if (cycle_kind(out.kind)) {
                return bad(key.place, fmt::format("CYCLE does not take {}", key.word),
                           "use DEPTH, CLEAR, STEP, RTRCTO, DWELL, MMPM, IPM, MMPR, IPR or PITCH");
            }
            out.parameters[key.word] = value;
            continue;
        }
        if (value < 0) {
            return bad(s.parameters[i + 1].place, fmt::format("{} is not negative", key.word), "give its size; depth counts downwards");
        }
        out.parameters[known->name] = value * known->factor * (known->length ? scale : 1);
    }
    return {};
}

Status ClReader::State::cycle(const Statement& s)
{
    const std::string word = s.parameters.empty() ? "" : s.parameters.front().word;
    if (word.empty()) {
        return bad(s.place, "CYCLE needs a kind, ON or OFF", "write CYCLE/DRILL,DEPTH,d,CLEAR,c or CYCLE/OFF");
    }
    if (word == "OFF") {
        in_cycle = false;
        emit(record::CycleEnd{});
        return {};
    }
    record::CycleStart start;
    if (word == "ON") {
        if (!last_cycle) {
            return bad(s.place, "CYCLE/ON without a cycle before it", "state the cycle's kind and depth");
        }
        start = *last_cycle;
    } else {
        constexpr std::array<std::pair<const char*, const char*>, 6> kinds{{{"DRILL", "drill"},
                                                                            {"DEEP", "peck"},
                                                                            {"BRKCHP", "chip_break"},
                                                                            {"TAP", "tap"},
                                                                            {"BORE", "bore"},
                                                                            {"REAM", "ream"}}};
        start.kind = word;
        for (const auto& [name, kind] : kinds) {
            if (word == name) {
                start.kind = kind;
            }
        }
        if (auto read = cycle_parameters(s, start); !read) {
            return read;
        }
    }
    last_cycle = start;
    in_cycle = true;
    emit(std::move(start));
    return {};
}

Status ClReader::State::units(const Statement& s)
{
    const std::string word = s.parameters.size() == 1 ? s.parameters.front().word : "";
    if (word != "MM" && word != "INCH" && word != "INCHES") {
        return bad(s.place, "UNITS takes MM or INCH", "write UNITS/MM or UNITS/INCH");
    }
    scale = word == "MM" ? 1 : mm_per_inch;
    return {};
}

Status ClReader::State::set_origin(const Statement& s)
{
    auto values = numbers(s);
    if (!values) {
        return values.error();
    }
    if (values->size() != 3) {
        return bad(s.place, fmt::format("ORIGIN takes 3 numbers, found {}", values->size()), "give x,y,z");
    }
    const Vec3 next = Vec3((*values)[0], (*values)[1], (*values)[2]) * scale;
    position.tip += origin - next;
    origin = next;
    return {};
}

Status ClReader::State::delay(const Statement& s)
{
    const bool revolutions = s.parameters.size() == 2 && s.parameters[1].word == "REV";
    const bool plain = s.parameters.size() == 1;
    if ((!plain && !revolutions) || !s.parameters[0].number || *s.parameters[0].number < 0) {
        return bad(s.place, "DELAY takes seconds, or revolutions and REV", "write DELAY/2.5 or DELAY/3,REV");
    }
    emit(record::Dwell{*s.parameters[0].number, revolutions});
    return {};
}

Status ClReader::State::remark(const Statement&) { return {}; }

ClReader::ClReader(ByteSource& source, std::string file_name, std::uint32_t file_index)
    : state_(std::make_unique<State>(source, std::move(file_name), file_index))
{
}

ClReader::~ClReader() = default;

Result<std::optional<Record>> ClReader::next()
{
    State& st = *state_;
    const auto with_file = [&](Error error) {
        error.place.file = st.file_name;
        return error;
    };
    while (st.ready.empty()) {
        auto statement = st.statements.next();
        if (!statement) {
            return with_file(statement.error());
        }
        if (!*statement) {
            if (st.circle) {
                return with_file(bad(st.circle_place, "the file ends after CIRCLE without its end point", "add the GOTO"));
            }
            return std::optional<Record>{};
        }
        const Statement& s = **statement;
        st.line = LineNumber(s.place.line);
        const bool moves = s.word == "GOTO" || s.word == "GODLTA";
        if (st.circle && !moves) {
            return with_file(bad(s.place, fmt::format("CIRCLE must be followed by its end point, found {}", s.word),
                                 fmt::format("put a GOTO right after the CIRCLE in line {}", st.circle_place.line)));
        }
        const auto& table = State::words();
        const auto found = std::find_if(table.begin(), table.end(), [&](const auto& w) { return s.word == w.name; });
        if (found == table.end()) {
            st.emit(record::Unknown{s.word, s.text});
            break;
        }
        if (auto status = (st.*found->handle)(s); !status) {
            return with_file(status.error());
        }
    }
    Record record = std::move(st.ready.front());
    st.ready.pop_front();
    return std::optional<Record>(std::move(record));
}

std::vector<std::string> ClReader::words()
{
    std::vector<std::string> out;
    for (const auto& word : State::words()) {
        out.emplace_back(word.name);
    }
    return out;
}

Status read_cl(ByteSource& source, const std::string& file_name, Toolpath& into)
{
    const std::size_t before = into.records.size();
    ClReader reader(source, file_name, static_cast<std::uint32_t>(into.files.size()));
    for (;;) {
        auto record = reader.next();
        if (!record) {
            into.records.resize(before);
            return record.error();
        }
        if (!*record) {
            into.files.push_back(file_name);
            return {};
        }
        into.records.push_back(std::move(**record));
    }
}

} // namespace wexilum
