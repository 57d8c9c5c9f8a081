// Three linear joints that bring the tip of a tool to its place, whatever the rotary joints between tool and work read: the half of a
// solver that needs no direction.
#pragma once

#include "core/machine/kinematics.hpp"
#include "core/solve/branches.hpp"
#include "core/toolpath/linear_run.hpp"

#include <array>
#include <vector>

namespace wexilum {

/// What a linear joint would have to read where the others can't bring the tip to its place at all, as when they lie in a plane.
inline constexpr double out_of_reach = 1e12; // mm

/// Rotary joints between tool and work that a solver can do with.
inline constexpr std::size_t most_rotary = 3;

/// A number for each rotary joint between work and tool, from the work on; those that are not there have none.
using RotaryParts = std::array<double, most_rotary>;

class LinearJoints {
public:
    /// The readings of the linear joints, in the order of linear(), that bring the tip to `tip` while the rotary joints read what
    /// `readings` says.
    [[nodiscard]] Vec3 linear_readings(const Readings& readings, const Vec3& tip, double tool_length) const;
    /// The same from sines and cosines of the joints' motions from the reference posture, in the order of rotary(). Precondition:
    /// linear_together().
    [[nodiscard]] Vec3 linear_readings(const RotaryParts& sine, const RotaryParts& cosine, const Vec3& tip, double tool_length) const;
    /// Likewise for two rotary joints at most.
    [[nodiscard]] Vec3 linear_readings(const Turns& sine, const Turns& cosine, const Vec3& tip, double tool_length) const;
    /// The same for one branch of each cut of a run from `first` to before `end`.
    void linear_along(const LinearRun& run, std::size_t first, std::size_t end, double tool_length, const std::array<Column, 2>& sine,
                      const std::array<Column, 2>& cosine, std::array<Column, 3>& out) const;
    /// Whether no rotary joint stands between two linear ones.
    [[nodiscard]] bool linear_together() const { return together_; }
    /// The reading of a rotary joint (in the order of rotary()) in the reference posture.
    [[nodiscard]] double rotary_reference(std::size_t rotary) const { return at_[rotary]; }
    /// Sets the linear joints of `readings` so that the tip comes to `tip`, rotary readings as they are.
    void set_linear(Readings& readings, const Vec3& tip, double tool_length) const;

    /// No point of the tool is further than this from the axis of a rotary joint (mm) while the tip is at `tip`; infinite where no
    /// simple bound is known.
    [[nodiscard]] double lever_bound(const Vec3& tip, double tool_length) const;

    [[nodiscard]] const Kinematics& kinematics() const { return kinematics_; }
    /// All rotary joints between work and tool, from the work on.
    [[nodiscard]] const std::vector<JointIndex>& rotary() const { return rotary_index_; }
    [[nodiscard]] const std::vector<JointIndex>& linear() const { return linear_; }
    /// Gives the rotary joints of `to` what they read in `from`.
    void take_rotary(Readings& to, const Readings& from) const;
    /// How far rotary joints turn in all from one place to the other, rad.
    [[nodiscard]] double turn_between(const Readings& from, const Readings& to) const;

protected:
    explicit LinearJoints(const Kinematics& kinematics) : kinematics_(kinematics) {}
    /// Takes the chain's joints; an Error of kind unsupported where the linear ones are not three that lie apart, or a rotary one follows
    /// others.
    [[nodiscard]] Status take_joints();
    [[nodiscard]] Vec3 in_base(const Vec3& axis) const { return work_straight_ ? axis : Vec3(kinematics_.work_frame().linear() * axis); }
    [[nodiscard]] bool work_straight() const { return work_straight_; }
    /// Base frame, reference posture, with the link's sign.
    [[nodiscard]] const Vec3& rotary_axis(std::size_t rotary) const { return rotary_axis_[rotary]; }

private:
    [[nodiscard]] Status take_rotary_joints();
    template <typename T, std::size_t n>
    [[nodiscard]] std::array<T, 3> linear_by(const std::array<T, n>& sine, const std::array<T, n>& cosine, const std::array<T, 3>& tip,
                                             double tool_length) const;

    Kinematics kinematics_;
    std::vector<JointIndex> linear_;
    std::vector<JointIndex> rotary_index_; ///< from the work to the tool
    std::vector<Vec3> rotary_axis_;
    std::vector<Vec3> rotary_point_;                        ///< a point on each axis, base frame, reference posture
    std::array<int, most_rotary> rotary_along_{-1, -1, -1}; ///< the coordinate axis it lies along, -1 where none
    RotaryParts at_{};                                      ///< reference readings of the rotary joints
    Vec3 linear_at_ = Vec3::Zero();                         ///< what the linear ones read where they bring about no way
    // Where all three stand behind the same number of rotary joints their directions are inverted once.
    bool together_ = false;
    std::size_t rotary_before_ = 0; ///< rotary joints between the work and the linear ones
    Mat3 directions_inverse_ = Mat3::Identity();
    bool linear_at_zero_ = false;
    bool directions_straight_ = false; ///< they are X, Y and Z in this order
    bool work_straight_ = false;       ///< the work mount's frame is not turned
};

} // namespace wexilum
