// The "units" object of a JSON file: how its numbers become millimetres, radians and seconds.
#pragma once

#include "core/base/json_document.hpp"

namespace wexilum {

struct FileUnits {
    double length = 1; ///< mm per file unit
    double angle = 1;  ///< rad per file unit
    [[nodiscard]] double of(bool linear) const { return linear ? length : angle; }
};

/// Reads "units": {"length": "mm"|"inch", "angle": "deg"|"rad"}; required in every file with dimensions.
FileUnits read_units(json::Fields& root);

} // namespace wexilum
