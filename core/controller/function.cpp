#include "core/controller/function.hpp"

namespace wexilum {
namespace {

struct Row {
    std::string_view name;
    Group group;
};
constexpr std::array<Row, function_count> rows{{
    {"rapid", Group::motion},
    {"linear", Group::motion},
    {"arc-clockwise", Group::motion},
    {"arc-counter-clockwise", Group::motion},
    {"cycle", Group::motion},
    {"cycle-off", Group::motion},
    {"plane-xy", Group::plane},
    {"plane-zx", Group::plane},
    {"plane-yz", Group::plane},
    {"absolute", Group::distance},
    {"incremental", Group::distance},
    {"millimetres", Group::units},
    {"inches", Group::units},
    {"feed-per-minute", Group::feed_mode},
    {"feed-per-revolution", Group::feed_mode},
    {"feed-inverse-time", Group::feed_mode},
    {"work-offset", Group::offset},
    {"length-on", Group::length},
    {"length-off", Group::length},
    {"compensation-off", Group::compensation},
    {"return-initial", Group::cycle_return},
    {"return-clearance", Group::cycle_return},
    {"machine-coordinates", Group::none},
    {"dwell", Group::none},
    {"stop", Group::none},
    {"optional-stop", Group::none},
    {"program-end", Group::none},
    {"spindle-clockwise", Group::spindle},
    {"spindle-counter-clockwise", Group::spindle},
    {"spindle-off", Group::spindle},
    {"tool-change", Group::none},
    {"coolant-flood", Group::coolant},
    {"coolant-mist", Group::coolant},
    {"coolant-through", Group::coolant},
    {"coolant-air", Group::coolant},
    {"coolant-off", Group::coolant},
    {"loop-begin", Group::none},
    {"loop-end", Group::none},
    {"brake-lock", Group::none},
    {"brake-release", Group::none},
    {"joint-coordinates", Group::frame},
    {"tool-centre-point", Group::frame},
    {"tilted-plane", Group::frame},
    {"world-coordinates", Group::frame},
    {"cylinder-surface", Group::frame},
    {"tool-mount", Group::none},
    {"subprogram-call", Group::none},
    {"subprogram-return", Group::none},
    {"coordinate-shift", Group::none},
    {"coordinate-rotation", Group::rotation},
    {"coordinate-rotation-off", Group::rotation},
    {"wait", Group::none},
}};
constexpr std::array<std::string_view, group_count> groups{"motion",  "plane",  "distance",     "units",        "feed-mode",
                                                           "offset",  "length", "compensation", "cycle-return", "spindle",
                                                           "coolant", "frame",  "rotation",     "none"};

} // namespace

std::string_view name_of(Function function) { return rows[static_cast<std::size_t>(function)].name; }

std::optional<Function> function_named(std::string_view name)
{
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (rows[i].name == name) {
            return static_cast<Function>(i);
        }
    }
    return std::nullopt;
}

Group group_of(Function function) { return rows[static_cast<std::size_t>(function)].group; }
std::string_view name_of(Group group) { return groups[static_cast<std::size_t>(group)]; }

} // namespace wexilum
