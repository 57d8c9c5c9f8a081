#include "core/write/program_frame.hpp"

#include "core/base/units.hpp"
#include "core/geometry/sine_cosine.hpp"
#include "core/machine/aligned.hpp"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace wexilum {

ProgramFrame::ProgramFrame(const Assembly& assembly) : assembly_(assembly), rounding_(assembly.dialect, assembly.controller)
{
    for (std::size_t i = 0; i < assembly.machine.joints.size(); ++i) {
        rotary_[i] = assembly.machine.joints[i].kind == JointKind::rotary;
        quantity_[i] = rotary_[i] ? Quantity::angle : Quantity::length;
        reads_[i] = rotary_[i] ? assembly.controller.turn_reading(assembly.machine.joints[i].id) : TurnReading::wound;
        circles_ = circles_ || reads_[i] != TurnReading::wound;
    }
    turn_counts_ = rounding_.counts(Quantity::angle, whole_turn);
    for (const AlignedJoints& group : assembly.controller.aligned) {
        if (group.summed) {
            Sum sum;
            for (const SignedJoint& joint : signed_joints(assembly.machine, group.joints)) {
                if (joint.first) {
                    sum.joint = joint.joint.value;
                } else {
                    sum.others.emplace_back(joint.joint.value, joint.sign);
                }
            }
            sums_.push_back(std::move(sum));
        }
    }
    change_solver(*assembly.solver, assembly.posture_of(0).work);
    take_sums(assembly.machine.home());
}

void ProgramFrame::take_sums(const Readings& readings)
{
    for (Sum& sum : sums_) {
        sum.value = 0;
        for (const auto& [joint, sign] : sum.others) {
            sum.value += sign * readings[Eigen::Index(joint)];
        }
    }
    shift();
}

std::optional<std::size_t> ProgramFrame::working(std::size_t joint) const
{
    const auto works = working_joint(assembly_.machine, assembly_.controller, JointIndex(std::uint32_t(joint)),
                                     [&](JointIndex j) { return chain_[j.value]; });
    return works ? std::optional<std::size_t>(works->value) : std::nullopt;
}

void ProgramFrame::change_solver(const InverseSolver& solver, std::uint32_t work)
{
    solver_ = &solver;
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        offset_[i] = assembly_.offset(JointIndex(static_cast<std::uint32_t>(i)), work);
    }
    chain_.fill(false);
    chain_joints_.clear();
    for (const JointIndex joint : solver.kinematics().driving()) {
        chain_[joint.value] = true;
    }
    for (std::size_t i = 0; i < chain_.size(); ++i) {
        if (chain_[i]) {
            chain_joints_.push_back(i);
        }
    }
    const auto joint = assembly_.machine.find_joint(assembly_.dialect.length_joint);
    length_joint_ = joint ? working(joint->value) : std::nullopt;
    shift();
}

void ProgramFrame::set_length_shift(double mm)
{
    length_ = mm;
    shift();
}

void ProgramFrame::shift()
{
    shift_ = offset_;
    for (const Sum& sum : sums_) {
        shift_[sum.joint] -= sum.value;
    }
    if (length_joint_) {
        shift_[*length_joint_] += length_;
    }
}

[[gnu::always_inline]] inline double ProgramFrame::round(MachinePosition& position, std::size_t joint, double wanted) const
{
    if (exact_ != nullptr) [[unlikely]] {
        const double value = program_value(joint, wanted);
        exact_->note(Role::axes, joint, reads_[joint] == TurnReading::wound ? value : value - whole_turn * std::floor(value / whole_turn));
    }
    position.counts[joint] = counts(joint, wanted);
    return position.readings[Eigen::Index(joint)] = reading(joint, position.counts[joint]);
}

std::int64_t ProgramFrame::circle_counts(std::size_t joint, std::int64_t before, std::int64_t after) const
{
    const std::int64_t place = ((after % turn_counts_) + turn_counts_) % turn_counts_;
    // A minus before a zero would be lost: the whole turn is the same place.
    return reads_[joint] == TurnReading::signed_way && after < before ? (place == 0 ? -turn_counts_ : -place) : place;
}

