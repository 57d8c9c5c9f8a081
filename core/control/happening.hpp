// What the simulated control does next, one thing at a time.
#pragma once

#include "core/control/replay_move.hpp"

#include <cstdint>
#include <string>

namespace wexilum {

struct Happening {
    enum class Kind {
        motion,
        cuts, ///< many motions that follow one another at once
        dwell,
        wait, ///< for the other channels, at `mark`
        stop,
        tool_change,
        message, ///< a comment of the program, where the control shows it
        call,    ///< of the subprogram `number`
        back,    ///< from a subprogram
        loop,    ///< what follows up to the loop's end is done `count` times; the happening comes once
        loop_end,
        by_hand, ///< at a stop a person has done what messages asked for: `mount` has the tool, and the joints stand as `readings` says
        end      ///< of the program
    };
    Kind kind = Kind::end;
    std::uint32_t channel = 1;
    BlockNumber block;
    BlockNumber called_by;            ///< the block of the program itself whose call has led here; 0: none
    const ReplayMove* move = nullptr; ///< motion; this and `cuts` live until the control is stepped again
    const CutRun* cuts = nullptr;
    double seconds = 0;     ///< dwell
    double count = 0;       ///< loop, call: how many times
    bool optional = false;  ///< stop
    std::uint32_t tool = 0; ///< tool_change
    std::uint64_t number = 0;
    std::uint32_t mount = 0;
    Readings readings;
    std::string text; ///< wait: the mark; message: its words
};

/// Told what a control does; each function stands for a kind of happening, and those that are not wanted do nothing.
class ReplaySink {
public:
    virtual ~ReplaySink() = default;
    virtual void move(const ReplayMove& /*move*/) {}
    /// The same as move() for each of them.
    virtual void cuts(const CutRun& run)
    {
        for (std::size_t i = 0; i < run.count; ++i) {
            move(run.move(i));
        }
    }
    virtual void dwell(BlockNumber /*block*/, double /*seconds*/) {}
    virtual void wait(BlockNumber /*block*/, const std::string& /*mark*/) {}
    virtual void stop(BlockNumber /*block*/, bool /*optional*/) {}
    virtual void tool_change(BlockNumber /*block*/, std::uint32_t /*tool*/) {}
    virtual void message(BlockNumber /*block*/, const std::string& /*text*/) {}
    virtual void call(BlockNumber /*block*/, std::uint64_t /*number*/, double /*count*/) {}
    virtual void back(BlockNumber /*block*/) {}
    virtual void loop(BlockNumber /*block*/, double /*count*/) {}
    virtual void loop_end(BlockNumber /*block*/) {}
    virtual void by_hand(BlockNumber /*block*/, std::uint32_t /*mount*/, const Readings& /*readings*/) {}
    virtual void program_end(BlockNumber /*block*/) {}
};

/// Tells a sink of a happening.
void hand_to(const Happening& happening, ReplaySink& sink);

} // namespace wexilum
