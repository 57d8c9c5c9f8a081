#include "core/follow/code_run.hpp"

#include "core/base/vector_state.hpp"
#include "core/control/front_end.hpp"
#include "core/control/subprograms.hpp"

#include <algorithm>
#include <memory>

namespace wexilum {

namespace {

/// The first lines of a source.
class FirstLines final : public LineSource {
public:
    FirstLines(LineSource& lines, std::uint64_t count) : lines_(lines), left_(count) {}
    const CodeLine* next() override { return left_ > 0 && left_-- > 0 ? lines_.next() : nullptr; }
    [[nodiscard]] const Status& status() const override { return lines_.status(); }

private:
    LineSource& lines_;
    std::uint64_t left_;
};

/// Reads the subprograms of a file before it is run.
Status read_ahead(const CodeStream& code, SubprogramBook& book, const RunWatch* watch)
{
    if (!book.wanted() || code.ahead == nullptr) {
        return {};
    }
    LineReader lines(*code.ahead);
    while (const auto line = lines.next()) {
        book.line(*line);
        if (watch != nullptr && watch->stopped()) {
            return cancelled();
        }
    }
    return lines.status();
}

ControlMemory memory_of(const CodeContext& context, SubprogramBook& book, RunWatch* watch)
{
    ControlMemory memory = context.setup != nullptr ? control_memory(context.machine, *context.setup) : ControlMemory();
    memory.subprograms = &book;
    memory.watch = watch;
    return memory;
}

} // namespace

Result<std::uint64_t> run_code(const CodeContext& context, const CodeStream& code, const CodeRunOptions& options, Follower& follower,
                               FindingList& findings)
{
    clear_vector_state();
    SubprogramBook book(context.controller);
    if (const Status status = read_ahead(code, book, options.watch); !status) {
        return status.error();
    }
    const std::unique_ptr<LineSource> text = lines_of(context.controller, *code.text, options.threads > 1);
    WatchedLines lines(*text, options.watch, options.before);
    MachineState state(context.machine);
    const auto control = front_end(context.controller, context.machine, state, memory_of(context, book, options.watch),
                                   {code.name, options.from_unknown, 1, true}, lines, findings);
    while (const Happening* happening = control->step()) {
        follower.take(*happening);
    }
    if (!control->status()) {
        return control->status().error();
    }
    if (options.watch != nullptr && options.watch->stopped()) {
        return cancelled();
    }
    control->finish();
    return lines.count();
}

Result<std::optional<ControlState>> state_behind(const CodeContext& context, const CodeStream& code, std::uint32_t block, RunWatch* watch)
{
    SubprogramBook book(context.controller);
    if (const Status status = read_ahead(code, book, watch); !status) {
        return status.error();
    }
    const auto& subprograms = book.all();
    const bool called = std::any_of(subprograms.begin(), subprograms.end(), [&](const auto& s) { return s.second.first <= block; });
    const std::unique_ptr<LineSource> text = lines_of(context.controller, *code.text, false);
    WatchedLines watched(*text, watch);
    FirstLines lines(watched, called ? UINT64_MAX : block);
    MachineState machine(context.machine);
    FindingList findings;
    const auto control = front_end(context.controller, context.machine, machine, memory_of(context, book, watch),
                                   {code.name, false, 1, !called}, lines, findings);
    std::optional<ControlState> out;
    while (const Happening* happening = control->step()) {
        if (called && happening->called_by.value != 0 && happening->block.value >= block) {
            out = control->state();
            break;
        }
    }
    if (!control->status()) {
        return control->status().error();
    }
    return called ? out : std::optional(control->state());
}

} // namespace wexilum
