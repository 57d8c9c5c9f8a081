#include "core/run/post_run.hpp"

#include "core/base/guarded.hpp"
#include "core/base/units.hpp"
#include "core/base/vector_state.hpp"
#include "core/path/outline_builder.hpp"
#include "core/path/read_pass.hpp"
#include "core/run/path_planner.hpp"
#include "core/run/run_passes.hpp"
#include "core/run/table_writer.hpp"
#include "core/toolpath/memory_records.hpp"
#include "core/toolpath/record_spool.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t watch_every = 1024; // records

} // namespace

std::string program_file_name(const Assembly& assembly) { return assembly.job.name + assembly.dialect.extension; }

RunPasses::RunPasses(const Assembly& assembly, RecordSource& source, int threads, RunWatch* watch, std::shared_ptr<ReadPass> pass)
    : a_(assembly), agreed_(assembly, source), threads_(threads), watch_(watch), pass_(std::move(pass)), read_(pass_ != nullptr)
{
    if (threads > 1 && !read_) {
        ahead_.emplace(agreed_);
    }
}
RunPasses::~RunPasses() = default;

Status RunPasses::read(Scratch& scratch)
{
    if (read_) {
        return {};
    }
    pass_ = std::make_shared<ReadPass>();
    for (auto* spool : {&pass_->records, &pass_->steps, &pass_->decisions}) {
        auto made = scratch.spool();
        if (!made) {
            return made.error();
        }
        *spool = std::move(*made);
    }
    RecordSource& records = this->records();
    OutlineBuilder outline(a_, pass_->findings, records.files());
    PathPlanner planner(a_, records.files(), *pass_->steps, *pass_->decisions, pass_->findings);
    RecordSpoolWriter aside(*pass_->records);
    Record record;
    LinearRun run;
    std::size_t reported = 0;
    for (std::size_t index = 0;;) {
        if (watch_ != nullptr && index >= reported) {
            reported = index + watch_every;
            watch_->records = index;
            if (watch_->stopped()) {
                return cancelled();
            }
        }
        if (records.next_run(run)) {
            outline.add(run);
            planner.add(run, index);
            aside.put(run);
            index += run.count;
            continue;
        }
        const auto more = records.next(record);
        if (!more) {
            return more.error();
        }
        if (!*more) {
            break;
        }
        outline.add(record);
        planner.add(record, index);
        aside.put(record);
        ++index;
    }
    Status status = planner.finish();
    status = status ? aside.flush() : status;
    if (status) {
        pass_->outline = outline.take();
        report_leans();
        pass_->files = records.files();
    }
    return status;
}

void RunPasses::report_leans()
{
    for (const Finding& finding : agreed_.findings().list()) {
        pass_->findings.add(finding);
    }
    for (const AlignedChoice& choice : a_.choices) {
        Finding finding = Finding::make(Severity::remark, "aligned-choice", choice.text,
                                        "nothing has to be done; \"parked\" in the operation's posture would settle it differently", 0);
        finding.source = a_.job.operations[choice.operation].place;
        pass_->findings.add(std::move(finding));
    }
    const auto report = [&](const LeanReport& lean, const char* kind, std::string message, const char* cure) {
        Finding finding = Finding::make(Severity::remark, kind, std::move(message), cure, lean.most);
        finding.source = place_of(agreed_.files(), lean.first);
        finding.count = lean.records;
        pass_->findings.add(std::move(finding));
    };
    for (const LeanReport& departure : agreed_.departures()) {
        report(departure, "direction-departs",
               fmt::format("in the operation {} the tool is up to {:.4f} deg off its direction at {} records", departure.operation,
                           to_deg(departure.most), departure.records),
               "nothing has to be done; the operation's posture allows it");
    }
    for (const LeanReport& lean : agreed_.leans()) {
        report(lean, "pole-lean",
               fmt::format("in the operation {} the tool leans by up to {:.4f} deg at {} records to go through the pole", lean.operation,
                           to_deg(lean.most), lean.records),
               "nothing has to be done; the operation allows it");
    }
}

Status RunPasses::find_aside(EventProbe& probe)
{
    const auto& operations = a_.job.operations;
    if (std::none_of(operations.begin(), operations.end(), [](const JobOperation& o) { return o.settings.subprogram != 0; })) {
        return {};
    }
    Nowhere nowhere;
    if (Status status = write(nowhere, nullptr); !status) {
        return status;
    }
    for (const AsidePlace& place : out_.asides) {
        probe.words.asides[place.id] = place.first;
        for (const std::uint32_t copy : place.copies) {
            probe.words.asides[copy] = place.first;
        }
    }
    for (const AsidePlace& place : out_.asides) {
        if (probe.words.line >= place.first && probe.words.line - place.first < place.count) {
            probe.words.aside = place.id;
            probe.words.line -= place.first - 1;
            break;
        }
    }
    return {};
}

void RunPasses::note_operation(const Record& record, std::uint32_t lines)
{
    if (std::holds_alternative<record::Operation>(record.data)) {
        out_.operation_lines.push_back(lines + 1);
    }
}

