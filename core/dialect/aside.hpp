// Lines that are kept instead of written: what a subprogram is made of before it is known where it stands.
#pragma once

#include "core/dialect/aside_place.hpp"
#include "core/dialect/statement.hpp"
#include "core/toolpath/record.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct AsideWord {
    Role role = Role::once;
    std::uint8_t index = 0; ///< as in Slot
    char address = '?';
    Quantity quantity = Quantity::whole;
    std::int64_t counts = 0;           ///< as the program states it: a joint's sign is in it
    const std::string* text = nullptr; ///< a whole word of the dialect instead of address and number; outlives the line
    std::optional<double> exact{};     ///< counts before they were rounded, where they are known
};

struct AsideLine {
    std::vector<AsideWord> words; ///< in their order in the block
    std::string text;             ///< of a line as it stands, which has no words
    Source source;                ///< the record that it was made for
};

struct Aside {
    std::uint32_t id = 0; ///< from 1, in the order in which they were begun
    std::vector<AsideLine> lines;
    std::vector<std::uint32_t> copies{}; ///< those that are not written because calls of these lines do what they would
};

} // namespace wexilum
