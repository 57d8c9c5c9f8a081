// The files of the project that is open: its folder, the names in it, edits, and what others change on the disk.
#pragma once

#include "app/models/documents.hpp"

#include <QFileSystemWatcher>
#include <QStringList>
#include <QTimer>

namespace wexilum::app {

/// Endings of the files that a job's operation may name.
inline constexpr const char* toolpath_endings = ".cl .wtp";

class ProjectFiles final : public QObject {
    Q_OBJECT
public:
    explicit ProjectFiles(QObject* parent = nullptr);

    /// What was open before stays where that fails.
    Status open(const QString& folder);
    /// Files have come or gone: whoever lists them looks again.
    void rescan() { Q_EMIT changed(); }
    [[nodiscard]] const QString& folder() const { return folder_; }
    [[nodiscard]] const QString& name() const { return name_; }
    /// Names of the files of a folder with that ending, or one of those with a space between them; with "/name" those of its folders that
    /// hold such a file, and it.
    [[nodiscard]] QStringList files_in(const QString& subfolder, const QString& suffix) const;
    [[nodiscard]] QStringList jobs() const;
    /// Bytes of all toolpaths that are text.
    [[nodiscard]] double toolpath_bytes() const;
    [[nodiscard]] Documents& documents() { return documents_; }
    /// The files as they stand now, for a run.
    [[nodiscard]] std::shared_ptr<const SnapshotFiles> snapshot() const;
    /// Reads all texts anew from now on.
    void forget_texts() { kept_ = std::make_shared<KeptTexts>(); }
    /// Changes of these from outside are noticed: what a run has read, and another path beside the project's folders; may be empty.
    void watch(const SnapshotFiles& files, const QString& other);

    static constexpr int settle_ms = 120; ///< editors write a file in several steps

Q_SIGNALS:
    void opened();  ///< another project, before changed()
    void changed(); ///< its files, or another project
    /// Others have changed something; `read`: a file that is watched, not only names in a folder.
    void changed_outside(bool read);
    void message(const QString& text); ///< for the status line

private:
    void take_outside_changes();

    QString folder_;
    QString name_;
    Documents documents_;
    QFileSystemWatcher watcher_;
    QTimer outside_;
    std::shared_ptr<KeptTexts> kept_ = std::make_shared<KeptTexts>();
    bool read_changed_ = false;
};

} // namespace wexilum::app