Status RunPasses::write(CodeSink& sink, EventProbe* probe)
{
    if (probe != nullptr && probe->words.line > 0) {
        if (Status status = find_aside(*probe); !status) {
            return status;
        }
    }
    out_.outline = pass_->outline;
    out_.findings = pass_->findings;
    PlanReader plan(*pass_->steps, *pass_->decisions, *a_.solver);
    RecordSpoolReader aside(*pass_->records);
    NativeEvents events(a_, out_.outline, plan, out_.findings, pass_->files, sink, threads_ > 1, watch_);
    if (probe != nullptr) {
        events.set_probe(probe);
    }
    if (counts_ != nullptr) {
        events.count_lines();
    }
    events.begin();
    Record record;
    LinearRun run;
    std::size_t reported = 0;
    for (std::size_t index = 0;;) {
        if (aside.next_run(run)) {
            events.handle(run);
            index += run.count;
        } else if (aside.next(record)) {
            events.handle(record);
            ++index;
            note_operation(record, events.emitter().lines());
        } else {
            break;
        }
        if (probe != nullptr && (probe->words.seen || probe->answer)) {
            return {};
        }
        if (watch_ != nullptr && index >= reported) {
            reported = index + watch_every;
            watch_->arranged = index;
            if (watch_->stopped()) {
                return cancelled();
            }
        }
    }
    events.finish();
    if (const Status status = aside.status() ? plan.status() : aside.status(); !status) {
        return status.error();
    }
    out_.excursions = events.take_excursions();
    out_.events = events.tallies();
    if (counts_ != nullptr) {
        *counts_ = events.line_counts();
    }
    out_.blocks = events.emitter().lines();
    out_.bytes = events.emitter().written().bytes();
    out_.asides = events.emitter().aside_places();
    out_.links = events.take_link_marks();
    return {};
}

namespace {

/// Lines of the neutral program become rows of the table.
void count_by_rows(RunSummary& run, const TableWriter& table)
{
    run.blocks = table.rows();
    run.bytes = table.bytes();
    run.asides.clear();
    run.links.clear();
    for (std::uint32_t& line : run.operation_lines) {
        line = table.row_of(line);
    }
    FindingList findings;
    for (Finding finding : run.findings.list()) {
        for (std::uint32_t* line : {&finding.code.line, &finding.last_code_line, &finding.worst_code.line}) {
            *line = *line > 0 ? table.row_of(*line) : 0;
        }
        findings.add(std::move(finding));
    }
    run.findings = std::move(findings);
}

} // namespace

Result<RunSummary> post(const Assembly& a, RecordSource& source, Scratch& scratch, CodeSink& sink, int threads, RunWatch* watch,
                        std::shared_ptr<ReadPass>* pass)
{
    return guarded([&]() -> Result<RunSummary> {
        clear_vector_state();
        RunPasses passes(a, source, threads, watch, pass != nullptr ? *pass : nullptr);
        Status status = passes.read(scratch);
        FindingList of_table;
        std::optional<TableWriter> table;
        if (status && a.controller.table) {
            table.emplace(a, sink, of_table, passes.pass()->files);
        }
        status = status ? passes.write(table ? static_cast<CodeSink&>(*table) : sink, nullptr) : status;
        if (!status) {
            return status.error();
        }
        if (pass != nullptr) {
            *pass = passes.pass();
        }
        RunSummary out = passes.take();
        if (table) {
            table->finish();
            count_by_rows(out, *table);
            for (const Finding& finding : of_table.list()) {
                out.findings.add(finding);
            }
        }
        return out;
    });
}

Result<RuleLineCounts> rule_line_counts(const Assembly& assembly, const std::shared_ptr<ReadPass>& pass, RunWatch* watch)
{
    return guarded([&]() -> Result<RuleLineCounts> {
        const Toolpath nothing;
        MemoryRecords untouched(nothing);
        Nowhere nowhere;
        RuleLineCounts counts;
        RunPasses passes(assembly, untouched, 1, watch, pass);
        passes.count_rule_lines(counts);
        if (const Status status = passes.write(nowhere, nullptr); !status) {
            return status.error();
        }
        return counts;
    });
}

Result<std::vector<Excursion>> excursions_of(const Assembly& assembly, RecordSource& records, Scratch& scratch, RunWatch* watch)
{
    const auto& operations = assembly.job.operations;
    const bool any = !assembly.rulebook.empty() || std::any_of(operations.begin(), operations.end(), [](const JobOperation& o) {
        return o.settings.reorient_clearance.has_value() || o.settings.pole_lift > 0;
    });
    if (!any) {
        return std::vector<Excursion>();
    }
    Nowhere nowhere;
    auto run = post(assembly, records, scratch, nowhere, 1, watch);
    if (!run) {
        return run.error();
    }
    return std::move(run->excursions);
}

RunResult post(const Assembly& a)
{
    MemoryRecords records(a.toolpath);
    MemoryScratch scratch;
    CodeText code;
    auto posted = post(a, records, scratch, code);
    if (!posted) {
        RunResult failed;
        failed.findings.add(Finding::make(Severity::error, name_of(posted.error().kind), posted.error().message, posted.error().cure));
        return failed;
    }
    RunSummary& summary = *posted;
    code.file.name = program_file_name(a);
    RunResult result{{}, std::move(summary.outline), std::move(summary.findings)};
    result.files.push_back(std::move(code.file));
    return result;
}

} // namespace wexilum
