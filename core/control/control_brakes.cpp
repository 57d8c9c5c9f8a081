#include "core/control/control_brakes.hpp"

#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <utility>

namespace wexilum {
namespace {

bool acts_on_brake(Function function) { return function == Function::brake_lock || function == Function::brake_release; }

} // namespace

ControlBrakes::ControlBrakes(const Controller& controller, const Machine& machine, const ControlAxes& axes, ControlLog& log)
    : ControlPart(log), machine_(machine), axes_(axes)
{
    for (const auto& [word, meaning] : controller.words) {
        const auto joint = acts_on_brake(meaning.function) ? machine.find_joint(meaning.joint) : std::nullopt;
        if (!joint) {
            continue;
        }
        braked_ |= std::uint32_t{1} << joint->value;
        const bool at_power_on = std::find(controller.power_on.begin(), controller.power_on.end(), word) != controller.power_on.end();
        if (at_power_on && !log.from_unknown()) {
            locked_[joint->value] = meaning.function == Function::brake_lock;
        }
    }
}

void ControlBrakes::apply(const BlockWords& words)
{
    for (const WordMeaning* meaning : words.functions) {
        const auto joint = acts_on_brake(meaning->function) ? machine_.find_joint(meaning->joint) : std::nullopt;
        if (!joint) {
            continue;
        }
        const bool locks = meaning->function == Function::brake_lock;
        std::optional<bool>& locked = locked_[joint->value];
        if (locked != locks) {
            log_.note_change();
            waited_ += locks ? machine_.joints[joint->value].brake_lock : machine_.joints[joint->value].brake_release;
        }
        locked = locks;
    }
}

void ControlBrakes::check(const Readings& to, bool feed)
{
    for (std::uint32_t bits = braked_; bits != 0; bits &= bits - 1) {
        const auto joint = std::size_t(std::countr_zero(bits));
        const Joint& moving = machine_.joints[joint];
        const double by = std::abs(to[Eigen::Index(joint)] - axes_.now(joint));
        if (by > standing && locked_[joint] == true) {
            log_.report(Severity::error, "brake-locked", moving.id,
                        fmt::format("{} is to move by {} while its brake is locked", moving.id, axes_.way_text(joint, by)),
                        "release the brake before the motion", by);
        } else if (by > standing && !locked_[joint]) {
            log_.rely_on(moving.id + " brake",
                         fmt::format("{} moves by {}, and how its brake stands was settled before", moving.id, axes_.way_text(joint, by)),
                         "release the brake");
            locked_[joint] = false;
        } else if (feed && !moving.moves_while_cutting && locked_[joint] != true) {
            log_.report(Severity::error, "brake-open", moving.id, fmt::format("{} is not held by its brake in a cut", moving.id),
                        "lock the brake once the joint is in its place");
        }
    }
}

double ControlBrakes::take_waited() { return std::exchange(waited_, 0); }

std::uint32_t ControlBrakes::open() const
{
    std::uint32_t open = 0;
    for (std::uint32_t bits = braked_; bits != 0; bits &= bits - 1) {
        const auto joint = std::size_t(std::countr_zero(bits));
        open |= locked_[joint] == true ? 0 : std::uint32_t{1} << joint;
    }
    return open;
}

double ControlBrakes::may_move(std::size_t joint) const
{
    const bool braked = (braked_ >> joint & 1U) != 0;
    const bool free = machine_.joints[joint].moves_while_cutting && (!braked || locked_[joint] == false);
    return free ? std::numeric_limits<double>::infinity() : standing;
}

bool ControlBrakes::leaves_cuts_plain() const
{
    for (std::uint32_t bits = braked_; bits != 0; bits &= bits - 1) {
        const auto joint = std::size_t(std::countr_zero(bits));
        if (!machine_.joints[joint].moves_while_cutting && locked_[joint] != true) {
            return false;
        }
    }
    return waited_ <= 0;
}

} // namespace wexilum
