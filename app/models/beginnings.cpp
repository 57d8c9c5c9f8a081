#include "app/models/beginnings.hpp"

#include "app/models/workspace.hpp"
#include "core/job/assembly.hpp"
#include "core/project/job_run.hpp"

#include <QCoreApplication>
#include <QDir>
#include <QDirIterator>
#include <QFileInfo>

namespace wexilum::app {
namespace {

/// Several files at once, each with its folder from `folder` on.
Status write_all(const QString& folder, const std::vector<FirstFile>& list)
{
    RealFileSystem files;
    const auto set = files.begin_files();
    for (const FirstFile& file : list) {
        const QString path = folder + QLatin1Char('/') + QString::fromStdString(file.path);
        if (!QDir().mkpath(QFileInfo(path).absolutePath())) {
            return Error{ErrorKind::unreadable,
                         "the folder can't be made",
                         {QFileInfo(path).absolutePath().toStdString(), 0, 0},
                         "choose one that can be written to"};
        }
        const auto sink = set->add(path.toStdString());
        if (const Status status = sink ? (*sink)->write(file.text) : Status(sink.error()); !status) {
            return status;
        }
    }
    return set->commit();
}

Error taken(const QString& path) { return {ErrorKind::value, path.toStdString() + " is there already", {}, "type another name"}; }

/// The first file of a folder of the project, with its folder; empty where there is none.
std::string first_of(const Workspace& workspace, const char* folder, const char* ending)
{
    const QStringList all = workspace.project().files_in(QLatin1String(folder), QLatin1String(ending));
    return all.isEmpty() ? std::string() : std::string(folder) + "/" + all.first().toStdString();
}

} // namespace

bool Beginnings::is_empty(const QString& folder)
{
    const QDir dir(folder);
    return dir.exists() && dir.isEmpty(QDir::AllEntries | QDir::NoDotAndDotDot | QDir::Hidden | QDir::System);
}

Status Beginnings::project_in(const QString& folder)
{
    if (QFileInfo::exists(folder) && !is_empty(folder)) {
        return Error{ErrorKind::value,
                     "the folder is not empty",
                     {folder.toStdString(), 0, 0},
                     "choose an empty one, or type the name of a new one"};
    }
    return write_all(folder, first_project(QFileInfo(folder).fileName().toStdString()));
}

Status Beginnings::empty_project_in(const QString& folder)
{
    return write_all(folder, {{"project.json", project_head(QFileInfo(folder).fileName().toStdString())}});
}

QString Beginnings::demo_folder()
{
    QDir at(QCoreApplication::applicationDirPath());
    do {
        if (const QString found = at.filePath(QStringLiteral("demo/observatory"));
            QFileInfo::exists(found + QStringLiteral("/project.json"))) {
            return found;
        }
    } while (at.cdUp());
    return {};
}

Status Beginnings::demo_in(const QString& folder)
{
    const QString demo = demo_folder();
    if (demo.isEmpty()) {
        return Error{ErrorKind::unreadable, "the demo is not beside the program", {}, "open it where the sources are: demo/observatory"};
    }
    if (QFileInfo::exists(folder)) {
        return taken(folder);
    }
    const auto failed = [&](const QString& path) {
        return Error{ErrorKind::unreadable, "the copy can't be written", {path.toStdString(), 0, 0}, "make room, or choose another folder"};
    };
    QDirIterator all(demo, QDir::Files, QDirIterator::Subdirectories);
    while (all.hasNext()) {
        const QString from = all.next();
        const QString inside = QDir(demo).relativeFilePath(from);
        if (inside.startsWith(QStringLiteral("out/"))) {
            continue;
        }
        const QString to = folder + QLatin1Char('/') + inside;
        if (!QDir().mkpath(QFileInfo(to).absolutePath()) || !QFile::copy(from, to)) {
            return failed(to);
        }
        QFile::setPermissions(to, QFile::permissions(to) | QFile::WriteOwner);
    }
    return {};
}

FirstParts Beginnings::parts() const
{
    FirstParts out;
    if (const auto& results = workspace_.results()) {
        const Assembly& a = results->assembly();
        out = {a.post.machine, a.post.controller, a.post.dialect, a.job.post, a.job.setup, {}, &a.machine};
        out.toolpath = results->posted->toolpaths.empty() ? std::string() : results->posted->toolpaths.front();
        return out;
    }
    out.machine = first_of(workspace_, "machines", ".json");
    out.controller = first_of(workspace_, "controllers", ".json");
    out.dialect = first_of(workspace_, "dialects", ".json");
    out.post = first_of(workspace_, "posts", ".json");
    out.setup = first_of(workspace_, "setups", ".json");
    out.toolpath = first_of(workspace_, "toolpaths", toolpath_endings);
    return out;
}

Result<QString> Beginnings::file(FirstKind kind, const QString& name)
{
    FirstParts named = parts();
    // A setup is for a machine, which it is drawn by; the first where no job is looked at.
    Machine machine;
    if (kind == FirstKind::setup && named.drawn == nullptr && !named.machine.empty()) {
        const std::string path = workspace_.project().folder().toStdString() + "/" + named.machine;
        auto text = RealFileSystem().read_all(path, json::max_bytes);
        auto document = text ? json::Document::parse(std::move(*text), named.machine) : Result<json::Document>(text.error());
        if (auto read = document ? read_machine(*document) : Result<Machine>(document.error())) {
            machine = std::move(*read);
            named.drawn = &machine;
        }
    }
    const auto made = first_file(kind, name.trimmed().toStdString(), named);
    if (!made) {
        return made.error();
    }
    const QString path = QString::fromStdString(made->path);
    if (QFileInfo::exists(workspace_.project().folder() + QLatin1Char('/') + path)) {
        return taken(path);
    }
    if (const Status status = write_all(workspace_.project().folder(), {*made}); !status) {
        return status.error();
    }
    workspace_.rescan();
    return path;
}

Result<QString> Beginnings::toolpath(const QString& path)
{
    const QString inside = QStringLiteral("toolpaths/") + QFileInfo(path).fileName();
    if (QFileInfo::exists(workspace_.project().folder() + QLatin1Char('/') + inside)) {
        return taken(inside);
    }
    auto text = RealFileSystem().read_all(path.toStdString(), std::size_t{1} << 31);
    if (!text) {
        return text.error();
    }
    if (const Status status = write_all(workspace_.project().folder(), {{inside.toStdString(), std::move(*text)}}); !status) {
        return status.error();
    }
    workspace_.rescan();
    return inside;
}

} // namespace wexilum::app
