// Poses and readings computed by hand from the drawings of tests/support/machines.hpp, at three directions each.
#include "core/base/units.hpp"
#include "core/solve/inverse.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_kinematics_by_hand {

namespace {

constexpr double h = 0.70710678118654752; // sin 45 = cos 45

struct Case {
    const char* name;
    std::string machine;
    std::vector<std::pair<const char*, double>> readings; // mm and degrees
    double tool_length;
    Vec3 tip;
    Vec3 axis;
};

std::vector<Case> cases()
{
    return {
        // --- table-table: C about +Z through (30, -20), carried by B about +Y through (10, *, -75); both read tool-relative, so
        // a base point goes into the work's frame by turning it +B about B's axis, then +C about C's axis. Gauge point
        // (X, Y, 500 + Z); tip 100 mm lower.
        // B0 C90: tip in the base (100, 50, 100). About C: relative (70, 70), turned +90: (-70, 70), so (-40, 50, 100).
        {"table-table, straight down, C 90",
         table_table_json(),
         {{"X", 100}, {"Y", 50}, {"Z", -300}, {"B", 0}, {"C", 90}},
         100,
         {-40, 50, 100},
         {0, 0, 1}},
        // B90 C0: tip in the base (20, 5, 0). About B: relative x 10, z 75; turned +90 about +Y x' = z, z' = -x: (75, -10), so
        // x 85, z -85. The axis +Z turns to +X.
        {"table-table, along +X",
         table_table_json(),
         {{"X", 20}, {"Y", 5}, {"Z", -400}, {"B", 90}, {"C", 0}},
         100,
         {85, 5, -85},
         {1, 0, 0}},
        // B45 C90: the base tip (10, 0, 25) lies 100 above B's axis: turned +45: x = 10 + 100 h, z = -75 + 100 h. About C: relative
        // (10 + 100 h - 30, 20) = (100 h - 20, 20), turned +90: (-20, 100 h - 20); so (10, 100 h - 40, 100 h - 75). Axis: +Z turned
        // +45 about Y is (h, 0, h), then +90 about Z is (0, h, h).
        {"table-table, half-way to +Y",
         table_table_json(),
         {{"X", 10}, {"Y", 0}, {"Z", -375}, {"B", 45}, {"C", 90}},
         100,
         {10, 100 * h - 40, 100 * h - 75},
         {0, h, h}},

        // --- head-head: pivot of B at (12, 0, 620) when C is 0; the tip is 120 + length below it along the tool.
        // B0 C180: the pivot goes to (-12, 0); tip 220 below.
        {"head-head, straight down, C 180",
         head_head_json(),
         {{"X", 5}, {"Y", 6}, {"Z", 0}, {"B", 0}, {"C", 180}},
         100,
         {5 - 12, 6, 400},
         {0, 0, 1}},
        // B90 C0: axis +Z turned +90 about +Y is +X (tip to holder), so the tip is 220 towards -X of the pivot (12, 0, 620).
        {"head-head, along +X", head_head_json(), {{"X", 0}, {"Y", 0}, {"Z", 0}, {"B", 90}, {"C", 0}}, 100, {12 - 220, 0, 620}, {1, 0, 0}},
        // B45 C90: C brings the pivot to (0, 12); axis (h, 0, h) turned +90 about Z is (0, h, h); tip = pivot - 220 axis.
        {"head-head, half-way to +Y",
         head_head_json(),
         {{"X", 0}, {"Y", 0}, {"Z", 30}, {"B", 45}, {"C", 90}},
         100,
         {0, 12 - 220 * h, 650 - 220 * h},
         {0, h, h}},

        // --- head-table: B's pivot at (X, Y, 600 + Z), tip 100 + length below along the tool; table C about (40, 25), whose
        // frame sits there. Base point into the work's frame: relative to (40, 25), turned +C.
        {"head-table, straight down, C 90",
         head_table_json(),
         {{"X", 50}, {"Y", 25}, {"Z", 0}, {"B", 0}, {"C", 90}},
         100,
         {0, 10, 400},
         {0, 0, 1}},
        // B90 C0: tip at (X - 200, Y, 600).
        {"head-table, along +X", head_table_json(), {{"X", 240}, {"Y", 25}, {"Z", -500}, {"B", 90}, {"C", 0}}, 100, {0, 0, 100}, {1, 0, 0}},
        // B45 C90: axis in the base (h, 0, h); tip (40 - 200 h, 25, 600 - 200 h); relative (-200 h, 0), turned +90: (0, -200 h).
        {"head-table, half-way to +Y",
         head_table_json(),
         {{"X", 40}, {"Y", 25}, {"Z", 0}, {"B", 45}, {"C", 90}},
         100,
         {0, -200 * h, 600 - 200 * h},
         {0, h, h}},

        // --- nutating: A about (0, h, h) through (0, 0, 560); tip 60 + length below the pivot along the tool. Turning v by angle a
        // about k: v cos a + (k x v) sin a + k (k.v)(1 - cos a). For v = +Z: k.v = h, k x v = (h, 0, 0).
        // A180: v = -Z + 2 k h = (0, 2 h h, 2 h h - 1) = (0, 1, 0). Tip = pivot - 160 (0, 1, 0).
        {"nutating, along +Y", nutating_json(), {{"X", 0}, {"Y", 0}, {"Z", 0}, {"A", 180}, {"C", 0}}, 100, {0, -160, 560}, {0, 1, 0}},
        // A90: v = (h, 0, 0) + k h = (h, 1/2, 1/2). Table C 0.
        {"nutating, A 90",
         nutating_json(),
         {{"X", 10}, {"Y", 0}, {"Z", 0}, {"A", 90}, {"C", 0}},
         100,
         {10 - 160 * h, -80, 480},
         {h, 0.5, 0.5}},
        // A-90: v = (-h, 1/2, 1/2); table C 90 turns it +90 about Z: (-1/2, -h, 1/2). Tip (160 h, -80, 480) turned: (80, 160 h, 480).
        {"nutating, A -90, C 90",
         nutating_json(),
         {{"X", 0}, {"Y", 0}, {"Z", 0}, {"A", -90}, {"C", 90}},
         100,
         {80, 160 * h, 480},
         {-0.5, -h, 0.5}},
    };
}

Readings readings_of(const Machine& machine, const Case& c)
{
    Readings readings = machine.home();
    for (const auto& [id, value] : c.readings) {
        const auto joint = machine.find_joint(id);
        const bool rotary = machine.joints[joint->value].kind == JointKind::rotary;
        readings[joint->value] = rotary ? to_rad(value) : value;
    }
    return readings;
}

} // namespace

