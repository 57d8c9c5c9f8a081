// The project's things, by kind: choose a job to run it, anything else to look at it.
#pragma once

#include "app/models/workspace.hpp"

#include <QTreeWidget>

namespace wexilum::app {

class Shelf final : public QTreeWidget {
    Q_OBJECT
public:
    explicit Shelf(Workspace& workspace, QWidget* parent = nullptr);
    /// The item of a path from the project's folder; nullptr where there is none.
    [[nodiscard]] QTreeWidgetItem* item_of(const QString& path) const;
    /// Shows only what has these words in its name or heading.
    void set_filter(const QString& text);

Q_SIGNALS:
    void file_chosen(const QString& path); ///< anything but a job
    void job_chosen(const QString& job);

private:
    void fill();
    void mark();
    void mark_job(QTreeWidgetItem& item, const QString& job);
    /// Where name and word of an item have no room beside each other the name has all of it: shape and tooltip say the same as the word.
    void share_room(QTreeWidgetItem& item);
    void resizeEvent(QResizeEvent* event) override;
    [[nodiscard]] QString machine_of(const QString& job_path) const;
    QTreeWidgetItem* heading(const QString& name, QTreeWidgetItem* below);
    void choose(QTreeWidgetItem* item);

    Workspace& workspace_;
    QStringList shown_;
    QString filter_;
};

/// The shelf below its filter.
class ShelfPane final : public QWidget {
    Q_OBJECT
public:
    explicit ShelfPane(Shelf& shelf, QWidget* parent = nullptr);
};

} // namespace wexilum::app
