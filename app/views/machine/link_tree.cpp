#include "app/views/machine/link_tree.hpp"

#include "app/views/frame/parts.hpp"

#include <QDropEvent>
#include <QHeaderView>
#include <QKeyEvent>

namespace wexilum::app {

LinkTree::LinkTree(QWidget* parent) : QTreeWidget(parent)
{
    setObjectName(QStringLiteral("links"));
    setAccessibleName(tr("partial moves of the operation's links, in their order"));
    setColumnCount(3);
    setHeaderLabels({tr("Partial move"), tr("Blocks"), tr("State")});
    dress_drag_tree(*this, 12);
    header()->setSectionsMovable(false);
    header()->setStretchLastSection(false);
    header()->setSectionResizeMode(0, QHeaderView::Stretch);
    header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    header()->setSectionResizeMode(2, QHeaderView::ResizeToContents);
}

void LinkTree::dropEvent(QDropEvent* event)
{
    const QTreeWidgetItem* source = currentItem();
    const QTreeWidgetItem* target = itemAt(event->position().toPoint());
    event->setDropAction(Qt::IgnoreAction); // the tree is made anew from the text
    event->accept();
    if (source == nullptr || target == nullptr || source == target) {
        return;
    }
    const int list = source->data(0, list_role).toInt();
    const int from = source->data(0, step_role).toInt();
    int to = target->data(0, step_role).toInt();
    if (from < 0 || target->data(0, list_role).toInt() != list) {
        return;
    }
    if (to < 0) {
        to = 0;
    } else if (dropIndicatorPosition() == QAbstractItemView::BelowItem && to < from) {
        ++to;
    } else if (dropIndicatorPosition() == QAbstractItemView::AboveItem && to > from) {
        --to;
    }
    if (to != from) {
        Q_EMIT dragged(list, from, to);
    }
}

void LinkTree::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Delete) {
        Q_EMIT removed();
    } else if ((event->modifiers() & Qt::AltModifier) != 0 && (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)) {
        Q_EMIT nudged(event->key() == Qt::Key_Up);
    } else {
        QTreeWidget::keyPressEvent(event);
    }
}

} // namespace wexilum::app
