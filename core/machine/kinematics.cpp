#include "core/machine/kinematics.hpp"

#include "core/geometry/sine_cosine.hpp"
#include "core/geometry/turn_about.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {

Frame joint_motion(const Joint& joint, double reading)
{
    const double amount = reading - joint.at;
    Frame motion = Frame::Identity();
    if (joint.kind == JointKind::linear) {
        motion.translation() = joint.direction * amount;
    } else {
        motion.linear() = Eigen::AngleAxisd(amount, joint.direction).toRotationMatrix();
        motion.translation() = joint.point - motion.linear() * joint.point;
    }
    return motion;
}

namespace {

/// The joints that carry a mount, the outermost first.
std::vector<int> carriers(const Machine& machine, const Mount& mount)
{
    std::vector<int> out;
    for (int j = mount.parent; j >= 0; j = machine.joints[std::size_t(j)].parent) {
        out.push_back(j);
    }
    return out;
}

/// A posture's held joints with those that follow them alone; one that follows others is never held by itself.
std::vector<HeldJoint> held_with_followers(const Machine& machine, const std::vector<HeldJoint>& held)
{
    std::vector<HeldJoint> out;
    std::copy_if(held.begin(), held.end(), std::back_inserter(out),
                 [&](const HeldJoint& h) { return machine.relation_of(h.joint) == nullptr; });
    const std::size_t own = out.size();
    for (const Relation& relation : machine.relations) {
        double reading = relation.offset;
        const bool stands = std::all_of(relation.leaders.begin(), relation.leaders.end(), [&](const Relation::Leader& leader) {
            const auto end = out.begin() + std::ptrdiff_t(own);
            const auto found = std::find_if(out.begin(), end, [&](const HeldJoint& h) { return h.joint == leader.joint; });
            reading += found == end ? 0 : leader.factor * found->reading;
            return found != end;
        });
        if (stands) {
            out.push_back({relation.follower, reading});
        }
    }
    return out;
}

/// Brings held joints of a chain to their readings: what they carry is given anew, as they have brought it.
void hold(std::vector<Joint>& joints, const std::vector<int>& outermost_first, const std::vector<HeldJoint>& held, Frame& end)
{
    for (std::size_t i = outermost_first.size(); i-- > 0;) {
        const auto at = static_cast<std::uint32_t>(outermost_first[i]);
        const auto found = std::find_if(held.begin(), held.end(), [&](const HeldJoint& h) { return h.joint.value == at; });
        if (found == held.end()) {
            continue;
        }
        const Frame motion = joint_motion(joints[at], found->reading);
        for (std::size_t k = 0; k < i; ++k) {
            Joint& carried = joints[std::size_t(outermost_first[k])];
            carried.direction = motion.linear() * carried.direction;
            carried.point = motion * carried.point;
        }
        end = motion * end;
    }
}

} // namespace

Result<Kinematics> Kinematics::make(const Machine& machine)
{
    const Mount* tool = machine.first_mount(MountKind::tool);
    const Mount* work = machine.first_mount(MountKind::work);
    if (tool == nullptr || work == nullptr) {
        return Error{ErrorKind::value,
                     fmt::format("the machine has no {} mount", tool == nullptr ? "tool" : "work"),
                     {},
                     "add a mount of that kind under \"mounts\""};
    }
    return make(machine, machine.at_rest());
}

Result<Kinematics> Kinematics::make(const Machine& machine, const Posture& posture)
{
    const Mount* work = machine.first_mount(MountKind::work);
    if (work == nullptr) {
        return Error{ErrorKind::value, "the machine has no work mount", {}, "add a mount of that kind under \"mounts\""};
    }
    return make(machine, posture, *work);
}

Kinematics Kinematics::make(const Machine& machine, const Posture& posture, const Mount& work)
{
    const Mount& tool = machine.mounts[posture.mount];
    Kinematics out;
    out.joints_ = machine.joints;
    out.tool_ = tool.frame;
    out.blade_ = tool.blade;
    out.work_ = work.frame;
    std::vector<int> to_work = carriers(machine, work);
    std::vector<int> to_tool = carriers(machine, tool);
    // Joints that carry both leave the pose between them alone.
    while (!to_work.empty() && !to_tool.empty() && to_work.back() == to_tool.back()) {
        to_work.pop_back();
        to_tool.pop_back();
    }
    const std::vector<HeldJoint> all_held = machine.relations.empty() ? posture.held : held_with_followers(machine, posture.held);
    hold(out.joints_, to_work, all_held, out.work_);
    hold(out.joints_, to_tool, all_held, out.tool_);
    out.work_inverse_ = out.work_.inverse();
    out.work_still_ = out.work_inverse_.matrix() == Frame::Identity().matrix();
    const auto held = [&](int joint) {
        return std::any_of(all_held.begin(), all_held.end(), [&](const HeldJoint& h) { return int(h.joint.value) == joint; });
    };
    std::erase_if(to_work, held);
    std::erase_if(to_tool, held);
    for (const int j : to_work) {
        out.links_.push_back({JointIndex(std::uint32_t(j)), -1});
    }
    std::reverse(to_tool.begin(), to_tool.end());
    for (const int j : to_tool) {
        out.links_.push_back({JointIndex(std::uint32_t(j)), 1});
    }
    out.take_stages(machine, {posture.mount, all_held});
    return out;
}

