// Plain cuts of the control: blocks that say no more than where joints go and how fast, read and handed on many at once.
#pragma once

#include "core/control/motions.hpp"

#include <array>
#include <limits>

namespace wexilum {

class PlainCuts {
public:
    /// Both must outlive the object.
    PlainCuts(ControlParts& parts, const Motions& motions);

    /// After a block: whether those that follow may be plain cuts. They are where every part of the control's state says that it leaves
    /// cuts plain (ControlPart), and never else.
    void look();
    /// Does a block where it is a plain cut about which there is nothing to say; false, and nothing is changed, otherwise.
    [[nodiscard]] bool take(const CodeBlock& block);
    /// Tells the cuts so far, before anything but a plain cut; none is one until look().
    void end();
    /// The cuts that were handed on have been taken.
    void forget_told();

private:
    static constexpr int other_word = -1;
    static constexpr int feed_word = -2;
    static constexpr double endless = std::numeric_limits<double>::infinity();

    /// What the words of a block lead to.
    struct Read {
        std::array<double, max_joints> to; ///< by joint of the machine
        FeedsAndSpindle::FeedWord feed;
    };
    [[nodiscard]] bool read(const CodeBlock& block, Read& out) const;
    [[nodiscard]] bool fits(const Read& read) const;
    void hand_on();
    void time();

    ControlParts& parts_;
    const Motions& motions_;
    bool handed_on_ = false;                  ///< the run stands among what happens: it begins anew once that has been taken
    bool on_ = false;                         ///< a block of axis words and a feed word would be a straight cut and nothing else
    std::array<int, 26> word_{};              ///< by letter: the joint it moves, or one of the above
    std::array<double, max_joints> offset_{}; ///< by joint, and so on
    std::array<double, max_joints> low_{};    ///< of travel
    std::array<double, max_joints> high_{};
    std::array<double, max_joints> may_move_{}; ///< how far in a cut
    Function feed_mode_ = Function::feed_per_minute;
    double feed_most_ = endless; ///< in the mode's own unit
    CutRun run_;
    Column feed_{}; ///< of each cut of the run, in the mode's own unit
};

} // namespace wexilum
