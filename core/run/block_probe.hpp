// Asks one block of a run why it is as it is. A run is deterministic, so the answer is found by running again with a probe instead of
// keeping a trace of every word.
#pragma once

#include "core/dialect/emit_probe.hpp"
#include "core/run/post_run.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// One of the postures that point the tool along a record's axis.
struct PostureTrace {
    Readings readings; ///< in the turns nearest to those before
    bool taken = false;
    std::vector<Overtravel> beyond; ///< empty: inside travel
};

/// Why a block is as it is.
struct BlockTrace {
    std::uint32_t block = 0;            ///< from 1
    Source source;                      ///< of the record behind it, or no_source
    std::string event;                  ///< "linear motion", "tool change", "program head" …
    std::string rule;                   ///< what made the block of it: "native linear motion", "section tool-change of the dialect, line 2"
    bool is_text = false;               ///< the line stands as it was given, word by word unknown
    std::vector<WordTrace> written;     ///< in the block's order
    std::vector<WordTrace> held;        ///< what the control is known to hold already, so that it was not written
    std::vector<PostureTrace> postures; ///< of a record that moves the tool; empty where nothing reaches it
    std::string choice;                 ///< why this posture, one sentence; empty where there is nothing to choose
    std::optional<Pose> pose;           ///< the record's, part's frame
    double tool_length = 0;             ///< mm
};

/// Runs again up to a block (from 1) and describes it. An Error of kind value where the program has no such block; errors of the
/// source and of `watch`, which may be null, are handed on.
Result<BlockTrace> trace_block(const Assembly& assembly, RecordSource& records, Scratch& scratch, std::uint32_t block,
                               RunWatch* watch = nullptr);

/// The value of a Lua expression at a record (among the agreed path's, from 0), before anything is made of it: `event` is the record's
/// event, and everything that rules have can be asked. An Error with the reason where it can't be computed.
Result<std::string> evaluate_at(const Assembly& assembly, RecordSource& records, Scratch& scratch, std::size_t record,
                                const std::string& expression, RunWatch* watch = nullptr);

} // namespace wexilum
