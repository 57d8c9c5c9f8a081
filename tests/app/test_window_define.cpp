// A machine defined in the window, by mouse and keys: from nothing to posted code, with what a job needs shown at its field.
#include "tests/app/window_fixture.hpp"

#include "tests/support/places.hpp"
#include "tests/support/test_program.hpp"

#include "app/views/replay/chart_library.hpp"
#include "core/base/units.hpp"

#include <QCheckBox>
#include <QStandardPaths>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window_define {

namespace {

/// A person at the pane who counts what is done: a click, a key, a value typed.
struct Hand {
    Desk& desk;
    int actions = 0;

    void click(const char* name)
    {
        ++actions;
        desk.click(name);
    }
    /// Clicks a part of the tree by its name.
    void choose(const QString& part)
    {
        ++actions;
        QTest::qWait(20); // for the room that the pane has just got
        PartTree& tree = desk.window().machine().definition().tree();
        const auto found = tree.findItems(part, Qt::MatchExactly | Qt::MatchRecursive);
        if (found.isEmpty()) {
            qFatal("no part %s", qPrintable(part));
        }
        tree.scrollToItem(found.front());
        QTest::mouseClick(tree.viewport(), Qt::LeftButton, {}, tree.visualItemRect(found.front()).center());
        if (tree.currentItem() == nullptr || tree.currentItem()->text(0) != part) {
            qFatal("a click does not choose %s but %s", qPrintable(part),
                   tree.currentItem() == nullptr ? "nothing" : qPrintable(tree.currentItem()->text(0)));
        }
    }
    /// Clicks a field and types over what stands there.
    void type(const QString& title, const QString& text)
    {
        actions += 2;
        auto& edit = field<QLineEdit>(title);
        edit.setFocus(Qt::MouseFocusReason);
        QTest::mouseClick(&edit, Qt::LeftButton);
        QTest::keyClick(&edit, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(&edit, text);
    }
    template <typename W>
    W& field(const QString& title)
    {
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        auto* found = desk.window().findChild<W*>(QStringLiteral("field-") + title);
        if (found == nullptr) {
            qFatal("no field %s", qPrintable(title));
        }
        return *found;
    }
    QString note(const QString& title) { return desk.window().findChild<QLabel*>(QStringLiteral("note-") + title)->text(); }
    const Machine& drawn() { return *desk.window().findChild<MachineView*>()->draft(); }
};

} // namespace

class TestWindowDefine : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase() { QStandardPaths::setTestModeEnabled(true); }

