// The simulated control: reads blocks by the controller's definition alone and moves the machine's joints.
#pragma once

#include "core/base/finding.hpp"
#include "core/control/code_lines.hpp"
#include "core/control/control_memory.hpp"
#include "core/control/control_state.hpp"
#include "core/control/happening.hpp"
#include "core/control/machine_state.hpp"

#include <memory>
#include <optional>
#include <string>

namespace wexilum {

struct BlockWords;
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

class SimulatedControl {
public:
    /// All references must outlive the control. It enters the machine's state, whose joints it moves from where they stand.
    SimulatedControl(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory,
                     const ControlStart& start, LineSource& lines, FindingList& findings);
    ~SimulatedControl();
    SimulatedControl(const SimulatedControl&) = delete;
    SimulatedControl& operator=(const SimulatedControl&) = delete;

    /// The next happening, which lives until the next call; nullptr where there are no more lines. While the control is held at a mark
    /// (waits()), it is that wait again. Lines that can't be read are findings of kind "code-error"; the control then goes on with the
    /// next line, as far as it can.
    const Happening* step();
    [[nodiscard]] bool waits() const;
    /// Where step() has said that there is no more: whether that is because the lines' source has failed.
    [[nodiscard]] const Status& status() const { return lines_.status(); }
    /// The program is over: says what is missing in it, or has not been reached.
    void finish();
    /// The block that the control is at, and how its joints stand.
    [[nodiscard]] BlockNumber block() const;
    [[nodiscard]] const Readings& readings() const { return machine_state_.readings; }
    [[nodiscard]] std::uint32_t channel() const;
    /// What is in force now.
    [[nodiscard]] ControlState state() const;

private:
    struct Working;

    [[nodiscard]] bool advance();
    [[nodiscard]] bool next_lines();
    void take(std::string_view text, const CodeBlock& block, const Status& status);
    void begin_block(const CodeBlock& block);
    void apply_loop(const BlockWords& words);
    void apply_state(const BlockWords& words);
    void apply_coordinates(BlockWords& words);
    void apply_motion(BlockWords& words);
    void dwell(const BlockWords& words);
    void end_block();
    void end_program();
    void settle_block();

    MachineState& machine_state_;
    LineSource& lines_;
    std::unique_ptr<Working> working_;
    BlockNumber line_;                ///< of the file
    const CodeBlock* open_ = nullptr; ///< the block whose motion has been done, and the rest not
    bool held_ = false;               ///< the last happening was a wait
};

} // namespace wexilum
