// Directions that a machine reaches, against the shares of a sphere that the drawings give, and the stock's box against travel.
#include "core/advice/reach.hpp"
#include "core/base/units.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_reach {

class TestReach : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void directions_data()
    {
        QTest::addColumn<QString>("job");
        QTest::addColumn<double>("upper");
        QTest::addColumn<double>("lower");
        QTest::addColumn<double>("within");
        // A tilt of 110 deg with the table turning right round: below the level the share of the half-sphere is cos 90 - cos 110.
        QTest::newRow("table-table") << QStringLiteral("mirror-back-face") << 1.0 << -std::cos(to_rad(110)) << 110.0;
        // An axis at 45 deg nutates the tool down to the level and no further.
        QTest::newRow("nutating") << QStringLiteral("focuser-hub") << 1.0 << 0.0 << 90.0;
    }
    void directions()
    {
        QFETCH(QString, job);
        QFETCH(double, upper);
        QFETCH(double, lower);
        QFETCH(double, within);
        const Machine machine = load_demo(job.toStdString()).value().machine;
        const auto reach = direction_reach(machine, machine.at_rest(), 20000);
        QVERIFY(reach && reach->any_turns);
        QVERIFY2(std::abs(reach->upper - upper) < 0.002, qPrintable(QString::number(reach->upper)));
        QVERIFY2(std::abs(reach->lower - lower) < 0.002, qPrintable(QString::number(reach->lower)));
        QVERIFY2(std::abs(to_deg(reach->all_within) - within) < 0.5, qPrintable(QString::number(to_deg(reach->all_within))));
    }

    void short_tilt_leaves_a_gap()
    {
        // B to 30 deg on one side and 50 on the other, the turntable a quarter: what it reaches at 40 deg is a quarter turn only.
        auto assembly = load_demo("mirror-back-face");
        Machine& machine = assembly->machine;
        machine.joints[machine.find_joint("B")->value].travel = Travel{to_rad(-30), to_rad(50)};
        const auto whole = direction_reach(machine, machine.at_rest(), 20000);
        QVERIFY(whole && std::abs(to_deg(whole->all_within) - 50) < 0.5);
        machine.joints[machine.find_joint("C")->value].travel = Travel{0, to_rad(90)};
        const auto quarter = direction_reach(machine, machine.at_rest(), 20000);
        // A quarter to 50 deg one way, a quarter to 30 deg the other way.
        const double share = 0.25 * (1 - std::cos(to_rad(50))) + 0.25 * (1 - std::cos(to_rad(30)));
        QVERIFY2(quarter && std::abs(quarter->upper - share) < 0.002, qPrintable(QString::number(quarter->upper)));
    }

    void one_direction_by_hand()
    {
        // Tarn 5T: B tilts by 110 deg, C turns by 450, so a place on its circle is never nearer to an end than 270.
        const Machine machine = load_demo("mirror-back-face").value().machine;
        const auto map = DirectionMap::make(machine, machine.at_rest());
        QVERIFY(map);
        const auto leaning = [&](double deg, double about) {
            return map->at(Eigen::AngleAxisd(to_rad(about), Vec3::UnitZ()) * Vec3(std::sin(to_rad(deg)), 0, std::cos(to_rad(deg))));
        };
        for (const double about : {0.0, 37.0, 200.0}) {
            QCOMPARE(leaning(30, about).branches, 2);
            QVERIFY(std::abs(to_deg(leaning(30, about).margin) - 80) < 1e-9); // 110 - 30
            QVERIFY(std::abs(to_deg(leaning(109, about).margin) - 1) < 1e-9);
            QCOMPARE(leaning(111, about).branches, 0);
        }
        QVERIFY(leaning(0, 0).pole < 1e-9); // where C does nothing
        QVERIFY(std::abs(leaning(1, 0).pole - to_rad(1)) < 1e-6);
        QVERIFY(std::abs(to_deg(leaning(0, 0).margin) - 110) < 1e-9); // any C will do
        // With B from -20 on, what leans by 30 is had one way alone.
        Machine less = machine;
        less.joints[less.find_joint("B")->value].travel = Travel{to_rad(-20), to_rad(110)};
        const auto half = DirectionMap::make(less, less.at_rest());
        const Vec3 axis(std::sin(to_rad(30)), 0, std::cos(to_rad(30)));
        QCOMPARE(half->at(axis).branches, 1);
        QVERIFY(std::abs(to_deg(half->at(axis).margin) - 50) < 1e-9); // 30 is 50 from -20, and 80 from 110
        // Three axes: straight up alone.
        const Machine three = load_demo("mirror-cell").value().machine;
        const auto up = DirectionMap::make(three, three.at_rest());
        QCOMPARE(up->at(Vec3::UnitZ()).branches, 1);
        QVERIFY(std::isinf(up->at(Vec3::UnitZ()).margin));
        QCOMPARE(up->at(axis).branches, 0);
    }

    void remarks_of_machines()
    {
        const Machine five = load_demo("mirror-back-face").value().machine;
        QCOMPARE(reach_remarks(five).size(), std::size_t(1));
        const QString text = QString::fromStdString(reach_remarks(five).front());
        QVERIFY2(text.startsWith(
                     QStringLiteral("spindle: tool axes reached: 100 % of those above the work, 34 % of those below; every one up to 1")),
                 qPrintable(text));
        QVERIFY(reach_remarks(load_demo("mirror-cell").value().machine).empty()); // it has one direction with each head
        QVERIFY(reach_remarks(load_demo("fork-arm").value().machine).empty());
    }

    void box_inside_travel()
    {
        for (const char* job : {"mirror-cell", "mirror-back-face", "setting-circle"}) {
            const auto remarks = box_remarks(load_demo(job).value());
            QVERIFY2(remarks.empty(), remarks.empty() ? "" : remarks.front().c_str());
        }
    }

    void foot_below_travel()
    {
        // The spindle stands 300 above the fork arm's foot, and Y goes down by 280.
        const auto remarks = box_remarks(load_demo("fork-arm").value());
        QVERIFY(!remarks.empty());
        QVERIFY2(QString::fromStdString(remarks.front()).endsWith(QStringLiteral(": Y goes 20.000 mm beyond the low end of its travel")),
                 remarks.front().c_str());
    }

    void box_beyond_travel()
    {
        // The fork arm's box reaches 121.5 to the left of the table's axis; X from -100 on lacks 21.5 there with the table at 0.
        const auto assembly = load_demo("fork-arm", {{"machines/fell-4.json", R"("reading": "tool-relative",
     "travel": [-420, 420], "speed": 14000)",
                                                      R"("reading": "tool-relative",
     "travel": [-100, 420], "speed": 14000)"}});
        QVERIFY2(assembly, assembly ? "" : assembly.error().text().c_str());
        const auto remarks = box_remarks(*assembly);
        QVERIFY(!remarks.empty());
        // Turned by a quarter it is 151.5 to either side: the worst of the four.
        const QString text = QString::fromStdString(remarks.front());
        QVERIFY2(text.startsWith(QStringLiteral(
                     "operation 10: the stock's box is not within travel at 4 of 4 tool directions; worst with the tool along")) &&
                     text.endsWith(QStringLiteral(": X goes 51.500 mm beyond the low end of its travel")),
                 qPrintable(text));
    }
};

WEXILUM_TEST(TestReach)

} // namespace test_reach
#include "test_reach.moc"
