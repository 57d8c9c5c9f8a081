// What the events note about the block that an EmitProbe watches for.
#pragma once

#include "core/dialect/emit_probe.hpp"
#include "core/solve/plan_format.hpp"
#include "core/toolpath/record.hpp"

#include <optional>
#include <string>

namespace wexilum {

struct EventProbe {
    EmitProbe words;
    std::string event;                 ///< what happens as the block is written
    std::string rule;                  ///< what makes blocks of it
    std::optional<std::size_t> record; ///< among the agreed path's
    Source source;
    std::optional<Pose> pose; ///< of the record, part's frame
    Planned planned;          ///< the choice made for it
    Readings stand;           ///< where the joints stood when its record came
    double tool_length = 0;
    Posture posture;
    // A question instead of a line:
    std::optional<std::size_t> asked; ///< record, before anything is made of it
    std::string expression;           ///< of Lua, with `event` and everything that rules have
    std::optional<Result<std::string>> answer;
};

} // namespace wexilum
