// The look: colours, fonts, style sheet and the shapes of states.
#pragma once

#include "app/theme/tokens.hpp"

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QPainter>

class QApplication;
class QWidget;

namespace wexilum::app {

/// The colours in force.
[[nodiscard]] const Tokens& tokens();
[[nodiscard]] inline QColor colour(Rgb rgb) { return QColor::fromRgb(rgb); }
[[nodiscard]] QColor colour_of(State state);

[[nodiscard]] bool is_dark();
/// Puts a theme in force: palette and style sheet of the whole application, and the inks that items and single widgets keep for
/// themselves. Widgets that paint themselves follow by their next paint.
void apply_theme(QApplication& application, bool dark);

[[nodiscard]] QFont text_font(double scale = 1, bool strong = false);
[[nodiscard]] QFont code_font(double scale = 1);

/// Draws a state's shape in a square of `size` px.
void paint_state(QPainter& painter, State state, const QRectF& square);
[[nodiscard]] QIcon icon_of(State state);

/// Turns a widget into a plain surface of one of the named kinds the style sheet knows ("sunk", "panel", "card", "head" …).
void set_surface(QWidget& widget, const char* kind);

} // namespace wexilum::app
