#include "app/views/machine/jog_pane.hpp"

#include "app/models/quantity.hpp"
#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "core/base/units.hpp"
#include "core/project/job_run.hpp"

#include <QGridLayout>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

QLabel* soft_label(const QString& text)
{
    auto* out = new QLabel(text);
    out->setProperty("role", "soft");
    return out;
}

} // namespace

JogPane::JogPane(Workspace& workspace, Selection& selection, QWidget* parent)
    : QWidget(parent), workspace_(workspace), selection_(selection)
{
    setObjectName(QStringLiteral("jog-pane"));
    set_surface(*this, "paper");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(8);
    column->addWidget(build_ways());
    message_ = new QLabel;
    message_->setObjectName(QStringLiteral("jog-message"));
    message_->setWordWrap(true);
    message_->setMinimumHeight(34);
    message_->setAlignment(Qt::AlignTop);
    column->addWidget(message_);
    readings_ = new QTableWidget(0, 4);
    readings_->setObjectName(QStringLiteral("jog-readings"));
    readings_->setAccessibleName(tr("readings of the axes"));
    readings_->setHorizontalHeaderLabels({tr("Axis"), tr("Machine"), tr("Work"), tr("Left")});
    dress_list(*readings_, 22);
    readings_->horizontalHeader()->setStretchLastSection(false);
    readings_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    readings_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    readings_->setFocusPolicy(Qt::NoFocus);
    column->addWidget(readings_, 1);
    tip_ = new QLabel;
    tip_->setObjectName(QStringLiteral("jog-tip"));
    tip_->setWordWrap(true);
    near_ = new QLabel;
    near_->setObjectName(QStringLiteral("jog-near"));
    near_->setWordWrap(true);
    column->addWidget(tip_);
    column->addWidget(near_);
    column->addWidget(build_places());
}

QWidget* JogPane::build_ways()
{
    auto* box = new QWidget;
    auto* grid = new QGridLayout(box);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(6);
    grid->setVerticalSpacing(4);
    frame_ = new QComboBox;
    frame_->setObjectName(QStringLiteral("jog-frame"));
    frame_->setAccessibleName(tr("axes that the tip moves along and the tool turns about"));
    frame_->addItems({tr("the machine's axes"), tr("the part's axes"), tr("the tool's axes")});
    frame_->setCurrentIndex(1);
    way_ = new QLineEdit(QStringLiteral("10"));
    way_->setObjectName(QStringLiteral("jog-way"));
    way_->setAccessibleName(tr("how far a step goes"));
    way_->setToolTip(tr("Way of a step, mm unless a unit is typed"));
    turn_ = new QLineEdit(QStringLiteral("5°"));
    turn_->setObjectName(QStringLiteral("jog-turn"));
    turn_->setAccessibleName(tr("how far a step turns"));
    turn_->setToolTip(tr("Turn of a step, degrees unless a unit is typed"));
    grid->addWidget(soft_label(tr("Tip along and about")), 0, 0, 1, 2);
    grid->addWidget(frame_, 0, 2, 1, 3);
    grid->addWidget(soft_label(tr("Step")), 1, 0);
    grid->addWidget(way_, 1, 1, 1, 2);
    grid->addWidget(turn_, 1, 3, 1, 2);
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const QChar letter(u"XYZ"[axis]);
        const int row = int(axis) + 2;
        auto* name = new QLabel(letter);
        name->setAlignment(Qt::AlignCenter);
        grid->addWidget(name, row, 0);
        int at = 1;
        for (const auto& [turn, sign] : {std::pair(false, -1), std::pair(false, 1), std::pair(true, -1), std::pair(true, 1)}) {
            const QString text = turn ? (sign > 0 ? tr("turn +") : tr("turn −")) : (sign > 0 ? tr("+") : tr("−"));
            auto* one =
                named_button(text, QStringLiteral("jog-%1%2%3").arg(turn ? "turn-" : "").arg(letter).arg(sign > 0 ? "+" : "-"),
                             turn ? tr("Turns the tool about %1 through its tip").arg(letter) : tr("Moves the tip along %1").arg(letter));
            one->setAccessibleName(
                (turn ? tr("turn about %1, %2") : tr("along %1, %2")).arg(letter).arg(sign > 0 ? tr("plus") : tr("minus")));
            one->setAutoRepeat(true);
            grid->addWidget(one, row, at++);
            const bool turns = turn;
            const int by = sign;
            connect(one, &QPushButton::clicked, this, [this, turns, axis, by] { step(turns, axis, by); });
        }
    }
    held_ = new QCheckBox(tr("Tip held while rotary axes turn"));
    held_->setObjectName(QStringLiteral("jog-held"));
    held_->setToolTip(tr("The sliders of rotary axes turn the tool about its tip; the linear axes follow"));
    closer_ = new QCheckBox(tr("Closer than the clearance"));
    closer_->setObjectName(QStringLiteral("jog-closer"));
    closer_->setToolTip(tr("Up to just before contact; Shift does so for one step"));
    grid->addWidget(held_, 5, 0, 1, 5);
    grid->addWidget(closer_, 6, 0, 1, 5);
    return box;
}

