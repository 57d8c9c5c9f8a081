// The window, driven by mouse and keys. Numbers are worked out by hand from the demo's files.
#include "tests/app/window_fixture.hpp"

#include "app/models/state_text.hpp"
#include "app/theme/theme.hpp"
#include "core/base/units.hpp"

#include "tests/support/test_program.hpp"

#include <QClipboard>
#include <QHeaderView>
#include <QMimeData>
#include <QScrollBar>
#include <QSettings>
#include <QStandardPaths>
#include <QTreeWidgetItemIterator>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window {

namespace {

int far_apart(QRgb a, QRgb b)
{
    return std::max({std::abs(qRed(a) - qRed(b)), std::abs(qGreen(a) - qGreen(b)), std::abs(qBlue(a) - qBlue(b))});
}

/// The colour of a face that looks up, straight at the eye, in the light: 0.46 + 0.15 from the sky, 0.40 / |(0.30, 0.62, 1)| from the lamp,
/// 0.10 from the eye.
QRgb lit(Rgb body)
{
    const double light = 0.46 + 0.15 + 0.40 / std::sqrt(0.30 * 0.30 + 0.62 * 0.62 + 1) + 0.10;
    const auto shade = [&](Rgb channel) { return std::min(255, int((channel & 255) * light)); };
    return qRgb(shade(body >> 16), shade(body >> 8), shade(body));
}

} // namespace

class TestWindow : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_click_moves_record_sliders_and_picture();
    void words_by_click_and_arrow();
    void strip_and_shelf();
    void a_finding_jumps();
    void findings_are_filtered();
    void a_run_is_cancelled();
    void a_broken_file_says_so();
    void an_outside_change_is_noticed();
    void search_and_go_to();
    void the_outline_jumps();
    void copies_lines();
    void records_are_linked();
    void the_palette_runs_commands();
    void files_are_dropped();
    void dark_and_light();
    void settings_are_kept();
    void every_control_is_named_and_in_the_tab_order();
    void nothing_is_cut_data();
    void nothing_is_cut();
};

void TestWindow::a_click_moves_record_sliders_and_picture()
{
    Desk desk;
    // The arc's end GOTO/58,67.55,-4.8 of the pockets; register 1 is X -60, Y 15, Z -578 and tool 1 is 96.205 long.
    const std::uint32_t line = desk.line_with("Y67.55");
    QVERIFY(line > 0);
    desk.click_line(line - 1);
    const auto& results = desk.window().workspace().results();
    const std::uint32_t record = results->posted->code.record_of(line - 1);
    QVERIFY(desk.trace("trace-record").contains(QStringLiteral("Record %1").arg(record + 1)));
    QVERIFY2(desk.trace("trace-record").contains(QStringLiteral("67.5500")), qPrintable(desk.trace("trace-record")));

    desk.click_station(Station::machine);
    QVERIFY(desk.window().machine().isVisible());
    QCOMPARE(desk.find<QLineEdit>("reading-Y").text(), QStringLiteral("82.550 mm")); // 67.55 + 15
    const QString x = desk.find<QLineEdit>("reading-X").text();
    const double words_x = x.section(QLatin1Char(' '), 0, 0).toDouble() + 60;
    QVERIFY(results->posted->code.lines().text().find("X" + QString::number(words_x, 'g', 8).toStdString()) != std::string::npos);

    // From above, the table (860 x 380, carried by X, which reads tool-relative) lies at -X: its right edge is 430 mm right of that.
    auto& view = desk.find<QComboBox>("fixed-view");
    QTest::mouseClick(&view, Qt::LeftButton);
    QTest::keyClick(&view, Qt::Key_End);
    QTest::keyClick(&view, Qt::Key_Return);
    MachinePicture& picture = desk.window().machine().picture();
    if (!picture.has_graphics()) {
        QFAIL("no OpenGL: the picture can't be tested");
    }
    const auto looks_at_edge = [&](double reading_x, double reading_y) {
        const QImage image = picture.grab().toImage();
        const double ratio = picture.devicePixelRatioF();
        const Camera& camera = picture.camera();
        const auto at = [&](double wx, double wy) {
            const double px = picture.width() / 2.0 + (wx - camera.target().x()) * camera.scale();
            const double py = picture.height() / 2.0 - (wy - camera.target().y()) * camera.scale();
            return image.pixel(int(px * ratio), int(py * ratio));
        };
        // Clear of bed (380 wide to each side), column and head: 12 mm inside and outside of the table's right edge, near its front.
        const double edge = 430 - reading_x;
        const double front = -150 - reading_y;
        const int inside = far_apart(at(edge - 12, front), lit(tokens().body));
        const int outside = far_apart(at(edge + 12, front), lit(tokens().body));
        return std::pair(inside, outside);
    };
    const auto [inside, outside] = looks_at_edge(x.section(QLatin1Char(' '), 0, 0).toDouble(), 82.55);
    QVERIFY2(inside <= 6, qPrintable(QString::number(inside)));
    QVERIFY2(outside > 12, qPrintable(QString::number(outside)));

    // Another block, another place: the saddle grooves' X.
    desk.click_station(Station::code);
    const std::uint32_t other = desk.line_with("X-118.");
    QVERIFY(other > 0);
    desk.click_line(other - 1);
    desk.click_station(Station::machine);
    QTest::qWait(250);
    QCOMPARE(desk.find<QLineEdit>("reading-X").text(), QStringLiteral("-178.000 mm")); // -118 - 60
    const double y = desk.find<QLineEdit>("reading-Y").text().section(QLatin1Char(' '), 0, 0).toDouble();
    const auto [inside2, outside2] = looks_at_edge(-178, y);
    QVERIFY2(inside2 <= 6, qPrintable(QString::number(inside2)));
    QVERIFY2(outside2 > 12, qPrintable(QString::number(outside2)));
}

