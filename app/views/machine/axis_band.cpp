#include "app/views/machine/axis_band.hpp"

#include "core/base/units.hpp"
#include "core/project/job_run.hpp"

#include <QPaintEvent>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr int row_height = 24;

}

std::optional<double> AxisShow::margin() const
{
    return travel ? std::optional(std::min(reading - travel->low, travel->high - reading)) : std::nullopt;
}

State AxisShow::state() const
{
    const auto left = margin();
    if (!left) {
        return State::fits;
    }
    if (*left < -1e-6) {
        return State::beyond;
    }
    return *left < low_margin_share * (travel->high - travel->low) ? State::margin : State::fits;
}

Travel AxisShow::span() const
{
    if (travel) {
        return {std::min(travel->low, reading), std::max(travel->high, reading)};
    }
    Travel out{-pi, pi};
    if (used) {
        out = {std::min(out.low, used->low), std::max(out.high, used->high)};
    }
    return {std::min(out.low, reading), std::max(out.high, reading)};
}

double band_x(const AxisShow& axis, const QRectF& area, double reading)
{
    const Travel span = axis.span();
    return area.left() + area.width() * (reading - span.low) / std::max(span.high - span.low, 1e-9);
}

double band_reading(const AxisShow& axis, const QRectF& area, double x)
{
    const Travel span = axis.span();
    return span.low + (span.high - span.low) * std::clamp((x - area.left()) / std::max(area.width(), 1.0), 0.0, 1.0);
}

void paint_band(QPainter& painter, const QRectF& area, const AxisShow& axis)
{
    const Tokens& t = tokens();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF bar(area.left(), area.center().y() - 4, area.width(), 8);
    const Travel whole = axis.travel.value_or(axis.span());
    const QRectF inside(band_x(axis, area, whole.low), bar.top(), band_x(axis, area, whole.high) - band_x(axis, area, whole.low),
                        bar.height());
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour(t.sunk));
    painter.drawRoundedRect(bar, 3, 3);
    QColor end = colour(t.line);
    painter.setBrush(end);
    painter.drawRoundedRect(inside, 3, 3);
    if (axis.used) {
        const double low = band_x(axis, area, std::max(axis.used->low, whole.low));
        const double high = band_x(axis, area, std::min(axis.used->high, whole.high));
        QColor used = colour(t.fill);
        used.setAlpha(is_dark() ? 130 : 105);
        painter.setBrush(used);
        painter.drawRoundedRect(QRectF(low, bar.top(), std::max(high - low, 2.0), bar.height()), 3, 3);
    }
    const State state = axis.state();
    const double x = std::clamp(band_x(axis, area, axis.reading), area.left() + 1.5, area.right() - 1.5);
    painter.setBrush(state == State::fits ? colour(t.ink) : colour_of(state));
    painter.drawRoundedRect(QRectF(x - 1.5, bar.top() - 3, 3, bar.height() + 6), 1, 1);
    painter.restore();
}

AxisBars::AxisBars(QWidget* parent) : QWidget(parent) { setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed); }

void AxisBars::set_rows(std::vector<Row> rows)
{
    rows_ = std::move(rows);
    QStringList said;
    for (const Row& row : rows_) {
        said.push_back(row.id + QLatin1Char(' ') + row.text + QStringLiteral(", ") + row.margin);
    }
    setAccessibleDescription(said.join(QStringLiteral("; ")));
    updateGeometry();
    update();
}

QSize AxisBars::sizeHint() const { return {220, row_height * int(rows_.size())}; }

void AxisBars::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Tokens& t = tokens();
    const QFont code = code_font();
    const QFont small = text_font(0.88);
    const int value_width = QFontMetrics(code).horizontalAdvance(QStringLiteral("-1000.0000°"));
    const int margin_width = QFontMetrics(small).horizontalAdvance(QStringLiteral("beyond 000.00 mm"));
    const bool roomy = width() > value_width + margin_width + 100;
    const int right = value_width + (roomy ? margin_width + 8 : 0);
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = rows_[i];
        const int top = int(i) * row_height;
        painter.setFont(code);
        painter.setPen(colour(t.ink));
        painter.drawText(QRect(0, top, 26, row_height), Qt::AlignVCenter | Qt::AlignLeft, row.id);
        paint_band(painter, QRectF(28, top, width() - 28 - right - 8, row_height), row.show);
        const State state = row.show.state();
        painter.setPen(state == State::fits ? colour(t.ink) : colour_of(state));
        painter.drawText(QRect(width() - right, top, value_width, row_height), Qt::AlignVCenter | Qt::AlignRight, row.text);
        if (roomy) {
            painter.setFont(small);
            painter.setPen(state == State::fits ? colour(t.faint) : colour_of(state));
            painter.drawText(QRect(width() - margin_width, top, margin_width, row_height), Qt::AlignVCenter | Qt::AlignRight, row.margin);
        }
    }
}

} // namespace wexilum::app
