#include "core/run/post_run.hpp"

#include "core/base/units.hpp"
#include "core/run/native_events.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

void report_choice(const Assembly& a, const Choice& choice, const Place& place, std::size_t record, FindingList& findings)
{
    Finding finding;
    finding.source = place;
    finding.worst = std::abs(choice.missed_by);
    switch (choice.problem) {
    case ChoiceProblem::none: break;
    case ChoiceProblem::unreachable: {
        const Vec3 nearest = a.setup.part.linear().transpose() * choice.nearest_axis;
        finding.kind = "unreachable";
        finding.message = fmt::format("no rotary posture brings the tool axis there: {:.3f} deg are missing", to_deg(choice.missed_by));
        finding.cure = fmt::format("the nearest axis that can be had is {:.6f}, {:.6f}, {:.6f}; lean the tool or turn the part",
                                   nearest.x(), nearest.y(), nearest.z());
        break;
    }
    case ChoiceProblem::beyond_travel: return; // said where the block is written
    case ChoiceProblem::torn:
        finding.kind = "torn-sheet";
        finding.message = "the rotary joints can't follow the tool axis to this record without a jump";
        finding.cure = "retract before this record, or lean the tool away from the pole";
        break;
    }
    if (!finding.kind.empty()) {
        findings.add(std::move(finding), "", record);
    } else if (choice.pole < pole_angle) {
        finding.severity = Severity::remark;
        finding.kind = "near-singular";
        finding.message =
            fmt::format("the tool axis comes within {:.4f} deg of a direction in which a rotary joint does nothing", to_deg(choice.pole));
        finding.cure = "lean the tool away if the joint turns fast here";
        finding.worst = -choice.pole;
        findings.add(std::move(finding), "", record);
    }
}

} // namespace

std::vector<PathTarget> path_targets(const Assembly& a, std::vector<std::size_t>& records)
{
    std::vector<PathTarget> targets;
    double tool_length = 0;
    bool fresh = true;
    for (std::size_t i = 0; i < a.toolpath.records.size(); ++i) {
        const RecordData& data = a.toolpath.records[i].data;
        if (const auto* change = std::get_if<record::ToolChange>(&data)) {
            const Tool* tool = a.setup.find_tool(change->number);
            tool_length = tool != nullptr ? tool->length.value_or(0) : 0;
            fresh = true;
        }
        const Pose* pose = end_pose(data);
        if (pose == nullptr || std::holds_alternative<record::From>(data)) {
            continue;
        }
        const bool link = fresh || std::holds_alternative<record::Rapid>(data) || std::holds_alternative<record::CyclePoint>(data);
        targets.push_back({transformed(a.setup.part, *pose), tool_length, link});
        records.push_back(i);
        fresh = false;
    }
    return targets;
}

RunResult post(const Assembly& a)
{
    RunResult result;
    result.outline = outline_of(a, result.findings);
    std::vector<std::size_t> records;
    const std::vector<PathTarget> targets = path_targets(a, records);
    const std::vector<Choice> choices = choose_path(*a.solver, a.machine, targets, a.machine.home());
    for (std::size_t i = 0; i < choices.size(); ++i) {
        report_choice(a, choices[i], place_of(a.toolpath, a.toolpath.records[records[i]].source), records[i], result.findings);
    }
    NativeEvents events(a, result.outline, choices, result.findings);
    events.begin();
    for (std::size_t i = 0; i < a.toolpath.records.size(); ++i) {
        events.handle(i);
    }
    events.finish();
    result.files.push_back(events.take_file());
    return result;
}

} // namespace wexilum
