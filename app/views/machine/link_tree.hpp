// The tree in which the partial moves of links stand, list by list.
#pragma once

#include <QTreeWidget>

namespace wexilum::app {

/// Lists of partial moves; one that is dragged stands in another place of its list then.
class LinkTree final : public QTreeWidget {
    Q_OBJECT
public:
    static constexpr int list_role = Qt::UserRole;     ///< LinkList
    static constexpr int step_role = Qt::UserRole + 1; ///< place in it; -1: the list itself
    explicit LinkTree(QWidget* parent = nullptr);

Q_SIGNALS:
    void dragged(int list, int from, int to);
    void nudged(bool up);
    void removed();

protected:
    void dropEvent(QDropEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
};

} // namespace wexilum::app
