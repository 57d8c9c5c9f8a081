// Which directions a machine's tool can take, and whether its travel has the part's box in it at the directions of a job.
#pragma once

#include "core/job/assembly.hpp"
#include "core/solve/inverse.hpp"

#include <limits>
#include <string>
#include <utility>
#include <vector>

namespace wexilum {

/// How the rotary joints can point the tool one way; linear travel is not looked at.
struct DirectionAt {
    int branches = 0;                                        ///< postures within travel, turns of one counted once
    double margin = std::numeric_limits<double>::infinity(); ///< rad: what the posture with most to spare leaves to the nearest end of a
                                                             ///< rotary joint's travel; infinite without ends, and without a posture
    double pole = 10; ///< rad to the nearest direction in which a rotary joint does nothing; large without one
};

/// The directions of a machine's tool in one posture, asked one by one.
class DirectionMap {
public:
    /// The machine must outlive the map. An Error where no solver is to be had for the posture.
    static Result<DirectionMap> make(const Machine& machine, const Posture& posture);
    /// By a solver of the machine, for directions in the frame that it solves for.
    static DirectionMap of(const Machine& machine, InverseSolver solver) { return {machine, std::move(solver)}; }
    /// For a tool axis in the work mount's frame, a unit vector.
    [[nodiscard]] DirectionAt at(const Vec3& axis) const;
    [[nodiscard]] const InverseSolver& solver() const { return solver_; }

private:
    DirectionMap(const Machine& machine, InverseSolver solver) : machine_(&machine), solver_(std::move(solver)) {}
    const Machine* machine_;
    InverseSolver solver_;
};

/// Tool axes in the frame of the work mount that the rotary joints can point to within their travel; linear travel is not looked at.
struct DirectionReach {
    bool any_turns = false; ///< some rotary joint of the control turns the tool against the work
    double upper = 0;       ///< share of the half-sphere about the work's Z, 0..1
    double lower = 0;       ///< and of the other one
    double all_within = 0;  ///< rad from Z up to which every direction is reached; 0 where Z itself is not
};

/// Samples the sphere with `samples` even directions. An Error where no solver is to be had for the posture.
Result<DirectionReach> direction_reach(const Machine& machine, const Posture& posture, std::size_t samples = 4000);

/// The same in words, one line for each tool mount: "spindle: every tool axis up to 90.0 deg from the work's Z …".
[[nodiscard]] std::vector<std::string> reach_remarks(const Machine& machine);

/// Whether the tip can come to the four corners of the stock's box that look towards the tool, at each direction that an operation works
/// in: a line for each operation in which it can't, with the worst direction and joint. At most 64 directions of an operation are looked
/// at. The assembly must be linked and hold its toolpath.
[[nodiscard]] std::vector<std::string> box_remarks(const Assembly& assembly);

} // namespace wexilum
