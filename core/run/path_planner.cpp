#include "core/run/path_planner.hpp"

#include "core/base/units.hpp"
#include "core/solve/ladder.hpp"
#include "core/solve/mill_solver.hpp"
#include "core/toolpath/arc_piece.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace wexilum {
namespace {

constexpr double ease = 1;    // of a ladder: what turns at full speed costs its time again
constexpr double pull = 0.01; // 1/rad: a free joint stays near its home where little is gained

} // namespace

PathPlanner::PathPlanner(const Assembly& assembly, const std::vector<std::string>& files, Spool& steps, Spool& decisions,
                         FindingList& findings)
    : a_(assembly), files_(files), findings_(findings), solvers_(assembly), solver_(assembly.solver.get()),
      chooser_(*assembly.solver, assembly.machine, assembly.machine.home(), steps, decisions), standing_(assembly.machine.home()),
      in_work_(assembly.setup.part())
{}

/// The target of a record of motion; nullptr for other records. The pointer lives until the next call.
const PathTarget* PathPlanner::target_of(const Record& record)
{
    if (const auto* change = std::get_if<record::ToolChange>(&record.data)) {
        const Tool* tool = a_.setup.find_tool(change->number);
        target_.tool_length = tool != nullptr ? tool->length.value_or(0) : 0;
        fresh_ = true;
    } else if (std::holds_alternative<record::Operation>(record.data)) {
        const OperationSettings& settings = settings_of(a_.job, ++operations_);
        target_.may_reorient = settings.reorient_clearance.has_value();
    }
    if (const auto* feed = std::get_if<record::Feed>(&record.data)) {
        feed_.mode = feed->mode;
        feed_.value = feed->value;
    } else if (const auto* spindle = std::get_if<record::Spindle>(&record.data)) {
        feed_.spindle_rpm = spindle->speed_rpm;
    }
    fresh_ = fresh_ || std::holds_alternative<record::PostureChange>(record.data);
    const Pose* pose = end_pose(record.data);
    if (pose == nullptr || std::holds_alternative<record::From>(record.data)) {
        return nullptr;
    }
    curve_ = here_ ? curved_piece(a_.setup.part(), *here_, record.data) : std::nullopt;
    target_.curve = curve_ ? &*curve_ : nullptr;
    target_.pose = in_work_(*pose);
    target_.link = fresh_ || std::holds_alternative<record::Rapid>(record.data) || std::holds_alternative<record::CyclePoint>(record.data);
    fresh_ = false;
    here_ = *pose;
    return &target_;
}

void PathPlanner::add(const Record& record, std::size_t index)
{
    if (const auto* change = std::get_if<record::PostureChange>(&record.data)) {
        change_posture(change->posture);
    }
    if (const PathTarget* target = target_of(record)) {
        take(*target, record.source, index);
    }
}

void PathPlanner::add(const LinearRun& run, std::size_t index)
{
    target_.curve = nullptr;
    target_.link = std::exchange(fresh_, false);
    here_ = run.pose(run.count - 1);
    const LinearRun& in_work = mapped(in_work_, run, run_);
    if (!solver_->spare()) {
        chooser_.add_run(in_work, target_, [&](std::size_t at, const PathChooser::Seen& seen) { note(seen, run.source(at), index + at); });
        return;
    }
    for (std::size_t i = 0; i < run.count; ++i) {
        target_.pose = in_work.pose(i);
        take(target_, run.source(i), index + i);
        target_.link = false;
    }
}

void PathPlanner::take(const PathTarget& target, const Source& source, std::size_t index)
{
    if (!solver_->spare()) {
        note(chooser_.add(target), source, index);
        return;
    }
    waiting_.push_back(target);
    if (!target.link && waiting_.size() > 1) {
        const Pose& before = waiting_[waiting_.size() - 2].pose;
        const PathPiece piece = target.curve != nullptr ? *target.curve : PathPiece{before, target.pose, std::nullopt};
        waiting_.back().seconds = feed_.seconds(piece.length());
    }
    waiting_for_.push_back({source, index, target.curve != nullptr ? std::optional(*target.curve) : std::nullopt});
}

void PathPlanner::change_posture(const Posture& posture)
{
    choose_waiting();
    solver_ = &solvers_.of(posture);
    chooser_.change_solver(*solver_, standing_);
    for (const HeldJoint& held : posture.held) {
        standing_[Eigen::Index(held.joint.value)] = held.reading;
    }
}

