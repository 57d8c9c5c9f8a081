// Subprograms, shifted and turned coordinates: what the control does with them, and copies that become calls. Values by hand.
#include "core/base/units.hpp"
#include "core/control/subprograms.hpp"
#include "core/io/real_files.hpp"
#include "core/project/job_run.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/block_probe.hpp"
#include "core/toolpath/record_spool.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QRegularExpression>
#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_subprograms {

namespace {

const std::string job = "jobs/mirror-cell-by-calls.json";
const std::string hub = "jobs/focuser-hub-by-calls.json";
const std::string style_file = "dialects/morrow-m.json";

/// The mill's control on the lines of a file, without work offset.
struct Control {
    Assembly assembly = load_demo("mirror-cell-by-calls").value();
    Moves moves;
    FindingList findings;
    std::string file = "code";
    SubprogramBook book{assembly.controller};
    FedControl control;
    explicit Control(const std::vector<std::string>& lines, std::uint64_t most_called_blocks = 20'000'000)
        : control(assembly.controller, assembly.machine, ControlMemory{{{"1", {}}}, &assembly.setup, &book, nullptr, most_called_blocks},
                  false, file, moves, findings)
    {
        for (const std::string& line : lines) {
            book.line(line);
        }
        for (const std::string& line : lines) {
            control.line(line);
        }
        control.finish();
    }
    /// Where motions end, in X, Y, Z, with their block and the one that called it.
    [[nodiscard]] QString way() const
    {
        QStringList out;
        for (const ReplayMove& move : moves.list) {
            const auto at = [&](const char* joint) {
                return std::round(move.to[Eigen::Index(assembly.machine.find_joint(joint)->value)] * 1e4) / 1e4 + 0.0;
            };
            const QString from = move.called_by.value != 0 ? QStringLiteral("<%1").arg(move.called_by.value) : QString();
            out.push_back(QStringLiteral("%1%2: %3 %4 %5").arg(move.block.value).arg(from).arg(at("X")).arg(at("Y")).arg(at("Z")));
        }
        return out.join(QStringLiteral(", "));
    }
};

QString told(const FindingList& findings)
{
    QStringList out;
    for (const Finding& finding : findings.list()) {
        out.push_back(QStringLiteral("%1 %2: %3")
                          .arg(finding.code.line)
                          .arg(QString::fromStdString(finding.kind), QString::fromStdString(finding.message)));
    }
    return out.join(QStringLiteral("; "));
}

/// The job with every operation written out.
std::vector<Edit> written_out()
{
    return {{job, ", \"subprogram\": 3110,", ","}, {job, ", \"subprogram\": 3120,", ","}, {job, ", \"subprogram\": 3130,", ","}};
}

/// What the control does with a program, motion by motion.
std::vector<ReplayMove> moves_of(const Assembly& assembly, const std::string& code)
{
    Moves moves;
    FindingList findings;
    const std::string file = "code";
    SubprogramBook book(assembly.controller);
    for_each_line(code, [&](std::string_view line) { book.line(line); });
    ControlMemory memory = control_memory(assembly.machine, assembly.setup);
    memory.subprograms = &book;
    FedControl control(assembly.controller, assembly.machine, memory, true, file, moves, findings);
    for_each_line(code, [&](std::string_view line) { control.line(line); });
    return moves.list;
}

std::size_t count_of(const std::string& code, const char* pattern)
{
    const QRegularExpression wanted(QString::fromLatin1(pattern), QRegularExpression::MultilineOption);
    std::size_t out = 0;
    for (auto found = wanted.globalMatch(QString::fromStdString(code)); found.hasNext(); found.next()) {
        ++out;
    }
    return out;
}

struct Posted {
    Assembly assembly;
    std::string code;
    RunResult run;
    explicit Posted(const std::string& name, const std::vector<Edit>& edits = {}) : assembly(load_demo(name, edits).value())
    {
        run = post(assembly);
        code = run.files.at(0).text;
    }
    [[nodiscard]] QString remarks() const
    {
        QStringList out;
        for (const Finding& finding : run.findings.list()) {
            if (finding.kind == "copy-written-out") {
                out.push_back(QString::fromStdString(finding.message));
            }
        }
        return out.join(QStringLiteral("; "));
    }
};

} // namespace

