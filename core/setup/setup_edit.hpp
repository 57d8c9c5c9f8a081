// Edits of a setup's text, value by value. Each gives the bytes to replace; nothing is checked against the machine, reading does that.
#pragma once

#include "core/base/json_patch.hpp"
#include "core/setup/setup.hpp"

#include <string>
#include <vector>

namespace wexilum {

/// An offset of a register: mm, or rad for a rotary joint. A register or joint that is not there yet is added.
Result<json::Patch> set_offset(const json::Document& setup, const std::string& register_name, const std::string& joint, bool rotary,
                               double value);

/// The origin of a work's part on its holder, mm; the work by its place in the setup.
Result<json::Patch> set_part_point(const json::Document& setup, std::size_t work, const Vec3& point);
/// Turns the part: x and z as unit vectors in the holder's frame.
Result<json::Patch> set_part_directions(const json::Document& setup, std::size_t work, const Vec3& x, const Vec3& z);
/// One of a work's texts: "id", "work_offset", or "holder" of its part. Precondition: the setup lists its "works".
Result<json::Patch> set_work_text(const json::Document& setup, std::size_t work, const std::string& key, const std::string& value);

enum class ToolField { number, name, shape, diameter, length, length_register };
inline constexpr std::size_t tool_field_count = 6;
/// The key of a field in the file, and in a table's header.
[[nodiscard]] const char* key_of(ToolField field);

/// A tool's value by its position in the table: lengths in mm. Without a value the key is removed (diameter and length alone).
Result<json::Patch> set_tool_number(const json::Document& setup, std::size_t tool, ToolField field, std::optional<double> value);
Result<json::Patch> set_tool_text(const json::Document& setup, std::size_t tool, ToolField field, const std::string& value);
Result<json::Patch> add_tool(const json::Document& setup, const Tool& tool);
Result<json::Patch> remove_tool(const json::Document& setup, std::size_t tool);

/// Reads tools from a table with a header of the keys of ToolField: number and name are needed, an empty diameter or length is none.
/// Fields are separated by commas or semicolons, whichever the header has, and may be in quotes. Lengths in mm.
Result<std::vector<Tool>> read_tool_table(std::string_view text, const std::string& file_name);
/// The whole "tools" array anew: tools of the table take the place of those with their number, the others stay, new ones follow.
Result<json::Patch> merge_tools(const json::Document& setup, const std::vector<Tool>& tools);

} // namespace wexilum
