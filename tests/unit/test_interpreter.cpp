// The simulated control by itself: what it reads, what it refuses, what it relies on.
#include "core/base/units.hpp"
#include "core/control/simulated_control.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_interpreter {

namespace {

struct Log final : ReplaySink {
    std::vector<ReplayMove> moves;
    std::vector<std::uint32_t> tools;
    std::vector<double> dwells;
    int stops = 0;
    int ends = 0;
    void move(const ReplayMove& m) override { moves.push_back(m); }
    void tool_change(BlockNumber, std::uint32_t tool) override { tools.push_back(tool); }
    void dwell(BlockNumber, double seconds) override { dwells.push_back(seconds); }
    void stop(BlockNumber, bool) override { ++stops; }
    void program_end(BlockNumber) override { ++ends; }
};

/// Runs lines on the small mill, or on the machine of a job of the demo; joints in the small mill's order Y, X, Z.
struct Run {
    Assembly a;
    Log log;
    FindingList findings;
    explicit Run(const std::vector<std::string>& lines, bool from_unknown = false, const std::string& job = {},
                 const std::vector<Edit>& edits = {})
        : a((job.empty() ? small_mill(edits) : load_demo(job, edits)).value())
    {
        FedControl control(a.controller, a.machine, control_memory(a.machine, a.setup), from_unknown, "t.nc", log, findings);
        for (const std::string& line : lines) {
            control.line(line);
        }
    }
    [[nodiscard]] double x(std::size_t move) const { return log.moves.at(move).to[1] - a.offset(JointIndex(1), 0); }
    [[nodiscard]] double z(std::size_t move) const { return log.moves.at(move).to[2]; }
};

QString message(const FindingList& findings)
{
    return findings.list().empty() ? QString("none") : QString::fromStdString(findings.list().front().message);
}

} // namespace

