// Brakes: released before a joint moves, locked once it stands, and what the replay makes of programs that don't.
#include "core/compare/report.hpp"
#include "core/control/simulated_control.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_brakes {

namespace {

/// The brake's words and the table's, in order.
QString table_words(const std::string& code)
{
    QStringList out;
    for (const std::string& line : lines_of(code)) {
        for (const QString& word : QString::fromStdString(line).split(QLatin1Char(' '))) {
            const bool turns = word.startsWith(QLatin1Char('B')) && word.size() > 1 && !word[1].isLetter();
            if (!line.starts_with("(") && (turns || word == "M10" || word == "M11")) {
                out.push_back(word);
            }
        }
    }
    return out.join(QLatin1Char(' '));
}

std::string without(const std::string& code, const QString& word, int which = 0)
{
    std::vector<std::string> out;
    for (const std::string& line : lines_of(code)) {
        const bool found = QString::fromStdString(line).endsWith(" " + word);
        if (!found || which-- != 0) {
            out.push_back(line);
        }
    }
    return joined(out);
}

/// The first finding of a kind.
const Finding* finding(const FindingList& list, const char* kind)
{
    for (const Finding& f : list.list()) {
        if (f.kind == kind) {
            return &f;
        }
    }
    return nullptr;
}

/// The five-axis mill with words for the brake of B.
const std::vector<Edit> braked_five{
    {"controllers/calder-t.json", R"("words": {)",
     R"("words": {"M10": {"does": "brake-lock", "joint": "B"}, "M11": {"does": "brake-release", "joint": "B"},)"},
    {"dialects/calder-t.json", R"("work_offsets":)", R"("brakes": {"B": {"lock": "M10", "release": "M11"}}, "work_offsets":)"}};

class Waits final : public ReplaySink {
public:
    void move(const ReplayMove& move) override { waited.push_back(move.waited); }
    std::vector<double> waited;
};

} // namespace

class TestBrakes : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void round_each_turn_of_a_table_that_is_only_positioned()
    {
        const Assembly a = load_demo("fork-arm").value();
        const std::string code = code_of(a);
        // Four sides faced, four drilled, then twice the first. One way of three quarters back is needed somewhere, so that all choices
        // turn by 900 deg; of equal ones the lowest reading at the last place where they differ is taken.
        QCOMPARE(table_words(code),
                 QString("M11 B0. M10 M11 B-270. M10 M11 B-180. M10 M11 B-90. M10 M11 B0. M10 M11 B90. M10 M11 B180. M10 "
                         "M11 B270. M10 M11 B360. M10"));
        const ReplayReport report = replay_code(a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void what_the_replay_says()
    {
        const Assembly a = load_demo("fork-arm").value();
        const std::string code = code_of(a);
        const ReplayReport locked = replay_code(a, without(code, "M11", 1));
        const Finding* moved = finding(locked.findings, "brake-locked");
        QVERIFY2(moved != nullptr, qPrintable(shown(locked.findings)));
        QCOMPARE(QString::fromStdString(moved->message), QString("B is to move by 270.0000 deg while its brake is locked"));
        QCOMPARE(moved->severity, Severity::error);
        const ReplayReport open = replay_code(a, without(code, "M10", 1));
        const Finding* held = finding(open.findings, "brake-open");
        QVERIFY2(held != nullptr, qPrintable(shown(open.findings)));
        QCOMPARE(QString::fromStdString(held->message), QString("B is not held by its brake in a cut"));
        const ReplayReport unknown = replay_code(a, without(code, "M11", 0), true);
        const Finding* relied =
            finding(unknown.findings, "no-motion") != nullptr ? nullptr : finding(unknown.findings, "relies-on-unknown");
        QVERIFY(relied == nullptr || QString::fromStdString(relied->message).contains("brake")); // B stands at 0 already
    }

    void a_joint_that_turns_in_cuts_stays_released()
    {
        const auto a = load_demo("mirror-back-face", braked_five);
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        QCOMPARE(QString::fromStdString(code).count(" M11"), qsizetype(1));
        QCOMPARE(QString::fromStdString(code).count(" M10"), qsizetype(0));
        const ReplayReport report = replay_code(*a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void and_is_held_where_the_operation_only_positions_it()
    {
        const auto a = demo_with_toolpath("mirror-back-face",
                                          "PARTNO TILTED\nUNITS/MM\nMULTAX/ON\nLOADTL/5\nSPINDL/6000,RPM,CLW\nRAPID\n"
                                          "GOTO/0,0,60,0.5,0,0.866025404\nFEDRAT/400,MMPM\nGOTO/0,0,40,0.5,0,0.866025404\n"
                                          "GOTO/0,20,40,0.5,0,0.866025404\nRAPID\nGOTO/0,20,60,0.5,0,0.866025404\nFINI\n",
                                          braked_five);
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        const QString words = table_words(code); // either branch; the last is the way home
        QVERIFY2(words == "M11 B30. M10 M11 B0." || words == "M11 B-30. M10 M11 B0.", qPrintable(words));
        const ReplayReport held = replay_code(*a, code, true);
        QVERIFY2(held.findings.list().empty(), qPrintable(shown(held.findings)));
        const ReplayReport open = replay_code(*a, without(code, "M10", 0));
        const Finding* told = finding(open.findings, "brake-open");
        QVERIFY2(told != nullptr, qPrintable(shown(open.findings)));
        QCOMPARE(QString::fromStdString(told->message), QString("B is not held by its brake, and none of the operation's cuts turns it"));
        QCOMPARE(told->severity, Severity::error);
        QCOMPARE(told->source.line, std::uint32_t(9)); // the first cut
    }

    void brakes_take_their_time()
    {
        const Assembly a = load_demo("fork-arm").value();
        Waits sink;
        FindingList findings;
        FedControl control(a.controller, a.machine, control_memory(a.machine, a.setup), false, "test.nc", sink, findings);
        for (const char* line : {"G53 G0 Z800.", "M11", "G0 B90.", "M10", "M10", "G0 X10.", "G0 X20."}) {
            control.line(line);
        }
        QCOMPARE(sink.waited, (std::vector<double>{0, 0.6, 0.9, 0})); // a second lock takes none
        QVERIFY(finding(findings, "no-effect") != nullptr);
    }

    void wrong_files_data()
    {
        QTest::addColumn<QString>("file");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        QTest::newRow("no such brake") << "dialects/orrin-h.json"
                                       << R"("brakes": {"B")"
                                       << R"("brakes": {"X")"
                                       << "the dialect has words for a brake of \"X\", which the machine does not have";
        QTest::newRow("no joint") << "controllers/orrin-h.json"
                                  << R"("does": "brake-lock", "joint": "B")"
                                  << R"("does": "brake-lock")"
                                  << "the word M10 lacks \"joint\"";
        QTest::newRow("among the words") << "dialects/orrin-h.json"
                                         << R"("stop": "M0")"
                                         << R"("brake-lock": "M10", "stop": "M0")"
                                         << "\"brake-lock\" is not a function with a word of its own";
    }
    void wrong_files()
    {
        QFETCH(QString, file);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, message);
        const auto a = load_demo("fork-arm", {{file.toStdString(), from.toStdString(), to.toStdString()}});
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().message), message);
    }
};

WEXILUM_TEST(TestBrakes)

} // namespace test_brakes
#include "test_brakes.moc"
