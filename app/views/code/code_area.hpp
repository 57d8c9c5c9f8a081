// Lines of code, however many: only those in sight are looked at. Words are chosen by click or arrow keys.
#pragma once

#include "app/models/selection.hpp"
#include "app/views/code/code_columns.hpp"
#include "core/follow/replay_track.hpp"
#include "core/run/code_store.hpp"

#include <QAbstractScrollArea>

#include <functional>
#include <memory>
#include <set>

namespace wexilum::app {

/// How lines are read.
struct LineStyle {
    char comment_open = '('; ///< begins a comment; zero: the text is no code and has no words to choose
    char comment_close = ')';
    QStringList columns; ///< names of a table's columns, where its rows are lines of text; empty: they are not
    char separator = ',';
    std::string remark; ///< of a table: how lines begin that are no rows
};

class CodeArea final : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit CodeArea(QWidget* parent = nullptr);

    /// The lines to show; null for none.
    void set_lines(std::shared_ptr<const LineTable> lines, const LineStyle& style);
    [[nodiscard]] const std::shared_ptr<const LineTable>& lines() const { return lines_; }
    /// Shows lines of a program that is still to come in place of those from `first` on, until set_lines(); null: no longer.
    void set_preview(std::uint32_t first, std::shared_ptr<const LineTable> lines);
    /// The lines that stand in the viewport, from 0.
    [[nodiscard]] std::pair<std::uint32_t, std::uint32_t> lines_in_sight() const;
    /// How far each line is off the path, of its budget; shown as a lane on the right. Empty function: no lane.
    void set_deviation(std::function<ReplayTrack::Measure(std::uint32_t line)> measure);
    void set_lane_visible(bool on);
    /// Lines (from 0) with findings, and how each is marked.
    void set_marks(std::map<std::uint32_t, int> marks);

    /// Shows a line as chosen and brings it into sight. Emits nothing.
    void show_line(std::uint32_t line, int word);
    [[nodiscard]] std::uint32_t line() const { return line_; }
    [[nodiscard]] int word() const { return word_; }
    /// Where a line, or a word of it, stands in the viewport; empty where it is out of sight.
    [[nodiscard]] QRect rect_of(std::uint32_t line, int word = -1) const;
    [[nodiscard]] int row_height() const;
    void copy() const;
    void set_empty_text(const QString& text);

Q_SIGNALS:
    void chosen(std::uint32_t line, int word);
    void sight_changed(); ///< lines_in_sight() may be others

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void changeEvent(QEvent* event) override;
    bool viewportEvent(QEvent* event) override;

private:
    struct Layout {
        int row = 19;
        int column = 8; ///< width of a character
        int mark = 18;
        int number = 40;
        int text = 66; ///< where the text begins
        int lane = 0;  ///< width of the deviation lane
    };
    [[nodiscard]] Layout layout_now() const;
    [[nodiscard]] std::uint32_t line_at(int y) const;
    [[nodiscard]] int word_at(std::uint32_t line, int x) const;
    [[nodiscard]] int visible_rows() const;
    void paint_row(QPainter& painter, const Layout& l, std::uint32_t line, int top) const;
    void paint_text(QPainter& painter, const Layout& l, std::uint32_t line, std::string_view text, int top) const;
    void paint_deviation(QPainter& painter, const Layout& l, std::uint32_t line, int top) const;
    void choose(std::uint32_t line, int word, bool extend);
    void set_scroll_range();
    void keep_in_sight();

    /// The text of a line as it is shown, and whether it is of a preview.
    [[nodiscard]] std::pair<std::string_view, bool> shown(std::uint32_t line) const;

    std::shared_ptr<const LineTable> lines_;
    std::shared_ptr<const LineTable> preview_;
    std::uint32_t preview_first_ = 0;
    std::function<ReplayTrack::Measure(std::uint32_t)> measure_;
    bool lane_ = true;
    std::map<std::uint32_t, int> marks_;
    char open_ = '(';
    char close_ = ')';
    std::uint32_t line_ = Selection::none;
    std::uint32_t anchor_ = Selection::none; ///< other end of what is copied
    int word_ = -1;
    QString empty_;
    CodeColumns* columns_;
};

} // namespace wexilum::app
