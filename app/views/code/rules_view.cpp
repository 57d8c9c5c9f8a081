#include "app/views/code/rules_view.hpp"

#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "core/job/assembly.hpp"
#include "core/project/job_run.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QSplitter>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

QString as_text(std::string_view text) { return QString::fromUtf8(text.data(), qsizetype(text.size())); }
const EventDescription& description_of(const EventTally& tally) { return rule_events()[static_cast<std::size_t>(tally.kind)]; }

} // namespace

void EventsModel::set_events(std::vector<EventTally> events)
{
    beginResetModel();
    events_ = std::move(events);
    endResetModel();
}

QVariant EventsModel::data(const QModelIndex& index, int role) const
{
    if (!hasIndex(index.row(), index.column())) {
        return {};
    }
    const EventTally& tally = event(index.row());
    const bool taken = tally.handler.place.line > 0;
    if (role == Qt::DisplayRole) {
        switch (index.column()) {
        case 0: return as_text(description_of(tally).name);
        case 1: return grouped(tally.seen);
        default:
            if (!taken) {
                return tr("native");
            }
            QString text = QString::fromStdString(tally.handler.place.file).section(QLatin1Char('/'), -1) +
                           QStringLiteral(":%1").arg(tally.handler.place.line);
            return tally.handler.faults == 0 ? text : tr("line %1, failed %2×").arg(tally.handler.place.line).arg(tally.handler.faults);
        }
    }
    if (role == Qt::TextAlignmentRole && index.column() == 1) {
        return int(Qt::AlignRight | Qt::AlignVCenter);
    }
    if (role == Qt::ForegroundRole && index.column() == 2) {
        return tally.handler.faults > 0 ? colour_of(State::beyond) : colour(taken ? tokens().accent : tokens().soft);
    }
    if (role == Qt::FontRole && (index.column() == 0 || taken)) {
        return code_font();
    }
    if (role == Qt::ToolTipRole) {
        return as_text(description_of(tally).help) + QLatin1Char(' ') +
               tr("Without a rule: %1.").arg(as_text(description_of(tally).native));
    }
    return {};
}

QVariant EventsModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation == Qt::Horizontal && role == Qt::TextAlignmentRole) {
        return int((section == 1 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    }
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) {
        return {};
    }
    return section == 0 ? tr("Event") : section == 1 ? tr("Came") : tr("Taken by");
}

RulesView::RulesView(Workspace& workspace, Selection& selection, QWidget* parent)
    : SightView(parent), workspace_(workspace), selection_(selection), events_(new QTableView), help_(new QLabel),
      add_(new QPushButton(tr("Add a handler"))), expression_(new QLineEdit), answer_(new QLabel), text_(new FileView(workspace))
{
    setObjectName(QStringLiteral("rules-view"));
    text_->setObjectName(QStringLiteral("rules-text"));
    auto* across = new QSplitter;
    auto* side = new QWidget;
    set_surface(*side, "panel");
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 10);
    column->setSpacing(6);
    events_->setObjectName(QStringLiteral("events"));
    events_->setAccessibleName(tr("events in the order in which they came"));
    events_->setModel(&model_);
    dress_list(*events_, 24);
    events_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    events_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    events_->horizontalHeader()->setStretchLastSection(true);
    column->addWidget(events_, 1);
    help_->setWordWrap(true);
    help_->setContentsMargins(10, 0, 10, 0);
    help_->setProperty("role", "soft");
    help_->setMinimumHeight(60);
    help_->setAlignment(Qt::AlignTop);
    column->addWidget(help_);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(10, 0, 10, 0);
    add_->setToolTip(tr("Adds a handler for the chosen event to the rulebook, which does what happens without it."));
    add_->setAccessibleName(tr("add a handler for the chosen event"));
    row->addWidget(add_);
    row->addStretch(1);
    column->addLayout(row);
    auto* ask = new QVBoxLayout;
    ask->setContentsMargins(10, 0, 10, 0);
    expression_->setPlaceholderText(tr("evaluate at the chosen record: event.z < 0"));
    expression_->setAccessibleName(tr("expression at the chosen record"));
    expression_->setObjectName(QStringLiteral("expression"));
    expression_->setFont(code_font());
    answer_->setObjectName(QStringLiteral("answer"));
    answer_->setWordWrap(true);
    answer_->setMinimumHeight(36);
    answer_->setAlignment(Qt::AlignTop);
    ask->addWidget(expression_);
    ask->addWidget(answer_);
    column->addLayout(ask);
    across->addWidget(side);
    across->addWidget(text_);
    across->setStretchFactor(1, 1);
    across->setSizes({330, 700});
    auto* whole = new QHBoxLayout(this);
    whole->setContentsMargins(0, 0, 0, 0);
    whole->addWidget(across);

    connect(events_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& current) {
        renew_help();
        if (current.isValid()) {
            show_handler(current.row());
        }
    });
    connect(add_, &QPushButton::clicked, this, &RulesView::add_handler);
    connect(expression_, &QLineEdit::returnPressed, this, &RulesView::evaluate);
    connect(&workspace.questions(), &Questions::evaluated, this, [this](const QString& text, bool fine) {
        answer_->setText(text);
        answer_->setProperty("role", fine ? "" : "bad");
        answer_->setStyleSheet(fine ? QString() : QStringLiteral("color: %1").arg(colour_of(State::beyond).name()));
    });
    for (const auto signal : {&Workspace::code_changed, &Workspace::failed, &Workspace::job_changed}) {
        connect(&workspace, signal, this, &RulesView::renew_in_sight);
    }
    connect(&selection, &Selection::line_changed, this, [this] {
        if (isVisible() && !expression_->text().isEmpty()) {
            evaluate();
        }
    });
}

