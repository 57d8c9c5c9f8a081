// The files that a new project begins with: one small complete one of each kind. docs/first-project.md shows the same ones.
#include "core/project/first_files.hpp"

#include "core/base/json_patch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace wexilum {
namespace {

constexpr const char* project_text = R"wex({"format": "project/1", "name": "first project"}
)wex";

constexpr const char* machine_text = R"wex({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "name": "Mill",
 "joints": [
  {"id": "X", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "reading": "tool-relative", "travel": [-300, 300], "speed": 15000, "acceleration": 3000},
  {"id": "Y", "kind": "linear", "parent": "X", "direction": [0, 1, 0], "reading": "tool-relative", "travel": [-200, 200], "speed": 15000, "acceleration": 3000},
  {"id": "Z", "kind": "linear", "parent": "base", "direction": [0, 0, 1], "travel": [-400, 0], "speed": 12000, "acceleration": 3000}],
 "mounts": [
  {"id": "table", "kind": "work", "parent": "Y", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
  {"id": "spindle", "kind": "tool", "parent": "Z", "point": [0, 0, 500], "z": [0, 0, 1], "x": [1, 0, 0]}], "retract": "Z",
 "witnesses": [{"name": "all axes away from zero", "readings": {"X": 100, "Y": 50, "Z": -200}, "tool_length": 100, "tip": [100, 50, 200], "axis": [0, 0, 1]}]}
)wex";

constexpr const char* controller_text = R"wex({"format": "controller/1", "units": {"length": "mm", "angle": "deg"}, "name": "Plain",
 "axes": {"X": "X", "Y": "Y", "Z": "Z"},
 "words": {
  "G0": {"does": "rapid"}, "G1": {"does": "linear"}, "G2": {"does": "arc-clockwise"}, "G3": {"does": "arc-counter-clockwise"},
  "G17": {"does": "plane-xy"}, "G21": {"does": "millimetres"}, "G90": {"does": "absolute"}, "G94": {"does": "feed-per-minute"},
  "G43": {"does": "length-on"}, "G49": {"does": "length-off"}, "G53": {"does": "machine-coordinates"}, "G54": {"does": "work-offset", "register": "1"},
  "M3": {"does": "spindle-clockwise"}, "M5": {"does": "spindle-off"}, "M6": {"does": "tool-change"}, "M8": {"does": "coolant-flood"}, "M9": {"does": "coolant-off"}, "M30": {"does": "program-end"}},
 "power_on": ["G0", "G17", "G21", "G49", "G54", "G90", "G94", "M5", "M9"],
 "numbers": {"length": 0.001, "feed": 1, "speed": 1, "without_point": "units"},
 "addresses": {"feed": "F", "speed": "S", "tool": "T", "length_register": "H", "program_number": "O", "sequence_number": "N"},
 "arcs": {"forms": ["centre"], "planes": ["xy"], "end_tolerance": 0.01, "radius_kept": "start"}, "motion": {"rapid": "each-joint", "change_position": {"Z": 0}},
 "witnesses": [
  {"name": "the work offset is added", "code": ["G54 G0 X10. Y-20."], "offsets": {"X": 100, "Y": 50}, "readings": {"X": 110, "Y": 30}},
  {"name": "feed per minute", "code": ["G0 X0.", "G1 X30. F600"], "readings": {"X": 30}, "seconds": 3}]}
)wex";

