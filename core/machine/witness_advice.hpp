// Whether a machine's witnesses would show an axis that is turned round.
#pragma once

#include "core/base/file_units.hpp"
#include "core/machine/machine.hpp"

#include <string>
#include <vector>

namespace wexilum {

/// The joints between work and tool (of any tool mount that a witness has) that could be turned round, so that their readings rise the
/// other way, with every witness still held.
[[nodiscard]] std::vector<JointIndex> unwitnessed(const Machine& machine);

/// A witness that would show them all, as text for the machine's file, with readings inside travel that are far from those of the
/// reference posture: its pose is what the machine says now, and has to be replaced by what is read off the real one.
[[nodiscard]] std::string proposed_witness(const Machine& machine, const FileUnits& units);

/// The above in words; empty where all is witnessed.
[[nodiscard]] std::vector<std::string> witness_remarks(const Machine& machine, const FileUnits& units);

} // namespace wexilum
