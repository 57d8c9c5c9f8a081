// Setup, machine and replay in the window, driven by mouse and keys. Numbers are worked out by hand from the demo's files.
#include "tests/app/window_fixture.hpp"

#include "app/models/state_text.hpp"
#include "app/models/stations.hpp"
#include "core/base/units.hpp"

#include "tests/support/test_program.hpp"

#include <QApplication>
#include <QMessageBox>
#include <QStandardPaths>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window_views {

class TestWindowViews : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void an_offset_changes_the_replay();
    void a_wrong_value_is_refused();
    void tools_are_edited_and_imported();
    void the_part_is_moved();
    void works_in_a_table();
    void a_program_that_is_a_table();
    void a_setup_that_keeps_its_job_from_running();
    void unsaved_edits_are_asked_about();
    void a_click_in_the_picture_chooses_its_block();
    void axes_are_jogged();
    void the_job_is_played();
    void a_loaded_file_is_compared();
    void the_chart_jumps();
    void the_time_is_told();
};

void TestWindowViews::an_offset_changes_the_replay()
{
    Desk desk;
    const std::uint32_t line = desk.line_with("Y67.55");
    desk.click_line(line - 1);
    desk.click_station(Station::setup);
    QTableView& offsets = desk.window().setup().offsets();
    QCOMPARE(offsets.model()->index(0, 1).data().toString(), QStringLiteral("-60"));
    desk.type_cell(offsets, 0, 0, QStringLiteral("25")); // Y was 15
    QVERIFY(desk.ready());
    // The code writes what brings the tool to the part, which lies at 15: 67.55 - 10 now.
    QCOMPARE(desk.line_with("Y67.55"), 0U);
    QVERIFY(desk.line_with("Y57.55") > 0);
    desk.click_station(Station::machine);
    QCOMPARE(desk.find<QLineEdit>("reading-Y").text(), QStringLiteral("82.550 mm")); // the machine goes where it went
    QVERIFY(desk.window().isWindowModified());
    // Code that was posted before now stands 10 mm off.
    const QString nc = desk.folder() + QStringLiteral("/before.nc");
    desk.write(QStringLiteral("before.nc"), QString());
    QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(desk.ready());
    QCOMPARE(desk.line_with("Y67.55"), line);
    QVERIFY(!desk.window().isWindowModified());
    desk.write(QStringLiteral("before.nc"), QString::fromStdString(desk.window().workspace().results()->posted->code.lines().text()));
    QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(desk.ready());
    desk.click_station(Station::replay);
    desk.window().replay().load(nc);
    QVERIFY(wait_until([&] { return desk.window().workspace().compared().loaded()->replayed != nullptr; }));
    QVERIFY(desk.window().workspace().compared().loaded()->replayed->report.findings.has_errors());
    QVERIFY(desk.find<QLabel>("verdict").text().contains(QStringLiteral("Not proven")));
}

void TestWindowViews::a_wrong_value_is_refused()
{
    Desk desk;
    desk.click_station(Station::setup);
    const QString before = desk.read(QStringLiteral("setups/mirror-cell.json"));
    QTableView& offsets = desk.window().setup().offsets();
    desk.type_cell(offsets, 0, 1, QStringLiteral("left"));
    auto& refused = desk.find<QLabel>("refused");
    QVERIFY2(refused.isVisible(), qPrintable(refused.text()));
    QCOMPARE(refused.text(), QStringLiteral("\"left\" is not a length; type a number, with or without a unit (mm, in, °, rad)"));
    QCOMPARE(offsets.model()->index(0, 1).data().toString(), QStringLiteral("-60"));
    // A number that makes the file unreadable is not taken either.
    desk.type_cell(desk.window().setup().tools(), 1, int(ToolField::number), QStringLiteral("1"));
    QCOMPARE(refused.text(), QStringLiteral("the tool 1 appears twice; keep one of the two"));
    QVERIFY(!desk.window().isWindowModified());
    // Units are understood: two inches.
    desk.type_cell(offsets, 0, 1, QStringLiteral("-2 in"));
    QVERIFY(desk.ready());
    QCOMPARE(offsets.model()->index(0, 1).data().toString(), QStringLiteral("-50.8"));
    QVERIFY(!refused.isVisible());
    QTest::keyClick(&desk.window(), Qt::Key_S, Qt::ControlModifier);
    QVERIFY(!desk.window().isWindowModified());
    QCOMPARE(desk.read(QStringLiteral("setups/mirror-cell.json")),
             QString(before).replace(QStringLiteral("\"X\": -60"), QStringLiteral("\"X\": -50.8")));
}

