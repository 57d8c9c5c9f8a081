// Solids that stand for the shape of a machine's parts and of the stock.
#pragma once

#include "core/base/file_units.hpp"
#include "core/base/result.hpp"
#include "core/geometry/triangles.hpp"

#include <memory>
#include <string>

namespace wexilum {

enum class Shape { box, cylinder, cone, surface };

/// A solid that stands on its frame: the origin is the middle of its bottom face, z points to the face opposite. A surface lies in its
/// frame as in its file.
struct Body {
    std::string id;
    int parent = -1;                 ///< index of the carrying joint, -1 for the base
    int mount = -1;                  ///< of an attachment: its place among the machine's mounts; it is there while that is fitted
    Frame frame = Frame::Identity(); ///< machine: base frame, reference posture; stock: part's frame
    Shape shape = Shape::box;
    Vec3 size = Vec3::Zero();                 ///< box: along x, y, z of the frame, mm
    double round = 0;                         ///< box: radius of its edges along z in pictures, mm; contact counts the corners
    double bottom = 0;                        ///< cylinder, cone: diameter at the bottom, mm
    double top = 0;                           ///< likewise at the top; a cone's may be 0
    double length = 0;                        ///< cylinder, cone: along z, mm
    std::string surface_file;                 ///< surface: path from the project's folder
    double surface_unit = 1;                  ///< mm a unit of that file
    std::shared_ptr<const Triangles> surface; ///< null until it is loaded: surface_file.hpp
    Place place;                              ///< where it is written; of a surface only
};

/// Reads "point", "z" and "x" of an object, each by its default where it may be missing: the origin must be there, x and z must be
/// perpendicular unit vectors. `what` names the object in messages.
Frame read_frame(json::Fields& fields, const FileUnits& units, const std::string& what, bool directions_required);

/// Reads one of "box": [x, y, z] (with "round"), "cylinder": {"diameter", "length"}, "cone": {"diameter", "top", "length"}, "surface": a
/// file's path, and its frame. Leaves id and parent alone.
void read_shape(json::Fields& fields, const FileUnits& units, Body& body);

} // namespace wexilum
