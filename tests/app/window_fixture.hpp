// The real window on a copy of the demo project, driven as a person does: by mouse and keys.
#pragma once

#include "app/views/frame/main_window.hpp"

#include <QAbstractItemView>
#include <QTemporaryDir>
#include <QtTest>

#include <memory>

namespace wexilum::app::test {

class Desk {
public:
    /// Copies the demo, opens the window at a size and waits until `job` has been replayed.
    explicit Desk(const QString& job = QStringLiteral("mirror-cell"), QSize size = {1280, 800});

    [[nodiscard]] MainWindow& window() { return *window_; }
    /// The window is gone, as if its program had been killed: it has no chance to close.
    void crash() { window_.reset(); }
    [[nodiscard]] QString folder() const { return folder_.path(); }
    [[nodiscard]] QString read(const QString& path) const;
    void write(const QString& path, const QString& text);
    /// Replaces a text in a file of the project; it must be there.
    void edit(const QString& path, const QString& from, const QString& to);

    template <typename W>
    [[nodiscard]] W& find(const char* name)
    {
        W* found = window_->findChild<W*>(QLatin1String(name));
        if (found == nullptr) {
            qFatal("the window has no %s", name);
        }
        return *found;
    }
    void click(const char* name);
    void click_station(Station station);
    /// Clicks a job or file on the shelf.
    void click_shelf(const QString& path);
    /// Types into a field that has been clicked, over what stands there, and presses Enter.
    void type(const char* field, const QString& text);
    /// Clicks a line of the code, on its word (-1: behind the last).
    void click_line(std::uint32_t line, int word = -1);
    /// Waits until the trace has its answer to "why?".
    bool answered();
    /// Double-clicks a cell of a table and types a value into it.
    void type_cell(QTableView& table, int row, int column, const QString& text);
    void click_cell(QTableView& table, int row, int column);

    /// Waits until nothing runs and the replay belongs to what is in the files.
    bool ready();
    [[nodiscard]] std::uint32_t line_with(const char* text) const; ///< from 1; 0: none
    [[nodiscard]] QString trace(const char* card);                 ///< what a card of the trace says

private:
    QTemporaryDir folder_;
    std::unique_ptr<MainWindow> window_;
};

/// Drags from one place of a list or tree to another with the left button held, as a person does.
void drag(QAbstractItemView& view, const QPoint& from, const QPoint& to);

/// Waits until `done` says so; false after some seconds.
template <typename F>
bool wait_until(const F& done, int ms = 20000)
{
    return QTest::qWaitFor(done, ms);
}

} // namespace wexilum::app::test
