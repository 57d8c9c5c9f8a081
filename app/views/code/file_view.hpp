// The text of one of the project's files, with its error where it stands.
#pragma once

#include "app/views/code/changes_pane.hpp"
#include "app/views/code/text_editor.hpp"

#include <QBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

namespace wexilum::app {

/// A band above a view that says what is wrong with a file and how to cure it; hidden where nothing is.
class ErrorBand final : public QWidget {
    Q_OBJECT
public:
    explicit ErrorBand(QWidget* parent = nullptr);
    /// `held`: what the view shows instead, e.g. "The picture is that of the last good state."
    void show_error(const std::optional<Error>& error, const QString& held = {});
    [[nodiscard]] QString said() const { return text_->text(); }

Q_SIGNALS:
    void open_wanted(const QString& path);

private:
    QLabel* text_;
    QPushButton* open_;
    QString path_;
};

/// Edits one of several files, with what is wrong where it stands and what the edits do to the program.
class FileView final : public QWidget {
    Q_OBJECT
public:
    explicit FileView(Workspace& workspace, QWidget* parent = nullptr);
    /// Shows a file by its path from the project's folder; empty: none.
    void show_file(const QString& path);
    /// The files that have a tab, and what to say where there is none.
    void set_files(const QStringList& files, const QString& empty);
    [[nodiscard]] const QString& path() const { return path_; }
    [[nodiscard]] TextEditor& editor() { return *editor_; }
    void open_search();

Q_SIGNALS:
    void path_changed();
    void line_wanted(std::uint32_t line); ///< of the code, from 0

private:
    void renew();
    void renew_tabs();
    void renew_marks();
    void build_search(QBoxLayout* column);

    Workspace& workspace_;
    QString path_;
    QStringList files_;
    QString empty_text_;
    QWidget* tabs_;
    QLabel* name_;
    ErrorBand* band_;
    QLabel* empty_;
    TextEditor* editor_;
    QWidget* search_;
    QLineEdit* find_;
    QLineEdit* by_;
    QLabel* found_;
    ChangesPane* changes_;
};

} // namespace wexilum::app
