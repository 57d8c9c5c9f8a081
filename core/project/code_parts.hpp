// What a program is read with outside a project: a machine, a controller and, where there is one, a setup.
#pragma once

#include "core/base/world.hpp"
#include "core/follow/code_reading.hpp"
#include "core/follow/code_run.hpp"
#include "core/follow/replay_track.hpp"
#include "core/job/assembly.hpp"

#include <string>

namespace wexilum {

/// Paths of files.
struct CodePartFiles {
    std::string machine;
    std::string controller;
    std::string setup; ///< empty: none. Then offsets and tool lengths count as 0, and nobody misses them
};

struct CodeParts {
    Assembly assembly; ///< its machine, controller and setup alone; not linked
    bool has_setup = false;
    std::optional<std::uint32_t> work; ///< the mount that holds the part
    std::vector<std::string> remarks;  ///< what somebody should know who reads code with them

    [[nodiscard]] CodeContext context() const { return {assembly.controller, assembly.machine, has_setup ? &assembly.setup : nullptr}; }
};

/// Reads them, checks the witnesses of machine and controller, and whether they fit together. Surfaces of bodies are looked for from the
/// folder in which the file's own folder lies.
Result<CodeParts> open_code_parts(const FileSystem& files, const CodePartFiles& paths);

/// Reads programs with them, each by a control fresh from its start. `track` may be null. An Error where a source fails, the machine
/// lacks a mount, or the watch stops it.
Result<CodeReading> read_code(const CodeParts& parts, const std::vector<CodeStream>& code, const CodeRunOptions& options,
                              ReplayTrack* track = nullptr);

} // namespace wexilum
