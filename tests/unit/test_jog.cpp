// A machine moved by hand: along and about axes, with the tip held, up to the ends of travel, the clearance and contact.
#include "core/advice/jog.hpp"
#include "core/base/units.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_jog {

namespace {

/// The mirror cell on Tarn 3 with its end mill: Z = tip's height in the part + length - 578, X and Y as the part lies.
struct Cell {
    Assembly a = load_demo("mirror-cell").value();
    Jogger jogger = Jogger::make(a, 0).value();
    double length;
    explicit Cell(std::uint32_t tool = 1, double long_by = 96.205) : length(long_by) { jogger.fit(a.setup.find_tool(tool), length); }
    [[nodiscard]] Readings at(double x, double y, double z) const
    {
        Readings out = a.machine.home();
        out[Eigen::Index(a.machine.find_joint("X")->value)] = x - 60;
        out[Eigen::Index(a.machine.find_joint("Y")->value)] = y + 15;
        out[Eigen::Index(a.machine.find_joint("Z")->value)] = z + length - 578;
        return out;
    }
};

bool near(double a, double b, double by) { return std::abs(a - b) <= by; }

} // namespace

class TestJog : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void along_the_axes_of_the_part()
    {
        Cell cell;
        const Readings now = cell.at(10, 20, 50);
        const auto way = cell.jogger.along(now, JogFrame::part, 0, 12.5).value();
        QVERIFY((*way(1) - cell.at(22.5, 20, 50)).norm() < 1e-9);
        QVERIFY((*way(0.5) - cell.at(16.25, 20, 50)).norm() < 1e-9);
        const auto outcome = cell.jogger.go(now, way, false);
        QCOMPARE(outcome.stopped, Jogger::Stopped::no);
        QVERIFY((outcome.readings - cell.at(22.5, 20, 50)).norm() < 1e-9);
        const Pose pose = cell.jogger.pose(outcome.readings);
        QVERIFY((pose.tip - Vec3(22.5, 20, 50)).norm() < 1e-9);
    }

    void the_end_of_travel_stops_it()
    {
        Cell cell;
        const Readings now = cell.at(400, 0, 60);
        const auto outcome = cell.jogger.go(now, cell.jogger.along(now, JogFrame::part, 0, 200).value(), false);
        QCOMPARE(outcome.stopped, Jogger::Stopped::travel);
        QCOMPARE(outcome.text, std::string("X is at the end of its travel, 420.000 mm"));
        QVERIFY(near(cell.jogger.pose(outcome.readings).tip.x(), 480, 1e-3)); // 420 is 480 in the part
        // From beyond it, only back.
        const Readings beyond = cell.at(490, 0, 60);
        QCOMPARE(cell.jogger.go(beyond, cell.jogger.along(beyond, JogFrame::part, 0, -5).value(), false).stopped, Jogger::Stopped::no);
        QCOMPARE(cell.jogger.go(beyond, cell.jogger.along(beyond, JogFrame::part, 0, 5).value(), false).stopped, Jogger::Stopped::travel);
    }

    void the_clearance_stops_it_and_closer_goes_to_just_before_contact()
    {
        Cell cell(2, 118.42);
        // Beside the blank over the table, whose top is 42 mm below the part's zero: 2 mm above it, where the machine states nothing else.
        const Readings now = cell.at(300, 0, 20);
        const auto down = cell.jogger.along(now, JogFrame::part, 2, -80).value();
        const auto stopped = cell.jogger.go(now, down, false);
        QCOMPARE(stopped.stopped, Jogger::Stopped::clearance);
        QCOMPARE(stopped.text, std::string("cutter and table would come nearer than 2.00 mm"));
        QVERIFY2(near(cell.jogger.pose(stopped.readings).tip.z(), -40, 0.002),
                 qPrintable(QString::number(cell.jogger.pose(stopped.readings).tip.z(), 'f', 5)));
        const auto closer = cell.jogger.go(now, down, true);
        QCOMPARE(closer.stopped, Jogger::Stopped::contact);
        const double z = cell.jogger.pose(closer.readings).tip.z();
        QVERIFY2(z > -42 && z < -41.97, qPrintable(QString::number(z, 'f', 5)));
        // From inside the clearance: away and along it, but no nearer without the key.
        const auto by = [&](double x, double height, bool key) {
            return cell.jogger
                .go(closer.readings, cell.jogger.along(closer.readings, JogFrame::part, x != 0 ? 0 : 2, x != 0 ? x : height).value(), key)
                .stopped;
        };
        QCOMPARE(by(0, 5, false), Jogger::Stopped::no);
        QCOMPARE(by(10, 0, false), Jogger::Stopped::no);
        QCOMPARE(by(0, -0.01, false), Jogger::Stopped::clearance);
        const auto least = cell.jogger.nearest(stopped.readings);
        QVERIFY(least && least->first == "cutter" && least->second == "table" && near(least->distance, 2, 0.002) && least->clearance == 2);
    }

    void out_of_contact_always()
    {
        Cell cell;
        const Readings inside = cell.at(0, 0, -5);
        const auto go = [&](double mm, bool closer) {
            return cell.jogger.go(inside, cell.jogger.along(inside, JogFrame::part, 2, mm).value(), closer);
        };
        QCOMPARE(go(2, false).stopped, Jogger::Stopped::no); // not apart yet, but on the way
        QCOMPARE(go(9, false).stopped, Jogger::Stopped::no);
        for (const bool closer : {false, true}) {
            const auto down = go(-1, closer);
            QCOMPARE(down.stopped, Jogger::Stopped::contact);
            QCOMPARE(down.text, std::string("cutter and mirror cell touch: only moves that take them apart are possible"));
            QVERIFY(down.readings == inside);
        }
    }

    void the_tip_stays_while_a_rotary_axis_turns()
    {
        const Assembly a = load_demo("mirror-back-face").value();
        const auto jogger = Jogger::make(a, 0);
        QVERIFY(jogger);
        Jogger by_hand = *jogger;
        by_hand.fit(nullptr, 83.5);
        const auto seed = std::random_device{}();
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(-1, 1);
        for (int i = 0; i < 200; ++i) {
            Readings now = a.machine.home();
            for (Eigen::Index k = 0; k < now.size(); ++k) {
                now[k] += any(random) * (a.machine.joints[std::size_t(k)].kind == JointKind::rotary ? 1.2 : 100);
            }
            const Pose before = by_hand.pose(now);
            for (std::size_t j = 0; j < a.machine.joints.size(); ++j) {
                if (a.machine.joints[j].kind != JointKind::rotary) {
                    continue;
                }
                const auto way = by_hand.axis_with_tip_held(now, JointIndex(std::uint32_t(j)), now[Eigen::Index(j)] + any(random)).value();
                for (const double part : {-0.4, 0.3, 1.0}) {
                    const double off = (by_hand.pose(*way(part)).tip - before.tip).norm();
                    QVERIFY2(off < 1e-9, qPrintable(QStringLiteral("seed %1, %2 mm").arg(seed).arg(off)));
                }
            }
            // About an axis through the tip: the tool's direction turns as a vector does, the tip stays.
            const std::size_t axis = std::size_t(i) % 3;
            const double angle = any(random) * 0.3;
            if (const auto way = by_hand.about(now, JogFrame::part, axis, angle)) {
                const Pose after = by_hand.pose(*(*way)(1));
                const Vec3 wanted = Eigen::AngleAxisd(angle, Vec3::Unit(Eigen::Index(axis))) * before.axis;
                QVERIFY2((after.axis - wanted).norm() < 1e-8 && (after.tip - before.tip).norm() < 1e-8,
                         qPrintable(QStringLiteral("seed %1").arg(seed)));
            }
            // Along the tool the tip goes along its axis; along the machine's X only the joint X moves.
            const auto out = by_hand.along(now, JogFrame::tool, 2, 7).value();
            QVERIFY((by_hand.pose(*out(1)).tip - before.tip - 7 * before.axis).norm() < 1e-9);
            const Readings x = *by_hand.along(now, JogFrame::machine, 0, 7).value()(1) - now;
            const auto moved = Eigen::Index(a.machine.find_joint("X")->value);
            QVERIFY2(near(std::abs(x[moved]), 7, 1e-9) && near(x.norm(), 7, 1e-9),
                     qPrintable(QStringLiteral("seed %1: %2 of %3").arg(seed).arg(x[moved]).arg(x.norm())));
        }
    }

    void what_cannot_be_turned_says_why()
    {
        Cell cell;
        const auto still = cell.jogger.about(cell.at(0, 0, 50), JogFrame::part, 0, 0.1);
        QVERIFY(!still);
        QCOMPARE(still.error().message, std::string("no rotary joint turns the tool here"));
        const auto linear = cell.jogger.axis_with_tip_held(cell.at(0, 0, 50), *cell.a.machine.find_joint("X"), 5);
        QVERIFY(!linear);
        const Assembly arm = load_demo("mirror-back-face").value();
        Jogger five = Jogger::make(arm, 0).value();
        const auto itself = five.about(arm.machine.home(), JogFrame::tool, 2, 0.1);
        QVERIFY(!itself);
        QCOMPARE(itself.error().message, std::string("the tool would turn about itself, which changes nothing for this machine"));
    }

    void work_readings_are_the_words_of_the_program()
    {
        Cell cell;
        // N80 G0 X83.977 Y-0.523, N90 G43 Z15. H1: the control shows what the program says.
        const auto shown = cell.jogger.work_readings(cell.at(83.977, -0.523, 15));
        const auto of = [&](const char* joint) { return *shown[cell.a.machine.find_joint(joint)->value]; };
        QVERIFY(near(of("X"), 83.977, 1e-9) && near(of("Y"), -0.523, 1e-9) && near(of("Z"), 15, 1e-9));
        QVERIFY(!shown[cell.a.machine.find_joint("H")->value]); // set by hand: the control does not know it
    }
};

WEXILUM_TEST(TestJog)

} // namespace test_jog
#include "test_jog.moc"
