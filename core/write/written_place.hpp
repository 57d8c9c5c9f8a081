// Where the program has brought the machine, by the counts that it has written, and in which coordinates.
#pragma once

#include "core/write/working_chain.hpp"
#include "core/write/write_log.hpp"

#include <optional>
#include <vector>

namespace wexilum {

/// What a block to a position does to the joints of the chain.
struct BlockWay {
    std::uint32_t moved = 0; ///< a bit for each joint of the chain whose counts change
    bool rotary = false;     ///< one of them is rotary
    bool inside = true;      ///< the position is inside travel
    double slowest = 0;      ///< s
};

class WrittenPlace final : public WritePart {
public:
    /// All must outlive the object. The machine is at home, position not yet stated.
    WrittenPlace(const Assembly& assembly, const WordEmitter& emitter, WriteLog& log);

    ProgramFrame frame;       ///< between readings and counts; recount() behind whatever changes it
    WorkingChain chain;       ///< of the posture
    std::vector<bool> stated; ///< by joint: the program itself has brought it somewhere
    double tool_length = 0;   ///< mm
    bool positioned = false;  ///< the tool is at the work, or on its way there by a link
    bool retracted = false;

    [[nodiscard]] const InverseSolver& solver() const { return *solver_; }
    [[nodiscard]] const Posture& posture() const { return posture_; }
    /// The machine stands as this posture holds it; the solver must outlive the object.
    void take_posture(const Posture& posture, const InverseSolver& solver);

    [[nodiscard]] const Readings& now() const { return position_.readings; }
    [[nodiscard]] const MachinePosition& position() const { return position_; }
    void set_position(const MachinePosition& position) { position_ = position; }
    /// Takes one joint from a position.
    void move_joint(std::size_t joint, const MachinePosition& target)
    {
        position_.counts[joint] = target.counts[joint];
        position_.readings[Eigen::Index(joint)] = target.readings[Eigen::Index(joint)];
    }
    /// A joint has been brought somewhere by other words than the path's, or by hand (set_reading()).
    void moved_to(std::size_t joint, double reading);
    void set_reading(std::size_t joint, double reading) { position_.readings[Eigen::Index(joint)] = reading; }
    void recount();
    void set_length_shift(double mm);

    /// The position for a tip and planned readings, rounded; or with the rotary joints as they stand.
    [[nodiscard]] MachinePosition rounded(const Readings& planned, const Vec3& tip) const
    {
        return frame.rounded(position_, planned, tip, tool_length);
    }
    [[nodiscard]] MachinePosition with_same_turn(const Vec3& tip) const { return rounded(position_.readings, tip); }
    /// The same in place, for one point of a cut after the other; it lives until the next call of anything.
    [[nodiscard]] const MachinePosition& next(const Readings& planned, const Vec3& tip)
    {
        frame.round_in_place(next_, planned, tip, tool_length);
        return next_;
    }
    /// Sets one joint of a position.
    void set_joint(MachinePosition& target, std::size_t joint, double reading) const;
    [[nodiscard]] Pose pose() const { return solver_->kinematics().pose(position_.readings, tool_length); }
    /// Whether words of rotary joints, or of linear ones, differ at a position.
    [[nodiscard]] bool differs(const MachinePosition& target, bool rotary) const;
    [[nodiscard]] BlockWay way_to(const MachinePosition& target) const
    {
        BlockWay out;
        const double* const from = position_.readings.data();
        const double* const to = target.readings.data();
        std::uint32_t bit = 1;
        for (const WorkingChain::Joint& joint : chain.joints) {
            const double reading = to[joint.joint];
            out.moved |= target.counts[joint.joint] != position_.counts[joint.joint] ? bit : 0;
            out.slowest = std::max(out.slowest, std::abs(reading - from[joint.joint]) * joint.per_speed);
            out.inside = out.inside && reading >= joint.low && reading <= joint.high;
            bit <<= 1;
        }
        out.rotary = (out.moved & chain.rotary_bits) != 0;
        return out;
    }
    /// What a joint's word means: its reading, or a coordinate of the tip.
    [[nodiscard]] double word_value(const MachinePosition& position, std::size_t joint) const;
    void check_travel(const Readings& readings);

    /// The joint that retracts: the machine's, or the one along it that works in its place.
    [[nodiscard]] std::optional<std::size_t> away_joint() const;
    /// The home of a rotary joint on the turn in which the control can bring it there.
    [[nodiscard]] double rotary_home_of(std::size_t joint) const;
    /// Along a tool; up, where it is a blade that stands along its cut.
    [[nodiscard]] Vec3 out_of_work(const Pose& pose, const Readings& readings) const
    {
        return solver_->kinematics().blade() ? solver_->kinematics().out_of_work(readings) : pose.axis;
    }
    [[nodiscard]] bool on_cylinder() const { return frame.kind() == FrameKind::cylinder; }

    /// In the joints' own coordinates, where each word is its joint's reading and the way of the joints is the tip's.
    [[nodiscard]] bool leaves_cuts_plain() const override;

private:
    const Assembly& assembly_;
    const WordEmitter& emitter_;
    const InverseSolver* solver_;
    Posture posture_;
    MachinePosition position_;
    MachinePosition next_; ///< differs from position_ in the chain's joints only
};

} // namespace wexilum
