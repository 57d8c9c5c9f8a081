// Edits of a JSON text as replacements of bytes, so that comments of one's own ("x-…" keys), order and formatting stay as they are.
#pragma once

#include "core/base/json_document.hpp"

#include <initializer_list>
#include <string>
#include <variant>
#include <vector>

namespace wexilum::json {

/// Replace bytes [begin, end) of the text by `text`.
struct Patch {
    std::size_t begin = 0;
    std::size_t end = 0;
    std::string text;
};
[[nodiscard]] std::string applied(std::string text, const Patch& patch);

/// A member's name or an item's position.
using Step = std::variant<std::string, std::size_t>;
using Path = std::vector<Step>;

/// The node at a path; nullptr where there is none.
[[nodiscard]] const Node* node_at(const Document& document, const Path& path);

/// Gives the value at a path a new text (valid JSON). Where the last step names a member that is not there yet, it is added behind the
/// object's last one. An Error of kind value where the path leads nowhere.
Result<Patch> set_value(const Document& document, const Path& path, const std::string& value);
/// Adds an item behind the last of the array at a path, on a line of its own where the others have that.
Result<Patch> append_item(const Document& document, const Path& array, const std::string& item);
/// Removes a member or an item, with its comma.
Result<Patch> remove_value(const Document& document, const Path& path);

/// Gives a member, by its value, another name.
[[nodiscard]] Patch renamed_member(const Document& document, const Node& value, const std::string& name);

/// A number as the files have them: as few digits as give it back to a millionth.
[[nodiscard]] std::string number_text(double value);
/// A text in quotes, escaped.
[[nodiscard]] std::string quoted(const std::string& text);

} // namespace wexilum::json
