// Arcs from the toolpath to words and back: senses, forms, and what rounding must not do.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/control/block_words.hpp"
#include "core/control/control_memory.hpp"
#include "core/control/replay_move.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_arcs {

namespace {

const Edit radius_form{"dialects/mill.json", R"("arcs": {"form": "centre")", R"("arcs": {"form": "radius")"};
const std::string head = "LOADTL/1\nSPINDL/5000,CLW\nFEDRAT/500,MMPM\n";

/// Posts a toolpath on the small mill, replays it and returns the blocks that hold an arc.
QStringList arcs_of(const std::string& cl, const std::vector<Edit>& edits = {})
{
    const auto loaded = small_mill_with_toolpath(head + cl, edits);
    if (!loaded) {
        return {QString::fromStdString(loaded.error().text())};
    }
    const RunResult run = post(loaded.value());
    const ReplayReport report = replay_code(loaded.value(), run.files[0].text, true);
    if (run.findings.has_errors() || report.findings.has_errors() || report.uncovered + report.extra > 0) {
        return {"not proven:" + shown(run.findings) + shown(report.findings) + "\n" + QString::fromStdString(run.files[0].text)};
    }
    QStringList out;
    bool arc = false;
    const QRegularExpression motion("\\bG([0-3])\\b");
    for (const std::string& line : lines_of(run.files[0].text)) {
        const QString text = QString::fromStdString(line);
        if (const auto found = motion.match(text); found.hasMatch()) {
            arc = found.captured(1) == "2" || found.captured(1) == "3";
        }
        if (arc && !text.startsWith('(') && text.contains(QRegularExpression("[IJKR]"))) {
            out << text.section(' ', 1);
        }
    }
    return out;
}

} // namespace

