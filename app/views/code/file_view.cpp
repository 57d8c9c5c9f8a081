#include "app/views/code/file_view.hpp"

#include "app/theme/theme.hpp"
#include "core/job/assembly.hpp"
#include "core/rules/rulebook.hpp"

#include <QHBoxLayout>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

/// The names of the options that the post of the job at hand declares.
std::vector<std::string> options_of(const Workspace& workspace)
{
    std::vector<std::string> out;
    if (const auto& results = workspace.results()) {
        for (const auto& [name, value] : results->assembly().options) {
            out.push_back(name);
        }
    }
    return out;
}

} // namespace

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
    : QWidget(parent), workspace_(workspace), tabs_(new QWidget), name_(new QLabel), band_(new ErrorBand), empty_(new QLabel),
      editor_(new TextEditor(workspace.documents())), search_(new QWidget), find_(new QLineEdit), by_(new QLineEdit), found_(new QLabel),
      changes_(new ChangesPane(workspace))
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
    empty_->setWordWrap(true);
    empty_->setMargin(24);
    empty_->setAlignment(Qt::AlignTop);
    empty_->setProperty("role", "soft");
    column->addWidget(empty_, 1);
    column->addWidget(editor_, 1);
    build_search(column);
    column->addWidget(changes_);
    connect(band_, &ErrorBand::open_wanted, this, &FileView::show_file);
    connect(changes_, &ChangesPane::line_wanted, this, &FileView::line_wanted);
    for (const auto signal : {&Workspace::code_changed, &Workspace::failed, &Workspace::job_changed, &Workspace::findings_changed}) {
        connect(&workspace, signal, this, &FileView::renew);
    }
    connect(&workspace.runs(), &JobRun::finished, this, &FileView::renew);
    connect(&workspace.project(), &ProjectFiles::changed, this, &FileView::renew);
    connect(&workspace.documents(), &Documents::edited, this, [this](const QString& path) {
        if (path == path_) {
            renew_marks();
        }
    });
}

void FileView::build_search(QBoxLayout* column)
{
    set_surface(*search_, "bar");
    auto* row = new QHBoxLayout(search_);
    row->setContentsMargins(10, 5, 10, 5);
    find_->setPlaceholderText(tr("find"));
    find_->setAccessibleName(tr("text to find"));
    by_->setPlaceholderText(tr("replace by"));
    by_->setAccessibleName(tr("text to put in its place"));
    row->addWidget(find_, 2);
    row->addWidget(by_, 2);
    const auto button = [&](const QString& text, auto run) {
        auto* made = new QPushButton(text);
        connect(made, &QPushButton::clicked, this, run);
        row->addWidget(made);
    };
    const auto next = [this] { found_->setText(editor_->find(find_->text()) ? QString() : tr("not found")); };
    button(tr("Next"), next);
    button(tr("Before"), [this] { found_->setText(editor_->find(find_->text(), false) ? QString() : tr("not found")); });
    button(tr("Replace"), [this] { found_->setText(editor_->replace_found(find_->text(), by_->text()) ? QString() : tr("no more")); });
    button(tr("Replace all"), [this] { found_->setText(tr("%1 replaced").arg(editor_->replace_all(find_->text(), by_->text()))); });
    button(tr("Close"), [this] {
        search_->hide();
        editor_->setFocus();
    });
    row->addWidget(found_, 1);
    connect(find_, &QLineEdit::returnPressed, this, next);
    search_->hide();
    column->addWidget(search_);
}

void FileView::open_search()
{
    search_->show();
    if (editor_->hasSelectedText() && !editor_->selectedText().contains(QLatin1Char('\n'))) {
        find_->setText(editor_->selectedText());
    }
    find_->setFocus();
    find_->selectAll();
}

void FileView::set_files(const QStringList& files, const QString& empty)
{
    files_ = files;
    empty_text_ = empty;
    renew();
}

