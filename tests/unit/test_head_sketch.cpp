// Heads as their drawing shows them: figures by hand from the machine's file, and their scales turned mark by mark.
#include "core/base/units.hpp"
#include "core/machine/head_sketch.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_head_sketch {

namespace {

bool near(double a, double b) { return std::abs(a - b) < 1e-9; }

} // namespace

class TestHeadSketch : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void figures_of_the_demo_heads()
    {
        const Machine machine = load_demo("mirror-cell-sides").value().machine;
        Readings at = machine.home();
        // The turning head: its tool's axis 132.5 below the face, 48.15 out along it; level, whatever its scale says.
        const std::uint32_t turning = *machine.find_tool_mount("turn-head");
        for (const double degrees : {0.0, 90.0, 237.0}) {
            at[Eigen::Index(machine.find_joint("H")->value)] = to_rad(degrees);
            const HeadSketch s = sketch_of(machine, turning, at, 60);
            QVERIFY(near(s.drop, 132.5) && near(s.reach, 48.15) && near(to_deg(s.leans), 90));
            QVERIFY(near(s.tip_drop, 132.5) && near(s.tip_reach, 108.15));
            // It points away from where its tool's axis leads to: at 0 towards the operator, its axis +Y.
            const Vec3 wanted = Eigen::AngleAxisd(to_rad(degrees), -Vec3::UnitZ()) * Vec3::UnitY();
            QVERIFY((s.tool_axis - wanted).norm() < 1e-9);
            QVERIFY(s.measured);
        }
        const HeadSketch side = sketch_of(machine, *machine.find_tool_mount("side-head"), at, 0);
        QVERIFY(near(side.drop, 118.02) && near(side.reach, 52.4));
        QVERIFY(!sketch_of(machine, *machine.find_tool_mount("long-head"), at, 0).measured);
        const HeadSketch bare = sketch_of(machine, machine.at_rest().mount, at, 100);
        QVERIFY(near(bare.drop, 0) && near(bare.reach, 0) && near(bare.leans, 0) && near(bare.tip_drop, 100) && near(bare.tip_reach, 0));
        QCOMPARE(hand_joints(machine, turning).size(), std::size_t(1));
        QCOMPARE(machine.joints[hand_joints(machine, turning)[0].value].id, std::string("H"));
        QVERIFY(hand_joints(machine, machine.at_rest().mount).empty());
    }

    void scales_turn_mark_by_mark()
    {
        Joint joint;
        joint.by_hand = true;
        joint.scale.low = 0;
        joint.scale.high = whole_turn;
        joint.scale.step = to_rad(5);
        const auto turned = [&](double degrees, int steps) { return to_deg(turned_by_steps(joint, to_rad(degrees), steps)); };
        QVERIFY(near(turned(90, 1), 95));
        QVERIFY(near(turned(91, 1), 95)); // from between two marks, by the nearer one
        QVERIFY(near(turned(355, 2), 5)); // right round
        QVERIFY(near(turned(0, -1), 355));
        joint.scale.low = to_rad(-30);
        joint.scale.high = to_rad(120);
        QVERIFY(near(turned(115, 10), 120)); // a scale that ends
        QVERIFY(near(turned(-25, -10), -30));
        joint.scale.step = 0; // set anywhere: a degree a step
        QVERIFY(near(turned(10.25, 3), 13.25));
    }
};

WEXILUM_TEST(TestHeadSketch)

} // namespace test_head_sketch
#include "test_head_sketch.moc"
