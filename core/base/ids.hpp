// Strong numbers, so that a joint, a record, a line and a block can't be mixed up.
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>

namespace wexilum {

template <typename Tag, typename Rep = std::uint32_t>
struct Id {
    Rep value{};
    constexpr Id() = default;
    constexpr explicit Id(Rep v) : value(v) {}
    friend constexpr auto operator<=>(Id, Id) = default;
};

using JointIndex = Id<struct JointTag>;    ///< position in Machine::joints, from 0
using RecordNumber = Id<struct RecordTag>; ///< position in a toolpath, from 0
using LineNumber = Id<struct LineTag>;     ///< line of a text file, from 1; 0 is unknown
using BlockNumber = Id<struct BlockTag>;   ///< block of a program (its line), from 1; 0 is unknown

} // namespace wexilum
