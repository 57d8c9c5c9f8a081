#include "cli/commands.hpp"
#include "cli/json_print.hpp"
#include "cli/long_run.hpp"
#include "cli/report.hpp"
#include "cli/time_report.hpp"

#include "core/base/guarded.hpp"
#include "core/base/units.hpp"
#include "core/follow/contact_report.hpp"
#include "core/io/real_files.hpp"
#include "core/project/job_run.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/toolpath_formats.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum::cli {
namespace {

using nlohmann::ordered_json;

/// Program text on its way to a file, in large pieces.
class CodeWriter final : public CodeSink {
public:
    explicit CodeWriter(ByteSink& out) : out_(out) { buffer_.reserve(2 * limit); }
    void line(std::string_view text, const Source&) override
    {
        buffer_ += text;
        buffer_ += '\n';
        if (buffer_.size() >= limit) {
            (void)finish();
        }
    }
    void many_lines(std::string_view text, std::span<const std::uint32_t>, std::uint32_t, std::span<const std::uint32_t>) override
    {
        buffer_ += text;
        if (buffer_.size() >= limit) {
            (void)finish();
        }
    }
    /// The first error met since the beginning.
    Status finish()
    {
        status_ = status_ ? out_.write(buffer_) : status_;
        buffer_.clear();
        return status_;
    }

private:
    static constexpr std::size_t limit = std::size_t{1} << 18;
    ByteSink& out_;
    std::string buffer_;
    Status status_;
};

std::string extent(const OperationOutline& operation)
{
    const Vec3 size = operation.high - operation.low;
    return size.minCoeff() < 0
               ? std::string("no motion")
               : fmt::format("{:.1f} x {:.1f} x {:.1f} mm, down to Z {:.3f} mm", size.x(), size.y(), size.z(), operation.low.z());
}

void print_outline(const Assembly& a, const RunSummary& run)
{
    fmt::print("{}  on  {}, {} / {}, post {} {}\n", a.job.name, a.machine.name, a.controller.name, a.dialect.name, a.post.name,
               a.post.version);
    for (const OperationOutline& operation : run.outline.operations) {
        std::string tools;
        for (const std::uint32_t tool : operation.tools) {
            tools += fmt::format("{}{}", tools.empty() ? "" : ", ", tool);
        }
        fmt::print("  {:>4}  {:<28} {:>6} records  tools {:<8} {}\n", operation.id, operation.name, operation.records,
                   tools.empty() ? "-" : tools, extent(operation));
    }
}

ordered_json measured_json(const Measured& m)
{
    return {{"tip_mm", m.tip}, {"axis_deg", to_deg(m.axis)}, {"tip_budget_mm", m.tip_budget}, {"axis_budget_deg", to_deg(m.axis_budget)}};
}

void print_measured(const char* name, const Measured& m)
{
    fmt::print("  {:<16} tip {:.5f} of {:.5f} mm    axis {:.6f} of {:.6f} deg\n", name, m.tip, m.tip_budget, to_deg(m.axis),
               to_deg(m.axis_budget));
}

nlohmann::ordered_json report_json(const ReplayReport& report)
{
    const SurfaceError& surface = report.surface;
    return {{"at_records", measured_json(report.at_records)},
            {"between", measured_json(report.between)},
            {"surface",
             {{"places", surface.places},
              {"too_deep_mm", surface.deep},
              {"too_deep_line", surface.deep_block},
              {"left_mm", surface.left},
              {"left_line", surface.left_block}}},
            {"feed_error_percent", report.feed_error_percent},
            {"feed_budget_percent", report.feed_budget_percent},
            {"uncovered", report.uncovered},
            {"extra", report.extra},
            {"compared", report.compared},
            {"proven", !report.findings.has_errors()},
            {"worst", {{"source", place_json(report.worst_source)}, {"code", place_json(report.worst_code)}}},
            {"findings", findings_json(report.findings)}};
}

void print_replay(const ReplayReport& report, const CodeLines& lines)
{
    print_measured("at records", report.at_records);
    print_measured("between records", report.between);
    if (const SurfaceError& surface = report.surface; surface.places > 0) {
        fmt::print("  {:<16} {:.5f} mm too deep (line {}), {:.5f} mm left (line {}), where the toolpath knows the normal\n",
                   "on the surface", surface.deep, surface.deep_block, surface.left, surface.left_block);
    }
    fmt::print("  {:<16} {:.3f} of {:.3f} % at worst\n", "feed", report.feed_error_percent, report.feed_budget_percent);
    fmt::print("  {:<16} {} records reached, {} uncovered, {} extra\n", "compared", report.compared, report.uncovered, report.extra);
    print_findings(report.findings, lines);
    fmt::print("  {}\n",
               report.findings.has_errors() ? "NOT PROVEN: see the findings" : "proven: the code moves the tool as the toolpath says");
}

} // namespace

