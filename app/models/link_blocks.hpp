// Which blocks of the posted code belong to the partial moves of an operation's links, and what was found there.
#pragma once

#include "app/models/job_results.hpp"
#include "app/theme/tokens.hpp"
#include "core/task/link_mark.hpp"

#include <map>
#include <optional>

namespace wexilum::app {

class LinkBlocks {
public:
    /// Of an operation; null: there is no code, or it is of other links.
    void read(const JobResults* results, std::size_t operation);
    /// Those of a partial move that are nearest before a line of the code (from 0), or its first ones; null where it moves nothing.
    [[nodiscard]] const LinkMark* of(LinkList list, std::size_t step, std::uint32_t line) const;
    /// Those of the whole list of so many partial moves, as they follow one another about one of them (-1: none); from 0, the end behind
    /// the last one.
    [[nodiscard]] std::optional<std::pair<std::uint32_t, std::uint32_t>> of_list(LinkList list, std::size_t steps, int about,
                                                                                 std::uint32_t line) const;
    /// The worst that was found at a partial move, in a word, with its state; empty where nothing was.
    [[nodiscard]] QString trouble(LinkList list, std::size_t step, const std::vector<FoundAt>& findings, State& state) const;

private:
    std::map<std::pair<LinkList, std::size_t>, std::vector<LinkMark>> marks_; ///< by list and place in it
    std::vector<LinkMark> in_code_;                                           ///< the same in the order of the code
};

} // namespace wexilum::app