void TestWindowViews::tools_are_edited_and_imported()
{
    Desk desk(QStringLiteral("fails-tool-without-length"));
    desk.click_station(Station::setup);
    QTableView& tools = desk.window().setup().tools();
    int missing = -1;
    for (int row = 0; row < tools.model()->rowCount(); ++row) {
        missing = tools.model()->index(row, int(ToolField::length)).data().toString() == QStringLiteral("missing") ? row : missing;
    }
    QVERIFY(missing >= 0);
    QVERIFY(desk.window().workspace().results()->posted->run.findings.has_errors());
    const QString number = tools.model()->index(missing, 0).data().toString();
    desk.write(QStringLiteral("measured.csv"), QStringLiteral("number;name;length\n%1;measured;111.5\n77;spare;\n").arg(number));
    desk.window().setup().import_tools(desk.folder() + QStringLiteral("/measured.csv"));
    QVERIFY(desk.ready());
    QCOMPARE(tools.model()->index(missing, int(ToolField::length)).data().toString(), QStringLiteral("111.5"));
    QVERIFY(!desk.window().workspace().results()->posted->run.findings.has_errors());
    const int rows = tools.model()->rowCount();
    desk.click("tool-add");
    QVERIFY(desk.ready());
    QCOMPARE(tools.model()->rowCount(), rows + 1);
    QCOMPARE(tools.model()->index(rows, 0).data().toString(), QStringLiteral("78"));
    desk.click_cell(tools, rows, 1);
    desk.click("tool-remove");
    QVERIFY(desk.ready());
    QCOMPARE(tools.model()->rowCount(), rows);
    for (int i = 0; i < 3; ++i) {
        QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
    }
    QVERIFY(desk.ready());
    QCOMPARE(tools.model()->index(missing, int(ToolField::length)).data().toString(), QStringLiteral("missing"));
}

void TestWindowViews::the_part_is_moved()
{
    Desk desk;
    const std::uint32_t line = desk.line_with("Y67.55");
    desk.click_line(line - 1);
    desk.click_station(Station::setup);
    desk.type("part-1", QStringLiteral("35")); // Y of the part was 15, its offset stays
    QVERIFY(desk.ready());
    QVERIFY(desk.line_with("Y87.55") > 0);
    desk.type("part-5", QStringLiteral("90")); // a quarter turn about Z: what lay along X lies along Y
    QVERIFY(desk.ready());
    const Setup& setup = desk.window().workspace().results()->assembly().setup;
    QVERIFY((setup.part().linear() * Vec3::UnitX() - Vec3::UnitY()).norm() < 1e-9);
    QCOMPARE(desk.find<QLineEdit>("part-5").text(), QStringLiteral("90"));
}

void TestWindowViews::a_program_that_is_a_table()
{
    Desk desk(QStringLiteral("mirror-back-rows"));
    const auto& results = desk.window().workspace().results();
    QVERIFY(results && results->replayed && results->replayed->proven());
    desk.click_station(Station::code);
    desk.click_line(2410);
    const std::size_t motion = *desk.window().selection().motion();
    const QStringList cells = QString::fromStdString(std::string(results->posted->code.lines().line(2410))).split(QLatin1Char(','));
    QCOMPARE(cells.size(), 10);
    const auto* names = desk.window().findChild<QWidget*>(QStringLiteral("code columns"));
    QVERIFY(names->isVisible() && names->height() > 10);
    QCOMPARE(names->accessibleName(), QStringLiteral("s, x mm, y mm, z mm, b °, c °, cut, tool, rpm, cool"));
    QVERIFY(std::abs(results->replayed->track.readings(motion)[0] - cells[1].toDouble()) < 1e-9);
    QVERIFY(desk.window().selection().record() != Selection::none);
    // A row typed anew in the controller's file: its numbers are coarser, and the rows follow.
    desk.edit(QStringLiteral("controllers/kelda-p.json"), QStringLiteral("\"length\": 0.0001"), QStringLiteral("\"length\": 0.01"));
    QVERIFY(wait_until([&] {
        const auto& now = desk.window().workspace().results();
        return now && now->posted &&
               QString::fromStdString(std::string(now->posted->code.lines().line(2410)))
                       .split(QLatin1Char(','))[1]
                       .section(QLatin1Char('.'), 1)
                       .size() == 2;
    }));
}

