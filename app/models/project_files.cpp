#include "app/models/project_files.hpp"

#include "core/project/project.hpp"

#include <QDir>
#include <QFileInfo>

namespace wexilum::app {

ProjectFiles::ProjectFiles(QObject* parent) : QObject(parent)
{
    outside_.setSingleShot(true);
    outside_.setInterval(settle_ms);
    connect(&outside_, &QTimer::timeout, this, &ProjectFiles::take_outside_changes);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] {
        read_changed_ = true;
        outside_.start();
    });
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, &outside_, qOverload<>(&QTimer::start));
}

Status ProjectFiles::open(const QString& folder)
{
    const QString clean = QDir::cleanPath(folder);
    RealFileSystem files;
    files.recover(clean.toStdString());
    auto text = files.read_all((clean + QStringLiteral("/project.json")).toStdString(), json::max_bytes);
    if (!text) {
        return Error{ErrorKind::unreadable,
                     "this folder has no project.json that can be read",
                     {(clean + QStringLiteral("/project.json")).toStdString(), 0, 0},
                     "choose a folder that holds a project: project.json beside machines/, jobs/ and the others"};
    }
    auto document = json::Document::parse(std::move(*text), "project.json");
    auto project = document ? read_project(*document) : Result<Project>(document.error());
    if (!project) {
        return project.error();
    }
    folder_ = clean;
    name_ = QString::fromStdString(project->name);
    documents_.set_folder(clean);
    forget_texts();
    Q_EMIT opened();
    Q_EMIT changed();
    return {};
}

QStringList ProjectFiles::files_in(const QString& subfolder, const QString& suffix) const
{
    QStringList out;
    const QDir folder(folder_ + QLatin1Char('/') + subfolder);
    if (suffix.startsWith(QLatin1Char('/'))) { // a file in each folder
        for (const QString& name : folder.entryList(QDir::Dirs | QDir::NoDotAndDotDot)) {
            if (QFileInfo::exists(folder.filePath(name) + suffix)) {
                out.push_back(name + suffix);
            }
        }
        return out;
    }
    for (const QString& one : suffix.split(QLatin1Char(' '))) {
        for (const std::string& name : RealFileSystem().list(folder.path().toStdString(), one.toStdString())) {
            out.push_back(QString::fromStdString(name));
        }
    }
    return out;
}

QStringList ProjectFiles::jobs() const
{
    QStringList out;
    for (const std::string& name : job_names(RealFileSystem(), folder_.toStdString())) {
        out.push_back(QString::fromStdString(name));
    }
    return out;
}

double ProjectFiles::toolpath_bytes() const
{
    double out = 0;
    for (const QString& name : files_in(QStringLiteral("toolpaths"), QLatin1String(toolpath_endings))) {
        out += double(QFileInfo(folder_ + QStringLiteral("/toolpaths/") + name).size());
    }
    return out;
}

std::shared_ptr<const SnapshotFiles> ProjectFiles::snapshot() const
{
    return std::make_shared<const SnapshotFiles>(documents_.open_texts(), kept_);
}

void ProjectFiles::watch(const SnapshotFiles& files, const QString& other)
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
    if (!other.isEmpty()) {
        paths.push_back(folder_ + QLatin1Char('/') + other);
    }
    paths.erase(std::remove_if(paths.begin(), paths.end(), [](const QString& path) { return !QFileInfo::exists(path); }), paths.end());
    for (const QString& path : watcher_.files() + watcher_.directories()) {
        paths.removeAll(path);
    }
    if (!paths.isEmpty()) {
        watcher_.addPaths(paths);
    }
}

void ProjectFiles::take_outside_changes()
{
    for (const auto& [path, text] : documents_.open_texts()) {
        const QString relative = QDir(folder_).relativeFilePath(QString::fromStdString(path));
        if (!documents_.take_from_disk(relative)) {
            Q_EMIT message(tr("%1 was changed outside; your unsaved edits are kept. Save to keep them, or undo them and it is read again.")
                               .arg(relative));
        }
    }
    Q_EMIT changed();
    Q_EMIT changed_outside(std::exchange(read_changed_, false));
}

} // namespace wexilum::app
