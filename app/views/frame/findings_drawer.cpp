#include "app/views/frame/findings_drawer.hpp"

#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QSplitter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr int kind_width = 178;
constexpr int least_height = 60;
constexpr int row_height = 24;

/// A kind with its shape before it, in the colour of its state.
class KindDelegate final : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        if (option.state.testFlag(QStyle::State_Selected)) {
            painter->fillRect(option.rect, colour(tokens().wash));
        }
        const auto state = static_cast<State>(index.data(Qt::UserRole).toInt());
        paint_state(*painter, state, QRectF(option.rect.left() + 12, option.rect.center().y() - 5, 11, 11));
        painter->setPen(colour_of(state));
        painter->setFont(option.font);
        const QRect room = option.rect.adjusted(30, 0, -4, 0);
        painter->drawText(room, Qt::AlignVCenter | Qt::AlignLeft,
                          option.fontMetrics.elidedText(index.data().toString(), Qt::ElideRight, room.width()));
    }
};

QWidget* count_label(State state, const QString& text)
{
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(5);
    auto* shape = new QLabel;
    shape->setPixmap(icon_of(state).pixmap(12, 12));
    auto* words = new QLabel(text);
    words->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(state).name()));
    row->addWidget(shape);
    row->addWidget(words);
    return box;
}

} // namespace

FindingsDrawer::FindingsDrawer(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace), model_(new FindingsModel(workspace, this)), filter_(new FindingsFilter(this)),
      table_(new QTableView), counts_(new QWidget), text_(new QLineEdit), serious_(new QPushButton(tr("Errors only"))),
      nothing_(new QLabel), head_(new QWidget)
{
    setMinimumHeight(least_height);
    setObjectName(QStringLiteral("findings"));
    set_surface(*this, "drawer");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 1, 0, 0);
    column->setSpacing(0);
    set_surface(*head_, "head");
    auto* row = new QHBoxLayout(head_);
    row->setContentsMargins(12, 3, 10, 3);
    row->setSpacing(12);
    auto* title = new QLabel(tr("Findings"));
    title->setFont(text_font(1, true));
    new QHBoxLayout(counts_);
    counts_->layout()->setContentsMargins(0, 0, 0, 0);
    static_cast<QHBoxLayout*>(counts_->layout())->setSpacing(14);
    serious_->setCheckable(true);
    serious_->setAccessibleName(tr("show errors only"));
    text_->setObjectName(QStringLiteral("findings-filter"));
    text_->setPlaceholderText(tr("filter by words"));
    text_->setAccessibleName(tr("filter the findings"));
    text_->setClearButtonEnabled(true);
    text_->setFixedWidth(180);
    row->addWidget(title);
    row->addWidget(counts_);
    row->addStretch(1);
    row->addWidget(serious_);
    row->addWidget(text_);
    head_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    column->addWidget(head_);
    nothing_->setProperty("role", "soft");
    nothing_->setContentsMargins(14, 10, 14, 10);
    nothing_->setWordWrap(true);
    nothing_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    column->addWidget(nothing_, 1);
    build_table();
    column->addWidget(table_, 1);
    connect(text_, &QLineEdit::textChanged, this, [this](const QString& text) {
        filter_->set_text(text);
        show_counts();
    });
    connect(serious_, &QPushButton::toggled, this, [this](bool on) {
        filter_->set_least(on ? Severity::error : Severity::remark);
        show_counts();
    });
    connect(table_, &QTableView::clicked, this, [this](const QModelIndex& index) { choose(index); });
    connect(table_, &QTableView::activated, this, [this](const QModelIndex& index) { choose(index); });
    connect(&workspace, &Workspace::findings_changed, this, &FindingsDrawer::show_counts);
    show_counts();
}

void FindingsDrawer::build_table()
{
    filter_->setSourceModel(model_);
    table_->setModel(filter_);
    table_->setObjectName(QStringLiteral("findings-table"));
    table_->setAccessibleName(tr("findings"));
    table_->setItemDelegateForColumn(FindingsModel::kind, new KindDelegate(table_));
    dress_list(*table_, row_height);
    table_->setWordWrap(true); // the chosen one is as high as its texts need
    connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
            [this](const QModelIndex& now, const QModelIndex& before) {
                if (before.isValid()) {
                    table_->setRowHeight(before.row(), row_height);
                }
                show_whole(now);
            });
    table_->horizontalHeader()->hide();
    table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
}

