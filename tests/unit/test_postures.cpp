// Attachments: heads that are fixed or set by hand at a scale. Readings, messages and code by hand, and what the replay makes of code
// that says the wrong thing.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/run/post_run.hpp"
#include "core/task/postures.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_postures {

namespace {

constexpr const char* sides = "mirror-cell-sides";
constexpr const char* between = "fails-head-between-marks";
const std::string tarn = "machines/tarn-3.json";

/// A short cut that begins where a rapid has led, with the tool axis at an angle (deg) from X towards Y.
std::string cuts(const std::vector<double>& angles, const std::string& tool = "21")
{
    std::string out = "PARTNO CUTS\nUNITS/MM\nMULTAX/ON\nLOADTL/" + tool + "\nSPINDL/1800,RPM,CLW\n";
    for (const double angle : angles) {
        const double c = std::cos(to_rad(angle));
        const double s = std::sin(to_rad(angle));
        const auto go = [&](double outwards) {
            out += QString("GOTO/ %1, %2, -20.0, $\n %3, %4, 0.0\n")
                       .arg(outwards * c, 0, 'f', 9)
                       .arg(outwards * s, 0, 'f', 9)
                       .arg(c, 0, 'f', 12)
                       .arg(s, 0, 'f', 12)
                       .toStdString();
        };
        out += "RAPID\n";
        go(136);
        out += "FEDRAT/200,MMPM\n";
        go(125);
        out += "RAPID\n";
        go(136);
    }
    return out + "FINI\n";
}

/// The lines of a program that hold a text, joined.
QString lines_with(const std::string& code, const QString& text)
{
    QStringList out;
    for (const std::string& line : lines_of(code)) {
        const QString shown_line = QString::fromStdString(line);
        if (shown_line.contains(text)) {
            out.push_back(shown_line);
        }
    }
    return out.join(QLatin1Char('\n'));
}

std::string replaced(const std::string& code, const std::string& from, const std::string& to)
{
    const std::size_t at = code.find(from);
    if (at == std::string::npos) {
        qFatal("the code has no %s", from.c_str());
    }
    return code.substr(0, at) + to + code.substr(at + from.size());
}

} // namespace

