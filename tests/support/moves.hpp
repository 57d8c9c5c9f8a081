// Catches what the simulated control does, and runs it line by line.
#pragma once

#include "core/control/simulated_control.hpp"

#include <vector>

namespace wexilum::test {

class Moves final : public ReplaySink {
public:
    void move(const ReplayMove& move) override { list.push_back(move); }
    std::vector<ReplayMove> list;
};

/// Runs a whole text.
inline void run_text(const Controller& controller, const Machine& machine, ControlMemory memory, const ControlStart& start,
                     std::string_view text, ReplaySink& sink, FindingList& findings)
{
    MachineState state(machine);
    TextSource source(text);
    CodeLines lines(controller, source);
    SimulatedControl control(controller, machine, state, std::move(memory), start, lines, findings);
    while (const Happening* happening = control.step()) {
        hand_to(*happening, sink);
    }
    control.finish();
}

/// A control that gets its lines one by one and hands what they do to a sink.
class FedControl {
public:
    FedControl(const Controller& controller, const Machine& machine, ControlMemory memory, bool from_unknown, const std::string& file,
               ReplaySink& sink, FindingList& findings)
        : state_(machine), lines_(controller), sink_(sink),
          control_(controller, machine, state_, std::move(memory), {file, from_unknown}, lines_, findings)
    {}
    void line(std::string_view text)
    {
        lines_.give(text);
        while (const Happening* happening = control_.step()) {
            hand_to(*happening, sink_);
        }
    }
    void finish() { control_.finish(); }
    [[nodiscard]] const Readings& readings() const { return control_.readings(); }

private:
    MachineState state_;
    GivenLines lines_;
    ReplaySink& sink_;
    SimulatedControl control_;
};

} // namespace wexilum::test