void RulesView::renew()
{
    const auto& results = workspace_.results();
    const QString folder = results ? QString::fromStdString(results->assembly().post.rulebook) : QString();
    const int row = events_->currentIndex().row();
    {
        const QSignalBlocker quiet(events_->selectionModel());
        model_.set_events(results ? results->posted->run.events : std::vector<EventTally>());
        if (row >= 0 && row < model_.rowCount()) {
            events_->setCurrentIndex(model_.index(row, 0));
        }
    }
    QStringList files;
    for (const QString& name : folder.isEmpty() ? QStringList() : workspace_.project().files_in(folder, QStringLiteral(".lua"))) {
        files.push_back(folder + QLatin1Char('/') + name);
    }
    if (files.removeAll(folder + QStringLiteral("/rulebook.lua")) > 0) {
        files.push_front(folder + QStringLiteral("/rulebook.lua"));
    }
    text_->set_files(files, tr("This job's post has no rulebook: every event takes the native way. Name one in the post, as "
                               "\"rulebook\": \"rulebooks/my-machine\", and put a rulebook.lua into that folder."));
    if (folder != folder_ || text_->path().isEmpty()) {
        folder_ = folder;
        text_->show_file(files.isEmpty() ? QString() : files.first());
    }
    add_->setEnabled(!folder.isEmpty());
    renew_help();
}

void RulesView::renew_help()
{
    const int row = events_->currentIndex().row();
    if (row < 0 || row >= model_.rowCount()) {
        help_->setText(tr("Choose an event to see what it is and who takes it."));
        add_->setVisible(false);
        return;
    }
    const EventTally& tally = model_.event(row);
    help_->setText(as_text(description_of(tally).help) + QLatin1Char(' ') +
                   tr("Without a rule: %1.").arg(as_text(description_of(tally).native)));
    add_->setVisible(tally.handler.place.line == 0);
}

void RulesView::show_handler(int row)
{
    const Place& place = model_.event(row).handler.place;
    if (place.line > 0) {
        show_place(QString::fromStdString(place.file), int(place.line));
    }
}

void RulesView::show_place(const QString& path, int line)
{
    text_->show_file(path);
    text_->editor().go_to_line(line - 1);
}

void RulesView::add_handler()
{
    const int row = events_->currentIndex().row();
    if (row < 0 || folder_.isEmpty()) {
        return;
    }
    const QString path = folder_ + QStringLiteral("/rulebook.lua");
    const auto text = workspace_.documents().text(path);
    if (!text) {
        return;
    }
    const QString name = as_text(description_of(model_.event(row)).name);
    const std::string by =
        ((*text)->ends_with('\n') ? "\nfunction on." : "\n\nfunction on.") + name.toStdString() + "(event)\n  event:native()\nend\n";
    const auto line = int(std::count((*text)->begin(), (*text)->end(), '\n')) + ((*text)->ends_with('\n') ? 2 : 3);
    (void)workspace_.documents().replace(path, (*text)->size(), (*text)->size(), by, tr("handler for %1").arg(name));
    show_place(path, line);
    text_->editor().setFocus();
}

void RulesView::evaluate()
{
    if (selection_.record() == Selection::none) {
        answer_->setText(tr("Choose a block or a record first: the expression is evaluated there."));
        return;
    }
    workspace_.questions().evaluate(workspace_.results(), workspace_.project().folder(), selection_.record(), expression_->text());
}

} // namespace wexilum::app
