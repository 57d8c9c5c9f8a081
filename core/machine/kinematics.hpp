// Forward kinematics: product of exponentials over the chains from the base to the tool and to the work.
// Source: R. M. Murray, Z. Li, S. S. Sastry, A Mathematical Introduction to Robotic Manipulation, 1994, section 3.2.
#pragma once

#include "core/base/column.hpp"
#include "core/machine/machine.hpp"

#include <array>
#include <optional>
#include <vector>

namespace wexilum {

/// Poses of a machine, column by column.
struct PoseRun {
    std::array<Column, 3> tip{};
    std::array<Column, 3> axis{};
    std::array<Column, max_joints> lever{}; ///< by joint

    [[nodiscard]] Pose at(std::size_t i) const { return {{tip[0][i], tip[1][i], tip[2][i]}, {axis[0][i], axis[1][i], axis[2][i]}}; }
};

/// The kinematics between one tool mount and one work mount. Copies what it needs of the machine.
class Kinematics {
public:
    /// Uses the machine's first tool and work mount. An error of kind value if one is missing.
    static Result<Kinematics> make(const Machine& machine);
    /// With the posture's mount; its held joints stand still where it says, whatever the readings say. The work mount is the machine's
    /// first. Precondition: the posture's mount is a tool mount of the machine.
    static Result<Kinematics> make(const Machine& machine, const Posture& posture);
    /// The same with another frame for the work, on a joint of the machine or on its base.
    static Kinematics make(const Machine& machine, const Posture& posture, const Mount& work);

    // A joint of the chain that follows others (Machine::relations) stands where they bring it, whatever the readings say of it.

    /// The tool pose in the frame of the work mount; `tool_length` in mm from the gauge point to the tip.
    /// Precondition: readings.size() == joint count.
    [[nodiscard]] Pose pose(const Readings& readings, double tool_length) const { return pose_and_levers(readings, tool_length, nullptr); }
    /// The same, and the distance from the tip to the axis of each rotary joint of the chain (mm); other entries are left as they are.
    /// `levers` may be null.
    [[nodiscard]] Pose pose_and_levers(const Readings& readings, double tool_length, Readings* levers) const;
    /// The poses for readings by joint, from `first` to before `end`, and where asked for the same levers, to the last bit those of
    /// pose_and_levers(). What `out` holds beside those means nothing afterwards. Readings up to the next multiple of four are finite.
    void poses_along(const std::vector<Column>& readings, std::size_t first, std::size_t end, double tool_length, bool levers,
                     PoseRun& out) const;
    /// The frame of the tool mount seen from the work mount.
    [[nodiscard]] Frame tool_from_work(const Readings& readings) const;