class TestPostures : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_hand_set_head_on_three_axes_by_hand_data()
    {
        QTest::addColumn<double>("angle"); // of the tool axis from X towards Y: 90 less the reading
        QTest::addColumn<QString>("message");
        QTest::addColumn<QString>("end"); // the words of the cut's end
        // The spindle stands 48.15 + 45.3 = 93.45 mm from the tip along the tool and 132.5 mm above it. At a reading h the tool axis is
        // (sin h, cos h); the cut ends 125 mm from the part's middle, so the spindle at 218.45 mm.
        QTest::newRow("0") << 90.0 << ""
                           << "Y218.45";
        QTest::newRow("120") << -30.0 << "(SET H OF THE TURNING HEAD TO 120 DEG, CLOCKWISE BY 120)"
                             << "X189.183 Y-109.225";
        QTest::newRow("300") << 150.0 << "(SET H OF THE TURNING HEAD TO 300 DEG, COUNTER-CLOCKWISE BY 60)"
                             << "X-189.183 Y109.225";
        QTest::newRow("180") << -90.0 << "(SET H OF THE TURNING HEAD TO 180 DEG, CLOCKWISE BY 180)"
                             << "Y-218.45";
    }
    void a_hand_set_head_on_three_axes_by_hand()
    {
        QFETCH(double, angle);
        QFETCH(QString, message);
        QFETCH(QString, end);
        const auto a = demo_with_toolpath(between, cuts({angle}));
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        QCOMPARE(lines_with(code, "SET H"), message);
        QVERIFY2(QString::fromStdString(code).contains(end + " F200."), code.c_str());
        QVERIFY2(lines_with(code, "G49 Z").endsWith("G49 Z112.5"), qPrintable(lines_with(code, "G49"))); // -20 + 132.5
        const ReplayReport report = replay_code(*a, code);
        QVERIFY2(!report.findings.has_errors() && report.compared == 3, qPrintable(shown(report.findings)));
    }

    void from_reading_to_reading_by_the_shorter_way()
    {
        const auto a = demo_with_toolpath(between, cuts({0, 72, 144, 216, 288, 0}));
        QVERIFY(a.ok());
        const std::string code = code_of(*a);
        QCOMPARE(lines_with(code, "SET H"), QString("(SET H OF THE TURNING HEAD TO 90 DEG, CLOCKWISE BY 90)\n"
                                                    "(SET H OF THE TURNING HEAD TO 18 DEG, COUNTER-CLOCKWISE BY 72)\n"
                                                    "(SET H OF THE TURNING HEAD TO 306 DEG, COUNTER-CLOCKWISE BY 72)\n"
                                                    "(SET H OF THE TURNING HEAD TO 234 DEG, COUNTER-CLOCKWISE BY 72)\n"
                                                    "(SET H OF THE TURNING HEAD TO 162 DEG, COUNTER-CLOCKWISE BY 72)\n"
                                                    "(SET H OF THE TURNING HEAD TO 90 DEG, COUNTER-CLOCKWISE BY 72)"));
        QVERIFY2(!replay_code(*a, code).findings.has_errors(), qPrintable(shown(replay_code(*a, code).findings)));
    }

    void scales_read_as_their_plate_does_data()
    {
        QTest::addColumn<QString>("reads");
        QTest::addColumn<double>("angle");
        QTest::addColumn<QString>("reading");
        QTest::newRow("306 of a whole circle") << "[0, 360]" << 144.0 << "306";
        QTest::newRow("and to both sides") << "[-180, 180]" << 144.0 << "-54";
        QTest::newRow("half a turn has no sign") << "[-180, 180]" << -90.0 << "180";
        QTest::newRow("half a turn of a whole circle") << "[0, 360]" << -90.0 << "180";
    }
    void scales_read_as_their_plate_does()
    {
        QFETCH(QString, reads);
        QFETCH(double, angle);
        QFETCH(QString, reading);
        const auto a = demo_with_toolpath(between, cuts({angle}), {{tarn, R"("reads": [0, 360])", "\"reads\": " + reads.toStdString()}});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const QString told = lines_with(code_of(*a), "SET H");
        QVERIFY2(told.startsWith("(SET H OF THE TURNING HEAD TO " + reading + " DEG, "), qPrintable(told));
    }

    void between_marks()
    {
        const auto posted = [](const std::string& lean) {
            auto a = demo_with_toolpath(
                between, cuts({18.4}),
                {{"jobs/fails-head-between-marks.json", R"("attachment": "turn-head")", R"("attachment": "turn-head")" + lean}});
            if (!a) {
                qFatal("%s", a.error().text().c_str());
            }
            return post(*a);
        };
        // 18.4 asks for 71.6: the mark 72 misses by 0.4.
        const RunResult strict = posted("");
        QCOMPARE(strict.findings.list().size(), std::size_t(1));
        const Finding& missed = strict.findings.list().front();
        QCOMPARE(QString::fromStdString(missed.kind), QString("direction-missed"));
        QCOMPARE(QString::fromStdString(missed.message).section(QLatin1Char(' '), 0, 14),
                 QString("the turning head can't be set for this direction: the nearest reading, H 72, misses"));
        QVERIFY(QString::fromStdString(missed.message).contains("misses it by 0.4000 deg"));
        QCOMPARE(missed.severity, Severity::error);
        const RunResult allowed = posted(R"(, "lean": 0.5)");
        QVERIFY(!allowed.findings.has_errors());
        QCOMPARE(QString::fromStdString(allowed.findings.list().front().message),
                 QString("in the operation 1 test the tool is up to 0.4000 deg off its direction at 3 records"));
    }

    void a_cut_that_turns_the_tool()
    {
        const auto a = demo_with_toolpath(between, "PARTNO TURN\nUNITS/MM\nMULTAX/ON\nLOADTL/21\nSPINDL/900,RPM,CLW\nRAPID\n"
                                                   "GOTO/136,0,-20,1,0,0\nFEDRAT/100,MMPM\nGOTO/125,0,-20,1,0,0\n"
                                                   "GOTO/125,10,-20,0.998629535,0.052335956,0\nFINI\n");
        QVERIFY(a.ok());
        const RunResult result = post(*a);
        QCOMPARE(result.findings.list().size(), std::size_t(1));
        QCOMPARE(QString::fromStdString(result.findings.list().front().message),
                 QString("the tool axis turns by 3.0000 deg in a cut, but the turning head is set by hand"));
    }

    void wrong_jobs_and_machines_data()
    {
        QTest::addColumn<QString>("file");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        const QString job = "jobs/fails-head-between-marks.json";
        const QString wish = R"("posture": {"attachment": "turn-head"})";
        const QString machine = QString::fromStdString(tarn);
        QTest::newRow("no such head") << job << wish << R"("posture": {"attachment": "no-head"})"
                                      << "the operation 10 wants the attachment \"no-head\", which the machine does not have";
        QTest::newRow("no length") << job << wish << R"("posture": {"attachment": "long-head"})"
                                   << "the attachment \"long-head\" has no gauge length";
        QTest::newRow("no mark") << job << wish << R"("posture": {"attachment": "turn-head", "set": {"H": 10.5}})"
                                 << "H can't be set to 10.5: its scale has steps of 1 deg";
        QTest::newRow("parked by hand") << job << wish << R"("posture": {"attachment": "turn-head", "parked": {"H": {"angle": 10}}})"
                                        << "\"H\" is set by hand, not parked";
        QTest::newRow("set by the control") << job << wish << R"("posture": {"attachment": "turn-head", "set": {"X": 0}})"
                                            << "\"X\" is moved by the control, not set by hand";
        QTest::newRow("no joint of it") << job << wish << R"("posture": {"attachment": "side-head", "set": {"H": 10}})"
                                        << "\"H\" is not a joint between the work and the tool of the operation 10";
        QTest::newRow("one joint too few")
            << job << wish << R"("posture": {"attachment": "turn-head", "parked": {"Z": -100}})"
            << "the operation 10 can't be posted with the joints that are left free: a pose is solved with three linear joints "
               "between tool and work, this machine has 2";
        QTest::newRow("wrong hand") << machine << R"("rises": "clockwise")"
                                    << R"("rises": "counter-clockwise")"
                                    << "the scale of \"H\" is of the wrong hand: its readings would fall counter-clockwise";
        QTest::newRow("not along") << machine << R"("seen_from": [0, 0, 1])"
                                   << R"("seen_from": [0, 1, 0])"
                                   << "the scale of \"H\" is not seen along its axis";
        QTest::newRow("zero") << machine << R"("zero": [0, -1, 0])"
                              << R"("zero": [1, 0, 0])"
                              << "with its scales at 0 the tool points 90.0000 deg away from there";
        QTest::newRow("range") << machine << R"("reads": [0, 360])"
                               << R"("reads": [0, 361])"
                               << "\"reads\" of the scale of \"H\" needs numbers from -360 to 360";
        QTest::newRow("message") << machine << "Set {joint} of"
                                 << "Set it of"
                                 << "the message does not say which joint is to be set, and to what";
        QTest::newRow("gauge") << machine << R"("gauge_length": 48.15)"
                               << R"("gauge_length": 49.15)"
                               << "the witness \"turning head at 0: the tool points towards the operator\" is missed: the tip comes to "
                                  "0.0000, -109.1500, 187.5000 mm, 1.0000 mm off, the tool axis 0.0000 deg off";
        QTest::newRow("no witness") << machine << R"("mount": "side-head",)"
                                    << ""
                                    << "the attachment \"side-head\" has no witness";
        QTest::newRow("twice") << machine << R"({"id": "side-head")"
                               << R"({"id": "spindle")"
                               << "the mount \"spindle\" appears twice";
    }
    void wrong_jobs_and_machines()
    {
        QFETCH(QString, file);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, message);
        const auto a = load_demo(between, {{file.toStdString(), from.toStdString(), to.toStdString()}});
        QVERIFY(!a.ok());
        QVERIFY2(QString::fromStdString(a.error().message).startsWith(message), a.error().text().c_str());
        QVERIFY2(!a.error().cure.empty() && (a.error().place.line > 0 || file.startsWith("jobs")), a.error().text().c_str());
    }

    void what_people_are_told_is_read_back_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("kind");
        QTest::newRow("another reading") << "TO 18 DEG, COUNTER-CLOCKWISE BY 72"
                                         << "TO 19 DEG, COUNTER-CLOCKWISE BY 71"
                                         << "set-wrong";
        QTest::newRow("the other sense") << "TO 18 DEG, COUNTER-CLOCKWISE"
                                         << "TO 18 DEG, CLOCKWISE"
                                         << "set-unclear";
        QTest::newRow("another amount") << "COUNTER-CLOCKWISE BY 72"
                                        << "COUNTER-CLOCKWISE BY 27"
                                        << "set-unclear";
        QTest::newRow("no mark") << "TO 18 DEG, COUNTER-CLOCKWISE BY 72"
                                 << "TO 18.5 DEG, COUNTER-CLOCKWISE BY 71.5"
                                 << "set-unclear";
        QTest::newRow("no number") << "TO 18 DEG"
                                   << "TO EIGHTEEN DEG"
                                   << "set-unclear";
        QTest::newRow("not told") << "(SET H OF THE TURNING HEAD TO 18 DEG, COUNTER-CLOCKWISE BY 72)"
                                  << "(CARRY ON)"
                                  << "set-wrong";
        QTest::newRow("no stop") << "(FIT THE TURNING HEAD)\nN40 M0"
                                 << "(FIT THE TURNING HEAD)"
                                 << "set-missing";
        QTest::newRow("another head") << "(FIT THE TURNING HEAD)"
                                      << "(FIT THE SIDE HEAD)"
                                      << "set-wrong";
        QTest::newRow("one head on another") << "(TAKE THE TURNING HEAD OFF)"
                                             << "(CARRY ON)"
                                             << "fit-wrong";
        QTest::newRow("length beside the tool") << "G49 Z"
                                                << "G43 H21 Z"
                                                << "length-beside-tool";
        QTest::newRow("sense of the spindle") << "S2600 M4"
                                              << "S2600 M3"
                                              << "spindle-differs";
        QTest::newRow("speed in front of the gears") << "S4160 M3"
                                                     << "S5200 M3"
                                                     << "spindle-differs";
        QTest::newRow("down inside the work") << "N100 G0 X232.45 Y-27."
                                              << "N100 G0 X209.637 Y-27."
                                              << "across-while-in";
        QTest::newRow("goes on turning") << "M5"
                                         << "M4"
                                         << "set-while-turning";
    }
    void what_people_are_told_is_read_back()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, kind);
        const auto a = load_demo(sides);
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        const ReplayReport as_posted = replay_code(*a, code);
        QVERIFY2(!as_posted.findings.has_errors() && as_posted.findings.count(Severity::warning) == 0,
                 qPrintable(shown(as_posted.findings)));
        const ReplayReport report = replay_code(*a, replaced(code, from.toStdString(), to.toStdString()));
        QVERIFY2(has_finding(report.findings, kind.toStdString()) && report.findings.has_errors(), qPrintable(shown(report.findings)));
    }

    void a_retract_before_the_tool_is_out()
    {
        const auto a = demo_with_toolpath(between, cuts({0, 90}));
        QVERIFY(a.ok());
        std::vector<std::string> lines = lines_of(code_of(*a));
        // Both ways out of the first cut, along the tool, removed.
        const auto cut = std::find_if(lines.begin(), lines.end(), [](const std::string& l) { return l.find(" G1 ") != std::string::npos; });
        QVERIFY(cut != lines.end() && (cut + 1)->find("G0 X229.45") != std::string::npos &&
                (cut + 2)->find("X231.45") != std::string::npos);
        *(cut + 1) = "G0";
        lines.erase(cut + 2);
        const ReplayReport report = replay_code(*a, joined(lines));
        QVERIFY2(has_finding(report.findings, "across-while-in"), qPrintable(shown(report.findings)));
    }

    void a_tool_that_turns_too_fast()
    {
        const auto a = load_demo(sides, {{"toolpaths/cell-side-five.cl", "SPINDL/ 2600", "SPINDL/ 4200"}});
        QVERIFY(a.ok());
        const RunResult result = post(*a);
        QVERIFY(has_finding(result.findings, "too-fast"));
        QCOMPARE(QString::fromStdString(result.findings.list().front().message),
                 QString("the tool is to turn at 4200 rpm, the turning head takes 4000"));
    }

    void a_dialect_with_its_own_words_for_it()
    {
        const auto a = load_demo(sides, {{"dialects/morrow-m.json", R"("wind-down": [)",
                                          R"x("set-attachment": ["{retract}", "{spindle-off}", "(NOW BY HAND)", "{message}", "M0"],
    "wind-down": [)x"}});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        QCOMPARE(lines_with(code, "NOW BY HAND").count("NOW BY HAND"), lines_with(code, "SET H").count("SET H"));
        QVERIFY2(!replay_code(*a, code).findings.has_errors(), qPrintable(shown(replay_code(*a, code).findings)));
    }

    void held_joints_are_the_chain_standing_there()
    {
        const auto a = load_demo(sides);
        QVERIFY(a.ok());
        const unsigned seed = 20261126;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(-1, 1);
        const std::uint32_t head = *a->machine.find_tool_mount("turn-head");
        const Kinematics whole = Kinematics::make(a->machine, {head, {}}).value();
        for (int i = 0; i < 2000; ++i) {
            Readings readings = a->machine.home();
            Posture posture{head, {}};
            for (std::size_t j = 0; j < a->machine.joints.size(); ++j) {
                const bool rotary = a->machine.joints[j].kind == JointKind::rotary;
                readings[Eigen::Index(j)] = any(random) * (rotary ? pi : 200);
                if (any(random) > 0) {
                    posture.held.push_back({JointIndex(std::uint32_t(j)), readings[Eigen::Index(j)]});
                }
            }
            const Pose expected = whole.pose(readings, 55);
            Readings given = readings;
            for (const HeldJoint& held : posture.held) {
                given[Eigen::Index(held.joint.value)] = any(random) * 1000; // does not count
            }
            const Pose got = Kinematics::make(a->machine, posture).value().pose(given, 55);
            QVERIFY((got.tip - expected.tip).norm() < 1e-9 && (got.axis - expected.axis).norm() < 1e-12);
        }
    }

    void the_nearest_mark_of_all()
    {
        const auto a = demo_with_toolpath(between, cuts({0}), {{tarn, R"("step": 1,)", R"("step": 7.5,)"}});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const unsigned seed = 611;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(0, 360);
        for (int i = 0; i < 500; ++i) {
            PostureFollower follower(*a);
            (void)follower.begin_operation(0);
            const double angle = any(random);
            Pose pose{Vec3(100, 0, 0), Vec3(std::cos(to_rad(angle)), std::sin(to_rad(angle)), 0)};
            const auto step = follower.motion(pose, true);
            double nearest = 360; // deg of reading, by trying all marks
            double mark = 0;
            for (int k = 0; k < 48; ++k) {
                const double off = std::abs(std::remainder(7.5 * k - (90 - angle), 360));
                if (off < nearest) {
                    nearest = off;
                    mark = 7.5 * k;
                }
            }
            QVERIFY(step.change ? std::abs(to_deg(step.change->by_hand.at(0).reading) - mark) < 1e-9 : mark == 0);
            QVERIFY(step.problem.has_value() == (nearest > 0.002)); // the job's axis tolerance
        }
    }
};

WEXILUM_TEST(TestPostures)

} // namespace test_postures
#include "test_postures.moc"
