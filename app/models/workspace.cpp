#include "app/models/workspace.hpp"

#include "app/models/path_shape.hpp"
#include "core/base/guarded.hpp"
#include "core/follow/contact_report.hpp"
#include "core/project/job_run.hpp"
#include "core/prove/statement_diff.hpp"
#include "core/run/block_probe.hpp"

#include <QDir>
#include <QFileInfo>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr int settle_ms = 120; // editors write a file in several steps
constexpr int progress_tick_ms = 80;
constexpr int typing_pause_ms = 120; // after which a run follows what is typed
constexpr int burst_ms = 400;        // edits that come sooner after each other are typing
constexpr double bytes_a_record = 60;

std::string utf8(const QString& text) { return text.toStdString(); }

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

} // namespace

const Assembly& JobResults::assembly() const { return posted->assembly; }

Workspace::Workspace(QObject* parent) : QObject(parent), cache_(std::make_unique<RunCache>())
{
    pool_.setMaxThreadCount(1);
    questions_.setMaxThreadCount(1);
    checks_.setMaxThreadCount(1);
    outside_.setSingleShot(true);
    outside_.setInterval(settle_ms);
    ticker_.setInterval(progress_tick_ms);
    connect(&outside_, &QTimer::timeout, this, &Workspace::take_outside_changes);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] {
        files_changed_ = true;
        outside_.start();
    });
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, &outside_, qOverload<>(&QTimer::start));
    pause_.setSingleShot(true);
    pause_.setInterval(typing_pause_ms);
    connect(&pause_, &QTimer::timeout, this, &Workspace::run);
    connect(&documents_, &Documents::edited, this, &Workspace::edited);
    connect(&documents_, &Documents::saved, this, [this] { edits_pending_ = !documents_.changed_paths().isEmpty(); });
    connect(&ticker_, &QTimer::timeout, this, &Workspace::progressed);
}

Workspace::~Workspace()
{
    for (const auto& watch : {watch_, question_, expression_, loading_, checking_}) {
        if (watch) {
            watch->stop = true;
        }
    }
    pool_.waitForDone();
    questions_.waitForDone();
    checks_.waitForDone();
}

Status Workspace::open_project(const QString& folder)
{
    const QString clean = QDir::cleanPath(folder);
    RealFileSystem files;
    files.recover(utf8(clean));
    auto text = files.read_all(utf8(clean + QStringLiteral("/project.json")), json::max_bytes);
    if (!text) {
        return Error{ErrorKind::unreadable,
                     "this folder has no project.json that can be read",
                     {utf8(clean), 0, 0},
                     "choose a folder that holds a project: project.json beside machines/, jobs/ and the others"};
    }
    auto document = json::Document::parse(std::move(*text), "project.json");
    auto project = document ? read_project(*document) : Result<Project>(document.error());
    if (!project) {
        return project.error();
    }
    stop();
    folder_ = clean;
    project_name_ = QString::fromStdString(project->name);
    documents_.set_folder(clean);
    kept_ = std::make_shared<KeptTexts>();
    results_.reset();
    loaded_.reset();
    error_.reset();
    findings_.clear();
    known_.clear();
    job_.clear();
    reading_.reset();
    Q_EMIT project_changed();
    Q_EMIT loaded_changed();
    const QStringList all = jobs();
    const auto first = std::find_if(all.begin(), all.end(), [](const QString& name) { return !name.startsWith(QLatin1String("fails-")); });
    if (!all.isEmpty()) {
        set_job(first != all.end() ? *first : all.first());
    } else {
        Q_EMIT job_changed();
        Q_EMIT findings_changed();
    }
    return {};
}

QStringList Workspace::files_in(const QString& subfolder, const QString& suffix) const
{
    QStringList out;
    if (suffix.startsWith(QLatin1Char('/'))) { // a file in each folder
        const QDir folder(folder_ + QLatin1Char('/') + subfolder);
        for (const QString& name : folder.entryList(QDir::Dirs | QDir::NoDotAndDotDot)) {
            if (QFileInfo::exists(folder.filePath(name) + suffix)) {
                out.push_back(name + suffix);
            }
        }
        return out;
    }
    for (const std::string& name : RealFileSystem().list(utf8(folder_ + QLatin1Char('/') + subfolder), utf8(suffix))) {
        out.push_back(QString::fromStdString(name));
    }
    return out;
}

