// What a setup says it has measured, preferred senses, and why a cycle is written as it is. Values by hand from the drawings.
#include "core/advice/reach.hpp"
#include "core/compare/report.hpp"
#include "core/run/block_probe.hpp"
#include "core/task/zero_taken.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_measured_setup {

namespace {

const std::string sides = "setups/mirror-cell-sides.json";
const std::string stated = R"("1": {"X": -60, "Y": 15, "Z": -518})";

/// The mirror cell's rim with a zero that was taken so; the register knows nothing.
Result<Assembly> taken(const std::string& zero, const std::string& offsets = R"("1": {})")
{
    return load_demo("mirror-cell-sides", {{sides, stated + "\n  },", offsets + "\n  },\n  \"zeros\": {\"1\": " + zero + "},"}});
}

QStringList words_of(const std::string& code, QChar letter)
{
    QStringList out;
    for (const std::string& line : lines_of(code)) {
        for (const QString& word : QString::fromStdString(line).split(QLatin1Char(' '))) {
            if (!line.starts_with("(") && word.size() > 1 && word[0] == letter && !word[1].isLetter()) {
                out.push_back(word);
            }
        }
    }
    return out;
}

} // namespace

class TestMeasuredSetup : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // --- zeros
    void zeros_data()
    {
        QTest::addColumn<QString>("zero");
        QTest::addColumn<double>("x");
        QTest::addColumn<double>("y");
        QTest::addColumn<double>("z");
        // The part lies at -60, 15, 102 of the table, the gauge point at 620 over it.
        QTest::newRow("spindle face") << R"({"point": "gauge-point"})" << -60.0 << 15.0 << 102.0 - 620;
        QTest::newRow("tip in the spindle") << R"({"point": "tip", "tool": 21})" << -60.0 << 15.0 << 102.0 - 620 + 45.3;
        QTest::newRow("on a point of the part")
            << R"({"point": "tip", "tool": 21, "touches": [10, -20, 3]})" << -50.0 << -5.0 << 105.0 - 620 + 45.3;
        // The turning head at 0: the tip 48.15 + 52.64 before the spindle's axis, 132.5 below its face; at 90 it points to the left.
        QTest::newRow("tip in the head") << R"({"point": "tip", "tool": 22, "attachment": "turn-head"})" << -60.0 << 15 + 48.15 + 52.64
                                         << 102 - 620 + 132.5;
        QTest::newRow("head set to 90") << R"({"point": "tip", "tool": 22, "attachment": "turn-head", "set": {"H": 90}})"
                                        << -60 + 48.15 + 52.64 << 15.0 << 102 - 620 + 132.5;
    }
    void zeros()
    {
        QFETCH(QString, zero);
        QFETCH(double, x);
        QFETCH(double, y);
        QFETCH(double, z);
        const auto a = taken(zero.toStdString());
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const auto& found = a->setup.offsets.at("1");
        QVERIFY2(std::abs(found.at("X") - x) < 1e-9 && std::abs(found.at("Y") - y) < 1e-9 && std::abs(found.at("Z") - z) < 1e-9,
                 fmt::format("{} {} {}", found.at("X"), found.at("Y"), found.at("Z")).c_str());
    }

    void the_pivot_of_a_nutating_head()
    {
        // The hub lies at 2, -3 and 150 over the turntable, which is at -600; the axis of B goes through 0, 0.04, 165.
        const std::string setup = "setups/focuser-hub.json";
        const auto a = load_demo(
            "focuser-hub", {{setup, R"("X": 2, "Y": -3, "Z": -450, )", R"("X": 2, "Y": -3.04, )"},
                            {setup, R"(  "tools": [)", "  \"zeros\": {\"1\": {\"point\": \"pivot\", \"joint\": \"B\"}},\n  \"tools\": ["}});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        QVERIFY(std::abs(a->setup.offsets.at("1").at("Z") - (-600 + 150 - 165)) < 1e-9);
        const ReplayReport report = replay_code(*a, code_of(*a), true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void refused_data()
    {
        QTest::addColumn<QString>("zero");
        QTest::addColumn<QString>("offsets");
        QTest::addColumn<QString>("message");
        QTest::newRow("another value") << R"({"point": "tip", "tool": 21})" << QString::fromStdString(stated)
                                       << "the register 1 says Z -518.000, but its zero as it was taken comes to -472.700";
        QTest::newRow("no tool") << R"({"point": "tip", "tool": 99})"
                                 << R"("1": {})"
                                 << "the zero was taken with the tool 99, whose length is not known";
        QTest::newRow("no head") << R"({"point": "tip", "tool": 21, "attachment": "saw"})"
                                 << R"("1": {})"
                                 << "the zero was taken with \"saw\", which the machine does not have";
        QTest::newRow("no register") << R"({"point": "gauge-point"})"
                                     << R"("2": {})"
                                     << "a zero was taken for the register 1, which the setup does not have";
        QTest::newRow("no axis") << R"({"point": "pivot", "joint": "Z"})"
                                 << R"("1": {})"
                                 << "\"Z\" is not a rotary joint of the machine";
        QTest::newRow("no joint") << R"({"point": "gauge-point", "set": {"Q": 1}})"
                                  << R"("1": {})"
                                  << "\"Q\" is not a joint of the machine";
    }
    void refused()
    {
        QFETCH(QString, zero);
        QFETCH(QString, offsets);
        QFETCH(QString, message);
        const auto a = taken(zero.toStdString(), offsets.toStdString());
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().message), message);
        QCOMPARE(QString::fromStdString(a.error().place.file), QString::fromStdString(sides));
        QVERIFY(a.error().place.line > 0 && !a.error().cure.empty());
    }

    // --- rotation centres
    void a_measured_centre_moves_the_words()
    {
        // The turntable's axis 0.4 aside in X and 0.3 in Y: at C 180 a tip over it stands twice that elsewhere.
        const std::string setup = "setups/focuser-hub.json";
        const auto with = [&](const std::string& centre) {
            return load_demo("focuser-hub",
                             {{setup, R"(  "tools": [)", "  \"rotation_centres\": {\"C\": " + centre + "},\n  \"tools\": ["}});
        };
        const auto a = with("[0.4, 0.3, -600]");
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const Assembly plain = load_demo("focuser-hub").value();
        Readings at = plain.machine.home();
        const auto c = Eigen::Index(plain.machine.find_joint("C")->value);
        at[c] = pi;
        const Vec3 before = plain.solver->kinematics().pose(at, 100).tip;
        const Vec3 after = a->solver->kinematics().pose(at, 100).tip;
        QVERIFY2(std::abs((after - before).norm() - 1.0) < 1e-9, fmt::format("{}", (after - before).norm()).c_str());
        const ReplayReport report = replay_code(*a, code_of(*a), true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        // What is written for the drawing's axis is wrong on this machine.
        QVERIFY(replay_code(*a, code_of(plain)).findings.has_errors());

        QCOMPARE(QString::fromStdString(with("[12, 5, -600]").error().message),
                 QString("the rotation centre of C is 13.000 mm from the machine's axis"));
        QVERIFY(with("[0, 0, 300]").ok()); // along the axis it is the same centre
    }

    // --- preferred senses
    void half_a_turn_goes_the_preferred_way_data()
    {
        QTest::addColumn<QString>("sense");
        QTest::addColumn<QString>("words");
        QTest::newRow("negative") << QStringLiteral("negative") << QStringLiteral("A0. A270. A180.");
        QTest::newRow("positive") << QStringLiteral("positive") << QStringLiteral("A0. A90. A180.");
    }
    void half_a_turn_goes_the_preferred_way()
    {
        QFETCH(QString, sense);
        QFETCH(QString, words);
        const auto a = demo_with_toolpath("setting-circle",
                                          "PARTNO HALF\nUNITS/MM\nMULTAX/ON\nLOADTL/11\nSPINDL/1000,RPM,CLW\nRAPID\nGOTO/10,0,60,0,0,1\n"
                                          "FEDRAT/100,MMPM\nGOTO/10,0,55,0,0,1\nRAPID\nGOTO/10,0,60,0,0,1\nRAPID\nGOTO/10,0,-60,0,0,-1\n"
                                          "GOTO/10,0,-55,0,0,-1\nRAPID\nGOTO/10,0,-60,0,0,-1\nFINI\n",
                                          {{"machines/brae-4r.json", R"("rollover": true,)",
                                            "\"rollover\": true, \"preferred_sense\": \"" + sense.toStdString() + "\","}});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        QCOMPARE(words_of(code, QLatin1Char('A')).join(QLatin1Char(' ')), words);
    }

    void of_equal_turns_inside_travel_the_preferred_one_data()
    {
        QTest::addColumn<QString>("sense");
        QTest::addColumn<QString>("word");
        QTest::newRow("none") << QStringLiteral("none") << QStringLiteral("B-180.");
        QTest::newRow("negative") << QStringLiteral("negative") << QStringLiteral("B-180.");
        QTest::newRow("positive") << QStringLiteral("positive") << QStringLiteral("B180.");
    }
    void of_equal_turns_inside_travel_the_preferred_one()
    {
        QFETCH(QString, sense);
        QFETCH(QString, word);
        const auto a = demo_with_toolpath("fork-arm",
                                          "PARTNO HALF\nUNITS/MM\nMULTAX/ON\nLOADTL/31\nSPINDL/1000,RPM,CLW\nRAPID\nGOTO/0,100,200,0,0,1\n"
                                          "RAPID\nGOTO/0,100,-200,0,0,-1\nFINI\n",
                                          {{"machines/fell-4.json", R"("moves_while_cutting": false,)",
                                            "\"moves_while_cutting\": false, \"preferred_sense\": \"" + sense.toStdString() + "\","}});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const QStringList words = words_of(code_of(*a), QLatin1Char('B'));
        QVERIFY2(words.contains(word), qPrintable(words.join(QLatin1Char(' '))));
    }

    void counts_are_told()
    {
        const Assembly a = load_demo("fork-arm", {{"machines/fell-4.json", R"("moves_while_cutting": false,)",
                                                   R"("moves_while_cutting": false, "counts_per_unit": 250,)"}})
                               .value();
        const auto remarks = reach_remarks(a.machine);
        QVERIFY(!remarks.empty());
        // A 250th of a degree; at 100 mm that is 100 * 0.004 * pi / 180.
        QCOMPARE(QString::fromStdString(remarks.back()), QString("B: one count is 0.004 deg, 0.00698 mm at 100 mm from its axis"));
    }

    // --- cycles
    void the_trace_says_why_a_cycle_is_written_so()
    {
        const auto rule_at = [](const char* job, const std::string& word, const std::vector<Edit>& edits = {}) {
            const Assembly a = load_demo(job, edits).value();
            const std::vector<std::string> code = lines_of(code_of(a));
            const auto line = std::find_if(code.begin(), code.end(), [&](const std::string& l) { return l.find(word) != l.npos; });
            MemoryRecords records(a.toolpath);
            MemoryScratch scratch;
            return QString::fromStdString(trace_block(a, records, scratch, std::uint32_t(line - code.begin()) + 1).value().rule);
        };
        const QString native = rule_at("fork-arm", "G81 ");
        QVERIFY2(native.endsWith(", by the control's own cycle: its word moves the tool along itself"), qPrintable(native));
        // The first hole that is fed through a head, by a control whose cycles drill along Z alone: that is not the way of the drill.
        const QString expanded = rule_at("mirror-cell-sides", "G1 X209.637",
                                         {{"controllers/morrow-m.json", R"("cycles": "across-plane",)", ""},
                                          {"controllers/morrow-m.json", R"("code": ["G0 X0. Y0. Z50.", "G99 G19 G81 X30. Y4. R12. F120."])",
                                           R"("code": ["G0 X12. Y4. Z50."])"}});
        QVERIFY2(expanded.endsWith(", by single moves: the way along the tool takes more than the word that a cycle drills along"),
                 qPrintable(expanded));
    }
};

WEXILUM_TEST(TestMeasuredSetup)

} // namespace test_measured_setup
#include "test_measured_setup.moc"
