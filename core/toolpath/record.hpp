// The neutral toolpath record: what every reader produces and everything else consumes.
#pragma once

#include "core/base/ids.hpp"
#include "core/base/result.hpp"
#include "core/geometry/wound_way.hpp"
#include "core/toolpath/posture.hpp"

#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace wexilum {

/// Where a record was written: index into Toolpath::files, and the line its statement starts on.
struct Source {
    std::uint32_t file = 0;
    LineNumber line;
    friend bool operator==(const Source&, const Source&) = default;
};

/// The source of what no record causes, such as the lines of a program's head.
inline constexpr Source no_source{UINT32_MAX, {}};

enum class FeedMode { per_minute, per_revolution, inverse_time };
inline constexpr std::array feed_mode_names{"per_minute", "per_revolution", "inverse_time"};

namespace record {

// Each kind has a tag, its name in toolpath lines (docs/formats/wtp.md), and passes its fields to whoever reads or writes them there:
// fields(f, record) calls functions of `f` with the name of a field and the field itself. A tag of null: no file has such a record.

// Motion. All poses are in the part's frame, mm; between two records the tip runs on the straight line (or arc) and
// the tool axis on the great circle in proportion to tip travel.
struct From {
    Pose at; ///< where the tool is said to stand before the first motion
    static constexpr const char* tag = "from";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.pose(r.at);
    }
};
struct Rapid {
    Pose to;
    static constexpr const char* tag = "rapid";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.pose(r.to);
    }
};
struct Linear {
    Pose to;
    Vec3 surface = Vec3::Zero(); ///< unit normal, out of the work, of the surface that is cut at `to`; zero: the toolpath does not know it
    static constexpr const char* tag = "linear";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.pose(r.to);
        f.known_direction("surface", "the surface's normal", r.surface);
    }
};
struct Circular {
    Vec3 centre = Vec3::Zero();
    Vec3 normal = Vec3::UnitZ(); ///< unit; motion is right-handed about it
    double radius = 0;           ///< as stated in the file, mm
    int extra_turns = 0;         ///< whole turns beyond the first arrival at `to`
    Pose to;
    static constexpr const char* tag = "circular";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.pose(r.to);
        f.point("centre", r.centre);
        f.direction("normal", "the arc's axis", r.normal);
        f.above_zero_length("radius", r.radius);
        f.arrivals("turns", r.extra_turns);
    }
};
/// A cut laid round a cylinder. No toolpath says so, the arrangement of a job does. It turns by no more than a quarter.
struct Wound {
    std::shared_ptr<const WoundWay> way; ///< part's frame; not null
    Pose to;                             ///< the way's end
    static constexpr const char* tag = nullptr;
};
/// The line through `centre` along `normal` that a curve goes round, right-handed.
struct Round {
    Vec3 centre = Vec3::Zero();
    Vec3 normal = Vec3::UnitZ(); ///< unit
    int extra_turns = 0;         ///< whole turns beyond the first arrival at the curve's end
};
/// A cut along a ruled surface (RuledWay): the tip runs on the lower curve from where it is, and the axis points to the place on the upper
/// curve that belongs to it. The upper curve begins on the tool's axis.
struct Ruled {
    Pose to; ///< the lower curve's end; its axis points to the upper one's
    Vec3 upper_from = Vec3::Zero();
    Vec3 upper_to = Vec3::Zero();
    std::optional<Round> lower_round; ///< none: a straight line
    std::optional<Round> upper_round;
    static constexpr const char* tag = "ruled";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.ends_of_rulings(r.to, r.upper_from, r.upper_to);
        f.round("centre", "normal", "turns", r.lower_round);
        f.round("upper_centre", "upper_normal", "upper_turns", r.upper_round);
    }
};
/// Cycle kinds with a meaning of their own are named by CycleKind (cycle.hpp); any other name is an open kind.
struct CycleStart {
    std::string kind;
    std::map<std::string, double> parameters; ///< core units: mm, seconds; feeds in mm/s or mm/rev under "feed"/"feed_per_rev"
    static constexpr const char* tag = "cycle";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.text("kind", r.kind);
        f.cycle_parameters("parameters", r.kind, r.parameters);
    }
};
struct CyclePoint {
    Pose at; ///< the point at the hole's mouth, axis as the tool's
    static constexpr const char* tag = "hole";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.pose(r.at);
    }
};
struct CycleEnd {
    static constexpr const char* tag = "cycle_end";
    template <typename Fields, typename Self>
    static void fields(Fields&, Self&)
    {}
};

// State.
struct ToolChange {
    std::uint32_t number = 0;
    std::optional<double> length; ///< as stated by the file, mm; the setup's tool table rules
    static constexpr const char* tag = "tool";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.tool_number("number", r.number);
        f.optional_length("length", r.length);
    }
};
struct Feed {
    FeedMode mode = FeedMode::per_minute;
    double value = 0; ///< mm/s, mm/rev, or 1/s (inverse time: one over the duration of each move)
    static constexpr const char* tag = "feed";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.choice("mode", feed_mode_names, r.mode);
        f.feed("value", r.mode, r.value);
    }
};
enum class SpindleState { off, clockwise, counter_clockwise };
inline constexpr std::array spindle_state_names{"off", "clockwise", "counter_clockwise"};
struct Spindle {
    SpindleState state = SpindleState::off;
    double speed_rpm = 0; ///< kept when only the state is stated
    static constexpr const char* tag = "spindle";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.choice("state", spindle_state_names, r.state);
        f.amount("speed", r.speed_rpm, r.state != SpindleState::off);
    }
};
enum class CoolantState { off, flood, mist, through, air };
inline constexpr std::array coolant_names{"off", "flood", "mist", "through", "air"};
struct Coolant {
    CoolantState state = CoolantState::off;
    static constexpr const char* tag = "coolant";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.choice("state", coolant_names, r.state);
    }
};

