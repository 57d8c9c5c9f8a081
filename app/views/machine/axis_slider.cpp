#include "app/views/machine/axis_slider.hpp"

#include "app/models/quantity.hpp"
#include "app/models/stations.hpp"
#include "core/base/units.hpp"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <cmath>

namespace wexilum::app {
namespace {

constexpr double step_mm = 1;
constexpr double step_degrees = 1;

} // namespace

AxisHandle::AxisHandle(QWidget* parent) : QWidget(parent)
{
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setMinimumWidth(90);
    setToolTip(tr("Drag to jog; arrow keys by 1, with Shift by 10, with Ctrl by 0.1"));
}

void AxisHandle::set_show(const AxisShow& show, bool rotary)
{
    show_ = show;
    rotary_ = rotary;
    update();
}

void AxisHandle::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    paint_band(painter, band(), show_);
    if (hasFocus()) {
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(colour(tokens().accent), 1));
        painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    }
}

void AxisHandle::drag(double x)
{
    double reading = band_reading(show_, band(), x);
    const double unit = rotary_ ? to_rad(0.01) : 0.01;
    reading = std::round(reading / unit) * unit;
    Q_EMIT jogged(reading);
}

void AxisHandle::mousePressEvent(QMouseEvent* event)
{
    if (event->button() == Qt::LeftButton) {
        drag(event->position().x());
    }
}

void AxisHandle::mouseMoveEvent(QMouseEvent* event)
{
    if (event->buttons().testFlag(Qt::LeftButton)) {
        drag(event->position().x());
    }
}

void AxisHandle::keyPressEvent(QKeyEvent* event)
{
    double step = rotary_ ? to_rad(step_degrees) : step_mm;
    step *= event->modifiers().testFlag(Qt::ShiftModifier) ? 10 : event->modifiers().testFlag(Qt::ControlModifier) ? 0.1 : 1;
    switch (event->key()) {
    case Qt::Key_Left:
    case Qt::Key_Down: Q_EMIT jogged(show_.reading - step); return;
    case Qt::Key_Right:
    case Qt::Key_Up: Q_EMIT jogged(show_.reading + step); return;
    case Qt::Key_Home:
        if (show_.travel) {
            Q_EMIT jogged(show_.travel->low);
            return;
        }
        break;
    case Qt::Key_End:
        if (show_.travel) {
            Q_EMIT jogged(show_.travel->high);
            return;
        }
        break;
    default: break;
    }
    QWidget::keyPressEvent(event);
}

void AxisHandle::focusInEvent(QFocusEvent* event)
{
    QWidget::focusInEvent(event);
    update();
}
void AxisHandle::focusOutEvent(QFocusEvent* event)
{
    QWidget::focusOutEvent(event);
    update();
}

AxisRow::AxisRow(QWidget* parent) : QWidget(parent), name_(new QLabel), handle_(new AxisHandle), field_(new QLineEdit), margin_(new QLabel)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    name_->setFont(code_font());
    name_->setFixedWidth(22);
    field_->setFont(code_font());
    field_->setAlignment(Qt::AlignRight);
    field_->setFixedWidth(118);
    margin_->setFont(text_font(0.92));
    margin_->setFixedWidth(126);
    row->addWidget(name_);
    row->addWidget(handle_, 1);
    row->addWidget(field_);
    row->addWidget(margin_);
    connect(handle_, &AxisHandle::jogged, this, &AxisRow::jogged);
    connect(field_, &QLineEdit::returnPressed, this, &AxisRow::typed);
}

void AxisRow::set_axis(const Joint& joint, const AxisShow& show, const QString& follows)
{
    joint_ = joint;
    show_ = show;
    const QString id = QString::fromStdString(joint.id);
    name_->setText(id);
    handle_->set_show(show, joint.kind == JointKind::rotary);
    handle_->setObjectName(QStringLiteral("jog-") + id);
    field_->setObjectName(QStringLiteral("reading-") + id);
    field_->setText(reading_text(joint, show.reading));
    field_->setProperty("wrong", show.state() == State::beyond);
    const auto left = show.margin();
    const State state = show.state();
    QString margin = tr("turns without end");
    if (left) {
        margin = *left < -1e-6 ? tr("beyond by %1").arg(reading_text(joint, -*left)) : tr("%1 left").arg(reading_text(joint, *left));
    }
    margin_->setText(margin);
    margin_->setStyleSheet(QStringLiteral("color:%1").arg((state == State::fits ? colour(tokens().faint) : colour_of(state)).name()));
    if (show.travel) {
        margin_->setToolTip(tr("travel %1 to %2").arg(reading_text(joint, show.travel->low), reading_text(joint, show.travel->high)));
    }
    const bool alone = follows.isEmpty();
    handle_->setEnabled(alone);
    field_->setReadOnly(!alone);
    const QString moves = alone ? QString() : tr("%1 follows %2: it moves with it").arg(id, follows);
    name_->setToolTip(moves);
    handle_->setToolTip(moves);
    field_->setToolTip(moves);
    if (!alone) {
        margin_->setText(tr("follows %1").arg(follows));
    }
    handle_->setAccessibleName(tr("jog %1").arg(id));
    handle_->setAccessibleDescription(reading_text(joint, show.reading) + QStringLiteral(", ") + margin);
    field_->setAccessibleName(tr("reading of %1").arg(id));
}

void AxisRow::typed()
{
    const bool rotary = joint_.kind == JointKind::rotary;
    const auto value = quantity_of(field_->text(), rotary ? Measure::angle : Measure::length);
    field_->setProperty("wrong", !value);
    if (value) {
        Q_EMIT jogged(*value);
    } else {
        field_->setToolTip(tr("type a number, with or without a unit (mm, in, °, rad)"));
        field_->selectAll();
    }
}

} // namespace wexilum::app
