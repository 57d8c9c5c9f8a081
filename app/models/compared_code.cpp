#include "app/models/compared_code.hpp"

#include "app/models/project_files.hpp"
#include "app/models/snapshot_files.hpp"
#include "core/io/real_files.hpp"
#include "core/project/job_run.hpp"

#include <QFileInfo>

namespace wexilum::app {

ComparedCode::ComparedCode(QObject* parent) : QObject(parent), background_(*this)
{
    outside_.setSingleShot(true);
    outside_.setInterval(ProjectFiles::settle_ms);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, &outside_, qOverload<>(&QTimer::start));
    connect(&outside_, &QTimer::timeout, this, [this] {
        if (loaded_ && QFileInfo::exists(loaded_->path)) {
            (void)load(QString(loaded_->path));
        }
    });
}

Status ComparedCode::load(const QString& path)
{
    const RealFileSystem files;
    auto text = files.read_all(path.toStdString(), std::size_t{2} << 30);
    if (!text) {
        return text.error();
    }
    if (loaded_ && loaded_->path != path) {
        watcher_.removePath(loaded_->path);
    }
    loaded_ = LoadedCode{path, std::make_shared<const LineTable>(std::move(*text)), nullptr};
    watcher_.addPath(path);
    Q_EMIT changed();
    Q_EMIT wanted();
    return {};
}

void ComparedCode::drop()
{
    background_.stop();
    if (loaded_) {
        watcher_.removePath(loaded_->path);
        loaded_.reset();
        Q_EMIT changed();
    }
}

void ComparedCode::replay(const std::shared_ptr<const JobResults>& results, const QString& folder, bool from_unknown)
{
    background_.stop();
    if (!results || results->reading || !loaded_) {
        return;
    }
    background_.start([this, results, lines = loaded_->lines, path = loaded_->path, folder = folder.toStdString(),
                       from_unknown](const std::shared_ptr<RunWatch>& watch) {
        const SteadyClock clock;
        auto replayed = replay_posted(*results->files, folder, *results->posted, QFileInfo(path).fileName().toStdString(), lines->text(),
                                      from_unknown, clock, watch.get());
        if (replayed) {
            background_.later(watch, [this, watch, report = *replayed] {
                if (loaded_ && !watch->stopped()) {
                    loaded_->replayed = report;
                    Q_EMIT changed();
                }
            });
        }
    });
}

} // namespace wexilum::app
