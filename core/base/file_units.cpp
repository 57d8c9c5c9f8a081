#include "core/base/file_units.hpp"

#include "core/base/json_document.hpp"
#include "core/base/units.hpp"

#include <fmt/format.h>

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

FileUnits units_of(const json::Document& document)
{
    json::Problems problems(document);
    json::Fields root(document.root(), "the file", problems);
    return read_units(root);
}

void project_path(json::Fields& fields, const char* key, std::string& out)
{
    if (fields.text(key, out, true) && (out.empty() || out[0] == '/' || out.find("..") != std::string::npos)) {
        fields.problem(*fields.here().find(key), fmt::format("\"{}\" leads out of the project", out.substr(0, 60)),
                       "write a path from the project's folder");
    }
}

} // namespace wexilum