void TestWindowViews::works_in_a_table()
{
    Desk desk(QStringLiteral("hub-pair"));
    desk.click_station(Station::setup);
    QTableView& works = desk.window().setup().works();
    QVERIFY(works.isVisible() && !desk.find<QLineEdit>("part-0").isVisible());
    const auto cell = [&](int row, int column) { return works.model()->index(row, column).data().toString(); };
    QCOMPARE(works.model()->rowCount(), 2);
    QCOMPARE(cell(1, WorksModel::id), QStringLiteral("right hub"));
    QCOMPARE(cell(1, WorksModel::holder), QStringLiteral("right seat"));
    QCOMPARE(cell(1, WorksModel::first_place + 2), QStringLiteral("150.25"));
    const auto proven = [&] {
        const auto& results = desk.window().workspace().results();
        return results && results->replayed && results->replayed->proven();
    };
    QVERIFY(proven());
    // Lifted by 0.75 mm it does not fit its register any more: the band says so, and the tables show what was typed.
    desk.type_cell(works, 1, WorksModel::first_place + 2, QStringLiteral("151"));
    QVERIFY(wait_until([&] { return desk.window().workspace().error().has_value(); }));
    QCOMPARE(QString::fromStdString(desk.window().workspace().error()->message),
             QStringLiteral("the register 2 says Z -449.750, but its zero as it was taken comes to -449.000"));
    QCOMPARE(cell(1, WorksModel::first_place + 2), QStringLiteral("151"));
    desk.type_cell(desk.window().setup().offsets(), 1, 1, QStringLiteral("-449")); // Z is the second joint
    QVERIFY(wait_until([&] { return !desk.window().workspace().error() && desk.ready() && proven(); }));
    QCOMPARE(desk.window().setup().offsets().model()->headerData(1, Qt::Vertical).toString(), QStringLiteral("2, right hub"));
    // What is no length is refused, and nothing has changed.
    desk.type_cell(works, 0, WorksModel::first_place, QStringLiteral("near the edge"));
    QVERIFY(desk.find<QLabel>("refused").isVisible());
    QCOMPARE(cell(0, WorksModel::first_place), QStringLiteral("1"));
    // A setup with one part keeps the fields.
    desk.window().workspace().set_job(QStringLiteral("focuser-hub"));
    QVERIFY(desk.ready());
    QVERIFY(!works.isVisible() && desk.find<QLineEdit>("part-0").isVisible());
}

void TestWindowViews::a_setup_that_keeps_its_job_from_running()
{
    Desk desk(QStringLiteral("fails-pair-swapped"));
    desk.click_station(Station::setup);
    // What it says is there to be looked at, with what is wrong over it.
    QTableView& works = desk.window().setup().works();
    QTableView& offsets = desk.window().setup().offsets();
    QVERIFY(wait_until([&] { return works.model()->rowCount() == 2 && offsets.model()->rowCount() == 2; }));
    QVERIFY(works.isVisible() && !desk.find<QLineEdit>("part-0").isVisible());
    QCOMPARE(offsets.model()->headerData(4, Qt::Horizontal).toString(), QStringLiteral("Z  mm")); // B C X Y Z, as the registers name them
    QCOMPARE(offsets.model()->headerData(0, Qt::Horizontal).toString(), QStringLiteral("B"));     // 0 of nobody knows what
    QCOMPARE(offsets.model()->index(0, 4).data().toString(), QStringLiteral("-449.75"));
    // Each hub has the other's register: two cells mend it.
    desk.type_cell(works, 0, WorksModel::work_offset, QStringLiteral("2"));
    QVERIFY(wait_until([&] { return desk.window().workspace().error()->message.starts_with("a zero was taken for the register 1"); }));
    desk.type_cell(works, 1, WorksModel::work_offset, QStringLiteral("1"));
    QVERIFY(wait_until([&] {
        const auto& results = desk.window().workspace().results();
        return results && results->replayed && results->replayed->proven();
    }));
    QCOMPARE(offsets.model()->headerData(0, Qt::Vertical).toString(), QStringLiteral("1, right hub"));
}

