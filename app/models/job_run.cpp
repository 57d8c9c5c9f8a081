#include "app/models/job_run.hpp"

#include "app/models/path_shape.hpp"
#include "app/models/snapshot_files.hpp"
#include "core/base/guarded.hpp"
#include "core/project/job_run.hpp"
#include "core/project/read_program.hpp"
#include "core/prove/statement_diff.hpp"

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr int progress_tick_ms = 80;

/// The texts that records point into.
std::vector<std::shared_ptr<const LineTable>> toolpath_texts(const SnapshotFiles& files, const std::string& folder, const PostedJob& job,
                                                             const JobResults* before)
{
    std::vector<std::shared_ptr<const LineTable>> out;
    const auto same = [&](const std::string& path) {
        const auto number = files.known_content(path);
        return number && number == before->files->known_content(path);
    };
    if (before != nullptr && before->posted->toolpaths == job.toolpaths &&
        std::all_of(job.toolpaths.begin(), job.toolpaths.end(), [&](const std::string& name) { return same(folder + "/" + name); })) {
        return before->toolpaths;
    }
    std::map<std::string, std::shared_ptr<const LineTable>> seen;
    for (const std::string& name : job.toolpaths) {
        auto& table = seen[name];
        if (!table) {
            if (auto text = files.text(folder + "/" + name)) {
                table = std::make_shared<const LineTable>(**text);
            }
        }
        out.push_back(table);
    }
    return out;
}

/// What is drawn of a replay.
void take_path(JobResults& results)
{
    const ReplayTrack& track = results.replayed->track;
    results.states = path_states(results.assembly(), track);
    results.shape = std::make_shared<const PathShape>(path_shape_of(track));
    results.paint = std::make_shared<const PathPaint>(path_paint_of(*results.posted, track, results.states, PathColouring::state));
}

} // namespace

JobRun::JobRun(QObject* parent) : QObject(parent), cache_(std::make_unique<RunCache>()), background_(*this)
{
    ticker_.setInterval(progress_tick_ms);
    connect(&ticker_, &QTimer::timeout, this, &JobRun::progressed);
}

JobRun::~JobRun() = default;

void JobRun::stop()
{
    background_.stop();
    stopped_ = running_;
}

double JobRun::progress() const
{
    const auto& watch = background_.watch();
    if (!running_ || !watch) {
        return 0;
    }
    const auto part = [](double done, double all) { return all > 0 ? std::clamp(done / all, 0.0, 1.0) : 0; };
    const double back = part(double(watch->replayed), double(watch->lines));
    if (order_.reading || expected_records_ <= 0) {
        return order_.reading ? back : 0;
    }
    // Reading, writing and reading back take about as long as each other, the last a little longer.
    return 0.25 * part(double(watch->records), expected_records_) + 0.25 * part(double(watch->arranged), expected_records_) + 0.5 * back;
}

QString JobRun::doing() const
{
    return !running_        ? QString()
           : order_.reading ? tr("reading %1").arg(order_.name)
           : replaying_     ? tr("replaying %1").arg(order_.name)
                            : tr("posting %1").arg(order_.name);
}

void JobRun::start(const RunOrder& order)
{
    order_ = order;
    expected_records_ = order.expected_records;
    running_ = true;
    replaying_ = false;
    stopped_ = false;
    ticker_.start();
    background_.start([this, order, in_sight = in_sight_](const Watch& watch) {
        const Status status = guarded([&] { return order.reading ? read(order, watch) : post(order, watch, in_sight); });
        if (!status) {
            background_.later(watch, [this, error = status.error(), files = order.files] {
                if (error.kind == ErrorKind::cancelled) {
                    stopped_ = true;
                } else {
                    Q_EMIT failed(error, files);
                }
                end();
            });
        }
    });
    Q_EMIT started();
}

void JobRun::end()
{
    running_ = false;
    ticker_.stop();
    Q_EMIT finished();
}

void JobRun::step(const Watch& watch, std::shared_ptr<const JobResults> results, Signal signal)
{
    background_.later(watch, [this, signal, results = std::move(results)] {
        expected_records_ = double(results->posted->records.size());
        replaying_ = true;
        Q_EMIT(this->*signal)(results);
        if (signal == &JobRun::replayed) {
            end();
        }
    });
}

Status JobRun::post(const RunOrder& order, const Watch& watch, std::pair<std::uint32_t, std::uint32_t> in_sight)
{
    FileScratch scratch;
    const SteadyClock clock;
    const CodePreview preview{in_sight.first, in_sight.second, [&](LineTable lines) {
                                  background_.later(
                                      watch, [this, first = in_sight.first, table = std::make_shared<const LineTable>(std::move(lines))] {
                                          Q_EMIT previewed(first, table);
                                      });
                              }};
    auto made = post_job(*order.files, order.folder, order.name.toStdString(), scratch, clock,
                         {watch.get(), cache_.get(), order.before ? &preview : nullptr});
    if (!made) {
        return made.error();
    }
    JobResults results;
    results.revision = order.revision;
    results.files = order.files;
    results.posted = *made;
    results.toolpaths = toolpath_texts(*order.files, order.folder, **made, order.before.get());
    results.base = order.base && order.base->records.sources == (*made)->records.sources ? order.base : nullptr;
    watch->lines = (*made)->code.lines().size();
    step(watch, std::make_shared<const JobResults>(results), &JobRun::posted);
    if (results.base) {
        const Dialect& dialect = results.assembly().dialect;
        results.diff = std::make_shared<const ProgramDiff>(
            diff_programs(results.base->code, results.posted->code,
                          {dialect.sequence ? dialect.sequence_letter : '\0', dialect.comment_open, dialect.comment_close}));
        step(watch, std::make_shared<const JobResults>(results), &JobRun::compared);
    }
    return replay(order, watch, std::move(results));
}

Status JobRun::replay(const RunOrder& order, const Watch& watch, JobResults results)
{
    const SteadyClock clock;
    const PostedJob& posted = *results.posted;
    auto replayed = replay_posted(*order.files, order.folder, posted, posted.code_name, posted.code.lines().text(), order.from_unknown,
                                  clock, watch.get());
    if (!replayed) {
        return replayed.error();
    }
    results.replayed = *replayed;
    if (!results.assembly().rulebook.empty()) {
        if (auto counts = rule_line_counts(results.assembly(), cache_->pass, watch.get())) {
            results.rule_lines = std::move(*counts);
        }
    }
    take_path(results);
    step(watch, std::make_shared<const JobResults>(std::move(results)), &JobRun::replayed);
    return {};
}

Status JobRun::read(const RunOrder& order, const Watch& watch)
{
    const SteadyClock clock;
    const ReadFiles& files = *order.reading;
    const CodePartFiles parts{files.machine.toStdString(), files.controller.toStdString(), files.setup.toStdString()};
    auto program = read_program(*order.files, parts, files.code.toStdString(), order.from_unknown, clock, watch.get());
    if (!program) {
        return program.error();
    }
    JobResults results;
    results.revision = order.revision;
    results.files = order.files;
    results.posted = program->posted;
    results.toolpaths = {std::make_shared<const LineTable>()};
    results.replayed = program->replayed;
    results.reading = program->reading;
    results.remarks = program->remarks;
    take_path(results);
    const auto all = std::make_shared<const JobResults>(std::move(results));
    step(watch, all, &JobRun::posted);
    step(watch, all, &JobRun::replayed);
    return {};
}

} // namespace wexilum::app
