// A code file from outside the project beside the job's own code: read and replayed against the job's toolpath, again whenever it changes.
#pragma once

#include "app/models/background.hpp"
#include "app/models/job_results.hpp"

#include <QFileSystemWatcher>
#include <QTimer>

#include <optional>

namespace wexilum::app {

class ComparedCode final : public QObject {
    Q_OBJECT
public:
    explicit ComparedCode(QObject* parent = nullptr);

    /// Reads a file; the one before stays where that fails. changed() follows; wanted() asks for replay().
    Status load(const QString& path);
    void drop();
    [[nodiscard]] const std::optional<LoadedCode>& loaded() const { return loaded_; }
    /// Replays it against a job; changed() follows when that is there. Nothing happens without a file or results, or where these are of a
    /// program that is read by itself.
    void replay(const std::shared_ptr<const JobResults>& results, const QString& folder, bool from_unknown);

Q_SIGNALS:
    void changed();
    void wanted();

private:
    std::optional<LoadedCode> loaded_;
    QFileSystemWatcher watcher_;
    QTimer outside_;
    Background background_;
};

} // namespace wexilum::app