void Kinematics::take_stages(const Machine& machine, const Posture& posture)
{
    const auto drives = [&](JointIndex joint) {
        if (std::find(driving_.begin(), driving_.end(), joint) == driving_.end()) {
            driving_.push_back(joint);
        }
    };
    for (const Link& link : links_) {
        const Joint& joint = joints_[link.joint.value];
        Stage& stage = stages_.emplace_back();
        stage.rotary = joint.kind == JointKind::rotary;
        stage.joint = Eigen::Index(link.joint.value);
        stage.at = joint.at;
        stage.direction = joint.direction * link.sign;
        stage.point = joint.point;
        stage.along = coordinate_axis(joint.direction);
        const Relation* relation = machine.relation_of(link.joint);
        if (relation == nullptr) {
            drives(link.joint);
            continue;
        }
        stage.rest = relation->offset - joint.at;
        for (const Relation::Leader& leader : relation->leaders) {
            const auto held =
                std::find_if(posture.held.begin(), posture.held.end(), [&](const HeldJoint& h) { return h.joint == leader.joint; });
            if (held != posture.held.end()) {
                stage.rest += leader.factor * held->reading;
                continue;
            }
            stage.leaders.push_back(leader);
            drives(leader.joint);
        }
    }
}

bool Kinematics::follows(JointIndex joint) const
{
    return std::any_of(stages_.begin(), stages_.end(),
                       [&](const Stage& stage) { return stage.joint == Eigen::Index(joint.value) && !stage.leaders.empty(); });
}

Vec3 Kinematics::way_of(JointIndex driving) const
{
    Vec3 out = Vec3::Zero();
    for (const Stage& stage : stages_) {
        if (stage.rotary) {
            continue;
        }
        if (stage.leaders.empty() && stage.joint == Eigen::Index(driving.value)) {
            out += stage.direction;
        }
        for (const Relation::Leader& leader : stage.leaders) {
            out += leader.joint == driving ? Vec3(stage.direction * leader.factor) : Vec3(Vec3::Zero());
        }
    }
    return out;
}

Vec3 Kinematics::way_at_reference() const
{
    Vec3 out = Vec3::Zero();
    for (const Stage& stage : stages_) {
        if (!stage.rotary && !stage.leaders.empty()) {
            out += stage.direction * motion_of<double>(stage, [&](Eigen::Index joint) { return joints_[std::size_t(joint)].at; });
        }
    }
    return out;
}

template <typename T, typename Reading>
[[gnu::always_inline]] inline T Kinematics::motion_of(const Stage& stage, const Reading& reading)
{
    if (stage.leaders.empty()) [[likely]] {
        return reading(stage.joint) - stage.at;
    }
    T out = in_each<T>(stage.rest);
    for (const Relation::Leader& leader : stage.leaders) {
        out += reading(Eigen::Index(leader.joint.value)) * leader.factor;
    }
    return out;
}

Frame Kinematics::motion_at(std::size_t link, const Readings& readings) const
{
    const Joint& joint = joints_[links_[link].joint.value];
    const double moved = motion_of<double>(stages_[link], [&](Eigen::Index j) { return readings[j]; });
    const Frame motion = joint_motion(joint, joint.at + moved);
    return links_[link].sign < 0 ? motion.inverse() : motion;
}

Frame Kinematics::tool_from_work(const Readings& readings) const
{
    Frame frame = work_inverse_;
    for (std::size_t i = 0; i < links_.size(); ++i) {
        frame = frame * motion_at(i, readings);
    }
    return frame * tool_;
}

/// The chain applied to one point and one direction, from the tool to the work. `reading`: of a joint; `put_lever`: takes a joint and the
/// distance of the tip from its axis.
template <typename T, typename Reading, typename PutLever>
[[gnu::always_inline]] inline Kinematics::Carried<T> Kinematics::carried(double tool_length, const Reading& reading,
                                                                         const PutLever& put_lever) const
{
    std::array<T, 3> axis = spread<T>(tool_.linear().col(2));
    std::array<T, 3> tip = spread<T>(bare_tip(tool_length));
    for (std::size_t i = stages_.size(); i-- > 0;) {
        const Stage& stage = stages_[i];
        const T amount = motion_of<T>(stage, reading);
        if (!stage.rotary) {
            for (std::size_t k = 0; k < 3; ++k) {
                tip[k] += amount * stage.direction[Eigen::Index(k)];
            }
            continue;
        }
        T sine;
        T cosine;
        sine_and_cosine(amount, sine, cosine);
        put_lever(stage.joint, lever(stage.point, stage.direction, stage.along, tip));
        turn_about(stage.point, stage.direction, stage.along, sine, cosine, tip);
        turn_about<T, true>(stage.point, stage.direction, stage.along, sine, cosine, axis);
    }
    if (work_still_) {
        return {tip, axis};
    }
    Carried<T> out;
    for (std::size_t k = 0; k < 3; ++k) {
        const auto row = Eigen::Index(k);
        const auto turned = [&](const std::array<T, 3>& v) {
            return v[0] * work_inverse_(row, 0) + v[1] * work_inverse_(row, 1) + v[2] * work_inverse_(row, 2);
        };
        out.tip[k] = turned(tip) + work_inverse_(row, 3);
        out.axis[k] = turned(axis);
    }
    return out;
}

