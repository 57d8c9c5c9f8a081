// How a machine stands for a stretch of the path: which tool mount carries the tool, which joints are held, and for which work.
#pragma once

#include "core/base/ids.hpp"

#include <cstdint>
#include <optional>
#include <vector>

namespace wexilum {

/// A joint that the path does not move, and its reading meanwhile, mm or rad.
struct HeldJoint {
    JointIndex joint;
    double reading = 0;
    friend bool operator==(const HeldJoint&, const HeldJoint&) = default;
};

struct Posture {
    std::uint32_t mount = 0;           ///< the tool mount, by its place in Machine::mounts
    std::vector<HeldJoint> held;       ///< in the order in which they are brought there
    std::uint32_t work = 0;            ///< the work that it is for, by its place in the setup
    std::optional<JointIndex> spare{}; ///< a rotary joint that the path may move at will, as the choice over the whole path finds best
    friend bool operator==(const Posture&, const Posture&) = default;
};

} // namespace wexilum
