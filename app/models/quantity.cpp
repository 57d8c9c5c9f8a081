#include "app/models/quantity.hpp"

#include "core/base/json_patch.hpp"
#include "core/base/units.hpp"

#include <QRegularExpression>

#include <cmath>

namespace wexilum::app {

std::optional<double> quantity_of(const QString& text, Measure measure)
{
    static const QRegularExpression form(QStringLiteral("^\\s*([-+]?(?:\\d+[.,]?\\d*|[.,]\\d+)(?:[eE][-+]?\\d+)?)\\s*(\\S*)\\s*$"));
    const auto match = form.match(text);
    if (!match.hasMatch()) {
        return std::nullopt;
    }
    bool ok = false;
    const double number = match.captured(1).replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&ok);
    const QString unit = match.captured(2).toLower();
    if (!ok || !std::isfinite(number) || std::abs(number) > 1e7) {
        return std::nullopt;
    }
    if (measure == Measure::length) {
        if (unit.isEmpty() || unit == QStringLiteral("mm")) {
            return number;
        }
        if (unit == QStringLiteral("in") || unit == QStringLiteral("inch") || unit == QStringLiteral("\"")) {
            return number * mm_per_inch;
        }
        return unit == QStringLiteral("cm")  ? std::optional(number * 10)
               : unit == QStringLiteral("m") ? std::optional(number * 1000)
                                             : std::nullopt;
    }
    if (measure == Measure::angle) {
        if (unit.isEmpty() || unit == QStringLiteral("°") || unit == QStringLiteral("deg")) {
            return to_rad(number);
        }
        return unit == QStringLiteral("rad") ? std::optional(number) : std::nullopt;
    }
    return unit.isEmpty() ? std::optional(number) : std::nullopt;
}

QString quantity_text(double value, Measure measure)
{
    return QString::fromStdString(json::number_text(measure == Measure::angle ? to_deg(value) : value));
}

} // namespace wexilum::app
