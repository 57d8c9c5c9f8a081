#include "core/replay/replay_run.hpp"

#include "core/base/guarded.hpp"
#include "core/base/units.hpp"
#include "core/compare/compare.hpp"
#include "core/control/simulated_control.hpp"
#include "core/control/subprograms.hpp"
#include "core/follow/contact_observer.hpp"
#include "core/path/agreed_path.hpp"
#include "core/task/task.hpp"
#include "core/toolpath/memory_records.hpp"
#include "core/toolpath/records_ahead.hpp"

#include <fmt/format.h>

#include <cmath>
#include <deque>

namespace wexilum {
namespace {

constexpr double witness_length = 0.002; // mm
constexpr double witness_angle = 1e-5;   // rad

Error missed(const ControllerWitness& witness, const std::string& message)
{
    return {ErrorKind::witness, fmt::format("the witness \"{}\" is missed: {}", witness.name, message), witness.place,
            "check the words, numbers and offsets of the controller, or the witness itself"};
}

/// A machine that moves whatever the controller names, so that witnesses need none: A, B and C turn.
Machine plain_machine(const Controller& controller)
{
    Machine machine;
    for (const auto& [address, id] : controller.axes) {
        Joint joint;
        joint.id = id;
        const TableColumn* column = controller.table ? controller.table->column_of(id) : nullptr;
        const bool turns = column != nullptr ? column->angle : address >= 'A' && address <= 'C';
        joint.kind = turns ? JointKind::rotary : JointKind::linear;
        joint.speed = 1e9;
        machine.joints.push_back(joint);
    }
    return machine;
}

/// Texts as streams.
struct MemoryCode {
    explicit MemoryCode(const std::vector<ReplayInput>& code)
    {
        for (const ReplayInput& input : code) {
            TextSource& text = sources.emplace_back(input.text);
            streams.push_back({input.name, &text, &sources.emplace_back(input.text)});
        }
    }
    std::deque<TextSource> sources;
    std::vector<CodeStream> streams;
};

/// What the control has come to against what the witness says.
Status check_result(const Controller& controller, const Machine& machine, const ControllerWitness& witness, const Readings& readings,
                    const std::optional<ReplayMove>& last)
{
    for (const auto& [id, value] : witness.readings) {
        const auto joint = machine.find_joint(id);
        if (!joint) {
            return missed(witness, fmt::format("no axis of the controller moves \"{}\"", id));
        }
        const double reading = readings[Eigen::Index(joint->value)];
        const bool rotary = machine.joints[joint->value].kind == JointKind::rotary;
        if (std::abs(reading - value) > (rotary ? witness_angle : witness_length)) {
            return missed(witness, fmt::format("{} comes to {:.4f} instead of {:.4f}", id, rotary ? to_deg(reading) : reading,
                                               rotary ? to_deg(value) : value));
        }
    }
    if (witness.seconds && (!last || std::abs(last->seconds - *witness.seconds) > 0.005 * *witness.seconds + 1e-6)) {
        return missed(witness, fmt::format("its last move takes {:.4f} s instead of {:.4f} s", last ? last->seconds : 0, *witness.seconds));
    }
    if (witness.arc_middle) {
        const Readings middle = last ? last->at(0.5) : readings;
        const std::string letters = "XYZ";
        for (std::size_t k = 0; k < 3; ++k) {
            const auto axis = controller.axes.find(letters[k]);
            const auto joint = axis == controller.axes.end() ? std::nullopt : machine.find_joint(axis->second);
            if (joint && std::abs(middle[Eigen::Index(joint->value)] - (*witness.arc_middle)[k]) > witness_length) {
                return missed(witness, fmt::format("half-way {} is at {:.4f} instead of {:.4f}", axis->second,
                                                   middle[Eigen::Index(joint->value)], (*witness.arc_middle)[k]));
            }
        }
    }
    return {};
}

/// The rows of a witness behind the names of the columns.
Status check_rows(const Controller& controller, const Machine& machine, const ControllerWitness& witness, const std::string& file)
{
    std::string rows = controller.table->head() + "\n";
    for (const std::string& row : witness.code) {
        rows += row + "\n";
    }
    TextSource source(rows);
    const auto lines = lines_of(controller, source, false);
    MachineState state(machine);
    FindingList findings;
    const auto control = front_end(controller, machine, state, {}, {file, false, 1, false}, *lines, findings);
    std::optional<ReplayMove> last;
    while (const Happening* happening = control->step()) {
        last = happening->kind == Happening::Kind::motion ? *happening->move : last;
    }
    for (const Finding& finding : findings.list()) {
        if (finding.severity == Severity::error) {
            return missed(witness, fmt::format("its row {} does not run: {}", finding.code.line - 1, finding.message));
        }
    }
    return check_result(controller, machine, witness, state.readings, last);
}

Status check_witness(const Controller& controller, const Machine& machine, const ControllerWitness& witness, const std::string& file)
{
    if (controller.table) {
        return check_rows(controller, machine, witness, file);
    }
    ControlMemory memory;
    const WordMeaning* power_on = controller.power_on_meaning(Group::offset);
    auto& registers = memory.offsets[power_on != nullptr ? power_on->work_register : ""];
    for (const auto& [id, value] : witness.offsets) {
        if (const auto joint = machine.find_joint(id)) {
            registers[joint->value] = value;
        }
    }
    SubprogramBook subprograms(controller);
    for (const std::string& line : witness.code) {
        subprograms.line(line);
    }
    memory.subprograms = &subprograms;
    std::optional<ReplayMove> last;
    FindingList findings;
    MachineState state(machine);
    GivenLines lines(controller);
    SimulatedControl control(controller, machine, state, memory, {file, false, 1, false}, lines, findings);
    for (const std::string& line : witness.code) {
        lines.give(line);
        while (const Happening* happening = control.step()) {
            last = happening->kind == Happening::Kind::motion ? *happening->move : last;
        }
    }
    for (const Finding& finding : findings.list()) {
        // What stood before the words matters to a program, not to what they mean.
        if (finding.severity == Severity::error && finding.kind != "relies-on-unknown") {
            return missed(witness, fmt::format("its line {} does not run: {}", finding.code.line, finding.message));
        }
    }
    return check_result(controller, machine, witness, control.readings(), last);
}

} // namespace

ReplayReport replay(const Task& task, const std::vector<ReplayInput>& code, bool from_unknown, const std::vector<Excursion>& excursions)
{
    MemoryRecords records(task.toolpath);
    MemoryCode streams(code);
    return replay(task, records, excursions, streams.streams, from_unknown).value(); // memory does not fail
}

Result<ReplayReport> replay(const Task& task, RecordSource& records, const std::vector<Excursion>& excursions,
                            const std::vector<CodeStream>& code, bool from_unknown, RunWatch* watch,
                            const std::vector<MotionListener*>& observers, int threads)
{
    return guarded([&]() -> Result<ReplayReport> {
        ReplayReport report;
        AgreedRecords leant(task, records);
        std::optional<RecordsAhead> ahead;
        if (threads > 1) {
            ahead.emplace(leant);
        }
        WithExcursions agreed(task, ahead ? static_cast<RecordSource&>(*ahead) : leant, excursions);
        ExpectedPath path(task, agreed);
        Follower follower = Follower::make(task.machine, task.setup).value(); // the task is linked
        Comparer comparer(task, follower, path, report, observers);
        for (MotionListener* observer : observers) {
            follower.add(*observer);
        }
        follower.add(comparer);
        CodeRunOptions options{from_unknown, threads, watch, 0};
        for (const CodeStream& input : code) {
            comparer.begin_file(input.name);
            const auto lines = run_code({task.controller, task.machine, &task.setup}, input, options, follower, report.findings);
            if (!lines) {
                return lines.error();
            }
            options.before = *lines;
        }
        comparer.finish();
        if (!path.status()) {
            return path.status().error();
        }
        ahead.reset();
        report.findings.add_errors_of(leant.findings());
        report.findings.add_errors_of(agreed.findings());
        return report;
    });
}

Result<ContactReport> check_contacts(const Task& task, const std::vector<CodeFile>& code, RunWatch* watch)
{
    std::vector<ReplayInput> inputs;
    std::vector<ContactSources> sources;
    for (const CodeFile& file : code) {
        inputs.push_back({file.name, file.text});
        sources.push_back({&file.sources, &task.toolpath.files});
    }
    MemoryCode streams(inputs);
    return check_contacts({task.controller, task.machine, &task.setup}, streams.streams, watch, sources);
}

Status check_witnesses(const Controller& controller, const std::string& file)
{
    return guarded([&]() -> Status {
        const Machine machine = plain_machine(controller);
        for (const ControllerWitness& witness : controller.witnesses) {
            if (Status status = check_witness(controller, machine, witness, file); !status) {
                return status;
            }
        }
        return {};
    });
}

} // namespace wexilum
