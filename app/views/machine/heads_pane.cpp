#include "app/views/machine/heads_pane.hpp"

#include "app/models/quantity.hpp"
#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "core/base/units.hpp"
#include "core/job/assembly.hpp"
#include "core/project/job_run.hpp"

#include <QHBoxLayout>
#include <QPainterPath>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include <cmath>

namespace wexilum::app {

// --- the sketch -----------------------------------------------------------------------------------------------------

HeadDrawing::HeadDrawing(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("head-drawing"));
    setAccessibleName(tr("sketch of the head with its gauge lengths"));
    setMinimumHeight(180);
}

void HeadDrawing::set_sketch(const std::optional<HeadSketch>& sketch, double tool_length)
{
    sketch_ = sketch;
    tool_length_ = tool_length;
    update();
}

void HeadDrawing::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colour(tokens().panel));
    if (!sketch_) {
        return;
    }
    const HeadSketch& s = *sketch_;
    // Seen across the plane in which the head reaches out: across is towards the gauge point, or the tip where that lies below.
    Vec3 out = s.gauge_point;
    out.z() = 0;
    if (out.norm() < 1e-6) {
        out = s.tip;
        out.z() = 0;
    }
    out = out.norm() < 1e-6 ? Vec3(Vec3::UnitX()) : Vec3(out.normalized());
    const auto flat = [&](const Vec3& p) { return QPointF(p.dot(out), -p.z()); }; // mm, down is positive
    const QPointF face(0, 0);
    const QPointF gauge = flat(s.gauge_point);
    const QPointF tip = flat(s.tip);
    const double left = std::min({-45.0, gauge.x() - 25, tip.x() - 20});
    const double right = std::max({45.0, gauge.x() + 25, tip.x() + 20});
    const double top = -45;
    const double bottom = std::max({30.0, gauge.y() + 30, tip.y() + 20});
    const QRectF room = QRectF(rect()).adjusted(14, 12, -14, -26);
    const double scale = std::min(room.width() / (right - left + 70), room.height() / (bottom - top + 24));
    const auto at = [&](const QPointF& p) {
        return QPointF(room.center().x() + (p.x() - (left + right + 50) / 2) * scale, room.top() + (p.y() - top) * scale);
    };
    const QColor ink = colour(tokens().ink);
    const QColor body = colour(tokens().body);
    // The spindle, and its axis.
    painter.setPen(QPen(colour(tokens().edge), 1));
    painter.setBrush(body);
    painter.drawRect(QRectF(at({-34, top}), at({34, 0})).normalized());
    painter.setPen(QPen(colour(tokens().soft), 0.8, Qt::DashDotLine));
    painter.drawLine(at({0, top - 4}), at({0, bottom}));
    // The head: from the face to where its tool begins.
    painter.setPen(QPen(colour(tokens().edge), 1));
    if (s.drop > 1 || s.reach > 1) {
        QPainterPath head;
        const QPointF along = flat(s.tool_axis); // from the tip to the holder
        const double length = std::max(1e-9, std::hypot(along.x(), along.y()));
        const QPointF unit = along / length;
        const QPointF side(-unit.y(), unit.x());
        const double half = 22;
        // Straight down to the tool's axis, then along it to the face that the tool sits on.
        const double back = std::abs(unit.x()) > 1e-6 ? -gauge.x() / unit.x() : 0;
        const QPointF corner = std::abs(unit.x()) > 1e-6 ? gauge + unit * back : QPointF(0, gauge.y());
        head.addRect(QRectF(at({-26, 0}), at({26, std::max(corner.y() + (std::abs(unit.x()) > 0.3 ? half : 0), 4.0)})).normalized());
        QPolygonF arm{at(corner + side * half), at(corner - side * half), at(gauge - side * half), at(gauge + side * half)};
        QPainterPath nose;
        nose.addPolygon(arm);
        nose.closeSubpath();
        painter.setBrush(body.lighter(104));
        painter.drawPath(head.united(nose));
    }
    // The tool.
    painter.setPen(QPen(ink, std::max(3.0, 8 * scale), Qt::SolidLine, Qt::FlatCap));
    painter.drawLine(at(gauge), at(tip));
    painter.setPen(QPen(ink, 1));
    painter.setBrush(colour(tokens().accent));
    painter.drawEllipse(at(gauge), 3.5, 3.5);
    painter.drawEllipse(at(tip), 2.5, 2.5);
    // Figures: how far down and how far out the gauge point and the tip are.
    painter.setFont(text_font(0.88));
    const auto dimension = [&](const QPointF& from, const QPointF& to, const QString& text, const QPointF& label) {
        painter.setPen(QPen(colour(tokens().soft), 1));
        painter.drawLine(from, to);
        for (const QPointF& end : {from, to}) {
            const QPointF across = std::abs(from.x() - to.x()) > std::abs(from.y() - to.y()) ? QPointF(0, 4) : QPointF(4, 0);
            painter.drawLine(end - across, end + across);
        }
        painter.setPen(ink);
        const double wide = QFontMetrics(painter.font()).horizontalAdvance(text) + 6;
        painter.fillRect(QRectF(label.x() - wide / 2, label.y() - 8, wide, 16), colour(tokens().panel));
        painter.drawText(QRectF(label.x() - wide / 2, label.y() - 8, wide, 16), Qt::AlignCenter, text);
    };
    const double beside = at({right, 0}).x() + 18;
    if (s.drop > 0.5) {
        const QPointF a(beside, at(face).y());
        const QPointF b(beside, at(gauge).y());
        dimension(a, b, QStringLiteral("%1").arg(s.drop, 0, 'f', 2), (a + b) / 2);
    }
    if (s.tip_drop > 0.5 && std::abs(s.tip_drop - s.drop) > 0.5) {
        const QPointF a(beside + 34, at(face).y());
        const QPointF b(beside + 34, at(tip).y());
        dimension(a, b, QStringLiteral("%1").arg(s.tip_drop, 0, 'f', 2), (a + b) / 2 + QPointF(0, 14));
    }
    const double below = at({0, bottom}).y() + 8;
    if (s.reach > 0.5) {
        const QPointF a(at(face).x(), below);
        const QPointF b(at(gauge).x(), below);
        dimension(a, b, QStringLiteral("%1").arg(s.reach, 0, 'f', 2), (a + b) / 2);
    }
    if (s.tip_reach > 0.5 && std::abs(s.tip_reach - s.reach) > 0.5) {
        const QPointF a(at(face).x(), below + 16);
        const QPointF b(at(tip).x(), below + 16);
        dimension(a, b, QStringLiteral("%1").arg(s.tip_reach, 0, 'f', 2), (a + b) / 2);
    }
}

