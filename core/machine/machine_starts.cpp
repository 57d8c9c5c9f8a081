// Common arrangements, drawn with round figures, to begin a machine with.
#include "core/machine/machine_form.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

struct Drawn {
    std::string name;
    std::vector<std::string> joints;
    std::string carries_tool;
    std::string carries_work;
    std::array<double, 3> spindle{0, 0, 500}; ///< gauge point, Z to the holder
    std::vector<std::string> readings;
    std::vector<std::string> bodies;
};

std::string linear(const char* id, const char* parent, const char* direction, bool table, double low, double high)
{
    return fmt::format(
        R"({{"id": "{}", "kind": "linear", "parent": "{}", "direction": {},{} "travel": [{}, {}], "speed": 15000, "acceleration": 3000}})",
        id, parent, direction, table ? R"( "reading": "tool-relative",)" : "", low, high);
}

std::string rotary(const char* id, const char* parent, const char* direction, const char* point, bool table, const char* travel)
{
    return fmt::format(
        R"({{"id": "{}", "kind": "rotary", "parent": "{}", "direction": {}, "point": {},{}{} "speed": 7200, "acceleration": 360}})", id,
        parent, direction, point, table ? R"( "reading": "tool-relative",)" : "", travel);
}

std::string box(const char* id, const char* parent, const char* size, const char* point)
{
    return fmt::format(R"({{"id": "{}", "parent": "{}", "box": {}, "point": {}}})", id, parent, size, point);
}

std::string round_body(const char* id, const char* parent, double diameter, double length, const char* point)
{
    return fmt::format(R"({{"id": "{}", "parent": "{}", "cylinder": {{"diameter": {}, "length": {}}}, "point": {}}})", id, parent, diameter,
                       length, point);
}

std::string text_of(const Drawn& m)
{
    std::string zeros;
    for (const std::string& joint : m.readings) {
        zeros += (zeros.empty() ? "" : ", ") + fmt::format("\"{}\": 0", joint);
    }
    return fmt::format(R"({{
  "format": "machine/1",
  "units": {{"length": "mm", "angle": "deg"}},
  "name": "new machine",
  "joints": [
    {}
  ],
  "mounts": [
    {{"id": "table", "kind": "work", "parent": "{}", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]}},
    {{"id": "spindle", "kind": "tool", "parent": "{}", "point": [{}, {}, {}], "z": [0, 0, 1], "x": [1, 0, 0]}}
  ],
  "bodies": [
    {}
  ],
  "retract": "Z",
  "witnesses": [
    {{"name": "at home, as drawn", "origin": "the drawing; put one from the machine in its place",
     "readings": {{{}}}, "tool_length": 100, "tip": [{}, {}, {}], "axis": [0, 0, 1]}}
  ]
}}
)",
                       fmt::join(m.joints, ",\n    "), m.carries_work, m.carries_tool, m.spindle[0], m.spindle[1], m.spindle[2],
                       fmt::join(m.bodies, ",\n    "), zeros, m.spindle[0], m.spindle[1], m.spindle[2] - 100);
}

