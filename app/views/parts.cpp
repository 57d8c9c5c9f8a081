#include "app/views/parts.hpp"

#include <QHeaderView>

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
