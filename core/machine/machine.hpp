// The machine as its file defines it: a tree of joints and mounts, all points and directions in the base frame and in
// the reference posture, in which each joint reads `at`.
#pragma once

#include "core/base/ids.hpp"
#include "core/base/json_names.hpp"
#include "core/base/result.hpp"
#include "core/base/units.hpp"
#include "core/geometry/pose.hpp"
#include "core/machine/body.hpp"
#include "core/toolpath/posture.hpp"

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

inline constexpr int max_joints = 32;
/// One reading for each joint of a machine, in the machine's order: mm or rad, as the controller shows it without offsets.
using Readings = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, max_joints, 1>;

enum class JointKind { linear, rotary };

struct Travel {
    double low = 0;
    double high = 0;
};

/// The scale that a person sets a joint by.
struct Scale {
    double low = 0; ///< rad
    double high = whole_turn;
    double step = 0;                ///< rad from mark to mark; 0: it can be set anywhere
    bool clockwise = false;         ///< its readings rise clockwise, seen from `seen_from`
    Vec3 seen_from = Vec3::UnitZ(); ///< towards who reads it, base frame, reference posture

    /// The same place as the scale has it: within its readings where a whole turn can bring it there.
    [[nodiscard]] double shown(double reading) const;
    /// The nearest mark, as the scale has it.
    [[nodiscard]] double nearest(double reading) const;
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
    std::optional<Travel> travel;   ///< none: without end. Where others follow it, so narrow that they stay inside theirs as well
    double home = 0;                ///< where the joint stands at rest and retracts to
    double speed = 0;               ///< mm/s or rad/s, > 0
    double acceleration = 0;        ///< mm/s2 or rad/s2; 0 where not stated
    double jerk = 0;                ///< mm/s3 or rad/s3; 0 where not stated
    double counts_per_unit = 0;     ///< encoder counts per mm or rad; 0 where not stated
    bool rollover = false;          ///< the controller's reading wraps at a whole turn
    int preferred_sense = 0;        ///< -1, 0 or +1
    bool brake = false;
    double brake_release = 0; ///< s
    double brake_lock = 0;    ///< s
    bool moves_while_cutting = true;
    bool by_hand = false;               ///< set by a person at a stop; the control does not know it. Its direction rises as its scale does
    Scale scale;                        ///< where set by hand
    std::optional<Travel> own_travel;   ///< what the file states, whatever follows it
    std::array<int, 2> ends_by{-1, -1}; ///< the joint that follows it and bounds the low and the high end; -1: its own
};

/// A joint without a word of its own, which moves with others: the second drive of a gantry, a geared or a coupled joint. It reads the sum
/// of its leaders' readings, each by its factor, and the offset.
struct Relation {
    struct Leader {
        JointIndex joint;
        double factor = 1; ///< mm or rad of the follower for one of the leader's
    };
    JointIndex follower;
    std::vector<Leader> leaders; ///< one at least; none of them follows another
    double offset = 0;           ///< mm or rad

    /// What it reads; `of` tells a leader's reading.
    [[nodiscard]] double sum(const auto& of) const
    {
        double out = offset;
        for (const Leader& leader : leaders) {
            out += leader.factor * of(leader.joint);
        }
        return out;
    }
    [[nodiscard]] double reading(const Readings& readings) const
    {
        return sum([&](JointIndex leader) { return readings[Eigen::Index(leader.value)]; });
    }
};

enum class MountKind { tool, work };

/// What stands between the spindle and the tool of a mount.
struct Gearing {
    double ratio = 1;      ///< turns of the tool for one of the spindle
    bool reversed = false; ///< the tool turns against the spindle
    double most_speed = 0; ///< rpm of the tool; 0: not limited
    friend bool operator==(const Gearing&, const Gearing&) = default;
};

/// What turns a tool, or a work.
struct Spindle {
    std::string id;
    double least_speed = 0; ///< rpm: below it the drive does not turn evenly
    double most_speed = 0;  ///< rpm, > 0
    double run_up = 0;      ///< s from standing to its highest speed, evenly, and down again; 0: not stated
    int joint = -1;         ///< the rotary joint that it also is; -1: none
};

struct Mount {
    std::string id;
    std::string name; ///< as a person calls it
    MountKind kind = MountKind::tool;
    int parent = -1;
    bool attachment = false; ///< it is fitted to the machine's first tool mount
    bool blade = false;      ///< it carries a blade: z is the way that it cuts, x leads out of the work, and its length is its radius
    bool measured = true;    ///< false: an attachment whose gauge length nobody has stated
    Gearing gearing;
    int spindle = -1;                                ///< what turns it, by its place in Machine::spindles; -1: nothing is stated
    std::optional<std::vector<std::string>> coolant; ///< the kinds that come through to its tool ("flood", …); none stated: all
    std::string fit_message;                         ///< the message to have it fitted; "{name}" is its name
    std::string remove_message;                      ///< to have it taken off
    std::string set_message;                         ///< to have a joint of it set: "{name}", "{joint}", "{reading}", "{sense}", "{amount}"
    Frame frame = Frame::Identity(); ///< in the base frame, reference posture. Tool: origin at the gauge point, z from tip to holder
                                     ///< (of a blade: the origin is its centre)
};

