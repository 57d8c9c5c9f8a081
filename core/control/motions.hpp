// Where the words of a block bring the joints, and the motion there.
#pragma once

#include "core/control/control_parts.hpp"

#include <optional>

namespace wexilum {

class Motions {
public:
    /// The parts must outlive the object.
    explicit Motions(ControlParts& parts) : parts_(parts) {}

    /// Where the axis words of a block lead, from where the machine stands in the coordinates in force; nothing without any.
    [[nodiscard]] std::optional<Readings> targets(const BlockWords& words);
    /// Moves there: rapid or at feed, straight or along an arc.
    void go(const BlockWords& words, const Readings& to, bool feed, const std::optional<Arc>& arc = std::nullopt);
    /// What a motion has of the control's state.
    void set_state(ReplayMove& move) const;

private:
    void target(const BlockWords& words, std::size_t joint, const CodeWord& word, Readings& to);

    ControlParts& parts_;
};

} // namespace wexilum
