#include "core/control/tool_mounts.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

#include <cmath>
#include <utility>

namespace wexilum {

ToolMounts::ToolMounts(const Controller& controller, const Machine& machine, std::optional<std::uint32_t> mount, ControlAxes& axes,
                       const FeedsAndSpindle& feeds, const ToolsAndLengths& tools, ControlLog& log)
    : ControlPart(log), controller_(controller), machine_(machine), axes_(axes), feeds_(feeds), tools_(tools), operator_(machine),
      mount_(mount.value_or(machine.at_rest().mount))
{
    by_words_ = controller.knows(Function::tool_mount);
    known_ = !by_words_ || !log.from_unknown();
}

void ToolMounts::hear(std::string_view line)
{
    for (std::size_t at = line.find(controller_.comment_open); at != std::string_view::npos;) {
        const std::size_t close = line.find(controller_.comment_close, at);
        if (close == std::string_view::npos) {
            return;
        }
        const std::string_view comment = line.substr(at + 1, close - at - 1);
        log_.happens(Happening::Kind::message).text = comment;
        if (operator_.needed()) {
            operator_.hear(comment);
        }
        at = line.find(controller_.comment_open, close);
    }
}

void ToolMounts::stop(bool optional)
{
    if (!operator_.waits() || optional) {
        log_.happens(Happening::Kind::stop).optional = optional;
        return;
    }
    act_by_hand();
}

std::optional<double> ToolMounts::off_home() const
{
    if (!machine_.retract) {
        return std::nullopt;
    }
    const double off = std::abs(axes_.now(machine_.retract->value) - machine_.joints[machine_.retract->value].home);
    return off > 1e-6 ? std::optional(off) : std::nullopt;
}

void ToolMounts::act_by_hand()
{
    if (feeds_.spindle() != record::SpindleState::off) {
        log_.report(Severity::error, "set-while-turning", "", "a person has to fit or set something while the spindle turns",
                    "stop the spindle before the message");
    }
    if (const auto off = off_home()) {
        const Joint& joint = machine_.joints[machine_.retract->value];
        log_.report(Severity::error, "set-while-low", joint.id,
                    fmt::format("a person has to fit or set something while {} is {:.3f} mm from its home", joint.id, *off),
                    "retract before the message", *off);
    }
    for (const Operator::Task& task : operator_.take()) {
        task.kind == Operator::Task::Kind::set ? set(task) : fit(task);
    }
    changed();
}

/// Fits an attachment, or takes it off.
void ToolMounts::fit(const Operator::Task& task)
{
    const Mount& mount = machine_.mounts[task.mount];
    const std::uint32_t bare = machine_.at_rest().mount;
    const bool fits = task.kind == Operator::Task::Kind::fit;
    if (mount_ != (fits ? bare : task.mount)) {
        log_.report(Severity::error, "fit-wrong", mount.id,
                    fmt::format("the {} can't be {}: the {} is on the machine", mount.name, fits ? "fitted" : "taken off",
                                machine_.mounts[mount_].name),
                    "have that one removed first, or correct the message");
    }
    mount_ = fits ? task.mount : bare;
}

void ToolMounts::set(const Operator::Task& task)
{
    const Mount& mount = machine_.mounts[task.mount];
    if (!task.readable || mount_ != task.mount) {
        log_.report(Severity::error, "set-unclear", mount.id,
                    task.readable ? fmt::format("the {} is to be set, but it is not on the machine", mount.name)
                                  : fmt::format("a message to set the {} names no joint of it, or no number", mount.name),
                    "correct the message");
        return;
    }
    const Joint& joint = machine_.joints[task.joint.value];
    const double reading = axes_.now(task.joint.value);
    const double mark = joint.scale.nearest(task.reading);
    const bool beyond = task.reading < joint.scale.low - 1e-9 || task.reading > joint.scale.high + 1e-9;
    if (beyond || std::abs(std::remainder(mark - task.reading, whole_turn)) > 1e-6) {
        log_.report(Severity::error, "set-unclear", joint.id,
                    fmt::format("{} is to be set to {:g}, which its scale does not have", joint.id, to_deg(task.reading)),
                    fmt::format("the nearest mark is {:g}", to_deg(mark)));
    }
    if (task.amount && std::abs(std::remainder(reading + *task.amount - task.reading, whole_turn)) > 1e-5) {
        log_.report(Severity::error, "set-unclear", joint.id,
                    fmt::format("{} stands at {:g} deg: turned as the message says it does not reach {:g} deg", joint.id, to_deg(reading),
                                to_deg(task.reading)),
                    "correct the sense or the amount in the message");
    }
    axes_.stand(task.joint.value, task.reading);
}

void ToolMounts::changed()
{
    Posture posture{mount_, {}};
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        if (machine_.joints[i].by_hand) {
            posture.held.push_back({JointIndex(std::uint32_t(i)), axes_.now(i)});
        }
    }
    length_beside_ = false;
    ++changes_;
    const auto kinematics = Kinematics::make(machine_, posture);
    const std::size_t length_joint = tools_.length_joint();
    if (kinematics && length_joint != SIZE_MAX && machine_.mounts[mount_].attachment) {
        const Vec3 axis = kinematics->length_direction();
        length_beside_ = axis.cross(kinematics->joints()[length_joint].direction).norm() > 1e-6;
    }
    Happening& happening = log_.happens(Happening::Kind::by_hand);
    happening.mount = mount_;
    happening.readings = axes_.now();
}

