// The words of one block, sorted; private to the control.
#pragma once

#include "core/control/simulated_control.hpp"

#include <array>
#include <cstdint>
#include <vector>

namespace wexilum {

inline constexpr double largest_word = 1e7;  // mm or deg
inline constexpr double travel_slack = 1e-6; // mm or rad
inline constexpr double standing = 1e-9;     // mm or rad: a joint that moves by no more is held
inline constexpr double no_motion = 1e-12;   // mm or rad
inline constexpr double nearly = 0.98;       // of a limit: at it

struct SimulatedControl::BlockWords {
    std::vector<const WordMeaning*> functions;
    mutable std::array<const CodeWord*, 26> addresses{}; ///< by letter
    mutable std::uint32_t used = 0;                      ///< letters that something has read, a bit each; the rest has no meaning
    bool from_known = false;
    mutable bool commanded_known = true; ///< every joint this block names had been brought somewhere before
    std::array<int, 3> arc_joints{0, 0, 0};
    bool arc_by_centre = false;
    mutable bool in_cycle = false; ///< a leg of a cycle

    void clear()
    {
        functions.clear();
        addresses.fill(nullptr);
        used = 0;
        from_known = false;
        commanded_known = true;
        arc_by_centre = false;
        in_cycle = false;
    }
    [[nodiscard]] static std::size_t place(char letter) { return std::size_t(letter - 'A'); }
    [[nodiscard]] bool contains(char letter) const { return addresses[place(letter)] != nullptr; }
    void use(char letter) const { used |= std::uint32_t{1} << place(letter); }
    [[nodiscard]] bool has(Function function) const
    {
        for (const WordMeaning* meaning : functions) {
            if (meaning->function == function) {
                return true;
            }
        }
        return false;
    }
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
};

/// A cycle that is being done, leg by leg.
struct SimulatedControl::CycleRun {
    enum class Stage { down, over, in, peck, peck_out, peck_back, dwell, back, away };
    Stage stage = Stage::down; ///< that comes next
    bool on = false;
    const CycleMotion* cycle = nullptr;
    double clearance = 0; ///< readings of the joint that drills
    double bottom = 0;
    double reached = 0;
    double step = 0; ///< mm; 0: it goes down at once
    Readings to;     ///< where the hole is
};

} // namespace wexilum
