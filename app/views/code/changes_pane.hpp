// What the edits since the last saved state did to the program, by kinds of statements; each kind can be looked at, and the edits can be
// taken back.
#pragma once

#include "app/models/workspace.hpp"

#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QWidget>

namespace wexilum::app {

class ChangesPane final : public QWidget {
    Q_OBJECT
public:
    explicit ChangesPane(Workspace& workspace, QWidget* parent = nullptr);
    /// Whose edits are taken back.
    void set_path(const QString& path);
    [[nodiscard]] QString head() const { return head_->text(); }

Q_SIGNALS:
    void line_wanted(std::uint32_t line); ///< of the code, from 0

private:
    void renew();
    void jump(int row);

    Workspace& workspace_;
    QString path_;
    QLabel* head_;
    QTableWidget* groups_;
    QPushButton* back_;
    std::shared_ptr<const ProgramDiff> shown_;
    std::vector<std::size_t> next_; ///< place that a group shows next
};

} // namespace wexilum::app
