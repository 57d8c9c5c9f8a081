// Mistakes that must not pass for proven: in the code, the toolpath, the rules and what the run says of itself.
#include "core/path/agreed_path.hpp"
#include "core/project/job_run.hpp"
#include "core/replay/replay_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_false_proofs {

namespace {

/// A demo job's lines of code, and the places in them that a pattern fits.
struct Code {
    Assembly assembly;
    std::vector<std::string> lines;

    explicit Code(const std::string& job, const std::vector<Edit>& edits = {}) : assembly(load_demo(job, edits).value())
    {
        lines = lines_of(code_of(assembly));
    }
    [[nodiscard]] std::vector<std::size_t> where(const char* pattern) const
    {
        const QRegularExpression wanted(pattern);
        std::vector<std::size_t> out;
        for (std::size_t i = 0; i < lines.size(); ++i) {
            if (wanted.match(QString::fromStdString(lines[i])).hasMatch()) {
                out.push_back(i);
            }
        }
        return out;
    }
    [[nodiscard]] ReplayReport with(std::size_t line, const std::string& text, bool from_unknown = false) const
    {
        std::vector<std::string> changed = lines;
        changed[line] = text;
        return replay_code(assembly, joined(changed), from_unknown);
    }
};

/// The errors of a report have one of this kind, and where `line` is not 0 at that line of the code.
bool error_at(const ReplayReport& report, const std::string& kind, std::size_t line = 0)
{
    const auto& list = report.findings.list();
    return std::any_of(list.begin(), list.end(), [&](const Finding& f) {
        const bool there = line == 0 || (f.code.line <= line && line <= std::max(f.code.line, f.last_code_line));
        return f.severity == Severity::error && f.kind == kind && there;
    });
}

std::string replaced(std::string text, const std::string& from, const std::string& to)
{
    const std::size_t at = text.find(from);
    return at == std::string::npos ? text : text.replace(at, from.size(), to);
}

/// A rulebook of one text in the place of Tarn 3's.
Edit rulebook(const std::string& text)
{
    const std::string path = "rulebooks/tarn-3/rulebook.lua";
    return {path, read_file(demo_folder() + "/" + path), text};
}

} // namespace

class TestFalseProofs : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_direction_that_a_head_misses_data();
    void a_direction_that_a_head_misses();
    void errors_of_the_posting_count();
    void a_rapid_at_feed_data();
    void a_rapid_at_feed();
    void a_block_that_may_be_skipped();
    void loops_are_counted();
    void a_dwell_beside_its_hole();
    void what_a_rule_puts_into_a_cut();
    void excursions_are_judged_by_the_job();
    void what_nobody_has_stated();
    void limits_of_the_control();
    void a_blade_in_what_is_kept();
    void rules_that_leave_out_what_is_needed();
    void programs_that_move_nothing();
    void holes_of_other_directions_in_a_cycle_data();
    void holes_of_other_directions_in_a_cycle();
    void an_endless_joint_goes_home_on_any_turn_data();
    void an_endless_joint_goes_home_on_any_turn();
    void a_tool_called_again_is_no_finding();
    void a_full_circle_is_looked_at_like_any_cut();
    void a_cycle_in_machine_coordinates();
};

/// Code of the right toolpath, held against one whose tool axes are turned: the head stays as it is.
void TestFalseProofs::a_direction_that_a_head_misses_data()
{
    QTest::addColumn<QString>("job");
    QTest::addColumn<QString>("toolpath");
    QTest::addColumn<double>("turned");
    for (const double turned : {0.4, 30.0}) {
        QTest::addRow("turning head, %g deg", turned) << "mirror-cell-sides"
                                                      << "toolpaths/cell-side-five.cl" << turned;
        QTest::addRow("fixed head, %g deg", turned) << "mirror-cell-sides"
                                                    << "toolpaths/cell-side-pad.cl" << turned;
        QTest::addRow("second cutter, %g deg", turned) << "pier-cap"
                                                       << "toolpaths/pier-sockets.cl" << turned;
    }
}

