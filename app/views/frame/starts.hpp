// Asks for what a new file is to be called - a project, one of its files, the program -, has it made, and says what comes next.
#pragma once

#include "app/models/beginnings.hpp"

#include <QWidget>

namespace wexilum::app {

class Starts final : public QObject {
    Q_OBJECT
public:
    /// Both must outlive the object.
    Starts(Workspace& workspace, QWidget& window) : workspace_(workspace), window_(window), beginnings_(workspace) {}

    void project();
    void demo();
    void file(FirstKind kind);
    /// A toolpath's file has been dropped in.
    void toolpath(const QString& path);
    /// Asks where the code of the job at hand goes, and writes it there.
    void save_code();

Q_SIGNALS:
    void open_wanted(const QString& folder);
    void file_wanted(const QString& path);
    void reported(const QString& text);

private:
    Workspace& workspace_;
    QWidget& window_;
    Beginnings beginnings_;
};

} // namespace wexilum::app
