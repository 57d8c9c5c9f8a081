#include "core/path/outline_builder.hpp"

#include "core/base/units.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/cycle.hpp"
#include "core/toolpath/linear_run.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

constexpr double same_axis = 1e-9; // rad

Finding finding(Severity severity, const char* kind, std::string message, std::string cure, const Place& place)
{
    Finding out = Finding::make(severity, kind, std::move(message), std::move(cure));
    out.source = place;
    return out;
}

void check_tool(const Task& a, const record::ToolChange& change, const Place& place, std::size_t index, FindingList& findings)
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

void OperationOutline::include_front(const Pose& pose)
{
    const double reach = pose.axis.dot(pose.tip);
    for (Front& front : fronts) {
        if ((front.axis - pose.axis).squaredNorm() < 1e-12) {
            front.reach = std::max(front.reach, reach);
            return;
        }
    }
    if (fronts.size() < most_fronts) {
        fronts.push_back({pose.axis, reach});
    }
}

double OperationOutline::front(const Vec3& axis) const
{
    for (const Front& front : fronts) {
        if (!turns_in_cuts && (front.axis - axis).squaredNorm() < 1e-12) {
            return front.reach;
        }
    }
    return axis.cwiseMax(0).dot(high) + axis.cwiseMin(0).dot(low);
}

void OutlineBuilder::add(const Record& record)
{
    const std::size_t index = out_.records++;
    if (const auto* operation = std::get_if<record::Operation>(&record.data)) {
        OperationOutline& begun = out_.operations.emplace_back();
        begun.id = operation->id;
        begun.name = operation->name;
        begun.first_record = index;
    }
    if (out_.operations.empty()) {
        return;
    }
    OperationOutline& operation = out_.operations.back();
    ++operation.records;
    if (const Pose* pose = end_pose(record.data)) {
        if (!std::holds_alternative<record::From>(record.data)) {
            add_motion(record.data, *pose, record.source);
        }
        here_ = *pose;
    } else if (const auto* change = std::get_if<record::ToolChange>(&record.data)) {
        operation.tools.push_back(change->number);
        if (out_.tool_calls.empty() || out_.tool_calls.back() != change->number) {
            out_.tool_calls.push_back(change->number);
        }
        check_tool(task_, *change, place_of(files_, record.source), index, findings_);
    } else if (const auto* unknown = std::get_if<record::Unknown>(&record.data)) {
        findings_.add(finding(Severity::warning, "unknown-word",
                              fmt::format("{} is not understood and has no effect: {}", unknown->word, unknown->text.substr(0, 60)),
                              "take it out of the toolpath, or say with INSERT what the control is to read",
                              place_of(files_, record.source)),
                      unknown->word, index, SIZE_MAX / 2);
    } else if (const auto* cycle = std::get_if<record::CycleStart>(&record.data)) {
        const auto plan = plan_cycle(*cycle);
        hole_bottom_ = plan ? plan.value().bottom : 0;
        hole_retreat_ = plan ? plan.value().retreat : 0;
    }
}

void OutlineBuilder::add(const LinearRun& run)
{
    const auto plain = [&] { // nothing but where it leads is to be noted of a cut
        return here_ && !out_.operations.empty() && out_.operations.back().turns_in_cuts && !out_.tool_calls.empty() && !kerf_.any();
    };
    std::size_t at = 0;
    for (Record record; at < run.count && !plain(); ++at) {
        run.get(at, record);
        add(record);
    }
    if (at == run.count) {
        return;
    }
    OperationOutline& operation = out_.operations.back();
    const std::size_t count = run.count - at;
    out_.records += count;
    out_.motions += count;
    operation.records += count;
    for (std::size_t k = 0; k < 3; ++k) {
        const Eigen::Map<const Eigen::ArrayXd> column(&run.tip[k][at], Eigen::Index(count));
        const auto axis = Eigen::Index(k);
        operation.low[axis] = std::min(operation.low[axis], column.minCoeff());
        operation.high[axis] = std::max(operation.high[axis], column.maxCoeff());
    }
    here_ = run.pose(run.count - 1);
}

void OutlineBuilder::check_kerf(const Pose& to, const Source& source)
{
    const Tool* tool = out_.tool_calls.empty() ? nullptr : task_.setup.find_tool(out_.tool_calls.back());
    const Body* body =
        tool != nullptr ? kerf_.reached(here_.value_or(to), to, *tool, task_.posture_of(out_.operations.size() - 1).work) : nullptr;
    if (body != nullptr) {
        findings_.add(
            finding(Severity::error, "reaches-kept",
                    fmt::format("the blade reaches {}, which is not to be cut", body->id.empty() ? "a body" : body->id),
                    "end the cut sooner, cut less deep, or take a smaller blade: d deep it cuts sqrt(d (2 r - d)) beyond its middle",
                    place_of(files_, source)),
            body->id, out_.records);
    }
}

void OutlineBuilder::add_motion(const RecordData& data, const Pose& pose, const Source& source)
{
    OperationOutline& operation = out_.operations.back();
    ++out_.motions;
    operation.include(pose.tip);
    const auto curve = here_ ? curved_piece(Frame::Identity(), *here_, data) : std::nullopt;
    const bool cut = is_cut(data);
    if (cut && kerf_.any()) {
        check_kerf(pose, source);
    }
    if (cut && here_ && !operation.turns_in_cuts && here_->axis != pose.axis) {
        operation.turns_in_cuts = unit_angle_between(here_->axis, pose.axis) > same_axis;
    }
    if (!operation.turns_in_cuts) {
        const bool hole = std::holds_alternative<record::CyclePoint>(data);
        operation.include_front({pose.tip + pose.axis * (hole ? hole_retreat_ : 0), pose.axis});
    }
    if (std::holds_alternative<record::CyclePoint>(data)) {
        operation.include(pose.tip + pose.axis * hole_bottom_);
    }
    if (curve) {
        const int parts = 32 * (curve->arc ? 1 + int(curve->arc->sweep / whole_turn) : 1);
        for (int k = 1; k < parts; ++k) {
            operation.include(curve->at(double(k) / parts).tip);
        }
    }
    if (out_.tool_calls.empty() && !moved_without_tool_) {
        moved_without_tool_ = true;
        findings_.add(finding(Severity::error, "tool-missing", "the first motion comes before any tool is called", "put LOADTL before it",
                              place_of(files_, source)));
    }
}

} // namespace wexilum
