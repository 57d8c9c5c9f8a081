// Solids that stand for the shape of a machine's parts and of the stock.
#pragma once

#include "core/base/file_units.hpp"
#include "core/geometry/pose.hpp"

#include <string>

namespace wexilum {

enum class Shape { box, cylinder, cone };

/// A solid that stands on its frame: the origin is the middle of its bottom face, z points to the face opposite.
struct Body {
    std::string id;
    int parent = -1;                 ///< index of the carrying joint, -1 for the base
    Frame frame = Frame::Identity(); ///< machine: base frame, reference posture; stock: part's frame
    Shape shape = Shape::box;
    Vec3 size = Vec3::Zero(); ///< box: along x, y, z of the frame, mm
    double bottom = 0;        ///< cylinder, cone: diameter at the bottom, mm
    double top = 0;           ///< likewise at the top; a cone's may be 0
    double length = 0;        ///< cylinder, cone: along z, mm
};

/// Reads "point", "z" and "x" of an object, each by its default where it may be missing: the origin must be there, x and z must be
/// perpendicular unit vectors. `what` names the object in messages.
Frame read_frame(json::Fields& fields, const FileUnits& units, const std::string& what, bool directions_required);

/// Reads one of "box": [x, y, z], "cylinder": {"diameter", "length"}, "cone": {"diameter", "top", "length"}, and its frame. Leaves id
/// and parent alone.
void read_shape(json::Fields& fields, const FileUnits& units, Body& body);

} // namespace wexilum