void TestFalseProofs::a_direction_that_a_head_misses()
{
    QFETCH(QString, job);
    QFETCH(QString, toolpath);
    QFETCH(double, turned);
    const Code right(job.toStdString());
    QVERIFY(!replay_code(right.assembly, joined(right.lines)).findings.has_errors());
    // All records' axes, turned about an axis across them.
    const std::string text = read_file(demo_folder() + "/" + toolpath.toStdString());
    std::string other;
    const double c = std::cos(turned * M_PI / 180);
    const double s = std::sin(turned * M_PI / 180);
    bool stated = false;
    static const QRegularExpression record("^(GOTO/[^,]+,[^,]+,[^,]+), *([-0-9.]+), *([-0-9.]+), *([-0-9.]+)$");
    for (const std::string& line : lines_of(text)) {
        const auto match = record.match(QString::fromStdString(line).trimmed());
        if (!match.hasMatch()) {
            other += line + "\n";
            continue;
        }
        stated = true;
        const double x = match.captured(2).toDouble();
        const double y = match.captured(3).toDouble();
        const double z = match.captured(4).toDouble();
        // About Z where the axis lies flat, about X otherwise: both are across it or nearly.
        const bool flat = std::abs(z) < 0.5;
        const std::array<double, 3> to = flat ? std::array{c * x - s * y, s * x + c * y, z} : std::array{x, c * y - s * z, s * y + c * z};
        other += match.captured(1).toStdString() +
                 QString(", %1, %2, %3\n").arg(to[0], 0, 'f', 9).arg(to[1], 0, 'f', 9).arg(to[2], 0, 'f', 9).toStdString();
    }
    if (!stated) { // the toolpath's axes are upright throughout
        other = replaced(text, "FEDRAT", "MULTAX/ON\nFEDRAT");
        std::string lines;
        for (const std::string& line : lines_of(other)) {
            static const QRegularExpression plain("^GOTO/[^,]+,[^,]+,[^,]+$");
            lines += plain.match(QString::fromStdString(line).trimmed()).hasMatch()
                         ? QString::fromStdString(line).trimmed().toStdString() +
                               QString(", 0, %1, %2\n").arg(-s, 0, 'f', 9).arg(c, 0, 'f', 9).toStdString()
                         : line + "\n";
        }
        other = lines;
    }
    const auto wrong = load_demo(job.toStdString(), {{toolpath.toStdString(), text, other}});
    QVERIFY2(wrong.ok(), wrong.ok() ? "" : wrong.error().text().c_str());
    const ReplayReport report = replay_code(*wrong, joined(right.lines));
    QVERIFY2(report.findings.has_errors(), "proven");
}

void TestFalseProofs::errors_of_the_posting_count()
{
    for (const char* job : {"fails-head-points-elsewhere", "fails-head-between-marks", "fails-rule-without-end", "fails-blade-overruns"}) {
        QProcess cli;
        cli.start(cli_program(), {"replay", "--project", QString::fromStdString(demo_folder()), "--job", job});
        QVERIFY(cli.waitForFinished(120000));
        const QString out = QString::fromUtf8(cli.readAllStandardOutput());
        QVERIFY2(cli.exitCode() == 1 && out.contains("NOT PROVEN") && !out.contains("\n  proven"), qPrintable(job + out));
    }
}

void TestFalseProofs::a_rapid_at_feed_data()
{
    QTest::addColumn<QString>("job");
    for (const char* job :
         {"mirror-cell", "mirror-cell-sides", "pier-cap", "fork-arm", "focuser-hub", "mirror-back-face", "setting-numerals"}) {
        QTest::newRow(job) << QString(job);
    }
}

/// The feed word in force before a line.
QString feed_before(const std::vector<std::string>& lines, std::size_t line)
{
    static const QRegularExpression word(QStringLiteral("F[0-9.]+$"));
    for (std::size_t i = line; i-- > 0;) {
        if (const auto found = word.match(QString::fromStdString(lines[i])); found.hasMatch()) {
            return found.captured();
        }
    }
    return {};
}