    void a_machine_from_nothing_posts_a_job()
    {
        Desk desk;
        const QString code = QString::fromStdString(desk.window().workspace().results()->posted->code.lines().text());
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("define");
        hand.click("machine-new");
        desk.type("new-machine-name", QStringLiteral("mine"));
        hand.actions += 3;
        QVERIFY(desk.read(QStringLiteral("machines/mine.json")).contains(QStringLiteral("\"name\": \"mine\"")));
        QCOMPARE(hand.drawn().name, std::string("mine"));
        QTest::qWait(600); // the new file is seen on the disk: it stays what is edited
        QCOMPARE(hand.drawn().name, std::string("mine"));
        for (const auto& [joint, travel, fast, slow] :
             {std::tuple("Y", "-260, 260", "18 m/min", "3500"), std::tuple("X", "-420, 420", "18 m/min", "3500"),
              std::tuple("Z", "-510, 0", "15 m/min", "3000")}) {
            hand.choose(QLatin1String(joint));
            hand.type(QStringLiteral("Travel"), QLatin1String(travel));
            hand.type(QStringLiteral("Fastest"), QLatin1String(fast));
            hand.type(QStringLiteral("Acceleration"), QLatin1String(slow));
            hand.type(QStringLiteral("Jerk"), QStringLiteral("40 m/s3"));
        }
        hand.choose(QStringLiteral("spindle"));
        hand.type(QStringLiteral("Point"), QStringLiteral("0, 0, 620"));
        // What was measured no longer fits the drawing: the witness says so, and what the drawing has.
        hand.choose(QStringLiteral("at home, as drawn"));
        QCOMPARE(hand.note(QStringLiteral("Tip at")).section(QLatin1Char('\n'), 0, 0),
                 QStringLiteral("this machine has it at 0.000, 0.000, 520.000, 120.000 mm from there"));
        QVERIFY(desk.find<QLabel>("machine-problem").text().startsWith(QStringLiteral("Not a machine yet: the witness")));
        hand.type(QStringLiteral("Tip at"), QStringLiteral("0, 0, 520"));
        QVERIFY(!desk.find<QLabel>("machine-problem").isVisible());
        hand.click("machine-use");
        QVERIFY(desk.ready());
        QVERIFY(desk.read(QStringLiteral("posts/tarn-3.json")).contains(QStringLiteral("machines/tarn-3.json"))); // not saved yet
        QCOMPARE(desk.window().workspace().results()->assembly().machine.name, std::string("mine"));
        // The code of three axes is the same but for the machine's name.
        QCOMPARE(QString::fromStdString(desk.window().workspace().results()->posted->code.lines().text()),
                 QString(code).replace(QStringLiteral("(TARN 3)"), QStringLiteral("(MINE)")));
        // The heads: one turned by hand at its scale, one fixed; each with its witness, by the drawing's figures.
        const auto head = [&](const char* name, const char* for_people, const char* at, const char* axis, const char* gauge,
                              const char* fastest) {
            hand.click("add-attachment");
            hand.type(QStringLiteral("Name"), QLatin1String(name));
            hand.type(QStringLiteral("For people"), QLatin1String(for_people));
            hand.type(QStringLiteral("Tool axis at"), QLatin1String(at));
            hand.type(QStringLiteral("Tool axis"), QLatin1String(axis));
            hand.type(QStringLiteral("Gauge length"), QLatin1String(gauge));
            hand.type(QStringLiteral("Most speed"), QLatin1String(fastest));
        };
        const auto press = [&](QWidget& widget, Qt::Key key, int times = 1) {
            widget.setFocus(Qt::TabFocusReason);
            for (int i = 0; i < times; ++i) {
                ++hand.actions;
                QTest::keyClick(&widget, key);
            }
        };
        const auto witness = [&](int which, const char* tip, const char* axis) {
            hand.click("add-witness");
            press(hand.field<QComboBox>(QStringLiteral("Tool in")), Qt::Key_Down, which);
            hand.type(QStringLiteral("Tip at"), QLatin1String(tip));
            hand.type(QStringLiteral("Tool axis"), QLatin1String(axis));
        };
        head("turn-head", "turning head", "0, 0, -132.5", "+Y", "48.15", "4000 rpm");
        press(hand.field<QCheckBox>(QStringLiteral("Turns the other way")), Qt::Key_Space);
        hand.click("add-joint");
        hand.type(QStringLiteral("Direction"), QStringLiteral("-Z"));
        press(hand.field<QComboBox>(QStringLiteral("Readings rise")), Qt::Key_Up);
        head("side-head", "side head", "0, 0, -118.02", "+X", "52.4", "6000 rpm");
        hand.type(QStringLiteral("Gear ratio"), QStringLiteral("1.25"));
        witness(1, "0, -148.15, 487.5", "+Y"); // 620 - 132.5 high, 48.15 and the 100 of the tool towards the operator
        witness(2, "-152.4, 0, 501.98", "+X");
        QVERIFY2(!desk.find<QLabel>("machine-problem").isVisible(), qPrintable(desk.find<QLabel>("machine-problem").text()));
        QVERIFY2(hand.actions < 120, qPrintable(QString::number(hand.actions)));
        qInfo("%d actions", hand.actions);
        // A job of the heads: the demo's own code, which its golden test has read by hand, but for the machine's name.
        desk.click_shelf(QStringLiteral("jobs/mirror-cell-sides.json"));
        QVERIFY(desk.ready());
        QVERIFY2(!desk.window().workspace().error(),
                 qPrintable(QString::fromStdString(desk.window().workspace().error() ? desk.window().workspace().error()->text()
                                                                                     : std::string())));
        const QString sides = QString::fromStdString(desk.window().workspace().results()->posted->code.lines().text());
        QFile golden(wexilum::test::source_folder() + QStringLiteral("/tests/golden/post/mirror-cell-sides/expected.nc"));
        QVERIFY(golden.open(QIODevice::ReadOnly));
        QCOMPARE(sides, QString::fromUtf8(golden.readAll()).replace(QStringLiteral("(TARN 3)"), QStringLiteral("(MINE)")));
    }

