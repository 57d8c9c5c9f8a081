// How findings and errors are printed, for people and as JSON.
#pragma once

#include "core/base/finding.hpp"
#include "core/base/result.hpp"
#include "core/base/world.hpp"
#include "core/follow/contact_report.hpp"

#include <nlohmann/json.hpp>

#include <map>
#include <string>
#include <utility>

namespace wexilum::cli {

/// Prints the error on standard error; with `json` also one object on standard output. Returns what the program is to end with.
int fail(const Error& error, bool json);

[[nodiscard]] nlohmann::ordered_json findings_json(const FindingList& findings);
[[nodiscard]] nlohmann::ordered_json place_json(const Place& place);
/// What has been found of contact along the named program.
void print_contact(const ContactReport& report, const std::string& name, const std::string& machine, bool json);
/// Lines of programs by file and number.
using CodeLines = std::map<std::pair<std::string, std::uint32_t>, std::string>;

/// Reads those lines of a program to which findings point, the worst of each.
Status read_lines(ByteSource& source, const std::string& file, const FindingList& findings, CodeLines& out);

/// The findings as indented lines, errors first, each cause once: its worst place, how many there are, some of the others, and the text of
/// the line that each points to where `lines` has it.
void print_findings(const FindingList& findings, const CodeLines& lines = {});

} // namespace wexilum::cli