void TestWindowViews::unsaved_edits_are_asked_about()
{
    Desk desk;
    const QString before = desk.read(QStringLiteral("setups/mirror-cell.json"));
    desk.click_station(Station::setup);
    desk.type_cell(desk.window().setup().offsets(), 0, 1, QStringLiteral("-61"));
    QVERIFY(desk.ready());
    const auto answer = [](QMessageBox::StandardButton which) {
        QTimer::singleShot(300, [which] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            QVERIFY(box != nullptr);
            QTest::mouseClick(box->button(which), Qt::LeftButton);
        });
    };
    answer(QMessageBox::Cancel);
    desk.window().close();
    QVERIFY(desk.window().isVisible());
    QCOMPARE(desk.read(QStringLiteral("setups/mirror-cell.json")), before);
    answer(QMessageBox::Save);
    desk.window().close();
    QVERIFY(!desk.window().isVisible());
    QVERIFY(desk.read(QStringLiteral("setups/mirror-cell.json")).contains(QStringLiteral("\"X\": -61")));
}

void TestWindowViews::a_click_in_the_picture_chooses_its_block()
{
    Desk desk;
    desk.click_station(Station::machine);
    desk.click("fit-path");
    MachinePicture& picture = desk.window().machine().picture();
    const auto& results = desk.window().workspace().results();
    const ReplayTrack& track = results->replayed->track;
    // A long cut: the middle of its segment, as the camera sees it.
    int tried = 0;
    for (std::size_t i = 200; i < track.points().size() && tried < 12; i += 37) {
        const auto& a = track.points()[i - 1].at;
        const auto& b = track.points()[i].at;
        const std::size_t motion = track.points()[i].motion;
        const Vec3 middle(0.5 * double(a[0] + b[0]), 0.5 * double(a[1] + b[1]), 0.5 * double(a[2] + b[2]));
        if (!track.motions()[motion].feed || track.begins(i) || Vec3(b[0] - a[0], b[1] - a[1], b[2] - a[2]).norm() < 6) {
            continue;
        }
        const QPointF at = picture.place_of(middle);
        const auto found = picture.pick(at);
        QVERIFY(found.has_value());
        // What lies under the place is within the reach of a click, and in front; the click itself moves the machine there.
        const std::uint32_t block = track.motions()[*picture.pick(QPointF(at.toPoint()))].block;
        QTest::mouseClick(&picture, Qt::LeftButton, {}, at.toPoint());
        QCOMPARE(desk.window().selection().line() + 1, block);
        ++tried;
        desk.window().selection().select_line(0);
        QTest::qWait(20);
    }
    QVERIFY(tried >= 5);
}

