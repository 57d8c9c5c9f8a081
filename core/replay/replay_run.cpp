#include "core/replay/replay_run.hpp"

#include "core/base/guarded.hpp"
#include "core/base/hand_over.hpp"
#include "core/base/units.hpp"
#include "core/base/vector_state.hpp"
#include "core/compare/compare.hpp"
#include "core/control/interpreter.hpp"
#include "core/path/agreed_path.hpp"
#include "core/task/task.hpp"
#include "core/toolpath/memory_records.hpp"
#include "core/toolpath/records_ahead.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstring>
#include <thread>

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

/// Reads a program's lines into words on a thread of its own.
class BlocksAhead {
public:
    /// All must outlive the object.
    BlocksAhead(const Controller& controller, ByteSource& source) : controller_(controller), source_(source)
    {
        started_ = start_thread(thread_, [this] { read(); });
    }
    ~BlocksAhead()
    {
        batches_.stop();
        if (thread_.joinable()) {
            thread_.join();
        }
    }
    /// False where there is no thread to be had: nothing is read then.
    [[nodiscard]] bool started() const { return started_; }
    BlocksAhead(const BlocksAhead&) = delete;
    BlocksAhead& operator=(const BlocksAhead&) = delete;

    struct Line {
        std::string_view text;
        CodeBlock block;
        Status status; ///< of reading it
    };
    /// The next line; nullptr at the end, or where the source failed. It lives until the next call.
    Line* next()
    {
        if (at_ == batch_.count) {
            at_ = batch_.count = 0;
            if (!batches_.take(batch_)) {
                if (thrown_) {
                    std::rethrow_exception(std::exchange(thrown_, nullptr));
                }
                return nullptr;
            }
        }
        return &batch_.lines[at_++];
    }
    /// Precondition: next() has said that there is no more.
    [[nodiscard]] const Status& status() const { return status_; }

private:
    static constexpr std::size_t batch_lines = 256;
    struct Batch {
        std::vector<char> text;                            ///< not a string: short ones move their characters with them
        std::array<std::size_t, batch_lines + 1> starts{}; ///< of the lines in the text, and its end
        std::vector<Line> lines;
        std::size_t count = 0;
    };
    void read()
    {
        try {
            read_batches();
        } catch (...) {
            thrown_ = std::current_exception();
            batches_.end();
        }
    }
    void read_batches()
    {
        std::uint32_t number = 0;
        Batch batch;
        const auto hand_over = [&] {
            batch.lines.resize(batch_lines);
            for (std::size_t i = 0; i < batch.count; ++i) {
                Line& line = batch.lines[i];
                line.text = {batch.text.data() + batch.starts[i], batch.starts[i + 1] - batch.starts[i]};
                line.status = read_block(controller_, line.text, BlockNumber(++number), line.block);
            }
            const bool wanted = batches_.put(std::move(batch));
            batch = batches_.spare();
            batch.text.clear();
            batch.count = 0;
            return wanted;
        };
        status_ = each_line(source_, [&](std::string_view line) {
            batch.text.insert(batch.text.end(), line.begin(), line.end());
            batch.starts[++batch.count] = batch.text.size();
            return batch.count < batch_lines || hand_over();
        });
        if (batch.count > 0) {
            (void)hand_over();
        }
        batches_.end();
    }

    const Controller& controller_;
    ByteSource& source_;
    Status status_;
    HandOver<Batch> batches_{8};
    Batch batch_;
    std::size_t at_ = 0;
    std::exception_ptr thrown_; ///< in the thread, for next()
    bool started_ = false;
    std::thread thread_;
};

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

ReplayReport replay(const Task& task, const std::vector<ReplayInput>& code, bool from_unknown, const std::vector<Excursion>& excursions)
{
    MemoryRecords records(task.toolpath);
    std::vector<TextSource> texts;
    texts.reserve(2 * code.size());
    std::vector<ReplayStream> streams;
    streams.reserve(code.size());
    for (const ReplayInput& input : code) {
        TextSource& text = texts.emplace_back(input.text);
        streams.push_back({input.name, &text, &texts.emplace_back(input.text)});
    }
    return replay(task, records, excursions, streams, from_unknown).value(); // memory does not fail
}

Result<ReplayReport> replay(const Task& task, RecordSource& records, const std::vector<Excursion>& excursions,
                            const std::vector<ReplayStream>& code, bool from_unknown, RunWatch* watch, ReplayObserver* observer,
                            int threads)
{
    return guarded([&]() -> Result<ReplayReport> {
        clear_vector_state();
        ReplayReport report;
        AgreedRecords leant(task, records);
        std::optional<RecordsAhead> ahead;
        if (threads > 1) {
            ahead.emplace(leant);
        }
        WithExcursions agreed(task, ahead ? static_cast<RecordSource&>(*ahead) : leant, excursions);
        ExpectedPath path(task, agreed);
        Comparer comparer(task, path, report, observer);
        std::uint64_t lines = 0;
        for (const ReplayStream& input : code) {
            comparer.begin_file(input.name);
            SubprogramBook subprograms(task.controller);
            if (subprograms.wanted() && input.ahead != nullptr) {
                const auto note = [&](std::string_view line) {
                    subprograms.line(line);
                    return watch == nullptr || !watch->stopped();
                };
                if (auto status = each_line(*input.ahead, note); !status) {
                    return status.error();
                }
            }
            ControlMemory memory = control_memory(task.machine, task.setup);
            memory.subprograms = &subprograms;
            memory.watch = watch;
            Interpreter control(task.controller, task.machine, std::move(memory), from_unknown, input.name, comparer, report.findings);
            const auto go_on = [&] {
                if (watch != nullptr && ++lines % 1024 == 0) {
                    watch->replayed = lines;
                    return !watch->stopped();
                }
                return true;
            };
            const auto read = [&](std::string_view line) {
                control.line(line);
                return go_on();
            };
            const auto read_ahead = [&]() -> Status {
                BlocksAhead blocks(task.controller, *input.text);
                if (!blocks.started()) {
                    return each_line(*input.text, read);
                }
                while (BlocksAhead::Line* line = blocks.next()) {
                    control.line(line->text, line->block, line->status);
                    if (!go_on()) {
                        return cancelled();
                    }
                }
                return blocks.status();
            };
            if (auto status = threads > 1 ? read_ahead() : each_line(*input.text, read); !status) {
                return status.error();
            }
            if (watch != nullptr && watch->stopped()) {
                return cancelled();
            }
            control.finish();
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

Status check_witnesses(const Controller& controller, const std::string& file)
{
    return guarded([&]() -> Status {
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
                // What stood before the words matters to a program, not to what they mean.
                if (finding.severity == Severity::error && finding.kind != "relies-on-unknown") {
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
    });
}

} // namespace wexilum
