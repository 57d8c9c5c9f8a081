// What the window opens: projects, programs, and what is dropped on it.
#include "app/views/frame/main_window.hpp"
#include "app/views/frame/read_code_dialog.hpp"

#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMimeData>

namespace wexilum::app {
namespace {

constexpr int most_recent = 8;

} // namespace

bool MainWindow::open(const QString& folder)
{
    const QString path = QFileInfo(folder).absoluteFilePath();
    if (!guard_.may_leave()) {
        return false;
    }
    if (Beginnings::is_empty(path)) {
        (void)Beginnings::empty_project_in(path); // opening it reports what went wrong
    }
    if (const Status status = workspace_.open_project(path); !status) {
        show_message(QString::fromStdString(status.error().text()));
        return false;
    }
    message_->setVisible(false);
    recent_.removeAll(path);
    recent_.push_front(path);
    while (recent_.size() > most_recent) {
        recent_.removeLast();
    }
    renew_recent();
    guard_.begin(workspace_.project().folder());
    return true;
}

void MainWindow::keep_edits_in(const QString& folder)
{
    guard_.keep_in(folder);
    QStringList projects;
    for (const LeftEdits& left : guard_.left()) {
        projects.push_back(left.project);
    }
    projects.removeDuplicates();
    if (!projects.isEmpty()) {
        show_message(
            tr("Wexilum ended before some edits were saved. Open the project to have them: %1").arg(projects.join(QStringLiteral(", "))));
    }
}

void MainWindow::renew_start()
{
    const bool none = workspace_.project().folder().isEmpty() && !workspace_.reading();
    shelf_box_->setVisible(!workspace_.project().folder().isEmpty() && shelf_action_->isChecked());
    start_->setVisible(none);
    strip_->setVisible(!none);
    down_->setVisible(!none);
    for (QAction* action : begin_actions_) {
        action->setEnabled(!workspace_.project().folder().isEmpty());
    }
    show_station(station_);
}

void MainWindow::read_code(const ReadFiles& files)
{
    read_before_ = files;
    workspace_.read_code(files);
    show_station(Station::code);
}

void MainWindow::read_by_dialog(const QString& code)
{
    ReadFiles before = workspace_.reading().value_or(read_before_);
    before.code = code.isEmpty() ? before.code : code;
    ReadCodeDialog dialog(workspace_, before, this);
    if (dialog.exec() == QDialog::Accepted) {
        read_code(dialog.files());
    }
}

void MainWindow::open_by_dialog()
{
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Open a project's folder"), workspace_.project().folder());
    if (!folder.isEmpty()) {
        open(folder);
    }
}

void MainWindow::renew_recent()
{
    recent_menu_->clear();
    start_->set_recent(recent_);
    for (const QString& folder : recent_) {
        recent_menu_->addAction(folder, this, [this, folder] { open(folder); });
    }
    recent_menu_->setEnabled(!recent_.isEmpty());
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (!guard_.may_leave()) {
        event->ignore();
        return;
    }
    guard_.forget();
    if (remember_) {
        write_settings();
    }
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasUrls()) {
        event->acceptProposedAction();
    }
}

void MainWindow::dropEvent(QDropEvent* event)
{
    for (const QUrl& url : event->mimeData()->urls()) {
        if (url.isLocalFile()) {
            drop(url.toLocalFile());
        }
    }
    event->acceptProposedAction();
}

void MainWindow::drop(const QString& path)
{
    const QFileInfo info(path);
    if (info.isDir() || info.fileName() == QStringLiteral("project.json")) {
        open(info.isDir() ? path : info.absolutePath());
    } else if (path.startsWith(workspace_.project().folder() + QLatin1Char('/')) && !info.absolutePath().endsWith(QStringLiteral("/out"))) {
        const QString inside = path.mid(workspace_.project().folder().size() + 1);
        if (inside.startsWith(QStringLiteral("jobs/"))) {
            workspace_.set_job(info.completeBaseName());
        } else {
            show_file(inside);
        }
    } else if (info.suffix().compare(QStringLiteral("csv"), Qt::CaseInsensitive) == 0) {
        show_station(Station::setup);
        setup_->import_tools(path);
    } else if (QString::fromLatin1(toolpath_endings)
                   .split(QLatin1Char(' '))
                   .contains(QLatin1Char('.') + info.suffix(), Qt::CaseInsensitive)) {
        starts_.toolpath(path);
    } else if (workspace_.project().folder().isEmpty() || workspace_.reading()) {
        read_by_dialog(path);
    } else {
        show_station(Station::replay);
        replay_->load(path);
    }
}

} // namespace wexilum::app
