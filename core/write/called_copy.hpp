// Whether lines that have been written once do what a copy of them has to do, where the control shifts or turns its coordinates.
#pragma once

#include "core/dialect/aside.hpp"
#include "core/dialect/dialect.hpp"
#include "core/dialect/rounding.hpp"
#include "core/machine/machine.hpp"

#include <array>
#include <cstdint>
#include <optional>
#include <string>

namespace wexilum {

/// The words of all joints at a place, by joint.
using WordPlace = std::array<std::int64_t, max_joints>;

/// Lines with the place from which they go on.
struct PlacedLines {
    const Aside* lines = nullptr;
    WordPlace from{};
};

/// A rotation of coordinates in a plane.
struct CoordinateTurn {
    Function plane = Function::plane_xy;
    std::array<std::uint8_t, 2> joints{}; ///< behind the plane's own first and second axis
    std::int64_t angle = 0;               ///< counts, counter-clockwise
    std::array<std::int64_t, 2> centre{}; ///< counts of those joints' words
};

/// How the coordinates have to be changed so that the lines do it. Nothing: as they are, the machine alone stands elsewhere.
struct Placing {
    WordPlace shift{};
    std::optional<CoordinateTurn> turn;
    [[nodiscard]] bool shifts() const { return shift != WordPlace{}; }
};

/// Compares lines by what their words mean: called words have to be the rounded ones of the copy's own exact places, but for the rounding
/// of a shift, a rotation or a plane's zero.
class CalledCopy {
public:
    /// All must outlive the object. `frame`: what the words mean; only those that are places of joints may be shifted and turned.
    CalledCopy(const Dialect& dialect, const Controller& controller, const Machine& machine, const Rounding& rounding, FrameKind frame)
        : dialect_(dialect), controller_(controller), machine_(machine), rounding_(rounding), frame_(frame)
    {}

    /// How `called` does what `copy` does; `angle`: rad, by which the copy is turned, nothing where it is mirrored. An Error says in its
    /// message what is in the way.
    [[nodiscard]] Result<Placing> place(const PlacedLines& called, const PlacedLines& copy, std::optional<double> angle) const;

private:
    [[nodiscard]] Placing shifted(const PlacedLines& called, const PlacedLines& copy) const;
    [[nodiscard]] std::optional<Placing> turned(const PlacedLines& called, const PlacedLines& copy, Function plane, double angle) const;
    [[nodiscard]] Status holds(const PlacedLines& called, const PlacedLines& copy, const Placing& placing) const;
    [[nodiscard]] Status same_words(const AsideLine& called, const AsideLine& copy, const Placing& placing, std::size_t& depth_joint) const;
    [[nodiscard]] Status same_centre(const AsideLine& called, const AsideLine& copy, const Placing& placing) const;
    [[nodiscard]] std::optional<std::uint8_t> joint_behind(char letter) const;
    [[nodiscard]] bool in_machine_coordinates(const AsideLine& line) const;
    [[nodiscard]] std::string word(std::size_t joint, std::int64_t counts) const;
    template <typename F>
    void walk(const PlacedLines& called, const PlacedLines& copy, const F& visit) const;

    const Dialect& dialect_;
    const Controller& controller_;
    const Machine& machine_;
    const Rounding& rounding_;
    FrameKind frame_;
};

} // namespace wexilum
