// The words of one block, sorted; private to the control.
#pragma once

#include "core/control/lexer.hpp"
#include "core/controller/controller.hpp"

#include <array>
#include <cstdint>
#include <vector>

namespace wexilum {

class ControlLog;
class ModalWords;

inline constexpr double largest_word = 1e7;  // mm or deg
inline constexpr double travel_slack = 1e-6; // mm or rad
inline constexpr double standing = 1e-9;     // mm or rad: a joint that moves by no more is held
inline constexpr double no_motion = 1e-12;   // mm or rad
inline constexpr double nearly = 0.98;       // of a limit: at it

struct BlockWords {
    std::vector<const WordMeaning*> functions;
    mutable std::array<const CodeWord*, 26> addresses{}; ///< by letter
    mutable std::uint32_t used = 0;                      ///< letters that something has read, a bit each; the rest has no meaning
    bool from_known = false;
    mutable bool commanded_known = true; ///< every joint this block names had been brought somewhere before
    std::array<int, 3> arc_joints{0, 0, 0};
    bool arc_by_centre = false;
    mutable bool in_cycle = false; ///< a leg of a cycle

    void clear();
    [[nodiscard]] static std::size_t place(char letter) { return std::size_t(letter - 'A'); }
    [[nodiscard]] bool contains(char letter) const { return addresses[place(letter)] != nullptr; }
    void use(char letter) const { used |= std::uint32_t{1} << place(letter); }
    [[nodiscard]] bool has(Function function) const;
    /// The word has been read and says nothing else.
    void withdraw(char letter) const { addresses[place(letter)] = nullptr; }
    /// The word of an address, marked as used; nullptr where it is not in the block.
    [[nodiscard]] const CodeWord* take(char letter) const
    {
        const CodeWord* word = addresses[place(letter)];
        if (word != nullptr) {
            use(letter);
        }
        return word;
    }
    /// Takes a block's words apart. False where the control can't read them, which is reported.
    bool sort(const CodeBlock& block, const ModalWords& modal, ControlLog& log);
    /// Words that nothing has read have no meaning in the block, which is reported.
    void report_unused(const CodeBlock& block, ControlLog& log) const;
    /// A block that the operator may have the control skip: without it the program has to be the same.
    void check_skippable(ControlLog& log) const;
};

} // namespace wexilum