/// What has been cut with a joint left free.
void PathPlanner::choose_waiting()
{
    if (waiting_.empty()) {
        return;
    }
    for (std::size_t i = 0; i < waiting_.size(); ++i) {
        waiting_[i].curve = waiting_for_[i].curve ? &*waiting_for_[i].curve : nullptr;
    }
    const MillSolver solver(a_.machine, *solver_);
    LadderOptions options;
    options.retract = a_.machine.retract;
    options.ease = ease;
    options.pull = pull;
    const std::vector<Choice> choices = LadderChooser(solver, options).choose(waiting_, chooser_.standing(standing_));
    chooser_.add_whole(waiting_, choices);
    const JointIndex spare = *solver_->spare();
    for (std::size_t i = 0; i < choices.size(); ++i) {
        const Choice& choice = choices[i];
        const Waiting& waiting = waiting_for_[i];
        if (choice.readings.size() > 0) {
            standing_[Eigen::Index(spare.value)] = choice.readings[Eigen::Index(spare.value)];
        }
        note({choice.problem, choice.missed_by, choice.nearest_axis, choice.residual, choice.pole}, waiting.source, waiting.index);
        const std::string& id = a_.machine.joints[spare.value].id;
        if (choice.problem == ChoiceProblem::beyond_travel) {
            const Joint& joint = a_.machine.joints[choice.joint.value];
            const bool rotary = joint.kind == JointKind::rotary;
            report(Finding::make(Severity::error, "beyond-travel",
                                 fmt::format("with no reading of {} all joints stay inside their travel: {} would be {:.4f} {} beyond it",
                                             id, joint.id, rotary ? to_deg(choice.missed_by) : choice.missed_by, rotary ? "deg" : "mm"),
                                 "move the part, or choose another tool length", choice.missed_by),
                   joint.id, waiting.source, waiting.index);
        } else if (choice.problem == ChoiceProblem::broken) {
            report(
                Finding::make(Severity::error, "cut-breaks-off",
                              fmt::format("with no reading of {} a cut leads here from the record before without a jump of the joints", id),
                              "retract between the two and go on from a rapid, or move the part", 1),
                "", waiting.source, waiting.index);
        }
    }
    report_way(waiting_for_.front().source, choices);
    waiting_.clear();
    waiting_for_.clear();
}

/// Where a joint left free goes.
void PathPlanner::report_way(const Source& source, const std::vector<Choice>& choices)
{
    const JointIndex spare = *solver_->spare();
    const std::string& id = a_.machine.joints[spare.value].id;
    std::optional<std::pair<double, double>> range;
    for (const Choice& choice : choices) {
        if (choice.readings.size() > 0) {
            const double reading = to_deg(choice.readings[Eigen::Index(spare.value)]);
            range = range ? std::pair(std::min(range->first, reading), std::max(range->second, reading)) : std::pair(reading, reading);
        }
    }
    if (range) {
        const std::string way = range->second - range->first < 1e-6
                                    ? fmt::format("stands at {:.3f} deg", range->first)
                                    : fmt::format("goes from {:.3f} to {:.3f} deg", range->first, range->second);
        report(Finding::make(Severity::remark, "free-joint",
                             fmt::format("{} is left free and {}: so the whole way takes the least time", id, way),
                             "nothing has to be done; \"parked\" in the operation's posture would hold it", 0),
               id, source, waiting_for_.front().index);
    }
}

void PathPlanner::note(const PathChooser::Seen& seen, const Source& source, std::size_t index)
{
    if (seen.problem == ChoiceProblem::unreachable) {
        const Vec3 nearest = a_.setup.part().linear().transpose() * seen.nearest_axis;
        report(Finding::make(Severity::error, "unreachable",
                             fmt::format("no rotary posture brings the tool axis there: {:.3f} deg are missing", to_deg(seen.missed_by)),
                             fmt::format("the nearest axis in reach is {:.6f}, {:.6f}, {:.6f}; lean the tool or turn the part", nearest.x(),
                                         nearest.y(), nearest.z()),
                             seen.missed_by),
               "", source, index);
    } else if (seen.pole < pole_angle && seen.pole > at_pole &&
               !findings_.absorb("near-singular", "", index, 1, -seen.pole, source.line.value, 0)) {
        report(Finding::make(Severity::remark, "near-singular",
                             fmt::format("the tool axis comes within {:.4f} deg of a direction in which a rotary joint does nothing",
                                         to_deg(seen.pole)),
                             "lean the tool away if the joint turns fast here", -seen.pole),
               "", source, index);
    }
}

void PathPlanner::report(Finding finding, const std::string& subject, const Source& source, std::size_t index)
{
    finding.source = place_of(files_, source);
    findings_.add(std::move(finding), subject, index);
}

Status PathPlanner::finish()
{
    choose_waiting();
    return chooser_.finish();
}

} // namespace wexilum
