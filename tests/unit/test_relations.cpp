// Joints that follow others: where they bring the tool (by hand and against KDL), what they leave of travel and speed, code for machines
// that have them, and what the replay makes of a relation that is not as the machine has it.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/follow/code_run.hpp"
#include "core/follow/contact_report.hpp"
#include "core/machine/kinematics.hpp"
#include "core/machine/machine_form.hpp"
#include "core/machine/overlay.hpp"
#include "core/machine/witness_advice.hpp"
#include "core/motion/rapid_way.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/inverse.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <fmt/format.h>
#include <kdl/chain.hpp>
#include <kdl/chainfksolverpos_recursive.hpp>
#include <kdl/chainjnttojacsolver.hpp>

#include <algorithm>
#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_relations {

namespace {

constexpr unsigned seed = 20261201;
const std::string holm = "machines/holm-s.json";

/// A mill whose ram goes out in two steps: Z2 is in Z and goes a quarter of its way; `Y2` stands for the second drive of Y, beside the
/// chain.
std::string ram_mill(const std::string& z2 = R"("follows": {"leaders": {"Z": 0.25}})", const std::string& y2 = R"(, "travel": [-250, 310])",
                     const std::string& tip = "[30, -40, 100]")
{
    return fmt::format(R"({{"format": "machine/1", "units": {{"length": "mm", "angle": "deg"}}, "name": "ram mill",
 "joints": [
  {{"id": "X", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "travel": [-400, 400], "speed": 18000}},
  {{"id": "Y", "kind": "linear", "parent": "X", "direction": [0, 1, 0], "travel": [-300, 300], "speed": 18000, "acceleration": 2000}},
  {{"id": "Y2", "kind": "linear", "parent": "base", "direction": [0, 1, 0], "follows": {{"leaders": {{"Y": 1}}}}, "speed": 12000, "acceleration": 3000{}}},
  {{"id": "Z", "kind": "linear", "parent": "Y", "direction": [0, 0, 1], "travel": [-400, 0], "speed": 12000}},
  {{"id": "Z2", "kind": "linear", "parent": "Z", "direction": [0, 0, 1], {}}}],
 "mounts": [
  {{"id": "spindle", "kind": "tool", "parent": "Z2", "point": [0, 0, 500], "z": [0, 0, 1], "x": [1, 0, 0]}},
  {{"id": "table", "kind": "work", "parent": "base", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]}}],
 "retract": "Z",
 "witnesses": [{{"name": "down", "readings": {{"X": 30, "Y": -40, "Z": -240}}, "tool_length": 100, "tip": {}, "axis": [0, 0, 1]}}]}})",
                       y2, z2, tip);
}

Result<Machine> read(const std::string& text) { return read_machine(json::Document::parse(text, "m.json").value()); }

/// A chain of a turning table and a head, in which the follower F of three leaders stands in the middle; its factors are typed in.
struct Mixed {
    double of_a;
    double of_x;
    double of_c;
    double offset;
};

Machine mixed_machine(bool turns, const Mixed& by)
{
    const double at = by.offset; // all leaders are drawn at zero
    std::string leaders;
    for (const auto& [id, factor] : {std::pair("A", by.of_a), std::pair("X", by.of_x), std::pair("C", by.of_c)}) {
        leaders += factor == 0 ? "" : fmt::format("{}\"{}\": {}", leaders.empty() ? "" : ", ", id, factor);
    }
    const std::string text = fmt::format(
        R"({{"format": "machine/1", "units": {{"length": "mm", "angle": "rad"}}, "name": "mixed",
 "joints": [
  {{"id": "C", "kind": "rotary", "parent": "base", "direction": [0, 0, 1], "point": [5, -7, 0], "speed": 600}},
  {{"id": "X", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "travel": [-400, 400], "speed": 18000}},
  {{"id": "F", "kind": "{}", "parent": "X", "direction": [0, 0.6, 0.8], "point": [1, 2, 40], "at": {},
    "follows": {{"leaders": {{{}}}, "offset": {}}}}},
  {{"id": "A", "kind": "rotary", "parent": "F", "direction": [1, 0, 0], "point": [0, 11, 90], "speed": 600}},
  {{"id": "Y", "kind": "linear", "parent": "A", "direction": [0, 0.8, -0.6], "travel": [-300, 300], "speed": 18000}}],
 "mounts": [
  {{"id": "spindle", "kind": "tool", "parent": "Y", "point": [3, 4, 200], "z": [0, 0, 1], "x": [1, 0, 0]}},
  {{"id": "table", "kind": "work", "parent": "C", "point": [10, 20, 30], "z": [0, 0, 1], "x": [1, 0, 0]}}],
 "witnesses": [{{"name": "as drawn", "readings": {{"C": 0, "X": 0, "A": 0, "Y": 0}}, "tool_length": 0, "tip": [-7, -16, 170], "axis": [0, 0, 1]}}]}})",
        turns ? "rotary" : "linear", at, leaders, by.offset);
    const auto machine = read(text);
    if (!machine) {
        qFatal("%s", machine.error().message.c_str());
    }
    return *machine;
}

