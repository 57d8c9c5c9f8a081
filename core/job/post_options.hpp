// Options that a post declares and a job sets.
#pragma once

#include "core/base/json_names.hpp"
#include "core/base/result.hpp"
#include "core/rules/rulebook_text.hpp"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// A value of an option as a file has it: lengths and angles are texts with their unit ("150 mm"), or expressions of such.
using OptionValue = std::variant<double, bool, std::string>;

struct OptionDescription {
    enum class Type : std::uint8_t { length, angle, number, integer, flag, text, choice };
    std::string name;
    Type type = Type::number;
    OptionValue standard;      ///< numbers in mm and degrees
    std::optional<double> low; ///< likewise
    std::optional<double> high;
    std::vector<std::string> choices;
    std::string help;
    bool loops = false; ///< says how often the program's loop is done: the replay holds the loop's count against it

    /// A file's value for the option, in mm and degrees. An Error without place where it does not fit.
    [[nodiscard]] Result<OptionValue> read(const OptionValue& value) const;
    /// "a length from 10 to 300 mm"
    [[nodiscard]] std::string range_text() const;
};

/// Reads the "options" object of a post.
std::vector<OptionDescription> read_option_descriptions(json::Fields& post, json::Problems& problems);

struct JobOption {
    OptionValue value;
    Place place;
};
/// Reads the "options" object of a job: values that only the post can judge.
std::map<std::string, JobOption> read_job_options(json::Fields& job, json::Problems& problems);

/// The options of a run. An Error with the job's place where a value fits no option.
Result<RuleOptions> resolve_options(const std::vector<OptionDescription>& declared, const std::map<std::string, JobOption>& set);

} // namespace wexilum