void TestWindow::words_by_click_and_arrow()
{
    Desk desk(QStringLiteral("mirror-back-face"));
    const LineTable& lines = desk.window().workspace().results()->posted->code.lines();
    const std::uint32_t line = desk.line_with("Z22.992");
    QCOMPARE(line, 2411U);
    desk.click_line(line - 1, 3);
    QVERIFY2(desk.trace("trace-word").startsWith(QStringLiteral("Word Z22.992")), qPrintable(desk.trace("trace-word")));
    // The record's Z, seen from the offset and through the turned table, is what the word was rounded from: nearer than half a digit.
    const QString before = desk.trace("trace-word").section(QStringLiteral("before formatting "), 1).section(QLatin1Char(' '), 0, 0);
    QVERIFY2(std::abs(before.toDouble() - 22.992) <= 0.0005 && before.size() >= 9, qPrintable(before));
    CodeArea& area = desk.window().code().area();
    QTest::keyClick(&area, Qt::Key_Right);
    QVERIFY(desk.trace("trace-word").startsWith(QStringLiteral("Word B16.7971")));
    QTest::keyClick(&area, Qt::Key_Down);
    QVERIFY(desk.answered());
    QCOMPARE(area.line(), line);
    QVERIFY2(desk.trace("trace-word").startsWith(QStringLiteral("Word B16.499")), qPrintable(desk.trace("trace-word")));
    QVERIFY(desk.trace("trace-word").contains(QStringLiteral("differs from B16.7971 of line 2411")));
    QVERIFY(desk.trace("trace-axes").contains(QStringLiteral("Branch")));
    QVERIFY(desk.trace("trace-held").contains(QStringLiteral("G1 holds since line")));
    QVERIFY(desk.trace("trace-rule").contains(QStringLiteral("linear motion")));
    QTest::keyClick(&area, Qt::Key_Escape);
    QCOMPARE(area.word(), -1);
    QVERIFY(lines.size() == 4640);
}

