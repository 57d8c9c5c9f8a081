// Programs read by themselves: with a machine and a controller, without a job or a project.
#include "cli/commands.hpp"
#include "cli/json_print.hpp"
#include "cli/long_run.hpp"
#include "cli/report.hpp"
#include "cli/time_report.hpp"

#include "core/base/units.hpp"
#include "core/follow/contact_observer.hpp"
#include "core/io/real_files.hpp"
#include "core/project/code_parts.hpp"

#include <fmt/format.h>

#include <memory>

namespace wexilum::cli {
namespace {

using nlohmann::ordered_json;

/// The programs as streams.
struct Programs {
    std::vector<std::unique_ptr<ByteSource>> sources;
    std::vector<CodeStream> streams;
};

/// What is read, and what it is read with.
struct Opened {
    CodeParts parts;
    Programs programs;
};

Result<Opened> open_all(const FileSystem& files, const CodeOptions& options)
{
    auto parts = open_code_parts(files, {options.machine, options.controller, options.setup});
    if (!parts) {
        return parts.error();
    }
    Opened out{std::move(*parts), {}};
    for (const std::string& path : options.code) {
        CodeStream stream{path, nullptr, nullptr};
        for (ByteSource** wanted : {&stream.text, &stream.ahead}) {
            auto source = files.open(path);
            if (!source) {
                return source.error();
            }
            *wanted = out.programs.sources.emplace_back(std::move(*source)).get();
        }
        out.programs.streams.push_back(stream);
    }
    return out;
}

double shown(const Joint& joint, double value) { return joint.kind == JointKind::rotary ? to_deg(value) : value; }

ordered_json extent_json(const Extent& extent, double scale)
{
    if (!extent.any()) {
        return nullptr;
    }
    return {{"low", extent.low * scale},
            {"low_block", extent.low_block.value},
            {"high", extent.high * scale},
            {"high_block", extent.high_block.value}};
}

ordered_json tip_json(const std::array<Extent, 3>& tip)
{
    return {{"x", extent_json(tip[0], 1)}, {"y", extent_json(tip[1], 1)}, {"z", extent_json(tip[2], 1)}};
}

ordered_json reading_json(const Machine& machine, const CodeReading& reading)
{
    auto tools = ordered_json::array();
    for (const ToolStretch& tool : reading.tools) {
        tools.push_back({{"tool", tool.tool},
                         {"length_mm", tool.length},
                         {"first_block", tool.first_block.value},
                         {"last_block", tool.last_block.value},
                         {"cutting_s", tool.cutting},
                         {"cutting_way_mm", tool.cutting_way},
                         {"feed_mm_per_min", extent_json(tool.feed, 60)},
                         {"speed_rpm", extent_json(tool.speed, 1)},
                         {"tip_of_cuts_mm", tip_json(tool.tip)}});
    }
    auto axes = ordered_json::array();
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        const bool rotary = joint.kind == JointKind::rotary;
        const double scale = rotary ? to_deg(1) : 1;
        const auto left = travel_left(joint, reading.readings[i]);
        axes.push_back({{"joint", joint.id},
                        {"unit", rotary ? "deg" : "mm"},
                        {"readings", extent_json(reading.readings[i], scale)},
                        {"of_cuts", extent_json(reading.cut_readings[i], scale)},
                        {"travel_left", left ? ordered_json(*left * scale) : ordered_json(nullptr)}});
    }
    return {{"files", reading.files},
            {"blocks", reading.blocks},
            {"motions", reading.motions},
            {"time", time_json(reading.time, {})},
            {"tools", tools},
            {"axes", axes},
            {"tip_mm", tip_json(reading.tip)},
            {"tip_of_cuts_mm", tip_json(reading.cut_tip)},
            {"findings", findings_json(reading.findings)}};
}

std::string range_of(const Extent& extent, double scale, int digits)
{
    return !extent.any()                     ? "-"
           : extent.high - extent.low < 1e-9 ? fmt::format("{:.{}f}", extent.low * scale, digits)
                                             : fmt::format("{:.{}f} to {:.{}f}", extent.low * scale, digits, extent.high * scale, digits);
}

void print_tip(const char* name, const std::array<Extent, 3>& tip)
{
    fmt::print("  {:<14} X {:<24} Y {:<24} Z {}\n", name, range_of(tip[0], 1, 3), range_of(tip[1], 1, 3), range_of(tip[2], 1, 3));
}

void print_reading(const CodeParts& parts, const CodeReading& reading)
{
    const Machine& machine = parts.assembly.machine;
    fmt::print("{} on {}, {}: {} blocks, {} motions\n", fmt::join(reading.files, ", "), machine.name, parts.assembly.controller.name,
               reading.blocks, reading.motions);
    for (const std::string& remark : parts.remarks) {
        fmt::print("  {}\n", remark);
    }
    print_time(reading.time, {});
    fmt::print("\n  {:<6} {:>12} {:>18} {:>14} {:>22} {:>20}\n", "tool", "length mm", "blocks", "cutting", "tip feed mm/min", "speed rpm");
    for (const ToolStretch& tool : reading.tools) {
        fmt::print("  {:<6} {:>12.3f} {:>18} {:>14} {:>22} {:>20}\n", tool.tool, tool.length,
                   fmt::format("{} to {}", tool.first_block.value, tool.last_block.value), duration(tool.cutting),
                   range_of(tool.feed, 60, 0), range_of(tool.speed, 1, 0));
    }
    fmt::print("\n  {:<6} {:>14} {:>9} {:>14} {:>9} {:>16}\n", "axis", "from", "block", "to", "block", "travel left");
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        const Extent& readings = reading.readings[i];
        if (!readings.any()) {
            continue;
        }
        const char* unit = joint.kind == JointKind::rotary ? "deg" : "mm";
        const auto left = travel_left(joint, readings);
        fmt::print("  {:<6} {:>14.4f} {:>9} {:>14.4f} {:>9} {:>16}\n", joint.id, shown(joint, readings.low), readings.low_block.value,
                   shown(joint, readings.high), readings.high_block.value,
                   left ? fmt::format("{:.3f} {}", shown(joint, *left), unit) : std::string("endless"));
    }
    fmt::print("\n");
    print_tip("tip, all", reading.tip);
    print_tip("tip, cutting", reading.cut_tip);
}

} // namespace

