// Catches what the simulated control does.
#pragma once

#include "core/control/interpreter.hpp"

#include <vector>

namespace wexilum::test {

class Moves final : public ReplaySink {
public:
    void move(const ReplayMove& move) override { list.push_back(move); }
    void tool_change(BlockNumber, std::uint32_t) override {}
    void dwell(BlockNumber, double) override {}
    void stop(BlockNumber, bool) override {}
    void program_end(BlockNumber) override {}
    std::vector<ReplayMove> list;
};

} // namespace wexilum::test