void FindingsDrawer::show_whole(const QModelIndex& index)
{
    if (index.isValid()) {
        table_->resizeRowToContents(index.row());
        table_->setRowHeight(index.row(), std::max(row_height, table_->rowHeight(index.row())));
    }
}

void FindingsDrawer::focus_filter()
{
    text_->setFocus();
    text_->selectAll();
}

void FindingsDrawer::choose(const QModelIndex& index)
{
    const QModelIndex source = filter_->mapToSource(index);
    if (source.isValid()) {
        const FoundAt found = model_->at(source.row()); // what follows may renew the list
        Q_EMIT chosen(found);
    }
}

void FindingsDrawer::choose_next()
{
    const int rows = filter_->rowCount();
    if (rows == 0) {
        return;
    }
    const QModelIndex next = filter_->index((table_->currentIndex().row() + 1) % rows, 0);
    table_->setCurrentIndex(next);
    choose(next);
}

void FindingsDrawer::show_counts()
{
    qDeleteAll(counts_->findChildren<QWidget*>(Qt::FindDirectChildrenOnly));
    std::array<int, 3> counts{};
    for (const FoundAt& found : workspace_.findings()) {
        ++counts[std::size_t(found.finding.severity)];
    }
    const auto add = [&](State state, const QString& text) { counts_->layout()->addWidget(count_label(state, text)); };
    if (counts[2] > 0) {
        add(State::beyond,
            tr("%n error(s)", nullptr, counts[2]).replace(QStringLiteral("(s)"), counts[2] == 1 ? QString() : QStringLiteral("s")));
    }
    if (counts[1] > 0) {
        add(State::margin,
            tr("%n warning(s)", nullptr, counts[1]).replace(QStringLiteral("(s)"), counts[1] == 1 ? QString() : QStringLiteral("s")));
    }
    if (counts[0] > 0) {
        add(State::waits,
            tr("%n remark(s)", nullptr, counts[0]).replace(QStringLiteral("(s)"), counts[0] == 1 ? QString() : QStringLiteral("s")));
    }
    const bool any = filter_->rowCount() > 0;
    const bool none_at_all = workspace_.findings().empty();
    nothing_->setVisible(!any && !none_at_all);
    table_->setVisible(any);
    nothing_->setText(tr("No finding matches the filter."));
    if (none_at_all) {
        add(workspace_.results() ? State::fits : State::waits,
            workspace_.results() ? tr("nothing was found") : tr("those of the run and of the replay appear here"));
    }
    serious_->setVisible(!none_at_all);
    text_->setVisible(!none_at_all);
    fold(none_at_all);
    fit_columns();
}

void FindingsDrawer::fold(bool folded)
{
    if (folded == is_folded_) {
        return;
    }
    is_folded_ = folded;
    const int closed = head_->sizeHint().height() + 1;
    open_height_ = folded && isVisible() && height() > closed ? height() : open_height_;
    setMinimumHeight(folded ? closed : least_height);
    setMaximumHeight(folded ? closed : QWIDGETSIZE_MAX);
    auto* splitter = qobject_cast<QSplitter*>(parentWidget());
    if (splitter != nullptr && splitter->count() == 2) { // as high as it was
        const int all = splitter->sizes().at(0) + splitter->sizes().at(1);
        const int own = folded ? closed : open_height_;
        splitter->setSizes({all - own, own});
    }
}

void FindingsDrawer::fit_columns()
{
    const int width = std::max(600, table_->viewport()->width());
    table_->setColumnWidth(FindingsModel::kind, kind_width);
    table_->setColumnWidth(FindingsModel::place, std::min(300, width / 5));
    const int cure = std::clamp(width * 3 / 10, 180, 560);
    table_->setColumnWidth(FindingsModel::text, width - kind_width - table_->columnWidth(FindingsModel::place) - cure);
    show_whole(table_->currentIndex());
}

void FindingsDrawer::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    is_folded_ = !is_folded_; // once it lies in its splitter
    fold(!is_folded_);
}

void FindingsDrawer::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    fit_columns();
}

} // namespace wexilum::app
