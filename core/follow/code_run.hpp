// A program run by a simulated control, its motions followed.
#pragma once

#include "core/base/finding.hpp"
#include "core/base/watch.hpp"
#include "core/base/world.hpp"
#include "core/control/control_state.hpp"
#include "core/follow/follower.hpp"

#include <cstdint>
#include <optional>
#include <string>

namespace wexilum {

struct Controller;
struct Setup;

/// What code is read with; lent.
struct CodeContext {
    const Controller& controller;
    const Machine& machine;
    const Setup* setup; ///< null: none; offsets and tool lengths count as 0, and nobody misses them
};

struct CodeStream {
    std::string name;            ///< of the code's file, for places
    ByteSource* text = nullptr;  ///< read once, from front to back
    ByteSource* ahead = nullptr; ///< the same text again, read before it where the control knows calls; null: its calls lead nowhere
};

struct CodeRunOptions {
    bool from_unknown = false;
    int threads = 1;           ///< with two the code's words are read beside the rest; what is found is the same
    RunWatch* watch = nullptr; ///< may be null
    std::uint64_t before = 0;  ///< lines of other files that the watch has counted
};

/// Runs a program from its first line to its last with a control fresh from its start, on a machine at home; the follower gets its motions.
/// How many lines it has. An Error where the source fails, or the watch stops it.
Result<std::uint64_t> run_code(const CodeContext& context, const CodeStream& code, const CodeRunOptions& options, Follower& follower,
                               FindingList& findings);

/// What is in force once a block (its line, from 1) has been done; of a block of a subprogram, when it is done for the first time. Nothing
/// where the program never comes to it. An Error as run_code() has it.
Result<std::optional<ControlState>> state_behind(const CodeContext& context, const CodeStream& code, std::uint32_t block,
                                                 RunWatch* watch = nullptr);

} // namespace wexilum