class TestSubprograms : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // --- the control -----------------------------------------------------------------------------------------------

    void runs_calls_as_they_come()
    {
        const Control c({"O1", "G0 X1. Y0. Z0.", "M76 P20", "X5.", "M76 P30 L2", "M30", "%", "O20", "(FIRST)", "G0 Y2.", "M77", "X99.",
                         "O30", "N10 G91 G0 Z-1.", "N20 M76 P20", "N30 G90 M77", "%"});
        QCOMPARE(told(c.findings), QStringLiteral("12 not-reached: the subprogram O20 has ended before this block"));
        // What stands behind a return is not run; Y2 is not to be gone to twice with G90, and is gone on from with G91.
        QCOMPARE(c.way(), QStringLiteral("2: 1 0 0, 10<3: 1 2 0, 4: 5 2 0, 14<5: 5 2 -1, 10<5: 5 4 -1, 14<5: 5 4 -2, 10<5: 5 6 -2"));
    }

    void tells_what_is_wrong_with_a_call_data()
    {
        QTest::addColumn<QStringList>("lines");
        QTest::addColumn<QString>("findings");
        const auto row = [](const char* name, const QStringList& lines, const char* findings) {
            QTest::newRow(name) << lines << QString::fromLatin1(findings);
        };
        row("no such one", {"G0 X1.", "M76 P5", "M30"}, "2 subprogram-missing: the subprogram O5 is called, which is not in the file");
        row("no number", {"M76", "M30"}, "1 code-error: a call needs the number of its subprogram, a whole one after P");
        row("half a number", {"M76 P1.5", "M30"}, "1 code-error: a call needs the number of its subprogram, a whole one after P");
        row("times", {"M76 P5 L0", "M30", "O5", "G0 X1.", "M77"},
            "1 code-error: how many times a subprogram is called is a whole number from 1 to 9999 behind L; 3 subprogram-unused: nothing "
            "calls the subprogram O5");
        row("no return", {"M76 P5", "M30", "O5", "G0 X1."}, "4 no-return: the subprogram O5 does not end");
        row("a return alone", {"M77", "M30"}, "1 code-error: a subprogram ends where none has been called");
        row("twice there", {"M76 P5", "M30", "O5", "G0 X1.", "M77", "O5", "G0 X2.", "M77"},
            "1 subprogram-twice: the file has two subprograms O5");
        row("calls itself", {"M76 P5", "M30", "O5", "M76 P5", "M77"}, "4 calls-too-deep: subprograms call each other more than 8 deep");
        row("a mistake inside", {"M76 P5", "M30", "O5", "G0 X1.", "G7 Y1.", "M77"}, "5 code-error: the control does not know G7");
        row("no end before", {"G0 X1.", "O5", "G0 X2.", "M77"},
            "2 subprogram-unused: nothing calls the subprogram O5; 4 no-end: the program has no end");
        row("ends inside", {"M76 P5", "G0 X7.", "O5", "G0 X1.", "M30"}, "2 after-end: the program goes on after its end");
        row("shift of nothing", {"G57", "M30"},
            "1 code-error: a shift of coordinates names no axis; 1 no-effect: the block changes nothing");
        row("left shifted", {"G57 X1.", "M30"}, "2 coordinates-left: the program ends while its coordinates are shifted or turned");
        row("left turned", {"G75 X0. Y0. R30.", "M30"}, "2 coordinates-left: the program ends while its coordinates are shifted or turned");
        row("taken back", {"G57 X1.", "G75 X0. Y0. R30.", "G76", "G57 X0.", "M30"}, "");
        row("no place", {"G75 R30.", "M30"},
            "1 code-error: a rotation of coordinates needs its angle R and the place about which it turns, X and Y");
        row("the other plane's place", {"G18 G75 X0. Y0. R30.", "M30"},
            "1 code-error: a rotation of coordinates needs its angle R and the place about which it turns, Z and X");
        row("an arc across", {"G0 X10. Y0. Z-10.", "G75 X0. Y0. R30.", "G18 G2 X20. Z0. I10. K0. F100.", "G17 G76", "M30"},
            "3 arc-error: the coordinates are turned in another plane than the arc's");
    }
    void tells_what_is_wrong_with_a_call()
    {
        QFETCH(QStringList, lines);
        std::vector<std::string> code;
        for (const QString& line : lines) {
            code.push_back(line.toStdString());
        }
        const Control c(code);
        QTEST(told(c.findings), "findings");
    }

    void ends_calls_without_end()
    {
        // 9999 times 9999 times is not waited for.
        const Control c({"M76 P5 L9999", "M30", "O5", "M76 P6 L9999", "M77", "O6", "G91 G4 P0.001", "M77"}, 20'000'000 / WEXILUM_EVERY);
        QVERIFY2(has_finding(c.findings, "calls-too-many"), qPrintable(shown(c.findings)));
    }

    void turns_and_shifts_coordinates()
    {
        // A quarter turn about (10, 5), behind a shift by (100, 0, -3): the place (30, 5) comes to (10, 25), and there to (110, 25).
        const Control c(
            {"G57 X100. Z-3.", "G17 G75 X10. Y5. R90.", "G0 X30. Y5.", "Z1.", "G91 X2.", "G90 G76", "G57 X0. Z0.", "X1. Y1. Z-1.", "M30"});
        QCOMPARE(told(c.findings), QString());
        QCOMPARE(c.way(), QStringLiteral("3: 110 25 0, 4: 110 25 -2, 5: 110 27 -2, 8: 1 1 -1"));
        // 30 degrees in the ZX plane, whose first axis is Z: Z 20 about nothing lies at Z 17.3205, X 10.
        const Control zx({"G18 G75 Z0. X0. R30.", "G0 Z-20. X0.", "G17 G76 M30"});
        QCOMPARE(zx.way(), QStringLiteral("2: -10 0 -17.3205"));
        // Positions of the machine stay what they are.
        const Control machine({"G57 X100.", "G53 G0 X7.", "G57 X0.", "M30"});
        QCOMPARE(machine.way(), QStringLiteral("2: 7 0 0"));
    }

    void drills_in_turned_and_shifted_coordinates()
    {
        const Control c(
            {"G0 X0. Y0. Z-10.", "G57 Z-5.", "G75 X0. Y0. R90.", "G99 G81 X40. Y0. Z-20. R-12. F100.", "G80", "G76", "G57 Z0.", "M30"});
        QCOMPARE(told(c.findings), QString());
        QCOMPARE(c.way(), QStringLiteral("1: 0 0 -10, 4: 0 40 -10, 4: 0 40 -17, 4: 0 40 -25, 4: 0 40 -17"));
    }

    // --- copies as calls -------------------------------------------------------------------------------------------

    void copies_become_calls()
    {
        const Posted by_calls("mirror-cell-by-calls");
        const Posted plain("mirror-cell-by-calls", written_out());
        QCOMPARE(by_calls.remarks(), QString());
        // Six pockets, five slots, nine pairs of holes; all but the first of each are turned or moved.
        QCOMPARE(count_of(by_calls.code, "M76 P3110$"), std::size_t(6));
        QCOMPARE(count_of(by_calls.code, "M76 P3120$"), std::size_t(5));
        QCOMPARE(count_of(by_calls.code, "M76 P3130$"), std::size_t(9));
        for (int k = 1; k < 6; ++k) { // half a turn and more are the shorter way back as well as they are forth
            const int angle = 60 * k <= 180 ? 60 * k : 60 * k - 360;
            QVERIFY(by_calls.code.find("G75 X0. Y0. R" + std::to_string(angle) + ".\n") != std::string::npos);
        }
        for (int k = 1; k < 5; ++k) {
            QVERIFY(by_calls.code.find("G57 X" + std::to_string(16 * k) + ".\n") != std::string::npos);
        }
        QCOMPARE(count_of(by_calls.code, "G57 X0\\.$"), std::size_t(4));
        // Both bring the machine along the same way, but for two increments.
        const auto without_specks = [](std::vector<ReplayMove> moves) { // a call's first place lies beside the one before it
            std::erase_if(moves, [](const ReplayMove& m) { return (m.to - m.from).cwiseAbs().maxCoeff() < 2.1e-3 && !m.arc; });
            return moves;
        };
        const auto called = without_specks(moves_of(by_calls.assembly, by_calls.code));
        const auto expected = without_specks(moves_of(plain.assembly, plain.code));
        QCOMPARE(called.size(), expected.size());
        for (std::size_t i = 0; i < called.size(); ++i) {
            QVERIFY2((called[i].to - expected[i].to).cwiseAbs().maxCoeff() < 2.1e-3, qPrintable(QString::number(i)));
            QCOMPARE(called[i].feed, expected[i].feed);
            QCOMPARE(called[i].arc.has_value(), expected[i].arc.has_value());
            QVERIFY(std::abs(called[i].seconds - expected[i].seconds) <= 0.01 * expected[i].seconds);
        }
        QVERIFY(2 * lines_of(by_calls.code).size() < lines_of(plain.code).size());
    }

    void calls_are_proven()
    {
        for (const char* name : {"mirror-cell-by-calls", "focuser-hub-by-calls"}) {
            const Posted posted(name);
            const ReplayReport report = replay_code(posted.assembly, posted.code, true);
            QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
            QCOMPARE(report.uncovered + report.extra, std::size_t(0));
            QVERIFY(report.compared > 200);
            QVERIFY(report.worst_ratio <= 1);
        }
    }

    void indexed_copies_are_called_as_they_are()
    {
        // The table turns each port to the head; its plane lies where it lies, so that the words are the same.
        const Posted posted("focuser-hub-by-calls");
        QCOMPARE(count_of(posted.code, "M96 P5410$"), std::size_t(6));
        QCOMPARE(count_of(posted.code, "M96 P5420$"), std::size_t(2)); // the pocket and its copy above; the mirrored one is written out
        QVERIFY2(posted.remarks().startsWith(QStringLiteral("the operation 20.2 is written out instead of calling 5420: in its line ")),
                 qPrintable(posted.remarks()));
    }

    void what_differs_is_written_out_data()
    {
        QTest::addColumn<QString>("with");
        QTest::addColumn<QString>("remark");
        const QString plain = QStringLiteral("\"copies\": [{\"move\": [16, 0, 0], \"count\": 5}]");
        const auto row = [](const char* name, const char* with, const char* remark) {
            QTest::newRow(name) << QString::fromLatin1(with) << QString::fromLatin1(remark);
        };
        row("other feeds", "\"copies\": [{\"move\": [16, 0, 0], \"data\": {\"feeds\": 0.5}}]",
            "the operation 20.2 is written out instead of calling 3120: in its line 2 it has other words");
        row("other speed alone", "\"copies\": [{\"move\": [16, 0, 0], \"data\": {\"spindle\": 5000}}]", "");
        row("mirrored", "\"copies\": [{\"mirror\": {\"normal\": [1, 0, 0]}}]",
            "the operation 20.2 is written out instead of calling 3120: in its line 10 X would come to X 32. instead of X 31.65");
        row("turned out of the plane", "\"copies\": [{\"move\": [16, 0, -2.5]}]", "");
    }
    void what_differs_is_written_out()
    {
        QFETCH(QString, with);
        const Posted posted("mirror-cell-by-calls", {{job, "\"copies\": [{\"move\": [16, 0, 0], \"count\": 5}]", with.toStdString()}});
        QTEST(posted.remarks(), "remark");
        const ReplayReport report = replay_code(posted.assembly, posted.code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void a_dialect_without_shift_writes_them_out()
    {
        const Posted posted("mirror-cell-by-calls", {{style_file, "\"coordinate-shift\": \"G57\", ", ""}});
        QVERIFY2(posted.remarks().startsWith(QStringLiteral("the operation 20.2 is written out instead of calling 3120: ")),
                 qPrintable(posted.remarks()));
        QVERIFY(posted.code.find("G57") == std::string::npos);
        QCOMPARE(count_of(posted.code, "M76 P3110$"), std::size_t(6));
    }

    void needs_words_and_numbers_of_its_own()
    {
        const auto message = [](const std::vector<Edit>& edits) {
            const auto made = load_demo("mirror-cell-by-calls", edits);
            return made ? QString() : QString::fromStdString(made.error().message + " | " + made.error().cure);
        };
        QCOMPARE(
            message({{style_file, "\"subprogram-call\": \"M76\", ", ""}}),
            QStringLiteral("the operation 10 is to be the subprogram 3110, but the dialect has no word for subprogram-call | add it under "
                           "\"words\", or take \"subprogram\" out of the operation"));
        QCOMPARE(
            message({{job, "\"subprogram\": 3120", "\"subprogram\": 3110"}}),
            QStringLiteral("the number 3110 of the operation 20's subprogram is that of the operation 10 | give it a number of its own"));
        QCOMPARE(message({{job, "\"subprogram\": 3120", "\"subprogram\": 3105"}}),
                 QStringLiteral("the number 3105 of the operation 20's subprogram is that of the program | give it a number of its own"));
    }

    // --- where things stand ----------------------------------------------------------------------------------------

    void lines_of_a_subprogram_are_traced_and_found()
    {
        RealFileSystem files;
        MemoryScratch scratch;
        const SteadyClock clock;
        const auto posted = post_job(files, demo_folder(), "mirror-cell-by-calls", scratch, clock, {}).value();
        const CodeStore& code = posted->code;
        std::uint32_t label = 0;
        while (code.lines().line(label) != "O3120") {
            ++label;
        }
        QVERIFY(!code.is_called(label));
        QVERIFY(code.is_called(label + 2)); // behind the remark
        // The first line of the slot's lines is its way down, of the record behind the two rapids.
        const std::uint32_t record = code.record_of(label + 2);
        QVERIFY(record != CodeStore::no_record);
        QCOMPARE(code.line_of(record), label + 2);
        // A record of the third slot leads to its call.
        std::uint32_t third = record;
        for (int copies = 0; copies < 2; copies += posted->records.sources[third].line == posted->records.sources[record].line ? 1 : 0) {
            ++third;
        }
        const std::uint32_t call = code.line_of(third);
        QVERIFY2(code.lines().line(call).find("G57 X32.") != std::string_view::npos, std::string(code.lines().line(call)).c_str());

        JobRecords records(files, demo_folder(), posted->assembly.job);
        const auto trace = trace_block(posted->assembly, records, scratch, label + 3);
        QVERIFY(bool(trace));
        QCOMPARE(trace->block, label + 3);
        QCOMPARE(trace->source.line.value, posted->records.sources[record].line.value);
        std::string words;
        for (const WordTrace& word : trace->written) {
            words += (words.empty() ? "" : " ") + word.text;
        }
        QVERIFY2(code.lines().line(label + 2).ends_with(words), words.c_str());
        // Whatever the control holds inside stands in the line that is named for it: one of the subprogram's own, or one before its call.
        std::uint32_t end = label;
        while (code.lines().line(end).find("M77") == std::string_view::npos) {
            ++end;
        }
        std::uint32_t first_call = 0;
        while (code.lines().line(first_call).find("M76 P3120") == std::string_view::npos) {
            ++first_call;
        }
        std::size_t own = 0;
        for (std::uint32_t line = label + 3; line <= end; line += WEXILUM_EVERY) {
            JobRecords again(files, demo_folder(), posted->assembly.job);
            const auto inside = trace_block(posted->assembly, again, scratch, line);
            QVERIFY(bool(inside));
            for (const WordTrace& word : inside->held) {
                QVERIFY2(word.since > 0 && code.lines().holds(word.since - 1, word.text), word.text.c_str());
                const bool of_its_own = word.since > label + 1 && word.since < line;
                QVERIFY2(of_its_own || word.since <= first_call, std::to_string(word.since).c_str());
                own += of_its_own ? 1 : 0;
            }
            for (const WordTrace& word : inside->written) {
                QVERIFY2(!word.was || code.lines().holds(word.was_since - 1, *word.was),
                         (std::to_string(line) + " " + word.text + " was " + word.was.value_or("") + " " + std::to_string(word.was_since))
                             .c_str());
            }
        }
        QVERIFY(own > 20 / WEXILUM_EVERY);

        const auto replayed = replay_posted(files, demo_folder(), *posted, "code", code.lines().text(), false, clock).value();
        // In the subprogram's lines the machine stands as it did the last time; behind a call as the call has left it.
        const auto at = [&](std::uint32_t line) { return replayed->track.readings(*replayed->track.motion_at(line + 1)); };
        const auto x = Eigen::Index(posted->assembly.machine.find_joint("X")->value);
        QVERIFY(std::abs(at(label + 2)[x] - (-60 - 32 + 4 * 16)) < 1e-9);
        QVERIFY(std::abs(at(call)[x] - (-60 - 32 + 2 * 16)) < 1e-9);
    }

    // --- whatever is copied ----------------------------------------------------------------------------------------

    void random_copies_come_where_they_have_to()
    {
        constexpr unsigned seed = 9917;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        const auto any = [&](double low, double high) { return std::uniform_real_distribution(low, high)(random); };
        const std::string before = read_file(demo_folder() + "/toolpaths/cell-pocket.cl");
        const std::string text = read_file(demo_folder() + "/" + job);
        const std::string others = text.substr(text.find(",\n    {\"id\": \"20\""));
        std::size_t calls = 0;
        for (int round = 0; round < 40 / (WEXILUM_EVERY > 1 ? 4 : 1); ++round) {
            std::string path =
                "UNITS/MM\nLOADTL/ 1\nSPINDL/ 7600, RPM, CLW\nRAPID\nGOTO/ 20, 0, 15\nRAPID\nGOTO/ 20, 0, 1\nFEDRAT/ 300, MMPM\n";
            double x = 20;
            double y = 0;
            for (int i = 0; i < 12; ++i) {
                const double to_x = any(5, 60);
                const double to_y = any(-30, 30);
                if (i % 3 == 2) { // half a circle over the chord
                    path += fmt::format("CIRCLE/ {:.5f}, {:.5f}, -2, 0, 0, {}, {:.5f}\n", (x + to_x) / 2, (y + to_y) / 2, i % 2 ? 1 : -1,
                                        std::hypot(to_x - x, to_y - y) / 2);
                }
                path += fmt::format("GOTO/ {:.5f}, {:.5f}, -2\n", to_x, to_y);
                x = to_x;
                y = to_y;
            }
            path += fmt::format("RAPID\nGOTO/ {:.5f}, {:.5f}, 15\nFINI\n", x, y);
            const std::string place =
                round % 2 == 0 ? fmt::format("{{\"move\": [{:.4f}, {:.4f}, {:.4f}]}}", any(-50, 50), any(-50, 50), any(-4, 4))
                               : fmt::format("{{\"turn\": {{\"axis\": [0, 0, 1], \"point\": [{:.3f}, {:.3f}, 0], \"angle\": {}}}}}",
                                             any(-20, 20), any(-20, 20), std::round(any(-179, 179) * 8) / 8);
            const auto made =
                load_demo("mirror-cell-by-calls", {{"toolpaths/cell-pocket.cl", before, path},
                                                   {job, "{\"turn\": {\"axis\": [0, 0, 1], \"angle\": 60}, \"count\": 6}", place},
                                                   {job, others, "\n  ]\n}\n"}});
            QVERIFY(bool(made));
            const std::string code = code_of(*made);
            const ReplayReport report = replay_code(*made, code, true);
            QVERIFY2(report.findings.list().empty() && report.uncovered + report.extra == 0,
                     qPrintable(QString::number(round) + shown(report.findings) + QString::fromStdString(place)));
            calls += count_of(code, "M76 P3110$");
        }
        QVERIFY2(calls > std::size_t(70 / (WEXILUM_EVERY > 1 ? 4 : 1)), qPrintable(QString::number(calls)));
    }
};

WEXILUM_TEST(TestSubprograms)

} // namespace test_subprograms
#include "test_subprograms.moc"
