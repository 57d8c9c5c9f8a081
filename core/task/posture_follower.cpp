#include "core/base/units.hpp"
#include "core/task/postures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double same_direction = 1e-9; // rad

} // namespace

PostureFollower::PostureFollower(const Task& task) : task_(task), solvers_(task), now_(task.machine.at_rest()), solver_(&*task.solver) {}

void PostureFollower::stand(const Posture& posture)
{
    now_ = posture;
    solver_ = &solvers_.of(posture);
    axis_ = solver_->rotary().empty() ? std::optional(standing_axis(task_, *solver_)) : std::nullopt;
}

std::optional<record::PostureChange> PostureFollower::begin_operation(std::size_t operation)
{
    if (operation >= task_.postures.size()) {
        return std::nullopt;
    }
    operation_ = &task_.postures[operation];
    reported_ = false;
    asked_.reset();
    open_.reset();
    Posture next = operation_->posture;
    if (!operation_->open.empty()) {
        Posture free = next;
        std::erase_if(free.held, [&](const HeldJoint& h) {
            return std::find(operation_->open.begin(), operation_->open.end(), h.joint) != operation_->open.end();
        });
        if (auto solver = solver_of(task_, free)) {
            open_ = std::move(*solver);
        }
    }
    const auto& stated = operation_->stated;
    for (HeldJoint& held : next.held) { // what a person sets stays as it is until a direction is known
        const auto before = std::find_if(now_.held.begin(), now_.held.end(), [&](const HeldJoint& h) { return h.joint == held.joint; });
        const bool kept =
            task_.machine.joints[held.joint.value].by_hand && std::find(stated.begin(), stated.end(), held.joint) == stated.end();
        held.reading = kept && before != now_.held.end() ? before->reading : held.reading;
    }
    if (!solver_of(task_, next)) {
        next = operation_->posture; // which has one
    }
    const record::PostureChange change = change_between(task_.machine, now_, next);
    const bool differs = !(next == now_);
    stand(next);
    return differs ? std::optional(change) : std::nullopt;
}

/// Sets the open joints by hand so that the tool comes nearest to a direction.
std::optional<record::PostureChange> PostureFollower::set_for(const Vec3& axis, double& missed)
{
    const Vec3 wanted = task_.setup.part().linear() * axis;
    const Branches exact = open_->branches(wanted);
    const Branches found = exact.count > 0 ? exact : open_->branches(exact.nearest_axis);
    const Readings before = [&] {
        Readings out = task_.machine.home();
        for (const HeldJoint& held : now_.held) {
            out[Eigen::Index(held.joint.value)] = held.reading;
        }
        return out;
    }();
    std::optional<Posture> best;
    double least = std::numeric_limits<double>::infinity();
    double turned = 0;
    for (std::size_t branch = 0; branch < std::size_t(found.count); ++branch) {
        Posture posture = now_;
        double turn = 0;
        bool inside = true;
        for (std::size_t i = 0; i < open_->rotary().size(); ++i) {
            const JointIndex j = open_->rotary()[i];
            const Joint& joint = task_.machine.joints[j.value];
            const double stood = before[Eigen::Index(j.value)];
            const bool free = i == 0 && found.pole < pole_free;
            const double mark = joint.scale.nearest(free ? stood : found.turns[branch][i]);
            inside = inside && (!joint.travel || (mark >= joint.travel->low - 1e-9 && mark <= joint.travel->high + 1e-9));
            turn += std::abs(std::remainder(mark - stood, whole_turn));
            for (HeldJoint& held : posture.held) {
                held.reading = held.joint == j ? mark : held.reading;
            }
        }
        const auto solver = solver_of(task_, posture);
        if (!inside || !solver) {
            continue;
        }
        const double off = angle_between(standing_axis(task_, *solver), axis);
        if (off < least - same_direction || (off < least + same_direction && turn < turned - same_direction)) {
            best = posture;
            least = off;
            turned = turn;
        }
    }
    missed = least;
    if (!best || *best == now_) {
        return std::nullopt;
    }
    const record::PostureChange change = change_between(task_.machine, now_, *best);
    stand(*best);
    return change;
}

Finding PostureFollower::missed_direction(const Vec3& asked, double off) const
{
    const Mount& mount = task_.machine.mounts[now_.mount];
    std::string stands;
    for (const HeldJoint& held : now_.held) {
        const Joint& joint = task_.machine.joints[held.joint.value];
        if (joint.by_hand && std::find(operation_->open.begin(), operation_->open.end(), held.joint) != operation_->open.end()) {
            stands += fmt::format("{}{} {:g}", stands.empty() ? "" : ", ", joint.id, to_deg(held.reading));
        }
    }
    const std::string name = mount.attachment ? mount.name : "tool";
    const Vec3 axis = *axis_;
    std::string message = stands.empty()
                              ? fmt::format("the {} can't point that way: {:.4f} deg are missing", name, to_deg(off))
                              : fmt::format("the {} can't be set for this direction: the nearest reading, {}, misses it by {:.4f} deg",
                                            name, stands, to_deg(off));
    return Finding::make(
        Severity::error, "direction-missed", std::move(message),
        fmt::format("({:.6f}, {:.6f}, {:.6f}) is its axis there, ({:.6f}, {:.6f}, {:.6f}) is asked: allow a \"lean\" in the "
                    "operation's posture, turn the part, or fit another attachment",
                    axis.x(), axis.y(), axis.z(), asked.x(), asked.y(), asked.z()),
        off);
}

PostureFollower::Step PostureFollower::motion(Pose& pose, bool link)
{
    Step out;
    if (operation_ == nullptr || (!axis_ && !open_)) {
        return out;
    }
    const Vec3 asked = pose.axis;
    if (open_ && (!asked_ || angle_between(*asked_, asked) > same_direction) && link) {
        double missed = 0;
        out.change = set_for(asked, missed);
        asked_ = asked;
    }
    const double off = angle_between(asked, *axis_);
    pose.axis = *axis_;
    if (off <= std::max(operation_->lean, reach_tolerance)) {
        out.departure = off > reach_tolerance ? off : 0;
        return out;
    }
    const bool in_cut = open_ && asked_ && angle_between(*asked_, asked) > same_direction;
    if (!in_cut) {
        out.problem = missed_direction(asked, off);
    } else if (!std::exchange(reported_, true)) {
        out.problem = Finding::make(Severity::error, "set-by-hand",
                                    fmt::format("the tool axis turns by {:.4f} deg in a cut, but the {} is set by hand", to_deg(off),
                                                task_.machine.mounts[now_.mount].name),
                                    "go on from a rapid with the new direction, so that it can be set before it", off);
    }
    return out;
}

} // namespace wexilum
