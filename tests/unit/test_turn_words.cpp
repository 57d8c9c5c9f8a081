// Rotary words that are places on a circle: how a control reads them, how they are written for it, and that both fit together. All
// expected values by hand.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_turn_words {

namespace {

constexpr double increment = 0.001; // deg, of Ness R

Edit reads(const QString& how)
{
    return {"controllers/ness-r.json", R"("reads": "shortest-way")", QStringLiteral(R"("reads": "%1")").arg(how).toStdString()};
}

/// The edits for another reading; the control's own witnesses are about the one it has.
std::vector<Edit> reading(const QString& how)
{
    std::vector<Edit> out{reads(how)};
    if (how != QStringLiteral("shortest-way")) {
        const std::string text = read_file(demo_folder() + "/controllers/ness-r.json");
        const std::size_t begin = text.find(",\n  \"witnesses\"");
        out.push_back({"controllers/ness-r.json", text.substr(begin),
                       ",\n  \"witnesses\": [{\"name\": \"millimetres\", \"code\": [\"G0 X1.\"], \"readings\": {\"X\": 1}}]\n}\n"});
    }
    return out;
}

/// A short mark in the rim at each of these angles (deg).
std::string marks(const std::vector<double>& angles)
{
    std::string out = "PARTNO MARKS\nUNITS/MM\nMULTAX/ON\nLOADTL/11\nSPINDL/9000,RPM,CLW\n";
    for (const double angle : angles) {
        const double s = std::sin(to_rad(angle));
        const double c = std::cos(to_rad(angle));
        const auto go = [&](double x, double radius) {
            out += QString("GOTO/ %1, %2, %3, $\n %4, %5, %6\n")
                       .arg(x, 0, 'f', 4)
                       .arg(radius * s, 0, 'f', 9)
                       .arg(radius * c, 0, 'f', 9)
                       .arg(0.0)
                       .arg(s, 0, 'f', 12)
                       .arg(c, 0, 'f', 12)
                       .toStdString();
        };
        out += "RAPID\n";
        go(2, 57);
        out += "FEDRAT/300,MMPM\n";
        go(2, 54.7);
        go(6, 54.7);
        out += "RAPID\n";
        go(6, 57);
    }
    return out + "FINI\n";
}

/// The rotary words of a program in order, and a '|' before each where another block of the same link precedes.
QString rotary_words(const std::string& code)
{
    QStringList out;
    for (const std::string& line : lines_of(code)) {
        const QString text = QString::fromStdString(line);
        for (const QString& word : text.startsWith(QLatin1Char('(')) ? QStringList() : text.split(QLatin1Char(' '))) {
            if (word.startsWith(QLatin1Char('A'))) {
                out.push_back(word);
            }
        }
    }
    return out.join(QLatin1Char(' '));
}

} // namespace

