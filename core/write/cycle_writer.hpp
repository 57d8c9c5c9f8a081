// Point cycles: the control's own where the dialect has one and one word moves the tool along itself, moves otherwise.
#pragma once

#include "core/toolpath/cycle.hpp"
#include "core/write/motion_writer.hpp"

#include <functional>
#include <optional>

namespace wexilum {

class CycleWriter {
public:
    CycleWriter(const Assembly& assembly, WordEmitter& emitter, MotionWriter& motion)
        : assembly_(assembly), emitter_(emitter), motion_(motion)
    {}

    /// Takes a cycle into force. An Error without place where it has no meaning as motion.
    Status start(const record::CycleStart& cycle);
    /// One hole at a pose (work mount's frame) with its planned rotary readings.
    void point(const Pose& pose, const Readings& planned, const FeedSpec& feed);
    /// Ends the cycle; the control's own cycle is cancelled.
    void end();
    [[nodiscard]] bool active() const { return plan_.has_value(); }
    /// Height above the point at which a hole is left. Precondition: active().
    [[nodiscard]] double retreat() const { return plan_->retreat; }
    /// Depth below the point, mm. Precondition: active().
    [[nodiscard]] double depth() const { return -plan_->bottom; }
    [[nodiscard]] const std::string& kind() const { return kind_; }
    /// Called at each hole with how it is written and why.
    void on_hole(std::function<void(const char*)> done) { on_hole_ = std::move(done); }
    /// Cancels the control's own cycle; the next point calls it again.
    void interrupt();

private:
    [[nodiscard]] bool stays_in_cycle(const Pose& level, const Readings& planned) const;
    void native_point(const Pose& pose, const CycleStyle& style, const MotionWriter::Drilling& drilling, const FeedSpec& feed);
    void moves(const Pose& pose, const CycleStyle& style, const FeedSpec& feed);

    const Assembly& assembly_;
    WordEmitter& emitter_;
    MotionWriter& motion_;
    std::optional<CyclePlan> plan_;
    std::string kind_;
    double own_feed_ = 0;         // mm/s, 0: the feed in force
    double own_feed_per_rev_ = 0; // mm/rev
    std::function<void(const char*)> on_hole_;
    bool in_native_ = false;
    std::size_t native_joint_ = 0;
    std::int64_t native_level_ = 0; // between holes, in the word along which they are drilled
};

} // namespace wexilum
