// What the emitter notes about one block while it is written.
#pragma once

#include "core/dialect/statement.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// One word of a block, or one that the control holds.
struct WordTrace {
    Role role = Role::once;
    std::size_t index = 0; ///< joint of an axis
    std::string text;      ///< as it stands in the block, or would
    Quantity quantity = Quantity::whole;
    bool is_number = false;
    double value = 0;            ///< what the word says: mm, rad, mm/s, …
    double increment = 0;        ///< its last digit, likewise
    std::optional<double> exact; ///< before it was rounded; axes only
    bool modal = false;
    std::uint32_t since = 0;        ///< the block that last gave it this value
    std::optional<std::string> was; ///< the word it replaces, where one was known
    std::uint32_t was_since = 0;    ///< and the block that had given that
};

/// Watches for one line of a program.
struct EmitProbe {
    std::uint32_t line = 0; ///< wanted, from 1
    bool seen = false;
    bool is_text = false; ///< the line was written as it stands, not as a statement
    std::vector<WordTrace> written;
    std::vector<WordTrace> held;
};

} // namespace wexilum