QWidget* JogPane::build_places()
{
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    const auto field = [&](const char* name, const QString& what, const QString& hint) {
        auto* out = new QLineEdit;
        out->setObjectName(QLatin1String(name));
        out->setAccessibleName(what);
        out->setPlaceholderText(hint);
        row->addWidget(out, 1);
        return out;
    };
    row->addWidget(soft_label(tr("To")));
    auto* record = field("jog-record", tr("to this record"), tr("record"));
    auto* block = field("jog-block", tr("to this block"), tr("block"));
    auto* home = named_button(tr("Home"), QStringLiteral("jog-home"), tr("Every axis to its home"));
    auto* finding = named_button(tr("Finding"), QStringLiteral("jog-finding"), tr("To the next block with a finding"));
    row->addWidget(finding);
    row->addWidget(home);
    const auto number = [this](QLineEdit* edit, std::uint64_t count, const QString& what) -> std::optional<std::uint32_t> {
        bool fine = false;
        const uint typed = edit->text().trimmed().toUInt(&fine);
        if (!fine || typed == 0 || typed > count) {
            show_message(tr("There is no such %1: they are 1 to %2.").arg(what).arg(count), true);
            return std::nullopt;
        }
        show_message({}, false);
        return typed - 1;
    };
    connect(record, &QLineEdit::returnPressed, this, [this, record, number] {
        const auto& results = workspace_.results();
        if (const auto at = results ? number(record, results->posted->records.size(), tr("record")) : std::nullopt) {
            selection_.select_record(*at);
        }
    });
    connect(block, &QLineEdit::returnPressed, this, [this, block, number] {
        const auto& results = workspace_.results();
        if (const auto at = results ? number(block, results->posted->code.lines().size(), tr("block")) : std::nullopt) {
            selection_.select_line(*at);
        }
    });
    connect(finding, &QPushButton::clicked, this, [this] {
        const std::uint32_t here = selection_.line() == Selection::none ? 0 : selection_.line() + 1;
        std::optional<std::uint32_t> next;
        std::optional<std::uint32_t> first;
        for (const FoundAt& found : workspace_.findings()) {
            const std::uint32_t line = found.finding.worst_code.line != 0 ? found.finding.worst_code.line : found.finding.code.line;
            if (line != 0 && found.in_posted_code()) {
                first = std::min(first.value_or(line), line);
                next = line > here ? std::optional(std::min(next.value_or(line), line)) : next;
            }
        }
        next = next ? next : first;
        if (next) {
            selection_.select_line(*next - 1);
            show_message({}, false);
        } else {
            show_message(tr("No finding belongs to a block."), false);
        }
    });
    connect(home, &QPushButton::clicked, this, [this] {
        make();
        if (jogger_ && position_) {
            const Readings from = *position_;
            const Readings to = results_->assembly().machine.home();
            const JogWay way = [from, to](double part) { return std::optional(Readings(from + (to - from) * part)); };
            if (const auto at = gone(way)) {
                Q_EMIT jogged(*at);
            }
        }
    });
    return box;
}

void JogPane::make()
{
    const auto& results = workspace_.results();
    if (results != results_ || (results && made_for_ != selection_.operation())) {
        jogger_.reset();
    }
    results_ = results;
    made_for_ = selection_.operation();
    if (results_ && !jogger_) {
        auto made = Jogger::make(results_->assembly(), made_for_);
        if (!made) {
            show_message(QString::fromStdString(made.error().message + "; " + made.error().cure), true);
            return;
        }
        jogger_.emplace(std::move(*made));
    }
    if (position_ && results_ && std::size_t(position_->size()) != results_->assembly().machine.joints.size()) {
        position_.reset(); // of another machine, which was looked at before
    }
    if (jogger_) {
        jogger_->fit(tool_ != 0 ? results_->assembly().setup.find_tool(tool_) : nullptr, tool_length_);
    }
}

void JogPane::set_position(const std::optional<Readings>& readings, std::uint32_t tool, double tool_length)
{
    position_ = readings;
    tool_ = tool;
    tool_length_ = tool_length;
    if (isVisible()) {
        renew_shown();
    }
}

