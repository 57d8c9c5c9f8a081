// What runs a program and tells what happens, whatever language it is in: one for each kind.
#pragma once

#include "core/control/code_lines.hpp"
#include "core/control/control_memory.hpp"
#include "core/control/control_state.hpp"
#include "core/control/happening.hpp"
#include "core/control/machine_state.hpp"

#include <cstdint>
#include <memory>
#include <optional>
#include <string>

namespace wexilum {

class FindingList;
struct Controller;

/// How a control begins a program.
struct ControlStart {
    std::string file;           ///< of the program, for places
    bool from_unknown = false;  ///< nothing is known to be in force, and relying on it is a finding; otherwise the power-on words are
    std::uint32_t channel = 1;  ///< not 0
    bool cuts_together = false; ///< plain cuts may come many at once, some blocks later, but before whatever else the control does
    std::optional<std::uint32_t> mount =
        std::nullopt; ///< that carries its tool, by its place in Machine::mounts; none: the machine's first
};

class FrontEnd {
public:
    FrontEnd() = default;
    virtual ~FrontEnd() = default;
    FrontEnd(const FrontEnd&) = delete;
    FrontEnd& operator=(const FrontEnd&) = delete;

    /// The next happening, which lives until the next call; nullptr where there are no more lines. Lines that can't be read are findings
    /// of kind "code-error"; the control then goes on with the next line, as far as it can.
    virtual const Happening* step() = 0;
    /// Where step() has said that there is no more: whether that is because the lines' source has failed.
    [[nodiscard]] virtual const Status& status() const = 0;
    /// The program is over: says what is missing in it, or has not been reached.
    virtual void finish() = 0;
    /// What is in force now.
    [[nodiscard]] virtual ControlState state() const = 0;
};

/// The one that reads what the controller reads. All references must outlive it.
[[nodiscard]] std::unique_ptr<FrontEnd> front_end(const Controller& controller, const Machine& machine, MachineState& state,
                                                  ControlMemory memory, const ControlStart& start, LineSource& lines,
                                                  FindingList& findings);
/// The lines of a source as that one wants them: those of words taken apart, with `ahead` on a thread of its own. Both must outlive it.
[[nodiscard]] std::unique_ptr<LineSource> lines_of(const Controller& controller, ByteSource& source, bool ahead);

} // namespace wexilum