/// What a mount's tool can't have of a kind of coolant, in words; empty where it can.
[[nodiscard]] std::string coolant_refused(const Mount& mount, const std::string& kind);

/// A typed-in pair of readings and tool pose that anchors signs and zeros.
struct Witness {
    std::string name;
    std::string origin;      ///< who read it where
    std::uint32_t mount = 0; ///< the tool mount it was read with
    std::uint32_t work = 0;  ///< the work mount that its pose is seen from
    Readings readings;
    double tool_length = 0;
    Pose pose; ///< in the frame of that mount
    Place place;
};

/// Two nodes of the machine that must not come nearer than a clearance, each with all that it carries.
struct Apart {
    std::string first; ///< a joint's id, or "base", "tool", "cutter", "holder", "stock"
    std::string second;
    double clearance = 0; ///< mm
    Place place;
};

struct Machine {
    std::string name;
    std::string description;
    std::vector<Joint> joints;
    std::vector<Mount> mounts;
    std::vector<Spindle> spindles;
    std::vector<Relation> relations; ///< one for each joint that follows others, in the order of the joints
    std::vector<Body> bodies;        ///< what the machine looks like
    std::vector<Apart> apart;        ///< empty: what carries the tool and what carries the work
    std::vector<Witness> witnesses;
    std::optional<JointIndex> retract; ///< the joint that takes the tool away from the work when it goes home
    bool retract_upwards = true;       ///< whether its home is at rising readings
    Vec3 up = Vec3::UnitZ();           ///< base frame: how the machine stands on the floor, for pictures

    [[nodiscard]] std::optional<JointIndex> find_joint(const std::string& id) const;
    /// The first mount of a kind; nullptr where there is none.
    [[nodiscard]] const Mount* first_mount(MountKind kind) const;
    /// What turns the tool of a mount; nullptr where nothing is stated.
    [[nodiscard]] const Spindle* spindle_of(std::uint32_t mount) const
    {
        return mounts[mount].spindle >= 0 ? &spindles[std::size_t(mounts[mount].spindle)] : nullptr;
    }
    /// The place of a tool mount by its name.
    [[nodiscard]] std::optional<std::uint32_t> find_tool_mount(const std::string& id) const;
    /// The same of a work mount.
    [[nodiscard]] std::optional<std::uint32_t> find_work_mount(const std::string& id) const;
    /// The machine as it stands at rest: its first tool mount, joints that are set by hand at their home.
    [[nodiscard]] Posture at_rest() const;
    [[nodiscard]] Readings home() const;
    /// What a joint follows; nullptr where it has a drive and a word of its own.
    [[nodiscard]] const Relation* relation_of(JointIndex follower) const;
};

/// Brings the joints that follow others to where their leaders have them. What comes from a control, a plan or a person has them so;
/// Kinematics, joint_frames() and what looks at travel take them from their leaders, whatever the readings say of them.
void bring_followers(const Machine& machine, Readings& readings);
/// "X", or "0.5 * Z + 12 mm": what a joint follows, for people.
[[nodiscard]] std::string text_of(const Machine& machine, const Relation& relation);

/// What is wrong with a drive's speed (rpm) for a mount's spindle, in words; empty where it can turn so. A speed of 0 is standing.
[[nodiscard]] std::string speed_refused(const Machine& machine, std::uint32_t mount, double rpm);

/// How far a witness may be from the computed pose.
inline constexpr double witness_tip_tolerance = 0.005; // mm
inline constexpr double witness_axis_tolerance = 1e-5; // rad

/// Reads a "machine/1" document. Checks the tree, units, unit vectors and every witness; the first problem is the error.
Result<Machine> read_machine(const json::Document& document);

/// A machine that is still being made.
struct MachineDraft {
    std::optional<Machine> machine; ///< as far as it can be drawn: without retract and witnesses, its parts read
    std::optional<Error> problem;   ///< what read_machine() says
};
[[nodiscard]] MachineDraft read_machine_draft(const json::Document& document);

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
/// "12: it goes from -240 to 0" for a reading that the joint can't have, in mm or deg; nothing where it can.
[[nodiscard]] std::optional<std::string> outside_travel(const Joint& joint, double reading);
/// "Z goes 3.500 mm beyond the low end of its travel"; "…, where X2, which follows it, is at the end of its own".
[[nodiscard]] std::string text_of(const Machine& machine, const Overtravel& over);

} // namespace wexilum
