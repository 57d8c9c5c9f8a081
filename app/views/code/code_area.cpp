#include "app/views/code/code_area.hpp"

#include "app/theme/theme.hpp"
#include "core/base/units.hpp"

#include <QApplication>
#include <QClipboard>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr int lane_width = 84;
constexpr double row_factor = 19.0 / 12.5;

QString qt(std::string_view text) { return QString::fromUtf8(text.data(), qsizetype(text.size())); }

} // namespace

CodeArea::CodeArea(QWidget* parent) : QAbstractScrollArea(parent), columns_(new CodeColumns(this))
{
    setFrameShape(NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    viewport()->setCursor(Qt::IBeamCursor);
    setFont(code_font());
    setAccessibleName(tr("code"));
    connect(verticalScrollBar(), &QScrollBar::valueChanged, this, &CodeArea::sight_changed);
    connect(horizontalScrollBar(), &QScrollBar::valueChanged, this, [this](int along) {
        const Layout l = layout_now();
        columns_->set_layout(l.text - along, l.column, l.row);
    });
}

void CodeArea::set_lines(std::shared_ptr<const LineTable> lines, const LineStyle& style)
{
    columns_->set_names(style.columns, style.separator, style.remark);
    lines_ = std::move(lines);
    preview_.reset();
    open_ = style.comment_open;
    close_ = style.comment_close;
    if (!lines_ || line_ >= lines_->size()) {
        line_ = anchor_ = Selection::none;
        word_ = -1;
    }
    columns_->measure(lines_.get());
    set_scroll_range();
    viewport()->update();
}

void CodeArea::set_preview(std::uint32_t first, std::shared_ptr<const LineTable> lines)
{
    preview_first_ = first;
    preview_ = std::move(lines);
    viewport()->update();
}

std::pair<std::uint32_t, std::uint32_t> CodeArea::lines_in_sight() const
{
    const auto first = std::uint32_t(verticalScrollBar()->value());
    const std::uint32_t count = lines_ ? lines_->size() : 0;
    return {first, std::min(first + std::uint32_t(visible_rows()), count > 0 ? count - 1 : 0)};
}

std::pair<std::string_view, bool> CodeArea::shown(std::uint32_t line) const
{
    const bool preview = preview_ && line >= preview_first_ && line - preview_first_ < preview_->size();
    return {preview ? preview_->line(line - preview_first_) : lines_->line(line), preview};
}

void CodeArea::set_deviation(std::function<ReplayTrack::Measure(std::uint32_t)> measure)
{
    measure_ = std::move(measure);
    viewport()->update();
}

void CodeArea::set_lane_visible(bool on)
{
    lane_ = on;
    set_scroll_range();
    viewport()->update();
}

void CodeArea::set_marks(std::map<std::uint32_t, int> marks)
{
    marks_ = std::move(marks);
    viewport()->update();
}

void CodeArea::set_empty_text(const QString& text)
{
    empty_ = text;
    viewport()->update();
}

int CodeArea::row_height() const { return qRound(QFontInfo(font()).pixelSize() * row_factor); }

CodeArea::Layout CodeArea::layout_now() const
{
    Layout l;
    const QFontMetrics metrics(font());
    l.row = row_height();
    l.column = metrics.horizontalAdvance(QLatin1Char('0'));
    const int digits = std::max<int>(3, int(QString::number(lines_ ? lines_->size() : 0).size()));
    l.number = digits * l.column;
    l.text = l.mark + l.number + 16;
    l.lane = lane_ && measure_ ? lane_width : 0;
    return l;
}

int CodeArea::visible_rows() const { return std::max(1, viewport()->height() / row_height()); }

void CodeArea::set_scroll_range()
{
    const Layout l = layout_now();
    const int names = columns_->any() ? l.row + 2 : 0;
    setViewportMargins(0, names, 0, 0);
    columns_->setGeometry(0, 0, width(), names);
    columns_->set_layout(l.text - horizontalScrollBar()->value(), l.column, l.row);
    const int count = lines_ ? int(lines_->size()) : 0;
    verticalScrollBar()->setRange(0, std::max(0, count - visible_rows()));
    verticalScrollBar()->setPageStep(visible_rows());
    verticalScrollBar()->setSingleStep(3);
    const int longest = columns_->any() ? columns_->length() : lines_ ? int(lines_->longest()) : 0;
    const int wide = lines_ ? l.text + (longest + 2) * l.column : 0;
    horizontalScrollBar()->setRange(0, std::max(0, wide - (viewport()->width() - l.lane)));
    horizontalScrollBar()->setPageStep(viewport()->width());
    horizontalScrollBar()->setSingleStep(l.column * 4);
    Q_EMIT sight_changed();
}

std::uint32_t CodeArea::line_at(int y) const
{
    const std::uint32_t line = std::uint32_t(verticalScrollBar()->value() + std::max(0, y) / row_height());
    return lines_ && lines_->size() > 0 ? std::min(line, lines_->size() - 1) : Selection::none;
}

int CodeArea::word_at(std::uint32_t line, int x) const
{
    const Layout l = layout_now();
    const int column = (x + horizontalScrollBar()->value() - l.text) / std::max(1, l.column);
    const std::vector<WordSpan> words = open_ == '\0' ? std::vector<WordSpan>() : words_of(lines_->line(line), open_, close_);
    for (std::size_t i = 0; i < words.size(); ++i) {
        if (x >= l.text - horizontalScrollBar()->value() && column >= words[i].begin && column < words[i].begin + words[i].length) {
            return int(i);
        }
    }
    return -1;
}

QRect CodeArea::rect_of(std::uint32_t line, int word) const
{
    const Layout l = layout_now();
    const std::int64_t row = std::int64_t(line) - verticalScrollBar()->value();
    if (!lines_ || line >= lines_->size() || row < 0 || row > visible_rows()) {
        return {};
    }
    const int top = int(row) * l.row;
    if (word < 0) {
        return {0, top, viewport()->width(), l.row};
    }
    const auto words = words_of(lines_->line(line), open_, close_);
    if (std::size_t(word) >= words.size()) {
        return {};
    }
    const WordSpan& span = words[std::size_t(word)];
    return {l.text - horizontalScrollBar()->value() + span.begin * l.column, top, span.length * l.column, l.row};
}

void CodeArea::show_line(std::uint32_t line, int word)
{
    line_ = anchor_ = line;
    word_ = word;
    keep_in_sight();
    viewport()->update();
}

void CodeArea::keep_in_sight()
{
    if (line_ == Selection::none) {
        return;
    }
    const int row = int(line_);
    const int first = verticalScrollBar()->value();
    const int rows = visible_rows();
    if (row < first || row >= first + rows) {
        const bool near = row >= first - 2 && row <= first + rows + 1;
        verticalScrollBar()->setValue(near ? (row < first ? row : row - rows + 1) : row - rows / 3);
    }
}

void CodeArea::choose(std::uint32_t line, int word, bool extend)
{
    if (!lines_ || lines_->size() == 0) {
        return;
    }
    line_ = std::min(line, lines_->size() - 1);
    word_ = word;
    if (!extend) {
        anchor_ = line_;
    }
    keep_in_sight();
    viewport()->update();
    Q_EMIT chosen(line_, word_);
}

void CodeArea::copy() const
{
    if (!lines_ || line_ == Selection::none) {
        return;
    }
    QString out;
    for (std::uint32_t i = std::min(line_, anchor_); i <= std::max(line_, anchor_); ++i) {
        out += qt(lines_->line(i)) + QLatin1Char('\n');
    }
    if (line_ == anchor_) {
        out.chop(1);
    }
    QApplication::clipboard()->setText(out);
}

// --- painting -------------------------------------------------------------------------------------------------------

void CodeArea::paintEvent(QPaintEvent* event)
{
    QPainter painter(viewport());
    painter.fillRect(event->rect(), colour(tokens().panel));
    if (!lines_ || lines_->size() == 0) {
        painter.setFont(text_font());
        painter.setPen(colour(tokens().soft));
        painter.drawText(viewport()->rect().adjusted(24, 0, -24, 0), Qt::AlignCenter | Qt::TextWordWrap, empty_);
        return;
    }
    painter.setFont(font());
    const Layout l = layout_now();
    const int first = verticalScrollBar()->value();
    const int last = std::min(int(lines_->size()) - 1, first + viewport()->height() / l.row);
    for (int line = first; line <= last; ++line) {
        paint_row(painter, l, std::uint32_t(line), (line - first) * l.row);
    }
}

void CodeArea::paint_row(QPainter& painter, const Layout& l, std::uint32_t line, int top) const
{
    const Tokens& t = tokens();
    const bool chosen = line_ != Selection::none && line >= std::min(line_, anchor_) && line <= std::max(line_, anchor_);
    if (chosen) {
        painter.fillRect(0, top, viewport()->width(), l.row, colour(t.wash));
        painter.fillRect(0, top, 3, l.row, colour(t.fill));
    }
    const auto [text, preview] = shown(line);
    paint_text(painter, l, line, text, top);
    // Over what the text may have scrolled below.
    painter.fillRect(QRect(chosen ? 3 : 0, top, l.text - 8 - (chosen ? 3 : 0), l.row), colour(chosen ? t.wash : t.panel));
    if (const auto mark = marks_.find(line); mark != marks_.end() && !preview) {
        paint_state(painter, static_cast<State>(mark->second), QRectF(5, top + (l.row - 11) / 2.0, 11, 11));
    }
    painter.setPen(colour(chosen ? t.soft : t.faint));
    painter.drawText(QRect(l.mark, top, l.number, l.row), Qt::AlignRight | Qt::AlignVCenter, QString::number(line + 1));
    if (l.lane > 0 && !preview) {
        paint_deviation(painter, l, line, top);
    }
}

void CodeArea::paint_text(QPainter& painter, const Layout& l, std::uint32_t line, std::string_view text, int top) const
{
    const Tokens& t = tokens();
    const int x = l.text - horizontalScrollBar()->value();
    if (columns_->any()) {
        columns_->paint_row(painter, text, top);
        return;
    }
    const std::vector<WordSpan> words = open_ == '\0' ? std::vector<WordSpan>() : words_of(text, open_, close_);
    const auto draw = [&](int begin, int length, Rgb ink) {
        painter.setPen(colour(ink));
        painter.drawText(QRect(x + begin * l.column, top, (length + 1) * l.column, l.row),
                         Qt::AlignLeft | Qt::AlignVCenter | Qt::TextDontClip, qt(text.substr(std::size_t(begin), std::size_t(length))));
    };
    int done = 0;
    for (std::size_t i = 0; i < words.size(); ++i) {
        const auto [begin, length] = words[i];
        if (begin > done) {
            draw(done, begin - done, t.comment);
        }
        const bool here = line == line_ && int(i) == word_;
        if (here) {
            painter.setPen(Qt::NoPen);
            painter.setBrush(colour(t.fill));
            painter.drawRoundedRect(QRectF(x + begin * l.column - 2, top + 1.5, length * l.column + 4, l.row - 3), 3, 3);
        }
        const bool number = i == 0 && (text[std::size_t(begin)] == 'N' || text[std::size_t(begin)] == 'O');
        draw(begin, length, here ? t.on_fill : number ? t.faint : t.ink);
        done = begin + length;
    }
    if (done < int(text.size())) {
        draw(done, int(text.size()) - done, open_ == '\0' ? t.ink : t.comment);
    }
}

void CodeArea::paint_deviation(QPainter& painter, const Layout& l, std::uint32_t line, int top) const
{
    const ReplayTrack::Measure measure = measure_(line);
    const QRectF lane(viewport()->width() - l.lane, top, l.lane - 10, l.row);
    const bool chosen = line == line_;
    painter.fillRect(QRectF(lane.left() - 6, top, lane.width() + 16, l.row), colour(chosen ? tokens().wash : tokens().panel));
    painter.setPen(QPen(colour(tokens().line), 1));
    painter.drawLine(QPointF(lane.right() + 0.5, top), QPointF(lane.right() + 0.5, top + l.row));
    if (measure.tip < 0) {
        return;
    }
    const double ratio = measure.ratio();
    const bool over = ratio > 1;
    QColor ink = over ? colour_of(State::beyond) : colour(tokens().fill);
    if (!over) {
        ink.setAlpha(120);
    }
    painter.setPen(Qt::NoPen);
    painter.setBrush(ink);
    const double width = std::clamp(ratio, 0.02, 1.0) * lane.width();
    painter.drawRoundedRect(QRectF(lane.right() - width, lane.center().y() - (over ? 4 : 2.5), width, over ? 8 : 5), 2, 2);
}

// --- mouse and keys -------------------------------------------------------------------------------------------------

void CodeArea::resizeEvent(QResizeEvent*) { set_scroll_range(); }

void CodeArea::changeEvent(QEvent* event)
{
    QAbstractScrollArea::changeEvent(event);
    if (event->type() == QEvent::FontChange || event->type() == QEvent::StyleChange) {
        set_scroll_range();
    }
}

bool CodeArea::viewportEvent(QEvent* event)
{
    if (event->type() == QEvent::ToolTip && lines_ && measure_ && lines_->size() > 0) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const Layout l = layout_now();
        const auto measure = measure_(line_at(help->pos().y()));
        if (l.lane > 0 && help->pos().x() > viewport()->width() - l.lane && measure.tip >= 0) {
            QToolTip::showText(help->globalPos(),
                               tr("tip %1 of %2 mm, axis %3 of %4°")
                                   .arg(double(measure.tip), 0, 'f', 5)
                                   .arg(double(measure.tip_budget), 0, 'f', 5)
                                   .arg(to_deg(double(measure.axis)), 0, 'f', 5)
                                   .arg(to_deg(double(measure.axis_budget)), 0, 'f', 5),
                               viewport());
        } else {
            QToolTip::hideText();
        }
        return true;
    }
    return QAbstractScrollArea::viewportEvent(event);
}

