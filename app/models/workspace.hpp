// One project and the job that is looked at: runs it in the background after every change and keeps the last good results.
#pragma once

#include "app/models/documents.hpp"
#include "core/base/finding.hpp"
#include "core/project/path_state.hpp"
#include "core/rules/rule_counts.hpp"

#include <QElapsedTimer>
#include <QFileSystemWatcher>
#include <QObject>
#include <QStringList>
#include <QThreadPool>
#include <QTimer>

#include <memory>
#include <optional>
#include <vector>

namespace wexilum {
struct Assembly;
struct BlockTrace;
struct CodeReading;
struct ContactReport;
struct ControlState;
class LineTable;
struct PostedJob;
struct ProgramDiff;
struct ReplayedCode;
struct RunCache;
struct RunWatch;
} // namespace wexilum

namespace wexilum::app {

struct PathPaint;
struct PathShape;

/// What is known of a job that has been run. Immutable, shared between threads.
struct JobResults {
    std::shared_ptr<const SnapshotFiles> files;
    std::shared_ptr<const PostedJob> posted;
    std::vector<std::shared_ptr<const LineTable>> toolpaths; ///< text of each file that records point into; may hold null
    std::shared_ptr<const ReplayedCode> replayed;            ///< null until the code has been read back
    std::vector<PathState> states;                           ///< one a motion of the replay
    RuleLineCounts rule_lines;                               ///< how often each line of the rulebook ran; with the replay
    std::shared_ptr<const PathShape> shape;                  ///< of its path, and
    std::shared_ptr<const PathPaint> paint;                  ///< its colours by state; with the replay
    std::shared_ptr<const ContactReport> contact;            ///< null until somebody has asked for it
    std::shared_ptr<const CodeReading> reading;              ///< of a program that is read by itself; null for a job
    std::shared_ptr<const PostedJob> base;   ///< before the unsaved edits; null without any, or where the path is another one
    std::shared_ptr<const ProgramDiff> diff; ///< from that to this; null without, and until it has been made

    [[nodiscard]] const Assembly& assembly() const;
};

/// A code file from outside, compared with the job's toolpath.
struct LoadedCode {
    QString path;
    std::shared_ptr<const LineTable> lines;
    std::shared_ptr<const ReplayedCode> replayed; ///< null until it has been read
};

/// A program that is read by itself, and what it is read with; absolute paths.
struct ReadFiles {
    QString code;
    QString machine;
    QString controller;
    QString setup; ///< empty: none
};

/// A finding and what found it.
struct FoundAt {
    enum class By { file, run, replay, contact, loaded };
    By by = By::run;
    Finding finding;

    /// Whether its lines of code are those of the posted program; of a compared file they are its own.
    [[nodiscard]] bool in_posted_code() const { return by != By::loaded; }
};

class Workspace final : public QObject {
    Q_OBJECT
public:
    explicit Workspace(QObject* parent = nullptr);
    ~Workspace() override;

    /// Opens a project folder; what was open before stays where that fails. Starts to run its first job.
    Status open_project(const QString& folder);
    [[nodiscard]] const QString& folder() const { return folder_; }
    [[nodiscard]] const QString& project_name() const { return project_name_; }
    /// Names of the files of a folder with that ending; with "/name" those of its folders that hold such a file, and it.
    [[nodiscard]] QStringList files_in(const QString& subfolder, const QString& suffix) const;
    [[nodiscard]] QStringList jobs() const;
    /// Files have come or gone: looks again, and runs the job where one was missing.
    void rescan();
    /// What is known of a job since the project was opened.
    enum class Known { not_run, proven, failed, stale };
    [[nodiscard]] Known known(const QString& job) const;
    [[nodiscard]] const QString& job() const { return job_; }
    void set_job(const QString& job);
    /// Reads a program by itself, in place of a job, until a job is chosen or a project opened; needs no project. What comes of it is
    /// in results() as that of a job is; what can't be read is told by failed().
    void read_code(const ReadFiles& files);
    /// Nothing while a job is looked at.
    [[nodiscard]] const std::optional<ReadFiles>& reading() const { return reading_; }
    /// Paths from the project's folder of what the job is made of; empty where nothing was read yet.
    [[nodiscard]] QString setup_path() const;

    [[nodiscard]] Documents& documents() { return documents_; }
    /// Null until a first run has come so far.
    [[nodiscard]] const std::shared_ptr<const JobResults>& results() const { return results_; }
    /// Why the last run did not come to code; the results are then those of an earlier one.
    [[nodiscard]] const std::optional<Error>& error() const { return error_; }
    [[nodiscard]] const std::vector<FoundAt>& findings() const { return findings_; }

    [[nodiscard]] bool is_running() const { return running_; }
    /// Whether code, or replay, are of an earlier state than what is in the files and the window.
    [[nodiscard]] bool is_code_old() const { return code_revision_ != revision_; }
    [[nodiscard]] bool is_replay_old() const { return replay_revision_ != revision_; }
    /// Whether the last run was stopped by hand before it was done.
    [[nodiscard]] bool was_stopped() const { return stopped_; }
    [[nodiscard]] double progress() const; ///< 0 to 1
    [[nodiscard]] QString doing() const;   ///< what runs, in words; empty where nothing does

