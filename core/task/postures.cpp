#include "core/task/postures.hpp"

#include "core/base/units.hpp"
#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>

namespace wexilum {
namespace {

bool holds(const Posture& posture, JointIndex joint)
{
    return std::any_of(posture.held.begin(), posture.held.end(), [&](const HeldJoint& h) { return h.joint == joint; });
}

class Resolver {
public:
    Resolver(const Task& a, const JobOperation& operation) : a_(a), operation_(operation), wish_(operation.posture)
    {
        place_ = wish_.place.line > 0 ? wish_.place : operation.place;
    }

    Result<OperationPosture> resolve()
    {
        OperationPosture out;
        out.posture = a_.machine.at_rest();
        out.lean = wish_.lean.value_or(a_.job.tolerance.axis);
        const auto work = this->work();
        if (!work) {
            return work.error();
        }
        out.posture.work = *work;
        if (!wish_.attachment.empty()) {
            const auto mount = a_.machine.find_tool_mount(wish_.attachment);
            if (!mount) {
                return wrong_value(place_,
                                   fmt::format("the operation {} wants the attachment \"{}\", which the machine does not have",
                                               operation_.id, wish_.attachment.substr(0, 40)),
                                   "name one of the machine's attachments or tool mounts");
            }
            out.posture.mount = *mount;
        }
        const Mount& mount = a_.machine.mounts[out.posture.mount];
        if (!mount.measured) {
            return wrong_value(
                place_, fmt::format("the attachment \"{}\" has no gauge length", mount.id),
                fmt::format("measure it from where the tool's axis meets the joint to the face that the tool sits on, and state "
                            "\"gauge_length\" in {}",
                            a_.machine_file));
        }
        chain_ = joints_of(a_, {out.posture.mount, {}, out.posture.work});
        if (Status status = check_forms(a_.machine, wish_.forms); !status) {
            return status.error();
        }
        if (Status status = park(out); !status) {
            return status.error();
        }
        if (Status status = set(out); !status) {
            return status.error();
        }
        if (Status status = one_works(out.posture); !status) {
            return status.error();
        }
        if (Status status = leave_free(out); !status) {
            return status.error();
        }
        if (const auto solver = solver_of(a_, out.posture); !solver) {
            return wrong_value(place_,
                               fmt::format("the operation {} can't be posted with the joints that are left free: {}", operation_.id,
                                           solver.error().message),
                               solver.error().cure + ", or park or set other joints in the operation's \"posture\"");
        }
        return out;
    }

private:
    /// The work that it is for.
    Result<std::uint32_t> work()
    {
        const auto& works = a_.setup.works;
        const std::string& asked = operation_.work;
        if (asked.empty() && works.size() == 1) {
            return 0U;
        }
        const auto found = asked.empty() ? std::nullopt : a_.setup.find_work(asked);
        if (found) {
            return *found;
        }
        std::string names;
        for (const Work& work : works) {
            names += (names.empty() ? "" : ", ") + work.id;
        }
        return wrong_value(
            operation_.place,
            asked.empty()
                ? fmt::format("the operation {} does not say for which work it is: the setup holds {}", operation_.id, works.size())
                : fmt::format("the operation {} is for the work \"{}\", which the setup does not hold", operation_.id, asked.substr(0, 40)),
            names.empty() ? "leave its \"work\" out, or list the setup's \"works\""
                          : fmt::format("state \"work\": {}", names.substr(0, 200)));
    }

    /// A joint of the chain by its name.
    Result<JointIndex> joint(const std::string& id, bool by_hand)
    {
        const auto found = a_.machine.find_joint(id);
        if (!found || std::find(chain_.begin(), chain_.end(), *found) == chain_.end()) {
            return wrong_value(
                place_,
                fmt::format("\"{}\" is not a joint between the work and the tool of the operation {}", id.substr(0, 40), operation_.id),
                "name one that is");
        }
        if (a_.machine.joints[found->value].by_hand != by_hand) {
            return wrong_value(place_,
                               by_hand ? fmt::format("\"{}\" is moved by the control, not set by hand", id)
                                       : fmt::format("\"{}\" is set by hand, not parked", id),
                               by_hand ? "write it under \"parked\"" : "write it under \"set\"");
        }
        return *found;
    }

