// Straight blocks at feed, one by one.
#pragma once

#include "core/solve/subdivide.hpp"
#include "core/write/brake_writer.hpp"
#include "core/write/circle_words.hpp"
#include "core/write/feed_words.hpp"

namespace wexilum {

class CutLines {
public:
    /// All must outlive the object.
    CutLines(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles, FeedWords& feeds,
             BrakeWriter& brakes, WriteLog& log)
        : assembly_(assembly), emitter_(emitter), place_(place), circles_(circles), feeds_(feeds), brakes_(brakes), log_(log)
    {}

    /// To a position, in so many seconds over so many mm of the tip. What is too small for a block is carried on to the next one.
    void line(const MachinePosition& target, double seconds, double length, const FeedSpec& feed);
    /// To a tip with rotary readings.
    void point(const Readings& planned, const Vec3& tip, double seconds, double length, const FeedSpec& feed);
    /// How the control goes between two points.
    [[nodiscard]] Interpolation interpolation() const;
    /// The joint whose letter gives the way round a cylinder stands still: a cut that ends so must not need it.
    void check_beside(const Pose& end, const Readings& planned);

private:
    void cut_on(const MachinePosition& target, const BlockWay& way, const Slot& feed);
    void report_positioned(const MachinePosition& target, const BlockWay& way);

    const Assembly& assembly_;
    WordEmitter& emitter_;
    WrittenPlace& place_;
    CircleWords& circles_;
    FeedWords& feeds_;
    BrakeWriter& brakes_;
    WriteLog& log_;
};

inline constexpr std::size_t neighbouring_records = 60; // travel left again and again within so many records is one finding

} // namespace wexilum