std::vector<MachineStart> made()
{
    const char* const x = "[1, 0, 0]";
    const char* const y = "[0, 1, 0]";
    const char* const z = "[0, 0, 1]";
    const std::vector<std::string> portal{linear("X", "base", x, false, -500, 500), linear("Y", "X", y, false, -400, 400),
                                          linear("Z", "Y", z, false, -450, 0)};
    const std::vector<std::string> over{box("beam", "X", "[120, 1000, 160]", "[-160, 0, 640]"),
                                        box("head", "Z", "[160, 160, 300]", "[0, 0, 560]"),
                                        round_body("spindle nose", "Z", 90, 60, "[0, 0, 500]")};
    const auto with = [](std::vector<std::string> list, const std::vector<std::string>& more) {
        list.insert(list.end(), more.begin(), more.end());
        return list;
    };
    std::vector<Drawn> list;
    list.push_back({"Three axes, the table moves in X and Y",
                    {linear("Y", "base", y, true, -250, 250), linear("X", "Y", x, true, -400, 400), linear("Z", "base", z, false, -450, 0)},
                    "Z",
                    "X",
                    {0, 0, 500},
                    {"X", "Y", "Z"},
                    {box("bed", "base", "[760, 900, 90]", "[0, 120, -270]"), box("column", "base", "[380, 220, 1260]", "[0, 520, -270]"),
                     box("saddle", "Y", "[460, 380, 110]", "[0, 0, -180]"), box("table", "X", "[860, 380, 70]", "[0, 0, -70]"),
                     box("head", "Z", "[210, 440, 330]", "[0, 160, 550]"), round_body("spindle nose", "Z", 90, 50, "[0, 0, 500]")}});
    list.push_back({"Three axes, the tool goes over a fixed table",
                    portal,
                    "Z",
                    "base",
                    {0, 0, 500},
                    {"X", "Y", "Z"},
                    with(over, {box("table", "base", "[1100, 900, 120]", "[0, 0, -120]")})});
    list.push_back(
        {"Five axes: turntable C on a trunnion B",
         with(portal,
              {rotary("B", "base", y, "[0, 0, -60]", true, R"( "travel": [-110, 110],)"), rotary("C", "B", z, "[0, 0, 0]", true, "")}),
         "Z",
         "C",
         {0, 0, 500},
         {"X", "Y", "Z", "B", "C"},
         with(over, {box("bed", "base", "[900, 900, 100]", "[0, 0, -420]"), box("trunnion", "B", "[300, 520, 60]", "[0, 0, -120]"),
                     round_body("turntable", "C", 280, 60, "[0, 0, -60]")})});
    list.push_back({"Five axes: head B over a turntable C",
                    with(portal, {rotary("B", "Z", y, "[0, 0, 660]", false, R"( "travel": [-110, 110],)"),
                                  rotary("C", "base", z, "[0, 0, 0]", true, "")}),
                    "B",
                    "C",
                    {0, 0, 500},
                    {"X", "Y", "Z", "B", "C"},
                    {box("beam", "X", "[120, 1000, 160]", "[-160, 0, 760]"), box("ram", "Z", "[160, 160, 300]", "[0, 0, 720]"),
                     round_body("head", "B", 140, 180, "[0, 0, 540]"), round_body("spindle nose", "B", 80, 40, "[0, 0, 500]"),
                     round_body("turntable", "C", 500, 80, "[0, 0, -80]")}});
    list.push_back({"Five axes: head C and A over a fixed table",
                    with(portal, {rotary("C", "Z", z, "[0, 0, 0]", false, R"( "travel": [-360, 360],)"),
                                  rotary("A", "C", x, "[0, 0, 680]", false, R"( "travel": [-115, 115],)")}),
                    "A",
                    "base",
                    {0, 0, 500},
                    {"X", "Y", "Z", "C", "A"},
                    {box("beam", "X", "[120, 1000, 160]", "[-180, 0, 800]"), box("ram", "Z", "[170, 170, 300]", "[0, 0, 760]"),
                     box("fork", "C", "[200, 120, 80]", "[0, 0, 680]"), round_body("head", "A", 130, 200, "[0, 0, 540]"),
                     round_body("spindle nose", "A", 80, 40, "[0, 0, 500]"), box("table", "base", "[1100, 900, 120]", "[0, 0, -120]")}});
    list.push_back({"Four axes, lying spindle: turntable B",
                    {linear("X", "base", x, false, -400, 400), linear("Y", "X", y, false, -300, 300), linear("Z", "base", z, true, 0, 500),
                     rotary("B", "Z", y, "[0, 0, 0]", true, "")},
                    "Y",
                    "B",
                    {0, 350, 600},
                    {"X", "Y", "Z", "B"},
                    {box("column", "X", "[300, 900, 260]", "[0, 450, 760]"), box("head", "Y", "[220, 220, 160]", "[0, 350, 620]"),
                     round_body("spindle nose", "Y", 100, 40, "[0, 350, 600]"), box("saddle", "Z", "[500, 80, 500]", "[0, -120, -250]"),
                     box("turntable", "B", "[400, 80, 400]", "[0, -40, -200]")}});
    std::vector<MachineStart> out;
    for (const Drawn& drawn : list) {
        out.push_back({drawn.name, text_of(drawn)});
    }
    return out;
}

} // namespace

const std::vector<MachineStart>& machine_starts()
{
    static const std::vector<MachineStart> starts = made();
    return starts;
}

} // namespace wexilum
