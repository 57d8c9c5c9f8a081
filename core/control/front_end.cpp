#include "core/control/front_end.hpp"

#include "core/control/simulated_control.hpp"
#include "core/control/table_control.hpp"

#include <utility>

namespace wexilum {
namespace {

/// The lines of a text as they are.
class TextLines final : public LineSource {
public:
    explicit TextLines(ByteSource& source) : reader_(source) {}
    const CodeLine* next() override
    {
        const auto text = reader_.next();
        if (!text) {
            return nullptr;
        }
        line_.text = *text;
        return &line_;
    }
    [[nodiscard]] const Status& status() const override { return reader_.status(); }

private:
    LineReader reader_;
    CodeLine line_;
};

} // namespace

std::unique_ptr<FrontEnd> front_end(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory,
                                    const ControlStart& start, LineSource& lines, FindingList& findings)
{
    if (controller.table) {
        return std::make_unique<TableControl>(controller, machine, state, std::move(memory), start, lines, findings);
    }
    return std::make_unique<SimulatedControl>(controller, machine, state, std::move(memory), start, lines, findings);
}

std::unique_ptr<LineSource> lines_of(const Controller& controller, ByteSource& source, bool ahead)
{
    if (controller.table) {
        return std::make_unique<TextLines>(source);
    }
    if (ahead) {
        return std::make_unique<CodeLinesAhead>(controller, source);
    }
    return std::make_unique<CodeLines>(controller, source);
}

} // namespace wexilum
