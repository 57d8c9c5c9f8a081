#include "app/theme/theme.hpp"

#include <QApplication>
#include <QFontDatabase>
#include <QIconEngine>
#include <QPainterPath>
#include <QPalette>
#include <QStyle>
#include <QTableWidget>
#include <QTreeWidget>
#include <QTreeWidgetItemIterator>
#include <QVariant>
#include <QWidget>
#include <algorithm>
#include <optional>
#include <utility>
#include <vector>

namespace wexilum::app {
namespace {

bool dark = false;

constexpr double text_px = 12.5;

QString hex(Rgb rgb) { return colour(rgb).name(); }

/// The style sheet, with %name for each colour.
const char* const sheet = R"(
QWidget { color: %ink; }
QMainWindow, QDialog { background: %paper; }
QDialog#palette { border: 1px solid %faint; }
QMenuBar { background: %paper; padding: 2px 6px; border: none; }
QMenuBar::item { padding: 4px 9px; background: transparent; border-radius: 4px; }
QMenuBar::item:selected { background: %wash; }
QMenu { background: %panel; border: 1px solid %line; padding: 4px; }
QMenu::item { padding: 5px 28px 5px 12px; border-radius: 4px; }
QMenu::item:selected { background: %wash; color: %ink; }
QMenu::item:disabled { color: %faint; }
QMenu::separator { height: 1px; background: %line; margin: 4px 6px; }
QToolTip { background: %panel; color: %ink; border: 1px solid %line; padding: 4px 6px; }
*[surface="paper"] { background: %paper; }
*[surface="sunk"] { background: %sunk; }
*[surface="panel"] { background: %panel; }
*[surface="bar"] { background: %panel; border-bottom: 1px solid %line; }
*[surface="side"] { background: %paper; border-right: 1px solid %line; }
*[surface="aside"] { background: %paper; border-left: 1px solid %line; }
*[surface="drawer"] { background: %panel; border-top: 1px solid %line; }
*[surface="head"] { background: %sunk; border-bottom: 1px solid %line; }
*[surface="card"] { background: %panel; border: 1px solid %line; border-radius: 5px; }
*[surface="band"] { background: %panel; border: 1px solid %beyond; border-radius: 5px; }
QLabel[role="caption"] { color: %soft; font-weight: 600; }
QLabel[role="soft"] { color: %soft; }
QLabel[role="faint"] { color: %faint; }
QPushButton, QToolButton { background: %panel; border: 1px solid %line; border-radius: 5px; padding: 3px 10px; min-height: 17px; }
QPushButton:hover, QToolButton:hover { border-color: %accent; }
QPushButton:checked, QToolButton:checked { background: %wash; border-color: %accent; }
QPushButton:pressed, QToolButton:pressed { background: %wash; }
QPushButton:disabled, QToolButton:disabled { color: %faint; border-color: %line; }
QPushButton:focus, QToolButton:focus { border: 1px solid %accent; }
QPushButton[role="main"] { background: %fill; color: %on_fill; border-color: %fill; }
QPushButton[role="main"]:disabled { background: %sunk; color: %faint; border-color: %line; }
QPushButton[role="link"] { background: transparent; border: none; color: %accent; padding: 0; text-align: left; }
QPushButton[role="link"]:focus, QPushButton[role="link"]:hover { text-decoration: underline; }
QLineEdit, QComboBox, QSpinBox, QDoubleSpinBox { background: %panel; border: 1px solid %line; border-radius: 5px; padding: 2px 7px; min-height: 19px; selection-background-color: %fill; selection-color: %on_fill; }
QLineEdit:focus, QComboBox:focus { border-color: %accent; }
QLineEdit[wrong="true"] { border-color: %beyond; }
QLineEdit:read-only { background: %paper; color: %soft; }
QComboBox::drop-down { border: none; width: 20px; }
QComboBox::down-arrow { width: 0; height: 0; border-left: 4px solid %panel; border-right: 4px solid %panel; border-top: 5px solid %soft; margin-right: 8px; }
QComboBox QAbstractItemView { background: %panel; selection-background-color: %wash; selection-color: %ink; border: 1px solid %line; }
QCheckBox { spacing: 6px; }
QTableView, QTreeView, QListView, QPlainTextEdit { background: %panel; border: none; selection-background-color: %wash; selection-color: %ink; alternate-background-color: %paper; gridline-color: %line; outline: none; }
QTreeView[place="side"] { background: %paper; }
QTreeView::item { padding: 2px 4px; border: none; }
QTreeView::item:selected, QListView::item:selected, QTableView::item:selected { background: %wash; color: %ink; }
QTreeView::item:hover { background: %sunk; }
QTreeView::item:selected:hover { background: %wash; }
QTableView QLineEdit { border-radius: 0; padding: 0 4px; min-height: 0; }
QHeaderView { background: %sunk; border: none; }
QHeaderView::section { background: %sunk; color: %soft; border: none; border-bottom: 1px solid %line; padding: 3px 6px; font-weight: 600; }
QTableCornerButton::section { background: %sunk; border: none; }
QScrollArea { background: transparent; border: none; }
QScrollBar:vertical { background: transparent; width: 11px; margin: 0; }
QScrollBar:horizontal { background: transparent; height: 11px; margin: 0; }
QScrollBar::handle { background: %line; border-radius: 4px; margin: 2px; min-height: 28px; min-width: 28px; }
QScrollBar::handle:hover { background: %faint; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QSplitter::handle { background: %line; }
QSplitter::handle:horizontal { width: 1px; }
QSplitter::handle:vertical { height: 1px; }
QProgressBar { background: %sunk; border: 1px solid %line; border-radius: 4px; text-align: center; max-height: 12px; }
QProgressBar::chunk { background: %fill; border-radius: 3px; }
QSlider::groove:horizontal { background: %line; height: 4px; border-radius: 2px; }
QSlider::handle:horizontal { background: %fill; width: 12px; margin: -5px 0; border-radius: 6px; }
)";

QString filled_sheet()
{
    const Tokens& t = tokens();
    const std::initializer_list<std::pair<const char*, Rgb>> values{
        {"%paper", t.paper}, {"%panel", t.panel}, {"%sunk", t.sunk},       {"%line", t.line},
        {"%ink", t.ink},     {"%soft", t.soft},   {"%faint", t.faint},     {"%accent", t.accent},
        {"%wash", t.wash},   {"%fill", t.fill},   {"%on_fill", t.on_fill}, {"%beyond", t.states[std::size_t(State::beyond)]}};
    QString out = QString::fromUtf8(sheet);
    for (const auto& [name, value] : values) {
        out.replace(QString::fromLatin1(name) + QLatin1Char(';'), hex(value) + QLatin1Char(';'));
    }
    // Values inside a longer property, e.g. "1px solid %line;", are covered by the same rule: each stands before a semicolon.
    return out;
}

using Recoloured = std::vector<std::pair<Rgb, Rgb>>; ///< an ink of the theme before, and of the one in force

Recoloured inks_between(const Tokens& before, const Tokens& now)
{
    Recoloured out{{before.ink, now.ink}, {before.soft, now.soft}, {before.faint, now.faint}, {before.accent, now.accent}};
    for (std::size_t i = 0; i < state_count; ++i) {
        out.emplace_back(before.states[i], now.states[i]);
    }
    return out;
}

/// An item's own ink made that of the theme in force; nothing where it has none, or one that no theme gave it.
std::optional<QColor> recoloured(const QBrush& own, const Recoloured& inks)
{
    const auto found =
        std::find_if(inks.begin(), inks.end(), [has = own.color().rgb() & 0xFFFFFFU](const auto& ink) { return ink.first == has; });
    return own.style() == Qt::NoBrush || found == inks.end() ? std::nullopt : std::optional(colour(found->second));
}

/// What keeps inks of its own, the sheets of single widgets and the items of trees and tables, follows the theme.
void recolour(const Recoloured& inks)
{
    for (QWidget* widget : QApplication::allWidgets()) {
        if (const QString own = widget->styleSheet(); !own.isEmpty()) {
            QString text = own;
            for (const auto& [before, now] : inks) {
                text.replace(hex(before), hex(now));
            }
            if (text != own) {
                widget->setStyleSheet(text);
            }
        }
        if (auto* tree = qobject_cast<QTreeWidget*>(widget)) {
            for (QTreeWidgetItemIterator it(tree); *it != nullptr; ++it) {
                for (int c = 0; c < tree->columnCount(); ++c) {
                    if (const auto ink = recoloured((*it)->foreground(c), inks)) {
                        (*it)->setForeground(c, *ink);
                    }
                }
            }
        } else if (auto* table = qobject_cast<QTableWidget*>(widget)) {
            for (int row = 0; row < table->rowCount(); ++row) {
                for (int c = 0; c < table->columnCount(); ++c) {
                    QTableWidgetItem* item = table->item(row, c);
                    if (const auto ink = item != nullptr ? recoloured(item->foreground(), inks) : std::nullopt) {
                        item->setForeground(*ink);
                    }
                }
            }
        }
    }
}

/// A state's shape, drawn in the colours in force whenever it is shown.
class StateIcon final : public QIconEngine {
public:
    explicit StateIcon(State state) : state_(state) {}
    void paint(QPainter* painter, const QRect& rect, QIcon::Mode, QIcon::State) override { paint_state(*painter, state_, rect); }
    [[nodiscard]] QIconEngine* clone() const override { return new StateIcon(state_); }
    QPixmap pixmap(const QSize& size, QIcon::Mode mode, QIcon::State state) override
    {
        QPixmap out(size);
        out.fill(Qt::transparent);
        QPainter painter(&out);
        paint(&painter, QRect({}, size), mode, state);
        return out;
    }

private:
    State state_;
};

} // namespace

const char* word_of(State state)
{
    switch (state) {
    case State::fits: return "fits";
    case State::margin: return "margin low";
    case State::beyond: return "beyond travel";
    case State::singular: return "near singular";
    case State::close: return "too close";
    case State::contact: return "contact";
    case State::waits: return "waits";
    }
    return "";
}

const Tokens& tokens() { return dark ? dark_tokens : light_tokens; }
QColor colour_of(State state) { return colour(tokens().states[std::size_t(state)]); }
bool is_dark() { return dark; }

void apply_theme(QApplication& application, bool be_dark)
{
    const Tokens& before = tokens();
    dark = be_dark;
    const Tokens& t = tokens();
    QPalette palette;
    for (const auto& [role, rgb] : std::initializer_list<std::pair<QPalette::ColorRole, Rgb>>{{QPalette::Window, t.paper},
                                                                                              {QPalette::Base, t.panel},
                                                                                              {QPalette::AlternateBase, t.paper},
                                                                                              {QPalette::Button, t.panel},
                                                                                              {QPalette::Text, t.ink},
                                                                                              {QPalette::WindowText, t.ink},
                                                                                              {QPalette::ButtonText, t.ink},
                                                                                              {QPalette::ToolTipBase, t.panel},
                                                                                              {QPalette::ToolTipText, t.ink},
                                                                                              {QPalette::PlaceholderText, t.faint},
                                                                                              {QPalette::Highlight, t.fill},
                                                                                              {QPalette::HighlightedText, t.on_fill},
                                                                                              {QPalette::Mid, t.line},
                                                                                              {QPalette::Link, t.accent}}) {
        palette.setColor(role, colour(rgb));
    }
    palette.setColor(QPalette::Disabled, QPalette::Text, colour(t.faint));
    palette.setColor(QPalette::Disabled, QPalette::ButtonText, colour(t.faint));
    application.setPalette(palette);
    if (application.font() != text_font()) { // each of these goes through all widgets
        application.setFont(text_font());
    }
    // Removed first: a sheet put in the place of another one is worked into each widget again for every widget that it stands in,
    // a second for all views; without that each is gone through once.
    application.setStyleSheet({});
    if (&before != &t) {
        recolour(inks_between(before, t));
    }
    application.setStyleSheet(filled_sheet());
}

QFont text_font(double scale, bool strong)
{
    QFont font(QStringList{QStringLiteral("Inter"), QStringLiteral("DejaVu Sans")});
    font.setPixelSize(qRound(text_px * scale));
    if (strong) {
        font.setWeight(QFont::DemiBold);
    }
    return font;
}

QFont code_font(double scale)
{
    QFont font(QStringList{QStringLiteral("JetBrains Mono"), QStringLiteral("DejaVu Sans Mono")});
    font.setPixelSize(qRound(text_px * scale));
    font.setStyleHint(QFont::Monospace);
    font.setStyleStrategy(QFont::PreferNoShaping); // "<=" is two characters and looks like them
    return font;
}

void paint_state(QPainter& painter, State state, const QRectF& square)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const QColor ink = colour_of(state);
    const QRectF r = square.adjusted(1.5, 1.5, -1.5, -1.5);
    const QPointF c = r.center();
    painter.setPen(QPen(ink, 1.5));
    painter.setBrush(Qt::NoBrush);
    switch (state) {
    case State::fits:
        painter.setBrush(ink);
        painter.drawEllipse(r);
        break;
    case State::margin: {
        painter.drawEllipse(r);
        QPainterPath half;
        half.moveTo(c);
        half.arcTo(r, 90, 180);
        painter.fillPath(half, ink);
        break;
    }
    case State::beyond: painter.fillRect(QRectF(r.left() + r.width() * 0.2, r.top() - 1, r.width() * 0.45, r.height() + 2), ink); break;
    case State::singular:
        painter.drawPolygon(
            QPolygonF({{c.x(), r.top() - 0.5}, {r.right() + 0.5, c.y()}, {c.x(), r.bottom() + 0.5}, {r.left() - 0.5, c.y()}}));
        break;
    case State::close:
        painter.drawEllipse(r);
        painter.setBrush(ink);
        painter.drawEllipse(c, r.width() * 0.18, r.width() * 0.18);
        break;
    case State::contact:
        painter.setPen(QPen(ink, 2.2));
        painter.drawLine(r.topLeft(), r.bottomRight());
        painter.drawLine(r.topRight(), r.bottomLeft());
        break;
    case State::waits: painter.drawEllipse(r); break;
    }
    painter.restore();
}

QIcon icon_of(State state) { return QIcon(new StateIcon(state)); }

void set_surface(QWidget& widget, const char* kind)
{
    widget.setAttribute(Qt::WA_StyledBackground);
    widget.setProperty("surface", QString::fromLatin1(kind));
}

} // namespace wexilum::app
