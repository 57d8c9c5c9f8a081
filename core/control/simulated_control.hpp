// The simulated control: reads blocks by the controller's definition alone and moves the machine's joints.
#pragma once

#include "core/base/finding.hpp"
#include "core/control/front_end.hpp"

#include <memory>
#include <optional>
#include <string>

namespace wexilum {

struct BlockWords;
struct Controller;

class SimulatedControl final : public FrontEnd {
public:
    /// All references must outlive the control. It enters the machine's state, whose joints it moves from where they stand.
    SimulatedControl(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory,
                     const ControlStart& start, LineSource& lines, FindingList& findings);
    ~SimulatedControl() override;

    /// While the control is held at a mark (waits()), it is that wait again.
    const Happening* step() override;
    [[nodiscard]] bool waits() const;
    [[nodiscard]] const Status& status() const override { return lines_.status(); }
    void finish() override;
    /// The block that the control is at, and how its joints stand.
    [[nodiscard]] BlockNumber block() const;
    [[nodiscard]] const Readings& readings() const { return machine_state_.readings; }
    [[nodiscard]] std::uint32_t channel() const;
    [[nodiscard]] ControlState state() const override;

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
