// A machine's parts as a tree, each under what carries it.
#pragma once

#include "core/base/json_document.hpp"
#include "core/machine/machine_form.hpp"

#include <QTreeWidget>

#include <map>

namespace wexilum::app {

/// A part's place in the file as text, like "joints/2"; "" is the machine itself.
[[nodiscard]] QString text_of_path(const PartPath& path);
[[nodiscard]] PartPath path_of_part(const QString& part);

/// A part dropped on a joint, or on the base, is to be carried by it; a joint dropped before or after another one on the same carrier is to
/// be there.
class PartTree final : public QTreeWidget {
    Q_OBJECT
public:
    explicit PartTree(QWidget* parent = nullptr);
    /// Shows the parts of a machine's file, with one of them chosen, or the machine where that is not there; which.
    QString show_parts(const json::Document& document, const QString& part);
    /// Whether it is being filled: what is chosen meanwhile is nobody's choice.
    [[nodiscard]] bool is_filling() const { return filling_; }
    /// The nearest thing that can carry others, from the chosen part on.
    [[nodiscard]] QString carrier() const;
    [[nodiscard]] static QString part_of(const QTreeWidgetItem& item);

Q_SIGNALS:
    void dropped(const QString& part, const QString& carrier);
    void ordered(const QString& joint, const QString& at, bool after);
    void removed();
    void moved(bool up);

protected:
    void dropEvent(QDropEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    QTreeWidgetItem* put(const json::Document& document, QTreeWidgetItem* under, const PartPath& path, const QString& carries, bool drags);
    QTreeWidgetItem* put_machine(const json::Document& document);
    void fit_columns();

    bool filling_ = false;
    std::map<QString, QTreeWidgetItem*> items_; ///< by part
};

} // namespace wexilum::app
