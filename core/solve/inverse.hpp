// From a pose to readings in closed form, for machines with three independent linear joints and none, one or two rotary
// joints in any directions, with any offsets, wherever in the chain they sit.
#pragma once

#include "core/machine/kinematics.hpp"
#include "core/solve/two_axes.hpp"
#include "core/toolpath/linear_run.hpp"

#include <array>
#include <string>
#include <vector>

namespace wexilum {

/// What a linear joint would have to read where the others can't bring the tip to its place at all, as when they lie in a plane.
inline constexpr double out_of_reach = 1e12; // mm

enum class Outcome { solved, degraded, unreachable };

struct Candidate {
    Readings readings;
    int branch = 0;
    Outcome outcome = Outcome::solved;
    double residual = 0; ///< rad between the asked and the reached tool axis
    double pole = 10;    ///< rad to the nearest direction in which the first rotary joint does nothing (beyond 0.1 its sine); large
                         ///< without one
};

struct Candidates {
    std::vector<Candidate> list;       ///< none or up to two branches, each at the turns nearest to the given readings
    double missed_by = 0;              ///< rad to the nearest reachable direction, where the list is empty
    Vec3 nearest_axis = Vec3::UnitZ(); ///< that direction, in the work's frame
};

/// Whole turns of one rotary joint within its travel, and of two together, at most: each has to be looked at. More than that is an error,
/// as a joint without travel turns endlessly.
inline constexpr double most_turns = 1000;
inline constexpr double most_turns_together = 20000;

class InverseSolver {
public:
    /// An Error of kind unsupported says which form is missing: not three independent linear joints that drive the chain (with what follows
    /// them), more than two rotary joints, two parallel ones, one that follows others, or one that turns about the tool itself. With
    /// `free_about_tool` a single one may: its reading is then free for every direction of the tool, as in a pole.
    static Result<InverseSolver> make(const Kinematics& kinematics, bool free_about_tool = false);

    /// All branches that bring the tool to `pose` (work mount's frame, mm). Each rotary reading is taken in the turn nearest to
    /// `near`; where a joint is free its reading of `near` is kept; joints outside the chain keep theirs. Travel is not looked at.
    [[nodiscard]] Candidates solve(const Pose& pose, double tool_length, const Readings& near) const;

    /// The same, spread over every turn inside travel. Rotary joints without end keep the turn nearest to `near`.
    /// Candidates beyond travel in any joint are left out. A free joint takes the nearest readings that leave the others inside theirs.
    [[nodiscard]] std::vector<Candidate> within_travel(const Pose& pose, double tool_length, const Readings& near) const;

    /// The rotary readings alone for a tool axis (work mount's frame). At a pole the first joint reads as if the tool leaned
    /// in an arbitrary but fixed direction.
    [[nodiscard]] Branches branches(const Vec3& axis) const;

    /// The same for the cuts of a run (work mount's frame) from `first` to before `last`, as far as each has two branches apart from each
    /// other, with their linear joints; how many. The same bits as one by one.
    /// Precondition: two rotary joints, linear_together(); last <= run.count.
    std::size_t branches_along(const LinearRun& run, std::size_t first, std::size_t last, double tool_length, BranchRun& out) const;

    /// The readings of the linear joints, in the order of linear(), that bring the tip to `tip` while the rotary joints read `turns`.
    [[nodiscard]] Vec3 linear_readings(const Turns& turns, const Vec3& tip, double tool_length) const;
    /// The same from sines and cosines of the joints' motions from the reference posture. Precondition: linear_together().
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

    /// The two directions (work mount's frame) in which the first of two rotary joints does nothing: this one and its opposite.
    /// reaches_pole() says which of them the tool can take at all.
    [[nodiscard]] const Vec3& pole_axis() const { return pole_axis_; }
    [[nodiscard]] bool reaches_pole(bool opposite) const { return two_ && pole_reached_[opposite ? 1 : 0]; }

    /// No point of the tool is further than this from the axis of a rotary joint (mm) while the tip is at `tip`; infinite where no
    /// simple bound is known.
    [[nodiscard]] double lever_bound(const Vec3& tip, double tool_length) const;

    [[nodiscard]] const Kinematics& kinematics() const { return kinematics_; }
    [[nodiscard]] const std::vector<JointIndex>& rotary() const { return rotary_index_; }
    [[nodiscard]] const std::vector<JointIndex>& linear() const { return linear_; }
    [[nodiscard]] Turns turns_of(const Readings& readings) const;
    void set_turns(Readings& readings, const Turns& turns) const;

private:
    explicit InverseSolver(const Kinematics& kinematics) : kinematics_(kinematics) {}
    [[nodiscard]] Status take_linear();
    [[nodiscard]] Status take_rotary(bool free_about_tool);
    template <typename T>
    [[nodiscard]] std::array<T, 3> linear_by(const std::array<T, 2>& sine, const std::array<T, 2>& cosine, const std::array<T, 3>& tip,
                                             double tool_length) const;
    [[nodiscard]] Branches one_joint(const Vec3& wanted) const;

    Kinematics kinematics_;
    std::vector<JointIndex> linear_;
    std::vector<JointIndex> rotary_index_;    ///< from the work to the tool
    std::vector<Vec3> rotary_axis_;           ///< base frame, reference posture, with the link's sign
    std::vector<Vec3> rotary_point_;          ///< a point on each axis, base frame, reference posture
    std::array<int, 2> rotary_along_{-1, -1}; ///< the coordinate axis it lies along, -1 where none
    std::array<double, 2> at_{};              ///< reference readings of the rotary joints
    Vec3 linear_at_ = Vec3::Zero();           ///< what the linear ones read where they bring about no way
    Vec3 tool_axis_ = Vec3::UnitZ();          ///< base frame, reference posture

    bool two_ = false;
    TwoAxes two_axes_;  ///< of two rotary joints
    bool free_ = false; ///< the only rotary joint turns about the tool
    Vec3 pole_axis_ = Vec3::UnitZ();
    std::array<bool, 2> pole_reached_{};

    // Linear joints: where all three stand behind the same number of rotary joints, their directions inverted once.
    bool together_ = false;
    std::size_t rotary_before_ = 0; ///< rotary joints between the work and the linear ones
    Mat3 directions_inverse_ = Mat3::Identity();
    bool linear_at_zero_ = false;
    bool directions_straight_ = false; ///< they are X, Y and Z in this order
    bool work_straight_ = false;       ///< the work mount's frame is not turned
};

} // namespace wexilum
