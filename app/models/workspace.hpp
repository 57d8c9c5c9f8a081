// The project that is open and the job that is looked at: runs it after every change and keeps the last good results.
#pragma once

#include "app/models/compared_code.hpp"
#include "app/models/contact_run.hpp"
#include "app/models/job_run.hpp"
#include "app/models/project_files.hpp"
#include "app/models/questions.hpp"

#include <QElapsedTimer>

namespace wexilum::app {

class Workspace final : public QObject {
    Q_OBJECT
public:
    explicit Workspace(QObject* parent = nullptr);
    ~Workspace() override;

    /// Opens a project folder; what was open before stays where that fails. Starts to run its first job.
    Status open_project(const QString& folder);
    [[nodiscard]] ProjectFiles& project() const { return *project_; }
    [[nodiscard]] Documents& documents() const { return project_->documents(); }
    /// Files have come or gone: looks again, and runs the job where one was missing.
    void rescan();
    /// What is known of a job since the project was opened.
    enum class Known { not_run, proven, failed, stale };
    [[nodiscard]] Known known(const QString& job) const;
    [[nodiscard]] const QString& job() const { return job_; }
    void set_job(const QString& job);
    /// Reads a program by itself, in place of a job, until a job is chosen or a project opened; needs no project. What comes of it is
    /// in results() as that of a job is; what can't be read is reported by failed().
    void read_code(const ReadFiles& files);
    /// Nothing while a job is looked at.
    [[nodiscard]] const std::optional<ReadFiles>& reading() const { return reading_; }

    /// Null until a first run has come so far.
    [[nodiscard]] const std::shared_ptr<const JobResults>& results() const { return results_; }
    /// Why the last run did not come to code; the results are then those of an earlier one.
    [[nodiscard]] const std::optional<Error>& error() const { return error_; }
    [[nodiscard]] const std::vector<FoundAt>& findings() const { return findings_; }
    /// Whether code, or replay, are of an earlier state than what is in the files and the window.
    [[nodiscard]] bool is_code_old() const { return !results_ || results_->revision != revision_; }
    [[nodiscard]] bool is_replay_old() const { return is_code_old() || !results_->replayed; }

    void run(); ///< anew, ending a run that is under way
    [[nodiscard]] JobRun& runs() const { return *runs_; }
    [[nodiscard]] bool from_unknown() const { return from_unknown_; }
    void set_from_unknown(bool on);

    /// Of what meets what; found in results(); replay_changed() follows.
    [[nodiscard]] ContactRun& contact() const { return *contact_; }
    [[nodiscard]] Questions& questions() const { return *questions_; }
    /// A code file from outside beside the job's.
    [[nodiscard]] ComparedCode& compared() const { return *compared_; }

Q_SIGNALS:
    void job_changed();        ///< another job is looked at; its results are still to come
    void code_changed();       ///< results() has new code
    void difference_changed(); ///< results() has a new difference to the program before the edits
    void replay_changed();     ///< results() has a new replay
    void failed();             ///< error() says why
    void findings_changed();

private:
    void edited();
    void take_code(const std::shared_ptr<const JobResults>& results);
    void take_replay(const std::shared_ptr<const JobResults>& results);
    void collect_findings();

    // Its children.
    ProjectFiles* const project_ = new ProjectFiles(this);
    JobRun* const runs_ = new JobRun(this);
    ContactRun* const contact_ = new ContactRun(this);
    Questions* const questions_ = new Questions(this);
    ComparedCode* const compared_ = new ComparedCode(this);

    QString job_;
    std::optional<ReadFiles> reading_;
    QTimer pause_; ///< in typing
    QElapsedTimer last_edit_;
    std::shared_ptr<const JobResults> results_;
    std::shared_ptr<const PostedJob> base_; ///< before the edits that have not been saved
    bool edits_pending_ = false;            ///< some have been made since base_ was taken
    std::optional<Error> error_;
    std::vector<FoundAt> findings_;
    std::map<QString, std::pair<Known, std::uint64_t>> known_; ///< with the revision in which it was found
    std::uint64_t texts_ = 1;                                  ///< revision of the project's files and edits
    std::uint64_t revision_ = 1;
    bool from_unknown_ = false;
};

} // namespace wexilum::app
