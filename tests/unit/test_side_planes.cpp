// Cycles through a head in the planes of the control, and the coolant that a head lets through. Values by hand.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/run/block_probe.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_side_planes {

namespace {

const std::string control_file = "controllers/morrow-m.json";
const std::string machine_file = "machines/tarn-3.json";

/// The mill's control on lines of code, without work offset; "F" and where the joint goes for feeds, "R" for rapids.
struct Control {
    Assembly assembly = load_demo("mirror-cell-sides").value();
    Moves moves;
    FindingList findings;
    std::string file = "code";
    FedControl control;
    explicit Control(std::initializer_list<const char*> lines)
        : control(assembly.controller, assembly.machine, ControlMemory{{{"1", {}}}, &assembly.setup}, false, file, moves, findings)
    {
        for (const char* line : lines) {
            control.line(line);
        }
    }
    [[nodiscard]] QString way(const char* joint) const
    {
        QStringList out;
        const auto at = Eigen::Index(assembly.machine.find_joint(joint)->value);
        for (const ReplayMove& move : moves.list) {
            out.push_back(QStringLiteral("%1%2").arg(QLatin1Char(move.feed ? 'F' : 'R')).arg(std::round(move.to[at] * 1e6) / 1e6 + 0.0));
        }
        return out.join(QLatin1Char(' '));
    }
};

} // namespace

