// The "units" object of a JSON file: how its numbers become millimetres, radians and seconds.
#pragma once

#include "core/base/json_names.hpp"
#include "core/base/result.hpp"

#include <map>
#include <string>

namespace wexilum {

struct FileUnits {
    double length = 1; ///< mm per file unit
    double angle = 1;  ///< rad per file unit
    [[nodiscard]] double of(bool linear) const { return linear ? length : angle; }
};

/// How files gave the readings of joints, by joint: only a machine says whether a joint turns. Zero has neither form.
struct ReadingForm {
    bool angle = false;
    Place place;
};
using ReadingForms = std::map<std::string, ReadingForm>;

/// Reads "units": {"length": "mm"|"inch", "angle": "deg"|"rad"}; required in every file with dimensions.
FileUnits read_units(json::Fields& root);
/// Those of a document that may have other mistakes: mm and radians where it states none.
[[nodiscard]] FileUnits units_of(const json::Document& document);

/// Reads the path of another file, from the project's folder; required.
void project_path(json::Fields& fields, const char* key, std::string& out);

} // namespace wexilum
