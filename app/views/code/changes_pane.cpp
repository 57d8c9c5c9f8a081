#include "app/views/code/changes_pane.hpp"

#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "core/project/job_run.hpp"
#include "core/prove/statement_diff.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QUndoStack>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

QString line_of(const CodeStore& code, std::uint32_t line)
{
    if (line == StatementChange::none || line >= code.lines().size()) {
        return QStringLiteral("—");
    }
    const std::string_view text = code.lines().line(line);
    return QString::fromUtf8(text.data(), qsizetype(text.size()));
}

} // namespace

ChangesPane::ChangesPane(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace), head_(new QLabel), groups_(new QTableWidget(0, 4)),
      back_(new QPushButton(tr("Revert the edits")))
{
    setObjectName(QStringLiteral("changes"));
    set_surface(*this, "sunk");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(10, 5, 10, 5);
    head_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    head_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    row->addWidget(head_, 1);
    back_->setToolTip(tr("Undoes this file's edits since it was saved; Redo applies them again."));
    back_->setAccessibleName(tr("revert this file's edits"));
    row->addWidget(back_);
    column->addLayout(row);
    groups_->setObjectName(QStringLiteral("change-groups"));
    groups_->setAccessibleName(tr("kinds of changes"));
    groups_->setHorizontalHeaderLabels({tr("Blocks"), tr("What"), tr("Was"), tr("Is")});
    dress_list(*groups_, 24);
    groups_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    groups_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    groups_->horizontalHeaderItem(0)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    groups_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    groups_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    column->addWidget(groups_, 1);
    setMaximumHeight(190);
    connect(back_, &QPushButton::clicked, this, [this] {
        QUndoStack* stack = workspace_.documents().stack(path_);
        if (stack != nullptr) {
            stack->setIndex(std::max(0, stack->cleanIndex()));
        }
    });
    connect(groups_, &QTableWidget::cellClicked, this, [this](int at) { jump(at); });
    connect(groups_, &QTableWidget::cellActivated, this, [this](int at) { jump(at); });
    for (const auto signal : {&Workspace::code_changed, &Workspace::difference_changed, &Workspace::failed, &Workspace::job_changed,
                              &Workspace::findings_changed}) {
        connect(&workspace, signal, this, &ChangesPane::renew);
    }
    connect(&workspace.documents(), &Documents::edited, this, &ChangesPane::renew);
    connect(&workspace.documents(), &Documents::saved, this, &ChangesPane::renew);
    renew();
}

void ChangesPane::set_path(const QString& path)
{
    path_ = path;
    renew();
}

void ChangesPane::renew()
{
    const auto& results = workspace_.results();
    const std::shared_ptr<const ProgramDiff> diff = results ? results->diff : nullptr;
    back_->setEnabled(workspace_.documents().is_changed(path_));
    back_->setVisible(back_->isEnabled());
    setVisible(diff != nullptr || back_->isEnabled());
    if (!diff && results && results->base && !workspace_.error()) {
        head_->setText(tr("Updating the program …"));
        setVisible(true);
        return; // what is listed stays until the difference to the new program is there
    }
    if (!diff) {
        head_->setText(workspace_.error() ? tr("Shown is the program of the last state that could be read.")
                                          : tr("Nothing has been edited since the last save."));
    } else if (workspace_.is_code_old()) {
        head_->setText(workspace_.error() ? tr("Shown is the program of the last state that could be read.")
                                          : tr("Updating the program …"));
    } else if (diff->empty()) {
        head_->setText(tr("The edits change no block of this job's program."));
    } else {
        QStringList parts;
        const QStringList edits = workspace_.documents().edited_places();
        for (const auto& [count, text] : {std::pair(diff->changed, tr("%1 blocks changed")), std::pair(diff->added, tr("%1 added")),
                                          std::pair(diff->removed, tr("%1 removed"))}) {
            if (count > 0) {
                parts.push_back(text.arg(grouped(count)));
            }
        }
        head_->setText(tr("What the edits did: %1; %2 as before.").arg(parts.join(QStringLiteral(", ")), grouped(diff->same)) +
                       (edits.isEmpty() ? QString() : tr(" Edited: %1.").arg(edits.join(QStringLiteral("; ")))));
    }
    head_->setToolTip(head_->text());
    groups_->setVisible(diff && !diff->empty());
    setMaximumHeight(groups_->isVisibleTo(this) ? 190 : 40);
    if (diff == shown_) {
        return;
    }
    shown_ = diff;
    next_.assign(diff ? diff->groups.size() : 0, 0);
    groups_->setRowCount(0);
    if (!diff || !results->base) {
        return;
    }
    groups_->setRowCount(int(std::min<std::size_t>(diff->groups.size(), 200)));
    for (int i = 0; i < groups_->rowCount(); ++i) {
        const ChangeGroup& group = diff->groups[std::size_t(i)];
        const StatementChange& first = group.places.front();
        const std::array<QString, 4> texts{grouped(group.count), QString::fromStdString(group.what),
                                           line_of(results->base->code, first.before), line_of(results->posted->code, first.after)};
        for (int k = 0; k < 4; ++k) {
            auto* item = new QTableWidgetItem(texts[std::size_t(k)]);
            if (k == 0) {
                item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            }
            if (k > 1) {
                item->setFont(code_font());
            }
            groups_->setItem(i, k, item);
        }
    }
    groups_->setColumnWidth(2, 220);
}

/// Each click shows the next block of the kind.
void ChangesPane::jump(int row)
{
    if (!shown_ || row < 0 || std::size_t(row) >= next_.size()) {
        return;
    }
    const ChangeGroup& group = shown_->groups[std::size_t(row)];
    std::size_t& next = next_[std::size_t(row)];
    Q_EMIT line_wanted(group.places[next].near);
    next = (next + 1) % group.places.size();
}

} // namespace wexilum::app
