#include "app/models/workspace.hpp"

#include "core/project/job_run.hpp"

#include <QFileInfo>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr int typing_pause_ms = 120; // after which a run follows what is typed
constexpr int burst_ms = 400;        // edits that come sooner after each other are typing
constexpr double bytes_a_record = 60;

} // namespace

Workspace::Workspace(QObject* parent) : QObject(parent)
{
    pause_.setSingleShot(true);
    pause_.setInterval(typing_pause_ms);
    connect(&pause_, &QTimer::timeout, this, &Workspace::run);
    connect(&documents(), &Documents::edited, this, &Workspace::edited);
    connect(&documents(), &Documents::saved, this, [this] { edits_pending_ = !documents().changed_paths().isEmpty(); });
    connect(project_, &ProjectFiles::opened, this, [this] {
        runs_->stop();
        results_.reset();
        reading_.reset();
        error_.reset();
        known_.clear();
        job_.clear();
        findings_.clear();
        compared_->drop();
    });
    connect(project_, &ProjectFiles::changed_outside, this, [this](bool read) {
        if (read || error_) { // a file that has come or gone matters only where one was missing
            ++texts_;
            if (!edits_pending_) {
                base_ = results_ ? results_->posted : nullptr; // what was changed outside is an edit as well
            }
            ++revision_;
            run();
        }
    });
    connect(runs_, &JobRun::posted, this, &Workspace::take_code);
    connect(runs_, &JobRun::compared, this, [this](const std::shared_ptr<const JobResults>& results) {
        results_ = results;
        Q_EMIT difference_changed();
    });
    connect(runs_, &JobRun::replayed, this, &Workspace::take_replay);
    connect(runs_, &JobRun::failed, this, [this](const Error& error, const std::shared_ptr<const SnapshotFiles>& files) {
        error_ = error;
        if (!reading_) {
            known_[job_] = {Known::failed, texts_};
        }
        project_->watch(*files, {});
        Q_EMIT failed();
        collect_findings();
    });
    connect(contact_, &ContactRun::found, this,
            [this](const std::shared_ptr<const JobResults>& before, const std::shared_ptr<const JobResults>& results) {
                if (results_ == before) {
                    results_ = results;
                    collect_findings();
                    Q_EMIT replay_changed();
                }
            });
    connect(compared_, &ComparedCode::changed, this, &Workspace::collect_findings);
    connect(compared_, &ComparedCode::wanted, this, [this] { compared_->replay(results_, project_->folder(), from_unknown_); });
}

Workspace::~Workspace() = default;

Status Workspace::open_project(const QString& folder)
{
    if (auto status = project_->open(folder); !status) {
        return status;
    }
    // The first one that is not there to fail.
    const QStringList all = project_->jobs();
    const auto first = std::find_if(all.begin(), all.end(), [](const QString& name) { return !name.startsWith(QLatin1String("fails-")); });
    if (!all.isEmpty()) {
        set_job(first != all.end() ? *first : all.first());
    } else {
        Q_EMIT job_changed();
        Q_EMIT findings_changed();
    }
    return {};
}

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
    Q_EMIT job_changed();
    compared_->drop();
    ++revision_;
    run();
}

void Workspace::read_code(const ReadFiles& files)
{
    compared_->drop();
    reading_ = files;
    job_ = QFileInfo(files.code).fileName();
    results_.reset();
    base_.reset();
    error_.reset();
    project_->forget_texts();
    project_->rescan();
    Q_EMIT job_changed();
    ++revision_;
    run();
}

void Workspace::rescan()
{
    project_->rescan();
    if (job_.isEmpty() && !project_->jobs().isEmpty()) {
        set_job(project_->jobs().first());
    } else if (error_) {
        ++revision_;
        run();
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
        ++revision_;
        run();
    }
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

void Workspace::run()
{
    if (job_.isEmpty()) {
        return;
    }
    pause_.stop();
    contact_->stop();
    const double records = results_ ? double(results_->posted->records.size()) : project_->toolpath_bytes() / bytes_a_record;
    runs_->start(
        {project_->snapshot(), project_->folder().toStdString(), job_, reading_, from_unknown_, revision_, records, base_, results_});
}

/// The replay of before belongs to another code: there is none until it has been read back.
void Workspace::take_code(const std::shared_ptr<const JobResults>& results)
{
    results_ = results;
    error_.reset();
    project_->watch(*results->files, QString::fromStdString(results->reading ? "" : results->assembly().post.rulebook));
    collect_findings();
    Q_EMIT code_changed();
}

void Workspace::take_replay(const std::shared_ptr<const JobResults>& results)
{
    results_ = results;
    if (!results->reading) {
        known_[job_] = {results->replayed->proven() ? Known::proven : Known::failed, texts_};
    }
    collect_findings();
    Q_EMIT replay_changed();
    for (const std::string& remark : results->remarks) {
        Q_EMIT project_->message(QString::fromStdString(remark));
    }
    compared_->replay(results_, project_->folder(), from_unknown_);
}

void Workspace::collect_findings()
{
    findings_ = all_findings(error_ ? &*error_ : nullptr, results_.get(), compared_->loaded() ? &*compared_->loaded() : nullptr);
    Q_EMIT findings_changed();
}

} // namespace wexilum::app
