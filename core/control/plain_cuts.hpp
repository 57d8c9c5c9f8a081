// Plain cuts of the control: blocks that say no more than where joints go and how fast; private to the control.
#pragma once

#include "core/control/simulated_control.hpp"

#include <array>
#include <limits>

namespace wexilum {

struct SimulatedControl::PlainCuts {
    static constexpr int other_word = -1;
    static constexpr int feed_word = -2;

    static constexpr double endless = std::numeric_limits<double>::infinity();

    bool told = false;                       ///< the run stands among what happens: it begins anew once that has been told
    bool on = false;                         ///< a block of axis words and a feed word would be a straight cut and nothing else
    std::array<int, 26> word;                ///< by letter: the joint it moves, or one of the above
    std::array<double, max_joints> offset{}; ///< by joint, and so on
    std::array<double, max_joints> low{};    ///< of travel
    std::array<double, max_joints> high{};
    std::array<double, max_joints> may_move{}; ///< how far in a cut
    Function feed_mode = Function::feed_per_minute;
    double feed_most = endless; ///< in the mode's own unit
    CutRun run;
    Column feed{}; ///< of each cut of the run, in the mode's own unit

    void time(const Machine& machine, const Controller& controller, double rpm);
};

} // namespace wexilum
