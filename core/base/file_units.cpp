#include "core/base/file_units.hpp"

#include "core/base/units.hpp"

namespace wexilum {

FileUnits read_units(json::Fields& root)
{
    FileUnits units;
    if (const json::Node* node = root.node("units", json::Kind::object, true)) {
        json::Fields fields(*node, "the units", root.problems());
        fields.choice<double>("length", units.length, {{"mm", 1.0}, {"inch", mm_per_inch}}, true);
        fields.choice<double>("angle", units.angle, {{"deg", pi / 180}, {"rad", 1.0}}, true);
        fields.finish();
    }
    return units;
}

} // namespace wexilum
