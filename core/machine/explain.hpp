// Why a machine misses its witnesses: single mistakes of its definition that would explain what was measured.
#pragma once

#include "core/machine/machine.hpp"

#include <string>
#include <vector>

namespace wexilum {

/// One mistake that, put right, lets a missed witness hold.
struct Explanation {
    enum class Kind {
        sign,        ///< a joint's direction is turned round
        exchange,    ///< the readings of two joints are exchanged
        zero,        ///< a joint's reading as drawn (`at`) is off
        tool_length, ///< the witness's tool is longer or shorter
        gauge_point, ///< the tool mount lies further along its own Z
        axis_point,  ///< the axis of a rotary joint lies beside where it is drawn
        work_point   ///< the work mount lies elsewhere
    };
    Kind kind = Kind::sign;
    std::string subject;      ///< a joint, or a mount
    std::string other;        ///< the second joint of an exchange
    double by = 0;            ///< mm or rad, to be added
    Vec3 move = Vec3::Zero(); ///< of a point, mm, to be added in the base frame
    std::size_t holds = 0;    ///< how many of the machine's witnesses hold then
    std::string text;         ///< "the direction of X is turned round"
};

/// Explanations of a missed witness, the nearest first: those with which most witnesses hold, of these the simplest (in the order of
/// Kind; a small change before a large one). Empty where it holds, or where no single mistake explains it. Moved points stand last: they
/// explain nearly anything that is just moved. Precondition: the machine has a tool and a work mount, and such a witness.
[[nodiscard]] std::vector<Explanation> explanations(const Machine& machine, std::size_t witness);

/// How many of the machine's witnesses hold. Precondition: as above.
[[nodiscard]] std::size_t holding(const Machine& machine);

} // namespace wexilum
