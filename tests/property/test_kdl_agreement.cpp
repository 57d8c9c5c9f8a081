// Our kinematics against Orocos KDL chains typed in from the drawings (not made by our parser), and against itself backwards.
#include "core/base/units.hpp"
#include "core/solve/inverse.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>
#include <kdl/chain.hpp>
#include <kdl/chainfksolverpos_recursive.hpp>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_kdl_agreement {

namespace {

constexpr unsigned seed = 20261125;
constexpr int poses = 100000 / WEXILUM_EVERY;

// A chain from the work's frame to the tool's. KDL's segments turn about an axis through their own root.
struct Twin {
    KDL::Chain chain;
    std::vector<std::string> joints; // in the chain's order
    std::vector<double> signs;       // chain joint = sign * reading
    double tool_offset = 0;          // from the last frame down to the gauge point, along its z
};

KDL::Segment turn(const KDL::Vector& axis, const KDL::Vector& then)
{
    return KDL::Segment(KDL::Joint(KDL::Vector::Zero(), axis, KDL::Joint::RotAxis), KDL::Frame(then));
}
KDL::Segment slide(const KDL::Vector& axis, const KDL::Vector& then)
{
    return KDL::Segment(KDL::Joint(KDL::Vector::Zero(), axis, KDL::Joint::TransAxis), KDL::Frame(then));
}
KDL::Segment fixed(const KDL::Vector& step) { return KDL::Segment(KDL::Joint(KDL::Joint::None), KDL::Frame(step)); }

const KDL::Vector ex(1, 0, 0);
const KDL::Vector ey(0, 1, 0);
const KDL::Vector ez(0, 0, 1);
const KDL::Vector none(0, 0, 0);

void slides(Twin& twin, const KDL::Vector& then)
{
    twin.chain.addSegment(slide(ex, none));
    twin.chain.addSegment(slide(ey, none));
    twin.chain.addSegment(slide(ez, then));
    for (const char* id : {"X", "Y", "Z"}) {
        twin.joints.emplace_back(id);
        twin.signs.push_back(1);
    }
}

// Drawing: work frame at the base's origin; C through (30, -20, 0), then B through (10, 0, -75), then the column, gauge point (0, 0, 500).
// The work lies at the chain's root, and both tables read as the tool moves over the work: positive turns about +Z, then +Y.
Twin table_table()
{
    Twin twin;
    twin.chain.addSegment(fixed({30, -20, 0}));
    twin.chain.addSegment(turn(ez, KDL::Vector(10 - 30, 0 + 20, -75)));
    twin.chain.addSegment(turn(ey, KDL::Vector(-10, 0, 75)));
    twin.joints = {"C", "B"};
    twin.signs = {1, 1};
    slides(twin, {0, 0, 500});
    return twin;
}

// Drawing: column, then C through (0, 0, 800), then B through (12, 0, 620), gauge point (12, 0, 500). The heads move as they read.
Twin head_head()
{
    Twin twin;
    slides(twin, {0, 0, 800});
    twin.chain.addSegment(turn(ez, KDL::Vector(12, 0, 620 - 800)));
    twin.chain.addSegment(turn(ey, KDL::Vector(0, 0, 500 - 620)));
    twin.joints.insert(twin.joints.end(), {"C", "B"});
    twin.signs.insert(twin.signs.end(), {1, 1});
    return twin;
}

// Drawing: table frame on C's axis at (40, 25, 0); column; B through (0, 0, 600); gauge point (0, 0, 500).
Twin head_table()
{
    Twin twin;
    twin.chain.addSegment(turn(ez, KDL::Vector(-40, -25, 0)));
    twin.joints = {"C"};
    twin.signs = {1};
    slides(twin, {0, 0, 600});
    twin.chain.addSegment(turn(ey, KDL::Vector(0, 0, -100)));
    twin.joints.emplace_back("B");
    twin.signs.push_back(1);
    return twin;
}

// Drawing: table C on the origin; column; A about (0, 1, 1)/sqrt 2 through (0, 0, 560); gauge point (0, 0, 500).
Twin nutating()
{
    Twin twin;
    twin.chain.addSegment(turn(ez, none));
    twin.joints = {"C"};
    twin.signs = {1};
    slides(twin, {0, 0, 560});
    twin.chain.addSegment(turn(KDL::Vector(0, std::sqrt(0.5), std::sqrt(0.5)), KDL::Vector(0, 0, -60)));
    twin.joints.emplace_back("A");
    twin.signs.push_back(1);
    return twin;
}

struct Pair {
    const char* name;
    std::string (*json)();
    Twin (*twin)();
};
const std::vector<Pair> pairs{{"table-table", table_table_json, table_table},
                              {"head-head", head_head_json, head_head},
                              {"head-table", head_table_json, head_table},
                              {"nutating", nutating_json, nutating}};

Readings random_readings(const Machine& machine, std::mt19937_64& random)
{
    Readings readings(machine.joints.size());
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const double low = machine.joints[i].travel->low;
        const double high = machine.joints[i].travel->high;
        readings[i] = std::uniform_real_distribution<double>(low, high)(random);
    }
    return readings;
}

void rows()
{
    QTest::addColumn<int>("index");
    for (std::size_t i = 0; i < pairs.size(); ++i) {
        QTest::newRow(pairs[i].name) << int(i);
    }
}

} // namespace

