// Numbers as people type them, with or without a unit.
#pragma once

#include <QString>

#include <optional>

namespace wexilum::app {

enum class Measure { length, angle, plain };

/// "12.5", "12,5 mm", "0.5 in" as mm; "30", "30°", "0.4 rad" as rad (degrees where no unit is given). Nothing where it is neither.
[[nodiscard]] std::optional<double> quantity_of(const QString& text, Measure measure);
/// mm or degrees, without needless zeros.
[[nodiscard]] QString quantity_text(double value, Measure measure);

} // namespace wexilum::app