constexpr const char* dialect_text = R"wex({"format": "dialect/1", "name": "Plain", "program_units": "mm",
 "numbers": {"length": {"decimals": 3}, "feed": {"decimals": 0, "point": "when-needed"}},
 "axes": {"X": {"word": "X"}, "Y": {"word": "Y"}, "Z": {"word": "Z"}},
 "words": {
  "rapid": "G0", "linear": "G1", "arc-clockwise": "G2", "arc-counter-clockwise": "G3", "plane-xy": "G17", "millimetres": "G21", "absolute": "G90",
  "feed-per-minute": "G94", "length-on": "G43", "length-off": "G49", "machine-coordinates": "G53", "spindle-clockwise": "M3", "spindle-off": "M5",
  "tool-change": "M6", "coolant-flood": "M8", "coolant-off": "M9", "program-end": "M30"},
 "work_offsets": {"1": "G54"},
 "modal": ["motion", "feed-mode", "axes", "feed", "speed", "spindle", "coolant", "offset", "length", "length-register"],
 "restate_after": {"tool-change": ["motion", "axes", "feed", "speed", "spindle", "coolant"]},
 "block": {"order": "NGXYZIJKFSTHM"}, "arcs": {"form": "centre"}, "tool_length": "register",
 "sections": {
  "program-head": ["%", "O{number}", "({program})"], "safe-start": ["G17 G21 G49 G90 G94", "{retract}", "{work-offset}"],
  "tool-change": ["{coolant-off}", "{spindle-off}", "{retract}", "T{tool} M6"], "wind-down": ["{coolant-off}", "{spindle-off}", "{retract}"], "program-end": ["M30", "%"]}}
)wex";

constexpr const char* post_text = R"wex({"format": "post/1", "name": "mill", "version": "0.1.0", "changes": ["0.1.0: first version"],
 "machine": "machines/mill.json", "controller": "controllers/plain.json", "dialect": "dialects/plain.json"}
)wex";

constexpr const char* setup_text = R"wex({"format": "setup/1", "units": {"length": "mm", "angle": "deg"}, "name": "plate on the table",
 "part": {"holder": "table", "point": [0, 0, 60]}, "stock": [{"id": "plate", "box": [120, 80, 20], "point": [0, 0, -20]}],
 "offsets": {"1": {"X": 0, "Y": 0, "Z": -440}},
 "tools": [{"number": 1, "name": "end mill 10", "diameter": 10, "length": 100}]}
)wex";

constexpr const char* job_text =
    R"wex({"format": "job/1", "units": {"length": "mm", "angle": "deg"}, "name": "plate", "program": "PLATE", "number": 1,
 "post": "posts/mill.json", "setup": "setups/plate.json", "work_offset": "1", "tolerance": {"tip": 0.01, "axis": 0.01},
 "operations": [{"id": "10", "name": "contour", "toolpath": "toolpaths/plate.cl"}]}
)wex";

constexpr const char* toolpath_text = R"wex(LOADTL/1
SPINDL/4000, RPM, CLW
RAPID
GOTO/-70, -50, 20
RAPID
GOTO/-70, -50, 2
FEDRAT/300, MMPM
GOTO/-70, -50, -3
FEDRAT/800, MMPM
GOTO/-70, 50, -3
GOTO/70, 50, -3
GOTO/-70, -50, -3
FINI
)wex";

constexpr const char* rulebook_text =
    R"wex(-- What the dialect alone can't say: a handler takes its event, event:native() does what would happen without it.
function on.operation(event)
  comment("OPERATION " .. event.id)
  event:native()
end
)wex";

struct Kind {
    FirstKind kind;
    const char* word;
    const char* folder;
    const char* ending;
    const char* name; ///< of the first one
    const char* text;
};
constexpr std::array<Kind, first_kind_count> kinds{
    {{FirstKind::machine, "machine", "machines", ".json", "mill", machine_text},
     {FirstKind::controller, "controller", "controllers", ".json", "plain", controller_text},
     {FirstKind::dialect, "dialect", "dialects", ".json", "plain", dialect_text},
     {FirstKind::post, "post", "posts", ".json", "mill", post_text},
     {FirstKind::rulebook, "rulebook", "rulebooks", "/rulebook.lua", "workshop", rulebook_text},
     {FirstKind::setup, "setup", "setups", ".json", "plate", setup_text},
     {FirstKind::job, "job", "jobs", ".json", "plate", job_text},
     {FirstKind::toolpath, "toolpath", "toolpaths", ".cl", "plate", toolpath_text}}};

