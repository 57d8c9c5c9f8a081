// Blocks of cuts that follow one another, on their way from words to text.
#pragma once

#include "core/dialect/dialect.hpp"
#include "core/toolpath/linear_run.hpp"

#include <array>
#include <cstdint>

namespace wexilum {

/// Blocks that have the same words, each of which may be left out; numbers only.
struct LineRun {
    static constexpr std::size_t most_words = 6; ///< five axes and the feed
    struct Word {
        char address;
        Quantity quantity;
    };
    using Counts = std::array<std::int64_t, longest_run>;

    std::size_t count = 0; ///< blocks
    std::size_t words = 0;
    std::array<Word, most_words> word{}; ///< in the order in which they stand
    std::array<Counts, most_words> counts;
    std::array<std::uint8_t, longest_run> due; ///< a bit for each word that the block has; not 0
    std::uint32_t file = 0;                    ///< of all sources
    std::array<std::uint32_t, longest_run> line;
    long long number = 0; ///< of the first block
    long long step = 0;   ///< from one block's number to the next
};

} // namespace wexilum