QStringList Workspace::jobs() const
{
    QStringList out;
    for (const std::string& name : job_names(RealFileSystem(), utf8(folder_))) {
        out.push_back(QString::fromStdString(name));
    }
    return out;
}

QString Workspace::setup_path() const { return results_ && !reading_ ? QString::fromStdString(results_->assembly().job.setup) : QString(); }

void Workspace::set_job(const QString& job)
{
    if (job == job_ && !reading_) {
        return;
    }
    job_ = job;
    reading_.reset();
    results_.reset();
    base_.reset();
    edits_pending_ = false;
    error_.reset();
    expected_records_ = 0;
    Q_EMIT job_changed();
    drop_loaded();
    changed();
}

void Workspace::rescan()
{
    Q_EMIT project_changed();
    if (job_.isEmpty() && !jobs().isEmpty()) {
        set_job(jobs().first());
    } else if (error_) {
        changed();
    }
}

Workspace::Known Workspace::known(const QString& job) const
{
    const auto found = known_.find(job);
    return found == known_.end() ? Known::not_run : found->second.second == texts_ ? found->second.first : Known::stale;
}

void Workspace::set_from_unknown(bool on)
{
    if (on != from_unknown_) {
        from_unknown_ = on;
        changed();
    }
}

void Workspace::changed()
{
    ++revision_;
    run();
}

/// What is typed is followed at the first key and then whenever there is a pause.
void Workspace::edited()
{
    if (!edits_pending_) {
        base_ = results_ ? results_->posted : nullptr;
        edits_pending_ = true;
    }
    ++revision_;
    ++texts_;
    const bool burst = last_edit_.isValid() && last_edit_.elapsed() < burst_ms;
    last_edit_.start();
    if (burst) {
        pause_.start();
    } else {
        run();
    }
}

void Workspace::stop()
{
    if (watch_) {
        watch_->stop = true;
    }
    stopped_ = running_;
}

double Workspace::progress() const
{
    if (reading_ && running_ && watch_) {
        return watch_->lines > 0 ? std::min(1.0, double(watch_->replayed) / double(watch_->lines)) : 0;
    }
    if (!running_ || !watch_ || expected_records_ <= 0) {
        return 0;
    }
    // Reading, writing and reading back take about as long as each other, the last a little longer.
    const auto part = [&](double done, double all) { return all > 0 ? std::clamp(done / all, 0.0, 1.0) : 0; };
    return 0.25 * part(double(watch_->records), expected_records_) + 0.25 * part(double(watch_->arranged), expected_records_) +
           0.5 * part(double(watch_->replayed), double(watch_->lines));
}

QString Workspace::doing() const
{
    return !running_    ? QString()
           : reading_   ? tr("reading %1").arg(job_)
           : replaying_ ? tr("replaying %1").arg(job_)
                        : tr("posting %1").arg(job_);
}

void Workspace::begin_run()
{
    stop_contact();
    if (watch_) {
        watch_->stop = true;
    }
    watch_ = std::make_shared<RunWatch>();
    running_ = true;
    replaying_ = false;
    stopped_ = false;
    ticker_.start();
    ++run_number_;
    pool_.clear();
    pause_.stop();
}

/// Of a run that has not come to its end.
void Workspace::end_run(const Error& error, const SnapshotFiles& files)
{
    running_ = false;
    ticker_.stop();
    if (error.kind != ErrorKind::cancelled) {
        error_ = error;
        if (!reading_) {
            known_[job_] = {Known::failed, texts_};
        }
        watch_files(files);
        Q_EMIT failed();
    } else {
        stopped_ = true;
    }
    collect_findings();
    Q_EMIT finished();
}