std::int64_t ProgramFrame::blocks_between(std::size_t joint, std::int64_t before, std::int64_t after) const
{
    const std::int64_t way = std::abs(after - before);
    switch (reads_[joint]) {
    case TurnReading::wound: return 1;
    case TurnReading::shortest_way: return 2 * way / turn_counts_ + 1;
    default: return way / turn_counts_ + 1;
    }
}

MachinePosition ProgramFrame::rounded(const MachinePosition& now, const Readings& planned, const Vec3& tip, double tool_length) const
{
    MachinePosition out = now;
    round_in_place(out, planned, tip, tool_length);
    return out;
}

void ProgramFrame::round_in_place(MachinePosition& position, const Readings& planned, const Vec3& tip, double tool_length) const
{
    if (cylinder_) [[unlikely]] {
        round_on_cylinder(position, planned, tip, tool_length);
        return;
    }
    const InverseSolver& solver = *solver_;
    RotaryParts sine{};
    RotaryParts cosine{};
    const std::size_t rotary = std::min(solver.rotary().size(), sine.size());
    for (std::size_t i = 0; i < rotary; ++i) {
        const std::size_t joint = solver.rotary()[i].value;
        const double rounded = round(position, joint, planned[Eigen::Index(joint)]);
        const SineCosine of = sine_and_cosine(rounded - solver.rotary_reference(i));
        sine[i] = of.sine;
        cosine[i] = of.cosine;
    }
    if (tip_) [[unlikely]] {
        round_tip(position, tip, tool_length);
        return;
    }
    const Vec3 linear = solver.linear_together() ? solver.linear_readings(sine, cosine, tip, tool_length)
                                                 : solver.linear_readings(position.readings, tip, tool_length);
    for (std::size_t i = 0; i < 3; ++i) {
        round(position, solver.linear()[i].value, linear[Eigen::Index(i)]);
    }
}

void ProgramFrame::round_along(std::size_t joint, const Column& wanted, double more, std::size_t first, std::size_t end,
                               LineRun::Counts& counts, Column& readings) const
{
    const Quantity of = quantity(joint);
    const double shift = shift_[joint];
    for (std::size_t i = first; i < end; ++i) {
        counts[i] = rounding_.counts(of, wanted[i] + more - shift);
        readings[i] = rounding_.value(of, counts[i]) + shift;
    }
}

void ProgramFrame::recount(MachinePosition& position) const
{
    const Readings values = program_values(position.readings);
    for (const std::size_t joint : chain_joints_) {
        position.counts[joint] = rounding_.counts(quantity(joint), values[Eigen::Index(joint)]);
    }
    if (cylinder_) {
        position.counts[cylinder_->turning] = 0; // it has no word
    }
}

// --- coordinates of the tip ------------------------------------------------------------------------------------------

std::optional<std::array<std::size_t, 3>> ProgramFrame::xyz() const
{
    std::array<std::size_t, 3> out{};
    const std::string letters = "XYZ";
    for (std::size_t k = 0; k < 3; ++k) {
        const auto found = std::find_if(assembly_.dialect.axes.begin(), assembly_.dialect.axes.end(),
                                        [&](const auto& axis) { return axis.second.address == letters[k]; });
        const auto joint = found == assembly_.dialect.axes.end() ? std::nullopt : assembly_.machine.find_joint(found->first);
        if (!joint) {
            return std::nullopt;
        }
        out[k] = working(joint->value).value_or(joint->value);
    }
    return out;
}

Status ProgramFrame::enter(FrameKind kind, double tool_length)
{
    const auto joints = xyz();
    if (!joints) {
        return Error{ErrorKind::unsupported, "the dialect has no axes X, Y and Z", {}, "name them under \"axes\""};
    }
    Readings zero = assembly_.machine.home();
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        zero[Eigen::Index(i)] = offset_[i];
    }
    auto frame = TipFrame::make(*solver_, *joints, zero, kind == FrameKind::world);
    if (!frame) {
        return frame.error();
    }
    kind_ = kind;
    tip_ = *frame;
    tip_length_ = tool_length;
    return {};
}