void TestFalseProofs::a_rapid_at_feed()
{
    QFETCH(QString, job);
    const Code code(job.toStdString());
    const auto rapids = code.where("^(N\\d+ )?G0 .*[XYZWRBC]-?[0-9]");
    QVERIFY(!rapids.empty());
    std::mt19937_64 random(23);
    int tried = 0;
    for (int i = 0; i < 24 / std::min(WEXILUM_EVERY, 4); ++i) {
        const std::size_t line = rapids[random() % rapids.size()];
        for (const char* feed : {"", " F3000."}) {
            if (*feed == 0 && feed_before(code.lines, line) == "F15000.") {
                continue; // the most that the control takes, straight: as good as a rapid
            }
            const ReplayReport report = code.with(line, replaced(code.lines[line], "G0 ", "G1 ") + feed);
            QVERIFY2(report.findings.has_errors(), qPrintable(QString("line %1: %2").arg(line + 1).arg(code.lines[line].c_str())));
            ++tried;
        }
    }
    QVERIFY(tried > 0);
}

void TestFalseProofs::a_block_that_may_be_skipped()
{
    const Code code("mirror-cell");
    std::mt19937_64 random(7);
    const auto blocks = code.where("^N\\d+ [A-Z]");
    for (int i = 0; i < 20; ++i) {
        const std::size_t line = blocks[random() % blocks.size()];
        QVERIFY2(error_at(code.with(line, "/" + code.lines[line]), "may-be-skipped", line + 1), code.lines[line].c_str());
    }
    // A remark, and an optional stop, may be.
    const auto end = code.where("M30");
    QVERIFY(!code.with(end.front(), "/(LAST PART)\n" + code.lines[end.front()]).findings.has_errors());
    QVERIFY(!error_at(code.with(end.front(), "/M1\n" + code.lines[end.front()]), "may-be-skipped"));
}

void TestFalseProofs::loops_are_counted()
{
    const Code code("mirror-cell-batch");
    const auto begin = code.where("M72 L4$");
    QCOMPARE(begin.size(), std::size_t(1));
    const std::size_t line = begin.front();
    QVERIFY(!replay_code(code.assembly, joined(code.lines)).findings.has_errors());
    const ReplayReport five = code.with(line, replaced(code.lines[line], "L4", "L5"));
    QVERIFY2(error_at(five, "loop-count", line + 1), qPrintable(shown(five.findings)));
    QCOMPARE(five.findings.list().size(), std::size_t(1));
    QCOMPARE(five.findings.list().front().message, std::string("a loop is done 5 times, the job's options ask for 4"));
    // Neither loop nor end.
    std::vector<std::string> without = code.lines;
    const auto last = code.where("M73$");
    without.erase(without.begin() + std::ptrdiff_t(last.front()));
    without.erase(without.begin() + std::ptrdiff_t(line));
    QVERIFY(error_at(replay_code(code.assembly, joined(without)), "loop-count"));
    // A post that does not say which of its options counts: a warning, as nothing can be said.
    const Code silent("mirror-cell-batch", {{"posts/tarn-3-batch.json", "\"loops\": true, ", ""}});
    const ReplayReport report = replay_code(silent.assembly, joined(silent.lines));
    QVERIFY(!report.findings.has_errors() && has_finding(report.findings, "loop-count"));
}

void TestFalseProofs::a_dwell_beside_its_hole()
{
    // The cycle of the five-axis control with a dwell at the bottom, written out in single moves.
    const std::string path = "LOADTL/2\nSPINDL/3000,CLW\nFEDRAT/300,MMPM\nRAPID\nGOTO/0,0,40\nCYCLE/DRILL,DEPTH,10,CLEAR,3,MMPM,300,"
                             "DWELL,1.5\nGOTO/0,0,20\nGOTO/30,0,20\nCYCLE/OFF\nFINI\n";
    const auto a = demo_with_toolpath("mirror-cell", path);
    QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
    const std::string code = code_of(*a);
    const ReplayReport clean = replay_code(*a, code);
    QVERIFY2(!clean.findings.has_errors(), qPrintable(shown(clean.findings) + QString::fromStdString(code)));
    std::vector<std::string> lines = lines_of(code);
    const auto dwells =
        std::find_if(lines.begin(), lines.end(), [](const std::string& line) { return line.find("G4 P") != std::string::npos; });
    if (dwells == lines.end()) {
        // Within the control's own cycle: no place of its own. The loss of the word has to be reported.
        const auto word =
            std::find_if(lines.begin(), lines.end(), [](const std::string& line) { return line.find(" P1.5") != std::string::npos; });
        QVERIFY2(word != lines.end(), code.c_str());
        *word = replaced(*word, " P1.5", "");
        QVERIFY(error_at(replay_code(*a, joined(lines)), "dwell-differs"));
        // Dwelling before the hole instead makes it no better.
        word->append("");
        lines.insert(word, "G4 P1.5");
        QVERIFY(replay_code(*a, joined(lines)).findings.has_errors());
        return;
    }
    std::iter_swap(dwells, dwells + 1); // after the way out
    QVERIFY(error_at(replay_code(*a, joined(lines)), "dwell-differs"));
}

