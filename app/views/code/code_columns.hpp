// The columns of a program that is a table: their names above its rows, and where each cell stands.
#pragma once

#include "core/run/code_store.hpp"

#include <QStringList>
#include <QWidget>

#include <string>
#include <string_view>
#include <vector>

class QPainter;

namespace wexilum::app {

/// The strip of names. Without names it is hidden, and lines are no rows.
class CodeColumns final : public QWidget {
public:
    explicit CodeColumns(QWidget* parent);

    /// `remark`: how lines begin that are none.
    void set_names(const QStringList& names, char separator, const std::string& remark);
    /// How wide the columns are, from lines here and there; null: there are none.
    void measure(const LineTable* lines);
    [[nodiscard]] bool any() const { return !ends_.empty(); }
    /// Characters from a row's beginning to its end.
    [[nodiscard]] int length() const { return ends_.empty() ? 0 : ends_.back(); }
    /// Where rows begin, and how wide a character and how high a row is.
    void set_layout(int left, int column, int row);
    /// A row from there on, in the painter's font.
    void paint_row(QPainter& painter, std::string_view text, int top) const;

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    [[nodiscard]] bool is_remark(std::string_view text) const;

    QStringList names_;
    char separator_ = ',';
    std::string remark_;
    std::vector<int> ends_; ///< characters from a row's beginning to the end of each column
    int left_ = 0;
    int column_ = 8;
    int row_ = 19;
};

} // namespace wexilum::app
