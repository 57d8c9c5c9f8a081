// Arcs: into which plane an arc falls, where it is cut, and how its words are rounded.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/write/cut_lines.hpp"

#include <array>
#include <string>

namespace wexilum {

/// A cut's readings: the rotary ones at both ends, on one sheet of a branch.
struct SheetWay {
    int branch = 0;
    Readings from; ///< planned, as Planned::readings
    Readings to;
};

class ArcWriter {
public:
    /// All must outlive the object.
    ArcWriter(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles, FeedWords& feeds, CutLines& lines)
        : assembly_(assembly), emitter_(emitter), place_(place), circles_(circles), feeds_(feeds), lines_(lines)
    {}

    /// Along an arc (work mount's frame), by arcs where controller and dialect have them in its plane. False, and nothing is written, where
    /// it has to be written as lines; then `why` is the reason.
    bool write(const PathPiece& piece, const SheetWay& way, const FeedSpec& feed, std::string& why);

private:
    /// An arc seen in the program's own axes X, Y, Z.
    struct ArcFrame {
        std::array<std::size_t, 3> joints{}; ///< joint behind X, Y, Z
        std::array<double, 3> signs{};
        int u = 0; ///< in-plane axes in the plane's own order,
        int v = 1;
        int w = 2; ///< and the one across
        Function plane = Function::plane_xy;
        bool counter_clockwise = true;
        Vec3 centre = Vec3::Zero(); ///< the three joints' words at the centre
        bool helix = false;
        bool named = false;              ///< a joint works in place of one that the plane would mean by itself
        const SheetWay* wound = nullptr; ///< the arc is one of the flat; the turns come with it
    };
    /// Why there is none; empty: there is. Each takes what it finds to the frame.
    [[nodiscard]] std::string frame_of(const PathPiece& piece, const SheetWay& way, ArcFrame& out) const;
    [[nodiscard]] std::string find_joints(ArcFrame& out) const;
    [[nodiscard]] std::string find_plane(const PathPiece& piece, ArcFrame& out) const;
    [[nodiscard]] Mat3 directions(const PathPiece& piece, const ArcFrame& frame) const;
    [[nodiscard]] Vec3 centre_of(const PathPiece& piece, const ArcFrame& frame) const;
    [[nodiscard]] Vec3 words_on_cylinder(const WoundWay& wound, const Vec3& flat, const std::array<std::size_t, 3>& joints) const;
    [[nodiscard]] MachinePosition position_on(const PathPiece& piece, const ArcFrame& frame, double s) const;
    void part(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const FeedSpec& feed, int depth);
    /// From the centre to where the machine stands and to where it goes, in the plane, as the control reads the words.
    struct Radii {
        double from_u = 0;
        double from_v = 0;
        double to_u = 0;
        double to_v = 0;
        [[nodiscard]] bool same_place() const;
        [[nodiscard]] double sweep(double sense) const; ///< rad, above 0
    };
    [[nodiscard]] Radii radii(const ArcFrame& frame, const MachinePosition& target) const;
    bool block(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const MachinePosition& target, const FeedSpec& feed);
    void add_centre(Statement& statement, const ArcFrame& frame, const Radii& radii) const;

    const Assembly& assembly_;
    WordEmitter& emitter_;
    WrittenPlace& place_;
    CircleWords& circles_;
    FeedWords& feeds_;
    CutLines& lines_;
};

} // namespace wexilum
