#include "core/follow/follower.hpp"

#include "core/motion/rapid_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {

Pose Followed::at(double u) const { return by.pose_at(move, u); }

bool Followed::stands_for_rapid() const
{
    if (!move.feed || move.rapid_straight || move.arc || turn > 1e-9 || !(move.at_joint_limit || move.at_feed_limit)) {
        return false;
    }
    const Vec3 way = (to.tip - from.tip).normalized();
    const std::vector<Vec3> tips = by.corners(move, false);
    return std::any_of(tips.begin(), tips.end(), [&](const Vec3& tip) {
        const Vec3 off = tip - from.tip;
        return (off - way * way.dot(off)).norm() > 2 * move.length_increment;
    });
}

Followed FollowedCuts::cut(const ReplayMove& move, std::size_t i) const
{
    Followed out{by, move, i > 0 ? to.at(i - 1) : from, to.at(i), Readings::Zero(move.to.size()), turn[i]};
    for (const auto& link : by.chain(run.common.mount).kinematics.links()) {
        const std::size_t joint = link.joint.value;
        out.levers[Eigen::Index(joint)] = to.lever[joint][i];
    }
    return out;
}

void MotionListener::cuts_moved(const FollowedCuts& cuts)
{
    for (std::size_t i = 0; i < cuts.run.count; ++i) {
        const ReplayMove move = cuts.run.move(i);
        moved(cuts.cut(move, i));
    }
}

Result<Follower> Follower::make(const Machine& machine, const Frame& part)
{
    if (auto rest = Kinematics::make(machine); !rest) {
        return rest.error();
    }
    Follower out(machine, part);
    out.add_work(*machine.first_mount(MountKind::work));
    return out;
}

Result<Follower> Follower::make(const Machine& machine, const Setup& setup)
{
    auto out = make(machine, setup.part());
    if (!out || setup.works.front().holder.empty()) { // nothing is said of it
        return out;
    }
    out->chains_.clear();
    for (std::size_t work = 0; work < setup.works.size(); ++work) {
        const auto held = holding(machine, setup, work);
        if (!held) {
            return Error{ErrorKind::value,
                         fmt::format("the part is held by \"{}\", which is not a work mount of the machine", setup.works[work].holder),
                         setup.works[work].place, "name one under \"part\""};
        }
        out->add_work(*held);
    }
    return out;
}

void Follower::add_work(const Mount& work)
{
    auto& chains = chains_.emplace_back();
    for (std::uint32_t i = 0; i < machine_->mounts.size(); ++i) {
        std::optional<Chain>& chain = chains.emplace_back();
        if (machine_->mounts[i].kind != MountKind::tool) {
            continue;
        }
        chain = Chain{Kinematics::make(*machine_, {i, {}}, work), {}};
        for (const auto& link : chain->kinematics.links()) {
            const Joint& joint = machine_->joints[link.joint.value];
            if (joint.kind == JointKind::rotary && !joint.by_hand) {
                chain->turning.push_back(link.joint);
            }
        }
    }
}

/// What was known of the last motion's end is seen from another part.
void Follower::take_work()
{
    if (std::exchange(work_, next_work_) != next_work_) {
        end_.resize(0);
    }
}

Pose Follower::pose_of(std::uint32_t mount, const Readings& readings, double tool_length, Readings* levers) const
{
    return in_part_(chain(mount).kinematics.pose_and_levers(readings, tool_length, levers));
}

Pose Follower::pose_at_work(std::uint32_t work, std::uint32_t mount, const Readings& readings, double tool_length) const
{
    return in_part_(chains_[work][mount]->kinematics.pose(readings, tool_length));
}

Vec3 Follower::out_of_work(std::uint32_t work, std::uint32_t mount, const Readings& readings, const Pose& pose) const
{
    const Kinematics& kinematics = chains_[work][mount]->kinematics;
    return kinematics.blade() ? Vec3(in_part_.turned(kinematics.out_of_work(readings))) : pose.axis;
}

