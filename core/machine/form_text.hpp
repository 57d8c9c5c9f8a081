// What the three parts of machine_form.hpp share. Private to core/machine.
#pragma once

#include "core/base/file_units.hpp"
#include "core/machine/machine_form.hpp"

#include <algorithm>
#include <optional>
#include <set>

namespace wexilum::form {

/// An array of the file; nullptr where it has none.
[[nodiscard]] const json::Node* list_of(const json::Document& document, const char* name);
[[nodiscard]] std::string text_of(const json::Node& object, std::string_view key);
/// The "id"s of an array's items.
[[nodiscard]] std::vector<std::string> ids_of(const json::Document& document, const char* name);
[[nodiscard]] Error wrong(std::string message, std::string cure);
/// All patches at once; they must not overlap.
[[nodiscard]] std::string applied_all(const json::Document& document, std::vector<json::Patch> patches);
/// The joints that one carries, itself first, in the file's order.
[[nodiscard]] std::vector<std::size_t> with_carried(const json::Node& joints, std::size_t joint);
/// Names that can carry a part: the base, and the joints that it does not itself carry.
[[nodiscard]] std::vector<std::string> carriers(const json::Document& document, const PartPath& path);
/// The key under which a body states its shape; nullptr where it states none.
[[nodiscard]] const char* shape_of(const json::Node& body);

/// A joint's, mount's or attachment's new name wherever the file says the old one.
Result<std::string> renamed(const json::Document& document, const PartPath& path, const std::string& name);
/// A body of another shape, with figures to begin with.
Result<std::string> reshaped(const json::Document& document, const PartPath& path, const std::string& shape);

/// What a joint follows, as people type it; empty where it follows none.
[[nodiscard]] std::string shown_relation(const json::Document& document, const PartPath& path);
/// The text with a joint that follows others as typed; nothing typed gives it a drive of its own.
Result<std::string> with_relation(const json::Document& document, const PartPath& path, const std::string& typed);
/// The patches that give a joint another name where others follow it.
[[nodiscard]] std::vector<json::Patch> renamed_leaders(const json::Document& document, const std::string& old, const std::string& name);
/// Where others follow a joint, the first of those places: to be removed before the joint is. Empty where there is none.
[[nodiscard]] json::Path led_by(const json::Document& document, const std::string& joint);

/// Readings of zero for all joints of the machine but those that follow others, as a witness begins: members of an object.
[[nodiscard]] std::string readings_at_zero(const json::Document& document);

/// The text after one patch more, where the text so far can be read.
Result<std::string> then(const std::string& text, const std::string& file, const auto& patch)
{
    const auto document = json::Document::parse(text, file);
    if (!document) {
        return document.error();
    }
    const Result<json::Patch> made = patch(*document);
    return made ? Result<std::string>(json::applied(text, *made)) : Result<std::string>(made.error());
}

} // namespace wexilum::form
