// Blocks that move along arcs.
#pragma once

#include "core/control/motions.hpp"

#include <array>

namespace wexilum {

class ArcBlocks {
public:
    /// Both must outlive the object.
    ArcBlocks(ControlParts& parts, Motions& motions) : parts_(parts), motions_(motions) {}

    /// Along the arc that the block's words draw to a place, as Motions::targets(). Where they draw none that the control moves, it is
    /// reported, and the way is straight.
    void run(const BlockWords& words, const Readings& to, bool clockwise);

private:
    /// Why there is no arc, and what helps.
    struct Refused {
        std::string message;
        std::string cure;
    };
    /// Directions by number, 0 to 2: across the plane, and along its first and second axis.
    struct Plane {
        Function function = Function::plane_xy;
        std::string name;
        int w = 2;
        int u = 0;
        int v = 1;
    };
    void draw_ends(const BlockWords& words, const Readings& to, Arc& arc);
    [[nodiscard]] std::optional<Refused> centre_of(const BlockWords& words, const Plane& plane, Arc& arc, bool& by_centre);
    [[nodiscard]] std::optional<Refused> name_joints(const BlockWords& words, std::array<int, 3>& joints) const;
    [[nodiscard]] Plane plane_in_force();

    ControlParts& parts_;
    Motions& motions_;
};

} // namespace wexilum