    /// Joints from the work to the base, then from the base to the tool, with the sign their motion enters with.
    struct Link {
        JointIndex joint;
        double sign = 1; ///< -1 where the joint carries the work
    };
    [[nodiscard]] const std::vector<Link>& links() const { return links_; }
    /// The joints whose readings move the tool against the work, in the order of the links: of a link that follows others its leaders,
    /// wherever they stand themselves. Without relations those of links().
    [[nodiscard]] const std::vector<JointIndex>& driving() const { return driving_; }
    /// Whether a joint of the chain follows others.
    [[nodiscard]] bool follows(JointIndex joint) const;
    /// How the tool goes against the work for each mm of a linear joint's reading, with what follows it; base frame, reference posture.
    [[nodiscard]] Vec3 way_of(JointIndex driving) const;
    /// How far what follows others stands off while all that drive read as in the reference posture: the way of the tool against the
    /// work (base frame, mm) that it makes. Zero where the file was drawn in a posture that the machine can take.
    [[nodiscard]] Vec3 way_at_reference() const;
    /// In the machine's order; what a held joint carries stands here as that joint has brought it.
    [[nodiscard]] const std::vector<Joint>& joints() const { return joints_; }
    [[nodiscard]] const Frame& tool_frame() const { return tool_; }
    /// The direction, in the base frame, from the tip to the gauge point: that of the tool, or of a blade's mount x.
    [[nodiscard]] Vec3 length_direction() const { return tool_.linear().col(blade_ ? 0 : 2); }
    /// The direction in the work mount's frame in which the tool is drawn out of the work.
    [[nodiscard]] Vec3 out_of_work(const Readings& readings) const { return tool_from_work(readings).linear().col(blade_ ? 0 : 2); }
    [[nodiscard]] bool blade() const { return blade_; }
    [[nodiscard]] const Frame& work_frame() const { return work_; }
    /// How the tool moves for each unit of a joint's reading (mm or rad), in the work mount's frame: rows 0 to 2 the way of the tip, rows
    /// 3 to 5 the tool's turn (rad, right-handed). Column j belongs to joint j, with all that follows it; joints that do not drive the
    /// chain give zero. Source: Murray, Li, Sastry, section 3.4.2 (the spatial Jacobian, brought to the tip).
    [[nodiscard]] Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, max_joints> jacobian(const Readings& readings, double tool_length) const;
    /// Its rows 0 to 2.
    [[nodiscard]] Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, max_joints> tip_jacobian(const Readings& readings,
                                                                                          double tool_length) const;
    /// Distance from the tip to the axis of each rotary joint (mm) at these readings; 0 for linear joints.
    [[nodiscard]] Readings levers(const Readings& readings, double tool_length) const;

private:
    /// The tip in the reference posture, base frame.
    [[nodiscard]] Vec3 bare_tip(double tool_length) const { return tool_.translation() - length_direction() * tool_length; }
    /// A link with what its motion needs, its sign worked in.
    struct Stage {
        bool rotary = false;
        Eigen::Index joint = 0;
        double at = 0;
        Vec3 direction = Vec3::UnitX();
        Vec3 point = Vec3::Zero();
        int along = -1;                        ///< the coordinate axis it lies along
        std::vector<Relation::Leader> leaders; ///< where it follows others
        double rest = 0;                       ///< likewise: its motion where they all read zero, mm or rad
    };
    /// How far a link's joint has moved from the reference posture.
    template <typename T, typename Reading>
    [[nodiscard]] static T motion_of(const Stage& stage, const Reading& reading);
    [[nodiscard]] Frame motion_at(std::size_t link, const Readings& readings) const;
    void take_stages(const Machine& machine, const Posture& posture);
    template <typename T>
    struct Carried {
        std::array<T, 3> tip;
        std::array<T, 3> axis;
    };
    template <typename T, typename Reading, typename PutLever>
    [[nodiscard]] Carried<T> carried(double tool_length, const Reading& reading, const PutLever& put_lever) const;

    std::vector<Joint> joints_;
    std::vector<Link> links_;
    std::vector<Stage> stages_; ///< by link
    std::vector<JointIndex> driving_;
    bool blade_ = false;
    Frame tool_ = Frame::Identity();
    Frame work_ = Frame::Identity();
    Frame work_inverse_ = Frame::Identity();
    bool work_still_ = true; ///< it moves nothing
};

/// The joints that drive the chain between the machine's first work mount, or `work`, and a posture's tool mount, in the machine's order:
/// those held stand. Precondition: as make().
[[nodiscard]] std::vector<JointIndex> joints_between(const Machine& machine, const Posture& posture);
[[nodiscard]] std::vector<JointIndex> joints_between(const Machine& machine, const Posture& posture, const Mount& work);

/// The tool pose of a witness as the machine comes to it, in the frame of the witness's work mount; nothing where the machine lacks its
/// mounts.
[[nodiscard]] std::optional<Pose> pose_of(const Machine& machine, const Witness& witness);

/// Where each joint's body has been brought from the reference posture by itself and the joints that carry it, in the base frame and in
/// the machine's order. Precondition: readings.size() == joint count.
[[nodiscard]] std::vector<Frame> joint_frames(const Machine& machine, const Readings& readings);

/// The motion of a joint's body when it reads `reading`, against the reference posture.
[[nodiscard]] Frame joint_motion(const Joint& joint, double reading);

} // namespace wexilum
