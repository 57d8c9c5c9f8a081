// The code of the job, with its outline, search, and how far each block is from the path.
#pragma once

#include "app/models/workspace.hpp"
#include "app/views/code/code_area.hpp"

#include <QLineEdit>
#include <QPushButton>
#include <QSplitter>
#include <QTreeWidget>
#include <QWidget>

class QLabel;

namespace wexilum::app {

class CodeView final : public QWidget {
    Q_OBJECT
public:
    CodeView(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);

    [[nodiscard]] CodeArea& area() { return *area_; }
    void focus_search();
    void focus_go_to();
    void find_next(bool backwards);
    /// Shows the loaded file instead of the posted code, or back.
    void show_loaded(bool on);

private:
    void build_bar();
    void renew_lines();
    void renew_outline();
    void outline_reading(const JobResults& results);
    void renew_lane();
    void renew_marks();
    void follow_selection();
    void chosen(std::uint32_t line, int word);
    void go_to();
    void search_on();
    void show_position();
    [[nodiscard]] bool showing_loaded() const { return loaded_->isChecked() && workspace_.compared().loaded(); }

    Workspace& workspace_;
    Selection& selection_;
    CodeArea* area_;
    QTreeWidget* outline_;
    QSplitter* split_;
    QPushButton* posted_;
    QPushButton* loaded_;
    QPushButton* outline_button_;
    QPushButton* lane_button_;
    QLineEdit* find_;
    QLineEdit* go_to_;
    QLabel* position_;
    QLabel* message_;
    struct Search {
        bool on = false;
        bool backwards = false;
        std::uint32_t at = 0;
        std::uint32_t left = 0;
        std::string wanted;
    } search_;
};

} // namespace wexilum::app
