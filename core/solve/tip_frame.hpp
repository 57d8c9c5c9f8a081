// Coordinates of the tool's tip in which a program may be written instead of the readings of the linear joints.
//
// Their zero and directions are those of the work offset while the rotary joints read the zero of their own words: there a word X means
// the same as the joint's own. From there on the coordinates keep to the work (tool-centre-point control, tilted plane) or to the room
// in which the work turns (world).
#pragma once

#include "core/solve/inverse.hpp"

#include <array>
#include <cstdint>
#include <string_view>

namespace wexilum {

class TipFrame {
public:
    /// `xyz`: the joints that the words X, Y and Z mean by themselves; `zero`: the readings of all joints at which their words are zero.
    /// The solver must outlive the frame. An Error of kind unsupported where those are not the solver's three linear joints, where they
    /// are not right-handed square axes while the rotary joints read their zero, or where, for `world`, turning the work moves them.
    static Result<TipFrame> make(const InverseSolver& solver, const std::array<std::size_t, 3>& xyz, const Readings& zero, bool world);

    /// From here on the coordinates are those of a plane, whose frame is seen from the coordinates before.
    void set_plane(const Frame& plane) { plane_ = plane; }

    /// The tip's place in the work mount's frame while the rotary joints read what `at` says, mm.
    [[nodiscard]] Vec3 tip(const Vec3& coordinates, const Readings& at) const { return frame(at) * coordinates; }
    [[nodiscard]] Vec3 coordinates(const Vec3& tip, const Readings& at) const { return frame(at).inverse() * tip; }
    /// The frame of the coordinates in the work mount's.
    [[nodiscard]] Frame frame(const Readings& at) const;
    /// How the tool has turned against the work since the rotary joints read their zero, in the coordinates before any plane.
    [[nodiscard]] Mat3 tool_turned(const Readings& at) const;
    /// The same for coordinates before any plane: where a place in the work mount's frame lies among them.
    [[nodiscard]] Vec3 before_plane(const Vec3& tip, const Readings& at) const { return (carried(at) * base_).inverse() * tip; }
    [[nodiscard]] const std::array<std::size_t, 3>& joints() const { return xyz_; }
    [[nodiscard]] const InverseSolver& solver() const { return *solver_; }

private:
    TipFrame(const InverseSolver& solver, const std::array<std::size_t, 3>& xyz, const Readings& zero)
        : solver_(&solver), xyz_(xyz), zero_(zero)
    {}
    [[nodiscard]] Frame carried(const Readings& at) const;

    const InverseSolver* solver_;
    std::array<std::size_t, 3> xyz_;
    Readings zero_;
    bool world_ = false;
    Frame base_ = Frame::Identity();  ///< in the work mount's frame, before any plane
    Frame plane_ = Frame::Identity(); ///< in that one
};

} // namespace wexilum