void Workspace::run()
{
    if (job_.isEmpty()) {
        return;
    }
    begin_run();
    if (reading_) {
        run_reading();
        return;
    }
    if (expected_records_ <= 0) {
        for (const QString& name : files_in(QStringLiteral("toolpaths"), QStringLiteral(".cl"))) {
            expected_records_ += double(QFileInfo(folder_ + QStringLiteral("/toolpaths/") + name).size()) / bytes_a_record;
        }
    }
    const std::uint64_t number = run_number_;
    const auto files = std::make_shared<const SnapshotFiles>(documents_.open_texts(), kept_);
    pool_.start([this, base = base_, before = results_, in_sight = in_sight_, files, watch = watch_, number, revision = revision_,
                 folder = utf8(folder_), job = utf8(job_), unknown = from_unknown_] {
        if (watch->stopped()) {
            return;
        }
        FileScratch scratch;
        const SteadyClock clock;
        const auto fail = [&](const Error& error) {
            later([this, error, files, number] {
                if (number == run_number_) {
                    end_run(error, *files);
                }
            });
        };
        const auto work = [&] {
            const CodePreview preview{
                in_sight.first, in_sight.second, [&](LineTable lines) {
                    later([this, number, first = in_sight.first, lines = std::make_shared<const LineTable>(std::move(lines))] {
                        if (number == run_number_) {
                            Q_EMIT code_previewed(first, lines);
                        }
                    });
                }};
            auto posted = post_job(*files, folder, job, scratch, clock, {watch.get(), cache_.get(), before ? &preview : nullptr});
            if (!posted) {
                fail(posted.error());
                return;
            }
            auto results = std::make_shared<JobResults>();
            results->files = files;
            results->posted = *posted;
            results->toolpaths = toolpath_texts(*files, folder, **posted, before.get());
            results->base = base && base->records.sources == (*posted)->records.sources ? base : nullptr;
            watch->lines = (*posted)->code.lines().size();
            later([this, results = std::make_shared<const JobResults>(*results), number, revision] {
                if (number != run_number_) {
                    return;
                }
                // The replay of before is looked at until the new one is there, but it does not belong to this code.
                results_ = results;
                error_.reset();
                code_revision_ = revision;
                expected_records_ = double(results->posted->records.size());
                replaying_ = true;
                watch_files(*results->files);
                collect_findings();
                Q_EMIT code_changed();
            });
            if (results->base) {
                const Dialect& dialect = (*posted)->assembly.dialect;
                results->diff = std::make_shared<const ProgramDiff>(
                    diff_programs(base->code, (*posted)->code,
                                  {dialect.sequence ? dialect.sequence_letter : '\0', dialect.comment_open, dialect.comment_close}));
                later([this, results = std::make_shared<const JobResults>(*results), number] {
                    if (number == run_number_) {
                        results_ = results;
                        Q_EMIT difference_changed();
                    }
                });
            }
            auto replayed =
                replay_posted(*files, folder, **posted, (*posted)->code_name, (*posted)->code.lines().text(), unknown, clock, watch.get());
            if (!replayed) {
                fail(replayed.error());
                return;
            }
            results->replayed = *replayed;
            results->states = path_states((*posted)->assembly, (*replayed)->track);
            if (!(*posted)->assembly.rulebook.empty()) {
                if (auto counts = rule_line_counts((*posted)->assembly, cache_->pass, watch.get())) {
                    results->rule_lines = std::move(*counts);
                }
            }
            results->shape = std::make_shared<const PathShape>(path_shape_of((*replayed)->track));
            results->paint =
                std::make_shared<const PathPaint>(path_paint_of(**posted, (*replayed)->track, results->states, PathColouring::state));
            later([this, results = std::shared_ptr<const JobResults>(std::move(results)), number, revision] {
                if (number != run_number_) {
                    return;
                }
                results_ = results;
                replay_revision_ = revision;
                known_[job_] = {results->replayed->proven() ? Known::proven : Known::failed, texts_};
                running_ = false;
                ticker_.stop();
                collect_findings();
                Q_EMIT replay_changed();
                Q_EMIT finished();
                if (loaded_) {
                    replay_loaded();
                }
            });
        };
        try {
            work();
        } catch (const std::exception& problem) {
            fail(fault_of(problem));
        }
    });
    Q_EMIT started();
}

// --- contact --------------------------------------------------------------------------------------------------------

double Workspace::contact_progress() const
{
    return checking_ && checking_->lines > 0 ? std::clamp(double(checking_->replayed) / double(checking_->lines), 0.0, 1.0) : 0;
}

void Workspace::stop_contact()
{
    if (checking_) {
        checking_->stop = true;
        checking_.reset();
        Q_EMIT contact_changed();
    }
}