void TestFalseProofs::what_a_rule_puts_into_a_cut()
{
    const auto with = [](const char* body) {
        return load_demo("mirror-cell-batch",
                         {rulebook(std::string("local n = 0\nfunction on.linear(event)\n  n = n + 1\n  if n == 60 then ") + body +
                                   " end\n  event:native()\nend\n")});
    };
    for (const char* body : {"dwell(2)", "stop()"}) {
        const auto a = with(body);
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const auto posted = post(*a);
        MemoryRecords records(a->toolpath);
        MemoryScratch scratch;
        const auto excursions = excursions_of(*a, records, scratch);
        QVERIFY(excursions.ok() && !excursions->empty());
        const ReplayReport report = replay(*a, {{posted.files.front().name, posted.files.front().text}}, false, *excursions);
        QVERIFY2(error_at(report, "added-in-cut"), qPrintable(QString(body) + shown(report.findings)));
    }
    // Retracted it is fine.
    const auto fine = with("retract() dwell(2)");
    QVERIFY(fine.ok());
    MemoryRecords records(fine->toolpath);
    MemoryScratch scratch;
    const auto excursions = excursions_of(*fine, records, scratch);
    const auto posted = post(*fine);
    const ReplayReport report = replay(*fine, {{posted.files.front().name, posted.files.front().text}}, false, *excursions);
    QVERIFY2(!error_at(report, "added-in-cut"), qPrintable(shown(report.findings)));
}

void TestFalseProofs::excursions_are_judged_by_the_job()
{
    const Assembly a = load_demo("mirror-cell").value();
    const auto at = std::find_if(a.toolpath.records.begin(), a.toolpath.records.end(),
                                 [](const Record& record) { return std::holds_alternative<record::Linear>(record.data); });
    const auto index = std::size_t(at - a.toolpath.records.begin()) + 1; // within the cut
    const Pose before = *end_pose(at->data);
    const auto told = [&](const std::vector<Excursion>& excursions) {
        MemoryRecords records(a.toolpath);
        WithExcursions path(a, records, excursions);
        Record record;
        while (path.next(record).value()) {}
        return path.findings();
    };
    const auto motion = [&](const Vec3& by) { return Record{record::Linear{{before.tip + by, before.axis}}, at->source}; };
    // The job allows none at all.
    const FindingList none = told({{index, {motion({0, 0, 5}), motion({0, 0, 0})}}});
    QVERIFY2(has_finding(none, "departure-not-allowed"), qPrintable(shown(none)));
    QVERIFY(has_finding(told({{index, {motion({40, 0, 0})}}}), "departure-not-allowed"));
    // With a lift of 5 mm: no more, not sideways, and back again.
    const Assembly lifts = load_demo("mirror-cell", {{"jobs/mirror-cell.json", "\"toolpath\": \"toolpaths/cell-pockets.cl\"",
                                                      "\"pole\": {\"lift\": 5}, \"toolpath\": \"toolpaths/cell-pockets.cl\""}})
                               .value();
    const auto with_lift = [&](std::vector<Record> inserted) {
        MemoryRecords records(lifts.toolpath);
        const std::vector<Excursion> excursions{{index, std::move(inserted)}};
        WithExcursions path(lifts, records, excursions);
        Record record;
        while (path.next(record).value()) {}
        return has_finding(path.findings(), "departure-not-allowed");
    };
    QVERIFY(!with_lift({motion({0, 0, 5}), motion({0, 0, 0})}));
    QVERIFY(with_lift({motion({0, 0, 5.1}), motion({0, 0, 0})}));
    QVERIFY(with_lift({motion({0, 0, -0.1}), motion({0, 0, 0})}));
    QVERIFY(with_lift({motion({0.1, 0.2, 5}), motion({0, 0, 0})}));
    QVERIFY(with_lift({motion({0, 0, 5})})); // it does not come back
}