namespace {

/// Writes a program that has errors, so that it can be looked at.
Status write_draft(RealFileSystem& files, const Assembly& a, const JobOptions& options, std::size_t errors, RunWatch* watch)
{
    const auto set = files.begin_files();
    auto file = set->add(options.draft);
    if (!file) {
        return file.error();
    }
    CodeWriter writer(**file);
    const auto& table = a.controller.table;
    writer.line(fmt::format("{}NOT TO BE RUN: A DRAFT WITH {} ERROR{}{}",
                            table ? table->remark + " " : std::string(1, a.dialect.comment_open), errors, errors == 1 ? "" : "S",
                            table ? std::string() : std::string(1, a.dialect.comment_close)),
                no_source);
    JobRecords records(files, options.project, a.job);
    FileScratch scratch;
    const auto posted = post(a, records, scratch, writer, options.threads, watch);
    Status status = posted ? writer.finish() : Status(posted.error());
    return status ? set->commit() : status;
}

} // namespace

namespace {

/// How long a program takes that has been written.
Result<ProgramTime> time_of(const FileSystem& files, const Assembly& a, const RunSummary& run, const std::string& path, int threads,
                            RunWatch* watch)
{
    auto text = files.open(path);
    auto ahead = files.open(path);
    if (!text || !ahead) {
        return !text ? text.error() : ahead.error();
    }
    return time_of_program(a, run, {program_file_name(a), text->get(), ahead->get()}, watch, threads);
}

std::vector<std::pair<std::string, std::string>> names_of(const Outline& outline)
{
    std::vector<std::pair<std::string, std::string>> out;
    for (const OperationOutline& operation : outline.operations) {
        out.emplace_back(operation.id, operation.name);
    }
    return out;
}

/// What a run has left.
struct Written {
    std::string path;
    std::string draft; ///< empty: none
    double seconds = 0;
    const ProgramTime* time = nullptr; ///< null: nobody has asked
};

void print_posted(const Assembly& a, const RunSummary& run, const Written& written, bool json)
{
    const bool errors = run.findings.has_errors();
    if (json) {
        ordered_json list = ordered_json::array();
        if (!errors) {
            list.push_back({{"path", written.path}, {"blocks", run.blocks}, {"bytes", run.bytes}, {"channel", run.channel}});
        }
        fmt::print("{}\n",
                   json_text({{"files", list},
                              {"records", run.outline.records},
                              {"blocks", run.blocks},
                              {"draft", written.draft.empty() ? ordered_json(nullptr) : ordered_json(written.draft)},
                              {"findings", findings_json(run.findings)},
                              {"time", written.time != nullptr ? time_json(*written.time, names_of(run.outline)) : ordered_json(nullptr)},
                              {"seconds", written.seconds}}));
    } else {
        print_outline(a, run);
        print_findings(run.findings);
        if (errors) {
            fmt::print("  no code is written: {} of the findings are errors\n", run.findings.count(Severity::error));
            if (!written.draft.empty()) {
                fmt::print("  to be looked at, not to be run: {}\n", written.draft);
            }
        } else {
            fmt::print("  written: {}  ({} blocks, {} bytes, {:.2f} s)\n", written.path, run.blocks, run.bytes, written.seconds);
            if (written.time != nullptr) {
                print_time(*written.time, names_of(run.outline));
            }
        }
    }
}

} // namespace