class TestArcs : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void senses_in_the_three_planes_data()
    {
        QTest::addColumn<QString>("cl");
        QTest::addColumn<QString>("wanted");
        // Right-handed about the plane's third axis is counter-clockwise: XY about +Z, ZX about +Y (from Z to X), YZ about +X.
        QTest::newRow("XY, about +Z") << "RAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/0,10,0\n"
                                      << "G3 X0. Y10. I-10. F500.";
        QTest::newRow("XY, about -Z") << "RAPID\nGOTO/0,10,0\nCIRCLE/0,0,0,0,0,-1,10\nGOTO/10,0,0\n"
                                      << "G2 X10. Y0. J-10. F500.";
        QTest::newRow("ZX, about +Y: from +Z to +X") << "RAPID\nGOTO/0,0,10\nCIRCLE/0,0,0,0,1,0,10\nGOTO/10,0,0\n"
                                                     << "G18 G3 X10. Z0. K-10. F500.";
        QTest::newRow("ZX, about -Y: from +X to +Z") << "RAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,-1,0,10\nGOTO/0,0,10\n"
                                                     << "G18 G2 X0. Z10. I-10. F500.";
        QTest::newRow("YZ, about +X: from +Y to +Z") << "RAPID\nGOTO/0,10,0\nCIRCLE/0,0,0,1,0,0,10\nGOTO/0,0,10\n"
                                                     << "G19 G3 Y0. Z10. J-10. F500.";
        QTest::newRow("YZ, about -X: from +Z to +Y") << "RAPID\nGOTO/0,0,10\nCIRCLE/0,0,0,-1,0,0,10\nGOTO/0,10,0\n"
                                                     << "G19 G2 Y10. Z0. K-10. F500.";
    }
    void senses_in_the_three_planes()
    {
        QFETCH(QString, cl);
        QFETCH(QString, wanted);
        QCOMPARE(arcs_of(cl.toStdString()), QStringList{wanted});
    }

    void full_circle_in_one_block()
    {
        QCOMPARE(arcs_of("RAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/10,0,0\n"), QStringList{"G3 I-10. F500."});
    }

    void helix_of_three_turns()
    {
        QCOMPARE(arcs_of("RAPID\nGOTO/10,0,3\nCIRCLE/0,0,3,0,0,1,10,TIMES,3\nGOTO/10,0,0\n"),
                 (QStringList{"G3 Z2. I-10. F500.", "Z1. I-10.", "Z0. I-10."}));
    }

    void radius_form_takes_at_most_a_third_of_a_turn()
    {
        // A full circle of radius 10 in three pieces; the corners at 120 and 240 degrees: (-5, +-8.660).
        QCOMPARE(arcs_of("RAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/10,0,0\n", {radius_form}),
                 (QStringList{"G3 X-5. Y8.66 R10. F500.", "Y-8.66 R10.", "X10. Y0. R10."}));
        // 150 degrees in two of 75: (10 cos 75, 10 sin 75) = (2.588, 9.659), (-8.660, 5).
        QCOMPARE(arcs_of("RAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/-8.660254,5,0\n", {radius_form}),
                 (QStringList{"G3 X2.588 Y9.659 R10. F500.", "X-8.66 Y5. R10."}));
    }

    void an_arc_that_rounds_to_nothing_never_becomes_a_circle()
    {
        // 0.0004 mm along the circle: both ends are 10., 0. after rounding.
        const std::string tiny = "RAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/9.9999999,0.0004,0\nGOTO/5,0,0\n";
        QCOMPARE(arcs_of(tiny).join("\n"), QString());
        QCOMPARE(arcs_of(tiny, {radius_form}), QStringList{});
        // Just over the rounding, and turned round by it: 0.0026 mm.
        QCOMPARE(arcs_of("RAPID\nGOTO/10,0.0004,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/9.9999995,0.003,0\nGOTO/5,0,0\n"), QStringList{});
    }

    void a_nearly_full_circle_stays_one()
    {
        // From angle 0 to 2 pi - 0.00002 rad: the ends differ by 0.0002 mm and round to the same place; the way is still a whole turn.
        const QStringList whole = arcs_of("RAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/10,-0.0002,0\n");
        QCOMPARE(whole, QStringList{"G3 I-10. F500."});
        // Ends that round apart in the wrong sense: start 0.0004 below, end 0.0006 above the same radius.
        const QStringList split =
            arcs_of("RAPID\nGOTO/10,-0.0004,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/10,0.0006,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/10,-0.0004,0\n");
        QVERIFY2(!split.isEmpty() && !split[0].startsWith("not proven"), qPrintable(split.join('\n')));
    }

    void arcs_out_of_plane_become_lines()
    {
        // A circle whose axis leans 45 degrees between Y and Z.
        const auto loaded =
            small_mill_with_toolpath(head + "RAPID\nGOTO/10,0,30\nCIRCLE/0,0,30,0,0.70710678,0.70710678,10\nGOTO/-10,0,30\n");
        QVERIFY(loaded.ok());
        const std::string code = code_of(loaded.value());
        QVERIFY(!QString::fromStdString(code).contains(QRegularExpression("\\bG[23]\\b")));
        const ReplayReport report = replay_code(loaded.value(), code);
        QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
        // Chords of a circle of radius 10 within 0.005 mm: sagitta r (1 - cos(a/2)), so a <= 0.0632 rad and at least 50 of them.
        QVERIFY(lines_of(code).size() >= 50 && lines_of(code).size() < 110);
        QVERIFY(report.between.tip > 0.002 && report.between.tip < 0.0065);
    }

    void differing_radii_are_taken_as_the_control_says()
    {
        // Start radius 10, end radius 10.004: inside the control's 0.005, so it is no alarm; at half the way the radius is
        // 10 where the control keeps the start's, 10.002 where it blends.
        for (const bool blend : {false, true}) {
            const Assembly a = small_mill({{"controllers/mill.json", R"("radius_kept": "start")",
                                            blend ? R"("radius_kept": "blend")" : R"("radius_kept": "start")"}})
                                   .value();
            struct Keep final : ReplaySink {
                std::optional<ReplayMove> arc;
                void move(const ReplayMove& m) override { arc = m.arc ? m : arc; }
            } sink;
            FindingList findings;
            FedControl control(a.controller, a.machine, control_memory(a.machine, a.setup), false, "t", sink, findings);
            control.line("G55 G0 X10. Y0. Z300.");
            QVERIFY(has_finding(findings, "offset-missing"));
            FindingList clean;
            FedControl other(a.controller, a.machine, control_memory(a.machine, a.setup), false, "t", sink, clean);
            other.line("G0 X10. Y0. Z300.");
            other.line("G3 X0. Y10.004 I-10. F100.");
            QVERIFY2(!clean.has_errors(), qPrintable(shown(clean)));
            const Readings middle = sink.arc->at(0.5);
            const double x = middle[1] - a.offset(JointIndex(1), 0);
            const double y = middle[0] - a.offset(JointIndex(0), 0);
            QVERIFY(std::abs(std::hypot(x, y) - (blend ? 10.002 : 10.0)) < 1e-6);
            other.line("G3 X10. Y0. I0. J-10.02 F100.");
            QVERIFY(has_finding(clean, "arc-error"));
        }
    }
};

WEXILUM_TEST(TestArcs)

} // namespace test_arcs
#include "test_arcs.moc"
