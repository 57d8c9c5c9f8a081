// Brakes of joints as state of the simulated control.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/plain_cuts.hpp"

#include <fmt/format.h>

#include <bit>
#include <cmath>

namespace wexilum {

void SimulatedControl::apply_brakes(const BlockWords& words)
{
    for (const WordMeaning* meaning : words.functions) {
        const bool locks = meaning->function == Function::brake_lock;
        const auto joint = locks || meaning->function == Function::brake_release ? machine_.find_joint(meaning->joint) : std::nullopt;
        if (!joint) {
            continue;
        }
        std::optional<bool>& locked = locked_[joint->value];
        if (locked != locks) {
            changed_ = true;
            waited_ += locks ? machine_.joints[joint->value].brake_lock : machine_.joints[joint->value].brake_release;
        }
        locked = locks;
    }
}

/// Before a motion.
void SimulatedControl::check_brakes(const Readings& to, bool feed)
{
    for (std::uint32_t bits = braked_; bits != 0; bits &= bits - 1) {
        const auto joint = std::size_t(std::countr_zero(bits));
        const Joint& moving = machine_.joints[joint];
        const double by = std::abs(to[Eigen::Index(joint)] - now_[Eigen::Index(joint)]);
        const std::string way = fmt::format("{:.4f} {}", rotary(joint) ? to_deg(by) : by, rotary(joint) ? "deg" : "mm");
        if (by > standing && locked_[joint] == true) {
            report(Severity::error, "brake-locked", moving.id, fmt::format("{} is to move by {} while its brake is locked", moving.id, way),
                   "release the brake before the motion", by);
        } else if (by > standing && !locked_[joint]) {
            rely_on(moving.id + " brake", fmt::format("{} moves by {}, and how its brake stands was settled before", moving.id, way),
                    "release the brake");
            locked_[joint] = false;
        } else if (feed && !moving.moves_while_cutting && locked_[joint] != true) {
            report(Severity::error, "brake-open", moving.id, fmt::format("{} is not held by its brake in a cut", moving.id),
                   "lock the brake once the joint is in its place");
        }
    }
}

/// Joints that a brake could hold, and which none holds for all that is known.
std::uint32_t SimulatedControl::open_brakes() const
{
    std::uint32_t open = 0;
    for (std::uint32_t bits = braked_; bits != 0; bits &= bits - 1) {
        const auto joint = std::size_t(std::countr_zero(bits));
        open |= locked_[joint] == true ? 0 : std::uint32_t{1} << joint;
    }
    return open;
}

/// Says in which way joints may move in cuts about which check_brakes() has nothing to say; false where it has in any case.
bool SimulatedControl::hold_for_plain_cuts()
{
    if (waited_ > 0) {
        return false;
    }
    for (std::uint32_t bits = braked_; bits != 0; bits &= bits - 1) {
        const auto joint = std::size_t(std::countr_zero(bits));
        const bool moves = machine_.joints[joint].moves_while_cutting;
        if (!moves && locked_[joint] != true) {
            return false;
        }
        plain_->may_move[joint] = moves && locked_[joint] == false ? PlainCuts::endless : standing;
    }
    return true;
}

} // namespace wexilum
