// The tool in a control's spindle, and the tool length that it adds to a joint's coordinate.
#pragma once

#include "core/control/control_axes.hpp"
#include "core/control/feeds_and_spindle.hpp"

namespace wexilum {

struct Setup;

class ToolsAndLengths final : public ControlPart {
public:
    /// All must outlive the object; `table` may be null: nobody has stated tools.
    ToolsAndLengths(const Controller& controller, const Machine& machine, const Setup* table, const ControlAxes& axes, ModalWords& modal,
                    FeedsAndSpindle& feeds, ControlLog& log);

    /// A word that comes into force: those of lengths; others do nothing here.
    void put(const WordMeaning& meaning, const BlockWords& words);
    /// The register of a length in a block.
    void read_register(const BlockWords& words);
    /// A tool called, and changed.
    void change(const BlockWords& words);
    void forget();

    [[nodiscard]] std::uint32_t tool() const { return tool_; }
    [[nodiscard]] std::uint32_t selected() const { return selected_; }
    /// mm, of the tool table.
    [[nodiscard]] double length() const { return length_; }
    /// mm, that the control adds to the coordinate of length_joint().
    [[nodiscard]] double shift() const { return shift_; }
    /// SIZE_MAX: none.
    [[nodiscard]] std::size_t length_joint() const { return length_joint_; }
    /// The joint on which lengths and cycles act by themselves; SIZE_MAX: none.
    [[nodiscard]] std::size_t length_default() const { return length_default_; }

    /// A length in force is part of the offsets by which a plain cut is read.
    [[nodiscard]] bool leaves_cuts_plain() const override { return true; }

private:
    const Controller& controller_;
    const Machine& machine_;
    const Setup* table_;
    const ControlAxes& axes_;
    ModalWords& modal_;
    FeedsAndSpindle& feeds_;
    std::size_t length_default_ = SIZE_MAX;
    std::size_t length_joint_ = SIZE_MAX;
    std::uint32_t selected_ = 0;
    std::uint32_t tool_ = 0;
    double length_ = 0;
    double shift_ = 0;
};

} // namespace wexilum
