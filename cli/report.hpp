// How findings and errors are printed, for people and as JSON.
#pragma once

#include "core/base/result.hpp"
#include "core/run/finding.hpp"

#include <nlohmann/json.hpp>

namespace wexilum::cli {

/// Prints the error on standard error; with `json` also one object on standard output. Returns what the program is to end with.
int fail(const Error& error, bool json);

[[nodiscard]] nlohmann::ordered_json findings_json(const FindingList& findings);
[[nodiscard]] nlohmann::ordered_json place_json(const Place& place);
/// The findings as indented lines, worst first.
void print_findings(const FindingList& findings);

} // namespace wexilum::cli
