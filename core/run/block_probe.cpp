#include "core/run/block_probe.hpp"

#include "core/base/guarded.hpp"
#include "core/base/units.hpp"
#include "core/run/run_passes.hpp"
#include "core/run/table_writer.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

std::string beyond_text(const Machine& machine, const std::vector<Overtravel>& beyond)
{
    std::string out;
    for (const Overtravel& over : beyond) {
        out += (out.empty() ? "" : ", ") + text_of(machine, over);
    }
    return out;
}

std::string why(const Machine& machine, const Planned& planned, const std::vector<PostureTrace>& postures)
{
    switch (planned.entry) {
    case Planned::Entry::lost: return "no posture reaches this direction";
    case Planned::Entry::pole: return "the way leads through a pole, where the branch may change";
    case Planned::Entry::reorient: return "travel would have ended, so the tool was retracted and came back on another branch or turn";
    case Planned::Entry::cut:
    case Planned::Entry::link: break;
    }
    if (planned.beyond) {
        return "no branch and turn of this section stays inside travel; this one goes furthest";
    }
    for (const PostureTrace& posture : postures) {
        if (!posture.taken && !posture.beyond.empty()) {
            return "in the other branch " + beyond_text(machine, posture.beyond);
        }
    }
    if (postures.size() < 2) {
        return {};
    }
    return planned.entry == Planned::Entry::link
               ? "both branches are inside travel here; over the whole path this one takes the least time of the slowest axis"
               : "a cut stays on its branch; this one takes the least time of the slowest axis over the whole section";
}

void add_postures(const Assembly& a, const EventProbe& probe, BlockTrace& out)
{
    SolverBook solvers(a);
    const InverseSolver& solver = a.postures.empty() ? *a.solver : solvers.of(probe.posture);
    const Pose pose = transformed(a.setup.part(), *probe.pose);
    const double nothing = 1e300;
    double nearest = nothing;
    std::size_t taken = 0;
    for (Candidate& candidate : solver.solve(pose, probe.tool_length, probe.stand).list) {
        PostureTrace posture{std::move(candidate.readings), false, {}};
        posture.beyond = overtravels(a.machine, posture.readings, 1e-6);
        double off = 0;
        for (const JointIndex joint : solver.rotary()) {
            const auto at = Eigen::Index(joint.value);
            off += std::abs(wrapped(posture.readings[at] - probe.planned.readings[at]));
        }
        if (off < nearest) {
            nearest = off;
            taken = out.postures.size();
        }
        out.postures.push_back(std::move(posture));
    }
    if (nearest < nothing) {
        PostureTrace& posture = out.postures[taken];
        posture.taken = true;
        solver.take_rotary(posture.readings, probe.planned.readings);
        posture.beyond = overtravels(a.machine, posture.readings, 1e-6);
    }
    out.choice = why(a.machine, probe.planned, out.postures);
}

} // namespace

Result<BlockTrace> trace_block(const Assembly& a, RecordSource& records, Scratch& scratch, std::uint32_t block, RunWatch* watch)
{
    return guarded([&]() -> Result<BlockTrace> {
        RunPasses passes(a, records, 1, watch);
        EventProbe probe;
        probe.words.line = block;
        Nowhere sink;
        Status status = passes.read(scratch);
        if (status && a.controller.table) { // of the line of the neutral program that the row comes from
            FindingList ignored;
            TableWriter table(a, sink, ignored, passes.pass()->files);
            status = passes.write(table, nullptr);
            table.finish();
            probe.words.line = table.line_of(block);
        }
        status = status ? passes.write(sink, &probe) : status;
        if (!status) {
            return status.error();
        }
        if (!probe.words.seen) {
            return Error{ErrorKind::value, fmt::format("the program has no block {}", block), {}, "ask for one of its blocks"};
        }
        BlockTrace out;
        out.block = block;
        out.source = probe.source;
        out.event = std::move(probe.event);
        out.rule = std::move(probe.rule);
        out.is_text = probe.words.is_text;
        out.written = std::move(probe.words.written);
        out.held = std::move(probe.words.held);
        if (a.controller.table) { // words of a language that nobody reads
            out.written.clear();
            out.held.clear();
        }
        out.pose = probe.pose;
        out.tool_length = probe.tool_length;
        if (out.pose && out.tool_length > 0) {
            add_postures(a, probe, out);
        }
        return out;
    });
}

Result<std::string> evaluate_at(const Assembly& a, RecordSource& records, Scratch& scratch, std::size_t record,
                                const std::string& expression, RunWatch* watch)
{
    return guarded([&]() -> Result<std::string> {
        Assembly own;
        const bool bare = a.rulebook.empty(); // expressions can be asked of a job without rules as well
        if (bare) {
            own = a;
            own.rulebook = {"rulebooks", {{rulebook_file, "\n"}}};
        }
        RunPasses passes(bare ? own : a, records, 1, watch);
        EventProbe probe;
        probe.asked = record;
        probe.expression = expression;
        Nowhere sink;
        Status status = passes.read(scratch);
        status = status ? passes.write(sink, &probe) : status;
        if (!status) {
            return status.error();
        }
        if (!probe.answer) {
            return Error{ErrorKind::value, fmt::format("the path has no record {}", record + 1), {}, "choose one of its records"};
        }
        return *probe.answer;
    });
}

} // namespace wexilum
