// How far code may be from its path.
#pragma once

#include "core/base/units.hpp"

namespace wexilum {

struct Tolerance {
    double tip = 0.005;   ///< mm across the way
    double axis = 3.5e-4; ///< rad from the great circle at the same place of the way
};

} // namespace wexilum
