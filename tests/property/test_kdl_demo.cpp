// The demo's machines with attachments and aligned joints against Orocos KDL chains typed in from their drawings, and backwards with some
// joints held.
#include "core/base/units.hpp"
#include "core/solve/inverse.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>
#include <kdl/chain.hpp>
#include <kdl/chainfksolverpos_recursive.hpp>

#include <array>
#include <cmath>
#include <functional>
#include <map>
#include <optional>
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

    /// The code of ruled cuts, its joints in proportion from block to block, by the drawing of Tarn 5T alone: the tip runs on the lower
    /// curve, and the tool points to the upper one.
    void ruled_cuts_lie_on_their_surface()
    {
        const auto a = load_demo("mirror-edge").value();
        Drawing d;
        d.turn("C", ez, {8.75, 1.5, -85.25});
        d.turn("B", ey, {-8.75, -1.5, 85.25});
        d.slide("X", ex);
        d.slide("Y", ey);
        d.slide("Z", ez, {0, 0, 560});
        KDL::ChainFkSolverPos_recursive solver(d.chain);
        const double length = 142.315;
        const std::map<char, double> zero{{'X', 6}, {'Y', -4}, {'Z', -530 + length}, {'B', 0}, {'C', 0}};
        const auto pose = [&](const std::map<char, double>& words) {
            KDL::JntArray joints(5);
            for (unsigned j = 0; j < 5; ++j) {
                const char letter = d.joints[j][0];
                joints(j) = (words.at(letter) + zero.at(letter)) * (letter < 'X' ? M_PI / 180 : 1);
            }
            KDL::Frame frame;
            solver.JntToCart(joints, frame);
            const KDL::Vector tip = frame * KDL::Vector(0, 0, -length) - KDL::Vector(6, -4, 30); // of the part
            const KDL::Vector axis = frame.M * KDL::Vector(0, 0, 1);
            return std::pair(Vec3(tip.x(), tip.y(), tip.z()), Vec3(axis.x(), axis.y(), axis.z()));
        };
        // From the place of a tip on each lower curve to the upper curve. Nothing beside it.
        using Ruling = std::optional<Vec3>;
        const double near = 0.0063; // mm: the job's tolerance and the words' own digits
        const std::vector<std::function<Ruling(const Vec3&)>> surfaces{
            [&](const Vec3& p) {
                const double r = std::hypot(p.x(), p.y());
                return std::hypot(r - 138, p.z() + 14) < near ? Ruling(Vec3(10 * p.x() / r, 10 * p.y() / r, 50)) : Ruling();
            },
            [&](const Vec3& p) {
                const double s = (p.x() + 40) / 80;
                return std::hypot(p.y() + 60, p.z() - 15.5) < near && s > -1e-6 && s < 1 + 1e-6 ? Ruling(Vec3(0, 4 + 12 * s, 40))
                                                                                                : Ruling();
            },
            [&](const Vec3& p) {
                const double s = std::atan2(p.y() + 40, p.x() - 40) / (M_PI / 2);
                const double off = std::hypot(std::hypot(p.x() - 40, p.y() + 40) - 20, p.z() - 15.5);
                return off < near && s > -1e-4 && s < 1 + 1e-4
                           ? Ruling(Vec3(24 - 24 * s - 20 * std::cos(s * M_PI / 2), 24 * s - 20 * std::sin(s * M_PI / 2), 40))
                           : Ruling();
            }};
        std::array<double, 3> way{};
        std::array<double, 3> worst{};
        std::map<char, double> at{{'X', 0}, {'Y', 0}, {'Z', 0}, {'B', 0}, {'C', 0}};
        for (const std::string& line : lines_of(code_of(a))) {
            auto to = at;
            if (line.find('(') == std::string::npos && line.find("G53") == std::string::npos) {
                for (std::size_t i = 0; i + 1 < line.size(); ++i) {
                    if (to.contains(line[i])) {
                        to[line[i]] = std::stod(line.substr(i + 1));
                    }
                }
            }
            const Vec3 from = pose(at).first;
            for (std::size_t k = 0; k < surfaces.size() && to != at && (pose(to).first - from).norm() > 0.01; ++k) {
                double axis_off = 0;
                bool on = true;
                for (int i = 0; i <= 10 && on; ++i) {
                    auto between = at;
                    for (auto& [letter, value] : between) {
                        value += (to[letter] - value) * i / 10;
                    }
                    const auto [tip, axis] = pose(between);
                    const Ruling ruling = surfaces[k](tip);
                    on = ruling.has_value();
                    axis_off = on ? std::max(axis_off, angle_between(axis, *ruling)) : 0;
                }
                way[k] += on ? (pose(to).first - from).norm() : 0;
                worst[k] = on ? std::max(worst[k], axis_off) : worst[k];
            }
            at = to;
        }
        qInfo("mm on each: %.3f %.3f %.3f, deg beside it: %.5f %.5f %.5f", way[0], way[1], way[2], to_deg(worst[0]), to_deg(worst[1]),
              to_deg(worst[2]));
        // Chords of the whole circle, the whole line and the whole quarter; each block within the tolerances of the job, 0.005 mm and
        // 0.002 deg, and the words' digits.
        QVERIFY(way[0] > 276 * M_PI - 0.2 && way[0] < 276 * M_PI + 0.01);
        QVERIFY(std::abs(way[1] - 80) < 0.01);
        QVERIFY(way[2] > 10 * M_PI - 0.02 && way[2] < 10 * M_PI + 0.01);
        QVERIFY(*std::max_element(worst.begin(), worst.end()) < to_rad(0.0035));
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
