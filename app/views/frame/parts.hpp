// What several views are made of.
#pragma once

#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>
#include <QTableView>
#include <QTreeWidget>
#include <QWidget>

namespace wexilum::app {

/// A table to read and choose rows from, not to edit: no grid, whole rows, one at a time, no column of row numbers.
void dress_list(QTableView& table, int row_height);

/// A tree whose items are dragged about in it, one at a time; its owner says what a drop does.
void dress_drag_tree(QTreeWidget& tree, int indentation);

/// A push button by its name for tests and style, with its text ("&" taken out) as what is read aloud.
[[nodiscard]] QPushButton* named_button(const QString& text, const QString& name, const QString& tip);
/// A row of a field with its name before it.
[[nodiscard]] QHBoxLayout* labelled_row(const QString& name, QWidget& field);
/// A choice of a bar, with what is read aloud; it may be narrower than its longest words.
[[nodiscard]] QComboBox* bar_choice(const QString& name, const QStringList& items, const QString& tip);

/// A view that renews itself when what it shows changes, but only once it is in sight: what nobody looks at costs nothing.
class SightView : public QWidget {
    Q_OBJECT
public:
    using QWidget::QWidget;

protected:
    void renew_in_sight();
    virtual void renew() = 0;
    void showEvent(QShowEvent* event) override;

private:
    bool due_ = false;
};

} // namespace wexilum::app
