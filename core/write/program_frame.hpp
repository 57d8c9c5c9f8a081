// Between machine readings and the counts written in the program: work offset, tool length, rounding.
#pragma once

#include "core/dialect/emit_probe.hpp"
#include "core/dialect/line_run.hpp"
#include "core/dialect/rounding.hpp"
#include "core/job/assembly.hpp"
#include "core/solve/tip_frame.hpp"

namespace wexilum {

/// Where the machine stands by what the program says: the counts of each joint's word, and the readings they come to. Joints
/// outside the chain between tool and work have no counts. While coordinates of the tip are in force, the counts of the joints under
/// X, Y and Z are such coordinates.
struct MachinePosition {
    Readings readings;
    std::array<std::int64_t, max_joints> counts{};
};

class ProgramFrame {
public:
    /// The assembly must be linked and outlive the frame.
    explicit ProgramFrame(const Assembly& assembly);

    /// The chain is that of another posture's solver, which must outlive the frame, the register that of its work. Positions made before
    /// hold the old counts: recount() them.
    void change_solver(const InverseSolver& solver, std::uint32_t work);

    /// The tool length that the control adds to its length joint; 0 while no length word is in force. Positions made before hold the
    /// old counts: recount() them.
    void set_length_shift(double mm);

    /// Where the control adds aligned joints up: they stand as in these readings.
    void take_sums(const Readings& readings);
    /// The joint that a length register shifts and a cycle drills along: the dialect's, or the one aligned with it that works.
    [[nodiscard]] std::optional<std::size_t> length_joint() const { return length_joint_; }
    /// The joint that works in place of this one: itself, or one of the chain that the control has aligned with it.
    [[nodiscard]] std::optional<std::size_t> working(std::size_t joint) const;

    [[nodiscard]] Quantity quantity(std::size_t joint) const { return quantity_[joint]; }
    /// From here on the words X, Y and Z are coordinates of the tip; positions made before hold the old counts. The length is that which
    /// the control has in force. An Error says why this machine's tip has no such coordinates; then nothing has changed.
    Status enter(FrameKind kind, double tool_length);
    /// The coordinates are those of a plane from here on. Precondition: entered.
    void set_plane(const Frame& plane) { tip_->set_plane(plane); }
    /// From here on the word of the joint `flat` gives the way round a cylinder of the radius, which the joint `turning` turns; `flat`
    /// stands as in `now`. An Error where they are not a linear joint and the only rotary one of the chain; then nothing has changed.
    Status enter_cylinder(std::size_t flat, std::size_t turning, double radius, const Readings& now);
    /// While it is in force: by how much the tip leaves the place under which the joint `flat` stands, mm.
    [[nodiscard]] double beside_cylinder(const Readings& planned, const Vec3& tip, double tool_length) const;
    struct Cylinder {
        std::size_t flat = 0;
        std::size_t turning = 0;
        double scale = 1;  ///< mm a rad
        double stands = 0; ///< reading of `flat`, mm
    };
    /// Precondition: kind() is cylinder.
    [[nodiscard]] const Cylinder& cylinder() const { return *cylinder_; }
    void leave();
    [[nodiscard]] FrameKind kind() const { return kind_; }
    /// Precondition: of_the_tip(kind()).
    [[nodiscard]] const TipFrame& tip_frame() const { return *tip_; }
    /// The joints that the words X, Y and Z mean by themselves, or those that work in their place; nothing where the dialect lacks one.
    [[nodiscard]] std::optional<std::array<std::size_t, 3>> xyz() const;
    /// What the program says for each joint of the chain at these readings, mm or rad, before rounding.
    [[nodiscard]] Readings program_values(const Readings& readings) const;
    /// The position nearest to readings: rounded, beginning with where it is now.
    [[nodiscard]] MachinePosition at_readings(const MachinePosition& now, const Readings& readings) const;
    /// The joint under the word along which a cycle drills.
    [[nodiscard]] std::optional<std::size_t> drill_joint() const { return tip_ ? std::optional(tip_->joints()[2]) : length_joint_; }

