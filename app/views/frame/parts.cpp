#include "app/views/frame/parts.hpp"

#include <QHeaderView>
#include <QLabel>

namespace wexilum::app {

void dress_list(QTableView& table, int row_height)
{
    table.setSelectionBehavior(QAbstractItemView::SelectRows);
    table.setSelectionMode(QAbstractItemView::SingleSelection);
    table.setEditTriggers(QAbstractItemView::NoEditTriggers);
    table.setShowGrid(false);
    table.setWordWrap(false);
    table.setTabKeyNavigation(false);
    table.verticalHeader()->hide();
    table.verticalHeader()->setDefaultSectionSize(row_height);
    table.horizontalHeader()->setStretchLastSection(true);
}

void dress_drag_tree(QTreeWidget& tree, int indentation)
{
    tree.setDragEnabled(true);
    tree.setAcceptDrops(true);
    tree.setDropIndicatorShown(true);
    tree.setDragDropMode(QAbstractItemView::InternalMove);
    tree.setSelectionMode(QAbstractItemView::SingleSelection);
    tree.setUniformRowHeights(true);
    tree.setIndentation(indentation);
    tree.setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
}

QPushButton* named_button(const QString& text, const QString& name, const QString& tip)
{
    auto* out = new QPushButton(text);
    out->setObjectName(name);
    out->setAccessibleName(QString(text).remove(QLatin1Char('&')));
    out->setToolTip(tip);
    return out;
}

QHBoxLayout* labelled_row(const QString& name, QWidget& field)
{
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(name);
    label->setProperty("role", "soft");
    label->setBuddy(&field);
    row->addWidget(label);
    row->addWidget(&field, 1);
    return row;
}

QComboBox* bar_choice(const QString& name, const QStringList& items, const QString& tip)
{
    auto* out = new QComboBox;
    out->addItems(items);
    out->setAccessibleName(name);
    out->setToolTip(tip);
    out->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    out->setMinimumContentsLength(10);
    return out;
}

void SightView::renew_in_sight()
{
    due_ = !isVisible();
    if (isVisible()) {
        renew();
    }
}

void SightView::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    if (due_) {
        due_ = false;
        renew();
    }
}

} // namespace wexilum::app
