#include "cli/time_report.hpp"

#include "cli/report.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum::cli {
namespace {

using nlohmann::ordered_json;

ordered_json causes_json(const SpentTime& time)
{
    auto out = ordered_json::object();
    for (std::size_t i = 0; i < time_causes; ++i) {
        if (time.by[i] != 0) {
            out[key_of(TimeCause(i))] = time.by[i];
        }
    }
    return out;
}

/// "cuts 12 min 03 s, ramps 14.2 s, rapid 20.1 s".
std::string causes_text(const SpentTime& time)
{
    static constexpr std::array<const char*, time_causes> names{"at feed", "slower joints", "ramps and corners", "look-ahead", "block time",
                                                                "rapid",   "tool change",   "spindle",           "brakes",     "dwell"};
    std::string out;
    for (std::size_t i = 0; i < time_causes; ++i) {
        if (time.by[i] >= 0.05) {
            out += fmt::format("{}{} {}", out.empty() ? "" : ", ", names[i], duration(time.by[i]));
        }
    }
    return out;
}

} // namespace

std::string duration(double seconds)
{
    const auto whole = std::llround(seconds);
    return whole >= 3600   ? fmt::format("{} h {:02} min {:02} s", whole / 3600, whole / 60 % 60, whole % 60)
           : seconds >= 60 ? fmt::format("{} min {:02} s", whole / 60, whole % 60)
                           : fmt::format("{:.1f} s", seconds);
}

ordered_json time_json(const ProgramTime& time, const std::vector<std::pair<std::string, std::string>>& operations)
{
    auto of_operations = ordered_json::array();
    for (std::size_t i = 0; i < time.operations.size() && i < operations.size(); ++i) {
        of_operations.push_back({{"id", operations[i].first},
                                 {"name", operations[i].second},
                                 {"seconds", time.operations[i].seconds()},
                                 {"causes", causes_json(time.operations[i])}});
    }
    auto of_tools = ordered_json::array();
    for (const ProgramTime::OfTool& tool : time.tools) {
        of_tools.push_back({{"tool", tool.tool},
                            {"first_block", tool.first_block.value},
                            {"seconds", tool.time.seconds()},
                            {"causes", causes_json(tool.time)}});
    }
    return {{"seconds", time.all.seconds()}, {"ramps", time.ramps}, {"causes", causes_json(time.all)},
            {"operations", of_operations},   {"tools", of_tools},   {"findings", findings_json(time.findings)}};
}

void print_time(const ProgramTime& time, const std::vector<std::pair<std::string, std::string>>& operations)
{
    fmt::print("  takes {}: {}\n", duration(time.all.seconds()), causes_text(time.all));
    if (time.rows) {
        fmt::print("    every motion counts as long as its row says\n");
    } else if (!time.ramps) {
        fmt::print("    the controller states no ramps: every motion counts as long as its feed says\n");
    }
    for (std::size_t i = 0; i < time.operations.size() && i < operations.size(); ++i) {
        fmt::print("    operation {:<4} {:<28} {:>14}  {}\n", operations[i].first, operations[i].second,
                   duration(time.operations[i].seconds()), causes_text(time.operations[i]));
    }
    for (const ProgramTime::OfTool& tool : time.tools) {
        if (tool.time.seconds() > 0) {
            fmt::print("    tool {:<38} {:>14}  {}\n", tool.tool, duration(tool.time.seconds()), causes_text(tool.time));
        }
    }
    print_findings(time.findings);
}

} // namespace wexilum::cli
