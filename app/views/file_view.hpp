// The text of one of the project's files, with its error where it stands.
#pragma once

#include "app/views/code_area.hpp"

#include <QLabel>
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

class FileView final : public QWidget {
    Q_OBJECT
public:
    explicit FileView(Workspace& workspace, QWidget* parent = nullptr);
    /// Shows a file by its path from the project's folder; the tabs are the files that go with it.
    void show_file(const QString& path);
    [[nodiscard]] const QString& path() const { return path_; }
    [[nodiscard]] CodeArea& area() { return *area_; }

private:
    void renew();
    void renew_tabs();

    Workspace& workspace_;
    QString path_;
    QWidget* tabs_;
    QLabel* name_;
    ErrorBand* band_;
    CodeArea* area_;
    std::shared_ptr<const std::string> shown_;
};

} // namespace wexilum::app
