// Coordinates of the tool's tip: the forms of a tilted plane, where words bring the machine, and what the post makes of them.
// Values by hand from the drawing of Tarn 5H, or from rotations typed here.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/tip_frame.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/near.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_frames {

namespace {

const std::string job = "jobs/focuser-hub.json";
const std::string dialect = "dialects/esker-v.json";

/// A turn about X, Y or Z (0, 1, 2), entry by entry.
Mat3 turn(int axis, double degrees)
{
    const double c = std::cos(to_rad(degrees));
    const double s = std::sin(to_rad(degrees));
    Mat3 out;
    switch (axis) {
    case 0: out << 1, 0, 0, 0, c, -s, 0, s, c; break;
    case 1: out << c, 0, s, 0, 1, 0, -s, 0, c; break;
    default: out << c, -s, 0, s, c, 0, 0, 0, 1; break;
    }
    return out;
}

std::vector<std::array<int, 3>> orders()
{
    std::vector<std::array<int, 3>> out;
    for (int a = 0; a < 3; ++a) {
        for (int b = 0; b < 3; ++b) {
            for (int c = 0; c < 3; ++c) {
                if (a != b && b != c) {
                    out.push_back({a, b, c});
                }
            }
        }
    }
    return out;
}

/// The hub's machine and control, run on lines of code.
struct Control {
    Assembly assembly = load_demo("focuser-hub").value();
    Moves moves;
    FindingList findings;
    std::string file = "code";
    FedControl control{
        assembly.controller, assembly.machine, control_memory(assembly.machine, assembly.setup), false, file, moves, findings};
    explicit Control(std::initializer_list<const char*> lines)
    {
        // Tool 41 with a length of 100 mm, so that the numbers below are round.
        assembly.setup.tools[0].length = 100;
        for (const char* line : {"G53 G0 Z0.", "T41 M6", "M63", "G43 H41"}) {
            control.line(line);
        }
        for (const char* line : lines) {
            control.line(line);
        }
    }
    [[nodiscard]] double reading(const char* joint) const
    {
        const double r = control.readings()[Eigen::Index(assembly.machine.find_joint(joint)->value)];
        return joint[0] == 'B' || joint[0] == 'C' ? to_deg(r) : r;
    }
};

} // namespace

