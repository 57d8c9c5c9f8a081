#include "core/follow/code_run.hpp"

#include "core/base/vector_state.hpp"
#include "core/control/simulated_control.hpp"

#include <memory>

namespace wexilum {

Result<std::uint64_t> run_code(const CodeContext& context, const CodeStream& code, const CodeRunOptions& options, Follower& follower,
                               FindingList& findings)
{
    clear_vector_state();
    const Controller& controller = context.controller;
    SubprogramBook subprograms(controller);
    if (subprograms.wanted() && code.ahead != nullptr) {
        LineReader lines(*code.ahead);
        while (const auto line = lines.next()) {
            subprograms.line(*line);
            if (options.watch != nullptr && options.watch->stopped()) {
                return cancelled();
            }
        }
        if (!lines.status()) {
            return lines.status().error();
        }
    }
    ControlMemory memory = context.setup != nullptr ? control_memory(context.machine, *context.setup) : ControlMemory();
    memory.subprograms = &subprograms;
    memory.watch = options.watch;
    std::unique_ptr<LineSource> text;
    if (options.threads > 1) {
        text = std::make_unique<CodeLinesAhead>(controller, *code.text);
    } else {
        text = std::make_unique<CodeLines>(controller, *code.text);
    }
    WatchedLines lines(*text, options.watch, options.before);
    MachineState state(context.machine);
    SimulatedControl control(controller, context.machine, state, std::move(memory), {code.name, options.from_unknown, 1, true}, lines,
                             findings);
    while (const Happening* happening = control.step()) {
        follower.take(*happening);
    }
    if (!control.status()) {
        return control.status().error();
    }
    if (options.watch != nullptr && options.watch->stopped()) {
        return cancelled();
    }
    control.finish();
    return lines.count();
}

} // namespace wexilum
