// How the machine stands along a job: what is fitted, held and set by hand in each operation, and the solvers that go with it.
#pragma once

#include "core/base/finding.hpp"
#include "core/solve/inverse.hpp"
#include "core/task/task.hpp"

#include <deque>
#include <optional>
#include <utility>
#include <vector>

namespace wexilum {

/// Whether the machine has what holds each work, and a joint that takes the tool away between several.
Status check_works(const Task& task);

/// Settles what each operation asks for against the machine. Where no operation asks, the machine has one tool mount and the setup
/// one work, there is nothing to settle, and `postures` stays empty. Errors name the job's place.
Status resolve_postures(Task& task);

/// What holds a work, by its place in the setup, as holding() lays it; the machine's first work mount where the setup says nothing.
/// Precondition: the machine has one.
[[nodiscard]] Mount holder_of(const Task& task, std::uint32_t work);

/// The joints between the tool and the work of a posture that move, in the machine's order.
[[nodiscard]] std::vector<JointIndex> joints_of(const Task& task, const Posture& posture);

/// The solver of a posture; an Error that names the machine's file where none is to be had.
Result<InverseSolver> solver_of(const Task& task, const Posture& posture);

/// The joints that words of the program bring somewhere, in the machine's order: those that move in some posture, and those that are
/// held and not set by hand.
[[nodiscard]] std::vector<JointIndex> commanded_joints(const Task& task);

/// The tool axis of a posture that has no rotary joint left, in the part's frame.
[[nodiscard]] Vec3 standing_axis(const Task& task, const InverseSolver& solver);

/// The joints that a person has to set, and whether something has to be fitted, from one posture to the next.
[[nodiscard]] record::PostureChange change_between(const Machine& machine, const Posture& before, const Posture& after);

/// The solvers of the postures that a run comes through, each made once; references live as long as the book.
class SolverBook {
public:
    /// The task must be linked and outlive the book.
    explicit SolverBook(const Task& task) : task_(task) {}
    /// Precondition: solver_of() has one.
    const InverseSolver& of(const Posture& posture) { return entry(posture).second; }
    /// The posture as the book keeps it.
    const Posture& kept(const Posture& posture) { return entry(posture).first; }

private:
    std::pair<Posture, InverseSolver>& entry(const Posture& posture);

    const Task& task_;
    std::deque<std::pair<Posture, InverseSolver>> made_;
};

/// Follows a job's postures along its records: says when they change, sets what a person sets, and gives tool axes that a fixed tool
/// can't have exactly those that it has.
class PostureFollower {
public:
    /// The task must be linked and outlive the follower.
    explicit PostureFollower(const Task& task);
    /// Whether the job has postures at all; otherwise nothing below is to be called.
    [[nodiscard]] bool any() const { return !task_.postures.empty(); }
    /// The operation with this number, from 0, begins: the change to what it stands in, where there is one.
    std::optional<record::PostureChange> begin_operation(std::size_t operation);
    /// What a motion to `pose` (part's frame) takes.
    struct Step {
        std::optional<record::PostureChange> change; ///< before it
        double departure = 0;                        ///< rad: how far the pose's axis has been turned
        std::optional<Finding> problem;
    };
    Step motion(Pose& pose, bool link);
    /// The solver of the posture in force; it stays as it is while the follower lives.
    [[nodiscard]] const InverseSolver& solver() const { return *solver_; }

private:
    void stand(const Posture& posture);
    std::optional<record::PostureChange> set_for(const Vec3& axis, double& missed);
    [[nodiscard]] Finding missed_direction(const Vec3& asked, double off) const;

    const Task& task_;
    SolverBook solvers_;
    Posture now_;
    const InverseSolver* solver_ = nullptr;
    const OperationPosture* operation_ = nullptr;
    std::optional<InverseSolver> open_; ///< with the joints free that a person sets
    std::optional<Vec3> asked_;         ///< the direction that they are set for
    std::optional<Vec3> axis_;          ///< part's frame; none where rotary joints can turn it
    bool reported_ = false;             ///< that a cut turns away, in this operation
};

} // namespace wexilum
