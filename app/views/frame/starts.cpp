#include "app/views/frame/starts.hpp"

#include "app/models/workspace.hpp"
#include "core/io/real_files.hpp"
#include "core/project/job_run.hpp"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QStandardPaths>

namespace wexilum::app {

void Starts::project()
{
    QInputDialog dialog(&window_);
    dialog.setObjectName(QStringLiteral("new-project"));
    dialog.setWindowTitle(tr("New project"));
    dialog.setLabelText(tr("Folder of the new project, empty or not there yet:"));
    dialog.setTextValue(QDir::homePath() + QStringLiteral("/first-project"));
    dialog.resize(520, dialog.sizeHint().height());
    if (dialog.exec() != QDialog::Accepted || dialog.textValue().trimmed().isEmpty()) {
        return;
    }
    const QString folder = QDir::cleanPath(QDir::home().absoluteFilePath(dialog.textValue().trimmed()));
    if (const Status status = Beginnings::project_in(folder); !status) {
        Q_EMIT reported(QString::fromStdString(status.error().text()));
        return;
    }
    Q_EMIT open_wanted(folder);
}

void Starts::demo()
{
    const QString documents = QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation);
    const QString folder = documents + QStringLiteral("/wexilum-demo");
    if (!QFileInfo::exists(folder + QStringLiteral("/project.json"))) {
        if (const Status status = Beginnings::demo_in(folder); !status) {
            Q_EMIT reported(QString::fromStdString(status.error().text()));
            return;
        }
    }
    Q_EMIT open_wanted(folder);
    Q_EMIT reported(tr("The demo lies in %1: change what you like.").arg(folder));
}

void Starts::file(FirstKind kind)
{
    const QString what = tr(name_of(kind));
    QInputDialog dialog(&window_);
    dialog.setObjectName(QStringLiteral("new-file"));
    dialog.setWindowTitle(tr("New %1").arg(what));
    dialog.setLabelText(tr("Name of the new %1:").arg(what));
    if (dialog.exec() != QDialog::Accepted) {
        return;
    }
    const QString name = dialog.textValue();
    const auto path = beginnings_.file(kind, name);
    if (!path) {
        Q_EMIT reported(QString::fromStdString(path.error().text()));
        return;
    }
    if (kind == FirstKind::job) {
        workspace_.set_job(QFileInfo(*path).completeBaseName());
    }
    Q_EMIT file_wanted(*path);
    if (kind == FirstKind::rulebook) {
        Q_EMIT reported(tr("Name it in a post: \"rulebook\": \"%1\"").arg(QFileInfo(*path).path()));
    } else if (kind == FirstKind::machine) {
        Q_EMIT reported(tr("Use it in a post: \"machine\": \"%1\"").arg(*path));
    }
}

void Starts::toolpath(const QString& path)
{
    const auto inside = beginnings_.toolpath(path);
    if (!inside) {
        Q_EMIT reported(QString::fromStdString(inside.error().text()));
        return;
    }
    Q_EMIT reported(tr("%1 is in the project: name it in an operation of a job, \"toolpath\": \"%1\"").arg(*inside));
    Q_EMIT file_wanted(*inside);
}

void Starts::save_code()
{
    const auto& results = workspace_.results();
    if (!results) {
        return;
    }
    if (results->posted->run.findings.has_errors()) {
        Q_EMIT reported(tr("The code has errors, so it is not written: see the findings."));
        return;
    }
    const QString path = QFileDialog::getSaveFileName(&window_, tr("Save the code"),
                                                      workspace_.project().folder() + QStringLiteral("/out/") +
                                                          QString::fromStdString(results->posted->code_name));
    if (path.isEmpty()) {
        return;
    }
    RealFileSystem files;
    const auto set = files.begin_files();
    auto file = set->add(path.toStdString());
    Status status = file ? (*file)->write(results->posted->code.lines().text()) : Status(file.error());
    status = status ? set->commit() : status;
    Q_EMIT reported(status ? tr("Written: %1").arg(path) : QString::fromStdString(status.error().text()));
}

} // namespace wexilum::app
