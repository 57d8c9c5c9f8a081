// The demo's machines with attachments and aligned joints against Orocos KDL chains typed in from their drawings, and backwards with some
// joints held.
#include "core/base/units.hpp"
#include "core/solve/inverse.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>
#include <kdl/chain.hpp>
#include <kdl/chainfksolverpos_recursive.hpp>

#include <cmath>
#include <functional>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_kdl_demo {

namespace {

constexpr unsigned seed = 20261127;
constexpr int poses = 100000 / WEXILUM_EVERY;

const KDL::Vector ex(1, 0, 0);
const KDL::Vector ey(0, 1, 0);
const KDL::Vector ez(0, 0, 1);
const KDL::Vector none(0, 0, 0);

/// A chain from the work's frame to the gauge point, z from the tip to the holder.
struct Drawing {
    KDL::Chain chain;
    std::vector<std::string> joints; ///< in the chain's order
    void turn(const char* joint, const KDL::Vector& axis, const KDL::Vector& then)
    {
        chain.addSegment(KDL::Segment(KDL::Joint(none, axis, KDL::Joint::RotAxis), KDL::Frame(then)));
        joints.emplace_back(joint);
    }
    void slide(const char* joint, const KDL::Vector& axis, const KDL::Vector& then = none)
    {
        chain.addSegment(KDL::Segment(KDL::Joint(none, axis, KDL::Joint::TransAxis), KDL::Frame(then)));
        joints.emplace_back(joint);
    }
    void end(const KDL::Rotation& turned, const KDL::Vector& at = none)
    {
        chain.addSegment(KDL::Segment(KDL::Joint(KDL::Joint::None), KDL::Frame(turned, at)));
    }
};

struct Row {
    const char* name;
    const char* job;
    const char* mount;
    Drawing (*drawing)();
    bool blade = false; ///< lengths count along x
};

const std::vector<Row> drawings{
    // Table in X and Y, head in Z; spindle's face 620 above the table. The head turns about the spindle, clockwise seen from above, its
    // tool 132.5 below the face and pointing towards the operator at 0; 48.15 from there to the face of the head.
    {"Tarn 3, turning head", "mirror-cell-sides", "turn-head",
     [] {
         Drawing d;
         d.slide("X", ex);
         d.slide("Y", ey);
         d.slide("Z", ez, {0, 0, 620 - 132.5});
         d.turn("H", -ez, {0, -48.15, 0});
         d.end(KDL::Rotation::RotX(-pi / 2));
         return d;
     }},
    {"Tarn 3, side head", "mirror-cell-sides", "side-head",
     [] {
         Drawing d;
         d.slide("X", ex);
         d.slide("Y", ey);
         d.slide("Z", ez, {-52.4, 0, 620 - 118.02});
         d.end(KDL::Rotation::RotY(pi / 2));
         return d;
     }},
    // The work turns about A through (-20.5, -260), its frame 40 in front of the zero of X; gauge point at the head's zero.
    {"Brae 4R", "setting-circle", "spindle",
     [] {
         Drawing d;
         d.turn("A", -ex, {-40, 20.5, 260});
         d.slide("X", ex);
         d.slide("Y", ey);
         d.slide("Z", ez);
         return d;
     }},
    // Table turned about +Y as the tool moves over it, gauge point 300 above it and 200 from its axis with all at zero.
    {"Fell 4", "fork-arm", "spindle",
     [] {
         Drawing d;
         d.turn("B", ey, {0, 300, 200});
         d.slide("X", ex);
         d.slide("Z", ez);
         d.slide("Y", ey);
         d.slide("W", ez);
         d.slide("R", ez);
         return d;
     }},
    // Table turned about Z as the tool moves over it; the gauge point 600 above it. The head nutates about an axis half-way between Y and
    // Z, which passes the spindle's axis 0.04 behind, 165 above the gauge point.
    {"Tarn 5H", "focuser-hub", "spindle",
     [] {
         Drawing d;
         d.turn("C", ez, none);
         d.slide("Y", ey);
         d.slide("X", ex);
         d.slide("Z", ez, {0, 0.04, 765});
         d.turn("B", (ey + ez) / std::sqrt(2.0), {0, -0.04, -165});
         return d;
     }},
    // Turntable 3.75, -1.5 beside the head's zero, carried by a trunnion about Y through 12.5, -85.25; both as the tool moves over the
    // work. The spindle swivels about Y, 200 above the gauge point.
    {"Tarn 5T with swivel head", "mirror-back-swivel", "spindle",
     [] {
         Drawing d;
         d.turn("C", ez, {8.75, 1.5, -85.25});
         d.turn("B", ey, {-8.75, -1.5, 85.25});
         d.slide("X", ex);
         d.slide("Y", ey);
         d.slide("Z", ez, {0, 0, 760});
         d.turn("D", ey, {0, 0, -200});
         return d;
     }},
    // The blade's centre 600 above the table, on the axis that it is turned about; at zero it cuts along X.
    {"Holm S", "pier-cap", "saw",
     [] {
         Drawing d;
         d.slide("X", ex);
         d.slide("Y", ey);
         d.slide("Z", ez, {0, 0, 600});
         d.turn("C", ez, none);
         d.end(KDL::Rotation(ez, -ey, ex));
         return d;
     },
     true},
};

Readings random_readings(const Machine& machine, std::mt19937_64& random)
{
    Readings readings(machine.joints.size());
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        const Travel travel = joint.travel.value_or(Travel{-3 * pi, 3 * pi});
        const double reading = std::uniform_real_distribution<double>(travel.low, travel.high)(random);
        // One in eight stands on a quarter turn or at an end.
        readings[i] = random() % 8 != 0                 ? reading
                      : joint.kind == JointKind::rotary ? std::round(reading / (pi / 2)) * (pi / 2)
                                                        : travel.low;
    }
    return readings;
}

} // namespace

