// Brakes of joints that a control's words lock and release.
#pragma once

#include "core/control/control_axes.hpp"

#include <array>
#include <optional>

namespace wexilum {

class ControlBrakes final : public ControlPart {
public:
    /// All must outlive the object.
    ControlBrakes(const Controller& controller, const Machine& machine, const ControlAxes& axes, ControlLog& log);

    /// Whether the control has words for any.
    [[nodiscard]] bool any() const { return braked_ != 0; }
    void apply(const BlockWords& words);
    /// Before a motion.
    void check(const Readings& to, bool feed);
    /// s, for brakes since this was last asked.
    [[nodiscard]] double take_waited();
    /// Joints that a brake could hold, and which none holds for all that is known, a bit each.
    [[nodiscard]] std::uint32_t open() const;
    /// Whether each is locked is not known any more.
    void forget() { locked_ = {}; }

    /// mm or rad: how far a joint may go in a cut, with nothing to say about it or its brake. Precondition: leaves_cuts_plain().
    [[nodiscard]] double may_move(std::size_t joint) const;
    /// Where a cut has something to say in any case, none is plain.
    [[nodiscard]] bool leaves_cuts_plain() const override;

private:
    const Machine& machine_;
    const ControlAxes& axes_;
    std::array<std::optional<bool>, max_joints> locked_{}; ///< nothing: not known
    std::uint32_t braked_ = 0;                             ///< joints with a brake that has words, a bit each
    double waited_ = 0;
};

} // namespace wexilum