void ToolMounts::take(const BlockWords& words)
{
    for (const WordMeaning* meaning : words.functions) {
        const auto mount = meaning->function == Function::tool_mount ? machine_.find_tool_mount(meaning->mount) : std::nullopt;
        if (!mount) {
            continue;
        }
        log_.note_change(!said_ || *mount != mount_); // saying it once is something, even where it is on
        known_ = said_ = true;
        if (*mount == mount_) {
            continue;
        }
        const std::string& name = machine_.mounts[*mount].name;
        if (feeds_.spindle() != record::SpindleState::off) {
            log_.report(Severity::error, "mount-while-turning", machine_.mounts[*mount].id,
                        fmt::format("the {} is taken while the spindle turns", name), "stop the spindle before it");
        }
        if (const auto off = off_home()) {
            log_.report(
                Severity::error, "mount-while-low", machine_.mounts[*mount].id,
                fmt::format("the {} is taken while {} is {:.3f} mm from its home", name, machine_.joints[machine_.retract->value].id, *off),
                "retract before it", *off);
        }
        mount_ = *mount;
        changed();
    }
}

std::string ToolMounts::refused_coolant() const { return coolant_refused(machine_.mounts[mount_], name_of(feeds_.coolant())); }

void ToolMounts::check(bool feed, bool in_frame)
{
    if (operator_.waits()) {
        log_.report(Severity::error, "told-without-stop", "",
                    "a person is told to fit or set something, but the program does not stop for it", "write a stop after the message");
        (void)operator_.take();
    }
    if (feed && !std::exchange(known_, true)) {
        log_.report(Severity::error, "mount-unknown", "", "nothing says which tool mount is on",
                    "write the word of the mount before the first motion");
    }
    if (!feed) {
        return;
    }
    if (const std::string refused = refused_coolant(); !refused.empty()) {
        log_.report(Severity::error, "coolant-refused", "", refused, "write another coolant, or switch it off");
    }
    if (length_acts_beside() && !in_frame) {
        log_.report(
            Severity::error, "length-beside-tool", "",
            fmt::format("a length register acts along {}, but the tool points elsewhere", machine_.joints[tools_.length_joint()].id),
            "switch the length off and write it into the coordinates", tools_.shift());
    }
}

std::pair<std::uint32_t, double> ToolMounts::drive() const
{
    return {mount_, feeds_.spindle() == record::SpindleState::off ? 0 : feeds_.rpm().value_or(0)};
}

void ToolMounts::check_drive()
{
    if (machine_.spindles.empty() || drive() == checked_drive_) {
        return;
    }
    checked_drive_ = drive();
    if (const std::string refused = speed_refused(machine_, mount_, checked_drive_.second); !refused.empty()) {
        log_.report(Severity::error, "spindle-beyond-drive", "", refused,
                    "write a speed that the drive has, and the feed that goes with it", checked_drive_.second);
    }
}

void ToolMounts::turn_through_gears(ReplayMove& move) const
{
    const Gearing& gearing = machine_.mounts[mount_].gearing;
    move.spindle_rpm *= gearing.ratio;
    if (gearing.reversed && move.spindle != record::SpindleState::off) {
        move.spindle =
            move.spindle == record::SpindleState::clockwise ? record::SpindleState::counter_clockwise : record::SpindleState::clockwise;
    }
}

bool ToolMounts::leaves_cuts_plain() const
{
    return !operator_.waits() && (machine_.spindles.empty() || drive() == checked_drive_) &&
           (!taken() || (known_ && refused_coolant().empty() && !length_acts_beside()));
}

} // namespace wexilum
