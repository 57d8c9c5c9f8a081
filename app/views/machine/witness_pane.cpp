#include "app/views/machine/witness_pane.hpp"

#include "app/models/quantity.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "core/base/units.hpp"
#include "core/geometry/pose.hpp"
#include "core/io/real_files.hpp"

#include <QClipboard>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr std::size_t most_explanations = 3;

bool is_reading(const FormField& field) { return field.keys.front() == "readings"; }

/// A column's head: short, its unit below it.
QString head_of(const FormField& field)
{
    const QString unit = QString::fromStdString(unit_of(field));
    const QString title = is_reading(field) ? QString::fromStdString(field.keys.back()) : QString::fromStdString(field.title);
    return unit.isEmpty() ? title : title + QLatin1Char('\n') + unit;
}

} // namespace

WitnessPane::WitnessPane(MachineEditor& editor, QWidget* parent)
    : SightView(parent), editor_(editor), table_(new QTableWidget), wrong_(new QLabel), why_(new QLabel)
{
    setObjectName(QStringLiteral("witness-pane"));
    set_surface(*this, "paper");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(8);
    table_->setObjectName(QStringLiteral("witnesses"));
    table_->setAccessibleName(tr("witnesses: what was read and measured at the machine"));
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(24);
    table_->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    table_->setToolTip(tr("Values take units: 2 in, 0.4 rad. Ctrl+V pastes rows from a spreadsheet."));
    table_->setMinimumHeight(150);
    column->addWidget(table_, 3);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    auto* add =
        named_button(tr("+ Witness"), QStringLiteral("witness-add"), tr("Another row: what the control showed and where the tip was"));
    auto* away = named_button(tr("Remove"), QStringLiteral("witness-remove"), tr("Removes the chosen witness"));
    row->addWidget(add);
    row->addWidget(away);
    row->addStretch(1);
    column->addLayout(row);
    for (QLabel* label : {wrong_, why_}) {
        label->setWordWrap(true);
        column->addWidget(label);
    }
    wrong_->setObjectName(QStringLiteral("witness-refused"));
    wrong_->setVisible(false);
    why_->setObjectName(QStringLiteral("witness-why"));
    why_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(build_fit(), 2);
    auto* pasting = new QShortcut(QKeySequence::Paste, table_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(pasting, &QShortcut::activated, this, &WitnessPane::paste);
    connect(table_, &QTableWidget::cellChanged, this, &WitnessPane::typed);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int now, int, int before) {
        if (!filling_ && now != before) {
            renew_why();
            if (editor_.machine() && now >= 0 && std::size_t(now) < editor_.machine()->witnesses.size()) {
                Q_EMIT witness_chosen(editor_.machine()->witnesses[std::size_t(now)].readings);
            }
        }
    });
    connect(add, &QPushButton::clicked, this, [this] {
        PartPath path;
        change(tr("new witness"), [&](const json::Document& d) { return with_new_part(d, MachinePart::witness, "base", path); });
        table_->setCurrentCell(table_->rowCount() - 1, 0);
        table_->setFocus();
    });
    connect(away, &QPushButton::clicked, this, [this] {
        const int chosen = table_->currentRow();
        if (chosen >= 0) {
            change(tr("witness removed"), [&](const json::Document& d) { return without_part(d, {"witnesses", std::size_t(chosen)}); });
        }
    });
    connect(&editor, &MachineEditor::changed, this, &WitnessPane::renew_in_sight);
    renew();
}

