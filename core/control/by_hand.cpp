// What the simulated control can't know: a person fits attachments and sets their joints, as messages of the program tell.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

#include <cmath>
#include <utility>

namespace wexilum {

void SimulatedControl::hear(std::string_view text)
{
    for (std::size_t at = text.find(controller_.comment_open); at != std::string_view::npos;) {
        const std::size_t close = text.find(controller_.comment_close, at);
        if (close == std::string_view::npos) {
            return;
        }
        const std::string_view comment = text.substr(at + 1, close - at - 1);
        end_plain_cuts();
        happens(Happening::Kind::message).text = comment;
        if (operator_.needed()) {
            operator_.hear(comment);
        }
        at = text.find(controller_.comment_open, close);
    }
}

void SimulatedControl::stop(bool optional)
{
    if (!operator_.waits() || optional) {
        happens(Happening::Kind::stop).optional = optional;
        return;
    }
    act_by_hand();
}

void SimulatedControl::act_by_hand()
{
    if (spindle_ != record::SpindleState::off) {
        report(Severity::error, "set-while-turning", "", "a person has to fit or set something while the spindle turns",
               "stop the spindle before the message");
    }
    if (machine_.retract) {
        const Joint& joint = machine_.joints[machine_.retract->value];
        const double off = std::abs(now_[Eigen::Index(machine_.retract->value)] - joint.home);
        if (off > 1e-6) {
            report(Severity::error, "set-while-low", joint.id,
                   fmt::format("a person has to fit or set something while {} is {:.3f} mm from its home", joint.id, off),
                   "retract before the message", off);
        }
    }
    for (const Operator::Task& task : operator_.take()) {
        const Mount& mount = machine_.mounts[task.mount];
        const std::uint32_t bare = machine_.at_rest().mount;
        if (task.kind != Operator::Task::Kind::set) {
            const bool fits = task.kind == Operator::Task::Kind::fit;
            if (mount_ != (fits ? bare : task.mount)) {
                report(Severity::error, "fit-wrong", mount.id,
                       fmt::format("the {} can't be {}: the {} is on the machine", mount.name, fits ? "fitted" : "taken off",
                                   machine_.mounts[mount_].name),
                       "have that one taken off before, or correct the message");
            }
            mount_ = fits ? task.mount : bare;
            continue;
        }
        if (!task.readable || mount_ != task.mount) {
            report(Severity::error, "set-unclear", mount.id,
                   task.readable ? fmt::format("the {} is to be set, but it is not on the machine", mount.name)
                                 : fmt::format("a message to set the {} names no joint of it, or no number", mount.name),
                   "correct the message");
            continue;
        }
        const Joint& joint = machine_.joints[task.joint.value];
        double& reading = now_[Eigen::Index(task.joint.value)];
        const double mark = joint.scale.nearest(task.reading);
        const bool beyond = task.reading < joint.scale.low - 1e-9 || task.reading > joint.scale.high + 1e-9;
        if (beyond || std::abs(std::remainder(mark - task.reading, whole_turn)) > 1e-6) {
            report(Severity::error, "set-unclear", joint.id,
                   fmt::format("{} is to be set to {:g}, which its scale does not have", joint.id, to_deg(task.reading)),
                   fmt::format("the nearest mark is {:g}", to_deg(mark)));
        }
        if (task.amount && std::abs(std::remainder(reading + *task.amount - task.reading, whole_turn)) > 1e-5) {
            report(Severity::error, "set-unclear", joint.id,
                   fmt::format("{} stands at {:g} deg: turned as the message tells it does not come to {:g} deg", joint.id, to_deg(reading),
                               to_deg(task.reading)),
                   "correct the sense or the amount in the message");
        }
        reading = task.reading;
    }
    mount_changed();
}

void SimulatedControl::mount_changed()
{
    Posture posture{mount_, {}};
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        if (machine_.joints[i].by_hand) {
            posture.held.push_back({JointIndex(std::uint32_t(i)), now_[Eigen::Index(i)]});
        }
    }
    length_beside_ = false;
    forget_frame();
    const auto kinematics = Kinematics::make(machine_, posture);
    if (kinematics && length_joint_ != SIZE_MAX && machine_.mounts[mount_].attachment) {
        const Vec3 axis = kinematics->length_direction();
        length_beside_ = axis.cross(kinematics->joints()[length_joint_].direction).norm() > 1e-6;
    }
    Happening& happening = happens(Happening::Kind::by_hand);
    happening.mount = mount_;
    happening.readings = now_;
}

/// The control takes another tool mount by itself.
void SimulatedControl::take_mounts(const BlockWords& words)
{
    for (const WordMeaning* meaning : words.functions) {
        const auto mount = meaning->function == Function::tool_mount ? machine_.find_tool_mount(meaning->mount) : std::nullopt;
        if (!mount) {
            continue;
        }
        changed_ = changed_ || !mount_said_ || *mount != mount_; // saying it once is something, even where it is on
        mount_known_ = mount_said_ = true;
        if (*mount == mount_) {
            continue;
        }
        const std::string& name = machine_.mounts[*mount].name;
        if (spindle_ != record::SpindleState::off) {
            report(Severity::error, "mount-while-turning", machine_.mounts[*mount].id,
                   fmt::format("the {} is taken while the spindle turns", name), "stop the spindle before it");
        }
        const double off =
            machine_.retract ? std::abs(now_[Eigen::Index(machine_.retract->value)] - machine_.joints[machine_.retract->value].home) : 0;
        if (off > 1e-6) {
            report(
                Severity::error, "mount-while-low", machine_.mounts[*mount].id,
                fmt::format("the {} is taken while {} is {:.3f} mm from its home", name, machine_.joints[machine_.retract->value].id, off),
                "retract before it", off);
        }
        mount_ = *mount;
        mount_changed();
    }
}

std::string SimulatedControl::refused_coolant() const { return coolant_refused(machine_.mounts[mount_], name_of(coolant_)); }

bool SimulatedControl::length_acts_beside() const { return length_beside_ && length_shift_ != 0 && !in_frame(); }

/// Before a motion.
void SimulatedControl::check_by_hand(bool feed)
{
    if (operator_.waits()) {
        report(Severity::error, "told-without-stop", "", "a person is told to fit or set something, but the program does not stop for it",
               "write a stop behind the message");
        (void)operator_.take();
    }
    if (feed && !std::exchange(mount_known_, true)) {
        report(Severity::error, "mount-unknown", "", "nothing says which tool mount is on",
               "write the word of the mount before the first motion");
    }
    if (!feed) {
        return;
    }
    if (const std::string refused = refused_coolant(); !refused.empty()) {
        report(Severity::error, "coolant-refused", "", refused, "write another coolant, or switch it off");
    }
    if (length_acts_beside()) {
        report(Severity::error, "length-beside-tool", "",
               fmt::format("a length register acts along {}, but the tool points elsewhere", machine_.joints[length_joint_].id),
               "switch the length off and write it into the coordinates", length_shift_);
    }
}

void SimulatedControl::turn_through_gears(ReplayMove& move) const
{
    const Gearing& gearing = machine_.mounts[mount_].gearing;
    move.spindle_rpm *= gearing.ratio;
    if (gearing.reversed && move.spindle != record::SpindleState::off) {
        move.spindle =
            move.spindle == record::SpindleState::clockwise ? record::SpindleState::counter_clockwise : record::SpindleState::clockwise;
    }
}

} // namespace wexilum