int post_command(const JobOptions& options)
{
    RealFileSystem files;
    const SteadyClock clock;
    const double begin = clock.seconds();
    LongRun work(options.progress);
    files.recover(options.project);
    auto opened = open_job(files, options.project, options.job, work.watch());
    if (!opened) {
        return fail(opened.error(), options.json);
    }
    opened->date = options.date;
    const Assembly& a = *opened;
    if (const Status status = sole_output(files, options.project, a.job, a.job_file); !status) {
        return fail(status.error(), options.json);
    }
    const std::string folder = options.out.empty() ? options.project + "/out" : options.out;
    const std::string path = folder + "/" + program_file_name(a);
    const auto set = files.begin_files();
    auto file = set->add(path);
    if (!file) {
        return fail(file.error(), options.json);
    }
    CodeWriter writer(**file);
    JobRecords records(files, options.project, a.job);
    FileScratch scratch;
    auto posted = post(a, records, scratch, writer, options.threads, work.watch());
    if (!posted) {
        return fail(posted.error(), options.json);
    }
    const RunSummary& run = *posted;
    const bool errors = run.findings.has_errors();
    // Code of an earlier run must not pass for the code of a run that failed.
    Status status = writer.finish();
    status = !status ? status : errors ? files.remove({path}) : set->commit();
    const bool drafted = status && errors && !options.draft.empty();
    if (drafted) {
        status = write_draft(files, a, options, run.findings.count(Severity::error), work.watch());
    }
    if (!status) {
        return fail(status.error(), options.json);
    }
    const double seconds = clock.seconds() - begin;
    std::optional<ProgramTime> time;
    if (!errors && (options.time || options.json)) {
        auto timed = time_of(files, a, run, path, options.threads, work.watch());
        if (!timed) {
            return fail(timed.error(), options.json);
        }
        time = std::move(*timed);
    }
    print_posted(a, run, {path, drafted ? options.draft : "", seconds, time ? &*time : nullptr}, options.json);
    return errors ? exit_findings : exit_fine;
}

int replay_command(const JobOptions& options)
{
    RealFileSystem files;
    LongRun work(options.progress);
    files.recover(options.project);
    auto opened = open_job(files, options.project, options.job, work.watch());
    if (!opened) {
        return fail(opened.error(), options.json);
    }
    std::vector<std::unique_ptr<ByteSource>> texts;
    std::vector<CodeStream> code;
    FileScratch scratch;
    std::unique_ptr<Spool> fresh;
    FindingList posting; // of the code that is posted here
    std::vector<Excursion> excursions;
    for (const std::string& path : options.code) {
        auto text = files.open(path);
        if (!text) {
            return fail(text.error(), options.json);
        }
        auto ahead = files.open(path);
        if (!ahead) {
            return fail(ahead.error(), options.json);
        }
        texts.push_back(std::move(*text));
        texts.push_back(std::move(*ahead));
        code.push_back({path, texts[texts.size() - 2].get(), texts.back().get()});
    }
    if (code.empty()) {
        auto spool = scratch.spool();
        if (!spool) {
            return fail(spool.error(), options.json);
        }
        fresh = std::move(*spool);
        SpoolSink sink(*fresh);
        CodeWriter writer(sink);
        JobRecords records(files, options.project, opened->job);
        auto posted = post(*opened, records, scratch, writer, 1, work.watch());
        if (const Status status = posted ? writer.finish() : Status(posted.error()); !status) {
            return fail(status.error(), options.json);
        }
        excursions = std::move(posted->excursions);
        posting = std::move(posted->findings);
        texts.push_back(std::make_unique<SpoolSource>(*fresh));
        texts.push_back(std::make_unique<SpoolSource>(*fresh));
        code.push_back({program_file_name(*opened), texts[0].get(), texts[1].get()});
    } else {
        JobRecords records(files, options.project, opened->job);
        auto found = excursions_of(*opened, records, scratch, work.watch());
        if (!found) {
            return fail(found.error(), options.json);
        }
        excursions = std::move(*found);
    }
    JobRecords records(files, options.project, opened->job);
    auto replayed = replay(*opened, records, excursions, code, options.from_unknown, work.watch(), {}, options.threads);
    if (!replayed) {
        return fail(replayed.error(), options.json);
    }
    replayed->findings.add_errors_of(posting); // a program that would not have been written is not proven
    const ReplayReport& report = *replayed;
    if (options.json) {
        fmt::print("{}\n", json_text(report_json(report)));
    } else {
        fmt::print("replay of {} on {}\n", opened->job.name, opened->machine.name);
        CodeLines lines;
        for (const std::string& path : options.code) {
            if (auto text = files.open(path)) {
                (void)read_lines(**text, path, report.findings, lines); // it has been read once already
            }
        }
        if (fresh) {
            SpoolSource text(*fresh);
            (void)read_lines(text, code.front().name, report.findings, lines);
        }
        print_replay(report, lines);
    }
    return report.findings.has_errors() ? exit_findings : exit_fine;
}