QWidget* WitnessPane::build_fit()
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    auto* label = new QLabel(tr("Fit through"));
    label->setProperty("role", "soft");
    source_ = new QComboBox;
    source_->setObjectName(QStringLiteral("fit-source"));
    source_->setAccessibleName(tr("measurements that the machine is fitted to"));
    source_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    length_ = new QLineEdit(QStringLiteral("80"));
    length_->setObjectName(QStringLiteral("fit-length"));
    length_->setAccessibleName(tr("tool length where the table has none"));
    length_->setToolTip(tr("Length of the tool or test bar, where the table has no column for it"));
    length_->setMaximumWidth(64);
    auto* fit_button =
        named_button(tr("Fit"), QStringLiteral("fit"), tr("Zeros, axes and gauge point that the measurements determine, by least squares"));
    overlay_ = named_button(tr("Write as overlay"), QStringLiteral("fit-overlay"),
                            tr("Writes overlays/NAME.json, which a job of this very machine names; the drawing stays"));
    row->addWidget(label);
    row->addWidget(source_, 1);
    row->addWidget(length_);
    row->addWidget(fit_button);
    column->addLayout(row);
    found_ = new QLabel;
    found_->setObjectName(QStringLiteral("fit-found"));
    found_->setWordWrap(true);
    found_->setFont(code_font(0.9));
    found_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(found_);
    auto* writing = new QHBoxLayout;
    writing->addWidget(overlay_);
    writing->addStretch(1);
    column->addLayout(writing);
    residuals_ = new QTableWidget(0, 3);
    residuals_->setObjectName(QStringLiteral("fit-residuals"));
    residuals_->setAccessibleName(tr("error of each measurement, by the drawing and after the fit"));
    residuals_->setHorizontalHeaderLabels({tr("Measured"), tr("Drawing, mm"), tr("Fit, mm")});
    dress_list(*residuals_, 21);
    residuals_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    residuals_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    residuals_->horizontalHeader()->setStretchLastSection(false);
    column->addWidget(residuals_, 1);
    connect(source_, &QComboBox::currentIndexChanged, this, [this](int index) { length_->setVisible(index > 0); });
    connect(fit_button, &QPushButton::clicked, this, &WitnessPane::fit);
    connect(overlay_, &QPushButton::clicked, this, &WitnessPane::write_overlay);
    return box;
}

// --- what is shown --------------------------------------------------------------------------------------------------

std::size_t WitnessPane::witnesses() const
{
    const json::Node* list = editor_.document() ? editor_.document()->root().find("witnesses") : nullptr;
    return list != nullptr ? list->items.size() : 0;
}

void WitnessPane::renew()
{
    if (fit_ && (!editor_.document() || editor_.document()->text() != fitted_text_)) {
        fit_.reset(); // of the machine as it was
        found_->clear();
        residuals_->setRowCount(0);
    }
    renew_sources();
    renew_table();
    renew_why();
    overlay_->setVisible(fit_.has_value() && fit_->wrong_senses.empty());
    residuals_->setVisible(residuals_->rowCount() > 0);
}

void WitnessPane::renew_sources()
{
    const QString before = source_->currentData().toString();
    const QSignalBlocker quiet(source_);
    source_->clear();
    source_->addItem(tr("these witnesses"), QString());
    for (const QString& name : editor_.workspace().project().files_in(QStringLiteral("measured"), QStringLiteral(".csv"))) {
        source_->addItem(QStringLiteral("measured/") + name, QStringLiteral("measured/") + name);
    }
    source_->setCurrentIndex(std::max(0, source_->findData(before)));
    length_->setVisible(source_->currentIndex() > 0);
}

