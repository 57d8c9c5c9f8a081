// The course of each axis over a replay: where it is, how fast it goes, how fast that changes; thinned for a picture so that every peak
// stays in it.
#pragma once

#include "core/follow/replay_track.hpp"
#include "core/machine/machine.hpp"

#include <array>
#include <optional>
#include <vector>

namespace wexilum {

/// What a chart shows of an axis.
enum class AxisCourse {
    position,    ///< mm or rad
    speed,       ///< mm/s or rad/s: the largest of a motion
    acceleration ///< mm/s2 or rad/s2: with which a motion gets faster or, where it only gets slower, slower; where nothing is known of
                 ///< that, the change of speed from one motion to the next, over half the time of both
};
/// What it runs over.
enum class CourseOver {
    time, ///< s
    way   ///< mm of the tip
};

class AxisSeries {
public:
    /// The track and the machine must outlive the series.
    AxisSeries(const ReplayTrack& track, const Machine& machine);

    [[nodiscard]] std::size_t motions() const { return time_.size(); }
    /// How long the machine stands before a motion, s.
    [[nodiscard]] double pause(std::size_t motion) const { return double(track_.motions()[motion].time.pause); }
    /// Where a motion ends.
    [[nodiscard]] double end(CourseOver over, std::size_t motion) const { return (over == CourseOver::time ? time_ : way_)[motion]; }
    [[nodiscard]] double whole(CourseOver over) const { return motions() == 0 ? 0 : end(over, motions() - 1); }
    /// The motion that is on at a place; nothing where there is no motion.
    [[nodiscard]] std::optional<std::size_t> motion_at(CourseOver over, double place) const;
    /// A motion's value: of a position at its end.
    [[nodiscard]] double value(AxisCourse course, std::size_t joint, std::size_t motion) const;
    /// The largest value that the machine can have; nothing where its file says none. Of positions there is travel().
    [[nodiscard]] std::optional<double> limit(AxisCourse course, std::size_t joint) const;

    /// Smallest and largest value in a stretch, and which motions have them.
    struct Column {
        double from = 0; ///< of the stretch
        double to = 0;
        double low = 0;
        double high = 0;
        std::size_t low_motion = 0;
        std::size_t high_motion = 0;
    };
    /// A stretch cut into as many columns; those without a motion's end are left out. No value is missed.
    [[nodiscard]] std::vector<Column> columns(AxisCourse course, std::size_t joint, CourseOver over, double from, double to,
                                              std::size_t count) const;

    /// The motions with the largest amounts, the largest first; of neighbours nearer than a hundredth of the whole one alone.
    struct Peak {
        std::size_t motion = 0;
        double value = 0;
        double share = 0; ///< of the limit; 0 without one
    };
    [[nodiscard]] std::vector<Peak> peaks(AxisCourse course, std::size_t joint, std::size_t count) const;

private:
    static constexpr std::size_t block = 256; // motions
    struct Ends {
        std::uint32_t low = 0;
        std::uint32_t high = 0;
    };
    class Spread;
    /// The motions with the smallest and the largest value in [first, last).
    [[nodiscard]] Ends ends(AxisCourse course, std::size_t joint, std::size_t first, std::size_t last) const;
    [[nodiscard]] const std::vector<Ends>& blocks(AxisCourse course, std::size_t joint) const;

    const ReplayTrack& track_;
    const Machine& machine_;
    std::vector<double> time_; ///< at the end of each motion
    std::vector<double> way_;
    mutable std::vector<std::array<std::vector<Ends>, 3>> blocks_; ///< by joint and course; made when first asked for
};

} // namespace wexilum
