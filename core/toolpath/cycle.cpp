#include "core/toolpath/cycle.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace wexilum {
namespace {

struct Named {
    const char* name;
    CycleKind kind;
};
constexpr std::array<Named, 6> kinds{{{"drill", CycleKind::drill},
                                      {"peck", CycleKind::peck},
                                      {"chip_break", CycleKind::chip_break},
                                      {"tap", CycleKind::tap},
                                      {"bore", CycleKind::bore},
                                      {"ream", CycleKind::ream}}};

double parameter(const record::CycleStart& start, const char* name, double fallback)
{
    const auto found = start.parameters.find(name);
    return found == start.parameters.end() ? fallback : found->second;
}

} // namespace

std::optional<CycleKind> cycle_kind(const std::string& name)
{
    for (const auto& entry : kinds) {
        if (name == entry.name) {
            return entry.kind;
        }
    }
    return std::nullopt;
}

Result<CyclePlan> plan_cycle(const record::CycleStart& start)
{
    const auto kind = cycle_kind(start.kind);
    if (!kind) {
        return Error{ErrorKind::unsupported,
                     fmt::format("the cycle kind '{}' has no meaning as motion", start.kind),
                     {},
                     "use DRILL, DEEP, BRKCHP, TAP, BORE or REAM, or expand the cycle in the toolpath"};
    }
    CyclePlan plan;
    plan.kind = *kind;
    const double depth = parameter(start, "depth", 0);
    if (!(depth > 0)) {
        return Error{ErrorKind::value, "a cycle needs a DEPTH above zero", {}, "state DEPTH,d in the CYCLE statement"};
    }
    plan.bottom = -depth;
    plan.clearance = parameter(start, "clearance", 2.0);
    plan.retreat = std::max(plan.clearance, parameter(start, "retreat", plan.clearance));
    plan.dwell = parameter(start, "dwell", 0);
    if (*kind == CycleKind::peck || *kind == CycleKind::chip_break) {
        plan.step = parameter(start, "step", 0);
        if (!(plan.step > 0)) {
            return Error{
                ErrorKind::value, "a peck or chip-breaking cycle needs a STEP above zero", {}, "state STEP,q in the CYCLE statement"};
        }
        if ((plan.clearance + depth) / plan.step > 10000) {
            return Error{ErrorKind::value, "the cycle's STEP makes more than 10000 pecks", {}, "state a larger STEP"};
        }
    }
    plan.feeds_out = *kind == CycleKind::tap || *kind == CycleKind::bore || *kind == CycleKind::ream;
    return plan;
}

std::vector<CycleMove> cycle_moves(const CyclePlan& plan, double gap)
{
    std::vector<CycleMove> moves;
    double reached = plan.clearance;
    while (plan.step > 0 && reached - plan.step > plan.bottom + 1e-9) {
        reached -= plan.step;
        moves.push_back({true, reached});
        if (plan.kind == CycleKind::peck) {
            moves.push_back({false, plan.clearance});
            moves.push_back({false, std::min(plan.clearance, reached + gap)});
        } else {
            moves.push_back({false, std::min(plan.clearance, reached + gap)});
        }
    }
    moves.push_back({true, plan.bottom, plan.dwell, plan.kind == CycleKind::tap});
    moves.push_back({plan.feeds_out, plan.clearance, 0, plan.kind == CycleKind::tap});
    if (plan.retreat > plan.clearance) {
        moves.push_back({false, plan.retreat});
    }
    return moves;
}

} // namespace wexilum
