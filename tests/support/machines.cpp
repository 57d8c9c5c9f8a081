#include "tests/support/machines.hpp"

#include "core/base/json_document.hpp"
#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>

namespace wexilum::test {
namespace {

const char* const linear_on_head = R"(
    {"id": "X", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "travel": [-2000, 2000], "speed": 20000},
    {"id": "Y", "kind": "linear", "parent": "X", "direction": [0, 1, 0], "travel": [-2000, 2000], "speed": 20000},
    {"id": "Z", "kind": "linear", "parent": "Y", "direction": [0, 0, 1], "travel": [-2000, 2000], "home": 2000, "speed": 20000})";

std::string machine(const std::string& joints, const std::string& mounts, const std::string& witness)
{
    return R"({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "name": "test", "retract": "Z", "joints": [)" + joints +
           R"(], "mounts": [)" + mounts + R"(], "witnesses": [)" + witness + "]}";
}

} // namespace

std::string table_table_json()
{
    return machine(
        std::string(linear_on_head) + R"(,
    {"id": "B", "kind": "rotary", "parent": "base", "direction": [0, 1, 0], "point": [10, 0, -75], "reading": "tool-relative",
     "travel": [-115, 115], "speed": 9000},
    {"id": "C", "kind": "rotary", "parent": "B", "direction": [0, 0, 1], "point": [30, -20, 0], "reading": "tool-relative",
     "travel": [-400, 400], "speed": 18000})",
        R"({"id": "table", "kind": "work", "parent": "C", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
    {"id": "spindle", "kind": "tool", "parent": "Z", "point": [0, 0, 500], "z": [0, 0, 1], "x": [1, 0, 0]})",
        R"({"name": "home", "readings": {"X": 0, "Y": 0, "Z": 0, "B": 0, "C": 0}, "tool_length": 100, "tip": [0, 0, 400], "axis": [0, 0, 1]})");
}

std::string head_head_json()
{
    return machine(
        std::string(linear_on_head) + R"(,
    {"id": "C", "kind": "rotary", "parent": "Z", "direction": [0, 0, 1], "point": [0, 0, 800], "travel": [-370, 370], "speed": 9000},
    {"id": "B", "kind": "rotary", "parent": "C", "direction": [0, 1, 0], "point": [12, 0, 620], "travel": [-100, 100], "speed": 9000})",
        R"({"id": "bed", "kind": "work", "parent": "base", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
    {"id": "spindle", "kind": "tool", "parent": "B", "point": [12, 0, 500], "z": [0, 0, 1], "x": [1, 0, 0]})",
        R"({"name": "home", "readings": {"X": 0, "Y": 0, "Z": 0, "B": 0, "C": 0}, "tool_length": 100, "tip": [12, 0, 400], "axis": [0, 0, 1]})");
}

std::string head_table_json()
{
    return machine(
        std::string(linear_on_head) + R"(,
    {"id": "B", "kind": "rotary", "parent": "Z", "direction": [0, 1, 0], "point": [0, 0, 600], "travel": [-100, 100], "speed": 9000},
    {"id": "C", "kind": "rotary", "parent": "base", "direction": [0, 0, 1], "point": [40, 25, 0], "reading": "tool-relative",
     "travel": [-400, 400], "speed": 18000})",
        R"({"id": "table", "kind": "work", "parent": "C", "point": [40, 25, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
    {"id": "spindle", "kind": "tool", "parent": "B", "point": [0, 0, 500], "z": [0, 0, 1], "x": [1, 0, 0]})",
        R"({"name": "home", "readings": {"X": 0, "Y": 0, "Z": 0, "B": 0, "C": 0}, "tool_length": 100, "tip": [-40, -25, 400], "axis": [0, 0, 1]})");
}

std::string nutating_json()
{
    return machine(
        std::string(linear_on_head) + R"(,
    {"id": "A", "kind": "rotary", "parent": "Z", "direction": [0, 0.70710678118654752, 0.70710678118654752], "point": [0, 0, 560],
     "travel": [-185, 185], "speed": 9000},
    {"id": "C", "kind": "rotary", "parent": "base", "direction": [0, 0, 1], "point": [0, 0, 0], "reading": "tool-relative",
     "travel": [-400, 400], "speed": 18000})",
        R"({"id": "table", "kind": "work", "parent": "C", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
    {"id": "spindle", "kind": "tool", "parent": "A", "point": [0, 0, 500], "z": [0, 0, 1], "x": [1, 0, 0]})",
        R"({"name": "home", "readings": {"X": 0, "Y": 0, "Z": 0, "A": 0, "C": 0}, "tool_length": 100, "tip": [0, 0, 400], "axis": [0, 0, 1]})");
}

Pose leaning(double tilt, double azimuth, const Vec3& tip)
{
    const double t = to_rad(tilt);
    const double a = to_rad(azimuth);
    return {tip, Vec3(std::sin(t) * std::cos(a), std::sin(t) * std::sin(a), std::cos(t))};
}

Machine machine_from(const std::string& text)
{
    auto document = json::Document::parse(text, "test-machine.json");
    auto machine = document ? read_machine(*document) : Result<Machine>(document.error());
    if (!machine) {
        std::fprintf(stderr, "%s\n", machine.error().text().c_str());
        std::abort();
    }
    return std::move(machine).value();
}

void put_on_head_head(Assembly& assembly)
{
    assembly.machine = machine_from(head_head_json());
    assembly.setup.works.front().holder = "bed";
    assembly.setup.offsets["1"] = {{"X", 5}, {"Y", -3}, {"Z", -60}, {"B", 0}, {"C", 0}};
    assembly.controller.change_position["Z"] = 2000;
    assembly.solver.reset();
    if (const Status linked = link(assembly); !linked) {
        std::fprintf(stderr, "%s\n", linked.error().text().c_str());
        std::abort();
    }
}

double slowest(const Machine& machine, const Readings& a, const Readings& b)
{
    double most = 0;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        most = std::max(most, std::abs(a[Eigen::Index(i)] - b[Eigen::Index(i)]) / machine.joints[i].speed);
    }
    return most;
}

} // namespace wexilum::test
