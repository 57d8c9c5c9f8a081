#include "core/project/job_run.hpp"

#include "core/base/guarded.hpp"
#include "core/follow/contact_observer.hpp"
#include "core/follow/move_times.hpp"
#include "core/path/read_pass.hpp"
#include "core/replay/replay_run.hpp"
#include "core/solve/inverse.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

namespace {

/// One number for the contents that reading and choosing depend on; nothing where one can't be read.
std::optional<std::size_t> key_of(const FileSystem& files, const std::string& folder, const Assembly& a)
{
    std::size_t key = 1469598103934665603ULL;
    const auto add = [&](std::string_view bytes) { key = (key ^ std::hash<std::string_view>()(bytes)) * 1099511628211ULL; };
    std::vector<std::string> paths{a.post.machine, a.job.setup, a.job_file};
    if (!a.job.overlay.empty()) {
        paths.push_back(a.job.overlay);
    }
    for (const JobOperation& operation : a.job.operations) {
        paths.push_back(operation.toolpath);
    }
    std::vector<char> chunk(spool_chunk);
    for (const std::string& path : paths) {
        add(path);
        const std::string whole = folder + "/" + path;
        if (const auto known = files.known_content(whole)) {
            add({reinterpret_cast<const char*>(&*known), sizeof *known});
            continue;
        }
        auto source = files.open(whole);
        if (!source) {
            return std::nullopt;
        }
        for (;;) {
            const auto got = (*source)->read(chunk);
            if (!got) {
                return std::nullopt;
            }
            if (*got == 0) {
                break;
            }
            add({chunk.data(), *got});
        }
    }
    return key;
}

/// Keeps the program, and shows the lines of a preview as soon as they are there.
class PreviewedCode final : public CodeSink {
public:
    PreviewedCode(CodeStore& store, const CodePreview& preview) : store_(store), preview_(preview) {}
    void line(std::string_view text, const Source& source) override
    {
        store_.line(text, source);
        if (store_.lines().size() == preview_.last + 1) [[unlikely]] {
            LineTable lines;
            for (std::uint32_t i = preview_.first; i <= preview_.last; ++i) {
                lines.add(store_.lines().line(i));
            }
            preview_.show(std::move(lines));
        }
    }

private:
    CodeStore& store_;
    const CodePreview& preview_;
};

/// Has the motions of a job's program told apart by its operations.
void set_operations(MoveTimes& times, const RunSummary& run)
{
    std::vector<std::string> names;
    for (const OperationOutline& operation : run.outline.operations) {
        names.push_back(operation.id + " " + operation.name);
    }
    times.set_operations(run.operation_lines, std::move(names));
}

} // namespace

Result<std::shared_ptr<const PostedJob>> post_job(const FileSystem& files, const std::string& folder, const std::string& job,
                                                  Scratch& scratch, const Clock& clock, const RunCompany& company)
{
    return guarded([&]() -> Result<std::shared_ptr<const PostedJob>> {
        RunCache* const cache = company.cache;
        const double begin = clock.seconds();
        auto opened = open_job(files, folder, job, company.watch);
        if (!opened) {
            return opened.error();
        }
        auto out = std::make_shared<PostedJob>();
        out->assembly = std::move(*opened);
        JobRecords records(files, folder, out->assembly.job);
        NotedRecords noted(records, out->records);
        std::shared_ptr<ReadPass> pass;
        const auto key = cache != nullptr ? key_of(files, folder, out->assembly) : std::nullopt;
        if (key && cache->pass && cache->key == *key) {
            pass = cache->pass;
            out->records = cache->records;
            ++cache->reused;
        }
        std::optional<PreviewedCode> previewed;
        if (company.preview != nullptr) {
            previewed.emplace(out->code, *company.preview);
        }
        auto posted =
            post(out->assembly, noted, scratch, previewed ? static_cast<CodeSink&>(*previewed) : out->code, 2, company.watch, &pass);
        if (!posted) {
            return posted.error();
        }
        if (key && cache->pass != pass) {
            cache->key = *key;
            cache->pass = pass;
            cache->records = out->records;
        }
        out->run = std::move(*posted);
        out->code.link(out->records, out->run.asides);
        out->toolpaths = records.files();
        out->code_name = program_file_name(out->assembly);
        out->seconds = clock.seconds() - begin;
        return std::shared_ptr<const PostedJob>(std::move(out));
    });
}

