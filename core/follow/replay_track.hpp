// What a replay did, kept motion by motion: for whoever looks at it. The axis positions are those the code brings the machine to.
#pragma once

#include "core/follow/follower.hpp"
#include "core/machine/machine.hpp"

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <vector>

namespace wexilum {

/// How a motion went, as the control times it.
struct TimedMotion {
    float pause = 0;        ///< s that it stands before it
    float seconds = 0;      ///< from where it sets off to where it ends
    float rate = 0;         ///< 1/s: its largest speed, as a fraction of its way
    float acceleration = 0; ///< 1/s2, likewise; 0: its speed does not change
    bool rises = false;     ///< it gets faster on its way
    bool falls = false;     ///< it gets slower
};

class ReplayTrack final : public MotionListener {
public:
    /// The machine must outlive the track's filling.
    explicit ReplayTrack(const Machine& machine);

    void moved(const Followed& motion) override;
    void measured(BlockNumber block, const Deviation& deviation, const Budget& budget) override;

    // Motions, in order. Several may belong to one block (a cycle's).
    struct Motion {
        std::uint32_t block = 0; ///< from 1
        std::uint32_t tool = 0;
        bool feed = false;
        std::uint32_t last_point = 0; ///< of the path below
        TimedMotion time{};           ///< until set_time(): what its feed says, in rapid the slowest joint, behind the wait for brakes
    };
    [[nodiscard]] const std::vector<Motion>& motions() const { return motions_; }
    /// Where the joints are when a motion has ended.
    [[nodiscard]] Readings readings(std::size_t motion) const;
    [[nodiscard]] double reading(std::size_t motion, std::size_t joint) const { return readings_[motion * joints_ + joint]; }
    [[nodiscard]] double tool_length(std::size_t motion) const { return lengths_[motion]; }
    /// The last motion of a block (from 1) or, where it has none, of the blocks up to it in the order in which the control came to them;
    /// nothing before the first.
    [[nodiscard]] std::optional<std::size_t> motion_at(std::uint32_t block) const;
    /// The block of the program itself in which the control is during a motion, also where that calls a subprogram.
    [[nodiscard]] std::uint32_t main_block(std::size_t motion) const { return steps_[motion]; }
    [[nodiscard]] std::size_t joints() const { return joints_; }
    /// Smallest and largest reading of a joint over all motions; home without any.
    [[nodiscard]] double lowest(std::size_t joint) const { return low_[joint]; }
    [[nodiscard]] double highest(std::size_t joint) const { return high_[joint]; }
    /// The same over cuts alone; nothing where nothing is cut.
    [[nodiscard]] const Readings& home() const { return home_; }

    // The tip's way in the frame of the first work's part as points; a segment leads to each point from the one before, where it does not
    // begin anew.
    struct Point {
        std::array<float, 3> at{};
        std::uint32_t motion = 0;
    };
    [[nodiscard]] const std::vector<Point>& points() const { return points_; }
    /// Whether no segment leads to the point: the first, and where a tool change moves the tip.
    [[nodiscard]] bool begins(std::size_t point) const;

    /// Deviations by block (from 1), as far as they were measured.
    struct Measure {
        float tip = -1;       ///< mm; negative: not measured
        float axis = 0;       ///< rad
        float tip_budget = 0; ///< of the worst
        float axis_budget = 0;
        [[nodiscard]] float ratio() const; ///< of the budget, the larger one; 0 where not measured
    };
    /// Nothing measured for blocks behind the last that was.
    [[nodiscard]] Measure measure(std::uint32_t block) const { return block < measures_.size() ? measures_[block] : Measure{}; }
    [[nodiscard]] std::size_t measured_blocks() const { return measures_.size(); }

    /// Precondition: motion < motions().size().
    void set_time(std::size_t motion, const TimedMotion& time) { motions_[motion].time = time; }

private:
    void add_point(const Vec3& at, bool begins);

    std::size_t joints_;
    Readings home_;
    std::vector<bool> rotary_;
    std::vector<Motion> motions_;
    std::vector<double> readings_; ///< joints_ a motion
    std::vector<float> lengths_;
    std::vector<double> low_;
    std::vector<double> high_;
    std::vector<Point> points_;
    std::vector<std::uint32_t> begins_;             ///< points that no segment leads to, rising
    std::vector<Measure> measures_;                 ///< by block
    std::vector<std::uint32_t> steps_;              ///< by motion: its block in the program itself, where a subprogram is called that block
    std::map<std::uint32_t, std::uint32_t> called_; ///< blocks of subprograms: the last motion of each
};

} // namespace wexilum
