#include "core/compare/state_check.hpp"

#include "core/base/units.hpp"
#include "core/compare/record_check.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

/// The first joint that a person has set differently from the posture; nullptr where all are as it says.
const HeldJoint* wrong_by_hand(const Machine& machine, const Posture& posture, const Readings& readings)
{
    for (const HeldJoint& held : posture.held) {
        const double off = readings[Eigen::Index(held.joint.value)] - held.reading;
        if (machine.joints[held.joint.value].by_hand && std::abs(std::remainder(off, whole_turn)) > 1e-6) {
            return &held;
        }
    }
    return nullptr;
}

} // namespace

StateCheck::StateCheck(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, CompareLog& log)
    : PathCheck(log), task_(task), follower_(follower), budget_(budget), place_(place), kerf_(task),
      brakes_(task.machine, [this](const Joint& joint, const Expected& item, BlockNumber block) {
          log_.find(Severity::error, "brake-open", joint.id,
                    fmt::format("{} is not held by its brake, and none of the operation's cuts turns it", joint.id),
                    "lock the brake once the joint is in its place", &item, block);
      })
{}

bool StateCheck::leaves_cuts_plain(const ReplayMove& common, const Expected& state) const
{
    return !kerf_.any() && state.posture == checked_posture_ && !spindle_differs(common, state) && !coolant_differs(common, state) &&
           common.tool == state.tool;
}

void StateCheck::begin(const SeenMotion& seen, bool cuts)
{
    if (kerf_.any()) {
        check_kerf(seen);
    }
    if (!cuts || place_.current() == nullptr) {
        return;
    }
    brakes_.cut(seen.move, *place_.current());
    if (place_.current()->kind == Expected::Kind::by_hand) {
        miss_posture(seen.move);
    }
    if (place_.current() != nullptr && place_.current()->posture != checked_posture_) {
        check_parked(seen.move);
    }
}

bool StateCheck::stands_as(const Posture& posture, std::uint32_t mount, const Readings& readings) const
{
    return mount == posture.mount && wrong_by_hand(task_.machine, posture, readings) == nullptr;
}

bool StateCheck::spindle_differs(const ReplayMove& move, const Expected& item) const
{
    if (task_.setup.spindle != Actor::program) {
        return false;
    }
    const bool turning = item.spindle != record::SpindleState::off;
    const double rounding = task_.controller.speed_increment * std::max(1.0, task_.machine.mounts[move.mount].gearing.ratio);
    return move.spindle != item.spindle || (turning && std::abs(move.spindle_rpm - item.spindle_rpm) > rounding);
}

bool StateCheck::coolant_differs(const ReplayMove& move, const Expected& item) const
{
    return task_.setup.coolant == Actor::program && move.coolant != item.coolant;
}

void StateCheck::check(const SeenMotion& seen, const Expected& item)
{
    const ReplayMove& m = seen.move;
    if (spindle_differs(m, item)) {
        log_.find(Severity::error, "spindle-differs", "",
                  item.spindle != record::SpindleState::off
                      ? fmt::format("the path cuts at {:.0f} rpm, the program at {:.0f} rpm or the other way round", item.spindle_rpm,
                                    m.spindle == record::SpindleState::off ? 0.0 : m.spindle_rpm)
                      : std::string("the spindle turns where the path has it standing"),
                  "restate the spindle", &item, m.block);
    }
    if (coolant_differs(m, item)) {
        log_.find(Severity::error, "coolant-differs", "", "the coolant is not as the path asks", "restate the coolant", &item, m.block);
    }
    if (m.tool != item.tool) {
        log_.find(Severity::error, "tool-differs", "", fmt::format("tool {} cuts, the path asks for tool {}", m.tool, item.tool),
                  "restore the tool change", &item, m.block);
    }
}

void StateCheck::check_kerf(const SeenMotion& seen)
{
    const Tool* tool = follower_.chain(seen.move.mount).kinematics.blade() ? task_.setup.find_tool(seen.move.tool) : nullptr;
    const Body* body = tool != nullptr ? kerf_.reached(seen.from, seen.to, *tool, follower_.work()) : nullptr;
    if (body != nullptr) {
        log_.find(Severity::error, "reaches-kept", body->id,
                  fmt::format("the blade reaches {}, which is not to be cut", body->id.empty() ? "a body" : body->id),
                  "end the cut sooner, cut less deep, or take a smaller blade", place_.current(), seen.move.block);
    }
}

/// The tool cuts before a person has set the machine as the path needs it.
void StateCheck::miss_posture(const ReplayMove& move)
{
    const Expected& item = *place_.current();
    const Machine& machine = task_.machine;
    std::string message;
    if (move.mount != item.posture->mount) {
        message = fmt::format("the {} is on the machine, the path needs the {}", machine.mounts[move.mount].name,
                              machine.mounts[item.posture->mount].name);
    }
    const HeldJoint* wrong = wrong_by_hand(machine, *item.posture, move.to);
    if (message.empty() && wrong != nullptr) {
        message = fmt::format("{} has been set to {:g} deg, the path needs {:g} deg", machine.joints[wrong->joint.value].id,
                              to_deg(move.to[Eigen::Index(wrong->joint.value)]), to_deg(wrong->reading));
    }
    log_.find(Severity::error, "set-wrong", "", message, "correct the message, or restore the one that is missing with its stop", &item,
              move.block);
    place_.skip();
    place_.forget_link();
}

/// Joints that the control moves and the posture holds stand where it says.
void StateCheck::check_parked(const ReplayMove& move)
{
    checked_posture_ = place_.current()->posture;
    for (const HeldJoint& held : checked_posture_ != nullptr ? checked_posture_->held : std::vector<HeldJoint>()) {
        const std::size_t i = held.joint.value;
        const Joint& joint = task_.machine.joints[i];
        const double off = std::abs(move.to[Eigen::Index(i)] - held.reading);
        if (!joint.by_hand && off > budget_.half_increment(i) * RecordCheck::allowed_share) {
            const bool turns = joint.kind == JointKind::rotary;
            log_.find(Severity::error, "parked-wrong", joint.id,
                      fmt::format("{} stands {:.4f} {} from where the operation parks it", joint.id, turns ? to_deg(off) : off,
                                  turns ? "deg" : "mm"),
                      "correct the word that brings it there", place_.current(),
                      log_.set_by()[i].value != 0 ? log_.set_by()[i] : move.block, off);
        }
    }
}

} // namespace wexilum