    Status inside(const Joint& joint, double reading)
    {
        if (const auto outside = outside_travel(joint, reading)) {
            return wrong_value(place_, fmt::format("{} can't stand at {}", joint.id, *outside), "state a reading inside its travel");
        }
        return {};
    }

    Status park(OperationPosture& out)
    {
        for (const auto& [id, reading] : wish_.parked) {
            auto found = joint(id, false);
            if (!found) {
                return found.error();
            }
            if (Status status = inside(a_.machine.joints[found->value], reading); !status) {
                return status;
            }
            out.posture.held.push_back({*found, reading});
        }
        return {};
    }

    /// Of joints that point the same way all but one have to be parked.
    Status one_works(const Posture& posture)
    {
        std::vector<JointIndex> free;
        std::copy_if(chain_.begin(), chain_.end(), std::back_inserter(free),
                     [&](JointIndex j) { return a_.machine.joints[j.value].kind == JointKind::linear && !holds(posture, j); });
        for (const JointIndex j : free) {
            std::string names;
            std::size_t count = 0;
            for (const JointIndex other : free) {
                if (a_.machine.joints[other.value].direction.cross(a_.machine.joints[j.value].direction).norm() < 1e-9) {
                    names += (count++ > 0 ? ", " : "") + a_.machine.joints[other.value].id;
                }
            }
            if (count > 1) {
                return wrong_value(place_,
                                   fmt::format("in the operation {} the joints {} point the same way, and nothing says which of them works",
                                               operation_.id, names),
                                   "park all but one of them in the operation's \"posture\"");
            }
        }
        return {};
    }

    Status set(OperationPosture& out)
    {
        for (const auto& [id, reading] : wish_.set) {
            auto found = joint(id, true);
            if (!found) {
                return found.error();
            }
            const Joint& joint = a_.machine.joints[found->value];
            const double mark = joint.scale.nearest(reading);
            if (std::abs(std::remainder(mark - reading, whole_turn)) > 1e-9) {
                return wrong_value(
                    place_,
                    fmt::format("{} can't be set to {:g}: its scale has steps of {:g} deg", id, to_deg(reading), to_deg(joint.scale.step)),
                    fmt::format("the nearest mark is {:g}", to_deg(mark)));
            }
            if (Status status = inside(joint, mark); !status) {
                return status;
            }
            for (HeldJoint& held : out.posture.held) {
                held.reading = held.joint == *found ? mark : held.reading;
            }
            out.stated.push_back(*found);
        }
        bool turns = false;
        for (const JointIndex j : chain_) {
            const Joint& joint = a_.machine.joints[j.value];
            const bool stated = std::any_of(wish_.set.begin(), wish_.set.end(), [&](const auto& s) { return s.first == joint.id; });
            if (joint.by_hand && !stated) {
                out.open.push_back(j);
            }
            turns = turns || (joint.kind == JointKind::rotary && !holds(out.posture, j));
        }
        if (!out.open.empty() && turns) {
            return wrong_value(
                place_,
                fmt::format("the operation {} has both joints that the control turns and {}, which is set by hand: neither is given",
                            operation_.id, a_.machine.joints[out.open.front().value].id),
                "state the reading under \"set\", or park the joint that the control turns");
        }
        return {};
    }

    /// The joint that the path may move at will.
    Status leave_free(OperationPosture& out)
    {
        if (wish_.free.empty()) {
            return {};
        }
        const auto found = joint(wish_.free, false);
        if (!found) {
            return found.error();
        }
        const Joint& joint = a_.machine.joints[found->value];
        if (joint.kind != JointKind::rotary) {
            return wrong_value(place_,
                               fmt::format("{} is a linear joint: only one that turns the tool or the work can be left free", joint.id),
                               "name a rotary joint under \"free\", or leave it out");
        }
        if (holds(out.posture, *found)) {
            return wrong_value(place_, fmt::format("{} is parked and left free at once", joint.id), "leave one of both out");
        }
        if (!out.open.empty() || operation_.settings.pole_lean > 0 || operation_.settings.pole_lift > 0 ||
            operation_.settings.reorient_clearance) {
            return wrong_value(
                place_,
                fmt::format("the operation {} leaves {} free: a lean or lift at a pole, a retract to reorient and scales that "
                            "are set by each direction are not known beside that",
                            operation_.id, joint.id),
                "leave its \"pole\" and \"reorient\" out, state readings under \"set\", or park the joint");
        }
        out.posture.spare = *found;
        return {};
    }

