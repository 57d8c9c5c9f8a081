// The run as a whole: safe starts, tool changes, cycles, feeds, sections, findings.
#include "core/base/units.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_run {

namespace {

QStringList body_of(const Assembly& a)
{
    QStringList out;
    for (const std::string& line : lines_of(code_of(a))) {
        out << QString::fromStdString(line).remove(QRegularExpression("^N\\d+ "));
    }
    return out;
}

QString proven(const Assembly& a)
{
    const RunResult run = post(a);
    const ReplayReport report = replay_code(a, run.files[0].text, true);
    return run.findings.has_errors() || report.findings.has_errors() ? shown(run.findings) + shown(report.findings) : QString();
}

} // namespace

class TestRun : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void tool_changes_call_the_next_tool_ahead()
    {
        const QStringList code = body_of(load_demo("mirror-cell").value());
        const auto first = code.indexOf("T1 M6");
        QVERIFY(first > 0);
        QCOMPARE(code[first + 2], QString("T3"));
        const auto second = code.indexOf("T3 M6");
        QCOMPARE(code.mid(second - 3, 6), (QStringList{"M9", "M5", "G53 Z0.", "T3 M6", "(BALL MILL 8)", "T2"}));
        const auto third = code.indexOf("T2 M6");
        QVERIFY(third > second);
        QVERIFY(code[third + 2] != "T1"); // nothing follows
    }

    void the_start_is_safe()
    {
        // Retract, rotate, then sideways, then down with the length: never two of these in one block.
        const QStringList code = body_of(load_demo("mirror-back-face").value());
        const auto call = code.indexOf("T5 M6");
        QCOMPARE(code[call - 3], QString("G53 G0 Z0."));
        const auto turn = code.indexOf(QRegularExpression("^G0 B.*C.*"));
        QVERIFY(turn > call);
        QVERIFY(!code[turn].contains(QRegularExpression("[XYZ]")));
        QVERIFY(code[turn + 1].contains(QRegularExpression("^X\\S+ Y\\S+$")));
        QVERIFY(code[turn + 2].contains(QRegularExpression("^G43 Z\\S+ H5$")));
        QVERIFY(code[turn + 3].startsWith("G1 "));
    }

    void a_turn_between_cuts_goes_through_the_retract()
    {
        const auto a = demo_with_toolpath("mirror-back-face",
                                          "MULTAX/ON\nLOADTL/5\nSPINDL/5000,CLW\nFEDRAT/500,MMPM\n"
                                          "RAPID\nGOTO/0,0,60,0,0.6,0.8\nGOTO/0,0,50,0,0.6,0.8\nRAPID\nGOTO/0,0,60,0,0.6,0.8\n"
                                          "RAPID\nGOTO/10,0,60,0.6,0,0.8\nGOTO/10,0,50,0.6,0,0.8\nRAPID\nGOTO/10,0,80,0.6,0,0.8\nFINI\n");
        QVERIFY(a.ok());
        QCOMPARE(proven(a.value()), QString());
        const QStringList code = body_of(a.value());
        int retracts = 0;
        for (const QString& line : code) {
            retracts += line.startsWith("G53 ") || line.startsWith("G0 G53") ? 1 : 0;
            if (line.contains(QRegularExpression("G0.*B"))) {
                QVERIFY2(!line.contains(QRegularExpression("[XYZ]")), qPrintable(line));
            }
        }
        QCOMPARE(retracts, 3); // head, between, end
    }

    void cycles_native_and_expanded()
    {
        const QStringList native = body_of(load_demo("mirror-cell").value());
        QVERIFY(native.contains("G99 G17 G81 X118. Y0. Z-9.5 R2. F220."));
        QVERIFY(native.contains("X110.884 Y40.358")); // 118 (cos 20, sin 20)
        const auto peck = native.indexOf(QRegularExpression("^G98 G83 X0\\. Y52\\. Z-38\\. R2\\. Q7\\. F180\\. P0\\.25$"));
        QVERIFY(peck > 0);
        QVERIFY(native.indexOf("G80") > 0);
        const Edit expanded{"dialects/morrow-m.json",
                            R"("drill": {"write": "native", "word": "G81"}, "peck": {"write": "native", "word": "G83"})",
                            R"("drill": {"write": "moves"}, "peck": {"write": "moves", "gap": 0.5})"};
        const Assembly a = load_demo("mirror-cell", {expanded}).value();
        const QString code = body_of(a).join('\n');
        QVERIFY(!code.contains("G81") && !code.contains("G83 "));
        // 40 mm of way by 7: five full pecks and the rest, each out and back in: 6 feeds a hole, 9 holes; 18 drilled holes.
        QCOMPARE(code.count(QRegularExpression("\\bZ-38\\.")), 9);
        QCOMPARE(code.count(QRegularExpression("G4 P0\\.25")), 9);
        QCOMPARE(code.count(QRegularExpression("\\bZ-9\\.5\\b")), 18);
        QCOMPARE(proven(a), QString());
    }

    void every_cycle_kind_is_proven()
    {
        for (const char* cycle :
             {"DRILL,DEPTH,12,CLEAR,2,MMPM,200", "DEEP,DEPTH,12,CLEAR,1.5,STEP,5,MMPM,150", "BRKCHP,DEPTH,12,CLEAR,2,STEP,4,MMPM,150",
              "TAP,DEPTH,12,CLEAR,4,PITCH,1.25", "BORE,DEPTH,12,CLEAR,2,DWELL,0.5,MMPM,80", "REAM,DEPTH,9,CLEAR,2,RTRCTO,25,MMPM,90"}) {
            const std::string text = std::string("LOADTL/2\nSPINDL/800,CLW\nFEDRAT/100,MMPM\nRAPID\nGOTO/0,0,30\nCYCLE/") + cycle +
                                     "\nGOTO/10,0,0\nGOTO/20,0,-1\nGOTO/20,10,3\nCYCLE/OFF\nRAPID\nGOTO/0,0,40\nFINI\n";
            const auto a = small_mill_with_toolpath(text);
            QVERIFY(a.ok());
            QVERIFY2(proven(a.value()).isEmpty(), qPrintable(QString(cycle) + proven(a.value()) + "\n" + body_of(a.value()).join('\n')));
        }
    }

    void rotary_feed_styles_keep_the_tip_s_feed()
    {
        for (const char* style : {"inverse-time", "per-minute"}) {
            const Assembly a = load_demo("mirror-back-face", {{"dialects/calder-t.json", "\"rotary_feed\": \"inverse-time\"",
                                                               std::string("\"rotary_feed\": \"") + style + "\""}})
                                   .value();
            const ReplayReport report = replay_code(a, code_of(a));
            QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
            QVERIFY(report.feed_error_percent < 0.5);
            QCOMPARE(QString::fromStdString(code_of(a)).contains("G93"), QString(style) == "inverse-time");
        }
    }

    void a_slow_joint_limits_the_feed()
    {
        // C at 60 deg/min: the rim's 360 degrees twice need 12 minutes, whatever the feed says; the program stays proven.
        const Assembly a = load_demo("mirror-back-face", {{"machines/tarn-5t.json", R"("speed": 18000)", R"("speed": 60)"}}).value();
        const RunResult run = post(a);
        QVERIFY(has_finding(run.findings, "feed-limited"));
        QVERIFY(!run.findings.has_errors());
        const ReplayReport report = replay_code(a, run.files[0].text);
        QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
    }

    void sections_can_be_switched_off_and_replaced()
    {
        const Assembly a =
            load_demo("mirror-cell", {{"jobs/mirror-cell.json", R"("work_offset": "1",)",
                                       R"~("work_offset": "1", "sections": {"program-end": "off", "operation": ["(--- {operation})"]},)~"}})
                .value();
        const QStringList code = body_of(a);
        QVERIFY(!code.contains("M30"));
        QVERIFY(code.contains("(--- 20 SADDLE GROOVES)"));
        QVERIFY(has_finding(replay_code(a, code_of(a)).findings, "no-end"));
    }

    void stops_dwells_comments_and_inserted_text()
    {
        const auto a = small_mill_with_toolpath(
            "LOADTL/1\nSPINDL/600,CLW\nFEDRAT/100,MMPM\nRAPID\nGOTO/0,0,10\nGOTO/0,0,0\nDELAY/1.5\nDELAY/5,REV\n"
            "PPRINT check the (width)\nOPSTOP\nSTOP\nINSERT M8\nGOTO/10,0,0\nCOOLNT/OFF\nRAPID\nGOTO/10,0,10\nFINI\n");
        QVERIFY(a.ok());
        const QStringList code = body_of(a.value());
        QVERIFY(code.contains("G4 P1.5"));
        QVERIFY(code.contains("G4 P0.5")); // five turns at 600 rpm
        QVERIFY(code.contains("(CHECK THE -WIDTH-)"));
        const auto insert = code.indexOf("M8");
        // All is stated again. (The M8 puts in a coolant that the path does not know of: the replay says so.)
        QCOMPARE(code.mid(insert - 2, 5), (QStringList{"M1", "M0", "M8", "G21 G90 G54 G43 H1", "G94 G1 X10. Y0. Z0. F100."}));
    }

    void the_outline_knows_arcs_and_holes()
    {
        const RunResult run = post(load_demo("mirror-cell").value());
        const auto& operations = run.outline.operations;
        QCOMPARE(operations.size(), std::size_t(3));
        // The rim is a circle of radius 128.25 that is stated by one point only; the grooves dip 4.5 mm; the deep holes go to 38 mm.
        QVERIFY((operations[0].low - Vec3(-128.25, -128.25, -12)).norm() < 1e-6);
        QVERIFY(std::abs(operations[0].high.y() - 128.25) < 1e-6);
        QVERIFY(std::abs(operations[1].low.z() + 4.5) < 1e-3);
        QVERIFY(std::abs(operations[2].low.z() + 38) < 1e-9);
        QCOMPARE(run.outline.tool_calls, (std::vector<std::uint32_t>{1, 3, 2}));
    }

    void a_first_cut_without_rapid_comes_down_at_feed()
    {
        const auto a =
            small_mill_with_toolpath("LOADTL/1\nSPINDL/600,CLW\nFEDRAT/150,MMPM\nGOTO/5,6,0\nGOTO/15,6,0\nRAPID\nGOTO/15,6,30\n");
        QVERIFY(a.ok());
        QCOMPARE(proven(a.value()), QString());
        const QStringList code = body_of(a.value());
        const auto at = code.indexOf("G0 X5. Y6.");
        QVERIFY(at > 0);
        QCOMPARE(code[at + 1], QString("G43 G1 Z0. F150. H1"));
    }

    void turns_on_the_spot_feeds_per_revolution_and_inches_are_proven()
    {
        const auto turn =
            demo_with_toolpath("mirror-back-face", "MULTAX/ON\nLOADTL/5\nSPINDL/5000,CLW\nFEDRAT/500,MMPM\nRAPID\nGOTO/20,10,60,0,0.6,0.8\n"
                                                   "GOTO/20,10,50,0,0.6,0.8\nGOTO/20,10,50,0.6,0,0.8\nGOTO/30,10,50,0.6,0,0.8\nFINI\n");
        QCOMPARE(proven(turn.value()), QString());
        const auto per_turn = small_mill_with_toolpath("LOADTL/1\nSPINDL/600,CLW\nFEDRAT/0.2,MMPR\nRAPID\nGOTO/0,0,10\nGOTO/0,0,0\n"
                                                       "CIRCLE/10,0,0,0,0,1,10\nGOTO/20,0,0\nFEDRAT/200,MMPM\nGOTO/20,20,0\nFINI\n");
        QCOMPARE(proven(per_turn.value()), QString());
        QVERIFY(body_of(per_turn.value()).contains("G95 G1 Z0. F0.2"));
        Assembly inches = load_demo("mirror-cell", {{"dialects/morrow-m.json", "G17 G21 G40", "G17 G20 G40"},
                                                    {"dialects/morrow-m.json", "\"millimetres\": \"G21\"", "\"inches\": \"G20\""}})
                              .value();
        inches.dialect.inches = true;
        inches.dialect.numbers[std::size_t(Quantity::length)].decimals = 4;
        inches.controller.length_increment = 0.0001;
        QCOMPARE(proven(inches), QString());
        QVERIFY(body_of(inches).contains("G99 G17 G81 X4.6457 Y0. Z-0.374 R0.0787 F8.7")); // 118, -9.5, 2 mm and 220 mm/min over 25.4
    }

    void several_files_cover_one_path()
    {
        const Assembly a = load_demo("mirror-cell").value();
        const std::vector<std::string> lines = lines_of(code_of(a));
        const auto change = std::find_if(lines.begin(), lines.end(), [](const std::string& l) { return l.ends_with("T3 M6"); });
        std::vector<std::string> first(lines.begin(), change);
        std::vector<std::string> second(change, lines.end());
        first.emplace_back("M30");
        second.insert(second.begin(), {"G17 G21 G90 G94 G49", "G53 G0 Z0.", "G54"});
        const std::string one = joined(first);
        const std::string two = joined(second);
        const ReplayReport both = replay(a, {{"one.nc", one}, {"two.nc", two}}, false);
        QVERIFY2(!both.findings.has_errors(), qPrintable(shown(both.findings)));
        const ReplayReport half = replay(a, {{"one.nc", one}}, false);
        QVERIFY(half.uncovered > 20 && has_finding(half.findings, "tool-change-missing"));
    }

    void unknown_words_and_other_trouble_is_said()
    {
        const auto a = small_mill_with_toolpath(
            "CUTCOM/LEFT\nGOTO/0,0,10\nLOADTL/9\nGOTO/0,0,0\nLOADTL/1,LENGTH,50\nRAPID\nGOTO/0,0,5\nGOTO/0,0,1\nFINI\n");
        QVERIFY(a.ok());
        const RunResult run = post(a.value());
        QVERIFY(has_finding(run.findings, "unknown-word"));
        QVERIFY(has_finding(run.findings, "tool-missing"));
        QVERIFY(has_finding(run.findings, "length-differs"));
        QVERIFY(has_finding(run.findings, "feed-missing"));
        for (const Finding& f : run.findings.list()) {
            QVERIFY2(!f.cure.empty() && !f.source.file.empty(), f.kind.c_str());
        }
    }

    void failing_jobs_say_what_where_and_how_much()
    {
        const auto first = [](const char* job) {
            const RunResult run = post(load_demo(job).value());
            for (const Finding& f : run.findings.list()) {
                if (f.severity == Severity::error) {
                    return QString("%1|%2|%3|%4")
                        .arg(QString::fromStdString(f.kind), QString::fromStdString(f.message), QString::fromStdString(f.source.file))
                        .arg(f.source.line);
                }
            }
            return QString("no error");
        };
        // The helix over the pocket at +X comes first: 345 + 78 + 6 = 429; worst is the pocket's wall: 345 + 78 + 19 = 442, against 420.
        QCOMPARE(first("fails-beyond-travel"),
                 QString("beyond-travel|X goes 22.000 mm beyond the high end of its travel|toolpaths/cell-pockets.cl|8"));
        QCOMPARE(first("fails-tool-without-length"),
                 QString("length-missing|the tool 2 (drill 8.5) has no length|toolpaths/cell-holes.cl|3"));
        // The groove leans from its 17th point on, in line 25; its last axis by 25 * 0.8 = 20 degrees.
        QCOMPARE(first("fails-unreachable-direction"),
                 QString("unreachable|no rotary posture brings the tool axis there: 20.000 deg are missing|toolpaths/tilted-groove.cl|25"));
        // Tilted by 35 + 30 * 3 = 125 degrees, B goes to 110.
        QCOMPARE(first("fails-tilt-beyond-travel").section('|', 0, 2),
                 QString("beyond-travel|B goes 15.000 deg beyond the low end of its travel|toolpaths/rim-undercut.cl"));
    }

    void findings_become_ranges_with_the_worst_value()
    {
        FindingList list;
        for (std::size_t i : {10, 11, 12, 40, 41}) {
            Finding finding = Finding::make(Severity::error, "k", std::to_string(i), "c", i == 11 ? 5.0 : 1.0);
            finding.source = {"f", std::uint32_t(i), 0};
            list.add(std::move(finding), "X", i);
        }
        QCOMPARE(list.list().size(), std::size_t(2));
        QCOMPARE(list.list()[0].message, std::string("11"));
        QCOMPARE(list.list()[0].source.line, 10u);
        QCOMPARE(list.list()[0].worst_source.line, 11u);
        QCOMPARE(list.list()[0].count, std::size_t(3));
        QCOMPARE(list.list()[0].last_source_line, 12u);
        FindingList many;
        for (std::size_t i = 0; i < 100000; ++i) {
            many.add(Finding::make(Severity::error, "k", "m", "c"), "X", i * 10);
        }
        QCOMPARE(many.list().size(), FindingList::most_ranges);
        QCOMPARE(many.list().back().count, std::size_t(100000 - FindingList::most_ranges + 1));
    }

    void the_same_job_gives_the_same_code()
    {
        const Assembly a = load_demo("mirror-back-face").value();
        const Assembly b = load_demo("mirror-back-face").value();
        QVERIFY(code_of(a) == code_of(b));
    }

    void the_sheet_is_chosen_for_the_whole_section()
    {
        // C may go from -100 to 280 only. The path turns its axis from azimuth 0 to 200 degrees: from home the nearest start (C about
        // 0, turning down to -200) leaves travel; the start a turn higher, or the other branch, does not.
        std::string cl = "MULTAX/ON\nLOADTL/5\nSPINDL/5000,CLW\nFEDRAT/500,MMPM\n";
        for (int k = 0; k <= 40; ++k) {
            const double azimuth = to_rad(5.0 * k);
            char line[160];
            std::snprintf(line, sizeof line, "%sGOTO/%.5f,%.5f,40,%.8f,%.8f,%.8f\n", k == 0 ? "RAPID\n" : "", 20 * std::cos(azimuth),
                          20 * std::sin(azimuth), 0.5 * std::cos(azimuth), 0.5 * std::sin(azimuth), std::sqrt(0.75));
            cl += line;
        }
        const auto a = demo_with_toolpath("mirror-back-face", cl + "RAPID\nGOTO/0,0,90,0,0,1\nFINI\n",
                                          {{"machines/tarn-5t.json", "[-450, 450]", "[-280, 100]"}});
        QVERIFY(a.ok());
        QCOMPARE(proven(a.value()), QString());
    }
};

WEXILUM_TEST(TestRun)

} // namespace test_run
#include "test_run.moc"
