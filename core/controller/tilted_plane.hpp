// How the words that declare a tilted plane say where its axes point.
#pragma once

#include "core/base/json_names.hpp"
#include "core/base/result.hpp"
#include "core/geometry/pose.hpp"

#include <array>
#include <string>
#include <vector>

namespace wexilum {

/// The form of a plane's declaration. Its numbers stand in one block, each behind a letter of its own: first where the plane's zero lies
/// (three lengths in the coordinates of the work offset), then by `by`
///   euler     three angles, one turn after the other about the axes that `order` names;
///   vectors   the plane's X direction, and the direction across the plane; X is made perpendicular to it;
///   points    a point on the plane's X axis, and one on the side of its Y (three lengths each, in the same coordinates);
///   readings  none: the axes have turned against those of the work offset as the tool has against the work since the rotary words of
///             the program read zero.
struct PlaneForm {
    enum class By { euler, vectors, points, readings } by = By::euler;
    std::array<int, 3> order{2, 0, 2}; ///< 0, 1, 2 for X, Y, Z; neighbours differ
    bool turned_axes = true;           ///< each turn is about an axis as the turns before have left it, not as it was at first
    std::string origin = "XYZ";        ///< letters of the zero's place
    std::string letters;               ///< of the other numbers

    /// How many numbers follow the zero's place.
    [[nodiscard]] std::size_t count() const;
    /// Whether the numbers behind the zero's place are lengths; otherwise they are angles in deg, or plain.
    [[nodiscard]] bool lengths() const { return by == By::points; }
    friend bool operator==(const PlaneForm&, const PlaneForm&) = default;
};

/// The plane's frame seen from the coordinates of the work offset (mm). Precondition: numbers.size() == form.count(), in the file's sense
/// (mm, deg or plain); not for `readings`. An Error of kind value where the numbers name no plane.
Result<Frame> plane_from(const PlaneForm& form, const Vec3& origin, const std::vector<double>& numbers);

/// The numbers by which a form declares axes turned so; empty for `readings`. Of the two ways in which Euler angles do, the one with the
/// smaller turns. Points are `reach` mm from the zero's place `origin`, so that their rounding hardly turns the plane.
[[nodiscard]] std::vector<double> plane_numbers(const PlaneForm& form, const Vec3& origin, const Mat3& axes, double reach = 1000);

/// Reads "by", "order", "about", "origin" and "numbers" out of an object whose other keys the caller reads.
void read_plane_form(json::Fields& fields, json::Problems& problems, PlaneForm& out);

} // namespace wexilum