class TestKdlDemo : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase() { qInfo("seed %u", seed); }

    void forward_data() { rows(); }
    void forward()
    {
        QFETCH(int, index);
        const Row& row = drawings[std::size_t(index)];
        const Machine machine = load_demo(row.job).value().machine;
        const Kinematics ours = Kinematics::make(machine, {*machine.find_tool_mount(row.mount), {}}).value();
        const Drawing drawing = row.drawing();
        KDL::ChainFkSolverPos_recursive theirs(drawing.chain);
        std::mt19937_64 random(seed);
        double worst_tip = 0;
        double worst_axis = 0;
        for (int n = 0; n < poses; ++n) {
            const Readings readings = random_readings(machine, random);
            const double length = std::uniform_real_distribution<double>(0, 250)(random);
            KDL::JntArray joints(unsigned(drawing.joints.size()));
            for (unsigned j = 0; j < drawing.joints.size(); ++j) {
                joints(j) = readings[machine.find_joint(drawing.joints[j])->value];
            }
            KDL::Frame frame;
            QVERIFY(theirs.JntToCart(joints, frame) >= 0);
            const KDL::Vector tip = frame * (row.blade ? KDL::Vector(-length, 0, 0) : KDL::Vector(0, 0, -length));
            const KDL::Vector axis = frame.M * KDL::Vector(0, 0, 1);
            const Pose pose = ours.pose(readings, length);
            worst_tip = std::max(worst_tip, (pose.tip - Vec3(tip.x(), tip.y(), tip.z())).norm());
            worst_axis = std::max(worst_axis, angle_between(pose.axis, Vec3(axis.x(), axis.y(), axis.z())));
        }
        qInfo("%s: %d poses, worst %.2e mm, %.2e rad", row.name, poses, worst_tip, worst_axis);
        QVERIFY(worst_tip < 1e-9 && worst_axis < 1e-9);
    }

    void backwards_data() { rows(); }
    void backwards() // what is not needed for a pose is held at random; the readings we came from are found again
    {
        QFETCH(int, index);
        const Row& row = drawings[std::size_t(index)];
        const Machine machine = load_demo(row.job).value().machine;
        const std::uint32_t mount = *machine.find_tool_mount(row.mount);
        const Kinematics whole = Kinematics::make(machine, {mount, {}}).value();
        std::mt19937_64 random(seed + 1);
        double worst_tip = 0;
        double worst_axis = 0;
        double worst_reading = 0;
        for (int n = 0; n < poses / 10; ++n) { // a solver of its own for each
            const Readings readings = random_readings(machine, random);
            Posture posture{mount, {}};
            std::vector<JointIndex> aligned; // of the last linear joint
            for (const auto& link : whole.links()) {
                const Joint& joint = machine.joints[link.joint.value];
                const bool last = joint.direction.cross(machine.joints[whole.links().back().joint.value].direction).norm() < 1e-9;
                if (joint.by_hand || joint.id == "D") { // of three that turn one is held
                    posture.held.push_back({link.joint, readings[Eigen::Index(link.joint.value)]});
                } else if (joint.kind == JointKind::linear && last) {
                    aligned.push_back(link.joint);
                }
            }
            const std::size_t works = aligned.empty() ? 0 : random() % aligned.size();
            for (std::size_t i = 0; i < aligned.size(); ++i) {
                if (i != works) {
                    posture.held.push_back({aligned[i], readings[Eigen::Index(aligned[i].value)]});
                }
            }
            const InverseSolver solver = InverseSolver::make(Kinematics::make(machine, posture).value()).value();
            const Pose pose = whole.pose(readings, 80);
            const Candidates all = solver.solve(pose, 80, readings);
            QVERIFY(!all.list.empty() && all.list.size() <= (solver.rotary().size() == 2 ? 2U : 1U));
            const Candidate* nearest = &all.list.front();
            for (const Candidate& candidate : all.list) {
                const auto far = [&](const Candidate& c) { return (c.readings - readings).cwiseAbs().maxCoeff(); };
                nearest = far(candidate) < far(*nearest) ? &candidate : nearest;
                const Pose other = whole.pose(candidate.readings, 80); // the other branch holds the same pose
                worst_tip = std::max(worst_tip, (other.tip - pose.tip).norm());
            }
            const Pose back = whole.pose(nearest->readings, 80);
            worst_tip = std::max(worst_tip, (back.tip - pose.tip).norm());
            worst_axis = std::max(worst_axis, angle_between(back.axis, pose.axis));
            if (nearest->pole > 0.01) { // nearer to a pole the readings depend on the last digits of the axis
                worst_reading = std::max(worst_reading, (nearest->readings - readings).cwiseAbs().maxCoeff());
            }
        }
        qInfo("%s: worst %.2e mm, %.2e rad, reading %.2e", row.name, worst_tip, worst_axis, worst_reading);
        QVERIFY(worst_tip < 1e-9 && worst_axis < 1e-9 && worst_reading < 1e-8);
    }

private:
    static void rows()
    {
        QTest::addColumn<int>("index");
        for (std::size_t i = 0; i < drawings.size(); ++i) {
            QTest::newRow(drawings[i].name) << int(i);
        }
    }
};

WEXILUM_TEST(TestKdlDemo)

} // namespace test_kdl_demo
#include "test_kdl_demo.moc"
