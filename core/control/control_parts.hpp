// The state of a control, part by part.
#pragma once

#include "core/control/control_brakes.hpp"
#include "core/control/coordinate_frames.hpp"
#include "core/control/feeds_and_spindle.hpp"
#include "core/control/tool_mounts.hpp"
#include "core/control/tools_and_lengths.hpp"
#include "core/control/work_zero.hpp"

namespace wexilum {

/// Each part sees those above it.
struct ControlParts {
    const Controller& controller;
    const Machine& machine;
    ControlMemory memory;
    ControlLog log;
    ModalWords modal{controller, log};
    ControlAxes axes;
    FeedsAndSpindle feeds{controller, machine, axes, modal, log};
    ToolsAndLengths tools{controller, machine, memory.tools, axes, modal, feeds, log};
    ControlBrakes brakes{controller, machine, axes, log};
    ToolMounts mounts;
    WorkZero zero{controller, machine, memory, axes, modal, tools, log};
    CoordinateFrames frames{controller, machine, axes, modal, zero, mounts, tools, log};

    /// All references must outlive the parts. The readings are those of the machine's state, which the control moves.
    ControlParts(const Controller& with_controller, const Machine& on_machine, Readings& readings, ControlMemory with_memory,
                 std::string file, std::uint32_t channel, bool from_unknown, std::optional<std::uint32_t> mount, FindingList& findings)
        : controller(with_controller), machine(on_machine), memory(std::move(with_memory)),
          log(findings, std::move(file), channel, from_unknown), axes(controller, machine, readings, modal, log),
          mounts(controller, machine, mount, axes, feeds, tools, log)
    {}
};

} // namespace wexilum
