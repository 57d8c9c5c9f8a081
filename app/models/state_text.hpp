// What a control has in force and what a program does, in words for the window.
#pragma once

#include <QString>
#include <QStringList>

#include <cstdint>
#include <optional>

namespace wexilum {
struct CodeReading;
struct ControlState;
struct Machine;
struct ToolStretch;
} // namespace wexilum

namespace wexilum::app {

struct JobResults;

/// "12.5 s", "3 min 07 s", "1 h 02 min 09 s".
[[nodiscard]] QString duration_text(double seconds);
/// "0:13", "3:07", "1:02:09": where there is little room.
[[nodiscard]] QString clock_text(double seconds);
// Rich text, a line each.
/// Rich text in the letters of code.
[[nodiscard]] QString code_html(const QString& html);
/// The words in force, and feed, speed, loop and calls.
[[nodiscard]] QString words_in_force(const ControlState& state);
/// The tool with its length, the mount, and how the program's coordinates differ from the readings.
[[nodiscard]] QString tool_and_coordinates(const ControlState& state, const Machine& machine);
/// What a block (from 1) does: by its last motion, where it has one.
[[nodiscard]] QString motion_text(const JobResults& results, std::optional<std::size_t> motion, std::uint32_t block);
// Plain text, one line each.
/// What a program does: its time, how far its cuts go, and what is left of each joint's travel.
[[nodiscard]] QStringList program_texts(const CodeReading& reading, const Machine& machine);
/// What a tool does from one change to the next.
[[nodiscard]] QStringList tool_texts(const ToolStretch& tool);

} // namespace wexilum::app