void TestWindow::strip_and_shelf()
{
    Desk desk;
    const auto said = [&](const char* station) { return desk.find<StationButton>(station).state(); };
    QCOMPARE(said("station-toolpath").figure, QStringLiteral("652 records"));
    const double seconds = desk.window().workspace().results()->replayed->time.all.seconds();
    QCOMPARE(said("station-code").figure, QStringLiteral("601 blocks · ") + clock_text(seconds));
    QCOMPARE(said("station-replay").status, QStringLiteral("proven"));
    QCOMPARE(said("station-setup").figure, QStringLiteral("3 tools · 1 offset"));
    for (int i = 0; i < int(station_count); ++i) {
        QTest::keyClick(&desk.window(), static_cast<Qt::Key>(Qt::Key_1 + i), Qt::ControlModifier);
        QCOMPARE(int(desk.window().station()), i);
    }
    desk.click_station(Station::replay);
    QVERIFY(desk.window().replay().isVisible());
    desk.click_shelf(QStringLiteral("jobs/fails-beyond-travel.json"));
    QVERIFY(desk.ready());
    QCOMPARE(desk.window().workspace().job(), QStringLiteral("fails-beyond-travel"));
    QCOMPARE(said("station-machine").state, State::beyond);
    QVERIFY(said("station-machine").status.startsWith(QStringLiteral("X beyond travel")));
    desk.click_shelf(QStringLiteral("setups/mirror-cell-far-right.json"));
    QVERIFY(desk.window().setup().isVisible()); // this job's own setup
    desk.click_shelf(QStringLiteral("dialects/calder-t.json"));
    QVERIFY(desk.find<FileView>("file-view").isVisible());
    QVERIFY(desk.find<FileView>("file-view").editor().text().contains(QStringLiteral("Calder T")));
}

void TestWindow::a_finding_jumps()
{
    Desk desk(QStringLiteral("fails-beyond-travel"));
    desk.click_line(0);
    auto& table = desk.find<QTableView>("findings-table");
    QVERIFY(table.isVisible());
    QCOMPARE(table.model()->index(0, FindingsModel::kind).data().toString(), QStringLiteral("beyond travel"));
    QVERIFY(
        table.model()->index(0, FindingsModel::text).data().toString().startsWith(QStringLiteral("X goes 22.000 mm beyond the high end")));
    QVERIFY(table.model()->index(0, FindingsModel::cure).data().toString().contains(QStringLiteral("move the part")));
    desk.click_cell(table, 0, FindingsModel::text);
    // The worst place: X 420 is the end of travel, the part lies at 345, so a word of X97 brings it 22 mm beyond.
    const std::uint32_t line = desk.window().selection().line();
    QVERIFY(desk.window().workspace().results()->posted->code.lines().holds(line, "X97."));
    QVERIFY(!desk.window().code().area().rect_of(line).isEmpty());
    desk.click_station(Station::machine);
    QCOMPARE(desk.find<QLineEdit>("reading-X").text(), QStringLiteral("442.000 mm"));
    // The chosen one is as high as its longest text needs in its column, the others have a line each.
    for (const int column : {int(FindingsModel::text), int(FindingsModel::cure)}) {
        const QRect room(0, 0, table.columnWidth(column), 1000);
        const QString text = table.model()->index(0, column).data().toString();
        QVERIFY(table.rowHeight(0) >= QFontMetrics(table.font()).boundingRect(room, Qt::TextWordWrap, text).height());
    }
    QVERIFY(table.rowHeight(0) > 24);
    QVERIFY(table.model()->rowCount() < 2 || table.rowHeight(1) == 24);
    QTest::keyClick(&desk.window(), Qt::Key_F8);
    QVERIFY(desk.window().selection().line() != line || table.model()->rowCount() == 1);
}

void TestWindow::findings_are_filtered()
{
    Desk desk(QStringLiteral("fails-tilt-beyond-travel"));
    auto& table = desk.find<QTableView>("findings-table");
    const int all = table.model()->rowCount();
    QVERIFY(all >= 3);
    desk.type("findings-filter", QStringLiteral("alarm"));
    QVERIFY(table.model()->rowCount() < all && table.model()->rowCount() > 0);
    desk.type("findings-filter", QStringLiteral("no such words"));
    QCOMPARE(table.model()->rowCount(), 0);
    QVERIFY(!table.isVisible());
}

