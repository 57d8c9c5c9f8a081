// The texts of a rulebook, and the options that it is run with.
#pragma once

#include <map>
#include <string>
#include <variant>

namespace wexilum {

/// The texts of a rulebook's folder, read before anything runs.
struct RulebookText {
    std::string folder;                       ///< from the project's folder
    std::map<std::string, std::string> files; ///< name with extension -> text; "rulebook.lua" is run
    [[nodiscard]] bool empty() const { return files.empty(); }
};
inline constexpr const char* rulebook_file = "rulebook.lua";

/// Options as rules see them: lengths in mm, angles in degrees.
using RuleOptions = std::map<std::string, std::variant<double, bool, std::string>>;

} // namespace wexilum