int read_command(const CodeOptions& options)
{
    const RealFileSystem files;
    LongRun work(options.progress);
    const auto opened = open_all(files, options);
    if (!opened) {
        return fail(opened.error(), options.json);
    }
    const auto reading = read_code(opened->parts, opened->programs.streams, {options.from_unknown, 2, work.watch(), 0});
    if (!reading) {
        return fail(reading.error(), options.json);
    }
    if (options.json) {
        fmt::print("{}\n", json_text(reading_json(opened->parts.assembly.machine, *reading)));
    } else {
        CodeLines lines;
        for (const std::string& path : options.code) {
            if (auto text = files.open(path)) {
                (void)read_lines(**text, path, reading->findings, lines); // it has been read once already
            }
        }
        print_reading(opened->parts, *reading);
        print_findings(reading->findings, lines);
    }
    return reading->findings.has_errors() ? exit_findings : exit_fine;
}

int contact_of_code_command(const CodeOptions& options)
{
    const RealFileSystem files;
    LongRun work(options.progress);
    const auto opened = open_all(files, options);
    if (!opened) {
        return fail(opened.error(), options.json);
    }
    const auto report = check_contacts(opened->parts.context(), opened->programs.streams, work.watch());
    if (!report) {
        return fail(report.error(), options.json);
    }
    print_contact(*report, fmt::format("{}", fmt::join(options.code, ", ")), opened->parts.assembly.machine.name, options.json);
    return report->findings.has_errors() ? exit_findings : exit_fine;
}

} // namespace wexilum::cli