void TestWindow::a_run_is_cancelled()
{
    Desk desk;
    QString text = QStringLiteral("LOADTL/1\nSPINDL/RPM,3000,CLW\nFEDRAT/600,MMPM\n");
    for (int i = 0; i < 1500000 / WEXILUM_EVERY; ++i) {
        text += QStringLiteral("GOTO/%1,%2,0\n").arg(i % 100).arg(i % 7);
    }
    desk.write(QStringLiteral("toolpaths/long.cl"), text);
    QString job = desk.read(QStringLiteral("jobs/mirror-cell.json"));
    job = job.left(job.indexOf(QStringLiteral("\"operations\""))) +
          QStringLiteral("\"operations\": [{\"id\": \"1\", \"name\": \"long\", \"toolpath\": \"toolpaths/long.cl\"}]}");
    desk.write(QStringLiteral("jobs/long.json"), job.replace(QStringLiteral("\"mirror-cell\""), QStringLiteral("\"long\"")));
    QVERIFY(wait_until([&] { return desk.find<Shelf>("shelf").item_of(QStringLiteral("jobs/long.json")) != nullptr; }));
    QVERIFY(desk.ready());
    desk.click_shelf(QStringLiteral("jobs/long.json"));
    auto& stop = desk.find<QPushButton>("stop");
    QVERIFY(wait_until([&] { return stop.isVisible(); }));
    QVERIFY(desk.find<QWidget>("progress").isVisible());
    QTest::mouseClick(&stop, Qt::LeftButton);
    QVERIFY(wait_until([&] { return !desk.window().workspace().runs().is_running(); }));
    QVERIFY(desk.window().workspace().runs().was_stopped());
    QVERIFY(!desk.window().workspace().results() || !desk.window().workspace().results()->replayed);
    QVERIFY(wait_until([&] { return !stop.isVisible(); }));
    QVERIFY(desk.find<QLabel>("message").text().contains(QStringLiteral("stopped")));
    QTest::keyClick(&desk.window(), Qt::Key_F5);
    QVERIFY(desk.ready());
    QCOMPARE(desk.window().workspace().results()->posted->records.size(), std::size_t(1500000 / WEXILUM_EVERY + 4));
}

void TestWindow::a_broken_file_says_so()
{
    Desk desk;
    const std::uint32_t lines = desk.window().workspace().results()->posted->code.lines().size();
    desk.edit(QStringLiteral("machines/tarn-3.json"), QStringLiteral("\"travel\": [-420, 420]"), QStringLiteral("\"travel\": [420, -420]"));
    QVERIFY(wait_until([&] { return desk.window().workspace().error().has_value(); }));
    QVERIFY(desk.ready());
    desk.click_station(Station::machine);
    ErrorBand* band = desk.window().machine().findChild<ErrorBand*>();
    QVERIFY(band->isVisible());
    QVERIFY2(band->said().startsWith(QStringLiteral("machines/tarn-3.json:10:")), qPrintable(band->said()));
    QVERIFY(band->said().contains(QStringLiteral("the travel's low end is not below its high end")));
    QVERIFY(band->said().contains(QStringLiteral("Cure: write [low, high]")));
    QCOMPARE(desk.find<StationButton>("station-machine").state().status, QStringLiteral("error in its file"));
    // The last good program stays, and is marked as older.
    QCOMPARE(desk.window().workspace().results()->posted->code.lines().size(), lines);
    QCOMPARE(desk.find<StationButton>("station-code").state().status, QStringLiteral("older than the edit"));
    QTest::mouseClick(band->findChild<QPushButton*>(), Qt::LeftButton);
    auto& file = desk.find<FileView>("file-view");
    QVERIFY(file.isVisible());
    int line = 0;
    int index = 0;
    file.editor().getCursorPosition(&line, &index);
    QCOMPARE(line, 9);
    desk.edit(QStringLiteral("machines/tarn-3.json"), QStringLiteral("\"travel\": [420, -420]"), QStringLiteral("\"travel\": [-420, 420]"));
    QVERIFY(wait_until([&] { return !desk.window().workspace().error(); }));
    QVERIFY(desk.ready());
    QCOMPARE(desk.find<StationButton>("station-replay").state().status, QStringLiteral("proven"));
}

