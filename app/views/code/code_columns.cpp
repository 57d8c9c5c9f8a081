#include "app/views/code/code_columns.hpp"

#include "app/theme/theme.hpp"

#include <QPainter>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr std::uint32_t most_looked_at = 4000; // lines

QString cell_text(std::string_view text) { return QString::fromUtf8(text.data(), qsizetype(text.size())); }

} // namespace

CodeColumns::CodeColumns(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("code columns"));
    hide();
}

void CodeColumns::set_names(const QStringList& names, char separator, const std::string& remark)
{
    names_ = names;
    separator_ = separator;
    remark_ = remark;
    setAccessibleName(names_.join(QStringLiteral(", ")));
}

bool CodeColumns::is_remark(std::string_view text) const { return !remark_.empty() && text.substr(0, remark_.size()) == remark_; }

void CodeColumns::measure(const LineTable* lines)
{
    std::vector<int> widths;
    for (const QString& name : names_) {
        widths.push_back(int(name.size()));
    }
    const std::uint32_t count = lines != nullptr ? lines->size() : 0;
    const std::uint32_t step = std::max(1U, count / most_looked_at);
    for (std::uint32_t line = 0; line < count; line += step) {
        const std::string_view text = lines->line(line);
        std::size_t begin = is_remark(text) ? text.size() + 1 : 0;
        for (std::size_t i = 0; i < widths.size() && begin <= text.size(); ++i) {
            const std::size_t end = std::min(text.find(separator_, begin), text.size());
            widths[i] = std::max(widths[i], int(end - begin));
            begin = end + 1;
        }
    }
    ends_.clear();
    for (const int width : widths) {
        ends_.push_back((ends_.empty() ? 0 : ends_.back() + 2) + width);
    }
    setVisible(any());
    update();
}

void CodeColumns::set_layout(int left, int column, int row)
{
    left_ = left;
    column_ = column;
    row_ = row;
    update();
}

void CodeColumns::paint_row(QPainter& painter, std::string_view text, int top) const
{
    if (is_remark(text)) {
        painter.setPen(colour(tokens().comment));
        painter.drawText(QRect(left_, top, int(text.size() + 1) * column_, row_), Qt::AlignLeft | Qt::AlignVCenter, cell_text(text));
        return;
    }
    painter.setPen(colour(tokens().ink));
    std::size_t begin = 0;
    for (std::size_t i = 0; i < ends_.size() && begin <= text.size(); ++i) {
        const std::size_t end = i + 1 == ends_.size() ? text.size() : std::min(text.find(separator_, begin), text.size());
        painter.drawText(QRect(left_, top, ends_[i] * column_, row_), Qt::AlignRight | Qt::AlignVCenter | Qt::TextDontClip,
                         cell_text(text.substr(begin, end - begin)));
        begin = end + 1;
    }
}

void CodeColumns::paintEvent(QPaintEvent* /*event*/)
{
    QPainter painter(this);
    painter.fillRect(rect(), colour(tokens().panel));
    painter.setFont(parentWidget()->font());
    painter.setPen(colour(tokens().soft));
    for (std::size_t i = 0; i < ends_.size(); ++i) {
        painter.drawText(QRect(left_, 0, ends_[i] * column_, row_), Qt::AlignRight | Qt::AlignVCenter | Qt::TextDontClip,
                         names_[qsizetype(i)]);
    }
    painter.setPen(QPen(colour(tokens().line), 1));
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

} // namespace wexilum::app