class TestTurnWords : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void as_the_control_reads_them_data()
    {
        QTest::addColumn<int>("how");
        QTest::addColumn<double>("from");
        QTest::addColumn<double>("word");
        QTest::addColumn<double>("to");
        QTest::addColumn<bool>("unclear");
        const auto row = [](TurnReading how, double from, double word, double to, bool unclear = false) {
            QTest::newRow(qPrintable(QString("%1: from %2, word %3").arg(int(how)).arg(from, 0, 'f', 4).arg(word, 0, 'f', 4)))
                << int(how) << from << word << to << unclear;
        };
        using enum TurnReading;
        row(wound, 350, 10, 10);
        row(wound, 0, 720, 720);
        row(shortest_way, 350, 10, 370);
        row(shortest_way, 10, 350, -10);
        row(shortest_way, 725, 0, 720);
        row(shortest_way, -725, 10, -710);
        row(shortest_way, 0, 179.999, 179.999);
        row(shortest_way, 0, 180.001, -179.999);
        row(shortest_way, 90, 270, 270, true);
        row(signed_way, 10, 350, 350);
        row(signed_way, 10, -350, -10);
        row(signed_way, 370, 5, 725);
        row(signed_way, 370, -360, 360);
        row(signed_way, 90, -90, 90); // it stands there
        row(signed_way, 350, 0, 360);
        row(signed_way, 0, 180, 180);
        row(signed_way, 0, -180, -180);
        row(rising, 10, 5, 365);
        row(rising, 10, 15, 15);
        row(rising, 350, 0, 360);
        row(rising, 360.0003, 0, 360); // within the increment
        row(falling, 10, 20, -340);
        row(falling, 10, 5, 5);
        row(falling, 359.9997, 0, 360);
    }
    void as_the_control_reads_them()
    {
        QFETCH(int, how);
        QFETCH(double, from);
        QFETCH(double, word);
        QFETCH(double, to);
        QFETCH(bool, unclear);
        const auto reads = static_cast<TurnReading>(how);
        const double place = reads == TurnReading::signed_way ? std::abs(word) : word;
        const Turned turned = turned_to(reads, to_rad(from), to_rad(place), word < 0, to_rad(increment));
        QCOMPARE(turned.unclear, unclear);
        // Half a turn may come out on either side.
        const double off = std::abs(to_deg(turned.to) - to);
        QVERIFY2(off < 1e-9 || (unclear && std::abs(off - 360) < 1e-9), qPrintable(QString::number(to_deg(turned.to), 'f', 6)));
    }

    void as_they_are_written_data()
    {
        QTest::addColumn<QString>("how");
        QTest::addColumn<QString>("angles");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* how, const char* angles, const char* words) {
            QTest::newRow(qPrintable(QString("%1: %2").arg(how, angles))) << how << angles << words;
        };
        row("wound", "90 350 10", "A90. A-10. A10.");
        row("shortest-way", "90 350 10", "A90. A350. A10.");
        row("signed-way", "90 350 10", "A90. A-350. A10.");
        row("rising", "90 350 10", "A90. A350. A10.");
        row("falling", "90 350 10", "A90. A350. A10.");
        // Half a turn.
        row("wound", "0 180", "A0. A180.");
        row("shortest-way", "0 180", "A0. A90. A180.");
        row("signed-way", "0 180", "A0. A180.");
        // A whole turn but for less than the last decimal is zero; less by more than that is not.
        row("wound", "270 359.99996", "A-90. A0.");
        row("shortest-way", "300 359.99996", "A300. A0.");
        row("shortest-way", "300 359.9994", "A300. A359.999");
        row("signed-way", "60 359.99996", "A60. A-360.");
        row("signed-way", "300 359.99996", "A-300. A0.");
        row("signed-way", "300 0.00004", "A-300. A0.");
        row("rising", "300 359.99996", "A300. A0.");
        // What rounds to where the joint stands is no way, least of all round the circle.
        row("rising", "0 359.99996 0.00004", "A0.");
        row("falling", "0 0.00004 359.99996", "A0.");
        row("signed-way", "300 300.00004 299.99996", "A-300.");
    }
    void as_they_are_written()
    {
        QFETCH(QString, how);
        QFETCH(QString, angles);
        QFETCH(QString, words);
        std::vector<double> degrees;
        for (const QString& angle : angles.split(QLatin1Char(' '))) {
            degrees.push_back(angle.toDouble());
        }
        const auto assembly = demo_with_toolpath("setting-circle", marks(degrees), reading(how));
        QVERIFY2(assembly.ok(), assembly ? "" : assembly.error().text().c_str());
        const std::string code = code_of(*assembly);
        QCOMPARE(rotary_words(code), words);
        const ReplayReport report = replay_code(*assembly, code);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    /// Random places, one after the other, for each way of reading: what is written is read as it was meant.
    void round_trips_data()
    {
        QTest::addColumn<QString>("how");
        for (const char* how : {"wound", "shortest-way", "signed-way", "rising", "falling"}) {
            QTest::newRow(how) << how;
        }
    }
    void round_trips()
    {
        QFETCH(QString, how);
        constexpr unsigned seed = 20261126;
        qInfo("seed %u", seed);
        std::srand(seed);
        std::vector<double> degrees;
        for (int i = 0; i < 120; ++i) {
            // Half of them where something happens: on quarters, by a hair beside them.
            const double hair = (std::rand() % 3 - 1) * 0.0004;
            degrees.push_back(i % 2 == 0 ? std::rand() % 4 * 90.0 + hair : std::rand() % 3600000 / 10000.0);
        }
        const Assembly assembly = demo_with_toolpath("setting-circle", marks(degrees), reading(how)).value();
        for (const bool from_unknown : {false, true}) {
            const ReplayReport report = replay_code(assembly, code_of(assembly), from_unknown);
            QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
            QCOMPARE(report.uncovered + report.extra, std::size_t(0));
        }
    }

    void the_demo_by_each_reading_data() { round_trips_data(); }
    void the_demo_by_each_reading()
    {
        QFETCH(QString, how);
        const Assembly assembly = load_demo("setting-circle", reading(how)).value();
        MemoryRecords records(assembly.toolpath);
        const RunResult run = post(assembly);
        const ReplayReport report = replay_code(assembly, run.files[0].text);
        if (how == QStringLiteral("rising") || how == QStringLiteral("falling")) { // the groove goes round and comes back
            QVERIFY(has_finding(run.findings, "one-way"));
            QVERIFY(!report.findings.list().empty());
            return;
        }
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QCOMPARE(report.uncovered + report.extra, std::size_t(0));
        QVERIFY(report.compared > 1700);
    }

    void a_joint_that_is_only_positioned()
    {
        const std::vector<Edit> edits{
            {"machines/brae-4r.json", R"("rollover": true,)", R"("rollover": true, "moves_while_cutting": false,)"}};
        // Marks are cut with A standing still.
        const Assembly standing = demo_with_toolpath("setting-circle", marks({0, 90, 180}), edits).value();
        const RunResult still = post(standing);
        QVERIFY2(still.findings.list().empty(), qPrintable(shown(still.findings)));
        const ReplayReport clean = replay_code(standing, still.files[0].text);
        QVERIFY2(clean.findings.list().empty(), qPrintable(shown(clean.findings)));
        // The groove turns it.
        const Assembly winding = load_demo("setting-circle", edits).value();
        const RunResult run = post(winding);
        QCOMPARE(run.findings.list().size(), std::size_t(1));
        const Finding& finding = run.findings.list()[0];
        QCOMPARE(QString::fromStdString(finding.kind), QString("positions-only"));
        QVERIFY2(finding.message.starts_with("the cut moves A by ") && finding.message.ends_with(" deg, but it may only be positioned"),
                 finding.message.c_str());
        QCOMPARE(QString::fromStdString(finding.source.file), QString("toolpaths/circle-groove.cl"));
        const ReplayReport report = replay_code(winding, run.files[0].text);
        QVERIFY2(has_finding(report.findings, "positions-only"), qPrintable(shown(report.findings)));
    }

    void a_direction_that_one_rotary_axis_misses()
    {
        // Leant by 3 deg along the axis: whatever A does, 3 deg are missing.
        std::string cl = "PARTNO LEANT\nUNITS/MM\nMULTAX/ON\nLOADTL/11\nSPINDL/9000,RPM,CLW\nRAPID\n";
        for (const double radius : {57.0, 54.7}) {
            const double s = std::sin(to_rad(30)) * std::cos(to_rad(3));
            const double c = std::cos(to_rad(30)) * std::cos(to_rad(3));
            cl += QString("GOTO/ 2, %1, %2, $\n %3, %4, %5\n")
                      .arg(radius * std::sin(to_rad(30)), 0, 'f', 9)
                      .arg(radius * std::cos(to_rad(30)), 0, 'f', 9)
                      .arg(std::sin(to_rad(3)), 0, 'f', 12)
                      .arg(s, 0, 'f', 12)
                      .arg(c, 0, 'f', 12)
                      .toStdString();
            cl += "FEDRAT/300,MMPM\n";
        }
        const RunResult run = post(demo_with_toolpath("setting-circle", cl + "FINI\n").value());
        QVERIFY(has_finding(run.findings, "unreachable"));
        const Finding& finding = run.findings.list()[0];
        QCOMPARE(QString::fromStdString(finding.message), QString("no rotary posture brings the tool axis there: 3.000 deg are missing"));
        QVERIFY2(finding.cure.starts_with("the nearest axis in reach is 0.000000, 0.500000, 0.866025;"), finding.cure.c_str());
    }

    void half_a_turn_in_a_foreign_program_is_found()
    {
        const Assembly assembly = demo_with_toolpath("setting-circle", marks({0, 180})).value();
        std::string code = code_of(assembly);
        const std::size_t at = code.find("A90.\n");
        QVERIFY(at != std::string::npos);
        code.erase(at, 5); // what is left of that block is a rapid to nowhere
        const ReplayReport report = replay_code(assembly, code);
        QVERIFY2(has_finding(report.findings, "turn-unclear"), qPrintable(shown(report.findings)));
        for (const Finding& finding : report.findings.list()) {
            if (finding.kind == "turn-unclear") {
                QCOMPARE(QString::fromStdString(finding.message),
                         QString("A 180 is half a turn from where A stands: the control may go either way"));
            }
        }
    }

    void a_linear_joint_has_no_circle()
    {
        const auto loaded =
            load_demo("setting-circle", {{"controllers/ness-r.json", R"("X": "X")", R"("X": {"joint": "X", "reads": "rising"})"}});
        QVERIFY(!loaded.ok());
        QVERIFY2(loaded.error().text().find("the controller reads the words of X as places on a circle, but that joint is linear") !=
                     std::string::npos,
                 loaded.error().text().c_str());
    }
};

WEXILUM_TEST(TestTurnWords)

} // namespace test_turn_words
#include "test_turn_words.moc"