void TestFalseProofs::what_nobody_has_stated()
{
    const Code code("mirror-cell");
    const auto head = code.where("^N\\d+ .*G21");
    QCOMPARE(head.size(), std::size_t(1));
    QVERIFY(!replay_code(code.assembly, joined(code.lines), true).findings.has_errors());
    for (const char* word : {" G17", " G21", " G90", " G94"}) {
        const std::string without = replaced(code.lines[head.front()], word, "");
        QVERIFY2(without != code.lines[head.front()], word);
        const ReplayReport report = code.with(head.front(), without, true);
        QVERIFY2(error_at(report, "relies-on-unknown"), word);
        // Once a cause.
        const auto& list = report.findings.list();
        QCOMPARE(std::count_if(list.begin(), list.end(), [](const Finding& f) { return f.kind == "relies-on-unknown"; }), 1);
    }
}

void TestFalseProofs::limits_of_the_control()
{
    const Code code("mirror-cell"); // whose control takes 15,000 mm/min and lines of 96 characters
    const auto feeds = code.where("F\\d+\\.$");
    const std::string line = QString::fromStdString(code.lines[feeds[3]]).replace(QRegularExpression("F\\d+\\."), "F15001.").toStdString();
    QVERIFY(error_at(code.with(feeds[3], line), "feed-beyond", feeds[3] + 1));
    const std::string longer = code.lines[feeds[3]] + " (" + std::string(96, 'A') + ")";
    QVERIFY(error_at(code.with(feeds[3], longer), "line-too-long", feeds[3] + 1));
    // The same from the writer's side: its own longest line is reported by the replay as well.
    Assembly narrow = load_demo("mirror-cell").value();
    narrow.controller.line_most = 20;
    QVERIFY(error_at(replay_code(narrow, joined(code.lines)), "line-too-long"));
    const auto tools = code.where("T\\d+ M6");
    const std::string tool = code.lines[tools.front()];
    for (const char* word : {"T1.5", "T-1"}) {
        const std::string changed = QString::fromStdString(tool).replace(QRegularExpression("T\\d+"), word).toStdString();
        QVERIFY2(error_at(code.with(tools.front(), changed), "code-error", tools.front() + 1), word);
    }
    const auto speeds = code.where("S\\d+");
    const std::string negative =
        QString::fromStdString(code.lines[speeds.front()]).replace(QRegularExpression("S(\\d+)"), "S-\\1").toStdString();
    QVERIFY(error_at(code.with(speeds.front(), negative), "code-error", speeds.front() + 1));
}

void TestFalseProofs::a_blade_in_what_is_kept()
{
    const Assembly a = load_demo("fails-blade-overruns").value();
    const ReplayReport report = replay_code(a, code_of(a));
    QVERIFY2(error_at(report, "reaches-kept"), qPrintable(shown(report.findings)));
    for (const Finding& finding : report.findings.list()) {
        QVERIFY(finding.code.line > 0); // by the code, not by the toolpath
    }
}

void TestFalseProofs::rules_that_leave_out_what_is_needed()
{
    for (const auto& [event, body] : {std::pair("tool_change", "text(\"T1 M6\")"), std::pair("cycle", "")}) {
        const auto a = load_demo("mirror-cell-batch", {rulebook(std::string("function on.") + event + "(event)\n  " + body + "\nend\n")});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const RunResult run = post(*a);
        const auto& list = run.findings.list();
        const auto found = std::find_if(list.begin(), list.end(), [](const Finding& f) { return f.kind == "event-left-out"; });
        QVERIFY2(found != list.end(), qPrintable(QString(event) + shown(run.findings)));
        QCOMPARE(found->severity, Severity::error);
        QCOMPARE(QString::fromStdString(found->message),
                 QString("the rule for %1 ends without event:native(), and what follows needs it (the native way was taken instead)")
                     .arg(event));
        QVERIFY(found->rule.file.find("rulebook.lua") != std::string::npos && found->rule.line == 1);
        // The rest is complete.
        QVERIFY(run.files.front().blocks > 500);
    }
}

