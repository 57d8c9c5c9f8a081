// What changed between two programs of one job: by statements, each with the record it belongs to, never by lines of text. Renumbered
// blocks are no change.
#pragma once

#include "core/run/code_store.hpp"

#include <cstdint>
#include <string>
#include <vector>

namespace wexilum {

/// How a program's lines are taken apart.
struct BlockGrammar {
    char sequence_letter = 'N'; ///< of block numbers, which are passed over; '\0': there are none
    char comment_open = '(';
    char comment_close = ')';
};

/// One statement that is not as it was.
struct StatementChange {
    static constexpr std::uint32_t none = UINT32_MAX;
    std::uint32_t before = none; ///< line of the earlier program, from 0; none: added
    std::uint32_t after = none;  ///< line of the later program; none: removed
    std::uint32_t near = 0;      ///< line of the later program where it is to be looked at
};

/// Changes of one kind, such as "F now in a block of its own".
struct ChangeGroup {
    std::string what;
    std::size_t count = 0;
    std::vector<StatementChange> places; ///< in the program's order, at most most_places
    static constexpr std::size_t most_places = 10000;
};

struct ProgramDiff {
    std::vector<ChangeGroup> groups; ///< the most frequent first; among equals the one that comes first
    std::size_t changed = 0;
    std::size_t added = 0;
    std::size_t removed = 0;
    std::size_t same = 0;
    [[nodiscard]] bool empty() const { return groups.empty(); }
};

/// Compares two programs whose lines have been linked with the records of the same toolpath (CodeStore::link()). Statements are aligned
/// within the lines of one record, and within the head and the end of the program.
[[nodiscard]] ProgramDiff diff_programs(const CodeStore& before, const CodeStore& after, const BlockGrammar& grammar);

} // namespace wexilum