KDL::Vector kdl(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

/// One joint as KDL has it: its own frame put back, so that it moves about where it was drawn.
void add(KDL::Chain& chain, bool turns, const Vec3& direction, const Vec3& point, double scale)
{
    chain.addSegment(KDL::Segment(KDL::Joint(kdl(point), kdl(direction), turns ? KDL::Joint::RotAxis : KDL::Joint::TransAxis, scale)));
}

/// The same machine typed once more, from the work to the tool: C turns the work, so backwards.
KDL::Chain mixed_chain(bool turns)
{
    KDL::Chain chain;
    chain.addSegment(KDL::Segment(KDL::Joint(KDL::Joint::Fixed), KDL::Frame(KDL::Vector(-10, -20, -30))));
    add(chain, true, {0, 0, 1}, {5, -7, 0}, -1);
    add(chain, false, {1, 0, 0}, {0, 0, 0}, 1);
    add(chain, turns, {0, 0.6, 0.8}, {1, 2, 40}, 1);
    add(chain, true, {1, 0, 0}, {0, 11, 90}, 1);
    add(chain, false, {0, 0.8, -0.6}, {0, 0, 0}, 1);
    chain.addSegment(KDL::Segment(KDL::Joint(KDL::Joint::Fixed), KDL::Frame(KDL::Vector(3, 4, 200))));
    return chain;
}

std::string message_of(const std::string& text)
{
    const auto machine = read(text);
    return machine ? "it is read" : machine.error().message;
}

/// The demo's saw with a ram that goes out in two steps, Z2 a quarter of Z's way: what Z has to read comes to 4/5, in the readings of the
/// witnesses, in the travel and in the zero of the register.
std::vector<Edit> two_step_ram(const std::string& factor = "0.25")
{
    return {{holm, R"({"id": "C", "kind": "rotary", "parent": "Z",)",
             R"({"id": "Z2", "kind": "linear", "parent": "Z", "direction": [0, 0, 1], "follows": {"leaders": {"Z": )" + factor +
                 R"(}}}, {"id": "C", "kind": "rotary", "parent": "Z2",)"},
            {holm, R"("Y": -50, "Z": -200,)", R"("Y": -50, "Z": -160,)"},
            {holm, R"("Y": 0, "Z": -350,)", R"("Y": 0, "Z": -280,)"},
            {holm, R"({"X": 0, "Y": 0, "Z": -100, "C": 0})", R"({"X": 0, "Y": 0, "Z": -80, "C": 0})"},
            {holm, R"({"X": 50, "Y": 0, "Z": -100, "C": 90})", R"({"X": 50, "Y": 0, "Z": -80, "C": 90})"}};
}

/// The values of a letter's words, in their order.
std::vector<double> values_of(const std::string& code, char letter)
{
    std::vector<double> out;
    for (const std::string& line : lines_of(code)) {
        if (line.find('(') != std::string::npos || line.find("G53") != std::string::npos) {
            continue;
        }
        const std::size_t at = line.find(letter);
        if (at != std::string::npos) {
            out.push_back(std::stod(line.substr(at + 1)));
        }
    }
    return out;
}

} // namespace

