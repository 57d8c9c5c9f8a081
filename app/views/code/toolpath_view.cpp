#include "app/views/code/toolpath_view.hpp"

#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QTimer>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr std::uint32_t search_records = 20000;

}

ToolpathView::ToolpathView(Workspace& workspace, Selection& selection, QWidget* parent)
    : QWidget(parent), workspace_(workspace), selection_(selection), model_(new RecordsModel(workspace, this)), table_(new QTableView),
      find_(new QLineEdit), message_(new QLabel), position_(new QLabel)
{
    setObjectName(QStringLiteral("toolpath-view"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* bar = new QWidget;
    set_surface(*bar, "bar");
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(12, 5, 10, 5);
    row->setSpacing(8);
    position_->setProperty("role", "soft");
    message_->setProperty("role", "soft");
    auto* label = new QLabel(tr("Find"));
    label->setProperty("role", "soft");
    find_->setObjectName(QStringLiteral("find-record"));
    find_->setPlaceholderText(tr("text of a record, or its number"));
    find_->setAccessibleName(tr("find in the toolpath"));
    find_->setFixedWidth(220);
    row->addWidget(position_);
    row->addStretch(1);
    row->addWidget(message_);
    row->addWidget(label);
    row->addWidget(find_);
    column->addWidget(bar);
    table_->setModel(model_);
    table_->setObjectName(QStringLiteral("records"));
    table_->setAccessibleName(tr("records of the job"));
    table_->setFont(code_font());
    table_->horizontalHeader()->setFont(text_font());
    dress_list(*table_, 20);
    table_->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->setColumnWidth(RecordsModel::number, 80);
    table_->setColumnWidth(RecordsModel::event, 140);
    table_->setColumnWidth(RecordsModel::line, 70);
    column->addWidget(table_, 1);
    connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& current) {
        if (!following_ && current.isValid()) {
            selection_.select_record(std::uint32_t(current.row()));
        }
        show_position();
    });
    connect(&selection, &Selection::line_changed, this, &ToolpathView::follow);
    connect(find_, &QLineEdit::returnPressed, this, &ToolpathView::find_next);
    connect(find_, &QLineEdit::textChanged, this, [this] {
        search_.on = false;
        message_->clear();
    });
    connect(model_, &QAbstractItemModel::modelReset, this, &ToolpathView::show_position);
    show_position();
}

void ToolpathView::focus_search()
{
    find_->setFocus();
    find_->selectAll();
}

void ToolpathView::follow()
{
    if (selection_.record() == Selection::none || int(selection_.record()) >= model_->rowCount()) {
        return;
    }
    following_ = true;
    const QModelIndex index = model_->index(int(selection_.record()), 0);
    if (table_->currentIndex().row() != index.row()) {
        table_->setCurrentIndex(index);
        table_->scrollTo(index, QAbstractItemView::PositionAtCenter);
    }
    following_ = false;
    show_position();
}

void ToolpathView::show_position()
{
    const int rows = model_->rowCount();
    const int row = table_->currentIndex().row();
    position_->setText(
        rows == 0
            ? tr("No records yet: choose a job on the left.")
            : tr("record %1 of %2").arg(row < 0 ? QStringLiteral("–") : grouped(std::uint64_t(row) + 1), grouped(std::uint64_t(rows))));
}

void ToolpathView::find_next()
{
    const int rows = model_->rowCount();
    if (rows == 0 || find_->text().isEmpty()) {
        return;
    }
    bool is_number = false;
    const uint number = find_->text().trimmed().toUInt(&is_number);
    if (is_number && number >= 1 && int(number) <= rows) {
        selection_.select_record(number - 1);
        return;
    }
    search_ = {true, std::uint32_t(std::max(0, table_->currentIndex().row())), std::uint32_t(rows)};
    message_->setText(tr("looking …"));
    search_on();
}

void ToolpathView::search_on()
{
    const auto& results = workspace_.results();
    if (!search_.on || !results || model_->rowCount() == 0) {
        return;
    }
    for (std::uint32_t piece = std::min(search_records, search_.left); piece > 0; --piece, --search_.left) {
        search_.at = (search_.at + 1) % std::uint32_t(model_->rowCount());
        if (record_text(*results, search_.at, 20).contains(find_->text(), Qt::CaseInsensitive)) {
            search_.on = false;
            message_->clear();
            selection_.select_record(search_.at);
            return;
        }
    }
    if (search_.left == 0) {
        search_.on = false;
        message_->setText(tr("not found"));
        return;
    }
    QTimer::singleShot(0, this, &ToolpathView::search_on);
}

} // namespace wexilum::app
