// Whether a dialect writes what a controller reads: held against each other before anything is posted.
#pragma once

#include "core/controller/controller.hpp"
#include "core/dialect/dialect.hpp"

#include <string>
#include <vector>

namespace wexilum {

/// Words of a dialect that the control would not read, or would read as something else; empty where all fits. Places name `dialect_file`.
[[nodiscard]] std::vector<Error> language_errors(const Controller& controller, const Dialect& dialect, const std::string& dialect_file);

/// Why arcs of the toolpath become lines under such a dialect; empty where they are written as arcs.
[[nodiscard]] std::string why_no_arcs(const Controller& controller, const Dialect& dialect);

} // namespace wexilum
