// How the time that a program takes is printed, for people and as JSON.
#pragma once

#include "core/follow/program_time.hpp"

#include <nlohmann/json.hpp>

#include <string>
#include <vector>

namespace wexilum::cli {

[[nodiscard]] std::string duration(double seconds);
/// `operations`: id and name of each.
[[nodiscard]] nlohmann::ordered_json time_json(const ProgramTime& time, const std::vector<std::pair<std::string, std::string>>& operations);
void print_time(const ProgramTime& time, const std::vector<std::pair<std::string, std::string>>& operations);

} // namespace wexilum::cli