Pose Kinematics::pose_and_levers(const Readings& readings, double tool_length, Readings* levers) const
{
    const auto put_lever = [&](Eigen::Index joint, double lever) {
        if (levers != nullptr) {
            (*levers)[joint] = lever;
        }
    };
    const Carried<double> out = carried<double>(
        tool_length, [&](Eigen::Index joint) { return readings[joint]; }, put_lever);
    return {Vec3(out.tip.data()), Vec3(out.axis.data())};
}

WEXILUM_WIDE void Kinematics::poses_along(const std::vector<Column>& readings, std::size_t first, std::size_t end, double tool_length,
                                          bool levers, PoseRun& out) const
{
    for (std::size_t i = first - first % 4; i < end; i += 4) { // columns have room for a multiple of four
        const auto put_lever = [&](Eigen::Index joint, const Four& lever) __attribute__((always_inline))
        {
            if (levers) {
                put(lever, out.lever[std::size_t(joint)], i);
            }
        };
        const auto reading = [&](Eigen::Index joint) __attribute__((always_inline)) { return four_of(readings[std::size_t(joint)], i); };
        const Carried<Four> four = carried<Four>(tool_length, reading, put_lever);
        for (std::size_t k = 0; k < 3; ++k) {
            put(four.tip[k], out.tip[k], i);
            put(four.axis[k], out.axis[k], i);
        }
    }
}

Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, max_joints> Kinematics::tip_jacobian(const Readings& readings, double tool_length) const
{
    return jacobian(readings, tool_length).topRows<3>();
}

Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, max_joints> Kinematics::jacobian(const Readings& readings, double tool_length) const
{
    Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, max_joints> columns(6, Eigen::Index(joints_.size()));
    columns.setZero();
    const Vec3 tip = pose(readings, tool_length).tip;
    Frame before = work_inverse_;
    for (std::size_t i = 0; i < links_.size(); ++i) {
        const Stage& stage = stages_[i];
        const Vec3 direction = before.linear() * stage.direction;
        Eigen::Matrix<double, 6, 1> moves = Eigen::Matrix<double, 6, 1>::Zero();
        if (stage.rotary) {
            moves << direction.cross(tip - before * stage.point), direction;
        } else {
            moves.head<3>() = direction;
        }
        if (stage.leaders.empty()) {
            columns.col(stage.joint) += moves;
        }
        for (const Relation::Leader& leader : stage.leaders) {
            columns.col(Eigen::Index(leader.joint.value)) += leader.factor * moves;
        }
        before = before * motion_at(i, readings);
    }
    return columns;
}

Readings Kinematics::levers(const Readings& readings, double tool_length) const
{
    Readings out = Readings::Zero(Eigen::Index(joints_.size()));
    (void)pose_and_levers(readings, tool_length, &out);
    return out;
}

std::vector<JointIndex> joints_between(const Machine& machine, const Posture& posture)
{
    return joints_between(machine, posture, *machine.first_mount(MountKind::work));
}

std::vector<JointIndex> joints_between(const Machine& machine, const Posture& posture, const Mount& work)
{
    std::vector<JointIndex> out;
    out = Kinematics::make(machine, posture, work).driving();
    std::sort(out.begin(), out.end());
    return out;
}

std::optional<Pose> pose_of(const Machine& machine, const Witness& witness)
{
    const auto& mounts = machine.mounts;
    if (witness.mount >= mounts.size() || mounts[witness.mount].kind != MountKind::tool || witness.work >= mounts.size() ||
        mounts[witness.work].kind != MountKind::work) {
        return std::nullopt;
    }
    return Kinematics::make(machine, {witness.mount, {}}, mounts[witness.work]).pose(witness.readings, witness.tool_length);
}

std::vector<Frame> joint_frames(const Machine& machine, const Readings& readings)
{
    std::vector<Frame> out;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        const Relation* follows = machine.relations.empty() ? nullptr : machine.relation_of(JointIndex(std::uint32_t(i)));
        const Frame motion = joint_motion(joint, follows != nullptr ? follows->reading(readings) : readings[Eigen::Index(i)]);
        out.push_back(joint.parent < 0 ? motion : Frame(out[std::size_t(joint.parent)] * motion));
    }
    return out;
}

} // namespace wexilum
