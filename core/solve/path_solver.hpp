// What a choice over a path asks of a machine's kinematics, of whatever kind: whole readings for a pose, and how they go on along a cut.
#pragma once

#include "core/solve/inverse.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// Why no readings bring the tool to a pose.
struct OutOfReach {
    double missed_by = 0;              ///< rad to the nearest direction that can be reached; 0: that is not what is wrong
    Vec3 nearest_axis = Vec3::UnitZ(); ///< that direction, in the work mount's frame
    std::optional<JointIndex> joint;   ///< otherwise: would be beyond its travel, in the candidate that comes nearest
    double beyond = 0;                 ///< by so much, mm or rad
};

/// Poses are those of the tool in the work mount's frame, mm; readings are of all joints of the machine.
class PathSolver {
public:
    virtual ~PathSolver() = default;

    /// In the machine's order.
    [[nodiscard]] virtual const std::vector<Joint>& joints() const = 0;
    /// Joints that no pose settles: with any of their readings others bring the tool there, as far as they can.
    [[nodiscard]] virtual const std::vector<JointIndex>& free_joints() const = 0;
    /// All whole readings inside travel at which the tool has this pose while the free joints read what `near` says, each with its posture
    /// (Candidate::branch) and how far it is from a singular place (Candidate::pole). A rotary joint with travel is given in each turn, one
    /// without in that nearest to `near`.
    [[nodiscard]] virtual std::vector<Candidate> candidates(const Pose& pose, double tool_length, const Readings& near) const = 0;
    /// The readings at a pose that are nearest to `near`, where the free joints stay: of the cut that goes on there, if the pose is near.
    /// Nothing where no posture has the direction. Travel is not looked at.
    [[nodiscard]] virtual std::optional<Candidate> follow(const Pose& pose, double tool_length, const Readings& near) const = 0;
    /// Of a pose without candidates.
    [[nodiscard]] virtual OutOfReach why_not(const Pose& pose, double tool_length, const Readings& near) const = 0;
};

/// The least that a joint has left to an end of its travel, as a share of half of it: 1 in the middle, 0 at an end, below it beyond. Joints
/// without travel don't count.
[[nodiscard]] double travel_left(const std::vector<Joint>& joints, const Readings& readings);

} // namespace wexilum
