// Whether a table fits a machine.
#pragma once

#include "core/base/result.hpp"

namespace wexilum {

struct Machine;
struct Table;

/// An Error, without a place, where a column of the table holds angles for a joint that is linear, or lengths for one that turns.
Status check_columns(const Table& table, const Machine& machine);

} // namespace wexilum
