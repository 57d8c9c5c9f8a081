#include "app/views/replay/budget_gauge.hpp"

#include "app/theme/theme.hpp"

#include <QFontMetrics>
#include <QPainter>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr double gauge_scale = 0.9;

} // namespace

BudgetGauge::BudgetGauge(QString name, QWidget* parent) : QWidget(parent), name_(std::move(name))
{
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setMinimumWidth(110);
    setAccessibleName(name_);
}

void BudgetGauge::set_value(double value, double budget, int decimals)
{
    ratio_ = budget > 0 ? value / budget : 0;
    text_ = tr("%1 of %2").arg(value, 0, 'f', decimals).arg(budget, 0, 'f', decimals);
    setAccessibleDescription(text_);
    update();
}

QSize BudgetGauge::sizeHint() const
{
    return {std::max(QFontMetrics(code_font(gauge_scale)).horizontalAdvance(text_),
                     QFontMetrics(text_font(gauge_scale)).horizontalAdvance(name_)),
            44};
}

void BudgetGauge::clear()
{
    ratio_ = -1;
    text_ = QStringLiteral("—");
    update();
}

void BudgetGauge::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(text_font(gauge_scale));
    painter.setPen(colour(tokens().soft));
    painter.drawText(QRect(0, 0, width(), 15), Qt::AlignLeft | Qt::AlignVCenter, name_);
    painter.setFont(code_font(gauge_scale));
    const bool over = ratio_ > 1;
    painter.setPen(over ? colour_of(State::beyond) : colour(tokens().ink));
    painter.drawText(QRect(0, 15, width(), 18), Qt::AlignLeft | Qt::AlignVCenter, text_);
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour(tokens().line));
    painter.drawRoundedRect(QRectF(0, 36, width() - 6, 5), 2, 2);
    if (ratio_ >= 0) {
        painter.setBrush(over ? colour_of(State::beyond) : colour(tokens().fill));
        painter.drawRoundedRect(QRectF(0, 36, (width() - 6) * std::clamp(ratio_, 0.01, 1.0), 5), 2, 2);
    }
}

} // namespace wexilum::app
