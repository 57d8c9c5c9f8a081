// Words of CL data that set a state: feed, spindle, coolant, tool, cycles, units.
#include "core/base/units.hpp"
#include "core/toolpath/cycle.hpp"
#include "core/toolpath/readers/cl_reader_state.hpp"
#include "core/toolpath/writers/record_writer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace wexilum {

namespace cl {
namespace {

// Words for names of the records, read and written.
using Names = std::pair<const char*, const char*>;
constexpr std::array<Names, 6> cycle_kinds{
    {{"DRILL", "drill"}, {"DEEP", "peck"}, {"BRKCHP", "chip_break"}, {"TAP", "tap"}, {"BORE", "bore"}, {"REAM", "ream"}}};
constexpr std::array<const char*, 5> coolants{"OFF", "FLOOD", "MIST", "THRU", "AIR"}; // in the order of CoolantState

struct CycleKey {
    const char* word;
    const char* name;
    bool length;
    double factor;
};
/// The first of several words for one name is the one that is written.
constexpr std::array<CycleKey, 10> cycle_keys{{{"DEPTH", "depth", true, 1},
                                               {"CLEAR", "clearance", true, 1},
                                               {"STEP", "step", true, 1},
                                               {"RTRCTO", "retreat", true, 1},
                                               {"DWELL", "dwell", false, 1},
                                               {"MMPM", "feed", false, 1.0 / 60},
                                               {"IPM", "feed", false, mm_per_inch / 60},
                                               {"MMPR", "feed_per_rev", false, 1},
                                               {"IPR", "feed_per_rev", false, mm_per_inch},
                                               {"PITCH", "feed_per_rev", true, 1}}};

/// Whether a name is read as one word: letters in upper case, with digits behind the first.
bool is_word(const std::string& name)
{
    const auto letter = [](char c) { return c >= 'A' && c <= 'Z'; };
    return !name.empty() && letter(name.front()) &&
           std::all_of(name.begin(), name.end(), [&](char c) { return letter(c) || (c >= '0' && c <= '9'); });
}

} // namespace

std::string written(const record::CycleStart& r)
{
    const auto* const kind = std::find_if(cycle_kinds.begin(), cycle_kinds.end(), [&](const Names& one) { return r.kind == one.second; });
    const bool other = std::any_of(cycle_kinds.begin(), cycle_kinds.end(), [&](const Names& one) { return r.kind == one.first; }) ||
                       r.kind == "ON" || r.kind == "OFF";
    std::string out = kind != cycle_kinds.end() ? kind->first : is_word(r.kind) && !other ? r.kind : "";
    for (const auto& parameter : r.parameters) {
        const std::string& name = parameter.first;
        const auto* const key = std::find_if(cycle_keys.begin(), cycle_keys.end(), [&](const CycleKey& one) { return name == one.name; });
        const bool means_another = std::any_of(cycle_keys.begin(), cycle_keys.end(), [&](const CycleKey& one) { return name == one.word; });
        const std::string word = key != cycle_keys.end() ? key->word : is_word(name) && !means_another ? name : "";
        if (out.empty() || word.empty()) {
            return {};
        }
        out += fmt::format(",{},{}", word, name == "feed" ? a_minute(parameter.second) : parameter.second);
    }
    return out.empty() ? out : "CYCLE/" + out;
}

std::string written(const record::CycleEnd&) { return "CYCLE/OFF"; }

std::string written(const record::ToolChange& r)
{
    return fmt::format("LOADTL/{}{}", r.number, r.length ? fmt::format(",LENGTH,{}", *r.length) : "");
}

std::string written(const record::Feed& r)
{
    switch (r.mode) {
    case FeedMode::per_minute: return fmt::format("FEDRAT/{},MMPM", a_minute(r.value));
    case FeedMode::per_revolution: return fmt::format("FEDRAT/{},MMPR", r.value);
    case FeedMode::inverse_time: break;
    }
    return fmt::format("FEDRAT/{},INVERS", a_minute(r.value));
}

std::string written(const record::Spindle& r)
{
    if (r.state == record::SpindleState::off) {
        return "SPINDL/OFF";
    }
    return fmt::format("SPINDL/RPM,{},{}", r.speed_rpm, r.state == record::SpindleState::clockwise ? "CLW" : "CCLW");
}

std::string written(const record::Coolant& r) { return fmt::format("COOLNT/{}", coolants[std::size_t(r.state)]); }

std::string written(const record::Dwell& r) { return fmt::format("DELAY/{}{}", r.amount, r.revolutions ? ",REV" : ""); }

/// As it was read, where that was in CL: a statement of a word that is not known.
std::string written(const record::Unknown& r)
{
    TextSource source(r.text);
    StatementReader reader(source, {});
    const auto statement = reader.next();
    const bool is_one = statement && *statement && (*statement)->word == r.word && r.text.find('\n') == std::string::npos;
    const auto known = ClReader::words();
    return is_one && std::find(known.begin(), known.end(), r.word) == known.end() ? r.text : std::string();
}

} // namespace cl

using cl::bad;
using cl::Parameter;
using cl::Statement;

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
    if (!value || !(*value > 1e-100)) {
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
        return bad(s.place, fmt::format("the feed unit {} is not known", mode), "use PERMIN, PERREV, MMPM, IPM, MMPR, IPR or INVERS");
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
    const std::string word = s.parameters.size() == 1 ? s.parameters.front().word : "";
    if (word == "ON") {
        emit(record::Coolant{last_coolant});
        return {};
    }
    for (std::size_t i = 0; i < cl::coolants.size(); ++i) {
        if (word == cl::coolants[i]) {
            const auto state = CoolantState(i);
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
    for (std::size_t i = 1; i < s.parameters.size(); i += 2) {
        const Parameter& key = s.parameters[i];
        if (key.word.empty() || i + 1 == s.parameters.size() || !s.parameters[i + 1].number) {
            return bad(key.place, "after its kind CYCLE takes pairs of a word and a number", "write CYCLE/DRILL,DEPTH,d,CLEAR,c,…");
        }
        const double value = *s.parameters[i + 1].number;
        const auto known =
            std::find_if(cl::cycle_keys.begin(), cl::cycle_keys.end(), [&](const cl::CycleKey& k) { return key.word == k.word; });
        if (known == cl::cycle_keys.end()) {
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
        start.kind = word;
        for (const auto& [name, kind] : cl::cycle_kinds) {
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

} // namespace wexilum
