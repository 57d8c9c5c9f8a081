// Times a control's motions as its definition says: docs/timing.md.
#pragma once

#include "core/follow/follower.hpp"
#include "core/follow/program_time.hpp"
#include "core/follow/replay_track.hpp"
#include "core/motion/way_timer.hpp"

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace wexilum {

struct Controller;

class MoveTimes final : public MotionListener, private PieceSink {
public:
    /// All must outlive the object. `track`: gets the times of its motions; it has to listen to the same follower, before this. May be
    /// null.
    MoveTimes(const Machine& machine, const Controller& controller, ReplayTrack* track = nullptr);

    /// The program that the following motions come from, run by a control fresh from its start.
    void begin_file(const std::string& name);
    /// The lines of the program, from 1 and rising, from which on each operation goes, with its name; empty: they are not told apart.
    void set_operations(std::vector<std::uint32_t> lines, std::vector<std::string> names);

    void moved(const Followed& motion) override;
    void cuts_moved(const FollowedCuts& cuts) override;
    void tool_change(BlockNumber block, std::uint32_t tool) override;
    void dwell(BlockNumber block, double seconds) override;
    void stop(BlockNumber block, bool optional) override;
    void loop(BlockNumber block, double count) override;
    void loop_end(BlockNumber block) override;
    void program_end(BlockNumber block) override;

    /// After the last motion.
    [[nodiscard]] ProgramTime take();

private:
    /// What a cut's feed says.
    struct Feeding {
        BlockNumber block;
        double asked = 0;   ///< s by its feed alone
        double seconds = 0; ///< s, no joint faster than it can go
    };
    /// A cut on its way through the timer.
    struct Cut {
        BlockNumber block;
        std::size_t operation = 0;
        std::size_t tool = 0;
        std::size_t motion = 0;
        double asked = 0;       ///< s
        std::size_t pieces = 1; ///< that are to come
        double parts = 1;       ///< into which it was cut
        bool rapid = false;     ///< it stands for one
        double seconds = 0;     ///< of the pieces that have come
        double top = 0;
        double longest = 0;        ///< s, of one of them
        Bound bound = Bound::feed; ///< of that
        JointIndex joint;
        TimedMotion timed;
    };
    /// How near an operation, or a tool, has come to its feeds.
    struct Reached {
        BlockNumber block; ///< of its first cut
        double best = 0;
        std::map<std::pair<Bound, std::uint32_t>, double> held_back; ///< s, by what has kept cuts from it
    };
    static constexpr std::size_t most_done = 4096; ///< cuts that are kept though they are done

    void timed(const PieceTime& piece) override;
    void finish_cut();
    /// What was on its way has ended.
    void stand();
    void begin(const ReplayMove& move);
    void pause(TimeCause cause, double seconds, BlockNumber block);
    void spend(TimeCause cause, double seconds);
    [[nodiscard]] SpentTime& tool_time();
    /// Of the operations, to the one at hand there.
    void come_to(BlockNumber main_block);
    void rapid(const ReplayMove& move);
    void cut(const ReplayMove& move, double turn, bool stands_for_rapid);
    void put(const Feeding& feeding, bool stands_for_rapid);
    void put_cut(const Feeding& feeding, bool stands_for_rapid, std::size_t pieces);
    void note_ramp(std::size_t joint, BlockNumber block)
    {
        if (ramps_[joint].value == 0) [[unlikely]] {
            ramps_[joint] = block;
        }
    }
    [[nodiscard]] JointIndex slowest(double seconds) const;
    void check_demand(const Feeding& feeding);
    void check_rate(const Feeding& feeding);
    void report_unreached();
    void report_jerk();
    void report(Finding finding, const std::string& subject, BlockNumber block);

    const Machine& machine_;
    const Controller& controller_;
    ReplayTrack* track_;
    ProgramTime out_;
    std::optional<WayTimer> timer_; ///< where the control slows down
    std::string file_;
    std::vector<std::uint32_t> operation_lines_;
    std::vector<std::string> operation_names_;
    std::size_t operation_ = 0;
    std::vector<Cut> cuts_; ///< from first_ on
    std::size_t first_ = 0;
    std::size_t motions_ = 0;
    double times_ = 1; ///< that a loop is done
    double pause_ = 0; ///< s that the next motion waits for
    double speed_ = 0; ///< of the spindle, rpm; negative: counter-clockwise
    std::vector<double> way_;
    std::vector<double> into_;
    std::vector<double> out_of_;
    // Of the cut before, where the control does not slow down.
    std::vector<double> speeds_;
    double seconds_before_ = 0;
    std::vector<Reached> reached_;   ///< by operation, or by tool
    std::vector<BlockNumber> ramps_; ///< by joint: the first block in which it is accelerated
};

} // namespace wexilum