void TestWindow::an_outside_change_is_noticed()
{
    Desk desk;
    QVERIFY(desk.line_with("S7600") > 0);
    desk.edit(QStringLiteral("toolpaths/cell-pockets.cl"), QStringLiteral("7600"), QStringLiteral("7100"));
    QVERIFY(wait_until([&] { return desk.line_with("S7100") > 0; }));
    // With edits of one's own in the window an outside change does not remove them.
    QVERIFY(desk.ready());
    desk.click_station(Station::setup);
    desk.type_cell(desk.window().setup().offsets(), 0, 1, QStringLiteral("-61"));
    QVERIFY(desk.ready());
    desk.edit(QStringLiteral("setups/mirror-cell.json"), QStringLiteral("\"X\": -60"), QStringLiteral("\"X\": -70"));
    QVERIFY(wait_until([&] { return desk.find<QLabel>("message").isVisible(); }));
    QVERIFY(desk.find<QLabel>("message").text().startsWith(
        QStringLiteral("setups/mirror-cell.json was changed outside; your unsaved edits are kept")));
    QCOMPARE(desk.window().setup().offsets().model()->index(0, 1).data().toString(), QStringLiteral("-61"));
}

void TestWindow::search_and_go_to()
{
    Desk desk(QStringLiteral("mirror-back-face"));
    QTest::keyClick(&desk.window(), Qt::Key_F, Qt::ControlModifier);
    auto& find = desk.find<QLineEdit>("find");
    QVERIFY(find.hasFocus());
    QTest::keyClicks(&find, QStringLiteral("z22.992"));
    QTest::keyClick(&find, Qt::Key_Return);
    QVERIFY(wait_until([&] { return desk.window().selection().line() == 2410; }));
    QCOMPARE(desk.window().selection().word(), 3);
    QTest::keyClick(&find, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(&find, QStringLiteral("nowhere"));
    QTest::keyClick(&find, Qt::Key_Return);
    QVERIFY(wait_until([&] { return desk.find<QLabel>("search-message").text() == QStringLiteral("not found"); }));
    QTest::keyClick(&desk.window(), Qt::Key_G, Qt::ControlModifier);
    desk.type("go-to", QStringLiteral("n2410"));
    const std::uint32_t line = desk.window().selection().line();
    QVERIFY(desk.window().workspace().results()->posted->code.lines().line(line).starts_with("N2410 "));
    desk.type("go-to", QStringLiteral("100000"));
    QCOMPARE(desk.find<QLabel>("search-message").text(), QStringLiteral("no such block"));
    QCOMPARE(desk.window().selection().line(), line);
    // Backwards, from behind it.
    desk.type("go-to", QStringLiteral("4000"));
    QTest::mouseClick(&find, Qt::LeftButton);
    QTest::keyClick(&find, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(&find, QStringLiteral("B16.7971"));
    QTest::keyClick(&find, Qt::Key_Return, Qt::ShiftModifier);
    QVERIFY(wait_until([&] { return desk.window().selection().line() == 2410; }));
}

void TestWindow::the_outline_jumps()
{
    Desk desk;
    QTest::mouseClick(desk.window().code().findChildren<QPushButton*>().at(2), Qt::LeftButton);
    auto& outline = desk.find<QTreeWidget>("outline");
    QVERIFY(outline.isVisible());
    QTest::qWait(30);
    QCOMPARE(outline.topLevelItemCount(), 3);
    QCOMPARE(outline.topLevelItem(1)->text(0), QStringLiteral("20  saddle grooves"));
    QCOMPARE(outline.topLevelItem(1)->child(0)->text(0), QStringLiteral("T3  ball mill 8"));
    QTest::mouseClick(outline.viewport(), Qt::LeftButton, {}, outline.visualItemRect(outline.topLevelItem(1)->child(0)).center());
    // The tool's first line: what the dialect's tool change begins with, before T3 is called.
    const std::uint32_t line = desk.window().selection().line();
    const std::uint32_t call = desk.line_with("T3 M6") - 1;
    QVERIFY(call > 100);
    QVERIFY2(line <= call && call - line < 8, qPrintable(QStringLiteral("%1 of %2").arg(line).arg(call)));
}

void TestWindow::copies_lines()
{
    Desk desk;
    const LineTable& lines = desk.window().workspace().results()->posted->code.lines();
    desk.click_line(20);
    CodeArea& area = desk.window().code().area();
    QTest::keyClick(&area, Qt::Key_Down, Qt::ShiftModifier);
    QTest::keyClick(&area, Qt::Key_Down, Qt::ShiftModifier);
    QTest::keyClick(&area, Qt::Key_C, Qt::ControlModifier);
    std::string wanted;
    for (std::uint32_t i = 20; i < 23; ++i) {
        wanted += std::string(lines.line(i)) + "\n";
    }
    QCOMPARE(QApplication::clipboard()->text(), QString::fromStdString(wanted));
}

void TestWindow::records_are_linked()
{
    Desk desk;
    desk.click_station(Station::toolpath);
    auto& table = desk.find<QTableView>("records");
    QCOMPARE(table.model()->rowCount(), 652);
    desk.type("find-record", QStringLiteral("58.0000, 67.5500, -4.8"));
    QVERIFY(wait_until([&] { return table.currentIndex().isValid() && table.currentIndex().row() > 0; }));
    const int row = table.currentIndex().row();
    QVERIFY(table.model()->index(row, RecordsModel::text).data().toString().contains(QStringLiteral("67.5500")));
    // The code stands at the line that this record made, and the other way round.
    const std::uint32_t line = desk.window().selection().line();
    QVERIFY(desk.window().workspace().results()->posted->code.lines().holds(line, "Y67.55"));
    desk.click_station(Station::code);
    desk.click_line(desk.line_with("T2 M6") - 1);
    desk.click_station(Station::toolpath);
    QCOMPARE(table.model()->index(table.currentIndex().row(), RecordsModel::event).data().toString(), QStringLiteral("tool change"));
    QTest::keyClick(&table, Qt::Key_Down);
    QCOMPARE(desk.window().selection().record(), std::uint32_t(table.currentIndex().row()));
}

void TestWindow::the_palette_runs_commands()
{
    Desk desk;
    QTest::keyClick(&desk.window(), Qt::Key_K, Qt::ControlModifier);
    auto* palette = desk.window().findChild<CommandPalette*>();
    QVERIFY(palette != nullptr && palette->isVisible());
    auto* typed = palette->findChild<QLineEdit*>();
    QTest::keyClicks(typed, QStringLiteral("setup"));
    QTest::keyClick(typed, Qt::Key_Return);
    QCOMPARE(int(desk.window().station()), int(Station::setup));
    QVERIFY(wait_until([&] { return desk.window().findChild<CommandPalette*>() == nullptr; }));
    desk.click("anything");
    palette = desk.window().findChild<CommandPalette*>();
    QTest::keyClicks(palette->findChild<QLineEdit*>(), QStringLiteral("123"));
    QTest::keyClick(palette->findChild<QLineEdit*>(), Qt::Key_Return);
    QCOMPARE(desk.window().selection().line(), 122U);
    QVERIFY(wait_until([&] { return desk.window().findChild<CommandPalette*>() == nullptr; }));
    desk.click("anything");
    palette = desk.window().findChild<CommandPalette*>();
    QTest::keyClicks(palette->findChild<QLineEdit*>(), QStringLiteral("back-face"));
    QTest::keyClick(palette->findChild<QLineEdit*>(), Qt::Key_Return);
    QVERIFY(desk.ready());
    QCOMPARE(desk.window().workspace().job(), QStringLiteral("mirror-back-face"));
}

void TestWindow::files_are_dropped()
{
    Desk desk;
    const auto drop = [&](const QString& path) {
        auto* mime = new QMimeData;
        mime->setUrls({QUrl::fromLocalFile(path)});
        QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&desk.window(), &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent event(QPointF(300, 300), Qt::CopyAction, mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&desk.window(), &event);
        delete mime;
    };
    drop(desk.folder() + QStringLiteral("/jobs/mirror-back-face.json"));
    QVERIFY(desk.ready());
    QCOMPARE(desk.window().workspace().job(), QStringLiteral("mirror-back-face"));
    drop(desk.folder() + QStringLiteral("/toolpaths/mirror-back-rim.cl"));
    QCOMPARE(int(desk.window().station()), int(Station::toolpath));
    QCOMPARE(desk.window().selection().record(), 3290U); // where the second operation begins
    Desk other(QStringLiteral("mirror-cell"));
    drop(other.folder());
    QVERIFY(desk.ready());
    QCOMPARE(desk.window().workspace().project().folder(), other.folder());
    drop(QDir::tempPath());
    QVERIFY(desk.find<QLabel>("message").text().contains(QStringLiteral("this folder has no project.json")));
    QCOMPARE(desk.window().workspace().project().folder(), other.folder());
}

void TestWindow::dark_and_light()
{
    Desk desk;
    const auto paper = [&] { return desk.window().code().area().viewport()->grab().toImage().pixel(400, 200); };
    QVERIFY(far_apart(paper(), qRgb(0xFF, 0xFD, 0xF8)) < 3);
    QTest::keyClick(&desk.window(), Qt::Key_D, Qt::ControlModifier);
    QTest::qWait(100);
    QVERIFY(far_apart(paper(), qRgb(0x1F, 0x26, 0x2E)) < 3);
    // What items and single widgets keep for themselves has changed as well: no ink of the light theme is left on dark ground.
    for (const QWidget* widget : desk.window().findChildren<QWidget*>()) {
        QVERIFY2(!widget->styleSheet().contains(QStringLiteral("#1e2630")), qPrintable(widget->objectName()));
        if (const auto* tree = qobject_cast<const QTreeWidget*>(widget)) {
            for (QTreeWidgetItemIterator it(const_cast<QTreeWidget*>(tree)); *it != nullptr; ++it) {
                const QBrush ink = (*it)->foreground(0);
                QVERIFY2(ink.style() == Qt::NoBrush || qGray(ink.color().rgb()) > 120, qPrintable((*it)->text(0)));
            }
        }
    }
    QTest::keyClick(&desk.window(), Qt::Key_D, Qt::ControlModifier);
    QTest::qWait(100);
    QVERIFY(far_apart(paper(), qRgb(0xFF, 0xFD, 0xF8)) < 3);
}

void TestWindow::settings_are_kept()
{
    QTemporaryDir settings;
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    QCoreApplication::setOrganizationName(QStringLiteral("wexilum-test"));
    Desk desk;
    {
        MainWindow first(true);
        first.show();
        QVERIFY(first.open(desk.folder()));
        first.resize(1111, 777);
        QTest::keyClick(&first, Qt::Key_D, Qt::ControlModifier);
        QVERIFY(wait_until([&] { return !first.workspace().runs().is_running() && !first.workspace().is_replay_old(); }));
        first.close();
    }
    QVERIFY(is_dark());
    apply_theme(*qobject_cast<QApplication*>(QCoreApplication::instance()), false);
    MainWindow second(true);
    QVERIFY(is_dark());
    QCOMPARE(second.size(), QSize(1111, 777));
    second.show();
    QAction* recent = nullptr;
    for (QAction* action : second.findChildren<QAction*>()) {
        recent = action->text() == desk.folder() ? action : recent;
    }
    QVERIFY(recent != nullptr);
    recent->trigger();
    QCOMPARE(second.workspace().project().folder(), desk.folder());
    second.set_dark(false);
}

void TestWindow::every_control_is_named_and_in_the_tab_order()
{
    Desk desk(QStringLiteral("mirror-back-face"));
    for (std::size_t i = 0; i < station_count; ++i) {
        desk.click_station(static_cast<Station>(i));
        QSet<const QWidget*> chain;
        for (QWidget* w = desk.window().nextInFocusChain(); w != &desk.window() && !chain.contains(w); w = w->nextInFocusChain()) {
            chain.insert(w);
        }
        for (QWidget* w : desk.window().findChildren<QWidget*>()) {
            const bool control = qobject_cast<QAbstractButton*>(w) || qobject_cast<QLineEdit*>(w) || qobject_cast<QComboBox*>(w) ||
                                 qobject_cast<QAbstractSlider*>(w) || qobject_cast<QAbstractItemView*>(w) || qobject_cast<CodeArea*>(w) ||
                                 qobject_cast<AxisHandle*>(w) || qobject_cast<MachinePicture*>(w);
            const bool inner = qobject_cast<QScrollBar*>(w) || qobject_cast<QHeaderView*>(w) ||
                               (w->parentWidget() != nullptr &&
                                (qobject_cast<QLineEdit*>(w->parentWidget()) || qobject_cast<QTableView*>(w->parentWidget())));
            if (!control || inner || !w->isVisible()) {
                continue;
            }
            const QString which = QStringLiteral("%1 %2 on %3")
                                      .arg(QLatin1String(w->metaObject()->className()), w->objectName(), QLatin1String(station_keys()[i]));
            QVERIFY2(!w->accessibleName().isEmpty(), qPrintable(which));
            QVERIFY2(chain.contains(w), qPrintable(which));
            QVERIFY2(!w->isEnabled() || (w->focusPolicy() & Qt::TabFocus), qPrintable(which));
        }
    }
}

void TestWindow::nothing_is_cut_data()
{
    QTest::addColumn<QSize>("size");
    QTest::addColumn<QString>("job");
    QTest::newRow("1280x800") << QSize(1280, 800) << QStringLiteral("mirror-back-face");
    QTest::newRow("1280x800, failing") << QSize(1280, 800) << QStringLiteral("fails-tilt-beyond-travel");
    QTest::newRow("1920x1080") << QSize(1920, 1080) << QStringLiteral("mirror-cell");
}

void TestWindow::nothing_is_cut()
{
    QFETCH(const QSize, size);
    QFETCH(const QString, job);
    Desk desk(job, size);
    desk.click_line(30);
    QCOMPARE(desk.window().size(), size);
    for (std::size_t i = 0; i < station_count; ++i) {
        desk.click_station(static_cast<Station>(i));
        QTest::qWait(60);
        const QRect all = desk.window().rect();
        for (QWidget* w : desk.window().findChildren<QWidget*>()) {
            if (!w->isVisible()) {
                continue;
            }
            const auto* label = qobject_cast<QLabel*>(w);
            const auto* button = qobject_cast<QPushButton*>(w);
            if (const auto* gauge = qobject_cast<const BudgetGauge*>(w)) {
                QVERIFY2(gauge->width() >= gauge->sizeHint().width(), qPrintable(gauge->accessibleName() + gauge->accessibleDescription()));
            }
            if (label == nullptr && button == nullptr) {
                continue;
            }
            const QString text = label != nullptr ? label->text() : button->text();
            const QString which = QStringLiteral("\"%1\" on %2: %3 of %4 px")
                                      .arg(text, QLatin1String(station_keys()[i]))
                                      .arg(w->width())
                                      .arg(w->sizeHint().width());
            const bool wraps = label != nullptr && (label->wordWrap() || !label->pixmap(Qt::ReturnByValue).isNull());
            QVERIFY2(wraps || w->width() >= w->sizeHint().width(), qPrintable(which));
            const QRect there(w->mapTo(&desk.window(), QPoint()), w->size());
            const bool scrolls = desk.find<TracePane>("trace").isAncestorOf(w);
            QVERIFY2(scrolls || all.contains(there), qPrintable(which));
            QVERIFY2(!wraps || scrolls || w->height() >= w->heightForWidth(w->width()) || w->heightForWidth(w->width()) < 0,
                     qPrintable(which));
        }
        for (std::size_t k = 0; k < station_count; ++k) {
            const auto& button = desk.window().findChild<StationButton*>(QStringLiteral("station-") + QLatin1String(station_keys()[k]));
            const int room = button->width() - 24;
            QVERIFY2(QFontMetrics(code_font(0.96)).horizontalAdvance(button->state().figure) <= room, qPrintable(button->state().figure));
            QVERIFY2(QFontMetrics(text_font(0.92)).horizontalAdvance(button->state().status) <= room - 15,
                     qPrintable(button->state().status));
        }
    }
}

static int run(int argc, char** argv)
{
    prepare_graphics();
    QStandardPaths::setTestModeEnabled(true);
    QApplication application(argc, argv);
    TestWindow test;
    return QTest::qExec(&test, argc, argv);
}
WEXILUM_TEST_RUN(run)

} // namespace test_window
#include "test_window.moc"