std::vector<Vec3> Follower::corners(const ReplayMove& move, bool together) const
{
    std::vector<Vec3> out;
    for (const Readings& at : rapid_stretches(*machine_, move.from, move.to, together)) {
        out.push_back(pose_of(move.mount, at, move.tool_length).tip);
    }
    return out;
}

void Follower::poses_along(std::uint32_t mount, const std::vector<Column>& readings, std::size_t first, std::size_t end, double tool_length,
                           bool levers, PoseRun& out) const
{
    chain(mount).kinematics.poses_along(readings, first, end, tool_length, levers, out);
    for (std::size_t i = first; !in_part_.still() && i < end; ++i) {
        const Pose pose = in_part_(out.at(i));
        for (std::size_t k = 0; k < 3; ++k) {
            out.tip[k][i] = pose.tip[Eigen::Index(k)];
            out.axis[k][i] = pose.axis[Eigen::Index(k)];
        }
    }
}

bool Follower::goes_on(const ReplayMove& move) const
{
    return end_length_ == move.tool_length && end_mount_ == move.mount && end_.size() == move.from.size() && end_ == move.from;
}

Pose Follower::start_of(const ReplayMove& move) const
{
    return goes_on(move) ? end_pose_ : pose_of(move.mount, move.from, move.tool_length);
}

void Follower::end_at(const ReplayMove& like, const Pose& pose)
{
    end_length_ = like.tool_length;
    end_mount_ = like.mount;
    end_pose_ = pose;
}

void Follower::take(const Happening& happening)
{
    switch (happening.kind) {
    case Happening::Kind::motion: follow(*happening.move); return;
    case Happening::Kind::cuts: follow(*happening.cuts); return;
    default:
        for (MotionListener* listener : listeners_) {
            hand_to(happening, *listener);
        }
    }
}

Followed Follower::seen_again(const ReplayMove& move)
{
    take_work();
    return followed(move);
}

Followed Follower::followed(const ReplayMove& move)
{
    Readings levers = Readings::Zero(move.to.size());
    const Pose to = pose_of(move.mount, move.to, move.tool_length, &levers);
    Followed motion{*this, move, start_of(move), to, levers, 0};
    for (const JointIndex j : chain(move.mount).turning) {
        const auto at = Eigen::Index(j.value);
        motion.turn = std::max(motion.turn, std::abs(move.to[at] - move.from[at]));
    }
    end_ = move.to;
    end_at(move, to);
    return motion;
}

void Follower::follow(const ReplayMove& move)
{
    take_work();
    const Followed motion = followed(move);
    for (MotionListener* listener : listeners_) {
        listener->moved(motion);
    }
}

void Follower::follow(const CutRun& run)
{
    take_work();
    const std::size_t count = run.count;
    std::fill_n(cut_turns_.begin(), count, 0);
    for (const JointIndex joint : chain(run.common.mount).turning) {
        const Column& to = run.to[joint.value];
        cut_turns_[0] = std::max(cut_turns_[0], std::abs(to[0] - run.from(joint.value, 0)));
        for (std::size_t i = 1; i < count; ++i) {
            const double way = std::abs(to[i] - to[i - 1]);
            cut_turns_[i] = cut_turns_[i] < way ? way : cut_turns_[i];
        }
    }
    poses_along(run.common.mount, run.to, 0, count, run.common.tool_length, true, cut_ends_);
    const FollowedCuts cuts{*this, run, start_of(run.common), goes_on(run.common), cut_ends_, cut_turns_};
    end_.resize(Eigen::Index(run.to.size()));
    for (std::size_t joint = 0; joint < run.to.size(); ++joint) {
        end_[Eigen::Index(joint)] = run.to[joint][count - 1];
    }
    end_at(run.common, cut_ends_.at(count - 1));
    for (MotionListener* listener : listeners_) {
        listener->cuts_moved(cuts);
    }
}

} // namespace wexilum