    void the_picture_follows_each_key()
    {
        Desk desk;
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("define");
        hand.choose(QStringLiteral("table"));
        // The first of that name is the mount; its body below it is moved by keys alone.
        hand.choose(QStringLiteral("saddle"));
        auto& point = hand.field<QLineEdit>(QStringLiteral("Point"));
        const auto height = [&] {
            for (const Body& body : hand.drawn().bodies) {
                if (body.id == "saddle") {
                    return body.frame.translation().z();
                }
            }
            return 0.0;
        };
        QCOMPARE(height(), -180.0);
        point.setFocus();
        QTest::keyClick(&point, Qt::Key_End);
        QTest::keyClick(&point, Qt::Key_Backspace);
        QCOMPARE(height(), -18.0);
        QTest::keyClick(&point, Qt::Key_5);
        QCOMPARE(height(), -185.0);
        // A value that can't be read leaves the picture as it was, and says why beside the field.
        QTest::keyClick(&point, Qt::Key_Z);
        QCOMPARE(height(), -185.0);
        QVERIFY2(hand.note(QStringLiteral("Point")).startsWith(QStringLiteral("\"-185z\" is not a number")),
                 qPrintable(hand.note(QStringLiteral("Point"))));
        QTest::keyClick(&point, Qt::Key_Backspace);
        QTest::keyClick(&point, Qt::Key_Return);
        QVERIFY(hand.note(QStringLiteral("Point")).startsWith(QStringLiteral("= 0, 0, -7.28")));
        // One step back for what was typed at one value.
        QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(height(), -180.0);
        QVERIFY(!desk.window().isWindowModified());
    }

