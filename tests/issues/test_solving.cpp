// Solving in poles, with joints out of square, and with joints that lie in a plane only where the machine is drawn.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/project/first_files.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/free_joint.hpp"
#include "core/solve/path_choice.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_solving {

namespace {

constexpr unsigned seed = 2323;

Machine demo_machine(const char* file, const std::vector<std::pair<std::string, std::string>>& edits)
{
    std::string text = read_file(demo_folder() + "/machines/" + file);
    for (const auto& [from, to] : edits) {
        const std::size_t at = text.find(from);
        if (at == std::string::npos) {
            qFatal("the machine has no %s", from.c_str());
        }
        text.replace(at, from.size(), to);
    }
    return machine_from(text);
}

const std::pair<std::string, std::string> short_y{R"("travel": [-420, 450])", R"("travel": [-50, 90])"};

InverseSolver solver_of(const Machine& machine) { return InverseSolver::make(Kinematics::make(machine).value(), true).value(); }

/// A lathe whose slide has a short Y, with a driven tool along the spindle.
std::string turn_mill_json()
{
    return R"({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "name": "turn-mill",
  "joints": [
    {"id": "C", "kind": "rotary", "parent": "base", "direction": [0, 0, 1], "point": [0, 0, 0], "reading": "tool-relative", "speed": 36000, "acceleration": 3600},
    {"id": "Z", "kind": "linear", "parent": "base", "direction": [0, 0, 1], "travel": [-10, 500], "speed": 20000, "acceleration": 3000},
    {"id": "X", "kind": "linear", "parent": "Z", "direction": [1, 0, 0], "travel": [-2, 180], "speed": 20000, "acceleration": 3000},
    {"id": "Y", "kind": "linear", "parent": "X", "direction": [0, 1, 0], "travel": [-5, 5], "speed": 10000, "acceleration": 2000}],
  "mounts": [
    {"id": "chuck", "kind": "work", "parent": "C", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
    {"id": "driven", "kind": "tool", "parent": "Y", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]}],
  "retract": "Z",
  "witnesses": [{"name": "beside the middle", "readings": {"C": 90, "Z": 300, "X": 50, "Y": 2}, "tool_length": 100, "tip": [-2, 50, 200], "axis": [0, 0, 1]}]})";
}

} // namespace

class TestSolving : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_pole_with_short_travel();
    void two_upright_holes();
    void free_readings_against_trying();
    void a_turn_mill_drills_its_face();
    void answers_and_alternatives_agree();
    void out_of_square_keeps_the_feed();
    void joints_in_a_plane_where_they_are_drawn();
};

void TestSolving::a_pole_with_short_travel()
{
    const Machine machine = demo_machine("tarn-5h.json", {short_y});
    const InverseSolver solver = solver_of(machine);
    const Pose wanted{Vec3(0, 100, 230), Vec3::UnitZ()};
    PathTarget target;
    target.pose = wanted;
    target.tool_length = 118;
    target.link = true;
    const auto choices = choose_path(solver, machine, {target}, machine.home());
    QCOMPARE(choices.front().problem, ChoiceProblem::none);
    QVERIFY(overtravels(machine, choices.front().readings).empty());
    const Pose there = Kinematics::make(machine).value().pose(choices.front().readings, 118);
    QVERIFY((there.tip - wanted.tip).norm() < 1e-9 && angle_between(there.axis, wanted.axis) < 1e-9);
    // C stands at 0 where Y would have to read 100: it turns by no more than brings Y to 90, which is acos(0.9), and what keeps clear of
    // the end.
    const double c = to_deg(std::abs(choices.front().readings[Eigen::Index(machine.find_joint("C")->value)]));
    QVERIFY2(c > 25.84 && c < 25.9, qPrintable(QString::number(c)));
}

void TestSolving::two_upright_holes()
{
    const std::string path = "LOADTL/41\nSPINDL/3000,CLW\nFEDRAT/300,MMPM\nRAPID\nGOTO/0,100,110\nCYCLE/DRILL,DEPTH,10,CLEAR,3,MMPM,300\n"
                             "GOTO/0,100,90\nGOTO/0,-120,90\nCYCLE/OFF\nFINI\n";
    const auto a = demo_with_toolpath("focuser-hub", path, {{"machines/tarn-5h.json", short_y.first, R"("travel": [-50, 90])"}});
    QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
    const RunResult run = post(*a);
    QVERIFY2(!run.findings.has_errors(), qPrintable(shown(run.findings)));
    const ReplayReport report = replay_code(*a, run.files.front().text);
    QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
    QCOMPARE(report.uncovered, std::size_t(0));
}

