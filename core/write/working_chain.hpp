// The joints between work and tool as every block needs them.
#pragma once

#include "core/dialect/word_emitter.hpp"
#include "core/write/program_frame.hpp"

#include <cstdint>
#include <vector>

namespace wexilum {

/// Joints of a machine, a bit for each.
using JointSet = std::uint32_t;
[[nodiscard]] constexpr JointSet bit_of(std::size_t joint) { return JointSet{1} << joint; }

struct WorkingChain {
    struct Joint {
        std::size_t joint;
        double per_speed;
        double low; ///< travel, with room for rounding
        double high;
        Quantity quantity;
    };
    std::vector<Joint> joints;         ///< in the order of their words in a block
    std::uint32_t rotary_bits = 0;     ///< by place in `joints`
    std::uint32_t positioned_bits = 0; ///< of those that may not move in a cut
    JointSet rotary = 0;               ///< of the machine
    JointSet linear = 0;
    bool tool_turns = false;          ///< where the tool points depends on the readings
    bool beside = false;              ///< it does not point along the joint that retracts
    bool length_register_acts = true; ///< a length register acts along the tool
    bool skewed = false;              ///< linear joints stand out of square, or others go along: the way of the joints is not the tip's
};

/// `away`: the joint that retracts.
[[nodiscard]] WorkingChain working_chain(const Assembly& assembly, const ProgramFrame& frame, const InverseSolver& solver,
                                         const WordEmitter& emitter, std::optional<std::size_t> away);

inline constexpr double travel_room = 1e-6; // mm or rad: what counts as inside travel

} // namespace wexilum
