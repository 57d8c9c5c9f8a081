// How we choose to write for a control: words, decimals, order, sections. The replay never reads this.
#pragma once

#include "core/base/json_names.hpp"
#include "core/base/result.hpp"
#include "core/controller/controller.hpp"
#include "core/controller/frame_kind.hpp"
#include "core/dialect/section.hpp"

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace wexilum {

/// What a slot of a statement holds; also the names under which modality is stated in the file.
enum class Role : std::uint8_t {
    // A role for the words of each group.
    motion = std::uint8_t(Group::motion),
    plane = std::uint8_t(Group::plane),
    distance = std::uint8_t(Group::distance),
    units = std::uint8_t(Group::units),
    feed_mode = std::uint8_t(Group::feed_mode),
    offset = std::uint8_t(Group::offset),
    length = std::uint8_t(Group::length),
    compensation = std::uint8_t(Group::compensation),
    cycle_return = std::uint8_t(Group::cycle_return),
    spindle = std::uint8_t(Group::spindle),
    coolant = std::uint8_t(Group::coolant),
    frame = std::uint8_t(Group::frame),
    rotation = std::uint8_t(Group::rotation),
    once,
    axes,
    centre,
    radius,
    feed,
    inverse_feed,
    speed,
    tool,
    length_register,
    dwell,
    cycle_clearance,
    cycle_depth,
    cycle_step,
    cycle_dwell,
    loop_count,
    plane_zero,   ///< of a tilted plane, by direction
    plane_number, ///< the other numbers of its declaration
    subprogram,   ///< number of the one that is called
    rotation_angle,
};
inline constexpr std::size_t role_count = 32;
[[nodiscard]] std::string_view name_of(Role role);
[[nodiscard]] std::optional<Role> role_named(std::string_view name);
[[nodiscard]] Role role_of(Group group);

enum class Quantity : std::uint8_t { length, angle, feed, inverse_time, revolution_feed, speed, time, whole, direction };
inline constexpr std::size_t quantity_count = 9;

struct NumberStyle {
    int decimals = 3;
    bool point_always = true; ///< "5." rather than "5"
    bool keep_zeros = false;  ///< "5.000" rather than "5."
};

struct AxisWord {
    char address = 'X';
    int sign = 1;
};

/// Words of a joint's brake.
struct BrakeWords {
    std::string lock;
    std::string release;
};

struct CycleStyle {
    bool native = false;
    std::string word; ///< native: the cycle's word
    double gap = 0.5; ///< expanded: mm above the last depth for the way back in rapid
};

/// How a tilted plane is declared.
struct PlaneStyle : PlaneForm {
    std::string word;
    bool zero_at_work = false; ///< its zero lies where the tool first comes to the work; otherwise in the program's zero
};

enum class ArcForm { centre, radius };
enum class RotaryFeedStyle { inverse_time, per_minute };

/// How motions become rows of a table.
struct TableStyle {
    double pace = 1; ///< how many times as fast as the path asks the rows follow each other
};

struct Dialect : Addresses {
    std::string name;
    std::string description;
    bool inches = false;
    std::array<NumberStyle, quantity_count> numbers;
    std::map<std::string, AxisWord> axes; ///< joint id -> word
    std::map<Function, std::string> words;
    std::map<std::string, std::string> work_offsets; ///< register -> word
    std::map<std::string, CycleStyle> cycles;        ///< cycle kind -> how
    std::map<std::string, std::string> mounts;       ///< tool mount or attachment -> the word by which the control takes it
    std::map<std::string, BrakeWords> brakes;        ///< joint id -> its words; a brake without any is the control's own affair
    std::set<Role> modal;                            ///< left out where unchanged
    std::map<std::string, std::set<Role>> restate;   ///< event -> roles forgotten at it
    std::string order = "NGXYZABCUVWIJKRQPFSTHDM";
    std::string separator = " ";
    char sequence_letter = 'N';
    long long sequence_start = 10;
    long long sequence_step = 10;
    bool sequence = true;
    char comment_open = '(';
    char comment_close = ')';
    bool comment_upper = true;
    bool arcs = true;
    ArcForm arc_form = ArcForm::centre;
    bool helix = true;
    std::optional<PlaneStyle> plane;
    FrameKind standing_frame = FrameKind::joints; ///< in operations whose cuts don't turn the tool, where job and operation say nothing
    FrameKind turning_frame = FrameKind::joints;  ///< in the others
    FrameKind wound_frame = FrameKind::joints;    ///< in operations that are wound: the others' own, or cylinder
    RotaryFeedStyle rotary_feed = RotaryFeedStyle::inverse_time;
    bool length_by_register = true; ///< a length word; otherwise the length is inside the coordinates
    std::string length_joint = "Z";
    std::map<std::string, std::optional<Section>> sections; ///< each with its templates
    std::string extension = ".nc";
    std::optional<TableStyle> table; ///< for a control that reads tables: the words are those of the neutral language

    [[nodiscard]] const NumberStyle& style(Quantity q) const { return numbers[static_cast<std::size_t>(q)]; }
    /// The dialect's word for a function, nothing where it has none.
    [[nodiscard]] std::optional<std::string> word(Function function) const;
    /// What is missing to write such coordinates, nothing where all is there.
    [[nodiscard]] std::optional<std::string> lacks_for(FrameKind kind) const;
};

/// The name of a FrameKind under `key`.
bool read_frame(json::Fields& fields, const char* key, FrameKind& out);

/// Reads a "dialect/1" document.
Result<Dialect> read_dialect(const json::Document& document);

} // namespace wexilum