void TestWindowViews::axes_are_jogged()
{
    Desk desk(QStringLiteral("mirror-back-face"));
    desk.click_line(2410);
    desk.click_station(Station::machine);
    desk.type("reading-B", QStringLiteral("-30"));
    QCOMPARE(desk.find<QLineEdit>("reading-B").text(), QStringLiteral("-30.0000°"));
    QVERIFY(std::abs((*desk.window().machine().position())[3] + to_rad(30)) < 1e-12);
    desk.type("reading-X", QStringLiteral("1 in"));
    QCOMPARE(desk.find<QLineEdit>("reading-X").text(), QStringLiteral("25.400 mm"));
    auto& handle = desk.find<AxisHandle>("jog-X");
    QTest::mouseClick(&handle, Qt::LeftButton, {}, QPoint(int(std::lround(handle.x_of(160))), handle.height() / 2));
    const double x = (*desk.window().machine().position())[0];
    QVERIFY2(std::abs(x - 160) < 2, qPrintable(QString::number(x))); // a pixel is more than a millimetre
    QTest::keyClick(&handle, Qt::Key_Right);
    QVERIFY(std::abs((*desk.window().machine().position())[0] - (x + 1)) < 1e-9);
    // Beyond travel it is reported, and the machine stays in the picture.
    desk.type("reading-B", QStringLiteral("118.4"));
    QVERIFY(desk.find<AxisHandle>("jog-B").accessibleDescription().contains(QStringLiteral("beyond by 8.4000°")));
    desk.type("reading-B", QStringLiteral("steep"));
    QVERIFY(std::abs((*desk.window().machine().position())[3] - to_rad(118.4)) < 1e-12);
    desk.click("jog-back");
    QCOMPARE(desk.find<QLineEdit>("reading-B").text(), QStringLiteral("16.7971°"));
}

void TestWindowViews::the_job_is_played()
{
    Desk desk(QStringLiteral("fails-beyond-travel"));
    desk.click_line(0);
    desk.click_station(Station::machine);
    desk.click("step");
    desk.click("step");
    QCOMPARE(desk.window().selection().record(), 1U);
    desk.click("step-back");
    QCOMPARE(desk.window().selection().record(), 0U);
    desk.click("play");
    QVERIFY(wait_until([&] { return desk.window().selection().record() > 3; }));
    desk.click("play");
    const std::uint32_t paused = desk.window().selection().record();
    QTest::qWait(300);
    QCOMPARE(desk.window().selection().record(), paused);
    auto& speed = desk.find<QComboBox>("speed");
    QTest::mouseClick(&speed, Qt::LeftButton);
    QTest::keyClick(&speed, Qt::Key_End);
    QTest::keyClick(&speed, Qt::Key_Return);
    const std::uint32_t before = desk.window().selection().line();
    desk.click("to-finding");
    QVERIFY(wait_until([&] { return !desk.find<QPushButton>("play").isChecked(); }));
    std::uint32_t first = UINT32_MAX;
    for (const FoundAt& found : desk.window().workspace().findings()) {
        for (const std::uint32_t line : {found.finding.code.line, found.finding.worst_code.line}) {
            first = line > before + 1 ? std::min(first, line) : first;
        }
    }
    QCOMPARE(desk.window().selection().line() + 1, first);
}

void TestWindowViews::a_loaded_file_is_compared()
{
    Desk desk;
    const QString posted = QString::fromStdString(desk.window().workspace().results()->posted->code.lines().text());
    QString code = posted;
    const std::uint32_t line = desk.line_with("Y67.55");
    code.replace(code.indexOf(QStringLiteral("Y67.55")), 6, QStringLiteral("Y67.556")); // six increments
    desk.write(QStringLiteral("by-hand.nc"), code);
    desk.click_station(Station::replay);
    desk.window().replay().load(desk.folder() + QStringLiteral("/by-hand.nc"));
    QVERIFY(wait_until([&] { return desk.window().workspace().compared().loaded()->replayed != nullptr; }));
    QVERIFY(desk.find<QLabel>("verdict").text().contains(QStringLiteral("Not proven")));
    QTableWidget& misfits = desk.window().replay().misfits();
    int row = -1;
    for (int i = 0; i < misfits.rowCount(); ++i) {
        row = misfits.item(i, 0)->data(Qt::UserRole).toUInt() == line ? i : row;
    }
    QVERIFY(row >= 0);
    desk.click_cell(misfits, row, 2);
    QTest::mouseDClick(misfits.viewport(), Qt::LeftButton, {}, misfits.visualRect(misfits.model()->index(row, 2)).center());
    QCOMPARE(int(desk.window().station()), int(Station::code));
    QCOMPARE(desk.window().code().area().line(), line - 1);
    QVERIFY(desk.window().code().area().lines()->holds(line - 1, "Y67.556"));
    // Mended outside, it is read again and fits.
    desk.write(QStringLiteral("by-hand.nc"), posted);
    QVERIFY(wait_until([&] {
        const auto& loaded = desk.window().workspace().compared().loaded();
        return loaded && loaded->replayed && !loaded->replayed->report.findings.has_errors();
    }));
}

