// What carries a control's tool: mounts that it takes by words, and attachments that a person fits and sets as messages ask.
#pragma once

#include "core/control/operator.hpp"
#include "core/control/tools_and_lengths.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace wexilum {

class ToolMounts final : public ControlPart {
public:
    /// All must outlive the object. `mount`: that carries the tool, by its place in Machine::mounts; none: the machine's first.
    ToolMounts(const Controller& controller, const Machine& machine, std::optional<std::uint32_t> mount, ControlAxes& axes,
               const FeedsAndSpindle& feeds, const ToolsAndLengths& tools, ControlLog& log);

    [[nodiscard]] std::uint32_t mount() const { return mount_; }
    /// Whether tool mounts are taken, by a person or by words; a witness has none.
    [[nodiscard]] bool taken() const { return operator_.needed() || (by_words_ && !machine_.mounts.empty()); }
    /// Grows with each change of what carries the tool, or of how an attachment is set.
    [[nodiscard]] std::uint32_t changes() const { return changes_; }

    /// The comments of a line.
    void hear(std::string_view line);
    void stop(bool optional);
    /// Takes another tool mount where the block has a word for it.
    void take(const BlockWords& words);
    /// Before a motion. `in_frame`: the words are coordinates of the tip, which have the tool's length in them.
    void check(bool feed, bool in_frame);
    /// Before a motion: whether the spindle can turn as the program has it.
    void check_drive();
    /// The spindle of the tool, behind the gears of its mount.
    void turn_through_gears(ReplayMove& move) const;

    [[nodiscard]] bool leaves_cuts_plain() const override;

private:
    void act_by_hand();
    void fit(const Operator::Task& task);
    void set(const Operator::Task& task);
    void changed();
    /// The joint that retracts where it is off its home, and how far, mm; nothing where it is home or there is none.
    [[nodiscard]] std::optional<double> off_home() const;
    [[nodiscard]] std::string refused_coolant() const;
    /// The mount, and the speed of what drives it, rpm; 0: it stands.
    [[nodiscard]] std::pair<std::uint32_t, double> drive() const;
    [[nodiscard]] bool length_acts_beside() const { return length_beside_ && tools_.shift() != 0; }

    const Controller& controller_;
    const Machine& machine_;
    ControlAxes& axes_;
    const FeedsAndSpindle& feeds_;
    const ToolsAndLengths& tools_;
    Operator operator_;
    std::uint32_t mount_;
    std::uint32_t changes_ = 0;
    std::pair<std::uint32_t, double> checked_drive_{0, 0};
    bool by_words_ = false;
    bool said_ = false;
    bool known_ = true;          ///< false: the control takes mounts by words, and none has said which is on
    bool length_beside_ = false; ///< a length register would act beside the tool
};

} // namespace wexilum
