#include "core/replay/replay_run.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <cmath>
#include <cstring>

namespace wexilum {
namespace {

/// Remembers the last move of a witness.
class LastMove final : public ReplaySink {
public:
    void move(const ReplayMove& move) override { last = move; }
    void tool_change(BlockNumber, std::uint32_t) override {}
    void dwell(BlockNumber, double) override {}
    void stop(BlockNumber, bool) override {}
    void program_end(BlockNumber) override {}
    std::optional<ReplayMove> last;
};

/// Calls `line` for each line of a source, without its end, while it returns true. A line longer than a control reads is cut, so that it is
/// told as too long.
template <typename F>
Status each_line(ByteSource& source, const F& line)
{
    std::vector<char> buffer(std::size_t{1} << 16);
    std::size_t filled = 0;
    bool skipping = false; // the rest of a line that was too long
    for (;;) {
        auto got = source.read(std::span(buffer).subspan(filled));
        if (!got) {
            return got.error();
        }
        filled += *got;
        std::size_t begin = 0;
        const auto tell = [&](std::size_t end) {
            std::string_view text(buffer.data() + begin, end - begin);
            if (!text.empty() && text.back() == '\r') {
                text.remove_suffix(1);
            }
            const bool on = skipping || line(text);
            skipping = false;
            return on;
        };
        for (;;) {
            const void* found = std::memchr(buffer.data() + begin, '\n', filled - begin);
            if (found == nullptr) {
                break;
            }
            const auto end = std::size_t(static_cast<const char*>(found) - buffer.data());
            if (!tell(end)) {
                return cancelled();
            }
            begin = end + 1;
        }
        if (*got == 0) {
            return begin == filled || tell(filled) ? Status() : cancelled();
        }
        if (begin == 0 && filled == buffer.size()) {
            if (!tell(filled)) {
                return cancelled();
            }
            skipping = true;
            begin = filled;
        }
        std::memmove(buffer.data(), buffer.data() + begin, filled - begin);
        filled -= begin;
    }
}

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
        joint.kind = address >= 'A' && address <= 'C' ? JointKind::rotary : JointKind::linear;
        joint.speed = 1e9;
        machine.joints.push_back(joint);
    }
    return machine;
}

} // namespace

ControlMemory control_memory(const Machine& machine, const Setup& setup)
{
    ControlMemory memory;
    memory.tools = &setup;
    for (const auto& [name, values] : setup.offsets) {
        for (const auto& [id, value] : values) {
            if (const auto joint = machine.find_joint(id)) {
                memory.offsets[name][joint->value] = value;
            }
        }
    }
    return memory;
}

ReplayReport replay(const Assembly& assembly, const std::vector<ReplayInput>& code, bool from_unknown,
                    const std::vector<Excursion>& excursions)
{
    MemoryRecords records(assembly.toolpath);
    std::vector<TextSource> texts;
    texts.reserve(2 * code.size());
    std::vector<ReplayStream> streams;
    streams.reserve(code.size());
    for (const ReplayInput& input : code) {
        TextSource& text = texts.emplace_back(input.text);
        streams.push_back({input.name, &text, &texts.emplace_back(input.text)});
    }
    return replay(assembly, records, excursions, streams, from_unknown).value(); // memory does not fail
}

Result<ReplayReport> replay(const Assembly& assembly, RecordSource& records, const std::vector<Excursion>& excursions,
                            const std::vector<ReplayStream>& code, bool from_unknown, RunWatch* watch, ReplayObserver* observer)
{
    ReplayReport report;
    AgreedRecords leant(assembly, records);
    WithExcursions agreed(leant, excursions);
    ExpectedPath path(assembly, agreed);
    Comparer comparer(assembly, path, report, observer);
    std::uint64_t lines = 0;
    for (const ReplayStream& input : code) {
        comparer.begin_file(input.name);
        SubprogramBook subprograms(assembly.controller);
        if (subprograms.wanted() && input.ahead != nullptr) {
            const auto note = [&](std::string_view line) {
                subprograms.line(line);
                return watch == nullptr || !watch->stopped();
            };
            if (auto status = each_line(*input.ahead, note); !status) {
                return status.error();
            }
        }
        ControlMemory memory = control_memory(assembly.machine, assembly.setup);
        memory.subprograms = &subprograms;
        Interpreter control(assembly.controller, assembly.machine, std::move(memory), from_unknown, input.name, comparer, report.findings);
        const auto read = [&](std::string_view line) {
            control.line(line);
            if (watch != nullptr && ++lines % 1024 == 0) {
                watch->replayed = lines;
                return !watch->stopped();
            }
            return true;
        };
        if (auto status = each_line(*input.text, read); !status) {
            return status.error();
        }
        control.finish();
    }
    comparer.finish();
    if (!path.status()) {
        return path.status().error();
    }
    return report;
}

Status check_witnesses(const Controller& controller, const std::string& file)
{
    const Machine machine = plain_machine(controller);
    for (const ControllerWitness& witness : controller.witnesses) {
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
        LastMove sink;
        FindingList findings;
        Interpreter control(controller, machine, memory, false, file, sink, findings);
        for (const std::string& line : witness.code) {
            control.line(line);
        }
        for (const Finding& finding : findings.list()) {
            if (finding.severity == Severity::error) {
                return missed(witness, fmt::format("its line {} does not run: {}", finding.code.line, finding.message));
            }
        }
        for (const auto& [id, value] : witness.readings) {
            const auto joint = machine.find_joint(id);
            if (!joint) {
                return missed(witness, fmt::format("no axis of the controller moves \"{}\"", id));
            }
            const double reading = control.readings()[Eigen::Index(joint->value)];
            const bool rotary = machine.joints[joint->value].kind == JointKind::rotary;
            if (std::abs(reading - value) > (rotary ? witness_angle : witness_length)) {
                return missed(witness, fmt::format("{} comes to {:.4f} instead of {:.4f}", id, rotary ? to_deg(reading) : reading,
                                                   rotary ? to_deg(value) : value));
            }
        }
        if (witness.seconds && (!sink.last || std::abs(sink.last->seconds - *witness.seconds) > 0.005 * *witness.seconds + 1e-6)) {
            return missed(witness, fmt::format("its last move takes {:.4f} s instead of {:.4f} s", sink.last ? sink.last->seconds : 0,
                                               *witness.seconds));
        }
        if (witness.arc_middle) {
            const Readings middle = sink.last ? sink.last->at(0.5) : control.readings();
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
    }
    return {};
}

} // namespace wexilum