// --- the pane -------------------------------------------------------------------------------------------------------

HeadsPane::HeadsPane(Workspace& workspace, Selection& selection, QWidget* parent)
    : QWidget(parent), workspace_(workspace), selection_(selection), heads_(new QComboBox), state_(new QLabel), scales_(new QWidget),
      length_(new QLineEdit(QStringLiteral("60"))), drawing_(new HeadDrawing), figures_(new QLabel), users_(new QListWidget)
{
    setObjectName(QStringLiteral("heads-pane"));
    set_surface(*this, "paper");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(8);
    heads_->setObjectName(QStringLiteral("heads"));
    heads_->setAccessibleName(tr("what is fitted to the spindle"));
    heads_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    column->addWidget(heads_);
    state_->setObjectName(QStringLiteral("head-state"));
    state_->setWordWrap(true);
    column->addWidget(state_);
    new QVBoxLayout(scales_);
    scales_->layout()->setContentsMargins(0, 0, 0, 0);
    column->addWidget(scales_);
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(tr("Tool length"));
    label->setProperty("role", "soft");
    length_->setObjectName(QStringLiteral("head-tool-length"));
    length_->setAccessibleName(tr("length of the tool in the sketch"));
    label->setBuddy(length_);
    row->addWidget(label);
    row->addWidget(length_);
    row->addStretch(1);
    column->addLayout(row);
    column->addWidget(drawing_, 3);
    figures_->setObjectName(QStringLiteral("head-figures"));
    figures_->setWordWrap(true);
    column->addWidget(figures_);
    auto* used = new QLabel(tr("Operations that use it"));
    used->setProperty("role", "soft");
    column->addWidget(used);
    users_->setObjectName(QStringLiteral("head-users"));
    users_->setAccessibleName(tr("operations that use this attachment"));
    column->addWidget(users_, 1);
    connect(heads_, &QComboBox::activated, this, [this] {
        Q_EMIT fit_wanted(chosen());
        renew_scales();
        renew_users();
        draw();
    });
    connect(length_, &QLineEdit::textChanged, this, [this] { draw(); });
    connect(users_, &QListWidget::itemClicked, this,
            [this](const QListWidgetItem* item) { selection_.select_record(item->data(Qt::UserRole).toUInt()); });
}