void Workspace::check_contact()
{
    stop_contact();
    if (!results_ || !results_->replayed || running_) {
        return;
    }
    contact_problem_.clear();
    checking_ = std::make_shared<RunWatch>();
    checking_->lines = results_->posted->code.lines().size();
    checks_.start([this, results = results_, watch = checking_, folder = utf8(folder_)] {
        using Report = Result<std::shared_ptr<const ContactReport>>;
        std::shared_ptr<JobResults> marked;
        const Report report = guarded([&]() -> Report {
            Report made = check_posted(*results->posted, watch.get());
            if (!made) {
                return made;
            }
            marked = std::make_shared<JobResults>(*results);
            marked->contact = *made;
            mark_contacts(**made, marked->replayed->track, marked->states);
            marked->paint = std::make_shared<const PathPaint>(
                path_paint_of(*marked->posted, marked->replayed->track, marked->states, PathColouring::state));
            return made;
        });
        later([this, results, watch, report, marked = std::shared_ptr<const JobResults>(std::move(marked))] {
            if (watch->stopped() || checking_ != watch) {
                return;
            }
            checking_.reset();
            if (!report) {
                contact_problem_ = QString::fromStdString(report.error().message + "; " + report.error().cure);
            } else if (results_ == results) {
                results_ = marked;
                collect_findings();
                Q_EMIT replay_changed();
            }
            Q_EMIT contact_changed();
        });
    });
    Q_EMIT contact_changed();
}

void Workspace::ask(std::uint32_t block)
{
    if (question_) {
        question_->stop = true;
    }
    question_ = std::make_shared<RunWatch>();
    if (!results_) {
        return;
    }
    questions_.clear();
    if (results_->reading) {
        ask_state(block);
        return;
    }
    questions_.start([this, results = results_, watch = question_, block, folder = utf8(folder_)] {
        if (watch->stopped()) {
            return;
        }
        FileScratch scratch;
        JobRecords records(*results->files, folder, results->assembly().job);
        auto trace = trace_block(results->assembly(), records, scratch, block, watch.get());
        if (trace) {
            later([this, watch, trace = std::make_shared<const BlockTrace>(std::move(*trace))] {
                if (!watch->stopped()) {
                    Q_EMIT traced(trace);
                }
            });
        }
    });
}

void Workspace::evaluate(std::uint32_t record, const QString& expression)
{
    if (expression_) {
        expression_->stop = true;
    }
    expression_ = std::make_shared<RunWatch>();
    if (!results_ || results_->reading || expression.trimmed().isEmpty()) {
        Q_EMIT evaluated({}, true);
        return;
    }
    questions_.start([this, results = results_, watch = expression_, record, expression = utf8(expression), folder = utf8(folder_)] {
        if (watch->stopped()) {
            return;
        }
        FileScratch scratch;
        JobRecords records(*results->files, folder, results->assembly().job);
        const auto value = evaluate_at(results->assembly(), records, scratch, record, expression, watch.get());
        later([this, watch, text = value ? QString::fromStdString(*value) : QString::fromStdString(value.error().message),
               fine = value.ok()] {
            if (!watch->stopped()) {
                Q_EMIT evaluated(text, fine);
            }
        });
    });
}

Status Workspace::load_code(const QString& path)
{
    const RealFileSystem files;
    auto text = files.read_all(utf8(path), std::size_t{2} << 30);
    if (!text) {
        return text.error();
    }
    loaded_ = LoadedCode{path, std::make_shared<const LineTable>(std::move(*text)), nullptr};
    watcher_.addPath(path);
    Q_EMIT loaded_changed();
    replay_loaded();
    return {};
}

void Workspace::replay_loaded()
{
    if (loading_) {
        loading_->stop = true;
    }
    loading_ = std::make_shared<RunWatch>();
    if (!results_ || results_->reading || !loaded_) {
        return;
    }
    questions_.start([this, results = results_, watch = loading_, lines = loaded_->lines, path = loaded_->path, folder = utf8(folder_),
                      unknown = from_unknown_] {
        const SteadyClock clock;
        auto replayed = replay_posted(*results->files, folder, *results->posted, utf8(QFileInfo(path).fileName()), lines->text(), unknown,
                                      clock, watch.get());
        if (replayed) {
            later([this, watch, replayed = *replayed] {
                if (!watch->stopped() && loaded_) {
                    loaded_->replayed = replayed;
                    collect_findings();
                    Q_EMIT loaded_changed();
                }
            });
        }
    });
}

