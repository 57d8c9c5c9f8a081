// What a line of program text does to a control, by the control's definition: for text that is not made of statements.
#pragma once

#include "core/controller/controller.hpp"

#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

struct TextEffect {
    std::vector<const WordMeaning*> words; ///< of the controller, in the line's order
    std::string addresses;                 ///< the letters with a number that has no meaning of its own
    std::string unknown;                   ///< the first word that the controller does not know: it may change anything

    /// Whether a word of a group is among its words.
    [[nodiscard]] bool has(Group group) const;
    /// Whether it moves a joint, as far as it is known.
    [[nodiscard]] bool moves(const Controller& controller) const;
};

/// Reads a line; comments, the block's number and a program's number are passed over. The controller must outlive the effect.
[[nodiscard]] TextEffect effect_of(const Controller& controller, std::string_view line);

} // namespace wexilum
