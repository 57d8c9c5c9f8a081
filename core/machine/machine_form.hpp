// What each part of a machine file can state, for forms: fields with their units, and edits of the file's text by them. Nothing but
// the edited values changes; whether the machine is a good one, reading it says.
#pragma once

#include "core/base/json_patch.hpp"
#include "core/expr/expression.hpp"

#include <string>
#include <vector>

namespace wexilum {

enum class MachinePart { machine, joint, mount, attachment, body, witness };

/// How a field's value is typed and shown.
enum class FieldKind {
    text,
    choice,
    flag,
    number,    ///< with a dimension
    pair,      ///< two numbers, low and high
    point,     ///< three lengths
    direction, ///< a unit vector: "-Z", or three numbers, which are made a unit vector
    size,      ///< three lengths above zero
    relation,  ///< the joints that one follows: "X", "0.5 * Z + 12 mm"
};

struct FormField {
    std::vector<std::string> keys; ///< in the part, the outermost first
    std::string title;             ///< for people
    std::string help;              ///< one sentence
    FieldKind kind = FieldKind::text;
    expr::Dimension dimension; ///< of numbers
    bool per_minute = false;   ///< a rate that the file states by the minute; a bare number is read so
    bool required = false;
    std::vector<std::string> choices; ///< as the file has them
    std::string fallback;             ///< of a choice: what holds where the file says nothing; empty: nothing does
};

/// Where a part stands in the file: {"joints", 2}; {} is the machine itself.
using PartPath = json::Path;

/// The part that a path leads to; nothing where it leads to none.
[[nodiscard]] std::optional<MachinePart> part_at(const json::Document& machine, const PartPath& path);
/// The fields of a part as it is now: a rotary joint has others than a linear one, a box others than a cylinder.
[[nodiscard]] std::vector<FormField> fields_of(const json::Document& machine, const PartPath& path);
/// A part's name: its "id", or its "name" where it has no other.
[[nodiscard]] std::string name_of(const json::Document& machine, const PartPath& path);

/// A field's value in mm, degrees, minutes (rates that say so) or seconds; empty where the file has none.
[[nodiscard]] std::string shown_value(const json::Document& machine, const PartPath& path, const FormField& field);
/// The same in inches and radians; empty where that says nothing new.
[[nodiscard]] std::string other_units(const json::Document& machine, const PartPath& path, const FormField& field);
/// "mm", "deg", "mm/min", …; empty where there is no unit.
[[nodiscard]] std::string unit_of(const FormField& field);

/// The file's text with a field's value as typed: expressions with units ("2 in", "0.4 rad/s"); a bare number is in the unit of
/// unit_of(). Nothing typed removes the key. A joint that gets another name gets it everywhere. An Error of kind value says what is
/// wrong with what was typed.
Result<std::string> with_value(const json::Document& machine, const PartPath& path, const FormField& field, const std::string& typed);

/// The text with a new part at its place's end, carried by `parent` (a joint or "base"); a fresh name. `path` is where it stands; where it
/// leads to an attachment, or to what is in one, a joint or body is that attachment's.
Result<std::string> with_new_part(const json::Document& machine, MachinePart part, const std::string& parent, PartPath& path);
/// Without a part; what a joint carried is carried by its parent then, and its readings go from witnesses.
Result<std::string> without_part(const json::Document& machine, const PartPath& path);
/// A joint, mount or body carried by another joint (or "base"). A joint takes all that it carries along, and stands behind `parent` in the
/// file. An Error where it would carry itself.
Result<std::string> carried_by(const json::Document& machine, const PartPath& path, const std::string& parent);
/// A joint one place further up or down among those with its parent; the text unchanged where it is the first or last.
Result<std::string> moved_among(const json::Document& machine, std::size_t joint, bool up);

/// What can be kept apart: names of nodes with all that they carry.
[[nodiscard]] std::vector<std::string> kept_apart_names(const json::Document& machine);
/// The clearance that the machine's "apart" list states between two names, in mm as typed text; empty where it states none.
[[nodiscard]] std::string clearance_between(const json::Document& machine, const std::string& first, const std::string& second);
/// The text with that clearance as typed ("2", "0.1 in"); nothing typed takes the pair out of the list. An Error of kind value says what is
/// wrong with what was typed.
Result<std::string> with_clearance_between(const json::Document& machine, const std::string& first, const std::string& second,
                                           const std::string& typed);

/// Common arrangements to begin with, by name.
struct MachineStart {
    std::string name; ///< "three axes, the table carries the work"
    std::string text; ///< a machine file; its name is "new machine"
};
[[nodiscard]] const std::vector<MachineStart>& machine_starts();

} // namespace wexilum