void Workspace::drop_loaded()
{
    if (loading_) {
        loading_->stop = true;
    }
    if (loaded_) {
        watcher_.removePath(loaded_->path);
        loaded_.reset();
        collect_findings();
        Q_EMIT loaded_changed();
    }
}

void Workspace::watch_files(const SnapshotFiles& files)
{
    QStringList paths;
    for (const std::string& path : files.asked_for()) {
        paths.push_back(QString::fromStdString(path));
    }
    for (const auto& [path, text] : documents_.open_texts()) {
        paths.push_back(QString::fromStdString(path));
    }
    for (const char* sub :
         {"", "/jobs", "/setups", "/machines", "/overlays", "/controllers", "/dialects", "/posts", "/toolpaths", "/rulebooks"}) {
        paths.push_back((folder_.isEmpty() ? QStringLiteral("/nowhere") : folder_) + QLatin1String(sub));
    }
    if (results_ && !results_->assembly().post.rulebook.empty()) {
        paths.push_back(folder_ + QLatin1Char('/') + QString::fromStdString(results_->assembly().post.rulebook));
    }
    paths.erase(std::remove_if(paths.begin(), paths.end(), [](const QString& path) { return !QFileInfo::exists(path); }), paths.end());
    const QStringList had = watcher_.files() + watcher_.directories();
    for (const QString& path : had) {
        paths.removeAll(path);
    }
    if (!paths.isEmpty()) {
        watcher_.addPaths(paths);
    }
}

void Workspace::take_outside_changes()
{
    for (const auto& [path, text] : documents_.open_texts()) {
        const QString relative = QDir(folder_).relativeFilePath(QString::fromStdString(path));
        if (!documents_.take_from_disk(relative)) {
            Q_EMIT message(tr("%1 was changed outside; your unsaved edits stand. Save to keep them, or undo them and it is read again.")
                               .arg(relative));
        }
    }
    if (loaded_) {
        const QString path = loaded_->path;
        if (QFileInfo::exists(path)) {
            (void)load_code(path);
        }
    }
    Q_EMIT project_changed();
    // A file that has come or gone matters only where one was missing.
    if (files_changed_ || error_) {
        files_changed_ = false;
        ++texts_;
        if (!edits_pending_) {
            base_ = results_ ? results_->posted : nullptr; // what was changed outside is an edit as well
        }
        changed();
    }
}

void Workspace::collect_findings()
{
    findings_.clear();
    if (error_) {
        Finding finding = Finding::make(Severity::error, name_of(error_->kind), error_->message, error_->cure);
        finding.source = error_->place;
        finding.worst_source = error_->place;
        findings_.push_back({FoundAt::By::file, std::move(finding)});
    }
    if (results_) {
        for (const Finding& finding : results_->posted->run.findings.list()) {
            findings_.push_back({FoundAt::By::run, finding});
        }
        if (results_->replayed) {
            for (const Finding& finding : results_->replayed->report.findings.list()) {
                const auto told = [&](const FoundAt& found) {
                    const Finding& other = found.finding;
                    const bool same = other.message == finding.message && other.source.text() == finding.source.text();
                    const bool inside = finding.code.line > 0 && other.code.line <= finding.code.line &&
                                        finding.last_code_line <= other.last_code_line; // the same cause, seen twice
                    return found.by == FoundAt::By::run && other.kind == finding.kind && (same || inside);
                };
                if (std::none_of(findings_.begin(), findings_.end(), told)) {
                    findings_.push_back({FoundAt::By::replay, finding});
                }
            }
        }
        if (results_->contact) {
            for (const Finding& finding : results_->contact->findings.list()) {
                findings_.push_back({FoundAt::By::contact, finding});
            }
        }
    }
    if (loaded_ && loaded_->replayed) {
        for (const Finding& finding : loaded_->replayed->report.findings.list()) {
            findings_.push_back({FoundAt::By::loaded, finding});
        }
    }
    std::stable_sort(findings_.begin(), findings_.end(),
                     [](const FoundAt& a, const FoundAt& b) { return a.finding.severity > b.finding.severity; });
    Q_EMIT findings_changed();
}

} // namespace wexilum::app
