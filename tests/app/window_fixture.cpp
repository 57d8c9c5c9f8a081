#include "tests/app/window_fixture.hpp"

#include "app/theme/theme.hpp"
#include "tests/support/places.hpp"

#include <QDirIterator>
#include <QHeaderView>

namespace wexilum::app::test {

Desk::Desk(const QString& job, QSize size)
{
    const QString demo = wexilum::test::source_folder() + QStringLiteral("/demo/observatory");
    QDirIterator files(demo, QDir::Files, QDirIterator::Subdirectories);
    while (files.hasNext()) {
        const QString inside = files.next().mid(demo.size() + 1);
        if (!inside.startsWith(QStringLiteral("out/"))) {
            QDir(folder_.path()).mkpath(QFileInfo(inside).path());
            QFile::copy(demo + QLatin1Char('/') + inside, folder_.filePath(inside));
            QFile::setPermissions(folder_.filePath(inside), QFile::ReadOwner | QFile::WriteOwner);
        }
    }
    apply_theme(*qobject_cast<QApplication*>(QCoreApplication::instance()), false);
    window_ = std::make_unique<MainWindow>(false);
    window_->resize(size);
    window_->show();
    if (!QTest::qWaitForWindowExposed(window_.get()) || !window_->open(folder_.path())) {
        qFatal("the window does not open");
    }
    window_->activateWindow();
    if (!QTest::qWaitForWindowActive(window_.get())) {
        qFatal("the window does not become active");
    }
    window_->workspace().set_job(job);
    if (!ready()) {
        qFatal("the job does not come to an end");
    }
}

QString Desk::read(const QString& path) const
{
    QFile file(folder_.filePath(path));
    if (!file.open(QIODevice::ReadOnly)) {
        qFatal("%s can't be read", qPrintable(path));
    }
    return QString::fromUtf8(file.readAll());
}

void Desk::write(const QString& path, const QString& text)
{
    QFile file(folder_.filePath(path));
    if (!file.open(QIODevice::WriteOnly)) {
        qFatal("%s can't be written", qPrintable(path));
    }
    file.write(text.toUtf8());
}

void Desk::edit(const QString& path, const QString& from, const QString& to)
{
    QString text = read(path);
    if (!text.contains(from)) {
        qFatal("%s does not hold %s", qPrintable(path), qPrintable(from));
    }
    write(path, text.replace(text.indexOf(from), from.size(), to));
}

bool Desk::ready()
{
    Workspace& workspace = window_->workspace();
    const bool done =
        wait_until([&] { return !workspace.runs().is_running() && (workspace.error() || !workspace.is_replay_old()); }, 60000);
    QTest::qWait(120); // what the trace asks after a moment
    return done;
}

void Desk::click(const char* name)
{
    QTest::mouseClick(&find<QWidget>(name), Qt::LeftButton);
    QTest::qWait(30);
}

void Desk::click_station(Station station)
{
    QTest::mouseClick(window_->findChild<QWidget*>(QStringLiteral("station-") + QLatin1String(station_keys()[std::size_t(station)])),
                      Qt::LeftButton);
    QTest::qWait(30); // a view is laid out when it is first shown
}

void Desk::click_shelf(const QString& path)
{
    auto& shelf = find<Shelf>("shelf");
    QTreeWidgetItem* item = shelf.item_of(path);
    if (item == nullptr) {
        qFatal("the shelf has no %s", qPrintable(path));
    }
    shelf.scrollToItem(item);
    QTest::mouseClick(shelf.viewport(), Qt::LeftButton, {}, shelf.visualItemRect(item).center());
}

void Desk::type(const char* field, const QString& text)
{
    auto& edit = find<QLineEdit>(field);
    QTest::mouseClick(&edit, Qt::LeftButton);
    QTest::keyClick(&edit, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(&edit, text);
    QTest::keyClick(&edit, Qt::Key_Return);
}

void Desk::click_line(std::uint32_t line, int word)
{
    CodeArea& area = window_->code().area();
    if (area.rect_of(line).isEmpty() || area.rect_of(line).bottom() > area.viewport()->height()) {
        type("go-to", QString::number(line + 1));
    }
    const QRect place = area.rect_of(line, word);
    const QPoint at = word < 0 ? QPoint(area.viewport()->width() - 120, place.center().y()) : place.center();
    QTest::mouseClick(area.viewport(), Qt::LeftButton, {}, at);
    if (!answered()) {
        qFatal("nothing is told about line %u", line + 1);
    }
}

bool Desk::answered()
{
    return !find<TracePane>("trace").isVisible() || wait_until([&] { return find<TraceCard>("trace-rule").isVisible(); });
}

void Desk::type_cell(QTableView& table, int row, int column, const QString& text)
{
    const QPoint at = table.visualRect(table.model()->index(row, column)).center();
    QWidget* editor = nullptr;
    for (int tries = 0; editor == nullptr && tries < 5; ++tries) { // a layout or an editor's closing may still be under way
        QTest::mouseClick(table.viewport(), Qt::LeftButton, {}, at);
        QTest::mouseDClick(table.viewport(), Qt::LeftButton, {}, at);
        QWidget* focus = QApplication::focusWidget();
        editor = qobject_cast<QLineEdit*>(focus) != nullptr && focus->parentWidget() == table.viewport() ? focus : nullptr;
        if (editor == nullptr) {
            QTest::qWait(50);
        }
    }
    if (editor == nullptr) {
        qFatal("no editor opens in row %d, column %d", row, column);
    }
    QTest::keyClick(editor, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(editor, text);
    QTest::keyClick(editor, Qt::Key_Return);
    QTest::qWait(30); // an editor hands over by the event loop
}

void Desk::click_cell(QTableView& table, int row, int column)
{
    QTest::mouseClick(table.viewport(), Qt::LeftButton, {}, table.visualRect(table.model()->index(row, column)).center());
}

std::uint32_t Desk::line_with(const char* text) const
{
    const LineTable& lines = window_->workspace().results()->posted->code.lines();
    for (std::uint32_t i = 0; i < lines.size(); ++i) {
        if (lines.holds(i, text)) {
            return i + 1;
        }
    }
    return 0;
}

QString Desk::trace(const char* card) { return find<TraceCard>(card).isVisible() ? find<TraceCard>(card).said() : QString(); }

void drag(QAbstractItemView& view, const QPoint& from, const QPoint& to)
{
    QWindow* window = view.window()->windowHandle();
    const auto in_window = [&](const QPoint& at) { return view.viewport()->mapTo(view.window(), at); };
    // While the drag lasts, the application is in a loop of its own.
    QTimer::singleShot(300, [&] { QTest::mouseMove(window, in_window(to) + QPoint(0, -1)); });
    QTimer::singleShot(600, [&] { QTest::mouseMove(window, in_window(to)); });
    QTimer::singleShot(900, [&] { QTest::mouseRelease(window, Qt::LeftButton, {}, in_window(to)); });
    QTest::mousePress(window, Qt::LeftButton, {}, in_window(from));
    QTest::mouseMove(window, in_window(from) + QPoint(0, 4));
    QTest::mouseMove(window, in_window(from) + QPoint(0, 14));
    QTest::qWait(1300);
}

} // namespace wexilum::app::test