    void a_second_drive_follows_the_first()
    {
        Desk desk(QStringLiteral("pier-cap"));
        desk.click_station(Station::machine);
        // Jogged, the second one goes along; by itself it is not moved.
        desk.type("reading-X", QStringLiteral("120.5"));
        QTest::keyClick(&desk.find<QLineEdit>("reading-X"), Qt::Key_Return);
        QTRY_COMPARE(desk.find<QLineEdit>("reading-X2").text(), desk.find<QLineEdit>("reading-X").text());
        QVERIFY(desk.find<QLineEdit>("reading-X").text().startsWith(QStringLiteral("120.5")));
        QVERIFY(desk.find<QLineEdit>("reading-X2").isReadOnly());
        QVERIFY(!desk.find<QWidget>("jog-X2").isEnabled());
        Hand hand{desk};
        hand.click("define");
        hand.choose(QStringLiteral("X2"));
        QCOMPARE(hand.field<QLineEdit>(QStringLiteral("Follows")).text(), QStringLiteral("X"));
        hand.type(QStringLiteral("Follows"), QStringLiteral("X * X"));
        QVERIFY2(hand.note(QStringLiteral("Follows")).startsWith(QStringLiteral("\"X * X\" is not a length")),
                 qPrintable(hand.note(QStringLiteral("Follows"))));
        hand.type(QStringLiteral("Follows"), QStringLiteral("X / 2 + Y"));
        QCOMPARE(hand.drawn().relations.front().leaders.size(), std::size_t(2));
        QCOMPARE(text_of(hand.drawn(), hand.drawn().relations.front()), std::string("0.5 * X + Y"));
        // The drive that has one of its own again needs to say how fast it is, and what it reads in witnesses.
        hand.type(QStringLiteral("Follows"), QStringLiteral("X"));
        auto& follows = hand.field<QLineEdit>(QStringLiteral("Follows"));
        QTest::keyClick(&follows, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClick(&follows, Qt::Key_Delete);
        QVERIFY2(desk.find<QLabel>("machine-problem").text().contains(QStringLiteral("does not read the joint \"X2\"")),
                 qPrintable(desk.find<QLabel>("machine-problem").text()));
    }

    void a_travel_too_short_is_told_at_its_field()
    {
        Desk desk;
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("define");
        hand.choose(QStringLiteral("X"));
        QVERIFY2(hand.note(QStringLiteral("Travel")).startsWith(QStringLiteral("this job: ")),
                 qPrintable(hand.note(QStringLiteral("Travel"))));
        hand.type(QStringLiteral("Travel"), QStringLiteral("-100, 420"));
        QVERIFY(desk.ready());
        const QString note = hand.note(QStringLiteral("Travel"));
        QVERIFY2(note.startsWith(QStringLiteral("X goes ")) &&
                     note.contains(QStringLiteral("beyond the low end of its travel, at toolpaths/cell-pockets.cl:")),
                 qPrintable(note));
        QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(desk.ready());
        QVERIFY2(hand.note(QStringLiteral("Travel")).startsWith(QStringLiteral("this job: ")),
                 qPrintable(hand.note(QStringLiteral("Travel"))));
    }

    void a_wrong_sign_is_found_by_its_witness()
    {
        Desk desk;
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("define");
        hand.choose(QStringLiteral("X"));
        hand.type(QStringLiteral("Direction"), QStringLiteral("-X"));
        QVERIFY2(
            desk.find<QLabel>("machine-problem").text().contains(QStringLiteral("positive X: the tool stands to the right on the table")),
            qPrintable(desk.find<QLabel>("machine-problem").text()));
        hand.choose(QStringLiteral("positive X: the tool stands to the right on the table"));
        QCOMPARE(hand.note(QStringLiteral("Tip at")),
                 QStringLiteral(
                     "this machine has it at -150.000, 0.000, 520.000, 300.000 mm from there\n"
                     "It would hold if the direction of X is turned round, or its reading tells its own motion (6 of 6 witnesses then)."));
        hand.choose(QStringLiteral("X"));
        hand.type(QStringLiteral("Direction"), QStringLiteral("+X"));
        QVERIFY(!desk.find<QLabel>("machine-problem").isVisible());
        hand.choose(QStringLiteral("positive X: the tool stands to the right on the table"));
        QCOMPARE(hand.note(QStringLiteral("Tip at")), QStringLiteral("this machine has it at 150.000, 0.000, 520.000"));
    }

    void charts_lead_to_the_block()
    {
        Desk desk(QStringLiteral("mirror-back-face"));
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("charts");
        AxisCharts& charts = desk.window().machine().charts();
        QVERIFY(charts.isVisible());
        const ReplayTrack& track = desk.window().workspace().results()->replayed->track;
        // X, Y, Z, B and C, each with both ends of its way; the least of X is what the replay has seen.
        QCOMPARE(charts.peaks().rowCount(), 10);
        QCOMPARE(charts.peaks().item(0, 1)->text(), QStringLiteral("%1 mm").arg(track.lowest(0), 0, 'f', 2));
        auto& course = desk.find<QComboBox>("course");
        course.setFocus();
        QTest::keyClick(&course, Qt::Key_Down);                               // speed
        QCOMPARE(charts.peaks().item(3, 2)->text(), QStringLiteral("100 %")); // Y in a rapid that is long enough; X has no such
        QTest::mouseClick(charts.peaks().viewport(), Qt::LeftButton, {}, charts.peaks().visualItemRect(charts.peaks().item(3, 1)).center());
        const auto motion = desk.window().selection().motion();
        QVERIFY(motion && !track.motions()[*motion].feed);
        // Under the mouse: record, line and every axis.
        QCustomPlot& plot = charts.plot();
        QTest::mouseMove(&plot, QPoint(plot.width() / 2, plot.height() / 3));
        QTRY_VERIFY2(charts.said().startsWith(QStringLiteral("record ")) && charts.said().contains(QStringLiteral(" · C ")),
                     qPrintable(charts.said()));
        // Nearer, by a key, at the same middle; and all of it again.
        const QCPRange whole = plot.axisRect(0)->axis(QCPAxis::atBottom)->range();
        plot.setFocus();
        QTest::keyClick(&plot, Qt::Key_Plus);
        const QCPRange half = plot.axisRect(4)->axis(QCPAxis::atBottom)->range(); // they go together
        QVERIFY(std::abs(half.size() - whole.size() / 2) < 1e-6 && std::abs(half.center() - whole.center()) < 1e-6);
        QTest::keyClick(&plot, Qt::Key_Home);
        QCOMPARE(plot.axisRect(2)->axis(QCPAxis::atBottom)->range().size(), whole.size());
        // A click into the chart chooses the block that is on there.
        QTest::mouseClick(&plot, Qt::LeftButton, {}, QPoint(plot.width() / 2, plot.height() / 3));
        QVERIFY(desk.window().selection().motion() != motion);
    }

    void parts_are_added_moved_and_taken_away_by_keys()
    {
        Desk desk;
        Hand hand{desk};
        desk.click_station(Station::machine);
        QTest::keyClick(&desk.window(), Qt::Key_M, Qt::ControlModifier);
        PartTree& tree = desk.window().machine().definition().tree();
        QTRY_VERIFY(tree.isVisible() && tree.hasFocus());
        QTest::qWait(50); // until it is laid out
        const QString before = desk.read(QStringLiteral("machines/tarn-3.json"));
        hand.choose(QStringLiteral("Z"));
        hand.click("add-joint");
        QCOMPARE(hand.drawn().joints.size(), std::size_t(5)); // X, Y, Z, the head's, and the new one
        QCOMPARE(hand.field<QLineEdit>(QStringLiteral("Name")).text(), QStringLiteral("J1"));
        auto& carrier = hand.field<QComboBox>(QStringLiteral("Carried by"));
        QCOMPARE(carrier.currentText(), QStringLiteral("Z"));
        carrier.setFocus();
        QTest::keyClick(&carrier, Qt::Key_Home); // the base
        QTest::keyClick(&carrier, Qt::Key_Return);
        QTRY_COMPARE(hand.drawn().joints[3].parent, -1);
        tree.setFocus();
        QTest::keyClick(&tree, Qt::Key_Up, Qt::AltModifier); // before Z, which is on the base too
        QCOMPARE(hand.drawn().joints[2].id, std::string("J1"));
        QTest::keyClick(&tree, Qt::Key_Delete);
        QCOMPARE(hand.drawn().joints.size(), std::size_t(4));
        QCOMPARE(QString::fromStdString(**desk.window().workspace().documents().text(QStringLiteral("machines/tarn-3.json"))), before);
    }

    void what_the_job_cannot_do_is_told_at_its_field()
    {
        Desk desk(QStringLiteral("mirror-back-face"));
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("define");
        hand.choose(QStringLiteral("C"));
        auto& cuts = hand.field<QCheckBox>(QStringLiteral("Moves while cutting"));
        QVERIFY(cuts.isChecked());
        cuts.setFocus();
        QTest::keyClick(&cuts, Qt::Key_Space);
        QVERIFY(desk.ready());
        QVERIFY2(hand.note(QStringLiteral("Moves while cutting")).startsWith(QStringLiteral("the cut moves C by ")),
                 qPrintable(hand.note(QStringLiteral("Moves while cutting"))));
        QVERIFY(hand.note(QStringLiteral("Moves while cutting")).contains(QStringLiteral("but it may only be positioned, at toolpaths/")));
        // What keeps the text from being a machine stands at its value.
        hand.type(QStringLiteral("Home"), QStringLiteral("900"));
        QVERIFY2(hand.note(QStringLiteral("Home")).contains(QStringLiteral("home")), qPrintable(hand.note(QStringLiteral("Home"))));
        QVERIFY(desk.find<QLabel>("machine-problem").isVisible());
    }

    void the_text_is_in_step_with_the_form()
    {
        Desk desk(QStringLiteral("mirror-cell"));
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("define");
        hand.click("machine-text");
        auto& text = desk.find<TextEditor>("define-text");
        hand.choose(QStringLiteral("Z"));
        int line = 0;
        int column = 0;
        text.getCursorPosition(&line, &column);
        QVERIFY2(text.text(line).contains(QStringLiteral("\"id\": \"Z\"")), qPrintable(text.text(line)));
        hand.type(QStringLiteral("Travel"), QStringLiteral("-480, 0"));
        QVERIFY(text.text().contains(QStringLiteral("\"travel\": [-480, 0]")));
        // The cursor in another part chooses it, and what is typed there is in its form.
        const QString spindle = QStringLiteral("\"point\": [0, 0, 620]");
        const auto at = text.text().indexOf(spindle);
        text.setFocus();
        QTRY_VERIFY(text.hasFocus());
        text.lineIndexFromPosition(int(at), &line, &column);
        text.setCursorPosition(line, column + int(spindle.size()) - 1);
        QTRY_COMPARE(hand.field<QLineEdit>(QStringLiteral("Name")).text(), QStringLiteral("spindle"));
        QTest::keyClick(&text, Qt::Key_Backspace);
        QTest::keyClick(&text, Qt::Key_5);
        QCOMPARE(hand.field<QLineEdit>(QStringLiteral("Point")).text(), QStringLiteral("0, 0, 625"));
    }

    void joints_are_ordered_by_dragging_and_heads_have_joints()
    {
        Desk desk(QStringLiteral("mirror-cell"));
        Hand hand{desk};
        desk.click_station(Station::machine);
        hand.click("define");
        PartTree& tree = desk.window().machine().definition().tree();
        const auto place = [&](const QString& part) {
            return tree.visualItemRect(tree.findItems(part, Qt::MatchExactly | Qt::MatchRecursive).front());
        };
        const auto order = [&] {
            QStringList out;
            for (const Joint& joint : hand.drawn().joints) {
                out.push_back(QString::fromStdString(joint.id));
            }
            return out;
        };
        QCOMPARE(order().mid(0, 3), (QStringList{QStringLiteral("Y"), QStringLiteral("X"), QStringLiteral("Z")}));
        drag(tree, place(QStringLiteral("Z")).center(),
             QPoint(place(QStringLiteral("Y")).center().x(), place(QStringLiteral("Y")).top() + 1));
        QCOMPARE(order().mid(0, 3), (QStringList{QStringLiteral("Z"), QStringLiteral("Y"), QStringLiteral("X")}));
        QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(order().mid(0, 3), (QStringList{QStringLiteral("Y"), QStringLiteral("X"), QStringLiteral("Z")}));
        // A head of one's own, with a scale and what it looks like.
        hand.click("add-attachment");
        hand.type(QStringLiteral("Name"), QStringLiteral("own head"));
        hand.click("add-joint");
        hand.type(QStringLiteral("Name"), QStringLiteral("K"));
        hand.choose(QStringLiteral("own head"));
        hand.click("add-body");
        const QString text = desk.window().machine().definition().tree().currentItem()->parent()->text(0);
        QCOMPARE(text, QStringLiteral("own head"));
        const auto& machine = hand.drawn();
        QVERIFY(machine.find_joint("K") && machine.joints[machine.find_joint("K")->value].by_hand);
        QVERIFY(std::any_of(machine.bodies.begin(), machine.bodies.end(), [](const Body& b) { return b.id == "body 1" && b.mount >= 0; }));
    }
};

WEXILUM_TEST(TestWindowDefine)

} // namespace test_window_define
#include "test_window_define.moc"