void WitnessPane::renew_table()
{
    filling_ = true;
    const int row_before = table_->currentRow();
    const int column_before = table_->currentColumn();
    columns_.clear();
    const auto& document = editor_.document();
    const std::size_t count = witnesses();
    const auto column_of = [&](const FormField& field) {
        const auto same = [&](const FormField& f) { return f.keys == field.keys; };
        return std::find_if(columns_.begin(), columns_.end(), same) - columns_.begin();
    };
    for (std::size_t i = 0; i < count; ++i) { // witnesses of heads have readings of their joints as well
        const auto fields = fields_of(*document, {"witnesses", i});
        for (std::size_t k = 0; k < fields.size(); ++k) {
            if (column_of(fields[k]) == std::ptrdiff_t(columns_.size())) {
                auto at = columns_.end();
                for (std::size_t before = k; before-- > 0 && at == columns_.end();) {
                    const auto found = column_of(fields[before]);
                    at = found < std::ptrdiff_t(columns_.size()) ? columns_.begin() + found + 1 : at;
                }
                columns_.insert(k == 0 ? columns_.begin() : at, fields[k]);
            }
        }
    }
    const json::Node* heads_stated = document ? document->root().find("attachments") : nullptr;
    const bool any_head = heads_stated != nullptr && !heads_stated->items.empty();
    const auto hidden = [&](const FormField& field) {
        return field.keys.front() == "origin" || (field.keys.front() == "mount" && !any_head);
    };
    columns_.erase(std::remove_if(columns_.begin(), columns_.end(), hidden), columns_.end());
    QStringList heads{tr("Holds")};
    for (const FormField& field : columns_) {
        heads.push_back(head_of(field));
    }
    table_->setRowCount(int(count));
    table_->setColumnCount(int(heads.size()));
    table_->setHorizontalHeaderLabels(heads);
    for (std::size_t i = 0; i < count; ++i) {
        const PartPath path{"witnesses", i};
        const auto fields = fields_of(*document, path);
        const auto pose = editor_.computed(i);
        const auto cell = [&](int column) { // kept: one of them may be what is being typed into
            QTableWidgetItem* item = table_->item(int(i), column);
            if (item == nullptr) {
                item = new QTableWidgetItem;
                table_->setItem(int(i), column, item);
            }
            return item;
        };
        QTableWidgetItem* holds = cell(0);
        holds->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        holds->setText(QStringLiteral("?"));
        if (pose) {
            const Pose& read = editor_.machine()->witnesses[i].pose;
            const double off = (read.tip - pose->tip).norm();
            const double turned = angle_between(read.axis, pose->axis);
            const bool fine = off <= witness_tip_tolerance && turned <= witness_axis_tolerance;
            holds->setIcon(icon_of(fine ? State::fits : State::beyond));
            holds->setText(fine                          ? tr("holds")
                           : off > witness_tip_tolerance ? tr("%1 mm off").arg(off, 0, 'f', 3)
                                                         : tr("%1° off").arg(to_deg(turned), 0, 'f', 3));
            holds->setForeground(colour_of(fine ? State::fits : State::beyond));
        }
        for (std::size_t k = 0; k < columns_.size(); ++k) {
            const auto has = std::any_of(fields.begin(), fields.end(), [&](const FormField& f) { return f.keys == columns_[k].keys; });
            const bool words = columns_[k].kind == FieldKind::text || columns_[k].kind == FieldKind::choice;
            QTableWidgetItem* item = cell(int(k) + 1);
            item->setText(has ? QString::fromStdString(shown_value(*document, path, columns_[k])) : QString());
            item->setFlags(has ? Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable : Qt::NoItemFlags);
            item->setBackground(has ? QBrush() : QBrush(colour(tokens().sunk)));
            item->setFont(words ? text_font() : code_font(0.92));
            item->setTextAlignment((words ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
            item->setToolTip(words ? item->text() : QString());
        }
    }
    table_->horizontalHeader()->setFixedHeight(38);
    table_->resizeColumnsToContents();
    for (int k = 0; k < table_->columnCount(); ++k) {
        table_->setColumnWidth(k, std::min(table_->columnWidth(k), 150));
    }
    if (row_before >= 0 && row_before < table_->rowCount()) {
        table_->setCurrentCell(row_before, column_before);
    }
    filling_ = false;
}

/// Where the machine has the chosen witness, and what would explain that it is missed; a proposal, not a change.
void WitnessPane::renew_why()
{
    const int row = table_->currentRow();
    QString text;
    QColor shade = colour(tokens().soft);
    if (table_->rowCount() == 0) {
        text = tr(
            "No witness yet: move the machine to a place, type what its control shows and where the tip is on the table. One anchors the "
            "zeros; one more for each axis, moved alone, its sign.");
    } else if (row < 0) {
        text = tr("Choose a row: where the machine has its tip, and what would explain a deviation.");
    } else if (const auto pose = editor_.computed(std::size_t(row))) {
        const auto& all = editor_.machine()->witnesses;
        const auto clean = [](const Vec3& v) { return Vec3(v.unaryExpr([](double x) { return std::abs(x) < 5e-4 ? 0.0 : x; })); };
        const Vec3 off = clean(pose->tip - all[std::size_t(row)].pose.tip);
        const Vec3 has = clean(pose->tip);
        text = tr("This machine has this tip at %1, %2, %3: off by %4, %5, %6 mm.")
                   .arg(has.x(), 0, 'f', 3)
                   .arg(has.y(), 0, 'f', 3)
                   .arg(has.z(), 0, 'f', 3)
                   .arg(off.x(), 0, 'f', 3)
                   .arg(off.y(), 0, 'f', 3)
                   .arg(off.z(), 0, 'f', 3);
        const auto whys = editor_.explanations(std::size_t(row));
        for (std::size_t i = 0; i < std::min(most_explanations, whys.size()); ++i) {
            text += QLatin1Char('\n') + (i == 0 ? tr("Nearest explanation: ") : tr("or: ")) +
                    tr("%1 (%2 of %3 witnesses hold then)").arg(QString::fromStdString(whys[i].text)).arg(whys[i].holds).arg(all.size());
        }
        if (!whys.empty()) {
            shade = colour_of(State::beyond);
        } else if (off.norm() > witness_tip_tolerance) {
            shade = colour_of(State::beyond);
            text += QLatin1Char('\n') + tr("No single sign, zero, length or point explains it: measure again, or fit below.");
        }
    }
    why_->setStyleSheet(QStringLiteral("color:%1").arg(shade.name()));
    why_->setText(text);
}

// --- edits ----------------------------------------------------------------------------------------------------------

void WitnessPane::change(const QString& label, const std::function<Result<std::string>(const json::Document&)>& edit)
{
    const auto error = editor_.edit(label, edit);
    wrong_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
    wrong_->setText(error ? QString::fromStdString(error->message + "; " + error->cure) : QString());
    wrong_->setVisible(error.has_value());
    if (error) {
        renew_table();
    }
}

void WitnessPane::typed(int row, int column)
{
    if (filling_ || column < 1 || std::size_t(column) > columns_.size()) {
        return;
    }
    const FormField field = columns_[std::size_t(column) - 1];
    const std::string text = table_->item(row, column)->text().toStdString();
    change(tr("%1 of a witness").arg(head_of(field).section(QLatin1Char('\n'), 0, 0)), [&](const json::Document& d) {
        return with_value(d, {"witnesses", std::size_t(row)}, field, text);
    });
}

/// Rows of a spreadsheet over the table from the chosen cell on; rows that are not there yet are added.
void WitnessPane::paste()
{
    const int first = std::max(0, table_->currentRow());
    const int from = std::max(1, table_->currentColumn());
    QStringList rows = QGuiApplication::clipboard()->text().split(QLatin1Char('\n'));
    while (!rows.isEmpty() && rows.back().trimmed().isEmpty()) {
        rows.pop_back();
    }
    if (rows.isEmpty() || !editor_.document()) {
        return;
    }
    const std::vector<FormField> columns = columns_;
    change(tr("pasted witnesses"), [&](const json::Document& d) -> Result<std::string> {
        std::string text = d.text();
        const auto parsed = [&] { return json::Document::parse(text, d.file_name()); };
        for (int i = 0; i < rows.size(); ++i) {
            const std::size_t row = std::size_t(first + i);
            const auto now = parsed();
            const json::Node* list = now->root().find("witnesses");
            if (list == nullptr || row >= list->items.size()) {
                PartPath path;
                const auto more = with_new_part(*now, MachinePart::witness, "base", path);
                if (!more) {
                    return more;
                }
                text = *more;
            }
            const QStringList cells = rows[i].split(QLatin1Char('\t'));
            for (int k = 0; k < cells.size() && std::size_t(from - 1 + k) < columns.size(); ++k) {
                const auto next =
                    with_value(*parsed(), {"witnesses", row}, columns[std::size_t(from - 1 + k)], cells[k].trimmed().toStdString());
                if (!next) {
                    return Error{next.error().kind,
                                 tr("row %1 of what was pasted: ").arg(i + 1).toStdString() + next.error().message,
                                 {},
                                 next.error().cure};
                }
                text = *next;
            }
        }
        return text;
    });
}

// --- the fit --------------------------------------------------------------------------------------------------------

void WitnessPane::fit()
{
    fit_.reset();
    residuals_->setRowCount(0);
    const auto fail = [&](const Error& error) {
        found_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
        found_->setText(QString::fromStdString(error.text()));
        renew();
    };
    if (!editor_.machine()) {
        return;
    }
    const Machine& machine = *editor_.machine();
    std::vector<Measurement> measured;
    const QString file = source_->currentData().toString();
    if (file.isEmpty()) {
        measured = measurements_of(machine);
    } else {
        const auto length = quantity_of(length_->text(), Measure::length);
        if (!length) {
            fail({ErrorKind::value, "the tool length is not a length", {}, "type one, like 80 or 3.15 in"});
            return;
        }
        RealFileSystem files;
        auto source = files.open((editor_.workspace().project().folder() + QLatin1Char('/') + file).toStdString());
        const auto table = source ? read_number_table(**source, file.toStdString()) : Result<NumberTable>(source.error());
        auto rows = table ? measurements_of(machine, *table, *length, file.toStdString()) : Result<std::vector<Measurement>>(table.error());
        if (!rows) {
            fail(rows.error());
            return;
        }
        measured = std::move(*rows);
    }
    auto found = calibrate(machine, measured);
    if (!found) {
        fail(found.error());
        return;
    }
    QString text;
    if (!found->wrong_senses.empty()) {
        for (const std::string& joint : found->wrong_senses) {
            text += tr("%1 turns the other way than the machine says: reverse its direction, or the sense of its reading, first.\n")
                        .arg(QString::fromStdString(joint));
        }
    } else {
        for (const std::string& line : description_of(machine, *found)) {
            text += QString::fromStdString(line) + QLatin1Char('\n');
        }
    }
    text += tr("%1 mm rms by the drawing, %2 mm after the fit, at most %3 mm")
                .arg(found->rms_before, 0, 'f', 4)
                .arg(found->rms_after, 0, 'f', 4)
                .arg(found->worst_after, 0, 'f', 4);
    for (const std::string& open : found->undetermined) {
        text += tr("\nnot determined by the measurements: %1").arg(QString::fromStdString(open));
    }
    found_->setStyleSheet(found->wrong_senses.empty() ? QString() : QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
    found_->setText(text);
    const std::vector<double> before = residuals(machine, measured);
    const std::vector<double> after = residuals(found->machine, measured);
    QStringList names;
    for (const Witness& witness : machine.witnesses) {
        if (is_measurement(machine, witness)) {
            names.push_back(QString::fromStdString(witness.name));
        }
    }
    residuals_->setRowCount(int(measured.size()));
    for (std::size_t i = 0; i < measured.size(); ++i) {
        const QString name = file.isEmpty() ? names.value(qsizetype(i)) : tr("line %1").arg(measured[i].place.line);
        residuals_->setItem(int(i), 0, new QTableWidgetItem(name));
        for (const auto& [k, value] : {std::pair(1, before[i]), std::pair(2, after[i])}) {
            auto* item = new QTableWidgetItem(QString::number(value, 'f', 4));
            item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            item->setFont(code_font(0.92));
            residuals_->setItem(int(i), k, item);
        }
    }
    fit_ = std::move(*found);
    fitted_text_ = editor_.document() ? editor_.document()->text() : std::string();
    renew();
}

void WitnessPane::write_overlay()
{
    if (!fit_ || !editor_.machine()) {
        return;
    }
    const QString name = QFileInfo(editor_.path()).completeBaseName() + tr("-measured");
    const QString path = QStringLiteral("overlays/%1.json").arg(name);
    const std::string whole = (editor_.workspace().project().folder() + QLatin1Char('/') + path).toStdString();
    RealFileSystem files;
    if (files.open(whole)) {
        Q_EMIT reported(tr("%1 is there already: remove it or rename it first.").arg(path));
        return;
    }
    const auto set = files.begin_files();
    auto sink = set->add(whole);
    Status status = sink ? (*sink)->write(overlay_text(*editor_.machine(), *fit_, editor_.path().toStdString(), name.toStdString()))
                         : Status(sink.error());
    status = status ? set->commit() : status;
    Q_EMIT reported(status ? tr("Written: %1. A job of this machine names it under \"overlay\".").arg(path)
                           : QString::fromStdString(status.error().text()));
}

} // namespace wexilum::app
