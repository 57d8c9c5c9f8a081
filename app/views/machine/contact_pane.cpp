#include "app/views/machine/contact_pane.hpp"

#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "core/job/assembly.hpp"
#include "core/machine/machine_form.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QShortcut>
#include <QSignalBlocker>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr int contact_tick_ms = 100;

} // namespace

ContactPane::ContactPane(Workspace& workspace, Selection& selection, QWidget* parent)
    : SightView(parent), workspace_(workspace), selection_(selection), note_(new QLabel), matrix_(new QTableWidget), wrong_(new QLabel),
      check_(named_button(tr("Check the program"), QStringLiteral("contact-check"),
                          tr("Follows every motion of the code; rapids on the way that the control takes"))),
      progress_(new QProgressBar), stop_(named_button(tr("Stop"), QStringLiteral("contact-stop"), tr("Stops the check"))),
      message_(new QLabel), places_(new QTableWidget)
{
    setObjectName(QStringLiteral("contact-pane"));
    set_surface(*this, "paper");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(8);
    note_->setWordWrap(true);
    note_->setProperty("role", "soft");
    note_->setObjectName(QStringLiteral("contact-note"));
    column->addWidget(note_);
    matrix_->setObjectName(QStringLiteral("contact-matrix"));
    matrix_->setAccessibleName(tr("clearances between parts of the machine, mm"));
    matrix_->setToolTip(tr("Clearance in mm between two parts, each with all that it carries; empty: not checked"));
    matrix_->setSelectionMode(QAbstractItemView::SingleSelection);
    matrix_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    matrix_->horizontalHeader()->setMinimumSectionSize(28);
    matrix_->horizontalHeader()->setStyleSheet(
        QStringLiteral("QHeaderView::section { padding: 2px 0; font-weight: normal; font-size: 11px; }"));
    matrix_->verticalHeader()->setStyleSheet(
        QStringLiteral("QHeaderView::section { padding: 0 4px; font-weight: normal; font-size: 11px; }"));
    matrix_->verticalHeader()->setDefaultSectionSize(21);
    matrix_->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    matrix_->setVerticalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    column->addWidget(matrix_, 3);
    wrong_->setObjectName(QStringLiteral("contact-refused"));
    wrong_->setWordWrap(true);
    wrong_->setVisible(false);
    column->addWidget(wrong_);
    auto* checking = new QHBoxLayout;
    checking->setSpacing(6);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    progress_->setObjectName(QStringLiteral("contact-progress"));
    progress_->setAccessibleName(tr("progress of the check"));
    checking->addWidget(check_);
    checking->addWidget(progress_, 1);
    checking->addWidget(stop_);
    checking->addStretch(0);
    column->addLayout(checking);
    message_->setObjectName(QStringLiteral("contact-message"));
    message_->setWordWrap(true);
    column->addWidget(message_);
    places_->setObjectName(QStringLiteral("contact-places"));
    places_->setAccessibleName(tr("places where solids meet"));
    places_->setColumnCount(3);
    places_->setHorizontalHeaderLabels({tr("What meets"), tr("mm"), tr("Blocks")});
    dress_list(*places_, 24);
    places_->horizontalHeader()->setStretchLastSection(false);
    places_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    places_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    column->addWidget(places_, 2);
    connect_parts();
    renew();
}