void TestWindowViews::the_chart_jumps()
{
    Desk desk(QStringLiteral("mirror-back-face"));
    desk.click_station(Station::replay);
    QTableWidget& worst = desk.window().replay().worst();
    QVERIFY(worst.rowCount() > 10);
    desk.click_cell(worst, 0, 0);
    const uint line = worst.item(0, 0)->data(Qt::UserRole).toUInt();
    QCOMPARE(desk.window().selection().line() + 1, line);
    // Worst first, and the worst is the report's own.
    const ReplayedCode& replayed = *desk.window().workspace().results()->replayed;
    QCOMPARE(line, replayed.report.worst_code.line);
    QVERIFY(std::abs(double(replayed.track.measure(line).ratio()) - replayed.report.worst_ratio) < 1e-5);
    // Peaks are kept, however few pieces a chart has.
    for (const std::size_t pieces : {std::size_t(7), std::size_t(100), std::size_t(100000)}) {
        const Peaks peaks = peaks_of(replayed.track, 4640, pieces, Deviating::share);
        QVERIFY(peaks.line.size() <= std::max<std::size_t>(pieces, 4640));
        const auto most = std::max_element(peaks.value.begin(), peaks.value.end());
        QVERIFY(std::abs(*most - 100 * replayed.report.worst_ratio) < 1e-3);
        QCOMPARE(uint(peaks.line[std::size_t(most - peaks.value.begin())]), line);
    }
}

void TestWindowViews::the_time_is_told()
{
    Desk desk(QStringLiteral("mirror-back-face"));
    desk.click_station(Station::replay);
    TimePane& pane = desk.window().replay().time();
    QVERIFY(!pane.isVisible());
    desk.click("show-time");
    QVERIFY(pane.isVisible());
    const ReplayedCode& replayed = *desk.window().workspace().results()->replayed;
    QVERIFY2(pane.said().startsWith(duration_text(replayed.time.all.seconds())), qPrintable(pane.said()));
    QVERIFY2(pane.said().contains(QStringLiteral("tool changes 14.0 s")), qPrintable(pane.said()));
    QTableWidget& table = pane.table();
    QCOMPARE(table.rowCount(), 6); // two operations and two tools, each with a head
    QCOMPARE(table.item(2, 0)->text(), QStringLiteral("20  rim bevel"));
    QCOMPARE(table.item(2, 1)->text(), duration_text(replayed.time.operations[1].seconds()));
    desk.click_cell(table, 2, 1);
    QCOMPARE(desk.window().selection().line() + 1, desk.window().workspace().results()->posted->run.operation_lines[1]);
    // The strip says it as well.
    QVERIFY(station_state(desk.window().workspace(), Station::code).figure.endsWith(clock_text(replayed.time.all.seconds())));
    // Of a file from outside its own: without the first tool's seven seconds, and of no operation.
    QString code = QString::fromStdString(desk.window().workspace().results()->posted->code.lines().text());
    code.remove(code.indexOf(QStringLiteral(" M6")), 3);
    const QString outside = desk.folder() + QStringLiteral("/outside.nc");
    QFile file(outside);
    QVERIFY(file.open(QIODevice::WriteOnly) && file.write(code.toUtf8()) > 0);
    file.close();
    desk.click_station(Station::replay);
    desk.window().replay().load(outside);
    QTRY_VERIFY(desk.window().workspace().compared().loaded()->replayed);
    QTRY_VERIFY2(pane.said().contains(QStringLiteral("tool changes 7.0 s")), qPrintable(pane.said()));
    QVERIFY(table.item(0, 0)->text().startsWith(QStringLiteral("Tools")));
    desk.click("show-deviation");
    QVERIFY(!pane.isVisible());
}

static int run(int argc, char** argv)
{
    prepare_graphics();
    QStandardPaths::setTestModeEnabled(true);
    QApplication application(argc, argv);
    TestWindowViews test;
    return QTest::qExec(&test, argc, argv);
}
WEXILUM_TEST_RUN(run)

} // namespace test_window_views
#include "test_window_views.moc"