std::optional<std::uint32_t> HeadsPane::chosen() const
{
    return heads_->currentIndex() >= 0 ? std::optional(heads_->currentData().toUInt()) : std::nullopt;
}

void HeadsPane::hideEvent(QHideEvent* event)
{
    QWidget::hideEvent(event);
    machine_ = nullptr; // it may go while nobody looks
    position_.reset();
    Q_EMIT fit_wanted(std::nullopt);
}

void HeadsPane::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    Q_EMIT fit_wanted(chosen()); // and with it comes the machine
}

void HeadsPane::set_position(const Machine* machine, const std::optional<Readings>& readings, double tool_length)
{
    machine_ = machine;
    position_ = readings;
    if (tool_length > 0 && !length_->isModified()) {
        const QSignalBlocker quiet(length_);
        length_->setText(quantity_text(std::round(tool_length * 1e4) / 1e4, Measure::length));
    }
    if (isVisible()) {
        renew();
    }
}

void HeadsPane::renew()
{
    const auto before = chosen();
    const QSignalBlocker quiet(heads_);
    heads_->clear();
    std::optional<std::uint32_t> used;
    if (workspace_.results()) {
        used = workspace_.results()->assembly().posture_of(selection_.operation()).mount;
    }
    for (std::size_t i = 0; machine_ != nullptr && i < machine_->mounts.size(); ++i) {
        const Mount& mount = machine_->mounts[i];
        if (mount.kind == MountKind::tool) {
            heads_->addItem(mount.attachment ? QString::fromStdString(mount.name.empty() ? mount.id : mount.name)
                                             : tr("%1, no attachment").arg(QString::fromStdString(mount.id)),
                            uint(i));
        }
    }
    const auto wanted = before ? before : used;
    heads_->setCurrentIndex(std::max(0, wanted ? heads_->findData(uint(*wanted)) : 0));
    renew_scales();
    renew_users();
    draw();
}