/// Against the same question asked at each fifth of a degree.
void TestSolving::free_readings_against_trying()
{
    qInfo("seed %u", seed);
    std::mt19937_64 random(seed);
    const auto between = [&](double low, double high) { return std::uniform_real_distribution<double>(low, high)(random); };
    int reached = 0;
    int refused = 0;
    for (int i = 0; i < 400 / WEXILUM_EVERY; ++i) {
        Machine machine = demo_machine(i % 2 == 0 ? "tarn-5h.json" : "tarn-5t.json", {});
        for (Joint& joint : machine.joints) {
            if (joint.kind == JointKind::linear) {
                const double middle = joint.travel ? 0.5 * (joint.travel->low + joint.travel->high) : 0;
                const double half = joint.id == "Z" ? 400 : between(20, 220);
                joint.travel = Travel{middle - half + between(-60, 60), middle + half};
            }
        }
        const InverseSolver solver = solver_of(machine);
        std::vector<FreeTarget> targets;
        const double second = solver.branches(solver.pole_axis()).turns[0][1];
        for (int k = 0; k < 1 + i % 3; ++k) {
            targets.push_back({Vec3(between(-150, 150), between(-150, 150), between(0, 250)), between(60, 160), second});
        }
        const auto inside = [&](double angle, double slack) {
            return std::all_of(targets.begin(), targets.end(), [&](const FreeTarget& target) {
                const Vec3 linear = solver.linear_readings(Turns{angle, target.second}, target.tip, target.tool_length);
                for (int k = 0; k < 3; ++k) {
                    const Travel& travel = *machine.joints[solver.linear()[std::size_t(k)].value].travel;
                    if (linear[k] < travel.low - slack || linear[k] > travel.high + slack) {
                        return false;
                    }
                }
                return true;
            });
        };
        const double standing = to_rad(between(-200, 200));
        const auto found = free_readings(solver, targets, standing);
        double nearest = 1e9;
        for (double angle = -180; angle <= 180; angle += 0.2) {
            if (inside(standing + to_rad(angle), 0)) {
                nearest = std::min(nearest, std::abs(to_rad(angle)));
            }
        }
        if (nearest < 1e9) {
            QVERIFY2(found.has_value(), qPrintable(QString("case %1").arg(i)));
            ++reached;
            const double way = std::min(standing - (*found)[0], (*found)[1] - standing);
            // Within the step of trying, or, where there is room, as much further as brings the joints 0.01 mm inside.
            QVERIFY2(way <= nearest + to_rad(0.8),
                     qPrintable(QString("case %1: %2, tried %3").arg(i).arg(to_deg(way)).arg(to_deg(nearest))));
        }
        refused += found ? 0 : 1;
        for (int k = 0; found && k < 2; ++k) {
            QVERIFY2(inside((*found)[std::size_t(k)], 1e-6), qPrintable(QString("case %1").arg(i)));
        }
    }
    QVERIFY2(reached > 20 / WEXILUM_EVERY && refused > 20 / WEXILUM_EVERY,
             qPrintable(QString("%1 reached, %2 refused").arg(reached).arg(refused)));
}

void TestSolving::a_turn_mill_drills_its_face()
{
    const Machine machine = machine_from(turn_mill_json());
    const InverseSolver solver = solver_of(machine);
    const Kinematics kinematics = Kinematics::make(machine).value();
    for (int i = 0; i < 8; ++i) {
        const double angle = i * pi / 4;
        const Pose wanted{Vec3(40 * std::cos(angle), 40 * std::sin(angle), 20), Vec3::UnitZ()};
        const auto list = solver.within_travel(wanted, 100, machine.home());
        QVERIFY2(!list.empty(), qPrintable(QString::number(i)));
        for (const Candidate& candidate : list) {
            QVERIFY(overtravels(machine, candidate.readings).empty());
            const Pose there = kinematics.pose(candidate.readings, 100);
            QVERIFY((there.tip - wanted.tip).norm() < 1e-9 && angle_between(there.axis, wanted.axis) < 1e-9);
        }
    }
    // Without leave a joint about the tool is none.
    QVERIFY(!InverseSolver::make(kinematics).ok());
    // Another direction is out of its reach.
    QVERIFY(solver.within_travel({Vec3(0, 0, 20), Vec3(0.6, 0, 0.8)}, 100, machine.home()).empty());
}

/// Whatever is chosen for a pose by itself is inside travel exactly where some alternative is.
void TestSolving::answers_and_alternatives_agree()
{
    qInfo("seed %u", seed);
    std::mt19937_64 random(seed);
    const auto between = [&](double low, double high) { return std::uniform_real_distribution<double>(low, high)(random); };
    const Machine machine = demo_machine("tarn-5h.json", {short_y});
    const InverseSolver solver = solver_of(machine);
    int fine = 0;
    for (int i = 0; i < 600 / WEXILUM_EVERY; ++i) {
        const double tilt = i % 3 == 0 ? 0 : i % 3 == 1 ? between(0, 1e-6) : between(0, 80 * pi / 180);
        const double azimuth = between(0, whole_turn);
        const Pose pose{Vec3(between(-200, 200), between(-200, 200), between(0, 300)),
                        Vec3(std::sin(tilt) * std::cos(azimuth), std::sin(tilt) * std::sin(azimuth), std::cos(tilt))};
        PathTarget target;
        target.pose = pose;
        target.tool_length = 118;
        target.link = true;
        const Choice choice = choose_path(solver, machine, {target}, machine.home()).front();
        const auto others = solver.within_travel(pose, 118, machine.home());
        QVERIFY2((choice.problem == ChoiceProblem::none) == !others.empty(), qPrintable(QString("case %1, tilt %2").arg(i).arg(tilt)));
        QVERIFY(choice.problem != ChoiceProblem::beyond_travel || std::abs(choice.missed_by) < 2000);
        fine += others.empty() ? 0 : 1;
    }
    QVERIFY(fine > 50 / WEXILUM_EVERY);
}

