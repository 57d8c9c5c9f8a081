// What the emitter notes about one block while it is written.
#pragma once

#include "core/dialect/statement.hpp"

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace wexilum {

/// The values that words were rounded from, noted while they are made.
class ExactValues {
public:
    void note(Role role, std::size_t index, double value) { values_[{role, index}] = value; }
    [[nodiscard]] std::optional<double> find(Role role, std::size_t index) const
    {
        const auto found = values_.find({role, index});
        return found == values_.end() ? std::nullopt : std::optional(found->second);
    }

private:
    std::map<std::pair<Role, std::size_t>, double> values_;
};

/// One word of a block, or one that the control holds.
struct WordTrace {
    Role role = Role::once;
    std::size_t index = 0; ///< joint of an axis
    std::string text;      ///< as it stands in the block, or would
    Quantity quantity = Quantity::whole;
    bool is_number = false;
    double value = 0;            ///< what the word says: mm, rad, mm/s, …
    double increment = 0;        ///< its last digit, likewise
    std::optional<double> exact; ///< before it was rounded; words of a section's text have none
    bool modal = false;
    std::uint32_t since = 0;        ///< the block that last gave it this value
    std::optional<std::string> was; ///< the word it replaces, where one was known
    std::uint32_t was_since = 0;    ///< and the block that had given that
};

/// Watches for one line of a program.
struct EmitProbe {
    std::uint32_t line = 0;  ///< wanted, from 1
    std::uint32_t aside = 0; ///< where it is one of the lines kept aside (Aside::id), among those; 0: a line of the program itself
    std::map<std::uint32_t, std::uint32_t> asides; ///< the program's line at which lines kept aside begin, by Aside::id
    bool seen = false;
    bool is_text = false; ///< the line was written as it stands, not as a statement
    std::vector<WordTrace> written;
    std::vector<WordTrace> held;
    ExactValues exact; ///< of the words made so far
};

} // namespace wexilum