void HeadsPane::renew_scales()
{
    const auto mount = chosen();
    QString key;
    std::vector<JointIndex> joints;
    if (machine_ != nullptr && mount) {
        joints = hand_joints(*machine_, *mount);
        key = QString::number(*mount);
        for (const JointIndex joint : joints) {
            key += QLatin1Char('|') + QString::fromStdString(machine_->joints[joint.value].id);
        }
    }
    if (key != scales_of_) {
        scales_of_ = key;
        scale_rows_.clear();
        delete scales_->layout();
        qDeleteAll(scales_->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
        auto* rows = new QVBoxLayout(scales_);
        rows->setContentsMargins(0, 0, 0, 0);
        for (const JointIndex joint : joints) {
            const QString id = QString::fromStdString(machine_->joints[joint.value].id);
            auto* row = new QHBoxLayout;
            row->setSpacing(6);
            auto* reading = new QLabel;
            reading->setObjectName(QStringLiteral("head-reading-") + id);
            rows->addWidget(reading);
            for (const auto& [text, steps, name] : {std::tuple(tr("− 10"), -10, "--"), std::tuple(tr("−"), -1, "-"),
                                                    std::tuple(tr("+"), 1, "+"), std::tuple(tr("+ 10"), 10, "++")}) {
                auto* one = named_button(text, QStringLiteral("head-turn-%1%2").arg(id, QLatin1String(name)),
                                         tr("%1 by %2 marks of its scale").arg(id).arg(steps));
                one->setAccessibleName(tr("turn %1 by %2 marks").arg(id).arg(steps));
                one->setAutoRepeat(true);
                row->addWidget(one);
                const int by = steps;
                connect(one, &QPushButton::clicked, this, [this, joint, by] {
                    if (machine_ != nullptr && position_ && joint.value < machine_->joints.size()) {
                        Q_EMIT turn_wanted(joint.value,
                                           turned_by_steps(machine_->joints[joint.value], (*position_)[Eigen::Index(joint.value)], by));
                    }
                });
            }
            row->addStretch(1);
            rows->addLayout(row);
            scale_rows_.emplace_back(joint, reading);
        }
    }
    for (const auto& [joint, label] : scale_rows_) {
        if (!position_ || joint.value >= std::size_t(position_->size())) {
            continue;
        }
        const Joint& one = machine_->joints[joint.value];
        label->setText(tr("%1 at %2°, scale %3 … %4°%5")
                           .arg(QString::fromStdString(one.id))
                           .arg(quantity_text((*position_)[Eigen::Index(joint.value)], Measure::angle),
                                quantity_text(one.scale.low, Measure::angle), quantity_text(one.scale.high, Measure::angle),
                                one.scale.step > 0 ? tr(", marks at %1°").arg(quantity_text(one.scale.step, Measure::angle)) : QString()));
    }
}

void HeadsPane::renew_users()
{
    users_->clear();
    const auto& results = workspace_.results();
    const auto mount = chosen();
    if (!results || !mount || machine_ == nullptr || *mount >= machine_->mounts.size()) {
        return;
    }
    const Assembly& a = results->assembly();
    const auto& operations = results->posted->run.outline.operations;
    for (std::size_t i = 0; i < a.job.operations.size(); ++i) {
        const std::uint32_t used = a.posture_of(i).mount;
        if (used < a.machine.mounts.size() && a.machine.mounts[used].id == machine_->mounts[*mount].id) {
            auto* item = new QListWidgetItem(QStringLiteral("%1  %2").arg(QString::fromStdString(a.job.operations[i].id),
                                                                          QString::fromStdString(a.job.operations[i].name)));
            item->setData(Qt::UserRole, i < operations.size() ? uint(operations[i].first_record) : 0U);
            users_->addItem(item);
        }
    }
    if (users_->count() == 0) {
        auto* none = new QListWidgetItem(tr("none of this job: an operation names it under \"posture\""));
        none->setFlags(Qt::NoItemFlags);
        users_->addItem(none);
    }
}

void HeadsPane::draw()
{
    const auto mount = chosen();
    if (machine_ == nullptr || !mount || !position_ || std::size_t(position_->size()) != machine_->joints.size()) {
        drawing_->set_sketch(std::nullopt, 0);
        figures_->setText(tr("This machine has no tool mount yet: Define adds one."));
        state_->clear();
        return;
    }
    const double length = quantity_of(length_->text(), Measure::length).value_or(0);
    const HeadSketch sketch = sketch_of(*machine_, *mount, *position_, length);
    drawing_->set_sketch(sketch, length);
    const Mount& head = machine_->mounts[*mount];
    QStringList words;
    if (!sketch.measured) {
        words.push_back(
            tr("Its gauge length is not stated: jobs that use it have an error, and are not written. Measure it, and type it under "
               "Define."));
    }
    if (head.gearing.ratio != 1 || head.gearing.reversed || head.gearing.most_speed > 0) {
        QString gears = tr("Gears %1 to 1%2").arg(head.gearing.ratio).arg(head.gearing.reversed ? tr(", turned round") : QString());
        gears += head.gearing.most_speed > 0 ? tr(", at most %1 rpm").arg(head.gearing.most_speed) : QString();
        words.push_back(gears);
    }
    state_->setStyleSheet(sketch.measured ? QString() : QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
    state_->setText(words.join(QStringLiteral(". ")));
    state_->setVisible(!words.isEmpty());
    figures_->setText(tr("Gauge point %1 mm below the spindle's face, %2 mm beside its axis; the tool leans by %3°. Tip %4 mm below, %5 mm "
                         "beside.")
                          .arg(sketch.drop, 0, 'f', 3)
                          .arg(sketch.reach, 0, 'f', 3)
                          .arg(to_deg(sketch.leans), 0, 'f', 3)
                          .arg(sketch.tip_drop, 0, 'f', 3)
                          .arg(sketch.tip_reach, 0, 'f', 3));
}

} // namespace wexilum::app
