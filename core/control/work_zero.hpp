// Where the zero of a program's coordinates is, joint by joint: work offsets, shifts, turned planes, lengths, joints that add up.
#pragma once

#include "core/control/control_memory.hpp"
#include "core/control/tools_and_lengths.hpp"

#include <array>
#include <optional>
#include <vector>

namespace wexilum {

class WorkZero final : public ControlPart {
public:
    /// All must outlive the object.
    WorkZero(const Controller& controller, const Machine& machine, const ControlMemory& memory, ControlAxes& axes, ModalWords& modal,
             const ToolsAndLengths& tools, ControlLog& log);

    /// Takes the register of the work offset in force, for a block that depends on it.
    void take_register();
    /// By joint, mm or rad, of the register that was taken last; empty: none was.
    [[nodiscard]] const std::vector<double>& offsets() const { return offsets_; }
    /// The name of that register; null: none was.
    [[nodiscard]] const std::string* register_taken() const { return taken_ != nullptr ? &taken_->work_register : nullptr; }
    /// Whether the register in force is another one than was taken last; for a block that depends on it.
    [[nodiscard]] bool register_differs() { return modal_.use(Group::offset) != taken_; }
    /// The reading of a joint where its coordinate is 0, mm or rad. Precondition: a register has been taken.
    [[nodiscard]] double of(std::size_t joint) const;

    /// The words of a block that shift or turn coordinates.
    void apply(const BlockWords& words);
    /// Whether the block names coordinates of another kind while these are shifted or turned.
    [[nodiscard]] bool moved() const { return shifted_ != 0 || turned_; }
    void reset();
    /// mm or rad.
    [[nodiscard]] double shift(std::size_t joint) const { return shift_[joint]; }
    /// Joints that are shifted, a bit each.
    [[nodiscard]] std::uint32_t shifted() const { return shifted_; }

    /// Coordinates turned in a plane, about a place that the words stated.
    struct TurnedPlane {
        std::array<std::size_t, 2> joints; ///< behind the plane's first and second axis
        int across = 2;                    ///< the direction across it
        double angle = 0;                  ///< rad
        std::array<double, 2> centre{};    ///< mm, in the program's coordinates
    };
    [[nodiscard]] const std::optional<TurnedPlane>& turned() const { return turned_; }
    /// For a block with axis words: relies on what is in force, where the control knows rotations.
    void use_rotation();
    /// The program's coordinates of joints of the plane that is turned, turned on (1) or back (-1), mm. Precondition for this and the next
    /// two: coordinates are turned, and a register has been taken.
    [[nodiscard]] std::array<double, 2> turned_place(const Readings& readings, double way) const;
    /// Takes two joints of the plane from their turned coordinates, or to them: readings stay readings.
    void turn(Readings& readings, double way) const;
    /// mm: how far the rounding of a rotation's words may carry the tip.
    [[nodiscard]] double turned_slack(const Readings& from, const Readings& to) const;

    /// The offsets by which a plain cut is read are those in force, and nothing turns them.
    [[nodiscard]] bool leaves_cuts_plain() const override;

private:
    void shift_by(const BlockWords& words);
    void turn_by(const BlockWords& words);

    const Controller& controller_;
    const Machine& machine_;
    const ControlMemory& memory_;
    ControlAxes& axes_;
    ModalWords& modal_;
    const ToolsAndLengths& tools_;
    const WordMeaning* taken_ = nullptr; ///< whose register is in offsets_
    std::vector<double> offsets_;
    std::array<double, max_joints> shift_{};
    std::uint32_t shifted_ = 0;
    std::optional<TurnedPlane> turned_;
    bool knows_turns_ = false;
};

} // namespace wexilum
