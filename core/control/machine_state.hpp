// The machine as the controls of its channels share it: where its joints stand, which channel moves which, and who waits for whom.
#pragma once

#include "core/machine/machine.hpp"

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <string>

namespace wexilum {

class MachineState {
public:
    /// Every joint at home, no channel on it. The machine must outlive the state.
    explicit MachineState(const Machine& machine);

    /// By joint, mm or rad; a control moves its own joints in place.
    Readings readings;

    /// A channel that runs a program, which moves these joints (a bit each). The joint of them that another channel moves already, if
    /// there is one: then the channel is on the machine all the same, and the joint stays the other one's.
    std::optional<JointIndex> enter(std::uint32_t channel, std::uint32_t joints);
    /// The channel's program has ended: its joints are free. It comes to no mark any more, so whoever waits stays waiting.
    void leave(std::uint32_t channel);
    /// The channel that moves a joint; 0: none.
    [[nodiscard]] std::uint32_t channel_of(JointIndex joint) const { return channels_[joint.value]; }

    /// The channel has come to a mark at which all channels that have entered wait for each other. Where it is the last one to come, all
    /// of them are let go.
    void arrive(std::uint32_t channel, const std::string& mark);
    /// How many channels have entered.
    [[nodiscard]] std::size_t channels() const { return mark_.size(); }
    /// Whether the channel is held at its mark.
    [[nodiscard]] bool waits(std::uint32_t channel) const;

private:
    std::array<std::uint32_t, max_joints> channels_{}; ///< by joint
    std::map<std::uint32_t, std::string> mark_;        ///< by channel that has entered; empty: it waits at none
};

} // namespace wexilum
