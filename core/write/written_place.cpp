#include "core/write/written_place.hpp"

#include "core/base/units.hpp"
#include "core/write/cut_lines.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

namespace {

/// The machine at rest, at the work that comes first.
Posture begins_as(const Assembly& assembly)
{
    Posture out = assembly.machine.at_rest();
    out.work = assembly.posture_of(0).work;
    return out;
}

} // namespace

WrittenPlace::WrittenPlace(const Assembly& assembly, const WordEmitter& emitter, WriteLog& log)
    : WritePart(log), frame(assembly), stated(assembly.machine.joints.size(), false), assembly_(assembly), emitter_(emitter),
      solver_(&*assembly.solver), posture_(begins_as(assembly)), position_{assembly.machine.home(), {}}, next_(position_)
{
    recount();
    chain = working_chain(assembly, frame, *solver_, emitter, away_joint());
}

void WrittenPlace::take_posture(const Posture& posture, const InverseSolver& solver)
{
    posture_ = posture;
    solver_ = &solver;
    frame.change_solver(solver, posture.work);
    frame.take_sums(now());
    recount();
    chain = working_chain(assembly_, frame, solver, emitter_, away_joint());
}

void WrittenPlace::recount()
{
    frame.recount(position_);
    next_ = position_;
}

bool WrittenPlace::leaves_cuts_plain() const
{
    // The travel of a joint that follows one other stands in that one's own; of several the sum has to be looked at.
    const auto& relations = assembly_.machine.relations;
    const bool sums = std::any_of(relations.begin(), relations.end(), [](const Relation& r) { return r.leaders.size() > 1; });
    return positioned && !chain.skewed && solver_->linear_together() && !solver_->spare() && !sums && !frame.noting();
}

void WrittenPlace::set_length_shift(double mm)
{
    frame.set_length_shift(mm);
    recount();
}

void WrittenPlace::moved_to(std::size_t joint, double reading)
{
    position_.readings[Eigen::Index(joint)] = reading;
    frame.kind() == FrameKind::joints ? void(position_.counts[joint] = frame.counts(joint, reading)) : frame.recount(position_);
    next_ = position_;
}

bool WrittenPlace::differs(const MachinePosition& target, bool rotary) const
{
    if (rotary && on_cylinder()) {
        return target.counts[frame.cylinder().flat] != position_.counts[frame.cylinder().flat];
    }
    for (const std::size_t i : frame.chain()) {
        if (frame.is_rotary()[i] == rotary && target.counts[i] != position_.counts[i]) {
            return true;
        }
    }
    return false;
}

[[gnu::noinline, gnu::cold]] void WrittenPlace::check_travel(const Readings& readings)
{
    if (inside_travel(assembly_.machine, readings, travel_room)) {
        return;
    }
    for (const Overtravel& over : overtravels(assembly_.machine, readings, travel_room)) {
        const Joint& joint = assembly_.machine.joints[over.joint.value];
        const bool rotary = joint.kind == JointKind::rotary;
        log_.report(Severity::error, "beyond-travel", joint.id, text_of(assembly_.machine, over),
                    rotary ? "lean the tool less, turn the part, or retract before it so that the joint can unwind"
                           : "move the part or choose another tool length",
                    over.beyond, neighbouring_records);
    }
}

/// The joint that retracts: the machine's, or the one along it that works in its place.
std::optional<std::size_t> WrittenPlace::away_joint() const
{
    const auto& retract = assembly_.machine.retract;
    return retract ? frame.working(retract->value) : std::nullopt;
}

/// The home of a rotary joint on the turn in which the control can bring it there.
double WrittenPlace::rotary_home_of(std::size_t i) const
{
    const Joint& joint = assembly_.machine.joints[i];
    double home = joint.home;
    if (frame.reads(i) != TurnReading::wound && !joint.travel) { // the same place on the circle, on the turn that is nearest
        const double turns = (now()[Eigen::Index(i)] - home) / whole_turn;
        home += whole_turn * (frame.reads(i) == TurnReading::rising    ? std::ceil(turns - 1e-9)
                              : frame.reads(i) == TurnReading::falling ? std::floor(turns + 1e-9)
                                                                       : std::round(turns));
    }
    return home;
}

void WrittenPlace::set_joint(MachinePosition& target, std::size_t joint, double reading) const
{
    target.counts[joint] = frame.counts(joint, reading);
    target.readings[Eigen::Index(joint)] = frame.reading(joint, target.counts[joint]);
}

double WrittenPlace::word_value(const MachinePosition& position, std::size_t joint) const
{
    const bool coordinate = frame.kind() != FrameKind::joints && !frame.is_rotary()[joint];
    return coordinate ? frame.rounding().value(Quantity::length, position.counts[joint]) : position.readings[Eigen::Index(joint)];
}

} // namespace wexilum
