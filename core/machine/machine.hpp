// The machine as its file defines it: a tree of joints and mounts, all points and directions in the base frame and in
// the reference posture, in which each joint reads `at`.
#pragma once

#include "core/base/ids.hpp"
#include "core/base/json_document.hpp"
#include "core/base/result.hpp"
#include "core/geometry/pose.hpp"
#include "core/machine/body.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

inline constexpr int max_joints = 16;
/// One reading for each joint of a machine, in the machine's order: mm or rad, as the controller shows it without offsets.
using Readings = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, max_joints, 1>;

enum class JointKind { linear, rotary };

struct Travel {
    double low = 0;
    double high = 0;
};

struct Joint {
    std::string id;
    JointKind kind = JointKind::linear;
    int parent = -1;                ///< index of the carrying joint, -1 for the base
    Vec3 direction = Vec3::UnitX(); ///< unit; how the body itself moves as the reading rises (already turned round where
                                    ///< the file reads tool-relative)
    bool tool_relative = false;     ///< the file reads it so; direction is turned round already
    Vec3 point = Vec3::Zero();      ///< on the axis of a rotary joint, mm
    double at = 0;                  ///< reading in the reference posture
    std::optional<Travel> travel;   ///< none: without end
    double home = 0;                ///< where the joint stands at rest and retracts to
    double speed = 0;               ///< mm/s or rad/s, > 0
    double acceleration = 0;        ///< mm/s2 or rad/s2; 0 where not stated
    double jerk = 0;                ///< mm/s3 or rad/s3; 0 where not stated
    double counts_per_unit = 0;     ///< encoder counts per mm or rad; 0 where not stated
    bool rollover = false;          ///< the controller's reading wraps at a whole turn
    int preferred_sense = 0;        ///< -1, 0 or +1
    double brake_release = 0;       ///< s
    double brake_lock = 0;          ///< s
    bool moves_while_cutting = true;
};

enum class MountKind { tool, work };

struct Mount {
    std::string id;
    MountKind kind = MountKind::tool;
    int parent = -1;
    Frame frame = Frame::Identity(); ///< in the base frame, reference posture. Tool: origin at the gauge point, z from tip to holder
};

/// A typed-in pair of readings and tool pose that anchors signs and zeros.
struct Witness {
    std::string name;
    std::string origin; ///< who read it where
    Readings readings;
    double tool_length = 0;
    Pose pose; ///< in the frame of the work mount
    Place place;
};

struct Machine {
    std::string name;
    std::string description;
    std::vector<Joint> joints;
    std::vector<Mount> mounts;
    std::vector<Body> bodies; ///< what the machine looks like; nothing is computed from them yet
    std::vector<Witness> witnesses;
    std::optional<JointIndex> retract; ///< the joint that takes the tool away from the work when it goes home
    bool retract_upwards = true;       ///< whether its home is at rising readings

    [[nodiscard]] std::optional<JointIndex> find_joint(const std::string& id) const;
    /// The first mount of a kind; nullptr where there is none.
    [[nodiscard]] const Mount* first_mount(MountKind kind) const;
    [[nodiscard]] Readings home() const;
};

/// How far a witness may be from the computed pose.
inline constexpr double witness_tip_tolerance = 0.005; // mm
inline constexpr double witness_axis_tolerance = 1e-5; // rad

/// Reads a "machine/1" document. Checks the tree, units, unit vectors and every witness; the first problem is the error.
Result<Machine> read_machine(const json::Document& document);

/// One joint outside its travel.
struct Overtravel {
    JointIndex joint;
    double beyond = 0; ///< how far, positive; mm or rad
    bool low = false;
};
/// Whether overtravels() would find none.
[[nodiscard]] bool inside_travel(const Machine& machine, const Readings& readings, double slack = 1e-9);
/// Every joint that reads outside its travel by more than `slack` (mm or rad), in the machine's order.
[[nodiscard]] std::vector<Overtravel> overtravels(const Machine& machine, const Readings& readings, double slack = 1e-9);
/// "Z goes 3.500 mm beyond the low end of its travel".
[[nodiscard]] std::string text_of(const Machine& machine, const Overtravel& over);

} // namespace wexilum
