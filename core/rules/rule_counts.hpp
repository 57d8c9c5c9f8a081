// How often the parts of a rulebook were called in a run.
#pragma once

#include "core/base/result.hpp"
#include "core/rules/description.hpp"

#include <cstdint>
#include <map>
#include <string>
#include <vector>

namespace wexilum {

/// How often something of a rulebook was called.
struct HandlerCount {
    std::uint64_t calls = 0;
    std::uint64_t faults = 0;
    Place place; ///< where the handler begins
};

/// How often a kind of event came, and what a rule made of it.
struct EventTally {
    EventKind kind{};
    std::uint64_t seen = 0;
    HandlerCount handler;
};

/// How often each line of a rulebook ran: by file, then by line from 1.
using RuleLineCounts = std::map<std::string, std::vector<std::uint64_t>>;

} // namespace wexilum
