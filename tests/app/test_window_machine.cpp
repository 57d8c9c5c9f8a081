// What stands beside the machine's picture: moved by hand, links, contact, reach, witnesses and attachments, by mouse and keys.
#include "tests/app/window_fixture.hpp"

#include "app/theme/theme.hpp"
#include "core/base/units.hpp"
#include "core/geometry/pose.hpp"
#include "core/machine/kinematics.hpp"

#include "tests/support/test_program.hpp"

#include <QClipboard>
#include <QStandardPaths>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window_machine {

namespace {

std::string line_of(Desk& desk, std::uint32_t line)
{
    return std::string(desk.window().workspace().results()->posted->code.lines().line(line));
}

QTreeWidgetItem& item(QTreeWidget& tree, const QString& text)
{
    const auto found = tree.findItems(text, Qt::MatchContains | Qt::MatchRecursive);
    if (found.isEmpty()) {
        qFatal("no item %s", qPrintable(text));
    }
    return *found.front();
}

void click_item(QTreeWidget& tree, const QString& text)
{
    QTreeWidgetItem& one = item(tree, text);
    tree.scrollToItem(&one);
    QTest::mouseClick(tree.viewport(), Qt::LeftButton, {}, tree.visualItemRect(&one).center());
}

double reading(Desk& desk, const char* joint)
{
    const Machine& machine = desk.window().workspace().results()->assembly().machine;
    return (*desk.window().machine().position())[Eigen::Index(machine.find_joint(joint)->value)];
}

} // namespace