    void run();  ///< anew, ending a run that is under way
    void stop(); ///< the run under way

    /// Looks along the posted code for what meets what; contact_changed() tells when it begins, and when results() has it, or it has
    /// ended otherwise. Nothing happens without a replay.
    void check_contact();
    void stop_contact();
    [[nodiscard]] bool is_checking_contact() const { return checking_ != nullptr; }
    [[nodiscard]] double contact_progress() const; ///< 0 to 1
    /// Why the last check did not end; empty where it did.
    [[nodiscard]] const QString& contact_problem() const { return contact_problem_; }

    [[nodiscard]] bool from_unknown() const { return from_unknown_; }
    void set_from_unknown(bool on);

    /// Tells which lines of the code (from 0) are looked at: an edit shows them before the rest.
    void set_lines_in_sight(std::uint32_t first, std::uint32_t last) { in_sight_ = {first, last}; }

    /// Asks why a block (from 1) is as it is; traced() tells, or of a program that is read by itself state_told(). A later question
    /// replaces an earlier one.
    void ask(std::uint32_t block);

    /// Asks for the value of an expression of Lua at a record; evaluated() tells. A later question replaces an earlier one.
    void evaluate(std::uint32_t record, const QString& expression);

    /// Reads and replays a code file; loaded_changed() tells when it is there.
    Status load_code(const QString& path);
    void drop_loaded();
    [[nodiscard]] const std::optional<LoadedCode>& loaded() const { return loaded_; }

Q_SIGNALS:
    void project_changed();
    void job_changed();  ///< another job is looked at; its results are still to come
    void started();      ///< a run begins
    void code_changed(); ///< results() has new code
    /// Lines of the code that comes, as many as are in sight, before results() has the whole.
    void code_previewed(std::uint32_t first, const std::shared_ptr<const LineTable>& lines);
    void difference_changed(); ///< results() has a new difference to the program before the edits
    void replay_changed();     ///< results() has a new replay
    void failed();             ///< error() says why
    void finished();           ///< nothing runs any more
    void progressed();         ///< now and then while something runs
    void findings_changed();
    void contact_changed();
    void traced(const std::shared_ptr<const BlockTrace>& trace);
    void state_told(std::uint32_t block, const std::shared_ptr<const ControlState>& state); ///< null: the program does not come to it
    void evaluated(const QString& text, bool fine);
    void loaded_changed();
    void message(const QString& text); ///< for the status line

private:
    void changed(); ///< something a run depends on is different now
    void begin_run();
    void end_run(const Error& error, const SnapshotFiles& files);
    void run_reading();
    void ask_state(std::uint32_t block);
    void edited();
    void take_outside_changes();
    void watch_files(const SnapshotFiles& files);
    void collect_findings();
    void replay_loaded();
    /// Runs `work` in this object's thread, after what is under way there.
    template <typename F>
    void later(F work)
    {
        QMetaObject::invokeMethod(this, std::move(work), Qt::QueuedConnection);
    }

    QString folder_;
    QString project_name_;
    QString job_;
    std::optional<ReadFiles> reading_;
    Documents documents_;
    QFileSystemWatcher watcher_;
    QTimer outside_;
    QTimer pause_; ///< in typing
    QElapsedTimer last_edit_;
    QTimer ticker_;
    QThreadPool pool_;
    QThreadPool questions_;
    QThreadPool checks_;
    std::shared_ptr<RunWatch> watch_;
    std::shared_ptr<RunWatch> question_;
    std::shared_ptr<RunWatch> expression_;
    std::shared_ptr<RunWatch> loading_;
    std::shared_ptr<RunWatch> checking_; ///< contact; null where nothing is checked
    QString contact_problem_;
    std::shared_ptr<const JobResults> results_;
    std::shared_ptr<KeptTexts> kept_ = std::make_shared<KeptTexts>();
    std::pair<std::uint32_t, std::uint32_t> in_sight_{0, 0};
    std::shared_ptr<const PostedJob> base_; ///< before the edits that have not been saved
    bool edits_pending_ = false;            ///< some have been made since base_ was taken
    std::unique_ptr<RunCache> cache_;       ///< the pool's alone while something runs
    std::optional<Error> error_;
    std::optional<LoadedCode> loaded_;
    std::vector<FoundAt> findings_;
    std::map<QString, std::pair<Known, std::uint64_t>> known_; ///< with the revision in which it was found
    std::uint64_t texts_ = 1;                                  ///< revision of the project's files and edits
    std::uint64_t revision_ = 1;
    std::uint64_t code_revision_ = 0;
    std::uint64_t replay_revision_ = 0;
    std::uint64_t run_number_ = 0;
    double expected_records_ = 0;
    bool running_ = false;
    bool replaying_ = false;
    bool stopped_ = false;
    bool from_unknown_ = false;
    bool files_changed_ = false; ///< one that a run has read
};

} // namespace wexilum::app