class TestSidePlanes : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void pecks_across_a_plane_data()
    {
        QTest::addColumn<QString>("block");
        QTest::addColumn<QString>("joint");
        QTest::addColumn<QString>("way");
        // To the clearance first; 5 a peck, out to the clearance and back to 0.8 above what is drilled.
        QTest::newRow("down") << QStringLiteral("G17 G99 G83 Z-42. R-30. Q5. F120.") << QStringLiteral("Z")
                              << QStringLiteral("R-20 R-30 F-35 R-30 R-34.2 F-40 R-30 R-39.2 F-42 R-30");
        QTest::newRow("towards lower X") << QStringLiteral("G19 G99 G83 X-2. R10. Q5. F120.") << QStringLiteral("X")
                                         << QStringLiteral("R20 R10 F5 R10 R5.8 F0 R10 R0.8 F-2 R10");
        QTest::newRow("towards higher Y") << QStringLiteral("G18 G99 G83 Y42. R30. Q5. F120.") << QStringLiteral("Y")
                                          << QStringLiteral("R20 R30 F35 R30 R34.2 F40 R30 R39.2 F42 R30");
        // From inside the clearance it comes out first, and goes back to where it began only if that is further out.
        QTest::newRow("from further in") << QStringLiteral("G18 G98 G81 Y42. R15. F120.") << QStringLiteral("Y")
                                         << QStringLiteral("R20 R15 F42 R15");
        QTest::newRow("back to where it began")
            << QStringLiteral("G18 G98 G81 Y42. R30. F120.") << QStringLiteral("Y") << QStringLiteral("R20 R30 F42 R30 R20");
        QTest::newRow("chips broken") << QStringLiteral("G19 G99 G73 X32. R22. Q6. F120.") << QStringLiteral("X")
                                      << QStringLiteral("R20 R22 F28 R27.5 F32 R22");
    }
    void pecks_across_a_plane()
    {
        QFETCH(QString, block);
        QFETCH(QString, joint);
        QFETCH(QString, way);
        const std::string start = "G0 " + joint.toStdString() + (joint == QLatin1String("Z") ? "-20." : "20.");
        const Control c({start.c_str(), block.toUtf8().constData()});
        QVERIFY2(c.findings.list().empty(), qPrintable(shown(c.findings)));
        QCOMPARE(c.way(joint.toUtf8().constData()), way);
    }

    void a_plane_that_changes_in_a_cycle()
    {
        const Control c({"G0 X20. Y20. Z-5.", "G17 G99 G81 Z-20. R-10. F120.", "G19 X30."});
        QCOMPARE(c.findings.list().size(), std::size_t(1));
        QCOMPARE(QString::fromStdString(c.findings.list().front().message),
                 QStringLiteral("the plane changes while a cycle is on: it would drill along another axis"));
    }

    void a_head_drills_by_the_controls_own_cycle()
    {
        // At 90 and 270 deg the head stands along X; in the directions between it is across none of the planes.
        const Assembly a = load_demo("mirror-cell-sides").value();
        const std::string code = code_of(a);
        const std::vector<std::string> lines = lines_of(code);
        bool along_x = false;
        std::size_t native = 0;
        std::size_t moved = 0;
        for (std::size_t i = 0; i < lines.size(); ++i) {
            if (lines[i].starts_with("(SET H")) {
                along_x = lines[i].find(" TO 90 DEG") != std::string::npos || lines[i].find(" TO 270 DEG") != std::string::npos;
            }
            const bool cycle = lines[i].find("G81 ") != std::string::npos || lines[i].find("G83 ") != std::string::npos;
            native += cycle ? 1 : 0;
            moved += !cycle && lines[i].find("G1 ") != std::string::npos && !along_x ? 1 : 0;
            QVERIFY2(!cycle || along_x, lines[i].c_str());
        }
        QVERIFY(native > 20 && moved > 20);
        const ReplayReport report = replay_code(a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        // The same holes where the control drills along Z alone, or the dialect lacks the plane's word.
        for (const Edit& edit :
             {Edit{control_file, R"("cycles": "across-plane",)", ""}, Edit{"dialects/morrow-m.json", R"("plane-yz": "G19", )", ""}}) {
            std::vector<Edit> edits{edit};
            if (edit.file == control_file) { // its witness of the side plane as well
                edits.push_back({control_file, "\"code\": [\"G0 X0. Y0. Z50.\", \"G99 G19 G81 X30. Y4. R12. F120.\"]",
                                 "\"code\": [\"G0 X12. Y4. Z50.\"]"});
            }
            const auto other = load_demo("mirror-cell-sides", edits);
            QVERIFY2(other, other ? "" : other.error().text().c_str());
            const std::string plain = code_of(*other);
            QVERIFY(plain.find("G81 ") == std::string::npos);
            const ReplayReport again = replay_code(*other, plain, true);
            QVERIFY2(again.findings.list().empty(), qPrintable(shown(again.findings)));
        }
    }

    void whole_circles_as_lines()
    {
        // Without the word of the plane in which the pad's rings lie each becomes lines: 2 acos(1 - 0.005 / r) of turn a line at most.
        const Assembly a = load_demo("mirror-cell-sides", {{"dialects/morrow-m.json", R"("plane-yz": "G19", )", ""}}).value();
        const std::vector<std::string> lines = lines_of(code_of(a));
        const auto ring =
            std::find_if(lines.begin(), lines.end(), [](const std::string& line) { return line.ends_with("G1 X218.55 F150."); });
        const auto next = std::find_if(ring, lines.end(), [](const std::string& line) { return line.ends_with(" Y3.5"); });
        QVERIFY(ring != lines.end() && next != lines.end());
        const auto least = int(std::ceil(2 * pi / (2 * std::acos(1 - 0.005 / 1.5))));
        const auto blocks = int(next - ring) - 1;
        QVERIFY2(blocks >= least && blocks <= 2 * least, qPrintable(QStringLiteral("%1, at least %2").arg(blocks).arg(least)));
    }

    void the_trace_says_how_a_hole_is_written_data()
    {
        QTest::addColumn<QString>("line");
        QTest::addColumn<QString>("how");
        QTest::newRow("along X") << QStringLiteral(" G19 G81 ")
                                 << QStringLiteral("by the control's own cycle, in the plane across the tool");
        QTest::newRow("between") << QStringLiteral(" F15000.")
                                 << QStringLiteral("by single moves: the tool is perpendicular to none of the planes");
    }
    void the_trace_says_how_a_hole_is_written()
    {
        QFETCH(QString, line);
        QFETCH(QString, how);
        const Assembly a = load_demo("mirror-cell-sides").value();
        const std::vector<std::string> lines = lines_of(code_of(a));
        std::uint32_t found = 0;
        bool between = false;
        for (std::uint32_t i = 0; i < lines.size() && found == 0; ++i) {
            between = between || lines[i].starts_with("(SET H OF THE TURNING HEAD TO 18 DEG") ||
                      lines[i].starts_with("(SET H OF THE TURNING HEAD TO 162 DEG");
            const bool wanted = lines[i].find(line.toStdString()) != std::string::npos && lines[i].find("G53") == std::string::npos;
            if (wanted &&
                (how.contains(QLatin1String("own cycle")) || (between && lines[i - 1].ends_with(" F160.")))) { // the way out of a hole
                found = i + 1;
            }
        }
        QVERIFY(found != 0);
        MemoryRecords records(a.toolpath);
        MemoryScratch scratch;
        const BlockTrace trace = trace_block(a, records, scratch, found).value();
        QVERIFY2(QString::fromStdString(trace.rule).contains(how), trace.rule.c_str());
    }

    void coolant_that_a_head_has_not()
    {
        const Assembly a =
            load_demo("mirror-cell-sides", {{machine_file, R"("coolant": ["flood", "mist"])", R"("coolant": ["mist"])"}}).value();
        const RunResult run = post(a);
        const QString told = QStringLiteral("the turning head has no coolant \"flood\", only mist");
        const auto said = [&](const FindingList& findings) {
            return std::count_if(findings.list().begin(), findings.list().end(), [&](const Finding& f) {
                return f.kind == "coolant-refused" && QString::fromStdString(f.message).startsWith(told);
            });
        };
        QVERIFY2(said(run.findings) == 1, qPrintable(shown(run.findings)));
        QVERIFY(said(replay_code(a, run.files.front().text, true).findings) >= 1);
        const Assembly none =
            load_demo("mirror-cell-sides", {{machine_file, R"("coolant": ["flood", "mist"])", R"("coolant": [])"}}).value();
        const auto findings = post(none).findings.list();
        QVERIFY(
            std::any_of(findings.begin(), findings.end(), [](const Finding& f) { return f.message == "the turning head has no coolant"; }));
        const auto bad = load_demo("mirror-cell-sides", {{machine_file, R"(["flood", "mist"])", R"(["foam"])"}});
        QVERIFY(!bad);
        QCOMPARE(QString::fromStdString(bad.error().message), QStringLiteral("\"foam\" is not a coolant"));
    }
};

WEXILUM_TEST(TestSidePlanes)

} // namespace test_side_planes
#include "test_side_planes.moc"
