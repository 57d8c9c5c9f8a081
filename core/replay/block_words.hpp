// The words of one block, sorted; private to the interpreter.
#pragma once

#include "core/replay/interpreter.hpp"

#include <map>
#include <set>
#include <vector>

namespace wexilum {

struct Interpreter::BlockWords {
    std::vector<const WordMeaning*> functions;
    std::map<char, CodeWord> addresses;
    mutable std::set<char> used; ///< addresses that something has read; the rest has no meaning
    bool from_known = false;
    mutable bool commanded_known = true; ///< every joint this block names had been brought somewhere before
    std::array<int, 3> arc_joints{0, 0, 0};
    bool arc_by_centre = false;

    [[nodiscard]] bool has(Function function) const
    {
        for (const WordMeaning* meaning : functions) {
            if (meaning->function == function) {
                return true;
            }
        }
        return false;
    }
    /// The word of an address, marked as used; nullptr where it is not in the block.
    [[nodiscard]] const CodeWord* take(char letter) const
    {
        const auto found = addresses.find(letter);
        if (found == addresses.end()) {
            return nullptr;
        }
        used.insert(letter);
        return &found->second;
    }
};

} // namespace wexilum