class TestInterpreter : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void modal_motion_and_offsets()
    {
        const Run run({"G54 G0 X10. Y0.", "X20.", "G91 X-5.", "G90 G53 Z-100.", "G43 H1 Z250."});
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        QCOMPARE(run.log.moves.size(), std::size_t(5));
        QCOMPARE(run.x(1), 20.0);
        QCOMPARE(run.x(2), 15.0);
        QCOMPARE(run.z(3), -100.0);
        // Z word + offset (-578) + length of tool 1 (96.205)
        QVERIFY(std::abs(run.z(4) - (250 - 578 + 96.205)) < 1e-9);
    }

    void lines_it_refuses_data()
    {
        QTest::addColumn<QString>("line");
        QTest::addColumn<QString>("wanted");
        QTest::newRow("unknown word") << "G33 X1."
                                      << "the control does not know G33";
        QTest::newRow("twice") << "G1 X1. X2. F100."
                               << "the word X appears twice in the block";
        QTest::newRow("two motions") << "G0 G1 X1."
                                     << "two words of the group motion in one block";
        QTest::newRow("no number") << "G0 X Y1."
                                   << "the word X has no readable number: ''";
        QTest::newRow("broken number") << "G0 X1.2.3"
                                       << "the word X has no readable number: '1.2.3'";
        QTest::newRow("open comment") << "G0 X1. (oops"
                                      << "the comment does not end in its line";
        QTest::newRow("sign") << "G0 X1. #5"
                              << "a word starts with a letter, found '#'";
        QTest::newRow("digits") << "G0 X123456.789"
                                << "the word X123456.789 has more than 8 digits";
        QTest::newRow("lost word") << "G0 X1. Q5."
                                   << "the word Q5. has no meaning in this block";
        QTest::newRow("no feed") << "G1 X1."
                                 << "a move at feed while no feed is in force";
        QTest::newRow("feed zero") << "G1 X1. F0."
                                   << "a feed word is not above zero";
        QTest::newRow("length without register") << "G43 Z5."
                                                 << "a length is called without the register word H";
        QTest::newRow("empty register") << "G43 H77"
                                        << "the length register 77 is empty";
        QTest::newRow("arc without centre") << "G2 X1. F100."
                                            << "an arc needs either its centre or its radius, as the control takes it";
        QTest::newRow("both forms") << "G2 X1. I1. R1. F100."
                                    << "an arc needs either its centre or its radius, as the control takes it";
        QTest::newRow("wrong plane") << "G17 G2 X1. K1. F100."
                                     << "the centre word K does not lie in the plane xy";
        QTest::newRow("radius too small") << "G2 X10. R1. F100."
                                          << "no arc of this radius joins start and end";
        QTest::newRow("cycle without bottom") << "G81 X1. R2. F100."
                                              << "the cycle lacks its bottom, its clearance or its step";
        QTest::newRow("axes after cycle off") << "G80 X1."
                                              << "axis words without a motion word in force";
        QTest::newRow("dwell without time") << "G4"
                                            << "a dwell without its word P";
        QTest::newRow("beyond travel") << "G0 X600."
                                       << "X goes 120.000 mm beyond the high end of its travel";
    }
    void lines_it_refuses()
    {
        QFETCH(QString, line);
        QFETCH(QString, wanted);
        const Run run({"G0 X0. Y0. Z300.", line.toStdString()});
        QCOMPARE(message(run.findings), wanted);
        QCOMPARE(run.findings.list().front().code.line, 2u);
    }

    void numbers_without_point()
    {
        const Run run({"G0 X1500", "X1.5", "Y0"});
        QCOMPARE(run.x(0), 1.5);
        QVERIFY(has_finding(run.findings, "no-motion", 2));
    }

    void relying_on_what_was_there()
    {
        const Run run({"X1."}, true);
        QStringList groups;
        for (const Finding& f : run.findings.list()) {
            groups << QString::fromStdString(f.message);
        }
        QVERIFY(groups.contains("the block relies on the distance that was in force before the program"));
        QVERIFY(groups.contains("the block relies on the offset that was in force before the program"));
        QVERIFY(groups.contains("the block relies on the motion that was in force before the program"));
        const Run stated({"G17 G21 G76 G90 G94 G54 G0 X1."}, true, "mirror-cell");
        QVERIFY2(stated.findings.list().empty(), qPrintable(shown(stated.findings)));
    }

    void peck_cycle_as_motions()
    {
        // Heights over 300: from R 2 down to -20 by 6: -4, -10, -16, -20; each time out to R and back to 0.8 above the last depth.
        const Run run({"G0 X0. Y0. Z330.", "G98 G83 X5. Z280. R302. Q6. F120."});
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        std::vector<double> heights;
        for (std::size_t i = 1; i < run.log.moves.size(); ++i) {
            heights.push_back(std::round((run.z(i) + 278) * 1000) / 1000);
        }
        QCOMPARE(heights, (std::vector<double>{30, 2, -4, 2, -3.2, -10, 2, -9.2, -16, 2, -15.2, -20, 2, 30}));
    }

    void tapping_turns_the_spindle_round()
    {
        const Run run({"S500 M3", "G0 X0. Y0. Z330.", "G99 G84 X5. Z280. R302. F500."});
        QVERIFY(run.log.moves.back().feed);
        QVERIFY(run.log.moves.back().spindle == record::SpindleState::counter_clockwise);
        QVERIFY(run.log.moves[run.log.moves.size() - 2].spindle == record::SpindleState::clockwise);
    }

    void tool_changes()
    {
        const Run run({"G53 G0 Z0.", "T2", "T1 M6", "S100 M3", "T2 M6"});
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        QCOMPARE(run.log.tools, (std::vector<std::uint32_t>{1, 2}));
        const Run low({"G0 Z300.", "T1 M6"});
        QVERIFY(has_finding(low.findings, "change-place", 2));
        const Run same({"G53 G0 Z0.", "T1 M6", "M6"});
        QVERIFY(has_finding(same.findings, "same-tool", 3));
    }

    void feeds_and_times()
    {
        // 30 mm at 600 mm/min: 3 s. Inverse time F2: 30 s. Combined: sqrt(30^2 + 40^2) = 50 at 600: 5 s.
        const Run flat({"G0 X0. Y0.", "G1 X30. F600."});
        QVERIFY(std::abs(flat.log.moves[1].seconds - 3) < 1e-9);
        const Run inverse({"G0 X0. B0. C0.", "G93 G1 X30. B4. F2.", "X31."}, false, "mirror-back-face");
        QVERIFY(std::abs(inverse.log.moves[1].seconds - 30) < 1e-9);
        QVERIFY(has_finding(inverse.findings, "no-feed", 3)); // an F in inverse time holds for its own block
        const Run combined({"G0 X0. B0. C0.", "G94 G1 X30. B40. F600."}, false, "mirror-back-face");
        QVERIFY(std::abs(combined.log.moves[1].seconds - 5) < 1e-9);
        // C at 18000 deg/min needs 0.5 s for 150 deg, whatever the feed says.
        const Run slow({"G0 X0. B0. C0.", "G93 G1 C150. F99999."}, false, "mirror-back-face");
        QVERIFY(std::abs(slow.log.moves[1].seconds - 0.5) < 1e-9);
    }

    void doubled_and_late_blocks()
    {
        const Run run({"G0 X1.", "G0 X1.", "M30", "G0 X2."});
        QVERIFY(has_finding(run.findings, "no-motion", 2));
        QVERIFY(has_finding(run.findings, "after-end", 4));
        const Run state({"S100 M3", "S100 M3"});
        QVERIFY(has_finding(state.findings, "no-effect", 2));
    }

    void inches_scale_lengths_and_feeds()
    {
        const Run run({"G20", "G0 X1. Y0.", "G1 X2. F60."});
        QVERIFY(std::abs(run.x(1) - 50.8) < 1e-9);
        QVERIFY(std::abs(run.log.moves[1].seconds - 1) < 1e-9);
    }
};

WEXILUM_TEST(TestInterpreter)

} // namespace test_interpreter
#include "test_interpreter.moc"
