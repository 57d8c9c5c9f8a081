#include "core/control/machine_state.hpp"

#include <algorithm>

namespace wexilum {

MachineState::MachineState(const Machine& machine) : readings(machine.home()) {}

std::optional<JointIndex> MachineState::enter(std::uint32_t channel, std::uint32_t joints)
{
    mark_[channel].clear();
    std::optional<JointIndex> shared;
    for (std::uint32_t i = 0; i < max_joints; ++i) {
        if ((joints >> i & 1U) == 0) {
            continue;
        }
        if (channels_[i] != 0 && channels_[i] != channel) {
            shared = shared.value_or(JointIndex(i));
        } else {
            channels_[i] = channel;
        }
    }
    return shared;
}

void MachineState::leave(std::uint32_t channel)
{
    mark_[channel].clear();
    std::replace(channels_.begin(), channels_.end(), channel, std::uint32_t{0});
}

void MachineState::arrive(std::uint32_t channel, const std::string& mark)
{
    mark_[channel] = mark;
    const bool all = std::all_of(mark_.begin(), mark_.end(), [&](const auto& other) { return other.second == mark; });
    for (auto& [other, at] : mark_) {
        at = all ? std::string() : at;
    }
}

bool MachineState::waits(std::uint32_t channel) const
{
    const auto found = mark_.find(channel);
    return found != mark_.end() && !found->second.empty();
}

} // namespace wexilum
