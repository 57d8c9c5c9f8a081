#include "core/machine/body.hpp"

#include "core/machine/machine_parts.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

void read_round(Fields& outer, const char* key, const Node& node, const FileUnits& units, Body& body)
{
    Fields fields(node, std::string("the ") + key, outer.problems());
    fields.number("diameter", body.bottom, json::positive, true);
    body.top = body.bottom;
    if (body.shape == Shape::cone) {
        fields.number("top", body.top, json::not_negative, true);
    }
    fields.number("length", body.length, json::positive, true);
    fields.finish();
    body.bottom *= units.length;
    body.top *= units.length;
    body.length *= units.length;
}

} // namespace

Frame read_frame(Fields& fields, const FileUnits& units, const std::string& what, bool directions_required)
{
    std::vector<double> v{0, 0, 0};
    fields.numbers("point", v, 3, json::any_length, true);
    Vec3 z = Vec3::UnitZ();
    Vec3 x = Vec3::UnitX();
    read_direction(fields, "z", z, directions_required);
    read_direction(fields, "x", x, directions_required);
    if (std::abs(x.dot(z)) > 1e-6) {
        fields.problem(fields.here(), fmt::format("x and z of {} are not perpendicular", what), "correct one of them");
        return Frame::Identity();
    }
    return frame_from(Vec3(v[0], v[1], v[2]) * units.length, x, z);
}

void read_shape(Fields& fields, const FileUnits& units, Body& body)
{
    int shapes = 0;
    std::vector<double> size;
    if (fields.numbers("box", size, 3, json::positive)) {
        body.shape = Shape::box;
        body.size = Vec3(size[0], size[1], size[2]) * units.length;
    }
    shapes += fields.has("box") ? 1 : 0;
    if (fields.number("round", body.round, json::not_negative)) {
        body.round *= units.length;
        const double most = std::min(body.size.x(), body.size.y()) / 2;
        if (!fields.has("box") || body.round > most) {
            fields.problem(fields.here(),
                           fields.has("box") ? fmt::format("the edges can't be rounded by more than half the box, {:g} mm", most)
                                             : std::string("only a box has edges to round"),
                           "make \"round\" smaller, or leave it out");
            body.round = 0;
        }
    }
    for (const auto& [key, shape] : {std::pair{"cylinder", Shape::cylinder}, std::pair{"cone", Shape::cone}}) {
        if (const Node* node = fields.node(key, Kind::object)) {
            body.shape = shape;
            read_round(fields, key, *node, units, body);
        }
        shapes += fields.has(key) ? 1 : 0;
    }
    if (fields.has("surface")) {
        ++shapes;
        body.shape = Shape::surface;
        project_path(fields, "surface", body.surface_file);
        body.surface_unit = units.length;
        body.place = fields.problems().document().place_of(fields.here().begin);
    }
    if (shapes != 1) {
        fields.problem(fields.here(), fmt::format("the body has {} shapes", shapes), "give it one of: box, cylinder, cone, surface");
    }
    body.frame = read_frame(fields, units, "the body", false);
}

} // namespace wexilum
