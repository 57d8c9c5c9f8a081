#include "app/views/frame/run_strip.hpp"

#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"

#include <QHBoxLayout>
#include <QPainter>

namespace wexilum::app {

StationButton::StationButton(Station station, QWidget* parent) : QAbstractButton(parent)
{
    setCheckable(true);
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setMinimumWidth(120);
    setObjectName(QStringLiteral("station-") + QLatin1String(station_keys()[std::size_t(station)]));
    setToolTip(tr("%1 (Ctrl+%2)").arg(name_of(station)).arg(int(station) + 1));
}

void StationButton::set_state(const StationState& state)
{
    state_ = state;
    setText(state.name);
    setAccessibleName(state.name);
    setAccessibleDescription(state.figure + QStringLiteral(", ") + state.status);
    update();
}

void StationButton::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Tokens& t = tokens();
    const QRect all = rect();
    painter.fillRect(all, colour(isChecked() ? t.panel : t.sunk));
    if (underMouse() && !isChecked()) {
        painter.fillRect(all, colour(t.paper));
    }
    painter.setPen(colour(t.line));
    painter.drawLine(all.right(), all.top(), all.right(), all.bottom());
    painter.drawLine(all.left(), all.bottom(), all.right(), all.bottom());
    if (isChecked()) {
        painter.fillRect(QRect(all.left(), all.bottom() - 2, all.width(), 3),
                         colour_of(state_.state == State::beyond ? State::beyond : State::fits));
    }
    // The thread that joins the stations.
    painter.setPen(QPen(colour(t.line), 2));
    painter.drawLine(QPointF(all.left(), 7), QPointF(all.right(), 7));
    const int x = 16;
    const auto line = [&](int y, const QFont& font, const QColor& ink, const QString& text, int left) {
        painter.setFont(font);
        painter.setPen(ink);
        const QRect room(left, y, all.width() - left - 8, 17);
        painter.drawText(room, Qt::AlignVCenter | Qt::AlignLeft, QFontMetrics(font).elidedText(text, Qt::ElideRight, room.width()));
    };
    line(9, text_font(1, true), colour(t.ink), state_.name, x);
    line(25, code_font(0.96), colour(t.ink), state_.figure, x);
    paint_state(painter, state_.state, QRectF(x, 44.5, 10, 10));
    line(41, text_font(0.92), colour_of(state_.state), state_.status, x + 15);
    if (hasFocus()) {
        painter.setPen(QPen(colour(t.accent), 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(QRectF(all).adjusted(3.5, 3.5, -4.5, -4.5), 4, 4);
    }
}

RunStrip::RunStrip(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace)
{
    setObjectName(QStringLiteral("run-strip"));
    set_surface(*this, "sunk");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    for (std::size_t i = 0; i < station_count; ++i) {
        const auto station = static_cast<Station>(i);
        buttons_[i] = new StationButton(station);
        row->addWidget(buttons_[i]);
        connect(buttons_[i], &QAbstractButton::clicked, this, [this, station] { Q_EMIT chosen(station); });
    }
    for (const auto signal : {&Workspace::job_changed, &Workspace::code_changed, &Workspace::replay_changed, &Workspace::failed}) {
        connect(&workspace, signal, this, &RunStrip::renew);
    }
    for (const auto signal : {&JobRun::started, &JobRun::finished}) {
        connect(&workspace.runs(), signal, this, &RunStrip::renew);
    }
    connect(&workspace.project(), &ProjectFiles::changed, this, &RunStrip::renew);
    connect(&workspace.compared(), &ComparedCode::changed, this, &RunStrip::renew);
    renew();
}

// Not an exclusive group of Qt's: its unchecked members leave the tab order.
void RunStrip::set_current(Station station)
{
    for (std::size_t i = 0; i < station_count; ++i) {
        buttons_[i]->setChecked(i == std::size_t(station));
    }
}

void RunStrip::renew()
{
    for (std::size_t i = 0; i < station_count; ++i) {
        buttons_[i]->setVisible(station_is_there(workspace_, static_cast<Station>(i)));
        buttons_[i]->set_state(station_state(workspace_, static_cast<Station>(i)));
    }
}

} // namespace wexilum::app