void TestFalseProofs::programs_that_move_nothing()
{
    const auto still = demo_with_toolpath("mirror-cell", "LOADTL/1\nSPINDL/3000,CLW\nFINI\n");
    QVERIFY(still.ok());
    QVERIFY2(has_finding(post(*still).findings, "nothing-moves"), qPrintable(shown(post(*still).findings)));
    QVERIFY(replay_code(*still, code_of(*still)).findings.has_errors());
    std::string all;
    for (const char* event : {"rapid", "linear", "circular", "cycle_point"}) {
        all += std::string("function on.") + event + "(event) end\n";
    }
    const auto dropped = load_demo("mirror-cell-batch", {rulebook(all)});
    QVERIFY2(dropped.ok(), dropped.ok() ? "" : dropped.error().text().c_str());
    const RunResult run = post(*dropped);
    QVERIFY2(has_finding(run.findings, "nothing-moves"), qPrintable(shown(run.findings)));
    QVERIFY(run.findings.has_errors());
}

/// A cycle lasts until the toolpath ends it, whatever turns, is fitted by hand or is passed in rapid meanwhile.
void TestFalseProofs::holes_of_other_directions_in_a_cycle_data()
{
    QTest::addColumn<QString>("job");
    QTest::addColumn<QString>("path");
    QTest::addColumn<int>("holes");
    const QString one = "GOTO/36.9605,19.4202,65.53,0.79124,0.212012,0.573576\nGOTO/41.7189,1.6619,65.53,0.79124,0.212012,0.573576\n";
    const QString two = "GOTO/1.6619,41.7189,65.53,0.212012,0.79124,0.573576\nGOTO/19.4202,36.9605,65.53,0.212012,0.79124,0.573576\n";
    const QString out = "RAPID\nGOTO/12.8716,83.5542,83.4131,0.212012,0.79124,0.573576\n";
    const QString drill = "CYCLE/DRILL,DEPTH,11,CLEAR,2,MMPM,260\n";
    QTest::newRow("turning in a tilted plane") << "focuser-hub"
                                               << "RAPID\nGOTO/76.0822,20.3862,80.9431,0.79124,0.212012,0.573576\n" + drill + one + two +
                                                      "CYCLE/OFF\n" + out
                                               << 4;
    QTest::newRow("from afar") << "focuser-hub" << drill + two + "CYCLE/OFF\n" + out << 2;
    QTest::newRow("a rapid between") << "focuser-hub"
                                     << drill + two.section('\n', 0, 0) + '\n' + out + two.section('\n', 1, 1) + "\nCYCLE/OFF\n" + out << 2;
    QTest::newRow("by moves") << "mirror-back-face" << drill + one + two + "CYCLE/OFF\n" + out << 4;
    const auto side = [](double angle) {
        const double c = std::cos(angle * M_PI / 180);
        const double s = std::sin(angle * M_PI / 180);
        QString text;
        for (const double z : {-30.0, -12.0}) {
            text += QString::asprintf("GOTO/%.4f,%.4f,%.1f,%.9f,%.9f,0\n", 131 * c, 131 * s, z, c, s);
        }
        return text;
    };
    QTest::newRow("a head set by hand") << "mirror-cell-sides"
                                        << "RAPID\nGOTO/137,0,-30,1,0,0\nCYCLE/DRILL,DEPTH,12,CLEAR,1.5,RTRCTO,3,MMPM,160\n" + side(0) +
                                               side(72) + side(144) + "CYCLE/OFF\n"
                                        << 6;
}