void CodeArea::mousePressEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton || !lines_ || lines_->size() == 0) {
        return;
    }
    const std::uint32_t line = line_at(int(event->position().y()));
    choose(line, word_at(line, int(event->position().x())), event->modifiers().testFlag(Qt::ShiftModifier));
}

void CodeArea::mouseMoveEvent(QMouseEvent* event)
{
    if (event->buttons().testFlag(Qt::LeftButton) && lines_ && lines_->size() > 0) {
        const std::uint32_t line = line_at(int(event->position().y()));
        if (line != line_) {
            choose(line, -1, true);
        }
    }
}

void CodeArea::keyPressEvent(QKeyEvent* event)
{
    if (!lines_ || lines_->size() == 0) {
        QAbstractScrollArea::keyPressEvent(event);
        return;
    }
    if (event->matches(QKeySequence::Copy)) {
        copy();
        return;
    }
    const std::int64_t line = line_ == Selection::none ? -1 : std::int64_t(line_);
    const std::int64_t last = std::int64_t(lines_->size()) - 1;
    const bool extend = event->modifiers().testFlag(Qt::ShiftModifier);
    const auto go = [&](std::int64_t to) { choose(std::uint32_t(std::clamp<std::int64_t>(to, 0, last)), word_, extend); };
    switch (event->key()) {
    case Qt::Key_Up: go(line - 1); return;
    case Qt::Key_Down: go(line + 1); return;
    case Qt::Key_PageUp: go(line - visible_rows()); return;
    case Qt::Key_PageDown: go(line + visible_rows()); return;
    case Qt::Key_Home: go(0); return;
    case Qt::Key_End: go(last); return;
    case Qt::Key_Left:
    case Qt::Key_Right: {
        if (line < 0) {
            return;
        }
        const int count = int(words_of(lines_->line(std::uint32_t(line)), open_, close_).size());
        const int word = event->key() == Qt::Key_Left ? std::max(-1, word_ - 1) : std::min(count - 1, word_ + 1);
        choose(std::uint32_t(line), word, false);
        return;
    }
    case Qt::Key_Escape:
        if (word_ >= 0) {
            choose(std::uint32_t(line), -1, false);
            return;
        }
        break;
    default: break;
    }
    QAbstractScrollArea::keyPressEvent(event);
}

} // namespace wexilum::app