Result<std::shared_ptr<const ReplayedCode>> replay_posted(const FileSystem& files, const std::string& folder, const PostedJob& job,
                                                          const std::string& name, std::string_view text, bool from_unknown,
                                                          const Clock& clock, RunWatch* watch)
{
    return guarded([&]() -> Result<std::shared_ptr<const ReplayedCode>> {
        const double begin = clock.seconds();
        auto out = std::make_shared<ReplayedCode>(ReplayedCode{name, {}, ReplayTrack(job.assembly.machine), {}});
        const bool own = text.data() == job.code.lines().text().data();
        MoveTimes times(job.assembly.machine, job.assembly.controller, &out->track);
        times.begin_file(name);
        if (own) {
            set_operations(times, job.run);
        }
        JobRecords records(files, folder, job.assembly.job);
        TextSource source(text);
        TextSource ahead(text);
        auto replayed =
            replay(job.assembly, records, job.run.excursions, {{name, &source, &ahead}}, from_unknown, watch, {&out->track, &times}, 2);
        if (!replayed) {
            return replayed.error();
        }
        out->report = std::move(*replayed);
        out->seconds = clock.seconds() - begin;
        out->time = times.take();
        for (const Finding& finding : out->time.findings.list()) {
            out->report.findings.add(finding);
        }
        out->posting_errors = own ? job.run.findings.count(Severity::error) : 0;
        return std::shared_ptr<const ReplayedCode>(std::move(out));
    });
}

Result<std::shared_ptr<const ContactReport>> check_posted(const PostedJob& job, RunWatch* watch)
{
    return guarded([&]() -> Result<std::shared_ptr<const ContactReport>> {
        std::vector<Source> sources(job.code.lines().size(), no_source);
        for (std::uint32_t line = 0; line < sources.size(); ++line) {
            const std::uint32_t record = job.code.record_of(line);
            sources[line] = record != CodeStore::no_record ? job.records.sources[record] : no_source;
        }
        TextSource text(job.code.lines().text());
        TextSource ahead(job.code.lines().text());
        auto report = check_contacts({job.assembly.controller, job.assembly.machine, &job.assembly.setup}, {{job.code_name, &text, &ahead}},
                                     watch, {{&sources, &job.toolpaths}});
        return report ? Result<std::shared_ptr<const ContactReport>>(std::make_shared<const ContactReport>(std::move(*report)))
                      : Result<std::shared_ptr<const ContactReport>>(report.error());
    });
}

Result<ProgramTime> time_of_program(const Assembly& assembly, const RunSummary& run, const CodeStream& code, RunWatch* watch, int threads)
{
    return guarded([&]() -> Result<ProgramTime> {
        auto follower = Follower::make(assembly.machine, assembly.setup);
        if (!follower) {
            return follower.error();
        }
        MoveTimes times(assembly.machine, assembly.controller);
        times.begin_file(code.name);
        set_operations(times, run);
        follower->add(times);
        FindingList of_the_code; // the replay's to tell
        const CodeContext context{assembly.controller, assembly.machine, &assembly.setup};
        if (const auto lines = run_code(context, code, {false, threads, watch, 0}, *follower, of_the_code); !lines) {
            return lines.error();
        }
        return times.take();
    });
}

void mark_contacts(const ContactReport& report, const ReplayTrack& track, std::vector<PathState>& states)
{
    for (const bool touches : {false, true}) { // contact last: it is the worse
        for (const ContactPlace& place : report.places) {
            for (std::size_t i = 0; i < states.size() && place.touches == touches; ++i) {
                const std::uint32_t block = track.motions()[i].block;
                if (block >= place.first_block && block <= place.last_block) {
                    states[i] = touches ? PathState::contact : PathState::too_close;
                }
            }
        }
    }
}

std::optional<double> margin_of(const Joint& joint, double lowest, double highest)
{
    return joint.travel ? std::optional(std::min(lowest - joint.travel->low, joint.travel->high - highest)) : std::nullopt;
}

std::vector<PathState> path_states(const Assembly& a, const ReplayTrack& track)
{
    std::vector<PathState> out;
    out.reserve(track.motions().size());
    const InverseSolver* const solver = a.solver.get();
    const bool poles = solver != nullptr && solver->has_poles();
    for (std::size_t i = 0; i < track.motions().size(); ++i) {
        const ReplayTrack::Motion& motion = track.motions()[i];
        const Readings readings = track.readings(i);
        PathState state = motion.feed ? PathState::fits : PathState::rapid;
        for (std::size_t j = 0; j < a.machine.joints.size() && motion.feed; ++j) {
            const Joint& joint = a.machine.joints[j];
            const auto margin = margin_of(joint, readings[Eigen::Index(j)], readings[Eigen::Index(j)]);
            if (margin && *margin < low_margin_share * (joint.travel->high - joint.travel->low)) {
                state = PathState::margin_low;
            }
        }
        if (poles && motion.feed) {
            const Vec3 axis = solver->kinematics().pose(readings, 0).axis;
            if (axis.cross(solver->pole_axis()).norm() < marked_pole_angle) {
                state = PathState::near_singular;
            }
        }
        if (!inside_travel(a.machine, readings, 1e-6)) {
            state = PathState::beyond_travel;
        }
        if (motion.feed && track.measure(motion.block).ratio() > 1) {
            state = PathState::off_path;
        }
        out.push_back(state);
    }
    return out;
}

} // namespace wexilum
