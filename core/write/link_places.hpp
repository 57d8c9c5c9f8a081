// Moves of links to a place: joint by joint, round a cylinder, in coordinates of the tip, or along the clearance surface.
#pragma once

#include "core/write/cut_lines.hpp"
#include "core/write/frame_writer.hpp"
#include "core/write/rapid_writer.hpp"

#include <optional>

namespace wexilum {

/// Where a link leads to; all in the work mount's frame.
struct LinkPlace {
    Pose pose;
    Readings planned;         ///< as Planned::readings, on the turn that it is brought to
    Vec3 clear;               ///< of the tip, from where the way along the tool is free
    const FeedSpec* last;     ///< the feed of the last way; null: rapid
    bool length_done = false; ///< the tool's length has been stated on the way
};

class LinkPlaces {
public:
    /// All must outlive the object.
    LinkPlaces(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles, FeedWords& feeds,
               BrakeWriter& brakes, FrameWriter& frames, CutLines& lines, RapidWriter& rapids, const OperationsAtHand& operations,
               WriteLog& log)
        : assembly_(assembly), emitter_(emitter), place_(place), circles_(circles), feeds_(feeds), brakes_(brakes), frames_(frames),
          lines_(lines), rapids_(rapids), operations_(operations), log_(log)
    {}

    /// Brings some joints to where they are while the tip is at `tip`.
    void go(JointSet joints, const Vec3& tip, LinkPlace& place);
    /// To the clear place along the clearance surface of the next operation while the rotary joints turn, in as many blocks as keep the
    /// tool outside. Precondition: it has one.
    void ride(LinkPlace& place);

    static constexpr double clear_above = 1; ///< mm above the clearance surface, so that straight blocks along it stay outside

private:
    /// A way round the clearance surface while the rotary joints turn.
    struct Ride;
    void go_in_frame(JointSet joints, const Vec3& tip, LinkPlace& place);
    void go_on_cylinder(JointSet joints, const Vec3& tip, const LinkPlace& place);
    void ride_to(Ride& ride, double u0, double u1, int halvings);
    void move(JointSet joints, const Readings& planned, const Vec3& tip, LinkPlace& place);
    void stating_block(Statement statement, const MachinePosition& target, JointSet joints, const FeedSpec* last, double way);
    void arrive(const MachinePosition& target, const Vec3& tip, const FeedSpec& feed);
    [[nodiscard]] static bool has(JointSet joints, std::optional<std::size_t> joint) { return joint && (joints & bit_of(*joint)) != 0; }

    const Assembly& assembly_;
    WordEmitter& emitter_;
    WrittenPlace& place_;
    CircleWords& circles_;
    FeedWords& feeds_;
    BrakeWriter& brakes_;
    FrameWriter& frames_;
    CutLines& lines_;
    RapidWriter& rapids_;
    const OperationsAtHand& operations_;
    WriteLog& log_;
};

} // namespace wexilum
