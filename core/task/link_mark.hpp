// Where the partial moves of links are in the code.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace wexilum {

/// The lists of an operation's links.
enum class LinkList : std::uint8_t { approach, within, retreat };
inline constexpr std::array<const char*, 3> link_list_keys{"approach", "within", "retreat"}; ///< in a job's file

/// Where a partial move is in the code.
struct LinkMark {
    std::uint32_t operation = 0; ///< from 0
    LinkList list = LinkList::approach;
    std::uint32_t step = 0;  ///< of that list, from 0
    std::uint32_t first = 0; ///< lines [first, end) of the program, from 0; those of a partial move may hold those of another
    std::uint32_t end = 0;
};
inline constexpr std::size_t most_link_marks = 20000; ///< of a run; later partial moves are not noted

} // namespace wexilum
