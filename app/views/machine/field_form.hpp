// A form of fields of a file's part: what each holds, typed with units, its unit beside it and a note below it.
#pragma once

#include "core/machine/machine_form.hpp"

#include <QColor>
#include <QLabel>
#include <QWidget>

#include <functional>

class QGridLayout;
class QScrollArea;

namespace wexilum::app {

class FieldForm final : public QWidget {
    Q_OBJECT
public:
    explicit FieldForm(QWidget* parent = nullptr);

    /// Shows these fields; rows stay where `key` and the fields' kinds are those shown. Values come by fill().
    void set_fields(const QString& key, const std::vector<FormField>& fields);
    [[nodiscard]] std::size_t size() const { return rows_.size(); }
    [[nodiscard]] const FormField& field(std::size_t row) const { return rows_[row].field; }
    /// Puts the document's values in; a field that is being typed in stays as it is while the text is that of the last keystroke.
    void fill(const json::Document& document, const PartPath& path);
    /// The text of the file since something was last typed in the form.
    void typed_in(const std::string& text) { typed_in_ = text; }
    void note(std::size_t row, const QString& text, const QColor& shade);
    void focus_first();

Q_SIGNALS:
    void typed(std::size_t row, const QString& text);
    void left(std::size_t row); ///< typing in it has ended

private:
    struct Row {
        FormField field;
        QWidget* editor = nullptr;
        QLabel* note = nullptr;
    };
    void build(const std::vector<FormField>& fields);
    [[nodiscard]] Row made(const FormField& field, std::size_t index);

    QScrollArea* scroll_;
    QString shown_; ///< whose rows there are, with their kinds
    std::vector<Row> rows_;
    std::string typed_in_;
};

} // namespace wexilum::app