class TestKinematicsByHand : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void forward_data() { rows(); }
    void forward()
    {
        QFETCH(int, index);
        const Case c = cases()[std::size_t(index)];
        const Machine machine = machine_from(c.machine);
        const auto kinematics = Kinematics::make(machine);
        QVERIFY(kinematics.ok());
        const Pose pose = kinematics.value().pose(readings_of(machine, c), c.tool_length);
        QVERIFY2((pose.tip - c.tip).norm() < 1e-9,
                 qPrintable(QString("tip %1 %2 %3").arg(pose.tip.x()).arg(pose.tip.y()).arg(pose.tip.z())));
        QVERIFY2((pose.axis - c.axis).norm() < 1e-12,
                 qPrintable(QString("axis %1 %2 %3").arg(pose.axis.x()).arg(pose.axis.y()).arg(pose.axis.z())));
    }

    void inverse_data() { rows(); }
    void inverse() // the hand's readings are among the candidates, to 1e-9 mm and rad
    {
        QFETCH(int, index);
        const Case c = cases()[std::size_t(index)];
        const Machine machine = machine_from(c.machine);
        const auto kinematics = Kinematics::make(machine);
        const auto solver = InverseSolver::make(kinematics.value());
        QVERIFY(solver.ok());
        const Readings wanted = readings_of(machine, c);
        double least = 1e9;
        for (const Candidate& candidate : solver.value().solve({c.tip, c.axis}, c.tool_length, wanted).list) {
            least = std::min(least, (candidate.readings - wanted).cwiseAbs().maxCoeff());
        }
        QVERIFY2(least < 1e-9, qPrintable(QString("nearest candidate %1 off").arg(least)));
    }

    void both_branches_of_a_table_table()
    {
        // Axis (1, 0, 1)/sqrt 2 is reached with B 45, C 0 and with B -45, C 180 (or -180): both inside travel, C in two turns.
        const Machine machine = machine_from(table_table_json());
        const auto solver = InverseSolver::make(Kinematics::make(machine).value());
        const auto list = solver.value().within_travel({Vec3(0, 0, 0), Vec3(h, 0, h)}, 100, machine.home());
        std::vector<std::pair<int, int>> seen;
        for (const Candidate& c : list) {
            seen.emplace_back(int(std::lround(to_deg(c.readings[3]))), int(std::lround(to_deg(c.readings[4]))));
        }
        std::sort(seen.begin(), seen.end());
        // C travel is +-400: 0 and +-360 with B 45; +-180 with B -45.
        const std::vector<std::pair<int, int>> wanted{{-45, -180}, {-45, 180}, {45, -360}, {45, 0}, {45, 360}};
        QCOMPARE(seen, wanted);
    }

    void nearest_direction_of_the_unreachable()
    {
        // A nutating head at 45 degrees reaches the upper half and the horizon; an axis 45 degrees below it is missed by 45 degrees.
        const Machine machine = machine_from(nutating_json());
        const auto solver = InverseSolver::make(Kinematics::make(machine).value());
        const Candidates none = solver.value().solve({Vec3::Zero(), Vec3(0, h, -h)}, 0, machine.home());
        QVERIFY(none.list.empty());
        QVERIFY(std::abs(none.missed_by - pi / 4) < 1e-9);
        QVERIFY((none.nearest_axis - Vec3(0, 1, 0)).norm() < 1e-9);
    }

    void a_pole_keeps_the_reading()
    {
        const Machine machine = machine_from(table_table_json());
        const auto solver = InverseSolver::make(Kinematics::make(machine).value());
        Readings near = machine.home();
        near[4] = to_rad(37);
        const Candidates at_pole = solver.value().solve({Vec3(10, 20, 30), Vec3::UnitZ()}, 100, near);
        QVERIFY(!at_pole.list.empty());
        QVERIFY(std::abs(at_pole.list.front().readings[4] - to_rad(37)) < 1e-12);
        QCOMPARE(at_pole.list.front().outcome, Outcome::degraded);
    }

    void forms_that_are_not_solved_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        QTest::newRow("parallel") << R"("direction": [0, 1, 0], "point": [10, 0, -75])"
                                  << R"("direction": [0, 0, 1], "point": [10, 0, -75])"
                                  << "the two rotary joints are parallel";
        QTest::newRow("flat") << R"("direction": [0, 1, 0], "travel")"
                              << R"("direction": [1, 0, 0], "travel")"
                              << "the three linear joints lie in one plane";
    }
    void forms_that_are_not_solved()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, message);
        QString text = QString::fromStdString(table_table_json());
        QVERIFY(text.contains(from));
        text.replace(text.indexOf(from), from.size(), to);
        const Machine machine = machine_from(text.toStdString());
        const auto solver = InverseSolver::make(Kinematics::make(machine).value());
        QVERIFY(!solver.ok());
        QCOMPARE(QString::fromStdString(solver.error().message), message);
    }

private:
    static void rows()
    {
        QTest::addColumn<int>("index");
        int index = 0;
        for (const Case& c : cases()) {
            QTest::newRow(c.name) << index++;
        }
    }
};

WEXILUM_TEST(TestKinematicsByHand)

} // namespace test_kinematics_by_hand
#include "test_kinematics_by_hand.moc"