void TestFalseProofs::holes_of_other_directions_in_a_cycle()
{
    QFETCH(QString, job);
    QFETCH(QString, path);
    QFETCH(int, holes);
    const std::string tool = job == "focuser-hub" ? "42" : job == "mirror-back-face" ? "5" : "21";
    const auto a =
        demo_with_toolpath(job.toStdString(), "MULTAX/ON\nLOADTL/" + tool + "\nSPINDL/2000,RPM,CLW\n" + path.toStdString() + "FINI\n");
    QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
    const RunResult run = post(*a);
    QVERIFY2(!run.findings.has_errors(), qPrintable(shown(run.findings)));
    const std::string code = code_of(*a);
    const ReplayReport report = replay_code(*a, code);
    QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
    QCOMPARE(int(report.uncovered), 0);
    const int rapids = int(path.count("RAPID"));
    QCOMPARE(int(report.compared), holes + rapids);
    // Each block that leads to a hole is missed.
    std::vector<std::string> lines = lines_of(code);
    std::size_t missed = 0;
    std::size_t tried = 0;
    static const QRegularExpression deep("Z-1[0-9.]+|G81|G1 ");
    for (std::size_t i = 0; i < lines.size(); ++i) {
        if (deep.match(QString::fromStdString(lines[i])).hasMatch()) {
            std::vector<std::string> others = lines;
            others.erase(others.begin() + std::ptrdiff_t(i));
            ++tried;
            missed += replay_code(*a, joined(others)).findings.has_errors() ? 1 : 0;
        }
    }
    QVERIFY(tried >= 2);
    QCOMPARE(missed, tried);
}

void TestFalseProofs::an_endless_joint_goes_home_on_any_turn_data()
{
    QTest::addColumn<QString>("reads");
    QTest::newRow("the turns count") << "";
    QTest::newRow("the shortest way, half turns in two blocks") << "shortest-way";
}

void TestFalseProofs::an_endless_joint_goes_home_on_any_turn()
{
    QFETCH(QString, reads);
    std::vector<Edit> edits{{"machines/tarn-5t.json", R"("travel": [-450, 450], )", ""}};
    if (!reads.isEmpty()) {
        edits.push_back({"controllers/calder-t.json", R"("C": "C")", R"("C": {"joint": "C", "reads": ")" + reads.toStdString() + R"("})"});
    }
    Code code("mirror-back-face", edits);
    const ReplayReport report = replay_code(code.assembly, joined(code.lines));
    QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    // Left anywhere else it is reported.
    const std::size_t home = code.where("B0\\. C0\\.").back();
    const ReplayReport left = code.with(home, replaced(code.lines[home], "C0.", "C10."));
    const auto& list = left.findings.list();
    QVERIFY(std::any_of(list.begin(), list.end(), [](const Finding& f) { return f.kind == "stray-rapid"; }));
}

void TestFalseProofs::a_full_circle_is_looked_at_like_any_cut()
{
    const Code code("mirror-cell");
    const auto circles = code.where("G2 I-128.25 F900");
    QVERIFY(circles.size() >= 4);
    for (const std::size_t line : circles) {
        const auto with = [&](const char* from, const char* to) { return code.with(line, replaced(code.lines[line], from, to)); };
        QVERIFY(error_at(with(" F900.", ""), "feed-differs", line + 1)); // at the feed of the way down
        QVERIFY(error_at(with("F900.", "F90."), "feed-differs", line + 1));
        QVERIFY(error_at(with("F900.", "F900. M9"), "coolant-differs", line + 1));
        QVERIFY(with("G2 I-128.25", "G1 X128.25").findings.has_errors()); // none of it
        QVERIFY(with("G2 I-128.25", "G1 X128.249").findings.has_errors());
        QVERIFY(with("G2", "G3").findings.has_errors());
    }
}

void TestFalseProofs::a_cycle_in_machine_coordinates()
{
    const Code code("fork-arm");
    for (const std::size_t line : code.where("^N[0-9]+ X-30\\.$")) { // holes, by the cycle in force
        if (line + 1 < code.lines.size() && code.lines[line + 1].ends_with(" X0.")) {
            QVERIFY(error_at(code.with(line, code.lines[line] + " G53"), "code-error", line + 1));
        }
    }
}

void TestFalseProofs::a_tool_called_again_is_no_finding()
{
    Code code("mirror-cell");
    const std::size_t call = code.where("T[0-9]+$").front(); // the next tool, called ahead
    std::vector<std::string> lines = code.lines;
    const std::size_t number = lines[call].rfind('T');
    lines.insert(lines.begin() + std::ptrdiff_t(call) + 3, lines[call].substr(number));
    const ReplayReport report = replay_code(code.assembly, joined(lines));
    QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
}

WEXILUM_TEST(TestFalseProofs)

} // namespace test_false_proofs
#include "test_false_proofs.moc"
