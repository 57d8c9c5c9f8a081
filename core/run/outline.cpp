#include "core/run/outline.hpp"

#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/cycle.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

Finding finding(Severity severity, const char* kind, std::string message, std::string cure, const Place& place)
{
    Finding out = Finding::make(severity, kind, std::move(message), std::move(cure));
    out.source = place;
    return out;
}

void check_tool(const Assembly& a, const record::ToolChange& change, const Place& place, std::size_t index, FindingList& findings)
{
    const Tool* tool = a.setup.find_tool(change.number);
    if (tool == nullptr) {
        findings.add(finding(Severity::error, "tool-missing", fmt::format("the tool {} is not in the tool table", change.number),
                             fmt::format("add it to {}", a.setup.file), place),
                     std::to_string(change.number), index, SIZE_MAX / 2);
        return;
    }
    if (!tool->length) {
        findings.add(finding(Severity::error, "length-missing", fmt::format("the tool {} ({}) has no length", change.number, tool->name),
                             fmt::format("measure it and state \"length\" in {}", tool->place.text()), place),
                     std::to_string(change.number), index, SIZE_MAX / 2);
    } else if (change.length && std::abs(*change.length - *tool->length) > 0.001) {
        findings.add(finding(Severity::warning, "length-differs",
                             fmt::format("the toolpath says tool {} is {:.3f} mm long, the tool table says {:.3f} mm", change.number,
                                         *change.length, *tool->length),
                             "the tool table is used; correct the one that is wrong", place),
                     std::to_string(change.number), index);
    }
}

} // namespace

Place place_of(const Toolpath& toolpath, const Source& source)
{
    const std::string file = source.file < toolpath.files.size() ? toolpath.files[source.file] : std::string();
    return {file, source.line.value, 0};
}

Outline outline_of(const Assembly& a, FindingList& findings)
{
    Outline out;
    out.records = a.toolpath.records.size();
    bool moved_without_tool = false;
    double hole_bottom = 0;
    std::optional<Pose> here;
    for (std::size_t i = 0; i < a.toolpath.records.size(); ++i) {
        const Record& record = a.toolpath.records[i];
        const Place place = place_of(a.toolpath, record.source);
        if (const auto* operation = std::get_if<record::Operation>(&record.data)) {
            out.operations.push_back({operation->id, operation->name, i, 0, {}, Vec3::Constant(1e300), Vec3::Constant(-1e300)});
        }
        if (out.operations.empty()) {
            continue;
        }
        OperationOutline& operation = out.operations.back();
        ++operation.records;
        if (const auto* change = std::get_if<record::ToolChange>(&record.data)) {
            operation.tools.push_back(change->number);
            if (out.tool_calls.empty() || out.tool_calls.back() != change->number) {
                out.tool_calls.push_back(change->number);
            }
            check_tool(a, *change, place, i, findings);
        }
        if (const auto* unknown = std::get_if<record::Unknown>(&record.data)) {
            findings.add(finding(Severity::warning, "unknown-word",
                                 fmt::format("{} is not understood and has no effect: {}", unknown->word, unknown->text.substr(0, 60)),
                                 "take it out of the toolpath, or say with INSERT what the control shall read", place),
                         unknown->word, i, SIZE_MAX / 2);
        }
        if (const auto* cycle = std::get_if<record::CycleStart>(&record.data)) {
            const auto plan = plan_cycle(*cycle);
            hole_bottom = plan ? plan.value().bottom : 0;
        }
        const Pose* pose = end_pose(record.data);
        if (pose != nullptr && !std::holds_alternative<record::From>(record.data)) {
            ++out.motions;
            operation.include(pose->tip);
            if (std::holds_alternative<record::CyclePoint>(record.data)) {
                operation.include(pose->tip + pose->axis * hole_bottom);
            }
            if (const auto* circular = std::get_if<record::Circular>(&record.data); circular != nullptr && here) {
                const PathPiece arc = arc_piece(Frame::Identity(), *here, *circular);
                const int parts = 32 * (1 + circular->extra_turns);
                for (int k = 1; k < parts; ++k) {
                    operation.include(arc.at(double(k) / parts).tip);
                }
            }
            if (out.tool_calls.empty() && !moved_without_tool) {
                moved_without_tool = true;
                findings.add(finding(Severity::error, "tool-missing", "the first motion comes before any tool is called",
                                     "put LOADTL before it", place));
            }
        }
        if (pose != nullptr) {
            here = *pose;
        }
    }
    return out;
}

} // namespace wexilum
