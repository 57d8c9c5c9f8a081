// What an editor can offer at a place of one of the project's JSON files, from the schema of its format.
#pragma once

#include "app/models/rule_help.hpp"

namespace wexilum::app {

/// Names of keys, or values, that can stand at byte `at` of the text of the file at `path` (from the project's folder); the text need
/// not be complete. `typed` counts the quote where one was typed; words carry their quotes.
[[nodiscard]] RuleOffer schema_offer(const QString& path, const std::string& text, std::size_t at);

/// What the value at byte `at` has to be, such as "decimals: a whole number from 0 to 8"; empty where that is not known.
[[nodiscard]] QString schema_tip(const QString& path, const std::string& text, std::size_t at);

} // namespace wexilum::app