// Structure.
struct ProgramName {
    std::string text;
    static constexpr const char* tag = "program";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.text("text", r.text);
    }
};
struct Operation {
    std::string id;
    std::string name;
    static constexpr const char* tag = nullptr; // the job's operations say which toolpath each has
};
struct Comment {
    std::string text;
    static constexpr const char* tag = "comment";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.text("text", r.text);
    }
};
/// From here on the machine stands in another posture; no toolpath says so, the arrangement of the job does.
struct PostureChange {
    Posture posture;
    std::vector<HeldJoint> by_hand; ///< those of its held joints that a person has to set now
    bool fitted = false;            ///< a person has to fit or remove an attachment before
    bool other_work = false;        ///< the tool goes over to another work
    static constexpr const char* tag = nullptr;
};
struct Stop {
    static constexpr const char* tag = "stop";
    template <typename Fields, typename Self>
    static void fields(Fields&, Self&)
    {}
};
struct OptionalStop {
    static constexpr const char* tag = "optional_stop";
    template <typename Fields, typename Self>
    static void fields(Fields&, Self&)
    {}
};
struct Dwell {
    double amount = 0; ///< seconds, or revolutions of the spindle
    bool revolutions = false;
    static constexpr const char* tag = "dwell";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.seconds_or_revolutions(r.amount, r.revolutions);
    }
};
struct InsertedText {
    std::string text;
    static constexpr const char* tag = "insert";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.text("text", r.text);
    }
};
struct ProgramEnd {
    static constexpr const char* tag = "end";
    template <typename Fields, typename Self>
    static void fields(Fields&, Self&)
    {}
};
/// A word that the reader does not know, kept with its whole text and reported.
struct Unknown {
    std::string word;
    std::string text;
    static constexpr const char* tag = "unknown";
    template <typename Fields, typename Self>
    static void fields(Fields& f, Self& r)
    {
        f.text("word", r.word);
        f.text("text", r.text);
    }
};

} // namespace record

using RecordData = std::variant<record::From, record::Rapid, record::Linear, record::Circular, record::CycleStart, record::CyclePoint,
                                record::CycleEnd, record::ToolChange, record::Feed, record::Spindle, record::Coolant, record::ProgramName,
                                record::Operation, record::Comment, record::Stop, record::OptionalStop, record::Dwell, record::InsertedText,
                                record::ProgramEnd, record::Unknown, record::PostureChange, record::Wound, record::Ruled>;

struct Record {
    RecordData data;
    Source source;
};

/// Records of one or several files, in order.
struct Toolpath {
    std::vector<std::string> files;
    std::vector<Record> records;
};

/// How a record moves the tool: not at all, not but by saying where it stands, and so on.
enum class MotionKind : std::uint8_t { no, stated, rapid, straight, curve, hole };

/// What is true of all records of a kind.
struct RecordKind {
    const char* event; ///< in words
    MotionKind motion;
    bool own_axis = false; ///< the tool's directions are those of its way: nothing leans them
};
/// In the order of RecordData.
inline constexpr std::array<RecordKind, std::variant_size_v<RecordData>> record_kinds{{
    {"start position", MotionKind::stated},
    {"rapid motion", MotionKind::rapid},
    {"linear motion", MotionKind::straight},
    {"circular motion", MotionKind::curve},
    {"start of a cycle", MotionKind::no},
    {"cycle point", MotionKind::hole},
    {"end of a cycle", MotionKind::no},
    {"tool change", MotionKind::no},
    {"feed", MotionKind::no},
    {"spindle", MotionKind::no},
    {"coolant", MotionKind::no},
    {"program name", MotionKind::no},
    {"operation", MotionKind::no},
    {"comment", MotionKind::no},
    {"stop", MotionKind::no},
    {"optional stop", MotionKind::no},
    {"dwell", MotionKind::no},
    {"inserted text", MotionKind::no},
    {"end of a toolpath", MotionKind::no},
    {"unknown word", MotionKind::no},
    {"change of posture", MotionKind::no},
    {"wound motion", MotionKind::curve, true},
    {"ruled motion", MotionKind::curve, true},
}};
[[nodiscard]] inline MotionKind motion_kind(const RecordData& data) { return record_kinds[data.index()].motion; }
[[nodiscard]] inline bool has_own_axis(const RecordData& data) { return record_kinds[data.index()].own_axis; }
/// Whether the tool cuts on its way to the record's end.
[[nodiscard]] inline bool is_cut(const RecordData& data)
{
    return motion_kind(data) == MotionKind::straight || motion_kind(data) == MotionKind::curve;
}

/// "off", "flood", …
[[nodiscard]] const char* name_of(record::CoolantState state);

/// "file:line" of a record; `files` are those that sources point into.
[[nodiscard]] Place place_of(const std::vector<std::string>& files, const Source& source);

/// The pose a motion record ends at, its `to` or `at`; nothing for records that don't move the tool. The pointer lives as long as the
/// record.
[[nodiscard]] const Pose* end_pose(const RecordData& data);
/// Lets a record of motion end at a pose; others stay as they are.
void set_end_pose(RecordData& data, const Pose& pose);

} // namespace wexilum