void ContactPane::connect_parts()
{
    ticker_.setInterval(contact_tick_ms);
    connect(&ticker_, &QTimer::timeout, this, [this] { progress_->setValue(int(workspace_.contact().progress() * 1000)); });
    connect(check_, &QPushButton::clicked, this, [this] {
        if (!workspace_.runs().is_running()) {
            workspace_.contact().start(workspace_.results());
        }
    });
    connect(stop_, &QPushButton::clicked, &workspace_.contact(), &ContactRun::stop);
    auto* away = new QShortcut(QKeySequence::Delete, matrix_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(away, &QShortcut::activated, this, [this] {
        QTableWidgetItem* item = matrix_->currentItem();
        if (item != nullptr && (item->flags() & Qt::ItemIsEditable) != 0) {
            item->setText({});
        }
    });
    connect(matrix_, &QTableWidget::cellChanged, this, &ContactPane::typed);
    connect(places_, &QTableWidget::currentCellChanged, this, [this](int row) {
        if (filling_) {
            return;
        }
        if (shown_ && row >= 0 && std::size_t(row) < shown_->places.size()) {
            const ContactPlace& place = shown_->places[std::size_t(row)];
            selection_.select_line(place.block - 1);
            Q_EMIT place_chosen(&place);
        } else {
            Q_EMIT place_chosen(nullptr);
        }
    });
    for (const auto signal : {&Workspace::code_changed, &Workspace::replay_changed, &Workspace::job_changed, &Workspace::failed}) {
        connect(&workspace_, signal, this, &ContactPane::renew_in_sight);
    }
    connect(&workspace_.contact(), &ContactRun::changed, this, &ContactPane::renew_in_sight);
    connect(&workspace_.documents(), &Documents::edited, this, [this](const QString& edited) {
        if (edited == path()) {
            renew_in_sight();
        }
    });
}

void ContactPane::hideEvent(QHideEvent* event)
{
    SightView::hideEvent(event);
    Q_EMIT place_chosen(nullptr);
}

QString ContactPane::path() const
{
    return workspace_.results() ? QString::fromStdString(workspace_.results()->assembly().post.machine) : QString();
}

void ContactPane::renew()
{
    renew_matrix();
    renew_check();
    renew_places();
}

void ContactPane::renew_matrix()
{
    const auto document = path().isEmpty() ? Result<json::Document>(Error{}) : workspace_.documents().parsed(path());
    if (!document) {
        note_->setText(tr("Choose a job to see what its machine keeps apart."));
        matrix_->setRowCount(0);
        matrix_->setColumnCount(0);
        return;
    }
    const QSignalBlocker quiet(matrix_);
    const std::vector<std::string> names = kept_apart_names(*document);
    const int count = int(names.size());
    QStringList titles;
    for (const std::string& name : names) {
        titles.push_back(QString::fromStdString(name));
    }
    matrix_->setRowCount(count);
    matrix_->setColumnCount(count);
    matrix_->setVerticalHeaderLabels(titles);
    fit_columns(titles);
    bool any = false;
    for (int row = 0; row < count; ++row) {
        matrix_->horizontalHeaderItem(row)->setToolTip(titles[row]);
        for (int column = 0; column < count; ++column) {
            QTableWidgetItem* item = matrix_->item(row, column);
            if (item == nullptr) {
                item = new QTableWidgetItem;
                item->setTextAlignment(Qt::AlignCenter);
                item->setFont(code_font(0.92));
                matrix_->setItem(row, column, item);
            }
            // Half of the matrix is enough: a pair has no order.
            const bool used = column < row;
            item->setFlags(used ? Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable : Qt::NoItemFlags);
            item->setBackground(used ? QBrush() : QBrush(colour(tokens().sunk)));
            const std::string value =
                used ? clearance_between(*document, names[std::size_t(row)], names[std::size_t(column)]) : std::string();
            any = any || !value.empty();
            item->setText(QString::fromStdString(value));
            item->setToolTip(used ? tr("%1 and %2").arg(titles[row], titles[column]) : QString());
        }
    }
    note_->setText(
        any ? tr("Clearances in mm; each part includes all that it carries.")
            : tr("The machine states none: what carries the tool and what carries the work are kept 2 mm apart. A value here takes "
                 "the place of that."));
}

/// Columns are as wide as their names where there is room for that; otherwise all alike, with the beginnings of the names.
void ContactPane::fit_columns(const QStringList& titles)
{
    QHeaderView& head = *matrix_->horizontalHeader();
    matrix_->setHorizontalHeaderLabels(titles);
    int wanted = 0;
    for (int i = 0; i < head.count(); ++i) {
        wanted += std::max(head.minimumSectionSize(), head.sectionSizeHint(i));
    }
    const bool room = wanted <= matrix_->viewport()->width();
    head.setSectionResizeMode(room ? QHeaderView::ResizeToContents : QHeaderView::Stretch);
    if (!room) {
        QStringList narrow = titles;
        for (QString& title : narrow) {
            title = title.left(4);
        }
        matrix_->setHorizontalHeaderLabels(narrow);
    }
}

void ContactPane::typed(int row, int column)
{
    if (column >= row) {
        return;
    }
    const std::string first = matrix_->verticalHeaderItem(row)->text().toStdString();
    const std::string second = matrix_->verticalHeaderItem(column)->text().toStdString();
    const auto error = workspace_.documents().rewrite(
        path(), tr("clearance of %1 and %2").arg(QString::fromStdString(first), QString::fromStdString(second)),
        [&](const json::Document& d) {
            return with_clearance_between(d, first, second, matrix_->item(row, column)->text().toStdString());
        });
    wrong_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
    wrong_->setText(error ? QString::fromStdString(error->message + "; " + error->cure) : QString());
    wrong_->setVisible(error.has_value());
    renew_matrix();
}

void ContactPane::renew_check()
{
    const bool checking = workspace_.contact().is_running();
    check_->setVisible(!checking);
    check_->setEnabled(workspace_.results() && workspace_.results()->replayed && !workspace_.runs().is_running());
    progress_->setVisible(checking);
    stop_->setVisible(checking);
    checking ? ticker_.start() : ticker_.stop();
    const auto& results = workspace_.results();
    const auto report = results ? results->contact : nullptr;
    State state = State::waits;
    QString text = tr("Not checked since the last change.");
    if (checking) {
        text = tr("Following the motions …");
    } else if (!workspace_.contact().problem().isEmpty()) {
        state = State::beyond;
        text = workspace_.contact().problem();
    } else if (report) {
        std::size_t touch = 0;
        for (const ContactPlace& place : report->places) {
            touch += place.touches ? 1 : 0;
        }
        const QString watched = tr("%1 motions followed").arg(report->moves);
        state = touch > 0 ? State::contact : !report->places.empty() ? State::close : State::fits;
        text = report->places.empty() ? tr("No contact: %1.").arg(watched)
                                      : tr("%1 in contact, %2 too close: %3.").arg(touch).arg(report->places.size() - touch).arg(watched);
    }
    message_->setStyleSheet(state == State::waits ? QString() : QStringLiteral("color:%1").arg(colour_of(state).name()));
    message_->setText(text);
}

void ContactPane::renew_places()
{
    const auto& results = workspace_.results();
    const auto report = results ? results->contact : nullptr;
    if (report == shown_ && report) {
        return;
    }
    filling_ = true;
    shown_ = report;
    places_->setRowCount(report ? int(report->places.size()) : 0);
    for (int row = 0; row < places_->rowCount(); ++row) {
        const ContactPlace& place = report->places[std::size_t(row)];
        const State state = place.touches ? State::contact : State::close;
        auto* what = new QTableWidgetItem(
            icon_of(state), QStringLiteral("%1 – %2").arg(QString::fromStdString(place.first), QString::fromStdString(place.second)));
        what->setToolTip(QString::fromLatin1(word_of(state)) + QStringLiteral(": ") + what->text());
        auto* distance = new QTableWidgetItem(
            place.touches ? tr("contact") : QStringLiteral("%1 of %2").arg(place.distance, 0, 'f', 2).arg(place.clearance));
        distance->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        distance->setForeground(colour_of(state));
        auto* blocks = new QTableWidgetItem(place.first_block == place.last_block
                                                ? QString::number(place.first_block)
                                                : QStringLiteral("%1–%2").arg(place.first_block).arg(place.last_block));
        blocks->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        places_->setItem(row, 0, what);
        places_->setItem(row, 1, distance);
        places_->setItem(row, 2, blocks);
    }
    places_->setCurrentCell(-1, -1);
    filling_ = false;
    Q_EMIT place_chosen(nullptr);
}

} // namespace wexilum::app