int contact_command(const JobOptions& options)
{
    RealFileSystem files;
    const SteadyClock clock;
    FileScratch scratch;
    LongRun work(options.progress);
    files.recover(options.project);
    const auto posted = post_job(files, options.project, options.job, scratch, clock, {work.watch()});
    if (!posted) {
        return fail(posted.error(), options.json);
    }
    const PostedJob& job = **posted;
    work.watch()->lines = job.code.lines().size();
    const auto checked = check_posted(job, work.watch());
    if (!checked) {
        return fail(checked.error(), options.json);
    }
    print_contact(**checked, job.assembly.job.name, job.assembly.machine.name, options.json);
    return (*checked)->findings.has_errors() ? exit_findings : exit_fine;
}

int links_command(const JobOptions& options)
{
    const RealFileSystem files;
    const auto assembly = open_job(files, options.project, options.job);
    if (!assembly) {
        return fail(assembly.error(), options.json);
    }
    for (std::size_t i = 0; i < assembly->job.operations.size(); ++i) {
        const JobOperation& operation = assembly->job.operations[i];
        fmt::print("operation {} {}\n{}\n", operation.id, operation.name, text_of(assembly->links[i], assembly->machine));
    }
    return exit_fine;
}

int describe_command()
{
    fmt::print("{}", rulebook_reference());
    return exit_fine;
}

int check_command(const std::vector<std::string>& paths)
{
    const RealFileSystem files;
    int code = exit_fine;
    for (const std::string& path : paths) {
        const auto checked = check_file(files, path);
        if (!checked) {
            fmt::print(stderr, "wexilum-cli: {}\n", checked.error().text());
            const bool witness = checked.error().kind == ErrorKind::witness;
            code = std::max(code, witness ? exit_findings : exit_usage);
            continue;
        }
        fmt::print("{}: {}\n", path, checked.value().summary);
        for (const std::string& remark : checked.value().remarks) {
            fmt::print("  {}\n", remark);
        }
    }
    return code;
}

int convert_command(const std::string& from, const std::string& to)
{
    RealFileSystem files;
    const auto converted = guarded([&] { return convert_toolpath(files, from, to); });
    if (!converted) {
        fmt::print(stderr, "wexilum-cli: {}\n", converted.error().text());
        return exit_usage;
    }
    const std::size_t n = converted->records;
    fmt::print("{}: {} record{} of {}\n", to, n, n == 1 ? "" : "s", from);
    for (const auto& [kind, count] : converted->left_out) {
        fmt::print("  left out, the format has no form for it: {}, {} time{}\n", kind, count, count == 1 ? "" : "s");
    }
    return converted->left_out.empty() ? exit_fine : exit_findings;
}

} // namespace wexilum::cli
