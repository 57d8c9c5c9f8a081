#include "app/views/frame/edits_guard.hpp"

#include "app/models/text_difference.hpp"
#include "app/theme/theme.hpp"

#include <QDialog>
#include <QFileInfo>
#include <QLabel>
#include <QMessageBox>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace wexilum::app {

EditsGuard::EditsGuard(Documents& documents, QWidget& window, std::function<void(const QString&)> show_message)
    : documents_(documents), window_(window), show_message_(std::move(show_message))
{}

void EditsGuard::keep_in(const QString& folder) { kept_ = std::make_unique<KeptEdits>(documents_, folder); }

void EditsGuard::forget()
{
    if (kept_) {
        kept_->forget();
    }
}

void EditsGuard::begin(const QString& project)
{
    if (!kept_) {
        return;
    }
    kept_->begin(project);
    for (const LeftEdits& left : kept_->left(project)) {
        offer(left);
    }
}

void EditsGuard::offer(const LeftEdits& left)
{
    QStringList names;
    QString changed;
    for (const LeftEdits::File& file : left.files) {
        names.push_back(file.path);
        const auto now = documents_.text(file.path);
        if (!now || **now != file.before) {
            changed += tr("\n%1 has changed on the disk since; undo shows what is there now.").arg(file.path);
        }
    }
    QMessageBox box(QMessageBox::Question, tr("Kept edits"),
                    tr("Wexilum ended before these edits were saved (%1): %2.%3")
                        .arg(QFileInfo(left.kept_in).lastModified().toString(QStringLiteral("yyyy-MM-dd hh:mm")),
                             names.join(QStringLiteral(", ")), changed),
                    QMessageBox::NoButton, &window_);
    box.setObjectName(QStringLiteral("kept-edits"));
    QPushButton* take = box.addButton(tr("Restore them"), QMessageBox::AcceptRole);
    QPushButton* drop = box.addButton(tr("Drop them"), QMessageBox::DestructiveRole);
    box.addButton(tr("Ask again next time"), QMessageBox::RejectRole);
    take->setObjectName(QStringLiteral("kept-take"));
    drop->setObjectName(QStringLiteral("kept-drop"));
    box.setDefaultButton(take);
    box.exec();
    if (box.clickedButton() == take) {
        const QStringList failed = kept_->take_back(left);
        if (!failed.isEmpty()) {
            show_message_(tr("These files can't be read any more, so their edits stay kept: %1").arg(failed.join(QStringLiteral(", "))));
        }
    } else if (box.clickedButton() == drop) {
        kept_->drop(left);
    }
}

bool EditsGuard::may_leave()
{
    const QStringList changed = documents_.changed_paths();
    if (changed.isEmpty()) {
        return true;
    }
    QMessageBox box(QMessageBox::Question, tr("Unsaved edits"),
                    tr("There are unsaved edits in %1.").arg(changed.join(QStringLiteral(", "))),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, &window_);
    box.setObjectName(QStringLiteral("unsaved"));
    const int answer = box.exec();
    return answer == QMessageBox::Discard || (answer == QMessageBox::Save && save_all());
}

EditsGuard::Choice EditsGuard::ask(const Documents::Conflict& conflict)
{
    QDialog dialog(&window_);
    dialog.setObjectName(QStringLiteral("conflict"));
    dialog.setWindowTitle(tr("Changed meanwhile"));
    auto* column = new QVBoxLayout(&dialog);
    column->setContentsMargins(16, 16, 16, 12);
    column->setSpacing(12);
    auto* text =
        new QLabel(conflict.theirs ? tr("%1 was changed by something else since it was read here. Below: what is on the disk (-) and "
                                        "what would take its place (+).")
                                         .arg(conflict.path)
                                   : tr("%1 is not there any more, or can't be read.").arg(conflict.path));
    text->setWordWrap(true);
    column->addWidget(text);
    const auto mine = documents_.text(conflict.path);
    if (conflict.theirs && mine) {
        auto* lines = new QPlainTextEdit(text_difference(*conflict.theirs, **mine).join(QLatin1Char('\n')));
        lines->setObjectName(QStringLiteral("conflict-lines"));
        lines->setAccessibleName(tr("lines that differ"));
        lines->setReadOnly(true);
        lines->setFont(code_font());
        lines->setLineWrapMode(QPlainTextEdit::NoWrap);
        lines->setMinimumSize(720, 320);
        column->addWidget(lines, 1);
    }
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    row->addStretch(1);
    Choice choice = Choice::neither;
    const auto button = [&](const char* name, const QString& label, Choice means) {
        auto* made = new QPushButton(label);
        made->setObjectName(QLatin1String(name));
        made->setAutoDefault(means == Choice::neither);
        made->setDefault(means == Choice::neither);
        row->addWidget(made);
        QObject::connect(made, &QPushButton::clicked, &dialog, [&choice, &dialog, means] {
            choice = means;
            dialog.accept();
        });
    };
    button("conflict-mine", conflict.theirs ? tr("Overwrite with mine") : tr("Write it again"), Choice::mine);
    if (conflict.theirs) {
        button("conflict-theirs", tr("Take the version on the disk"), Choice::theirs);
    }
    button("conflict-cancel", tr("Cancel"), Choice::neither);
    column->addLayout(row);
    dialog.exec();
    return choice;
}

bool EditsGuard::save_all()
{
    QStringList paths = documents_.changed_paths();
    const auto conflicts = documents_.conflicts(paths);
    for (const Documents::Conflict& conflict : conflicts) {
        const Choice choice = ask(conflict);
        if (choice == Choice::neither) {
            show_message_(tr("Nothing was saved."));
            return false;
        }
        if (choice == Choice::theirs) {
            documents_.revert(conflict.path);
            paths.removeAll(conflict.path);
        }
    }
    const Status status = paths.isEmpty() ? Status() : documents_.save(paths, conflicts);
    if (!status) {
        show_message_(QString::fromStdString(status.error().text()));
    }
    return status.ok();
}

} // namespace wexilum::app
