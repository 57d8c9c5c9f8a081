#include "core/write/subprogram_writer.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

constexpr std::size_t most_lines = 100000; // of a subprogram, which is kept in memory
constexpr std::array own_words{Role::motion,       Role::plane,           Role::feed_mode,  Role::feed,        Role::inverse_feed,
                               Role::cycle_return, Role::cycle_clearance, Role::cycle_step, Role::cycle_dwell, Role::cycle_depth};

} // namespace

/// The joints' words where the machine stands.
WordPlace SubprogramWriter::here() const
{
    WordPlace out{};
    const MachinePosition& position = motion_.place().position();
    for (std::size_t j = 0; j < assembly_.machine.joints.size(); ++j) {
        const auto word = assembly_.dialect.axes.find(assembly_.machine.joints[j].id);
        out[j] = word != assembly_.dialect.axes.end() && word->second.sign < 0 ? -position.counts[j] : position.counts[j];
    }
    return out;
}

void SubprogramWriter::begin(std::size_t operation)
{
    if (operation == operation_ || assembly_.job.operations[operation].settings.subprogram == 0 || !motion_.place().positioned ||
        written_) {
        return;
    }
    operation_ = operation;
    from_ = here();
    for (const Role role : own_words) { // stated inside, wherever it is called from
        emitter_.forget(role);
    }
    if (noted_ == nullptr) {
        motion_.note_exact(&exact_);
    }
    emitter_.put_aside(noted_ != nullptr ? *noted_ : exact_);
}

void SubprogramWriter::write_out(const Aside& lines, const std::string& why)
{
    const JobOperation& operation = assembly_.job.operations[operation_];
    Finding finding = Finding::make(
        Severity::remark, "copy-written-out",
        fmt::format("the operation {} is written out instead of calling {}: {}", operation.id, operation.settings.subprogram, why),
        "nothing has to be done; the program is longer", double(lines.lines.size()));
    finding.source = operation.place;
    finding.code.line = emitter_.lines() + 1;
    findings_.add(std::move(finding));
    emitter_.write(lines, false);
}

void SubprogramWriter::call(const Placing& placing, long long number)
{
    const auto word = [&](Function function) { return *emitter_.function(function); }; // checked when the job was linked
    const ProgramFrame& frame = motion_.place().frame;
    const auto sign = [&](std::size_t joint) { return assembly_.dialect.axes.at(assembly_.machine.joints[joint].id).sign; };
    const auto axis = [&](std::size_t joint, std::int64_t counts) {
        return Slot{Role::axes, std::uint8_t(joint), frame.quantity(joint), sign(joint) < 0 ? -counts : counts, nullptr};
    };
    const auto shift = [&](bool on) {
        Statement statement(StatementKind::state, {word(Function::coordinate_shift)});
        for (std::size_t j = 0; j < max_joints; ++j) {
            if (placing.shift[j] != 0) {
                statement.slots.push_back(axis(j, on ? placing.shift[j] : 0));
            }
        }
        emitter_.forget(Role::axes);
        emitter_.emit(statement);
    };
    // What is remembered holds behind the call.
    if (placing.shifts()) {
        shift(true);
    }
    if (placing.turn) {
        emitter_.forget(Role::axes);
        emitter_.forget(Role::plane);
        emitter_.forget(Role::rotation);
        emitter_.forget(Role::rotation_angle);
        Statement statement(StatementKind::state, {word(placing.turn->plane), word(Function::coordinate_rotation)});
        for (std::size_t k = 0; k < 2; ++k) {
            statement.slots.push_back(axis(placing.turn->joints[k], placing.turn->centre[k]));
        }
        statement.slots.push_back({Role::rotation_angle, 0, Quantity::angle, placing.turn->angle, nullptr});
        emitter_.emit(statement);
    }
    emitter_.forget(Role::subprogram);
    emitter_.emit(
        {StatementKind::state, {word(Function::subprogram_call), {Role::subprogram, 0, Quantity::whole, std::int64_t(number), nullptr}}});
    if (placing.turn) {
        emitter_.emit({StatementKind::state, {word(Function::coordinate_rotation_off)}});
        emitter_.forget(Role::plane);
    }
    if (placing.shifts()) {
        shift(false);
    }
    if (placing.shifts() || placing.turn) {
        emitter_.forget(Role::axes);
    }
}

void SubprogramWriter::end()
{
    Aside lines = emitter_.take_aside();
    if (noted_ == nullptr) {
        motion_.note_exact(nullptr);
    }
    const JobOperation& operation = assembly_.job.operations[operation_];
    const long long number = operation.settings.subprogram;
    const FrameKind frame = motion_.place().frame.kind();
    if (lines.lines.empty()) {
        return;
    }
    if (lines.lines.size() > most_lines) {
        write_out(lines, fmt::format("a subprogram of more than {} lines is not kept", most_lines));
        return;
    }
    const auto found = subprograms_.find(number);
    if (found == subprograms_.end()) {
        subprograms_[number] = {std::move(lines), from_, frame, operation.name};
        call({}, number);
        return;
    }
    Written& called = found->second;
    const auto& placement = operation.arrangement.placement;
    std::optional<double> angle;
    if (placement && !placement->mirrors()) {
        angle = Eigen::AngleAxisd(placement->turn).angle();
    }
    const CalledCopy compare(assembly_.dialect, assembly_.controller, assembly_.machine, motion_.place().frame.rounding(), frame);
    const auto placing = frame == called.frame ? compare.place({&called.lines, called.from}, {&lines, from_}, angle)
                                               : Result<Placing>(Error{ErrorKind::value, "it is written in other coordinates", {}, ""});
    if (!placing) {
        write_out(lines, placing.error().message);
        return;
    }
    called.lines.copies.push_back(lines.id);
    call(*placing, number);
}

void SubprogramWriter::write()
{
    if (std::exchange(written_, true)) {
        return;
    }
    for (const auto& [number, subprogram] : subprograms_) {
        emitter_.mark(fmt::format("{}{}", assembly_.controller.program_number, number));
        emitter_.comment(subprogram.title);
        emitter_.write(subprogram.lines, true);
        emitter_.emit({StatementKind::state, {*emitter_.function(Function::subprogram_return)}});
    }
}

} // namespace wexilum