void JogPane::renew_shown()
{
    make();
    const bool there = jogger_ && position_ && std::size_t(position_->size()) == results_->assembly().machine.joints.size();
    readings_->setRowCount(there ? int(position_->size()) : 0);
    if (!there) {
        tip_->clear();
        near_->setText(tr("Choose a job: its machine is moved by hand here, with its tool and stock."));
        return;
    }
    const Machine& machine = results_->assembly().machine;
    const auto work = jogger_->work_readings(*position_);
    for (int i = 0; i < readings_->rowCount(); ++i) {
        const Joint& joint = machine.joints[std::size_t(i)];
        const double reading = (*position_)[i];
        const double margin = joint.travel ? std::min(reading - joint.travel->low, joint.travel->high - reading) : 0;
        const std::array<QString, 4> texts{
            QString::fromStdString(joint.id), reading_text(joint, reading),
            work[std::size_t(i)] ? reading_text(joint, *work[std::size_t(i)]) : QStringLiteral("–"),
            joint.travel ? (joint.kind == JointKind::rotary ? tr("%1°").arg(to_deg(margin), 0, 'f', 1) : tr("%1 mm").arg(margin, 0, 'f', 1))
                         : tr("no end")};
        for (int k = 0; k < 4; ++k) {
            QTableWidgetItem* item = readings_->item(i, k);
            if (item == nullptr) {
                item = new QTableWidgetItem;
                readings_->setItem(i, k, item);
                item->setTextAlignment(k == 0 ? Qt::Alignment(Qt::AlignCenter) : Qt::AlignRight | Qt::AlignVCenter);
                item->setFont(k == 0 ? text_font(1, true) : code_font(0.92));
            }
            item->setText(texts[std::size_t(k)]);
            item->setForeground(k == 3 && joint.travel && margin < 0 ? colour_of(State::beyond) : palette().color(QPalette::Text));
        }
    }
    const Pose pose = jogger_->pose(*position_);
    tip_->setText(tr("Tip in the part  %1, %2, %3 mm\nTool axis  %4, %5, %6")
                      .arg(pose.tip.x(), 0, 'f', 3)
                      .arg(pose.tip.y(), 0, 'f', 3)
                      .arg(pose.tip.z(), 0, 'f', 3)
                      .arg(pose.axis.x(), 0, 'f', 5)
                      .arg(pose.axis.y(), 0, 'f', 5)
                      .arg(pose.axis.z(), 0, 'f', 5));
    const auto near = jogger_->nearest(*position_);
    if (!near) {
        near_->setText(tr("No clearances are stated here."));
        near_->setStyleSheet({});
        return;
    }
    const State state = near->distance <= 0 ? State::contact : near->distance < near->clearance ? State::close : State::fits;
    near_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(state).name()));
    const QString names = QStringLiteral("%1 – %2").arg(QString::fromStdString(near->first), QString::fromStdString(near->second));
    if (near->distance > 0 && near->clearance <= 0) {
        near_->setText(tr("Nearest: %1, %2 mm apart").arg(names).arg(near->distance, 0, 'f', 2));
        return;
    }
    near_->setText(
        near->distance <= 0
            ? tr("%1: contact").arg(names)
            : tr("Least to spare: %1, %2 mm of %3 mm clearance").arg(names).arg(near->distance, 0, 'f', 2).arg(near->clearance, 0, 'f', 2));
}

// --- going ----------------------------------------------------------------------------------------------------------

void JogPane::show_message(const QString& text, bool stopped)
{
    message_->setStyleSheet(stopped ? QStringLiteral("color:%1").arg(colour_of(State::margin).name()) : QString());
    message_->setText(text);
}

std::optional<Readings> JogPane::gone(const Result<JogWay>& way)
{
    if (!way) {
        show_message(QString::fromStdString(way.error().message + "; " + way.error().cure), true);
        return std::nullopt;
    }
    const bool closer = closer_->isChecked() || (QGuiApplication::keyboardModifiers() & Qt::ShiftModifier) != 0;
    const Jogger::Outcome outcome = jogger_->go(*position_, *way, closer);
    QString text = QString::fromStdString(outcome.text);
    if (outcome.stopped == Jogger::Stopped::clearance) {
        text += tr(" (Shift goes closer)");
    }
    show_message(text.isEmpty() ? QString() : tr("Stopped: %1.").arg(text), outcome.stopped != Jogger::Stopped::no);
    return outcome.readings;
}

std::optional<Readings> JogPane::slide(JointIndex joint, double to)
{
    make();
    if (!jogger_ || !position_ || joint.value >= results_->assembly().machine.joints.size()) {
        return std::nullopt;
    }
    const bool rotary = results_->assembly().machine.joints[joint.value].kind == JointKind::rotary;
    return gone(held_->isChecked() && isVisible() && rotary ? jogger_->axis_with_tip_held(*position_, joint, to)
                                                            : Result<JogWay>(jogger_->axis(*position_, joint, to)));
}

void JogPane::step(bool turn, std::size_t axis, double sign)
{
    make();
    if (!jogger_ || !position_) {
        return;
    }
    const QLineEdit& edit = turn ? *turn_ : *way_;
    const auto by = quantity_of(edit.text(), turn ? Measure::angle : Measure::length);
    if (!by || *by <= 0) {
        show_message(turn ? tr("Type how far a step turns: 5°, 0.1 rad.") : tr("Type how far a step goes: 10, 0.5 in."), true);
        return;
    }
    const auto frame = static_cast<JogFrame>(frame_->currentIndex());
    const auto way = turn ? jogger_->about(*position_, frame, axis, sign * *by) : jogger_->along(*position_, frame, axis, sign * *by);
    if (const auto at = gone(way)) {
        Q_EMIT jogged(*at);
    }
}

} // namespace wexilum::app
