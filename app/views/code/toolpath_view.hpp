// The records of the job with their text, linked with the code.
#pragma once

#include "app/models/records_model.hpp"
#include "app/models/selection.hpp"

#include <QLineEdit>
#include <QTableView>
#include <QWidget>

class QLabel;

namespace wexilum::app {

class ToolpathView final : public QWidget {
    Q_OBJECT
public:
    ToolpathView(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    [[nodiscard]] QTableView& table() { return *table_; }
    void focus_search();

private:
    void follow();
    void find_next();
    void search_on();
    void show_position();

    Workspace& workspace_;
    Selection& selection_;
    RecordsModel* model_;
    QTableView* table_;
    QLineEdit* find_;
    QLabel* message_;
    QLabel* position_;
    struct Search {
        bool on = false;
        std::uint32_t at = 0;
        std::uint32_t left = 0;
    } search_;
    bool following_ = false;
};

} // namespace wexilum::app
