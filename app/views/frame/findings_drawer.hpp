// The findings of everything below the views: filtered, with a place to jump to and a cure.
#pragma once

#include "app/models/findings_model.hpp"

#include <QLineEdit>
#include <QPushButton>
#include <QTableView>
#include <QWidget>

class QLabel;

namespace wexilum::app {

class FindingsDrawer final : public QWidget {
    Q_OBJECT
public:
    explicit FindingsDrawer(Workspace& workspace, QWidget* parent = nullptr);
    void focus_filter();
    /// Chooses the next finding below the one chosen; round the end.
    void choose_next();
    [[nodiscard]] QTableView& table() { return *table_; }

Q_SIGNALS:
    void chosen(const FoundAt& found);

protected:
    void resizeEvent(QResizeEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    void choose(const QModelIndex& index);
    void build_table();
    /// A finding's row as high as its texts need in the columns as they are.
    void show_whole(const QModelIndex& index);
    void show_counts();
    void fit_columns();
    void fold(bool folded);

    Workspace& workspace_;
    FindingsModel* model_;
    FindingsFilter* filter_;
    QTableView* table_;
    QWidget* counts_;
    QLineEdit* text_;
    QPushButton* serious_;
    QLabel* nothing_;
    QWidget* head_;
    bool is_folded_ = false; ///< there is nothing to list: only the head is left
    int open_height_ = 104;  ///< px: before that
};

} // namespace wexilum::app
