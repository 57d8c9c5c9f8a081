// Joints of a machine that point the same way.
#pragma once

#include "core/machine/machine.hpp"

namespace wexilum {

/// A joint among aligned ones, and whether it moves the tool over the work as the first of them does (1) or against it (-1).
struct SignedJoint {
    JointIndex joint;
    double sign = 1;
    bool first = false;
};

/// Those of the names that the machine has, in their order. On a machine without mounts all move alike.
[[nodiscard]] std::vector<SignedJoint> signed_joints(const Machine& machine, const std::vector<std::string>& names);

/// An Error where two of them are rotary, missing, or not parallel.
Status check_aligned(const Machine& machine, const std::vector<std::string>& names);

/// Whether a joint can have a word, a zero or a place of its own: an Error where it follows others. `what` names it, as in "the offset
/// register 1 names". No place.
Status check_leads(const Machine& machine, const std::string& joint, const std::string& what);

} // namespace wexilum
