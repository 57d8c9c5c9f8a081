#include "app/views/frame/palette.hpp"

#include "app/theme/theme.hpp"

#include <QKeyEvent>
#include <QLabel>
#include <QVBoxLayout>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr std::size_t most_shown = 60;

bool holds_all(const QString& text, const QStringList& words)
{
    return std::all_of(words.begin(), words.end(), [&](const QString& word) { return text.contains(word, Qt::CaseInsensitive); });
}

} // namespace

CommandPalette::CommandPalette(std::vector<Command> commands, std::function<std::vector<Command>(const QString&)> more, QWidget* parent)
    : QDialog(parent, Qt::Popup), commands_(std::move(commands)), more_(std::move(more)), typed_(new QLineEdit), list_(new QListWidget)
{
    setObjectName(QStringLiteral("palette"));
    setAccessibleName(tr("commands"));
    resize(560, 380);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 10, 10, 10);
    typed_->setObjectName(QStringLiteral("palette-typed"));
    typed_->setPlaceholderText(tr("a command, a job, a file, a line number …"));
    typed_->setAccessibleName(tr("command"));
    list_->setObjectName(QStringLiteral("palette-list"));
    list_->setAccessibleName(tr("matching commands"));
    list_->setFocusPolicy(Qt::NoFocus);
    column->addWidget(typed_);
    column->addWidget(list_, 1);
    typed_->installEventFilter(this);
    connect(typed_, &QLineEdit::textChanged, this, &CommandPalette::fill);
    connect(list_, &QListWidget::itemClicked, this, &CommandPalette::take);
    fill({});
    typed_->setFocus();
}

void CommandPalette::fill(const QString& typed)
{
    const QStringList words = typed.split(QLatin1Char(' '), Qt::SkipEmptyParts);
    shown_ = more_(typed);
    for (const Command& command : commands_) {
        if (holds_all(command.name + QLatin1Char(' ') + command.hint, words) && shown_.size() < most_shown) {
            shown_.push_back(command);
        }
    }
    // What begins with the words typed comes before what only holds them.
    std::stable_partition(shown_.begin(), shown_.end(),
                          [&](const Command& command) { return command.name.startsWith(typed.trimmed(), Qt::CaseInsensitive); });
    list_->clear();
    for (const Command& command : shown_) {
        auto* item = new QListWidgetItem(list_);
        auto* label = new QLabel(QStringLiteral("%1 <span style=\"color:%2\">&nbsp; %3</span>")
                                     .arg(command.name.toHtmlEscaped(), colour(tokens().soft).name(), command.hint.toHtmlEscaped()));
        label->setContentsMargins(6, 3, 6, 3);
        label->setAttribute(Qt::WA_TransparentForMouseEvents);
        item->setSizeHint(label->sizeHint());
        item->setData(Qt::AccessibleTextRole, command.name);
        list_->setItemWidget(item, label);
    }
    list_->setCurrentRow(0);
}

void CommandPalette::take()
{
    const int row = list_->currentRow();
    if (row < 0 || std::size_t(row) >= shown_.size()) {
        return;
    }
    const auto run = shown_[std::size_t(row)].run;
    accept();
    run();
}

bool CommandPalette::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == typed_ && event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const int step = key->key() == Qt::Key_Down ? 1 : key->key() == Qt::Key_Up ? -1 : 0;
        if (step != 0 && list_->count() > 0) {
            list_->setCurrentRow((list_->currentRow() + step + list_->count()) % list_->count());
            return true;
        }
        if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
            take();
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

} // namespace wexilum::app