class TestWindowMachine : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase() { QStandardPaths::setTestModeEnabled(true); }

    // --- the picture

    void a_section_opens_the_machine()
    {
        Desk desk(QStringLiteral("fork-arm"));
        desk.click_station(Station::machine);
        MachinePicture& picture = desk.window().machine().picture();
        if (!picture.has_graphics()) {
            QVERIFY(qEnvironmentVariable("QT_QPA_PLATFORM") == QStringLiteral("offscreen")); // with a display there is OpenGL
            return;
        }
        auto& section = desk.find<QComboBox>("section");
        auto& place = desk.find<QSlider>("section-place");
        QVERIFY(!place.isVisible());
        const QImage whole = picture.frame(false);
        const auto hatched = [&] { // cut faces are of the accent's colour, brighter
            const QImage image = picture.frame(false);
            const QColor cut(QColor::fromRgb(tokens().accent));
            int count = 0;
            for (int y = 0; y < image.height(); ++y) {
                for (int x = 0; x < image.width(); ++x) {
                    const QColor c = image.pixelColor(x, y);
                    const bool same = std::abs(c.red() - 1.1 * cut.red()) < 3 && std::abs(c.green() - 1.1 * cut.green()) < 3 &&
                                      std::abs(c.blue() - 1.1 * cut.blue()) < 3;
                    count += same ? 1 : 0;
                }
            }
            return count;
        };
        const int path = hatched(); // in nearly the same colour
        section.setFocus();
        QTest::keyClick(&section, Qt::Key_Down); // across X
        QVERIFY(place.isVisible());
        const int middle = hatched();
        QVERIFY2(middle > path + 500, qPrintable(QStringLiteral("%1 %2").arg(path).arg(middle)));
        place.setFocus();
        QTest::keyClick(&place, Qt::Key_Home); // at the machine's end nothing is left of what is before it
        QTest::keyClick(&place, Qt::Key_PageUp);
        QVERIFY(place.toolTip().contains(QStringLiteral("mm of the machine's X")));
        QVERIFY(hatched() != middle);
        QTest::keyClick(&section, Qt::Key_Up);
        QVERIFY(!place.isVisible());
        QCOMPARE(picture.frame(false), whole);
    }

    void a_machine_stands_on_its_floor()
    {
        // The horizontal mill's up is +Y: its column rises in the picture from the front.
        Desk desk(QStringLiteral("fork-arm"));
        desk.click_station(Station::machine);
        MachinePicture& picture = desk.window().machine().picture();
        picture.look(Camera::View::front);
        const QPointF low = picture.place_of(Vec3(0, 0, 0));
        const QPointF high = picture.place_of(Vec3(0, 100, 0)); // the part's y is the machine's
        QVERIFY(high.y() < low.y() - 5);
        QVERIFY(std::abs(high.x() - low.x()) < 1);
    }

    // --- links

    void a_dragged_partial_move_changes_the_code()
    {
        Desk desk(QStringLiteral("setting-numerals"));
        QCOMPARE(line_of(desk, 12), std::string("G0 A1.042"));
        QCOMPARE(line_of(desk, 13), std::string("X17. Y0."));
        desk.click_station(Station::machine);
        desk.click("show-links");
        LinkTree& tree = desk.window().machine().links().tree();
        click_item(tree, QStringLiteral("A to the place"));
        QCOMPARE(tree.currentItem()->text(1), QStringLiteral("13"));
        QCOMPARE(desk.window().selection().line(), 12U); // the picture and the code stand there
        const QRect below = tree.visualItemRect(&item(tree, QStringLiteral("X and Y to the clear place")));
        drag(tree, tree.visualItemRect(&item(tree, QStringLiteral("A to the place"))).center(),
             QPoint(below.center().x(), below.bottom() - 1));
        QVERIFY(desk.ready());
        QCOMPARE(line_of(desk, 12), std::string("G0 X17. Y0."));
        QCOMPARE(line_of(desk, 13), std::string("A1.042"));
        QCOMPARE(tree.currentItem()->text(0), QStringLiteral("3  A to the place"));
        QVERIFY(desk.window().workspace().documents().is_changed(QStringLiteral("jobs/setting-numerals.json")));
        // One step back, by the keys of the window.
        QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(desk.ready());
        QCOMPARE(line_of(desk, 12), std::string("G0 A1.042"));
        QVERIFY(!desk.window().workspace().documents().is_changed(QStringLiteral("jobs/setting-numerals.json")));
    }

    void links_by_keys_alone()
    {
        Desk desk(QStringLiteral("setting-numerals"));
        QTest::keyClick(&desk.window(), Qt::Key_L, Qt::ControlModifier);
        LinkTree& tree = desk.window().machine().links().tree();
        QTRY_VERIFY(tree.hasFocus());
        QTest::keyClick(&tree, Qt::Key_Down); // from the list's name to its first move
        QTest::keyClick(&tree, Qt::Key_Down);
        QCOMPARE(tree.currentItem()->text(0), QStringLiteral("2  A to the place"));
        QTest::keyClick(&tree, Qt::Key_Down, Qt::AltModifier);
        QCOMPARE(tree.currentItem()->text(0), QStringLiteral("3  A to the place"));
        QVERIFY(desk.ready());
        QCOMPARE(line_of(desk, 13), std::string("A1.042"));
        // The end of the list has to stay the place: it is said why, and nothing changes.
        const QString text = desk.read(QStringLiteral("jobs/setting-numerals.json"));
        click_item(tree, QStringLiteral("all joints to the place"));
        QTest::keyClick(&tree, Qt::Key_Up, Qt::AltModifier);
        QVERIFY2(desk.find<QLabel>("links-refused")
                     .text()
                     .startsWith(QStringLiteral("the approach of the operation 10 does not end at its place; ")),
                 qPrintable(desk.find<QLabel>("links-refused").text()));
        QVERIFY(desk.ready());
        QCOMPARE(line_of(desk, 13), std::string("A1.042"));
        QCOMPARE(desk.read(QStringLiteral("jobs/setting-numerals.json")), text);
        QCOMPARE(tree.currentItem()->text(0), QStringLiteral("5  all joints to the place"));
    }

    void links_are_split_and_taken_away_and_played()
    {
        Desk desk(QStringLiteral("setting-numerals"));
        desk.click_station(Station::machine);
        desk.click("show-links");
        LinkTree& tree = desk.window().machine().links().tree();
        click_item(tree, QStringLiteral("X and Y to the clear place"));
        desk.click("link-split");
        QVERIFY(desk.ready());
        QCOMPARE(line_of(desk, 13), std::string("X17."));
        QCOMPARE(line_of(desk, 14), std::string("Y0."));
        desk.click("link-remove");
        QVERIFY(desk.ready());
        QCOMPARE(line_of(desk, 13), std::string("Y0."));
        desk.click("link-safe");
        QVERIFY(desk.ready());
        QCOMPARE(line_of(desk, 13), std::string("X17. Y0."));
        click_item(tree, QStringLiteral("A to the place"));
        const double before = reading(desk, "Z");
        desk.click("link-play");
        QTRY_VERIFY(std::abs(reading(desk, "Z") - before) > 1); // it goes down in the end
        // The clearance surface in inches, echoed in the other unit.
        auto& diameter = desk.find<QLineEdit>("field-Diameter");
        diameter.setFocus();
        QTest::keyClick(&diameter, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(&diameter, QStringLiteral("5 in"));
        QCOMPARE(desk.window().findChild<QLabel*>(QStringLiteral("links-refused"))->isVisible(), false);
        QVERIFY(desk.ready());
        const auto& links = desk.window().workspace().results()->assembly().links[0];
        QVERIFY(links.clearance && std::abs(links.clearance->height(Vec3(0, 0, 63.5))) < 1e-9);
    }

    void trouble_stands_at_the_partial_move()
    {
        Desk desk(QStringLiteral("fails-turns-while-low"));
        desk.click_station(Station::machine);
        desk.click("show-links");
        LinkTree& tree = desk.window().machine().links().tree();
        QTreeWidgetItem& within = item(tree, QStringLiteral("Between its places"));
        QCOMPARE(within.child(0)->text(2), QStringLiteral("turns while low"));
        QVERIFY(item(tree, QStringLiteral("A to the place")).text(2).isEmpty());
        // A block of it chosen elsewhere chooses the partial move here: the replay names line 49.
        desk.window().selection().select_line(48);
        QCOMPARE(tree.currentItem()->parent()->text(0), QStringLiteral("Between its places"));
    }

    // --- by hand

    void the_tip_goes_along_the_part_and_stops_at_the_blank()
    {
        Desk desk(QStringLiteral("mirror-cell"));
        desk.click_station(Station::machine);
        desk.click("show-jog");
        auto& block = desk.find<QLineEdit>("jog-block");
        block.setFocus();
        QTest::keyClicks(&block, QStringLiteral("16"));
        QTest::keyClick(&block, Qt::Key_Return);
        QCOMPARE(desk.window().selection().line(), 15U); // N90 G43 Z15. H1
        auto& tip = desk.find<QLabel>("jog-tip");
        QVERIFY2(tip.text().startsWith(QStringLiteral("Tip in the part  83.977, -0.523, 15.000 mm")), qPrintable(tip.text()));
        const auto work = [&](const QString& joint) {
            auto& table = desk.find<QTableWidget>("jog-readings");
            return table.item(table.row(table.findItems(joint, Qt::MatchExactly).front()), 2)->text();
        };
        QCOMPARE(work(QStringLiteral("X")), QStringLiteral("83.977 mm"));
        QCOMPARE(work(QStringLiteral("Z")), QStringLiteral("15.000 mm"));
        desk.click("jog-X+");
        QVERIFY(tip.text().contains(QStringLiteral(" 93.977, -0.523, 15.000 mm")));
        desk.type("jog-way", QStringLiteral("1 in"));
        desk.click("jog-Y-");
        QVERIFY(tip.text().contains(QStringLiteral(" 93.977, -25.923, 15.000 mm")));
        // Down into the blank: it stops just above it, and says why.
        desk.click("jog-Z-");
        QVERIFY2(
            desk.find<QLabel>("jog-message").text().startsWith(QStringLiteral("Stopped: cutter and mirror cell would come nearer than ")),
            qPrintable(desk.find<QLabel>("jog-message").text()));
        QVERIFY(tip.text().contains(QStringLiteral(" 93.977, -25.923, 0.02")));
        desk.click("jog-Z+");
        QVERIFY(desk.find<QLabel>("jog-message").text().isEmpty());
        desk.click("jog-home");
        QCOMPARE(reading(desk, "Z"), 0.0);
        desk.click("jog-back");
        QVERIFY(tip.text().startsWith(QStringLiteral("Tip in the part  83.977, -0.523, 15.000 mm")));
        desk.click("jog-turn-X+");
        QCOMPARE(desk.find<QLabel>("jog-message").text(),
                 QStringLiteral("no rotary joint turns the tool here; choose an operation with a head, or jog along an axis"));
    }

    void the_tip_is_held_while_an_axis_turns()
    {
        Desk desk(QStringLiteral("mirror-back-face"));
        desk.click_station(Station::machine);
        desk.window().selection().select_line(30);
        desk.click("show-jog");
        desk.click("jog-home");
        const auto tip = [&] { return desk.find<QLabel>("jog-tip").text().section(QLatin1Char('\n'), 0, 0); };
        const QString before = tip();
        desk.click("jog-held");
        const Machine& machine = desk.window().workspace().results()->assembly().machine;
        auto rows = desk.window().machine().findChildren<AxisRow*>();
        AxisRow& c = *rows.at(qsizetype(machine.find_joint("B")->value));
        c.field().setFocus();
        QTest::keyClick(&c.field(), Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(&c.field(), QStringLiteral("30"));
        QTest::keyClick(&c.field(), Qt::Key_Return);
        QVERIFY(std::abs(reading(desk, "B") - to_rad(30)) < 1e-9);
        QCOMPARE(tip(), before);
        desk.click("jog-held"); // without it the part turns away under the tool
        QTest::keyClick(&c.field(), Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(&c.field(), QStringLiteral("60"));
        QTest::keyClick(&c.field(), Qt::Key_Return);
        QVERIFY(tip() != before);
    }

    // --- contact

    void clearances_are_typed_into_the_matrix()
    {
        Desk desk(QStringLiteral("focuser-hub"));
        desk.click_station(Station::machine);
        desk.click("show-contact");
        QTableWidget& matrix = desk.find<QTableWidget>("contact-matrix");
        const auto row = [&](const QString& name) {
            for (int i = 0; i < matrix.rowCount(); ++i) {
                if (matrix.verticalHeaderItem(i)->text() == name) {
                    return i;
                }
            }
            return -1;
        };
        const int b = row(QStringLiteral("B"));
        const int y = row(QStringLiteral("Y"));
        QCOMPARE(matrix.item(y, b)->text(), QStringLiteral("5"));
        desk.type_cell(matrix, y, b, QStringLiteral("0.5 in"));
        QVERIFY(desk.ready());
        QCOMPARE(matrix.item(y, b)->text(), QStringLiteral("12.7"));
        const auto& apart = [&]() -> const std::vector<Apart>& { return desk.window().workspace().results()->assembly().machine.apart; };
        const auto between = [&](const char* first, const char* second) {
            for (const Apart& one : apart()) {
                if ((one.first == first && one.second == second) || (one.first == second && one.second == first)) {
                    return one.clearance;
                }
            }
            return -1.0;
        };
        QCOMPARE(between("B", "Y"), 12.7);
        desk.type_cell(matrix, row(QStringLiteral("stock")), row(QStringLiteral("base")), QStringLiteral("3"));
        QVERIFY(desk.ready());
        QCOMPARE(between("base", "stock"), 3.0);
        desk.click_cell(matrix, row(QStringLiteral("stock")), row(QStringLiteral("base")));
        QTest::keyClick(&matrix, Qt::Key_Delete);
        QVERIFY(desk.ready());
        QCOMPARE(between("base", "stock"), -1.0);
        desk.type_cell(matrix, y, b, QStringLiteral("wide"));
        QVERIFY(desk.find<QLabel>("contact-refused").text().startsWith(QStringLiteral("\"wide\" is not a number")));
        QCOMPARE(matrix.item(y, b)->text(), QStringLiteral("12.7"));
    }

    void what_meets_is_shown_in_list_findings_and_path()
    {
        Desk desk(QStringLiteral("fails-head-meets-turntable"));
        desk.click_station(Station::machine);
        desk.click("show-contact");
        const auto& workspace = desk.window().workspace();
        QVERIFY(std::none_of(workspace.results()->states.begin(), workspace.results()->states.end(),
                             [](PathState s) { return s == PathState::contact; }));
        desk.click("contact-check");
        QVERIFY(wait_until([&] { return workspace.results()->contact != nullptr; }));
        QTableWidget& places = desk.find<QTableWidget>("contact-places");
        // What the command line says of the same job: the head touches the turntable in blocks 867 to 871.
        QCOMPARE(places.item(0, 0)->text(), QStringLiteral("head – turntable"));
        QCOMPARE(places.item(0, 2)->text(), QStringLiteral("867–871"));
        QVERIFY(std::any_of(workspace.results()->states.begin(), workspace.results()->states.end(),
                            [](PathState s) { return s == PathState::contact; }));
        QVERIFY(std::any_of(workspace.findings().begin(), workspace.findings().end(), [](const FoundAt& f) {
            return f.by == FoundAt::By::contact && f.finding.message == "the head touches the turntable";
        }));
        desk.click_cell(places, 0, 0);
        const std::uint32_t line = desk.window().selection().line();
        QVERIFY(line >= 866 && line <= 870);
        // The machine stands there, and both are red: other pixels than without.
        const QImage with = desk.window().machine().picture().grab().toImage();
        places.setCurrentCell(-1, -1);
        QVERIFY(with != desk.window().machine().picture().grab().toImage());
        // A change makes it old.
        desk.edit(QStringLiteral("setups/focuser-hub-low.json"), QStringLiteral("\"units\""), QStringLiteral("\"x-note\": 1, \"units\""));
        QVERIFY(wait_until([&] { return workspace.results()->contact == nullptr; }));
        QCOMPARE(desk.find<QLabel>("contact-message").text(), QStringLiteral("Not checked since the last change."));
    }

    // --- reach

    void directions_are_told_and_a_click_goes_there()
    {
        Desk desk(QStringLiteral("mirror-back-face"));
        desk.click_station(Station::machine);
        desk.window().selection().select_line(400);
        desk.click("show-reach");
        ReachDisk& disk = desk.find<ReachDisk>("reach-disk");
        auto& told = desk.find<QLabel>("reach-message");
        // Its middle is the part's Z, the edge is level: what lies between keeps its share of the sphere.
        const Vec3 leaning(std::sin(to_rad(30)), 0, std::cos(to_rad(30)));
        QTest::mouseMove(&disk, disk.place_of(leaning).toPoint());
        QTRY_VERIFY2(told.text().startsWith(QStringLiteral("30.")) || told.text().startsWith(QStringLiteral("29.")),
                     qPrintable(told.text()));
        QVERIFY2(told.text().contains(QStringLiteral(" B -30.")) && told.text().contains(QStringLiteral(", or C ")),
                 qPrintable(told.text()));
        for (const Vec3& axis : {leaning, Vec3(0, 0.6, 0.8), Vec3(-0.48, -0.6, 0.64)}) {
            QVERIFY((*disk.axis_at(disk.place_of(axis)) - axis).norm() < 1e-9);
        }
        QVERIFY(!disk.axis_at(QPointF(2, 2)));
        // What the job leaves of the travel: B goes from 0 to 32 of -110 to 110.
        auto& travel = desk.find<QTableWidget>("reach-travel");
        const int b = travel.row(travel.findItems(QStringLiteral("B"), Qt::MatchExactly).front());
        QCOMPARE(travel.item(b, 2)->text(), QStringLiteral("110.00°"));
        QCOMPARE(travel.item(b, 3)->text(), QStringLiteral("78.00°"));
        // A dot leads to the block that works in its direction.
        const auto& results = desk.window().workspace().results();
        const Kinematics kinematics = Kinematics::make(results->assembly().machine, results->assembly().posture_of(0)).value();
        const auto axis_of = [&](std::size_t motion) {
            return Vec3(results->assembly().setup.part().linear().transpose() *
                        kinematics.pose(results->replayed->track.readings(motion), 0).axis);
        };
        const std::size_t motion = *results->replayed->track.motion_at(1200);
        QTest::mouseClick(&disk, Qt::LeftButton, {}, disk.place_of(axis_of(motion)).toPoint());
        QVERIFY(desk.window().selection().line() != 400U);
        QVERIFY(angle_between(axis_of(*desk.window().selection().motion()), axis_of(motion)) < to_rad(6));
        desk.find<QComboBox>("reach-half").setFocus();
        QTest::keyClick(&desk.find<QComboBox>("reach-half"), Qt::Key_Down);
        QVERIFY(disk.axis_at(disk.place_of(Vec3(0.6, 0, -0.8)))->z() < 0);
    }

    // --- witnesses

    void a_wrong_sign_is_found_in_the_table()
    {
        Desk desk(QStringLiteral("mirror-cell"));
        // The file says that X rises the other way.
        desk.edit(QStringLiteral("machines/tarn-3.json"), QStringLiteral("\"direction\": [1, 0, 0], \"reading\": \"tool-relative\""),
                  QStringLiteral("\"direction\": [-1, 0, 0], \"reading\": \"tool-relative\""));
        desk.click_station(Station::machine);
        desk.click("show-witnesses");
        QTableWidget& table = desk.find<QTableWidget>("witnesses");
        QTRY_COMPARE(table.item(1, 0)->text(), QStringLiteral("300.000 mm off"));
        QCOMPARE(table.item(0, 0)->text(), QStringLiteral("holds"));
        desk.click_cell(table, 1, 0);
        auto& why = desk.find<QLabel>("witness-why");
        QVERIFY2(why.text().contains(QStringLiteral("Nearest explanation: the direction of X is turned round, or its reading tells its own "
                                                    "motion (6 of 6 witnesses hold then)")),
                 qPrintable(why.text()));
        QVERIFY(desk.read(QStringLiteral("machines/tarn-3.json")).contains(QStringLiteral("[-1, 0, 0]"))); // proposed, not applied
        // The machine stands where it was read.
        QCOMPARE(reading(desk, "X"), 150.0);
    }

    void what_is_measured_is_typed_and_pasted()
    {
        Desk desk(QStringLiteral("mirror-cell"));
        desk.click_station(Station::machine);
        desk.click("show-witnesses");
        QTableWidget& table = desk.find<QTableWidget>("witnesses");
        const auto column = [&](const QString& head) {
            for (int i = 0; i < table.columnCount(); ++i) {
                if (table.horizontalHeaderItem(i)->text().section(QLatin1Char('\n'), 0, 0) == head) {
                    return i;
                }
            }
            return -1;
        };
        const int rows = table.rowCount();
        desk.type_cell(table, 1, column(QStringLiteral("X")), QStringLiteral("6 in"));
        QCOMPARE(table.item(1, column(QStringLiteral("X")))->text(), QStringLiteral("152.4"));
        QCOMPARE(table.item(1, 0)->text(), QStringLiteral("2.400 mm off"));
        QCoreApplication::processEvents();
        QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(table.item(1, 0)->text(), QStringLiteral("holds"));
        desk.type_cell(table, 1, column(QStringLiteral("X")), QStringLiteral("far"));
        QVERIFY(desk.find<QLabel>("witness-refused").text().startsWith(QStringLiteral("\"far\" is not a number")));
        QCOMPARE(table.item(1, column(QStringLiteral("X")))->text(), QStringLiteral("150"));
        desk.click("witness-add");
        QCOMPARE(table.rowCount(), rows + 1);
        // A row of a spreadsheet, from the name on: name, mount, Y, X, Z, (H,) length, tip, axis as the table's columns are.
        QStringList cells;
        for (int i = 1; i < table.columnCount(); ++i) {
            const QString head = table.horizontalHeaderItem(i)->text().section(QLatin1Char('\n'), 0, 0);
            cells.push_back(head == QStringLiteral("Name")          ? QStringLiteral("pasted")
                            : head == QStringLiteral("X")           ? QStringLiteral("10")
                            : head == QStringLiteral("Y")           ? QStringLiteral("20")
                            : head == QStringLiteral("Z")           ? QStringLiteral("-100")
                            : head == QStringLiteral("Tool length") ? QStringLiteral("50")
                            : head == QStringLiteral("Tip at")      ? QStringLiteral("10, 20, 470") // 620 - 100 - 50
                            : head == QStringLiteral("Tool axis")   ? QStringLiteral("+Z")
                                                                    : QString());
        }
        const int head_joint = column(QStringLiteral("H"));
        desk.click_cell(table, rows, column(QStringLiteral("Name")));
        // Cells of other heads' joints are left out: pasted up to there.
        QGuiApplication::clipboard()->setText(head_joint < 0 ? cells.join(QLatin1Char('\t'))
                                                             : QStringList(cells.mid(0, head_joint - 1)).join(QLatin1Char('\t')));
        QTest::keyClick(&table, Qt::Key_V, Qt::ControlModifier);
        if (head_joint >= 0) {
            desk.click_cell(table, rows, head_joint + 1);
            QGuiApplication::clipboard()->setText(QStringList(cells.mid(head_joint)).join(QLatin1Char('\t')));
            QTest::keyClick(&table, Qt::Key_V, Qt::ControlModifier);
        }
        QVERIFY2(!desk.find<QLabel>("witness-refused").isVisible(), qPrintable(desk.find<QLabel>("witness-refused").text()));
        QCOMPARE(table.item(rows, column(QStringLiteral("Name")))->text(), QStringLiteral("pasted"));
        QCOMPARE(table.item(rows, 0)->text(), QStringLiteral("holds"));
        desk.click_cell(table, rows, 0);
        desk.click("witness-remove");
        QCOMPARE(table.rowCount(), rows);
    }

    void measurements_are_fitted_with_residuals()
    {
        Desk desk(QStringLiteral("setting-circle"));
        desk.click_station(Station::machine);
        desk.click("show-witnesses");
        auto& source = desk.find<QComboBox>("fit-source");
        source.setFocus();
        QTest::keyClick(&source, Qt::Key_End);
        QCOMPARE(source.currentText(), QStringLiteral("measured/brae-4r-second.csv"));
        desk.click("fit");
        // The same as wexilum-cli calibrate says of the same table.
        const QString found = desk.find<QLabel>("fit-found").text();
        QVERIFY2(found.contains(QStringLiteral("A        zero +0.0233 deg, axis off by 0.0761 mm")), qPrintable(found));
        QVERIFY2(found.contains(QStringLiteral("0.1349 mm rms by the drawing, 0.0020 mm after the fit, at most 0.0038 mm")),
                 qPrintable(found));
        auto& residuals = desk.find<QTableWidget>("fit-residuals");
        double worst = 0;
        double squares = 0;
        for (int i = 0; i < residuals.rowCount(); ++i) {
            worst = std::max(worst, residuals.item(i, 2)->text().toDouble());
            squares += std::pow(residuals.item(i, 1)->text().toDouble(), 2);
        }
        QVERIFY(std::abs(worst - 0.0038) < 1e-9);
        QVERIFY(std::abs(std::sqrt(squares / residuals.rowCount()) - 0.1349) < 1e-4);
        desk.click("fit-overlay");
        const QString overlay = desk.read(QStringLiteral("overlays/brae-4r-measured.json"));
        QVERIFY(overlay.contains(QStringLiteral("\"format\": \"overlay/1\"")) && overlay.contains(QStringLiteral("machines/brae-4r.json")));
        desk.click("fit-overlay"); // it is not written over
        QVERIFY(desk.find<QLabel>("message").text().contains(QStringLiteral("is there already")));
    }

    // --- attachments

    void a_head_is_fitted_and_turned()
    {
        Desk desk(QStringLiteral("mirror-cell-sides"));
        desk.click_station(Station::machine);
        desk.window().selection().select_line(20);
        desk.click("show-heads");
        auto& heads = desk.find<QComboBox>("heads");
        QCOMPARE(heads.currentText(), QStringLiteral("turning head"));
        auto& reading_of = desk.find<QLabel>("head-reading-H");
        QVERIFY2(reading_of.text().startsWith(QStringLiteral("H at 90°, scale 0 … 360°, marks at 1°")), qPrintable(reading_of.text()));
        desk.click("head-turn-H+");
        QVERIFY(std::abs(reading(desk, "H") - to_rad(91)) < 1e-9);
        desk.click("head-turn-H--");
        QVERIFY(reading_of.text().startsWith(QStringLiteral("H at 81°")));
        const QString figures = desk.find<QLabel>("head-figures").text();
        QVERIFY2(figures.startsWith(QStringLiteral(
                     "Gauge point 132.500 mm below the spindle's face, 48.150 mm beside its axis; the tool leans by 90.000°.")),
                 qPrintable(figures));
        auto& users = desk.find<QListWidget>("head-users");
        QCOMPARE(users.count(), 2);
        QCOMPARE(users.item(1)->text(), QStringLiteral("20  bores in six directions"));
        QTest::mouseClick(users.viewport(), Qt::LeftButton, {}, users.visualItemRect(users.item(1)).center());
        QCOMPARE(desk.window().selection().operation(), std::size_t(1));
        // Another head: seen fitted, its sketch with the tool's length as typed.
        heads.setFocus();
        QTest::keyClick(&heads, Qt::Key_Down);
        QCOMPARE(heads.currentText(), QStringLiteral("side head"));
        desk.type("head-tool-length", QStringLiteral("2 in"));
        QVERIFY(
            desk.find<QLabel>("head-figures").text().contains(QStringLiteral("Tip 118.020 mm below, 103.200 mm beside."))); // 52.4 + 50.8
        QTest::keyClick(&heads, Qt::Key_Down);
        QVERIFY(desk.find<QLabel>("head-state").text().startsWith(QStringLiteral("Its gauge length is not stated")));
        QCOMPARE(users.item(0)->text(), QStringLiteral("none of this job: an operation names it under \"posture\""));
    }
};

WEXILUM_TEST(TestWindowMachine)

} // namespace test_window_machine
#include "test_window_machine.moc"
