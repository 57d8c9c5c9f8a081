// Prints JSON values with 17 significant digits, so that every double survives the way out and back.
#pragma once

#include <nlohmann/json.hpp>

#include <string>

namespace wexilum::cli {

[[nodiscard]] std::string json_text(const nlohmann::ordered_json& value);

} // namespace wexilum::cli