const Kind& of(FirstKind kind) { return kinds[static_cast<std::size_t>(kind)]; }

std::string path_of(FirstKind kind, const std::string& name) { return fmt::format("{}/{}{}", of(kind).folder, name, of(kind).ending); }

/// Puts `to` where the text has `from` for the first time.
void put(std::string& text, const std::string& from, const std::string& to)
{
    if (const std::size_t at = text.find(from); at != std::string::npos) {
        text.replace(at, from.size(), to);
    }
}

/// Puts a path in the place of the one that the first project has, where there is one.
void put_path(std::string& text, FirstKind kind, const std::string& path)
{
    if (!path.empty()) {
        put(text, json::quoted(path_of(kind, of(kind).name)), json::quoted(path));
    }
}

/// The offsets of a machine's joints, all zero.
std::string offsets_of(const Machine& machine)
{
    std::string out;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        if (!joint.by_hand && machine.relation_of(JointIndex(std::uint32_t(i))) == nullptr) {
            out += fmt::format("{}{}: {}", out.empty() ? "" : ", ", json::quoted(joint.id),
                               joint.kind == JointKind::rotary ? "{\"angle\": 0}" : "0");
        }
    }
    return out;
}

} // namespace

const char* name_of(FirstKind kind) { return of(kind).word; }

Result<FirstFile> first_file(FirstKind kind, const std::string& name, const FirstParts& parts)
{
    const bool plain = !name.empty() && name.size() <= 60 && std::all_of(name.begin(), name.end(), [](char c) {
        return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-' || c == '_' || c == ' ';
    });
    if (!plain || name.front() == ' ' || name.back() == ' ' || name.front() == '-') {
        return Error{ErrorKind::value,
                     fmt::format("a {} needs a name of letters, digits, blanks, \"-\" or \"_\"", of(kind).word),
                     {},
                     "type one, like first-mill"};
    }
    FirstFile out{path_of(kind, name), of(kind).text};
    const std::string quoted = json::quoted(name);
    switch (kind) {
    case FirstKind::machine: put(out.text, "\"Mill\"", quoted); break;
    case FirstKind::controller:
    case FirstKind::dialect: put(out.text, "\"Plain\"", quoted); break;
    case FirstKind::post:
        put(out.text, "\"name\": \"mill\"", "\"name\": " + quoted);
        put_path(out.text, FirstKind::machine, parts.machine);
        put_path(out.text, FirstKind::controller, parts.controller);
        put_path(out.text, FirstKind::dialect, parts.dialect);
        break;
    case FirstKind::setup:
        put(out.text, "\"plate on the table\"", quoted);
        if (parts.drawn != nullptr) {
            const Mount* work = parts.drawn->first_mount(MountKind::work);
            put(out.text, "\"holder\": \"table\"", "\"holder\": " + json::quoted(work != nullptr ? work->id : "table"));
            put(out.text, "\"X\": 0, \"Y\": 0, \"Z\": -440", offsets_of(*parts.drawn));
        }
        break;
    case FirstKind::job:
        put(out.text, "\"name\": \"plate\"", "\"name\": " + quoted);
        put_path(out.text, FirstKind::post, parts.post);
        put_path(out.text, FirstKind::setup, parts.setup);
        put_path(out.text, FirstKind::toolpath, parts.toolpath);
        break;
    case FirstKind::rulebook:
    case FirstKind::toolpath: break;
    }
    return out;
}

std::string project_head(const std::string& name)
{
    std::string head = project_text;
    put(head, "\"first project\"", json::quoted(name));
    return head;
}

std::vector<FirstFile> first_project(const std::string& name)
{
    std::vector<FirstFile> out{{"project.json", project_head(name)}};
    for (const Kind& kind : kinds) {
        if (kind.kind != FirstKind::rulebook) {
            out.push_back({path_of(kind.kind, kind.name), kind.text});
        }
    }
    return out;
}

} // namespace wexilum
