#include "app/views/machine/field_form.hpp"

#include "app/theme/theme.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QLineEdit>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QVBoxLayout>

namespace wexilum::app {

FieldForm::FieldForm(QWidget* parent) : QWidget(parent), scroll_(new QScrollArea)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    scroll_->setWidgetResizable(true);
    scroll_->setFrameShape(QFrame::NoFrame);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll_->setFocusPolicy(Qt::NoFocus);
    column->addWidget(scroll_);
}

void FieldForm::set_fields(const QString& key, const std::vector<FormField>& fields)
{
    QString kinds = key;
    for (const FormField& field : fields) {
        kinds += QStringLiteral("|%1%2").arg(QString::fromStdString(field.title), QString::fromStdString(unit_of(field)));
        for (const std::string& choice : field.choices) {
            kinds += QLatin1Char(',') + QString::fromStdString(choice);
        }
    }
    if (kinds != shown_) {
        shown_ = kinds;
        build(fields);
    }
}

FieldForm::Row FieldForm::made(const FormField& field, std::size_t index)
{
    Row row{field, nullptr, new QLabel};
    if (field.kind == FieldKind::choice) {
        auto* box = new QComboBox;
        if (!field.required && field.fallback.empty()) {
            box->addItem(QString());
        }
        for (const std::string& choice : field.choices) {
            box->addItem(QString::fromStdString(choice));
        }
        connect(box, &QComboBox::activated, this, [this, index, box] { Q_EMIT typed(index, box->currentText()); });
        row.editor = box;
    } else if (field.kind == FieldKind::flag) {
        auto* check = new QCheckBox;
        connect(check, &QCheckBox::clicked, this,
                [this, index](bool on) { Q_EMIT typed(index, on ? QStringLiteral("yes") : QStringLiteral("no")); });
        row.editor = check;
    } else {
        auto* edit = new QLineEdit;
        edit->setFont(code_font());
        connect(edit, &QLineEdit::textEdited, this, [this, index](const QString& text) { Q_EMIT typed(index, text); });
        connect(edit, &QLineEdit::editingFinished, this, [this, index, edit] {
            edit->setModified(false);
            if (index < rows_.size() && rows_[index].editor == edit) {
                Q_EMIT left(index);
            }
        });
        row.editor = edit;
    }
    const QString title = QString::fromStdString(field.title);
    row.editor->setAccessibleName(title);
    row.editor->setObjectName(QStringLiteral("field-") + title);
    row.editor->setToolTip(QString::fromStdString(field.help));
    row.note->setWordWrap(true);
    row.note->setObjectName(QStringLiteral("note-") + title);
    row.note->setTextInteractionFlags(Qt::TextSelectableByMouse);
    return row;
}

void FieldForm::build(const std::vector<FormField>& fields)
{
    const QString before = focusWidget() != nullptr ? focusWidget()->objectName() : QString();
    rows_.clear();
    auto* form = new QWidget;
    set_surface(*form, "paper");
    auto* grid = new QGridLayout(form);
    grid->setContentsMargins(0, 0, 6, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(2);
    grid->setColumnStretch(1, 1);
    for (const FormField& field : fields) {
        const int line = int(2 * rows_.size());
        Row row = made(field, rows_.size());
        auto* label = new QLabel(QString::fromStdString(field.title));
        label->setProperty("role", "soft");
        label->setBuddy(row.editor);
        auto* unit = new QLabel(QString::fromStdString(unit_of(field)));
        unit->setProperty("role", "faint");
        grid->addWidget(label, line, 0);
        grid->addWidget(row.editor, line, 1);
        grid->addWidget(unit, line, 2);
        grid->addWidget(row.note, line + 1, 1);
        rows_.push_back(std::move(row));
    }
    grid->setRowStretch(int(2 * rows_.size()), 1);
    if (QWidget* old = scroll_->takeWidget()) {
        old->deleteLater(); // a change of one of its values may be what has led here
    }
    scroll_->setWidget(form);
    for (const Row& row : rows_) {
        if (row.editor->objectName() == before) {
            row.editor->setFocus();
        }
    }
}

void FieldForm::fill(const json::Document& document, const PartPath& path)
{
    for (Row& row : rows_) {
        const QString value = QString::fromStdString(shown_value(document, path, row.field));
        const QSignalBlocker quiet(row.editor);
        if (auto* box = qobject_cast<QComboBox*>(row.editor)) {
            box->setCurrentIndex(box->findText(value.isEmpty() ? QString::fromStdString(row.field.fallback) : value));
        } else if (auto* check = qobject_cast<QCheckBox*>(row.editor)) {
            check->setChecked(value == QStringLiteral("yes") || (value.isEmpty() && row.field.keys.front() == "moves_while_cutting"));
        } else if (auto* edit = qobject_cast<QLineEdit*>(row.editor)) {
            if (edit->hasFocus() && edit->isModified() && document.text() == typed_in_) {
                continue; // what is being typed stays as it is
            }
            if (edit->text() != value) {
                edit->setText(value);
            }
            edit->setCursorPosition(edit->hasFocus() ? edit->cursorPosition() : 0);
        }
    }
}

void FieldForm::note(std::size_t row, const QString& text, const QColor& shade)
{
    rows_[row].note->setStyleSheet(QStringLiteral("color:%1;font-size:11px").arg(shade.name()));
    rows_[row].note->setText(text);
    rows_[row].note->setVisible(!text.isEmpty());
}

void FieldForm::focus_first()
{
    if (!rows_.empty()) {
        rows_.front().editor->setFocus();
    }
}

} // namespace wexilum::app
