// A job posted and its code read back, or a program read by itself: in the background, each step's results as they come.
#pragma once

#include "app/models/background.hpp"
#include "app/models/job_results.hpp"

#include <QTimer>

#include <functional>
#include <optional>

namespace wexilum {
struct RunCache;
} // namespace wexilum

namespace wexilum::app {

/// What is to be run.
struct RunOrder {
    std::shared_ptr<const SnapshotFiles> files;
    std::string folder; ///< of the project
    QString name;       ///< of the job, or of the program's file
    std::optional<ReadFiles> reading;
    bool from_unknown = false;
    std::uint64_t revision = 0;
    double expected_records = 0;
    std::shared_ptr<const PostedJob> base;    ///< what the new program is compared with; may be null
    std::shared_ptr<const JobResults> before; ///< of the last run; may be null
};

class JobRun final : public QObject {
    Q_OBJECT
public:
    explicit JobRun(QObject* parent = nullptr);
    ~JobRun() override;

    /// Ends what is under way.
    void start(const RunOrder& order);
    void stop();
    [[nodiscard]] bool is_running() const { return running_; }
    /// Whether the last run was stopped by hand before it was done.
    [[nodiscard]] bool was_stopped() const { return stopped_; }
    [[nodiscard]] double progress() const; ///< 0 to 1
    [[nodiscard]] QString doing() const;   ///< what runs, in words; empty where nothing does
    /// Tells which lines of the code (from 0) are looked at: an edit shows them before the rest.
    void set_lines_in_sight(std::uint32_t first, std::uint32_t last) { in_sight_ = {first, last}; }

Q_SIGNALS:
    void started();
    /// Lines of the code that comes, as many as are in sight, before the whole is there.
    void previewed(std::uint32_t first, const std::shared_ptr<const LineTable>& lines);
    void posted(const std::shared_ptr<const JobResults>& results);   ///< the code is there
    void compared(const std::shared_ptr<const JobResults>& results); ///< with the program before the edits
    void replayed(const std::shared_ptr<const JobResults>& results); ///< it has been read back
    void failed(const Error& error, const std::shared_ptr<const SnapshotFiles>& files);
    void finished();   ///< nothing runs any more, whatever has come of it
    void progressed(); ///< now and then while something runs

private:
    using Watch = std::shared_ptr<RunWatch>;

    // On the thread.
    Status post(const RunOrder& order, const Watch& watch, std::pair<std::uint32_t, std::uint32_t> in_sight);
    Status replay(const RunOrder& order, const Watch& watch, JobResults results);
    Status read(const RunOrder& order, const Watch& watch);
    using Signal = void (JobRun::*)(const std::shared_ptr<const JobResults>&);
    void step(const Watch& watch, std::shared_ptr<const JobResults> results, Signal signal);

    void end();

    QTimer ticker_;
    RunOrder order_;
    std::pair<std::uint32_t, std::uint32_t> in_sight_{0, 0};
    std::unique_ptr<RunCache> cache_; ///< the thread's alone while something runs
    double expected_records_ = 0;
    bool running_ = false;
    bool replaying_ = false;
    bool stopped_ = false;
    Background background_; ///< ends before what its work needs
};

} // namespace wexilum::app