void TestSolving::out_of_square_keeps_the_feed()
{
    // X leans by 30 degrees towards Y: along a slanting line the joints go another way than the tip.
    const std::string direction = "\"direction\": [1, 0, 0]";
    const std::string before = read_file(demo_folder() + "/machines/tarn-3.json");
    std::string text = first_file(FirstKind::machine, "out of square", {}).value().text;
    text.replace(text.find(direction), direction.size(), "\"direction\": [0.8660254037844386, 0.5, 0]");
    const std::string witness = R"("readings": {"X": 100, "Y": 50, "Z": -200}, "tool_length": 100, "tip": [100, 50, 200])";
    text.replace(text.find(witness), witness.size(),
                 R"("readings": {"X": 100, "Y": 50, "Z": -200}, "tool_length": 100, "tip": [86.602540, 100, 200])");
    const std::string path = "LOADTL/1\nSPINDL/3000,CLW\nRAPID\nGOTO/0,0,20\nRAPID\nGOTO/0,0,2\nFEDRAT/300,MMPM\nGOTO/0,0,0\nGOTO/30,40,0\n"
                             "GOTO/-30,40,0\nGOTO/0,0,0\nFINI\n";
    const auto a = demo_with_toolpath("mirror-cell", path, {{"machines/tarn-3.json", before, text}});
    QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
    const std::string code = code_of(*a);
    const ReplayReport report = replay_code(*a, code);
    QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings) + QString::fromStdString(code)));
    QVERIFY2(report.feed_error_percent < 0.5, qPrintable(QString::number(report.feed_error_percent)));
    // By hand: (30, 40) is 34.641 along X and 22.679 along Y, 41.405 in the joints' words for 50 mm: 248.4 for 300 mm/min.
    QVERIFY2(QString::fromStdString(code).contains("F248.4"), code.c_str());
}

void TestSolving::joints_in_a_plane_where_they_are_drawn()
{
    // A rotary joint carries Y: drawn with Y along X, it stands across once A has turned by 90 degrees.
    const std::string json = R"({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "name": "swivelling slide",
  "joints": [
    {"id": "X", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "travel": [-300, 300], "speed": 10000, "acceleration": 2000},
    {"id": "Z", "kind": "linear", "parent": "X", "direction": [0, 0, 1], "travel": [-300, 300], "speed": 10000, "acceleration": 2000},
    {"id": "C", "kind": "rotary", "parent": "Z", "direction": [0, 0, 1], "point": [0, 0, 0], "travel": [0, 180], "speed": 3600, "acceleration": 360},
    {"id": "Y", "kind": "linear", "parent": "C", "direction": [1, 0, 0], "travel": [-200, 200], "speed": 10000, "acceleration": 2000}],
  "mounts": [
    {"id": "table", "kind": "work", "parent": "base", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
    {"id": "spindle", "kind": "tool", "parent": "Y", "point": [0, 0, 0], "z": [1, 0, 0], "x": [0, 1, 0]}],
  "retract": "Z",
  "witnesses": [{"name": "across", "readings": {"X": 10, "Z": 20, "C": 90, "Y": 30}, "tool_length": 0, "tip": [10, 30, 20], "axis": [0, 1, 0]}]})";
    const Machine machine = machine_from(json);
    const auto solver = InverseSolver::make(Kinematics::make(machine).value());
    QVERIFY2(solver.ok(), solver.ok() ? "" : solver.error().message.c_str());
    // With the tool along +Y, C reads 90 and all is well; along +X the slide lies along X, and nothing brings the tip sideways.
    const auto across = solver->within_travel({Vec3(10, 30, 20), Vec3::UnitY()}, 0, machine.home());
    QVERIFY(!across.empty());
    const Pose there = Kinematics::make(machine).value().pose(across.front().readings, 0);
    QVERIFY((there.tip - Vec3(10, 30, 20)).norm() < 1e-9);
    QVERIFY(solver->within_travel({Vec3(10, 30, 20), Vec3::UnitX()}, 0, machine.home()).empty());
    const Readings along = solver->solve({Vec3(10, 30, 20), Vec3::UnitX()}, 0, machine.home()).list.front().readings;
    QVERIFY(along.allFinite());
}

WEXILUM_TEST(TestSolving)

} // namespace test_solving
#include "test_solving.moc"