void ProgramFrame::leave()
{
    kind_ = FrameKind::joints;
    tip_.reset();
    cylinder_.reset();
}

Status ProgramFrame::enter_cylinder(std::size_t flat, std::size_t turning, double radius, const Readings& now)
{
    if (solver_->rotary().size() != 1 || solver_->rotary()[0].value != turning || !chain_[flat] || rotary_[flat]) {
        return Error{ErrorKind::unsupported,
                     "the joint that turns the cylinder is not the only rotary one between tool and work",
                     {},
                     "let the others be parked, or write the joints' own readings"};
    }
    kind_ = FrameKind::cylinder;
    cylinder_ = Cylinder{flat, turning, radius, now[Eigen::Index(flat)]};
    return {};
}

double ProgramFrame::beside_cylinder(const Readings& planned, const Vec3& tip, double tool_length) const
{
    const Vec3 linear = solver_->linear_readings(planned, tip, tool_length);
    double out = 0;
    for (std::size_t i = 0; i < 3; ++i) {
        if (solver_->linear()[i].value == cylinder_->flat) {
            out = linear[Eigen::Index(i)] - cylinder_->stands;
        }
    }
    return out;
}

/// The way round is rounded; the turn follows it.
[[gnu::noinline]] void ProgramFrame::round_on_cylinder(MachinePosition& position, const Readings& planned, const Vec3& tip,
                                                       double tool_length) const
{
    const Cylinder& on = *cylinder_;
    const double way = program_value(on.turning, planned[Eigen::Index(on.turning)]) * on.scale;
    if (exact_ != nullptr) {
        exact_->note(Role::axes, on.flat, way);
    }
    position.counts[on.flat] = rounding_.counts(Quantity::length, way);
    position.counts[on.turning] = 0;
    position.readings[Eigen::Index(on.turning)] =
        rounding_.value(Quantity::length, position.counts[on.flat]) / on.scale + shift_[on.turning];
    position.readings[Eigen::Index(on.flat)] = on.stands;
    const Vec3 linear = solver_->linear_readings(position.readings, tip, tool_length);
    for (std::size_t i = 0; i < 3; ++i) {
        const std::size_t joint = solver_->linear()[i].value;
        if (joint != on.flat) {
            round(position, joint, linear[Eigen::Index(i)]);
        }
    }
}

[[gnu::noinline]] void ProgramFrame::round_tip(MachinePosition& position, const Vec3& tip, double tool_length) const
{
    Vec3 at = tip_->coordinates(tip, position.readings);
    for (std::size_t k = 0; k < 3; ++k) {
        const std::size_t joint = tip_->joints()[k];
        double& value = at[Eigen::Index(k)];
        if (exact_ != nullptr) {
            exact_->note(Role::axes, joint, value);
        }
        position.counts[joint] = rounding_.counts(Quantity::length, value);
        value = rounding_.value(Quantity::length, position.counts[joint]);
    }
    solver_->set_linear(position.readings, tip_->tip(at, position.readings), tool_length);
}

Readings ProgramFrame::program_values(const Readings& readings) const
{
    Readings out = readings;
    for (const std::size_t joint : chain_joints_) {
        out[Eigen::Index(joint)] = program_value(joint, readings[Eigen::Index(joint)]);
    }
    if (cylinder_) {
        out[Eigen::Index(cylinder_->flat)] = out[Eigen::Index(cylinder_->turning)] * cylinder_->scale;
    }
    if (tip_) {
        const Vec3 at = tip_->coordinates(solver_->kinematics().pose(readings, tip_length_).tip, readings);
        for (std::size_t k = 0; k < 3; ++k) {
            out[Eigen::Index(tip_->joints()[k])] = at[Eigen::Index(k)];
        }
    }
    return out;
}

MachinePosition ProgramFrame::at_readings(const MachinePosition& now, const Readings& readings) const
{
    const double length = tip_ ? tip_length_ : 0; // any: it falls out of the joints' own readings
    return rounded(now, readings, solver_->kinematics().pose(readings, length).tip, length);
}

} // namespace wexilum
