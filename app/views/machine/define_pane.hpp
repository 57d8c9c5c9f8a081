// A machine's parts as a tree, and the chosen part's values as a form; every change is in the file's text, and in the picture, at once.
#pragma once

#include "app/models/machine_editor.hpp"
#include "app/views/code/text_editor.hpp"
#include "app/views/machine/field_form.hpp"
#include "app/views/machine/part_tree.hpp"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

namespace wexilum::app {

class DefinePane final : public QWidget {
    Q_OBJECT
public:
    explicit DefinePane(MachineEditor& editor, QWidget* parent = nullptr);
    [[nodiscard]] PartTree& tree() { return *tree_; }
    [[nodiscard]] bool has_text() const { return text_->isVisibleTo(this); }
    /// Chooses a part by its place in the file, like "joints/2"; "" is the machine itself.
    void choose(const QString& part);

Q_SIGNALS:
    void text_shown(bool on);
    void reported(const QString& message);

private:
    QWidget* build_head();
    QWidget* build_parts();
    void connect_tree();
    void renew();
    void renew_files();
    void renew_tree();
    void renew_form();
    void note(std::size_t row, const QString& error);
    [[nodiscard]] QString witness_note(const FormField& field, QColor& shade) const;
    void typed(std::size_t row, const QString& text);
    void add(MachinePart part);
    void change(const QString& label, const std::function<Result<std::string>(const json::Document&)>& edit);
    void show_message(const QString& error);
    void follow(const std::string& list, const std::string& id);
    void start();
    void move_part(bool up);
    void remove_part();
    void follow_text(); ///< to the chosen part
    void follow_cursor();
    void order(const QString& joint, const QString& at, bool after);

    MachineEditor& editor_;
    QComboBox* files_ = nullptr;
    QWidget* fresh_ = nullptr; ///< what a new machine needs: name and arrangement
    QLineEdit* fresh_name_ = nullptr;
    QComboBox* fresh_start_ = nullptr;
    QPushButton* use_ = nullptr;
    PartTree* tree_ = nullptr;
    FieldForm* form_ = nullptr;
    TextEditor* text_ = nullptr; ///< of the file, beside the form where it is wanted
    QLabel* problem_ = nullptr;
    QLabel* wrong_ = nullptr; ///< with the last change
    QString part_;            ///< chosen
};

} // namespace wexilum::app
