// Unsaved edits put aside while the window is open, so that a crash or a power cut does not take them along.
#pragma once

#include "app/models/documents.hpp"

#include <QLockFile>
#include <QThreadPool>
#include <QTimer>

#include <memory>
#include <optional>
#include <vector>

namespace wexilum::app {

/// What a window that ended abruptly has left of one project.
struct LeftEdits {
    struct File {
        QString path;       ///< from the project's folder
        std::string before; ///< the text that the edits began with
        std::string text;   ///< the text with them
    };
    QString project; ///< its folder
    QString kept_in; ///< the file they lie in
    std::vector<File> files;
};

/// Keeps the unsaved edits of the documents in a file of this window's own, some seconds after each of them. Another window, and another
/// program, leaves it alone as long as this one lives.
class KeptEdits final : public QObject {
    Q_OBJECT
public:
    /// `folder` is made where missing; the documents must outlive the object.
    KeptEdits(Documents& documents, const QString& folder, QObject* parent = nullptr);
    ~KeptEdits() override;

    /// From now on the documents are those of this project. What was kept of another one goes.
    void begin(const QString& project);
    /// Whatever has been edited is on the disk when this returns.
    void keep_now();
    /// Everything of this window is removed: the edits are saved, or to be discarded.
    void forget();

    /// What windows that are gone have left, of one project or of all; files that can't be read are passed over.
    [[nodiscard]] std::vector<LeftEdits> left(const QString& project = {}) const;
    /// Puts them into the documents, each file as one step that can be undone. Paths of files that can't be read any more are given back.
    [[nodiscard]] QStringList take_back(const LeftEdits& left);
    void drop(const LeftEdits& left);

private:
    void keep();
    [[nodiscard]] QString own_file() const;

    Documents& documents_;
    QString folder_;
    QString project_;
    QString name_; ///< of this window's file, without extension
    std::unique_ptr<QLockFile> lock_;
    QTimer pause_;
    QThreadPool writer_;
    bool has_file_ = false;
};

} // namespace wexilum::app