class TestFrames : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // --- forms of a plane
    void twelve_orders_about_turned_and_fixed_axes()
    {
        QCOMPARE(orders().size(), std::size_t(12));
        constexpr unsigned seed = 61;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> angle(-180, 180);
        for (const auto& order : orders()) {
            for (const bool turned : {true, false}) {
                const PlaneForm form{PlaneForm::By::euler, order, turned, "XYZ", "IJK"};
                for (int i = 0; i < 200; ++i) {
                    const std::vector<double> angles{angle(random), angle(random), angle(random)};
                    const Mat3 a = turn(order[0], angles[0]);
                    const Mat3 b = turn(order[1], angles[1]);
                    const Mat3 c = turn(order[2], angles[2]);
                    const Mat3 wanted = turned ? Mat3(a * b * c) : Mat3(c * b * a);
                    const auto plane = plane_from(form, Vec3(1, 2, 3), angles);
                    QVERIFY(plane && plane->linear().isApprox(wanted, 1e-12) && plane->translation() == Vec3(1, 2, 3));
                    const auto back = plane_from(form, Vec3::Zero(), plane_numbers(form, Vec3::Zero(), wanted));
                    QVERIFY(back && back->linear().isApprox(wanted, 1e-9));
                }
                for (const Mat3& locked : {Mat3(Mat3::Identity()), turn(order[1], 90), turn(order[1], -90), turn(order[1], 180)}) {
                    const auto back = plane_from(form, Vec3::Zero(), plane_numbers(form, Vec3::Zero(), locked));
                    QVERIFY(back && back->linear().isApprox(locked, 1e-9));
                }
            }
        }
    }

    void angles_are_the_small_ones()
    {
        const PlaneForm form{PlaneForm::By::euler, {2, 0, 2}, true, "XYZ", "IJK"};
        const auto numbers = plane_numbers(form, Vec3::Zero(), turn(2, -30) * turn(0, 20) * turn(2, 10));
        COMPARE_NEAR(numbers[0], -30.0, 1e-9);
        COMPARE_NEAR(numbers[1], 20.0, 1e-9);
        COMPARE_NEAR(numbers[2], 10.0, 1e-9);
    }

    void vectors_and_points()
    {
        const PlaneForm vectors{PlaneForm::By::vectors, {}, true, "XYZ", "IJKUVW"};
        // X along (0, 1, 0) made square to the normal (1, 0, 1).
        const auto plane = plane_from(vectors, Vec3(5, 0, 0), {0, 2, 0, 1, 0, 1});
        QVERIFY(plane && (plane->linear().col(0) - Vec3(0, 1, 0)).norm() < 1e-12);
        QVERIFY((plane->linear().col(2) - Vec3(1, 0, 1).normalized()).norm() < 1e-12);
        const PlaneForm points{PlaneForm::By::points, {}, true, "XYZ", "IJKUVW"};
        // From (10, 0, 0): X towards +Z, Y on the side of +Y, so that the normal is Z x Y = -X.
        const auto third = plane_from(points, Vec3(10, 0, 0), {10, 0, 7, 10, 3, 2});
        QVERIFY(third && (third->linear().col(0) - Vec3(0, 0, 1)).norm() < 1e-12);
        QVERIFY((third->linear().col(2) - Vec3(-1, 0, 0)).norm() < 1e-12);
        const Mat3 axes = turn(2, 33) * turn(0, 71) * turn(2, -12);
        for (const PlaneForm& form : {vectors, points}) {
            const auto back = plane_from(form, Vec3(4, 5, 6), plane_numbers(form, Vec3(4, 5, 6), axes));
            QVERIFY(back && back->linear().isApprox(axes, 1e-9));
        }
        const auto line = plane_from(points, Vec3(0, 0, 0), {1, 0, 0, 2, 0, 0});
        QVERIFY(!line);
        QCOMPARE(QString::fromStdString(line.error().message), QStringLiteral("the plane's points name no plane"));
        QVERIFY(!plane_from(vectors, Vec3::Zero(), {0, 0, 0, 0, 0, 1}));
        QVERIFY(!plane_from(vectors, Vec3::Zero(), {0, 0, 2, 0, 0, 1}));
    }

    // --- where words bring the machine: the offset 1 is X 2, Y -3, Z -450, so that its zero is at (2, -3, 150) of the table
    void tool_centre_point_by_hand()
    {
        // Head at 90 deg, 100 mm tool: its tip is at (-187.355, -132.48, 332.48) of the table with X 0, Y 0, Z -300 (the machine's
        // witness); seen from the zero (2, -3, 150) that is (-189.355, -129.48, 182.48).
        const Control run{"G151", "G0 X-189.355 Y-129.48 Z182.48 B90. C0."};
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        COMPARE_NEAR(run.reading("X"), 0.0, 1e-3);
        COMPARE_NEAR(run.reading("Y"), 0.0, 1e-3);
        COMPARE_NEAR(run.reading("Z"), -300.0, 1e-3);
        // The table turns 90 deg under a tip that keeps its place on the work: the place (-187.355, -132.48) of the table is then seen at
        // (-132.48, 187.355) of the room, and so much further the linear joints have to be.
        const Control turned{"G151", "G0 X-189.355 Y-129.48 Z182.48 B90. C0.", "C90."};
        COMPARE_NEAR(turned.reading("X"), -132.48 + 187.355, 1e-3);
        COMPARE_NEAR(turned.reading("Y"), 187.355 + 132.48, 1e-3);
        COMPARE_NEAR(turned.reading("Z"), -300.0, 1e-3);
    }

    void world_by_hand()
    {
        // In the room the same words mean the same place whatever the table does.
        const Control run{"G153", "G0 X-189.355 Y-129.48 Z182.48 B90. C0.", "C90."};
        COMPARE_NEAR(run.reading("X"), 0.0, 1e-3);
        COMPARE_NEAR(run.reading("Y"), 0.0, 1e-3);
        COMPARE_NEAR(run.reading("C"), 90.0, 1e-9);
        const Control level{"G153", "G0 X-2. Y-261.96 Z314.96 B180. C30."};
        // Head level: the tip 264.96 before and 164.96 above the zero of the spindle: at (0, -264.96, 464.96) of the table.
        COMPARE_NEAR(level.reading("X"), 0.0, 1e-9);
        COMPARE_NEAR(level.reading("Y"), 0.0, 1e-9);
        COMPARE_NEAR(level.reading("Z"), -300.0, 1e-9);
    }

    void tilted_plane_by_hand()
    {
        // A plane at (10, 20, 30) whose X is the work's Y, whose Y is its Z and whose Z is its X: z 90, x 90. The head looks along the
        // work's X with B 180 and C -90. The place (1, 2, 3) of the plane is (10 + 3, 20 + 1, 30 + 2) of the offset, (15, 18, 182) of the
        // table, and the table turned by -90 shows it at (-18, 15) of the room. The tip of the level tool stands 264.96 before and 164.96 -
        // 600 above the joints' zero.
        const Control run{"G0 B180. C-90.", "G152 X10. Y20. Z30. I90. J90. K0.", "G0 X1. Y2. Z3."};
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        COMPARE_NEAR(run.reading("X"), -18.0, 1e-9);
        COMPARE_NEAR(run.reading("Y"), 15.0 + 264.96, 1e-9);
        COMPARE_NEAR(run.reading("Z"), 182.0 - 600 - 164.96, 1e-9);
        // The same by two vectors, and by three points.
        for (const char* plane : {"G154 X10. Y20. Z30. I0. J1. K0. U1. V0. W0.", "G155 X10. Y20. Z30. I10. J25. K30. U10. V20. W37."}) {
            const Control other{"G0 B180. C-90.", plane, "G0 X1. Y2. Z3."};
            QVERIFY2(other.findings.list().empty(), qPrintable(shown(other.findings)));
            COMPARE_NEAR(other.reading("X"), -18.0, 1e-9);
            COMPARE_NEAR(other.reading("Y"), 15.0 + 264.96, 1e-9);
            COMPARE_NEAR(other.reading("Z"), 182.0 - 600 - 164.96, 1e-9);
        }
    }

    void plane_by_readings_by_hand()
    {
        // B 180 turns the head half round about (0, 1, 1): X becomes -X, Y and Z change places. C -90 shows the room's (x, y) at the work's
        // (y, -x): the plane's X is the work's (0, 1, 0), its Y (0, 0, 1), its Z (1, 0, 0): the plane of the case before.
        const Control run{"G0 B180. C-90.", "G156 X10. Y20. Z30.", "G0 X1. Y2. Z3."};
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        COMPARE_NEAR(run.reading("X"), -18.0, 1e-9);
        COMPARE_NEAR(run.reading("Y"), 15.0 + 264.96, 1e-9);
        COMPARE_NEAR(run.reading("Z"), 182.0 - 600 - 164.96, 1e-9);
    }

    void tip_goes_straight_while_the_joints_turn()
    {
        const Control run{"G151", "G0 X0. Y0. Z0. B20. C0.", "G94 G1 X30. Y40. Z0. B60. C50. F500."};
        const ReplayMove& cut = run.moves.list.back();
        const Kinematics kinematics = Kinematics::make(run.assembly.machine).value();
        const Pose from = kinematics.pose(cut.from, 100);
        const Pose to = kinematics.pose(cut.to, 100);
        QVERIFY((to.tip - from.tip - Vec3(30, 40, 0)).norm() < 1e-6);
        for (const double u : {0.2, 0.5, 0.9}) {
            const Readings at = cut.at(u);
            QVERIFY((kinematics.pose(at, 100).tip - (from.tip + (to.tip - from.tip) * u)).norm() < 1e-6);
            const auto b = Eigen::Index(run.assembly.machine.find_joint("B")->value);
            COMPARE_NEAR(to_deg(at[b]), 20 + 40 * u, 1e-9);
        }
        COMPARE_NEAR(cut.seconds, 50.0 / 500 * 60, 1e-6); // 50 mm of the tip at 500 mm/min
    }

    void tool_on_the_great_circle()
    {
        Control run{};
        run.assembly.controller.tip_by_vector = true;
        for (const char* line : {"G151", "G0 X0. Y0. Z0. B40. C10.", "G94 G1 X30. Y40. Z0. B70. C50. F500."}) {
            run.control.line(line);
        }
        const ReplayMove& cut = run.moves.list.back();
        const Kinematics kinematics = Kinematics::make(run.assembly.machine).value();
        const Vec3 a = kinematics.pose(cut.from, 100).axis;
        const Vec3 b = kinematics.pose(cut.to, 100).axis;
        const Vec3 middle = kinematics.pose(cut.at(0.5), 100).axis;
        QVERIFY((middle - (a + b).normalized()).norm() < 1e-9);
    }

    void arc_on_a_plane()
    {
        // Half a circle of radius 10 about the plane's (0, 0), seen from its Z counter-clockwise, from +X to -X over +Y.
        const Control run{"G0 B90. C25.", "G156 X0. Y0. Z40.", "G0 X10. Y0. Z0.", "G94 G17 G3 X-10. I-10. J0. F300."};
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        const ReplayMove& arc = run.moves.list.back();
        const Kinematics kinematics = Kinematics::make(run.assembly.machine).value();
        const Vec3 from = kinematics.pose(arc.from, 100).tip;
        const Vec3 to = kinematics.pose(arc.to, 100).tip;
        const Vec3 top = kinematics.pose(arc.at(0.5), 100).tip;
        const Vec3 axis = kinematics.pose(arc.to, 100).axis;
        COMPARE_NEAR((to - from).norm(), 20.0, 1e-9);
        COMPARE_NEAR((top - (from + to) / 2).norm(), 10.0, 1e-9);
        QVERIFY(((top - (from + to) / 2).normalized() - axis.cross((from - to).normalized())).norm() < 1e-9);
        COMPARE_NEAR(arc.seconds, pi * 10 / 300 * 60, 1e-6);
    }

    void turning_alone_on_a_plane_moves_nothing_else()
    {
        const Control run{"G152 X0. Y0. Z0. I0. J0. K0.", "G0 X5. Y6. Z7.", "C45."};
        COMPARE_NEAR(run.reading("X"), 5.0 + 2, 1e-9);
        COMPARE_NEAR(run.reading("C"), 45.0, 1e-9);
    }

    void wrong_words_data()
    {
        QTest::addColumn<QString>("line");
        QTest::addColumn<QString>("message");
        QTest::newRow("letter missing") << QStringLiteral("G152 X0. Y0. Z0. I0. K0.")
                                        << QStringLiteral("the control can't take these coordinates: the plane's word J is missing");
        QTest::newRow("no plane") << QStringLiteral("G154 X0. Y0. Z0. I0. J0. K1. U0. V0. W1.")
                                  << QStringLiteral("the control can't take these coordinates: the plane's vectors name no plane");
        QTest::newRow("two frames") << QStringLiteral("G150 G151") << QStringLiteral("two words of the group frame in one block");
    }
    void wrong_words()
    {
        QFETCH(QString, line);
        QFETCH(QString, message);
        Control run{};
        run.control.line(line.toStdString());
        QCOMPARE(run.findings.list().size(), std::size_t(1));
        QCOMPARE(QString::fromStdString(run.findings.list().front().message), message);
    }

    void nutating_head_at_three_directions()
    {
        // Turned by B about (0, 1, 1) the tool points along (sin B / sqrt 2, (1 - cos B) / 2, (1 + cos B) / 2).
        const Assembly assembly = load_demo("focuser-hub").value();
        const auto at = [&](const char* joint) { return Eigen::Index(assembly.machine.find_joint(joint)->value); };
        struct Row {
            Vec3 axis;
            double b;
            double c;   // where free: 0, as asked
            Vec3 gauge; // of the tip of a 100 mm tool against the gauge point's place at zero, room
        };
        const double tilted = std::sqrt(0.5);
        const std::vector<Row> rows{
            {{0, 0, 1}, 0, 0, {0, 0, -100}},
            {{1, 0, 0}, 180, -90, {0, -264.96, 164.96}},
            {{std::sin(pi / 3) * std::cos(to_rad(40)), std::sin(pi / 3) * std::sin(to_rad(40)), 0.5},
             90,
             40 - to_deg(std::atan2(0.5, tilted)),
             {-(165 - 0.04) * tilted - 100 * tilted, 0.04 - 82.52 - 50, 165 - 82.52 - 50}},
        };
        for (const Row& row : rows) {
            const Pose pose{Vec3(50, 20, 200), row.axis};
            const Candidates found = assembly.solver->solve(pose, 100, assembly.machine.home());
            bool hit = false;
            for (const Candidate& candidate : found.list) {
                const Readings& r = candidate.readings;
                if (std::abs(std::remainder(to_deg(r[at("B")]) - row.b, 360)) > 1e-5) {
                    continue; // the other branch
                }
                hit = true;
                COMPARE_NEAR(std::remainder(to_deg(r[at("C")]) - row.c, 360), 0.0, 1e-5);
                const double c = std::cos(to_rad(row.c));
                const double s = std::sin(to_rad(row.c));
                COMPARE_NEAR(r[at("X")], 50 * c + 20 * s - row.gauge.x(), 1e-4);
                COMPARE_NEAR(r[at("Y")], -50 * s + 20 * c - row.gauge.y(), 1e-4);
                COMPARE_NEAR(r[at("Z")], 200 - 600 - row.gauge.z(), 1e-4);
            }
            QVERIFY(hit);
        }
    }

    // --- what the post writes
    void the_hub_is_proven()
    {
        const auto assembly = load_demo("focuser-hub");
        QVERIFY2(assembly, assembly ? "" : assembly.error().message.c_str());
        const std::string code = code_of(*assembly);
        for (const bool unknown : {false, true}) {
            const ReplayReport report = replay_code(*assembly, code, unknown);
            QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
            QCOMPARE(report.uncovered, std::size_t(0));
            QCOMPARE(report.extra, std::size_t(0));
            // Where the control places the tip itself, three words rounded to 0.001 mm are all that is off.
            QVERIFY(report.at_records.tip <= std::sqrt(3.0) * 0.0005 + 2e-5);
        }
    }

    void planes_and_cycles_of_the_ports()
    {
        // Each port has a plane of its own with the zero where the tool first comes to it; its holes are drilled by the control's cycle.
        const std::string code = code_of(*load_demo("focuser-hub"));
        QString text = QString::fromStdString(code);
        const qsizetype from = text.indexOf(QStringLiteral("(20 OBLIQUE PORTS)"));
        text = text.mid(from, text.indexOf(QStringLiteral("(30 SEAT)")) - from);
        QCOMPARE(text.count(QRegularExpression(QStringLiteral(" G152 X"))), 6);
        QCOMPARE(text.count(QRegularExpression(QStringLiteral(" G81 "))), 6);
        QCOMPARE(text.count(QRegularExpression(QStringLiteral(" G151\\b"))), 0);
        // The first port: azimuth 15, 55 deg from upright, its zero 5 mm to the right and 40 mm out of (46 cos 15, 46 sin 15, 58).
        static const QRegularExpression words(
            QStringLiteral("G152 X([-\\d.]+) Y([-\\d.]+) Z([-\\d.]+) I([-\\d.]+) J([-\\d.]+) K([-\\d.]+)"));
        const auto found = words.match(text);
        QVERIFY(found.hasMatch());
        const auto number = [&](int k) { return found.captured(k).toDouble(); };
        const double a = to_rad(15);
        const double p = to_rad(55);
        const Vec3 out(std::sin(p) * std::cos(a), std::sin(p) * std::sin(a), std::cos(p));
        const Vec3 zero = Vec3(46 * std::cos(a), 46 * std::sin(a), 58) + 5 * Vec3(-std::sin(a), std::cos(a), 0) + 40 * out;
        QVERIFY((Vec3(number(1), number(2), number(3)) - zero).cwiseAbs().maxCoeff() <= 0.0006); // the path has four decimals
        const Mat3 axes = turn(2, number(4)) * turn(0, number(5)) * turn(2, number(6));
        QVERIFY((axes.col(2) - out).norm() < 2e-6);
    }

    void the_seat_keeps_its_feed_by_the_tip()
    {
        QString text = QString::fromStdString(code_of(*load_demo("focuser-hub")));
        const qsizetype from = text.indexOf(QStringLiteral("(30 SEAT)"));
        text = text.mid(from, text.indexOf(QStringLiteral("(40 SIDE FLATS)")) - from);
        QCOMPARE(text.count(QRegularExpression(QStringLiteral(" G151\\b"))), 1);
        QCOMPARE(text.count(QRegularExpression(QStringLiteral(" G93\\b"))), 0);
        QCOMPARE(text.count(QRegularExpression(QStringLiteral(" F900\\."))), 1); // once for 270 moves
    }

    void the_first_place_of_each_operation_is_right_by_its_words_alone()
    {
        // With the zero in the program's own, a vertical tool's plane is not turned: X, Y and Z are the path's own numbers.
        const auto assembly = load_demo("focuser-hub", {{dialect, R"("zero": "first-point")", R"("zero": "program")"}});
        QVERIFY(assembly);
        const std::string code = code_of(*assembly);
        QVERIFY(code.find(" G152 X0. Y0. Z0. I0. J0. K0.\n") != std::string::npos);
        QVERIFY(code.find(" X-95. Y-60. Z80.6 F500.") != std::string::npos || code.find(" Z80.6 F500.") != std::string::npos);
    }

    void wrong_words_are_noticed_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::newRow("tool-centre-point control is not left") << QStringLiteral(" G150 G49\n") << QString();
        QTest::newRow("a plane's zero is six increments off") << QStringLiteral("G152 X%X ") << QStringLiteral("G152 X%+6 ");
        QTest::newRow("tool-centre-point control is not switched on") << QStringLiteral(" G151\n") << QString();
        QTest::newRow("a plane is not declared") << QStringLiteral("G152 X") << QStringLiteral("G52");
    }
    void wrong_words_are_noticed()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        const auto assembly = load_demo("focuser-hub");
        QVERIFY(assembly);
        QStringList lines = QString::fromStdString(code_of(*assembly)).split(QLatin1Char('\n'));
        static const QRegularExpression zero(QStringLiteral("G152 X(-?[\\d.]+) "));
        int changed = 0;
        const qsizetype begin = from.contains(QLatin1String("G150")) ? lines.indexOf(QStringLiteral("(30 SEAT)")) + 2 : 60;
        for (qsizetype i = begin; i < lines.size() && changed == 0; ++i) {
            QString& line = lines[i];
            if (from.contains(QLatin1String("%X"))) {
                const auto match = zero.match(line);
                if (match.hasMatch()) {
                    line.replace(match.capturedStart(1), match.capturedLength(1),
                                 QString::number(match.captured(1).toDouble() + 0.006, 'f', 3));
                    ++changed;
                }
            } else if ((line + QLatin1Char('\n')).contains(from)) {
                lines.removeAt(i);
                ++changed;
            }
        }
        QCOMPARE(changed, 1);
        const ReplayReport report = replay_code(*assembly, lines.join(QLatin1Char('\n')).toStdString());
        QVERIFY(std::any_of(report.findings.list().begin(), report.findings.list().end(),
                            [](const Finding& finding) { return finding.severity == Severity::error; }));
    }

    void files_that_do_not_fit_data()
    {
        QTest::addColumn<QString>("file");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        const QString d = QString::fromStdString(dialect);
        const QString c = QStringLiteral("controllers/esker-v.json");
        QTest::newRow("no plane") << d << QStringLiteral("  \"plane\": {") << QStringLiteral("  \"x-plane\": {")
                                  << QStringLiteral("\"tilted-plane\" needs the form of its declaration under \"plane\"");
        QTest::newRow("no way back") << d << QStringLiteral("\"joint-coordinates\": \"G150\", ") << QString()
                                     << QStringLiteral("\"tilted-plane\" needs a word for joint-coordinates");
        QTest::newRow("no word") << d << QStringLiteral("\"tool-centre-point\": \"G151\", ") << QString()
                                 << QStringLiteral("\"tool-centre-point\" needs a word for tool-centre-point");
        QTest::newRow("length in coordinates") << d << QStringLiteral("\"tool_length\": \"register\"")
                                               << QStringLiteral("\"tool_length\": \"in-coordinates\"")
                                               << QStringLiteral(
                                                      "\"tilted-plane\" needs the tool's length in a register: the control has to know it");
        QTest::newRow("order") << d << QStringLiteral("\"order\": \"zxz\"") << QStringLiteral("\"order\": \"zzx\"")
                               << QStringLiteral("\"zzx\" is not an order of three turns");
        QTest::newRow("letters")
            << c << QStringLiteral("\"order\": \"zxz\", \"about\": \"turned-axes\", \"origin\": \"XYZ\", \"numbers\": \"IJK\"")
            << QStringLiteral("\"order\": \"zxz\", \"about\": \"turned-axes\", \"origin\": \"XYZ\", \"numbers\": \"IJX\"")
            << QStringLiteral("the numbers of a plane need 3 capital letters, each once in its block");
        QTest::newRow("unknown frame") << QString::fromStdString(job) << QStringLiteral("\"id\": \"30\",")
                                       << QStringLiteral("\"frame\": \"tip\", \"id\": \"30\",")
                                       << QStringLiteral("\"frame\" of the operation can't be \"tip\"");
    }
    void files_that_do_not_fit()
    {
        QFETCH(QString, file);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, message);
        const auto assembly = load_demo("focuser-hub", {{file.toStdString(), from.toStdString(), to.toStdString()}});
        QVERIFY(!assembly);
        QCOMPARE(QString::fromStdString(assembly.error().message), message);
    }

    void a_plane_can_not_turn()
    {
        const auto assembly = load_demo("focuser-hub", {{job, R"("id": "30",)", R"("frame": "tilted-plane", "id": "30",)"}});
        QVERIFY(assembly);
        const RunResult result = post(*assembly);
        QVERIFY(has_finding(result.findings, "plane-turns"));
    }
};

WEXILUM_TEST(TestFrames)

} // namespace test_frames
#include "test_frames.moc"
