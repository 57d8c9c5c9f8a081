#include "app/views/file_view.hpp"

#include "app/theme/theme.hpp"

#include <QHBoxLayout>
#include <QVBoxLayout>

namespace wexilum::app {

ErrorBand::ErrorBand(QWidget* parent) : QWidget(parent), text_(new QLabel), open_(new QPushButton(tr("Open at the place")))
{
    setObjectName(QStringLiteral("error-band"));
    auto* outer = new QHBoxLayout(this);
    outer->setContentsMargins(10, 8, 10, 8);
    auto* card = new QWidget;
    set_surface(*card, "band");
    outer->addWidget(card);
    auto* row = new QHBoxLayout(card);
    row->setContentsMargins(10, 7, 10, 7);
    row->setSpacing(10);
    auto* shape = new QLabel;
    shape->setPixmap(icon_of(State::beyond).pixmap(12, 12));
    text_->setWordWrap(true);
    text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    text_->setObjectName(QStringLiteral("error-text"));
    text_->setFocusPolicy(Qt::ClickFocus);
    row->addWidget(shape, 0, Qt::AlignTop);
    row->addWidget(text_, 1);
    row->addWidget(open_, 0, Qt::AlignTop);
    connect(open_, &QPushButton::clicked, this, [this] { Q_EMIT open_wanted(path_); });
    setVisible(false);
}

void ErrorBand::show_error(const std::optional<Error>& error, const QString& held)
{
    setVisible(error.has_value());
    if (!error) {
        text_->clear();
        return;
    }
    path_ = QString::fromStdString(error->place.file);
    QString text = QString::fromStdString(error->place.text()) + QStringLiteral(": ") + QString::fromStdString(error->message) +
                   QStringLiteral("\n") + tr("Cure: %1.").arg(QString::fromStdString(error->cure));
    text_->setText(held.isEmpty() ? text : text + QLatin1Char(' ') + held);
    open_->setVisible(error->place.line != 0);
}

FileView::FileView(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace), tabs_(new QWidget), name_(new QLabel), band_(new ErrorBand), area_(new CodeArea)
{
    setObjectName(QStringLiteral("file-view"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* bar = new QWidget;
    set_surface(*bar, "bar");
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(10, 5, 10, 5);
    auto* tabs = new QHBoxLayout(tabs_);
    tabs->setContentsMargins(0, 0, 0, 0);
    tabs->setSpacing(8);
    name_->setProperty("role", "soft");
    row->addWidget(tabs_);
    row->addStretch(1);
    row->addWidget(name_);
    column->addWidget(bar);
    column->addWidget(band_);
    column->addWidget(area_, 1);
    area_->setObjectName(QStringLiteral("file-text"));
    area_->setAccessibleName(tr("text of the file"));
    connect(band_, &ErrorBand::open_wanted, this, &FileView::show_file);
    for (const auto signal : {&Workspace::code_changed, &Workspace::failed, &Workspace::job_changed, &Workspace::project_changed}) {
        connect(&workspace, signal, this, &FileView::renew);
    }
    connect(&workspace.documents(), &Documents::edited, this, &FileView::renew);
}

void FileView::show_file(const QString& path)
{
    path_ = path;
    area_->set_lines(nullptr, '\0', '\0');
    renew();
}

void FileView::renew_tabs()
{
    QStringList files;
    if (const auto& results = workspace_.results()) {
        const Assembly& a = results->assembly();
        for (const std::string& file : {a.post.controller, a.post.dialect, a.job.post, a.job_file}) {
            files.push_back(QString::fromStdString(file));
        }
        for (const std::string& file : {a.post.machine, a.job.setup}) {
            files.push_back(QString::fromStdString(file));
        }
    }
    if (!path_.isEmpty() && !files.contains(path_)) {
        files.push_front(path_);
    }
    qDeleteAll(tabs_->findChildren<QPushButton*>(Qt::FindDirectChildrenOnly));
    for (const QString& file : files) {
        QString name = file.section(QLatin1Char('/'), 0, 0);
        name.chop(1);
        auto* button = new QPushButton(name.isEmpty() ? file : name.at(0).toUpper() + name.mid(1));
        button->setCheckable(true);
        button->setChecked(file == path_);
        button->setToolTip(file);
        button->setAccessibleName(tr("show %1").arg(file));
        tabs_->layout()->addWidget(button);
        connect(button, &QPushButton::clicked, this, [this, file] {
            QMetaObject::invokeMethod(
                this, [this, file] { show_file(file); }, Qt::QueuedConnection);
        });
    }
}

void FileView::renew()
{
    if (path_.isEmpty() && workspace_.results()) {
        path_ = QString::fromStdString(workspace_.results()->assembly().post.dialect);
    }
    renew_tabs();
    name_->setText(path_);
    if (path_.isEmpty()) {
        area_->set_empty_text(tr("Choose a file on the left to see its text."));
        return;
    }
    std::optional<Error> error;
    if (workspace_.error() && QString::fromStdString(workspace_.error()->place.file) == path_) {
        error = workspace_.error();
    }
    band_->show_error(error, tr("What the other views show is the last good state."));
    auto text = workspace_.documents().text(path_);
    if (!text) {
        area_->set_empty_text(QString::fromStdString(text.error().message + ". " + text.error().cure));
        area_->set_lines(nullptr, '\0', '\0');
        return;
    }
    if (!area_->lines() || shown_ != *text) {
        shown_ = *text;
        area_->set_lines(std::make_shared<const LineTable>(*shown_), '\0', '\0');
    }
    std::map<std::uint32_t, int> marks;
    if (error && error->place.line != 0) {
        marks[error->place.line - 1] = int(State::beyond);
        area_->show_line(error->place.line - 1, -1);
    }
    area_->set_marks(std::move(marks));
}

} // namespace wexilum::app
