// Cuts of the path: pieces as lines within the job's tolerance, or as arcs.
#pragma once

#include "core/write/arc_writer.hpp"

namespace wexilum {

class CutWriter {
public:
    /// All must outlive the object.
    CutWriter(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles, FeedWords& feeds, CutLines& lines,
              WriteLog& log)
        : assembly_(assembly), place_(place), circles_(circles), lines_(lines), arcs_(assembly, emitter, place, circles, feeds, lines),
          log_(log)
    {}

    /// At feed along a piece (work mount's frame). An arc is written as arcs where controller and dialect have them in its plane,
    /// otherwise as lines within the job's tolerance.
    void feed(const PathPiece& piece, const SheetWay& way, const FeedSpec& feed);
    /// Turns the rotary joints while the tool stands still at a pose; both readings hold it there. As fast as the joints can.
    void turn_standing(const Pose& pose, const Readings& from, const Readings& to, const FeedSpec& feed);
    /// The bound on levers of the rotary joints, kept for its memory.
    [[nodiscard]] LeverBound& lever() { return parts_.lever; }

private:
    [[nodiscard]] bool is_one_block(const PathPiece& piece, const SheetWay& way);
    void feed_in_parts(const PathPiece& piece, const SheetWay& way, const FeedSpec& feed);
    void report_many_blocks(const SheetWay& way, double length);

    const Assembly& assembly_;
    WrittenPlace& place_;
    CircleWords& circles_;
    CutLines& lines_;
    ArcWriter arcs_;
    WriteLog& log_;
    Subdivision parts_; ///< kept for its memory
};

} // namespace wexilum