    /// Counts of the word that brings the joint to `reading`; not for X, Y and Z while they are coordinates of the tip.
    [[nodiscard]] std::int64_t counts(std::size_t joint, double reading) const
    {
        return rounding_.counts(quantity(joint), program_value(joint, reading));
    }
    /// Where a word of such counts brings the joint; with the same exception.
    [[nodiscard]] double reading(std::size_t joint, std::int64_t counts) const
    {
        return rounding_.value(quantity(joint), counts) + shift_[joint];
    }
    /// The position that the words for a tip and planned readings (Planned::readings) bring the machine to, beginning with where it is now:
    /// rotary joints are rounded first, so that the linear ones bring the tip to its place for the rotary readings the control will have.
    [[nodiscard]] MachinePosition rounded(const MachinePosition& now, const Readings& planned, const Vec3& tip, double tool_length) const;
    /// The same in place, for one point of a path after the other.
    void round_in_place(MachinePosition& position, const Readings& planned, const Vec3& tip, double tool_length) const;
    /// Counts and readings that a joint's wanted readings, each with `more` added, come to, for those from `first` to before `end`.
    /// Precondition: kind() is joints, and nothing is noted.
    void round_along(std::size_t joint, const Column& wanted, double more, std::size_t first, std::size_t end, LineRun::Counts& counts,
                     Column& readings) const;
    [[nodiscard]] bool noting() const { return exact_ != nullptr; }
    /// The slot of a number, rounded.
    [[nodiscard]] Slot slot(Role role, Quantity quantity, double value, std::size_t index = 0) const
    {
        if (exact_ != nullptr) [[unlikely]] {
            exact_->note(role, index, value);
        }
        return {role, std::uint8_t(index), quantity, rounding_.counts(quantity, value), {}};
    }
    /// What the program says for a joint's reading, mm or rad.
    [[nodiscard]] double program_value(std::size_t joint, double reading) const { return reading - shift_[joint]; }
    /// Where to note the value that each word was rounded from; null: nowhere.
    void note_exact(ExactValues* exact) { exact_ = exact; }
    /// The counts to write for a joint that goes from `before` to `after` (both with every turn): what the control reads so. Precondition:
    /// blocks_between() is 1.
    [[nodiscard]] std::int64_t word_counts(std::size_t joint, std::int64_t before, std::int64_t after) const
    {
        return reads_[joint] == TurnReading::wound ? after : circle_counts(joint, before, after);
    }
    /// How many blocks of equal ways it takes at least, so that the control goes the way that is meant.
    [[nodiscard]] std::int64_t blocks_between(std::size_t joint, std::int64_t before, std::int64_t after) const;
    [[nodiscard]] TurnReading reads(std::size_t joint) const { return reads_[joint]; }
    /// Whether some joint's words see a circle of one turn.
    [[nodiscard]] bool has_circles() const { return circles_; }
    /// Counts of all joints anew.
    void recount(MachinePosition& position) const;

    [[nodiscard]] const Rounding& rounding() const { return rounding_; }
    [[nodiscard]] const std::array<bool, max_joints>& is_rotary() const { return rotary_; }
    [[nodiscard]] const std::array<bool, max_joints>& in_chain() const { return chain_; }
    /// The joints of the chain in the machine's order.
    [[nodiscard]] const std::vector<std::size_t>& chain() const { return chain_joints_; }

private:
    double round(MachinePosition& position, std::size_t joint, double wanted) const;
    void round_on_cylinder(MachinePosition& position, const Readings& planned, const Vec3& tip, double tool_length) const;
    void round_tip(MachinePosition& position, const Vec3& tip, double tool_length) const;
    [[nodiscard]] std::int64_t circle_counts(std::size_t joint, std::int64_t before, std::int64_t after) const;
    struct Sum {
        std::size_t joint = 0; ///< whose word stands for all
        std::vector<std::pair<std::size_t, double>> others;
        double value = 0;
    };
    void shift();

    const Assembly& assembly_;
    const InverseSolver* solver_ = nullptr;
    FrameKind kind_ = FrameKind::joints;
    std::optional<TipFrame> tip_; ///< set where of_the_tip(kind_)
    std::optional<Cylinder> cylinder_;
    double tip_length_ = 0; ///< of the tool, as the control knows it
    std::vector<Sum> sums_;
    double length_ = 0; ///< in force
    Rounding rounding_;
    std::array<bool, max_joints> rotary_{};
    std::array<Quantity, max_joints> quantity_{};
    std::array<bool, max_joints> chain_{};
    std::vector<std::size_t> chain_joints_;
    std::array<double, max_joints> offset_{}; ///< of the work's register, by joint
    std::array<double, max_joints> shift_{};  ///< offset and length
    std::optional<std::size_t> length_joint_;
    std::array<TurnReading, max_joints> reads_{};
    bool circles_ = false;
    std::int64_t turn_counts_ = 0; ///< of a whole turn
    ExactValues* exact_ = nullptr;
};

} // namespace wexilum