class TestKdlAgreement : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase() { qInfo("seed %u", seed); }

    void forward_data() { rows(); }
    void forward()
    {
        QFETCH(int, index);
        const Pair& pair = pairs[std::size_t(index)];
        const Machine machine = machine_from(pair.json());
        const Kinematics ours = Kinematics::make(machine).value();
        const Twin twin = pair.twin();
        KDL::ChainFkSolverPos_recursive theirs(twin.chain);
        std::mt19937_64 random(seed);
        double worst_tip = 0;
        double worst_axis = 0;
        for (int n = 0; n < poses; ++n) {
            const Readings readings = random_readings(machine, random);
            const double length = std::uniform_real_distribution<double>(0, 250)(random);
            KDL::JntArray joints(unsigned(twin.joints.size()));
            for (unsigned j = 0; j < twin.joints.size(); ++j) {
                joints(j) = twin.signs[j] * readings[machine.find_joint(twin.joints[j])->value];
            }
            KDL::Frame frame;
            QVERIFY(theirs.JntToCart(joints, frame) >= 0);
            const KDL::Vector tip = frame * KDL::Vector(0, 0, -length);
            const KDL::Vector axis = frame.M * KDL::Vector(0, 0, 1);
            const Pose pose = ours.pose(readings, length);
            worst_tip = std::max(worst_tip, (pose.tip - Vec3(tip.x(), tip.y(), tip.z())).norm());
            worst_axis = std::max(worst_axis, angle_between(pose.axis, Vec3(axis.x(), axis.y(), axis.z())));
        }
        qInfo("%s: %d poses, worst %.2e mm, %.2e rad", pair.name, poses, worst_tip, worst_axis);
        QVERIFY(worst_tip < 1e-9);
        QVERIFY(worst_axis < 1e-9);
    }

    void backwards_data() { rows(); }
    void backwards() // forward(inverse(pose)) = pose for every branch; the readings we came from are found whenever they fit
    {
        QFETCH(int, index);
        const Pair& pair = pairs[std::size_t(index)];
        const Machine machine = machine_from(pair.json());
        const Kinematics kinematics = Kinematics::make(machine).value();
        const InverseSolver solver = InverseSolver::make(kinematics).value();
        std::mt19937_64 random(seed + 1);
        double worst_tip = 0;
        double worst_axis = 0;
        int two_branches = 0;
        for (int n = 0; n < poses; ++n) {
            const Readings readings = random_readings(machine, random);
            const Pose pose = kinematics.pose(readings, 80);
            const Candidates all = solver.solve(pose, 80, readings);
            QVERIFY(!all.list.empty());
            two_branches += all.list.size() == 2 ? 1 : 0;
            double nearest = 1e9;
            for (const Candidate& c : all.list) {
                const Pose back = kinematics.pose(c.readings, 80);
                worst_tip = std::max(worst_tip, (back.tip - pose.tip).norm());
                worst_axis = std::max(worst_axis, angle_between(back.axis, pose.axis));
                nearest = std::min(nearest, (c.readings - readings).cwiseAbs().maxCoeff());
            }
            if (n % 5 == 0) { // what is inside travel is found without knowing where it is, the other branch as well
                const auto inside = solver.within_travel(pose, 80, machine.home());
                for (const Candidate& c : all.list) {
                    double far = 1e9;
                    for (const Candidate& found : inside) {
                        far = std::min(far, (found.readings - c.readings).cwiseAbs().maxCoeff());
                    }
                    const bool fits = overtravels(machine, c.readings).empty();
                    QVERIFY2(!fits || far < 1e-6 || c.pole < 1e-3, qPrintable(QString("pose %1: %2").arg(n).arg(far)));
                }
            }
            // Near a pole or a reach limit the readings themselves are badly conditioned; the pose above is not.
            if (all.list.front().pole > 1e-3 && all.list.size() == 2 &&
                (all.list[0].readings - all.list[1].readings).cwiseAbs().maxCoeff() > 1e-2) {
                QVERIFY2(nearest < 1e-6, qPrintable(QString("pose %1: %2 off").arg(n).arg(nearest)));
            }
        }
        qInfo("%s: worst %.2e mm, %.2e rad, two branches in %d of %d", pair.name, worst_tip, worst_axis, two_branches, poses);
        QVERIFY(worst_tip < 1e-9);
        QVERIFY(worst_axis < 1e-9);
        QVERIFY(two_branches > poses - 10);
    }

    void jacobian_data() { rows(); }
    void jacobian() // differences of the forward kinematics
    {
        QFETCH(int, index);
        const Machine machine = machine_from(pairs[std::size_t(index)].json());
        const Kinematics kinematics = Kinematics::make(machine).value();
        std::mt19937_64 random(seed + 2);
        for (int n = 0; n < 200; ++n) {
            const Readings readings = random_readings(machine, random);
            const auto columns = kinematics.tip_jacobian(readings, 120);
            for (Eigen::Index j = 0; j < readings.size(); ++j) {
                const double step = 1e-5;
                Readings more = readings;
                Readings less = readings;
                more[j] += step;
                less[j] -= step;
                const Vec3 slope = (kinematics.pose(more, 120).tip - kinematics.pose(less, 120).tip) / (2 * step);
                QVERIFY((slope - columns.col(j)).norm() < 1e-5);
            }
        }
    }
};

WEXILUM_TEST(TestKdlAgreement)

} // namespace test_kdl_agreement
#include "test_kdl_agreement.moc"