void FileView::show_file(const QString& path)
{
    path_ = path;
    changes_->set_path(path);
    renew();
    const auto& error = workspace_.error();
    if (error && error->place.line > 0 && QString::fromStdString(error->place.file) == path) {
        editor_->go_to_line(int(error->place.line) - 1);
    }
    Q_EMIT path_changed();
}

void FileView::renew_tabs()
{
    QStringList files = files_;
    if (!path_.isEmpty() && !files.contains(path_)) {
        files.push_front(path_);
    }
    qDeleteAll(tabs_->findChildren<QPushButton*>(Qt::FindDirectChildrenOnly));
    for (const QString& file : files) {
        QString name = file.endsWith(QLatin1String(".lua")) ? file.section(QLatin1Char('/'), -1) : file.section(QLatin1Char('/'), 0, 0);
        if (!name.endsWith(QLatin1String(".lua"))) {
            name.chop(1);
            name = name.isEmpty() ? file : name.at(0).toUpper() + name.mid(1);
        }
        auto* button = new QPushButton(workspace_.documents().is_changed(file) ? name + QStringLiteral(" •") : name);
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
    renew_tabs();
    name_->setText(path_);
    std::optional<Error> error;
    if (workspace_.error() && QString::fromStdString(workspace_.error()->place.file) == path_) {
        error = workspace_.error();
    }
    band_->show_error(error, tr("The other views show the last good state."));
    const auto text = path_.isEmpty() ? Result<std::shared_ptr<const std::string>>(Error{}) : workspace_.documents().text(path_);
    editor_->setVisible(text.ok());
    empty_->setVisible(!text);
    if (!text) {
        empty_->setText(path_.isEmpty() ? empty_text_ : QString::fromStdString(text.error().message + ". " + text.error().cure));
        return;
    }
    QStringList options;
    for (const std::string& name : options_of(workspace_)) {
        options.push_back(QString::fromStdString(name));
    }
    editor_->set_options(options);
    editor_->show_file(path_);
    renew_marks();
}

/// What is wrong in the file, line by line: what keeps it from being read, names that are not there, rules that failed in the last run.
void FileView::renew_marks()
{
    std::map<int, QString> marks;
    const auto add = [&](const Place& place, const std::string& message) {
        if (QString::fromStdString(place.file) == path_ && place.line > 0) {
            QString& mark = marks[int(place.line) - 1];
            mark += (mark.isEmpty() ? QString() : QStringLiteral("\n")) + QString::fromStdString(message);
        }
    };
    if (workspace_.error()) {
        add(workspace_.error()->place, workspace_.error()->message + "; " + workspace_.error()->cure);
    }
    const auto text = path_.isEmpty() ? Result<std::shared_ptr<const std::string>>(Error{}) : workspace_.documents().text(path_);
    bool readable = true;
    if (text && path_.endsWith(QLatin1String(".lua"))) {
        const std::vector<std::string> options = options_of(workspace_);
        for (const Error& error : check_rule_text(**text, path_.toStdString(), workspace_.results() ? &options : nullptr)) {
            add(error.place, error.message + (error.kind == ErrorKind::syntax ? "" : "; " + error.cure));
            readable = readable && error.kind != ErrorKind::syntax;
        }
    }
    if (readable && marks.empty() && !workspace_.is_code_old()) {
        for (const FoundAt& found : workspace_.findings()) {
            if (found.by == FoundAt::By::run) {
                add(found.finding.rule, found.finding.message);
            }
        }
    }
    editor_->set_errors(marks);
    std::map<int, std::uint64_t> counts;
    if (workspace_.runs().is_running() && !workspace_.error()) {
        return; // the counts come last; until then those of before stay at their lines
    }
    if (const auto& results = workspace_.results(); results && !workspace_.is_code_old()) {
        if (const auto found = results->rule_lines.find(path_.toStdString()); found != results->rule_lines.end()) {
            for (std::size_t line = 1; line < found->second.size(); ++line) {
                if (found->second[line] > 0) {
                    counts[int(line) - 1] = found->second[line];
                }
            }
        }
    }
    editor_->set_counts(counts);
}

} // namespace wexilum::app