class TestRelations : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_ram_in_two_steps() // Z at -240 brings Z2 to -60: the face stands at 500 - 300, the tip 100 below it
    {
        const auto machine = read(ram_mill());
        QVERIFY2(machine, machine ? "" : machine.error().message.c_str());
        const Kinematics kinematics = Kinematics::make(*machine).value();
        Readings readings(5);
        readings << 30, -40, 1e6, -240, 777; // what the followers are said to read is not looked at
        const Pose pose = kinematics.pose(readings, 100);
        QVERIFY((pose.tip - Vec3(30, -40, 100)).norm() < 1e-12);
        bring_followers(*machine, readings);
        QCOMPARE(readings[2], -40.0);
        QCOMPARE(readings[4], -60.0);
        const auto frames = joint_frames(*machine, readings);
        QCOMPARE(frames[2].translation().y(), -40.0);
        QCOMPARE(frames[4].translation().z(), -300.0);
        QCOMPARE(kinematics.links().size(), std::size_t(4));
        QCOMPARE(kinematics.driving().size(), std::size_t(3)); // X, Y, Z
        QCOMPARE(kinematics.way_of(JointIndex(3)), Vec3(0, 0, 1.25));
        const auto columns = kinematics.jacobian(readings, 100);
        QVERIFY((columns.col(3).head<3>() - Vec3(0, 0, 1.25)).norm() < 1e-12);
        QVERIFY(columns.col(4).norm() == 0 && columns.col(2).norm() == 0);
    }

    void a_leader_that_is_held_holds_its_follower()
    {
        const Machine machine = read(ram_mill()).value();
        Posture posture = machine.at_rest();
        posture.held = {{JointIndex(3), -120}, {JointIndex(4), 55}}; // a follower is never held by itself
        const Kinematics kinematics = Kinematics::make(machine, posture).value();
        QCOMPARE(kinematics.driving().size(), std::size_t(2));
        QVERIFY((kinematics.pose(machine.home(), 0).tip - Vec3(0, 0, 350)).norm() < 1e-12);
    }

    void against_kdl_data()
    {
        QTest::addColumn<bool>("turns");
        QTest::newRow("a linear follower") << false;
        QTest::newRow("a rotary follower") << true;
    }
    void against_kdl() // pose and Jacobian of a chain whose follower has three leaders, also outside what lies before it; and differences
    {
        QFETCH(bool, turns);
        std::mt19937_64 random(seed);
        std::uniform_real_distribution<double> one(-1, 1);
        double worst_pose = 0;
        double worst_column = 0;
        double worst_slope = 0;
        for (int n = 0; n < 300; ++n) {
            const double mm = turns ? 0.01 : 1; // of the follower for one of a linear leader
            const Mixed by{(turns ? 1 : 40) * one(random), mm * one(random), (turns ? 1 : 40) * one(random),
                           (turns ? 1 : 30) * one(random)};
            const Machine machine = mixed_machine(turns, by);
            const Kinematics kinematics = Kinematics::make(machine).value();
            Readings readings(5);
            readings << 3 * one(random), 300 * one(random), 0, 3 * one(random), 200 * one(random);
            const double length = 100 + 100 * one(random);
            const double follower = by.of_a * readings[3] + by.of_x * readings[1] + by.of_c * readings[0]; // from where it is drawn
            const KDL::Chain chain = mixed_chain(turns);
            KDL::JntArray joints(5);
            joints(0) = readings[0];
            joints(1) = readings[1];
            joints(2) = follower;
            joints(3) = readings[3];
            joints(4) = readings[4];
            KDL::ChainFkSolverPos_recursive forward(chain);
            KDL::Frame frame;
            QVERIFY(forward.JntToCart(joints, frame) >= 0);
            const KDL::Vector tip = frame * KDL::Vector(0, 0, -length);
            const Pose pose = kinematics.pose(readings, length);
            worst_pose = std::max(worst_pose, (pose.tip - Vec3(tip.x(), tip.y(), tip.z())).norm());
            const KDL::Vector axis = frame.M * KDL::Vector(0, 0, 1);
            worst_pose = std::max(worst_pose, (pose.axis - Vec3(axis.x(), axis.y(), axis.z())).norm());

            KDL::ChainJntToJacSolver rates(chain);
            KDL::Jacobian theirs(5);
            QVERIFY(rates.JntToJac(joints, theirs) >= 0);
            theirs.changeRefPoint(tip - frame.p);
            Eigen::Matrix<double, 6, 5> wanted;
            const auto column = [&](unsigned j) { return Eigen::Matrix<double, 6, 1>(theirs.data.col(j)); };
            wanted.col(0) = column(0) + by.of_c * column(2);
            wanted.col(1) = column(1) + by.of_x * column(2);
            wanted.col(2).setZero();
            wanted.col(3) = column(3) + by.of_a * column(2);
            wanted.col(4) = column(4);
            const auto ours = kinematics.jacobian(readings, length);
            worst_column = std::max(worst_column, (ours - wanted).cwiseAbs().maxCoeff());

            for (Eigen::Index j = 0; j < 5; ++j) {
                const double step = 1e-5;
                Readings more = readings;
                Readings less = readings;
                more[j] += step;
                less[j] -= step;
                const Vec3 slope = (kinematics.pose(more, length).tip - kinematics.pose(less, length).tip) / (2 * step);
                const Mat3 turned = kinematics.tool_from_work(more).linear() * kinematics.tool_from_work(less).linear().transpose();
                const Vec3 spin(turned(2, 1) - turned(1, 2), turned(0, 2) - turned(2, 0), turned(1, 0) - turned(0, 1));
                worst_slope = std::max(worst_slope, (slope - ours.col(j).head<3>()).norm());
                worst_slope = std::max(worst_slope, (spin / (4 * step) - ours.col(j).tail<3>()).norm());
            }
        }
        qInfo("seed %u, 300 machines: pose %.1e, Jacobian against KDL %.1e, against differences %.1e", seed, worst_pose, worst_column,
              worst_slope);
        QVERIFY(worst_pose < 1e-9);
        QVERIFY(worst_column < 1e-9);
        QVERIFY(worst_slope < 1e-5);
    }

    void solved_with_followers() // forward(inverse(pose)) = pose, whatever the factor
    {
        std::mt19937_64 random(seed + 1);
        std::uniform_real_distribution<double> one(-1, 1);
        for (const double factor : {0.25, 1.0, -0.4, 3.0}) {
            const std::string tip = fmt::format("[30, -40, {}]", 400 - 240 * (1 + factor));
            const auto machine = read(ram_mill(fmt::format(R"("follows": {{"leaders": {{"Z": {}}}}})", factor), "", tip));
            QVERIFY2(machine, machine ? "" : machine.error().message.c_str());
            const InverseSolver solver = InverseSolver::make(Kinematics::make(*machine).value()).value();
            for (int n = 0; n < 50; ++n) {
                const Pose pose{{300 * one(random), 200 * one(random), 100 * one(random)}, Vec3::UnitZ()};
                const Candidates found = solver.solve(pose, 77, machine->home());
                QCOMPARE(found.list.size(), std::size_t(1));
                QVERIFY((solver.kinematics().pose(found.list[0].readings, 77).tip - pose.tip).norm() < 1e-9);
                QVERIFY(std::abs(found.list[0].readings[3] - (pose.tip.z() - 500 + 77) / (1 + factor)) < 1e-9);
            }
        }
    }

    void an_overlay_moves_a_zero() // Z2's own zero is measured 0.3 mm off: it stands so much higher than what Z makes of it
    {
        const Machine drawn = read(ram_mill()).value();
        const auto text = json::Document::parse(
            R"({"format": "overlay/1", "units": {"length": "mm", "angle": "deg"}, "machine": "m.json", "name": "second", "joints": {"Z2": {"at": -0.3}}})",
            "o.json");
        const auto machine = with_overlay(drawn, "m.json", *text);
        QVERIFY2(machine, machine ? "" : machine.error().message.c_str());
        const InverseSolver solver = InverseSolver::make(Kinematics::make(*machine).value()).value();
        Readings readings(5);
        readings << 30, -40, 0, -240, 0;
        QVERIFY((solver.kinematics().pose(readings, 100).tip - Vec3(30, -40, 100.3)).norm() < 1e-12);
        const Candidates found = solver.solve({{30, -40, 100.3}, Vec3::UnitZ()}, 100, drawn.home());
        QVERIFY(std::abs(found.list[0].readings[3] + 240) < 1e-9);
    }

    void what_cannot_be_solved_is_said()
    {
        const Machine machine = mixed_machine(true, {0.1, 0, 0.2, 0});
        const auto solver = InverseSolver::make(Kinematics::make(machine).value());
        QVERIFY(!solver);
        QCOMPARE(solver.error().message,
                 std::string("the rotary joint \"F\" follows others between tool and work: no form is known for that"));
        const Machine screw = mixed_machine(false, {0, 0, 20, 0});
        const auto other = InverseSolver::make(Kinematics::make(screw).value());
        QVERIFY(!other);
        QCOMPARE(other.error().message,
                 std::string("a linear joint between tool and work follows the rotary joint \"C\": no form is known for that"));
    }

    void limits_of_both_hold()
    {
        const Machine machine = read(ram_mill()).value();
        const Joint& y = machine.joints[1];
        QCOMPARE(y.travel->low, -250.0); // Y2's
        QCOMPARE(y.travel->high, 300.0); // its own
        QCOMPARE(y.speed, 200.0);
        QCOMPARE(y.acceleration, 2000.0);
        const Joint& z2 = machine.joints[4];
        QCOMPARE(z2.travel->low, -100.0); // nothing is stated: a quarter of Z's
        QCOMPARE(z2.speed, 50.0);
        Readings readings = machine.home();
        readings[1] = -251;
        readings[3] = -401;
        const auto over = overtravels(machine, readings);
        QCOMPARE(over.size(), std::size_t(2));
        QCOMPARE(text_of(machine, over[0]),
                 std::string("Y goes 1.000 mm beyond the low end of its travel, where Y2, which follows it, is at the end of its own"));
        QCOMPARE(text_of(machine, over[1]), std::string("Z goes 1.000 mm beyond the low end of its travel"));
        QVERIFY(!inside_travel(machine, readings));
    }

    void of_several_leaders_the_sum_counts() // at Z -300 and Y 260 alone each is inside, together Z2 would stand at -205
    {
        const auto machine =
            read(ram_mill(R"("follows": {"leaders": {"Z": 0.25, "Y": -0.5}}, "travel": [-200, 160])", "", "[30, -40, 120]"));
        QVERIFY2(machine, machine ? "" : machine.error().message.c_str());
        Readings readings = machine->home();
        readings[3] = -300;
        QVERIFY(inside_travel(*machine, readings));
        readings[1] = 260;
        QVERIFY(!inside_travel(*machine, readings));
        const auto over = overtravels(*machine, readings);
        QCOMPARE(over.size(), std::size_t(1));
        QCOMPARE(text_of(*machine, over[0]), std::string("Z2 goes 5.000 mm beyond the low end of its travel"));
        QCOMPARE(text_of(*machine, machine->relations[1]), std::string("0.25 * Z - 0.5 * Y"));
    }

    void wrong_files_data()
    {
        QTest::addColumn<QString>("z2");
        QTest::addColumn<QString>("message");
        const auto row = [](const char* name, const char* z2, const char* message) { QTest::newRow(name) << z2 << message; };
        row("a sign", R"("follows": {"leaders": {"Z": -0.25}})",
            "the witness \"down\" is missed: the tip comes to 30.0000, -40.0000, 220.0000 mm, 120.0000 mm off, the tool axis 0.0000 deg "
            "off");
        row("not a joint", R"("follows": {"leaders": {"W": 1}})", "\"W\" is not a joint of the machine");
        row("itself", R"("follows": {"leaders": {"Z2": 1}})", "\"Z2\" follows itself");
        row("a zero", R"("follows": {"leaders": {"Z": 0}})", "the factor of \"Z\" is not a number other than 0");
        row("nobody", R"("follows": {"leaders": {}})", "\"Z2\" follows no joint");
        row("in a row", R"("follows": {"leaders": {"Y2": 1}})", "\"Z2\" follows Y2, which follows others itself");
        row("a home of its own", R"("follows": {"leaders": {"Z": 0.25}}, "home": 3)",
            "\"Z2\" follows others: its home is where they bring it");
        row("another posture", R"("follows": {"leaders": {"Z": 0.25}, "offset": 2})",
            "as the machine is drawn \"Z2\" reads 0 mm, but what it follows brings it to 2 mm");
        row("outside at home", R"("at": 2, "travel": [-100, 1], "follows": {"leaders": {"Z": 0.25}, "offset": 2})",
            "while what it follows is at home, \"Z2\" stands at 2 mm, outside its travel");
        row("an unknown key", R"("follows": {"leaders": {"Z": 0.25}, "scale": 2})", "what \"Z2\" follows has no key \"scale\"");
    }
    void wrong_files()
    {
        QFETCH(QString, z2);
        QFETCH(QString, message);
        QCOMPARE(QString::fromStdString(message_of(ram_mill(z2.toStdString()))), message);
    }

    void a_follower_does_not_retract()
    {
        std::string text = ram_mill();
        const std::string retract = R"("retract": "Z")";
        text.replace(text.find(retract), retract.size(), R"("retract": "Z2")");
        QCOMPARE(message_of(text), std::string("\"Z2\" follows 0.25 * Z: it does not go home by itself"));
    }

    void a_witness_may_read_a_follower() // what the second drive showed has to be where the first one brings it
    {
        for (const auto& [reads, message] :
             {std::pair("-60.004", "it is read"),
              std::pair("-60.5", "the witness \"down\" reads \"Z2\" 0.5000 mm beside 0.25 * Z, which it follows")}) {
            std::string text = ram_mill();
            const std::string z = R"("Z": -240})";
            text.replace(text.find(z), z.size(), fmt::format("\"Z\": -240, \"Z2\": {}}}", reads));
            QCOMPARE(message_of(text), std::string(message));
        }
    }

    void a_direction_that_no_witness_anchors_is_told() // Z2's is anchored by the way down, Y2 is beside the chain
    {
        QVERIFY(unwitnessed(read(ram_mill()).value()).empty());
        std::string flat = ram_mill(R"("follows": {"leaders": {"Z": 0.25}})", "", "[30, -40, 400]");
        const std::string z = R"("Z": -240})";
        flat.replace(flat.find(z), z.size(), R"("Z": 0})");
        const auto loose = unwitnessed(read(flat).value());
        QVERIFY(std::find(loose.begin(), loose.end(), JointIndex(4)) != loose.end());
    }

    void rapids_take_followers_along()
    {
        const Machine machine = read(ram_mill()).value();
        Readings to(5);
        to << 300, 100, 100, -200, -50; // 300 mm/s: 1 s; Y at 200 mm/s with Y2: 0.5 s; Z at 200: 1 s
        const auto stretches = rapid_stretches(machine, machine.home(), to, false);
        for (const Readings& at : stretches) {
            Readings brought = at;
            bring_followers(machine, brought);
            QVERIFY((brought - at).cwiseAbs().maxCoeff() < 1e-9);
        }
    }

    void the_saw_with_a_second_drive() // code and report are those of the machine without it
    {
        const std::string follower = R"(,
    {"id": "X2", "kind": "linear", "parent": "base", "direction": [1, 0, 0],
     "follows": {"leaders": {"X": 1}}, "travel": [-900, 900], "speed": 24000, "acceleration": 1200})";
        const std::string drive =
            R"(    {"id": "right drive", "parent": "X2", "box": [340, 170, 130], "round": 20, "point": [-190, 930, 672]},
)";
        const Assembly with = load_demo("pier-cap").value();
        const Assembly without = load_demo("pier-cap", {{holm, follower, ""}, {holm, drive, ""}}).value();
        const std::string code = code_of(with);
        QCOMPARE(code, code_of(without));
        const ReplayReport report = replay_code(with, code);
        const ReplayReport other = replay_code(without, code);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QCOMPARE(report.at_records.tip, other.at_records.tip);
        QCOMPARE(report.between.tip, other.between.tip);
        QCOMPARE(report.feed_error_percent, other.feed_error_percent);
    }

    void code_for_a_two_step_ram() // by hand: a way of the tip along Z takes 4/5 of it as a word; the zero too is read at 4/5
    {
        const Assembly plain = load_demo("pier-cap").value();
        const Assembly ram = load_demo("pier-cap", two_step_ram()).value();
        const std::string code = code_of(ram);
        const std::vector<double> one = values_of(code_of(plain), 'Z');
        const std::vector<double> two = values_of(code, 'Z');
        QVERIFY(one.size() > 20);
        // The register's zero Z0 and the length L are added by the control: 5/4 (word + Z0 + L) = old word + Z0 + L. Between these the code
        // has more: what was an arc across Z is none of the joints' any more.
        std::size_t at = 0;
        int differ = 0;
        for (const double word : one) {
            const auto is_there = [&](double length) {
                const double wanted = 0.8 * (word - 470 + length) + 470 - length;
                differ += std::abs(wanted - word) > 0.01 ? 1 : 0;
                const auto found =
                    std::find_if(two.begin() + std::ptrdiff_t(at), two.end(), [&](double w) { return std::abs(w - wanted) < 0.001; });
                at = found == two.end() ? at : std::size_t(found - two.begin()) + 1;
                return found != two.end();
            };
            QVERIFY2(is_there(174.6) || is_there(118.3), qPrintable(QString("Z%1 after word %2").arg(word).arg(at)));
        }
        QVERIFY(differ > 20);
        const ReplayReport report = replay_code(ram, code);
        QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
        QCOMPARE(report.uncovered + report.extra, std::size_t(0));
        QVERIFY(report.at_records.tip < 0.003);
    }

    void a_ram_of_two_equal_steps() // each word counts twice, and so does what it is rounded by
    {
        std::vector<Edit> edits = two_step_ram("1");
        edits[1].to = R"("Y": -50, "Z": -100,)";
        edits[2].to = R"("Y": 0, "Z": -175,)";
        edits[3].to = R"({"X": 0, "Y": 0, "Z": -50, "C": 0})";
        edits[4].to = R"({"X": 50, "Y": 0, "Z": -50, "C": 90})";
        const Assembly ram = load_demo("pier-cap", edits).value();
        const ReplayReport report = replay_code(ram, code_of(ram));
        QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
        QCOMPARE(report.uncovered + report.extra, std::size_t(0));
        QVERIFY(report.at_records.tip < report.at_records.tip_budget);
    }

    void a_ram_that_is_not_as_the_code_was_made_for() // 0.26 in place of 0.25; the witnesses follow it, the code does not
    {
        const std::string code = code_of(load_demo("pier-cap", two_step_ram()).value());
        std::vector<Edit> edits = two_step_ram("0.26");
        edits[1].to = R"("Y": -50, "Z": -158.73015873,)";
        edits[2].to = R"("Y": 0, "Z": -277.77777778,)";
        edits[3].to = R"({"X": 0, "Y": 0, "Z": -79.36507937, "C": 0})";
        edits[4].to = R"({"X": 50, "Y": 0, "Z": -79.36507937, "C": 90})";
        const Assembly other = load_demo("pier-cap", edits).value();
        const ReplayReport report = replay_code(other, code);
        QVERIFY(report.findings.has_errors());
        QVERIFY2(has_finding(report.findings, "target-missed", 16), qPrintable(shown(report.findings, 20)));
    }

    void a_word_for_a_follower_is_refused()
    {
        const auto assembly =
            load_demo("pier-cap", {{"controllers/lorne-s.json", R"("Z": "Z", "C": "C"})", R"("Z": "Z", "C": "C", "U": "X2"})"}});
        QVERIFY(!assembly);
        QCOMPARE(assembly.error().message, std::string("the controller has an address for \"X2\", which follows X"));
        const auto zero = load_demo("pier-cap", {{"setups/pier-cap.json", R"({"X": 20,)", R"({"X2": 4, "X": 20,)"}});
        QVERIFY(!zero);
        QCOMPARE(zero.error().message, std::string("the offset register 1 names \"X2\", which follows X"));
    }

    void a_follower_meets_something() // a post beside the right rail, where only the right drive comes by
    {
        const std::vector<Edit> pillar{
            {holm, R"({"id": "bridge", "parent": "X",)",
             R"({"id": "post", "parent": "base", "box": [40, 40, 300], "point": [60, 930, 675]}, {"id": "bridge", "parent": "X",)"},
            {holm, R"({"between": ["C", "base"], "clearance": 10},)",
             R"({"between": ["C", "base"], "clearance": 10}, {"between": ["X2", "base"], "clearance": 1},)"}};
        const Assembly clear = load_demo("pier-cap", {pillar[1]}).value();
        const Assembly met = load_demo("pier-cap", pillar).value();
        const std::vector<CodeFile> files = post(met).files;
        const auto hit = check_contacts(met, files);
        QVERIFY(hit.ok());
        QVERIFY2(has_finding(hit->findings, "contact"), qPrintable(shown(hit->findings)));
        QVERIFY(hit->places.front().second == "post" || hit->places.front().first == "post");
        const auto free = check_contacts(clear, files);
        QVERIFY(free.ok());
        QVERIFY2(!has_finding(free->findings, "contact"), qPrintable(shown(free->findings)));
    }

    void forms_show_and_take_it()
    {
        const auto document = json::Document::parse(ram_mill(), "m.json").value();
        const PartPath z2{std::string("joints"), std::size_t(4)};
        const auto field = [&](const json::Document& d, const PartPath& path) {
            for (const FormField& one : fields_of(d, path)) {
                if (one.kind == FieldKind::relation) {
                    return one;
                }
            }
            qFatal("no such field");
        };
        QCOMPARE(shown_value(document, z2, field(document, z2)), std::string("0.25 * Z"));
        const auto typed = [&](const std::string& text) {
            const auto out = with_value(document, z2, field(document, z2), text);
            if (!out) {
                return out.error().message;
            }
            const auto again = json::Document::parse(*out, "m.json").value();
            return shown_value(again, z2, field(again, z2));
        };
        QCOMPARE(typed("Z"), std::string("Z"));
        QCOMPARE(typed("-Z/2 + 1 in"), std::string("-0.5 * Z + 25.4 mm"));
        QCOMPARE(typed("X - 2*(Y - 3 mm)"), std::string("X - 2 * Y + 6 mm"));
        QCOMPARE(typed(""), std::string());
        QCOMPARE(typed("12 mm"), std::string("\"12 mm\" names no joint to follow"));
        QCOMPARE(typed("Z * 30 deg"), std::string("\"Z * 30 deg\" is not a length, as the joint's readings are"));
        QCOMPARE(typed("Z * Z / (2 mm)"), std::string("\"Z * Z / (2 mm)\" is not a sum of readings, each by a factor"));
        QVERIFY(QString::fromStdString(typed("W")).startsWith("\"W\" can't be followed: "));
        QVERIFY(QString::fromStdString(typed("Y2")).startsWith("\"Y2\" can't be followed: ")); // it follows others itself
    }

    void names_and_removals_follow()
    {
        const auto document = json::Document::parse(ram_mill(R"("follows": {"leaders": {"Z": 0.25, "X": 0.5}})"), "m.json").value();
        const PartPath z{std::string("joints"), std::size_t(3)};
        const PartPath y{std::string("joints"), std::size_t(1)};
        FormField name;
        for (const FormField& one : fields_of(document, z)) {
            name = one.title == "Name" ? one : name;
        }
        const auto renamed = with_value(document, z, name, "V");
        QVERIFY(renamed);
        QVERIFY(renamed->find(R"("leaders": {"V": 0.25, "X": 0.5})") != std::string::npos);
        const auto without_z = without_part(document, z);
        QVERIFY(without_z);
        QVERIFY(without_z->find(R"("leaders": {"X": 0.5})") != std::string::npos);
        const auto without_y = without_part(document, y);
        QVERIFY(without_y);
        QVERIFY(without_y->find(R"("leaders": {"Y")") == std::string::npos);
    }

    void as_many_joints_as_a_machine_may_have()
    {
        std::string joints;
        std::string readings;
        for (int i = 0; i < max_joints - 5; ++i) { // a row of steady rests beside the work
            joints += fmt::format(
                R"(  {{"id": "R{}", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "travel": [0, 100], "speed": 1000}},
)",
                i);
            readings += fmt::format(R"(, "R{}": {})", i, i);
        }
        std::string text = ram_mill();
        const std::string z = R"("Z": -240})";
        text.replace(text.find(z), z.size(), "\"Z\": -240" + readings + "}");
        const std::string first = R"(  {"id": "X", "kind")";
        std::string more = text;
        text.replace(text.find(first), 0, joints);
        const auto machine = read(text);
        QVERIFY2(machine, machine ? "" : machine.error().message.c_str());
        QCOMPARE(int(machine->joints.size()), 32);
        QVERIFY(InverseSolver::make(Kinematics::make(*machine).value()));
        more.replace(more.find(first), 0,
                     joints + R"(  {"id": "R99", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "travel": [0, 1], "speed": 1},
)");
        QCOMPARE(message_of(more), std::string("more than 32 joints"));
    }
};

WEXILUM_TEST(TestRelations)

} // namespace test_relations
#include "test_relations.moc"
