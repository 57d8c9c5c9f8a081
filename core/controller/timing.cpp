#include "core/controller/timing.hpp"

#include "core/base/units.hpp"

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

void read_corners(const Node& node, const FileUnits& units, json::Problems& problems, Timing& out)
{
    Fields fields(node, "the corners", problems);
    fields.choice<Timing::Corners>("by", out.corners, {{"jump", Timing::Corners::jump}, {"tolerance", Timing::Corners::tolerance}}, true);
    const double linear = out.corners == Timing::Corners::jump ? per_minute(units.length) : units.length;
    const double rotary = out.corners == Timing::Corners::jump ? per_minute(units.angle) : units.angle;
    fields.number("linear", out.corner_linear, json::not_negative, true);
    fields.number("rotary", out.corner_rotary, json::not_negative);
    out.corner_linear *= linear;
    out.corner_rotary *= rotary;
    fields.finish();
}

} // namespace

void read_timing(Fields& root, const FileUnits& units, json::Problems& problems, Timing& out)
{
    const Node* const node = root.node("timing", Kind::object);
    if (node == nullptr) {
        return;
    }
    Fields fields(*node, "the timing", problems);
    fields.choice<Timing::Ramps>(
        "ramps", out.ramps, {{"none", Timing::Ramps::none}, {"acceleration", Timing::Ramps::acceleration}, {"jerk", Timing::Ramps::jerk}},
        true);
    if (const Node* corners = fields.node("corners", Kind::object, out.slows())) {
        read_corners(*corners, units, problems, out);
        if (!out.slows() && !problems.any()) {
            problems.add(*corners, "a control without ramps keeps its feed round corners", "leave \"corners\" out, or state its \"ramps\"");
        }
    }
    long long ahead = 0;
    fields.integer("look_ahead", ahead, 0, Timing::most_look_ahead, out.slows());
    out.look_ahead = static_cast<std::size_t>(ahead);
    fields.number("block_time", out.block_time, {0, 10});
    fields.number("tool_change", out.tool_change, {0, 3600});
    fields.number("spindle_ramp", out.spindle_ramp, json::positive);
    fields.finish();
}

} // namespace wexilum