    const Task& a_;
    const JobOperation& operation_;
    const PostureWish& wish_;
    Place place_;
    std::vector<JointIndex> chain_;
};

} // namespace

Status check_works(const Task& a)
{
    for (const Work& work : a.setup.works) {
        if (!a.machine.find_work_mount(work.holder)) {
            const Mount* first = a.machine.first_mount(MountKind::work);
            return Error{ErrorKind::value,
                         fmt::format("the part is held by \"{}\", which is not a work mount of the machine", work.holder.substr(0, 40)),
                         {a.job.setup, work.place.line, work.place.column},
                         first != nullptr ? fmt::format("name one under \"part\", like \"{}\"", first->id)
                                          : "give the machine a mount of the kind \"work\""};
        }
    }
    if (a.setup.works.size() > 1 && !a.machine.retract) {
        return Error{ErrorKind::value,
                     "the setup holds several works, and nothing says which joint takes the tool away between them",
                     {a.machine_file, 0, 0},
                     "name it under \"retract\""};
    }
    return {};
}

Mount holder_of(const Task& a, std::uint32_t work)
{
    const auto held = holding(a.machine, a.setup, work);
    return held ? *held : *a.machine.first_mount(MountKind::work);
}

std::vector<JointIndex> joints_of(const Task& a, const Posture& posture)
{
    return joints_between(a.machine, posture, holder_of(a, posture.work));
}

Status resolve_postures(Task& a)
{
    a.postures.clear();
    const auto& operations = a.job.operations;
    const bool asked = a.setup.works.size() > 1 || std::any_of(operations.begin(), operations.end(), [](const JobOperation& o) {
                           return o.posture.place.line > 0 || !o.work.empty();
                       });
    const auto chain = Kinematics::make(a.machine);
    const bool many = chain && std::count_if(chain->driving().begin(), chain->driving().end(),
                                             [&](JointIndex joint) { return a.machine.joints[joint.value].kind == JointKind::linear; }) > 3;
    if (!asked && !many) {
        return {};
    }
    for (const JobOperation& operation : operations) {
        auto posture = Resolver(a, operation).resolve();
        if (!posture) {
            return posture.error();
        }
        a.postures.push_back(std::move(*posture));
    }
    return {};
}

Result<InverseSolver> solver_of(const Task& a, const Posture& posture)
{
    const auto misfit = [&](const Error& error) { return Error{ErrorKind::value, error.message, {a.machine_file, 0, 0}, error.cure}; };
    auto solver = InverseSolver::make(Kinematics::make(a.machine, posture, holder_of(a, posture.work)), true, posture.spare);
    if (!solver) {
        return misfit(solver.error());
    }
    return solver;
}

std::vector<JointIndex> commanded_joints(const Task& a)
{
    std::vector<JointIndex> out;
    const auto add = [&](const Posture& posture) {
        for (const JointIndex j : joints_of(a, {posture.mount, {}, posture.work})) {
            if (!a.machine.joints[j.value].by_hand && std::find(out.begin(), out.end(), j) == out.end()) {
                out.push_back(j);
            }
        }
    };
    add(a.machine.at_rest());
    for (const OperationPosture& posture : a.postures) {
        add(posture.posture);
    }
    std::sort(out.begin(), out.end());
    return out;
}

Vec3 standing_axis(const Task& a, const InverseSolver& solver)
{
    return a.setup.part().linear().transpose() * solver.kinematics().pose(a.machine.home(), 0).axis;
}

record::PostureChange change_between(const Machine& machine, const Posture& before, const Posture& after)
{
    record::PostureChange out{after, {}, before.mount != after.mount, before.work != after.work};
    for (const HeldJoint& held : after.held) {
        const bool same = std::find(before.held.begin(), before.held.end(), held) != before.held.end();
        if (machine.joints[held.joint.value].by_hand && !same) {
            out.by_hand.push_back(held);
        }
    }
    return out;
}

std::pair<Posture, InverseSolver>& SolverBook::entry(const Posture& posture)
{
    const auto found = std::find_if(made_.rbegin(), made_.rend(), [&](const auto& m) { return m.first == posture; });
    if (found != made_.rend()) {
        return *found;
    }
    return made_.emplace_back(posture, std::move(solver_of(task_, posture)).value());
}

} // namespace wexilum
