// Joints that point the same way: which one works, where the others stand, and what the control makes of their words. Values by hand.
#include "core/compare/report.hpp"
#include "core/machine/aligned.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_aligned {

namespace {

const std::string job = "jobs/fork-arm.json";
const std::string control = "controllers/orrin-h.json";

/// A hole and a helix in the side 0, at X 0 and Y 100 of the part.
std::string toolpath(const char* tool)
{
    return std::string("PARTNO TEST\nUNITS/MM\nMULTAX/ON\nLOADTL/") + tool +
           "\nSPINDL/1000,RPM,CLW\nRAPID\nGOTO/0,100,180,0,0,1\nCYCLE/DRILL,DEPTH,26,CLEAR,2,MMPM,200\nGOTO/0,100,150,0,0,1\nCYCLE/OFF\n"
           "RAPID\nGOTO/20,100,180,0,0,1\nRAPID\nGOTO/20,100,152,0,0,1\nFEDRAT/300,MMPM\nCIRCLE/0,100,152,0,0,1,20\n"
           "GOTO/20,100,147.5,0,0,1\nFINI\n";
}

/// The demo's fork arm with this toolpath and posture.
Result<Assembly> fork(const char* tool, const std::string& parked, const std::string& coordinates = "own")
{
    const std::string text = read_file(demo_folder() + "/controllers/orrin-h.json");
    std::vector<Edit> edits{{"jobs/fails-quill-too-short.json", R"("parked": {"Z": 620, "W": 0})", "\"parked\": {" + parked + "}"}};
    if (coordinates != "own") { // the control's own witness is about the one it has
        const std::size_t witness = text.find(",\n    {\"name\": \"each aligned axis has its own coordinate\"");
        edits.push_back({control, text.substr(witness, text.find("\n  ]", witness) - witness),
                         ",\n    {\"name\": \"W counts in Z\", \"code\": [\"W-5.\", \"G0 Z20.\"], \"offsets\": {\"Z\": 100, \"W\": 30}, "
                         "\"readings\": {\"Z\": 95, \"W\": 25}}"});
        edits.push_back({control, R"("coordinates": "own")", "\"coordinates\": \"" + coordinates + "\""});
    }
    return demo_with_toolpath("fails-quill-too-short", toolpath(tool), edits);
}

QStringList motions(const std::string& code)
{
    QStringList out;
    for (const std::string& line : lines_of(code)) {
        const QString text = QString::fromStdString(line);
        if (text.startsWith(QLatin1Char('N')) && (text.contains(" G81 ") || text.contains(" G3 ") || text.contains(" G43 "))) {
            out.push_back(text.section(QLatin1Char(' '), 1));
        }
    }
    return out;
}

} // namespace

class TestAligned : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void words_of_the_joint_that_works_data()
    {
        QTest::addColumn<QString>("tool");
        QTest::addColumn<QString>("parked");
        QTest::addColumn<QString>("coordinates");
        QTest::addColumn<QStringList>("expected");
        // The tip stands at Z + W + R - length + 200 of the part (gauge point 200 before the table's axis); its words, with the length in
        // its register, at Z + W + R + 200 less the length, each by its own offset: -200 for Z, 0 for W and R.
        // Quill: R = 180 + 141.7 - 200 - 360 + 200 = -38.3 at the height 180, and its word -38.3 - 141.7 = -180.
        QTest::newRow("quill") << "32"
                               << R"("Z": 360, "W": -200)"
                               << "own"
                               << QStringList{"G43 R-180. H32", "G99 G81 X0. Y100. R-236. D-208. F200.",
                                              "G3 X20. Y100. R-212.5 I-20. F300."};
        // Ram: W = 180 + 182.35 - 200 - 300 + 60 = -77.65, its word -260.
        QTest::newRow("ram") << "33"
                             << R"("Z": 300, "R": -60)"
                             << "own"
                             << QStringList{"G43 W-260. H33", "G99 G81 X0. Y100. W-316. D-288. F200.", "G3 X20. Y100. W-292.5 I-20. F300."};
        // Column, ram and quill a little out: Z = 180 + 110.42 - 200 + 50 + 30 = 170.42, its word 170.42 + 200 - 110.42 = 260.
        QTest::newRow("column") << "31"
                                << R"("R": -30, "W": -50)"
                                << "own" << QStringList{"G43 Z260. H31", "G99 G81 X0. Y100. Z204. D232. F200.", "G3 Z227.5 I-20. F300."};
        // Where the control adds them up, the word of Z is the tip's place in the part, whatever the others stand at.
        QTest::newRow("column, summed") << "31"
                                        << R"("R": -30, "W": -50)"
                                        << "summed"
                                        << QStringList{"G43 Z180. H31", "G99 G81 X0. Y100. Z124. D152. F200.", "G3 Z147.5 I-20. F300."};
        QTest::newRow("ram, summed") << "33"
                                     << R"("Z": 300, "R": -60)"
                                     << "summed"
                                     << QStringList{"G43 W-260. H33", "G99 G81 X0. Y100. W-316. D-288. F200.",
                                                    "G3 X20. Y100. W-292.5 I-20. F300."};
    }
    void words_of_the_joint_that_works()
    {
        QFETCH(QString, tool);
        QFETCH(QString, parked);
        QFETCH(QString, coordinates);
        QFETCH(QStringList, expected);
        const auto a = fork(tool.toLatin1().constData(), parked.toStdString(), coordinates.toStdString());
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        QCOMPARE(motions(code), expected);
        const ReplayReport report = replay_code(*a, code, true);
        QVERIFY2(report.findings.list().empty() && report.compared == 5, qPrintable(shown(report.findings)));
    }

    void parked_in_the_stated_order()
    {
        const auto code = [](const char* parked) { return code_of(fork("33", parked).value()); };
        const auto first = [](const std::string& text, const char* word) { return text.find(word); };
        const std::string ram_last = code(R"("Z": 300, "R": -60)");
        QVERIFY(first(ram_last, " Z500.") < first(ram_last, " R-60."));
        const std::string ram_first = code(R"("R": -60, "Z": 300)");
        QVERIFY(first(ram_first, " R-60.") < first(ram_first, " Z500."));
    }

    void the_same_tool_on_another_joint()
    {
        const auto a = load_demo("fork-arm", {{"toolpaths/fork-bore.cl", "LOADTL/ 33", "LOADTL/ 32"}});
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        // The bore begins at 190: W = 190 + 141.7 - 200 - 300 + 60 = -108.3, its word 141.7 less.
        QVERIFY2(code.find("G43 R-180. H32") < code.find("G43 W-250. H32"), code.c_str());
        const ReplayReport report = replay_code(*a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void nothing_says_which_works()
    {
        // It is chosen, but not without the tool's length.
        QVERIFY(fork("33", R"("R": -60)").ok());
        const auto a = load_demo("fork-arm-silent", {{"setups/fork-arm.json", R"("length": 141.7, )", ""}});
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().message),
                 QString("in the operation 20 the joints Z, W, R point the same way, and nothing says which of them works"));
        QCOMPARE(QString::fromStdString(a.error().cure), QString("park all but one of them in the operation's \"posture\""));
    }

    void out_of_reach_of_the_quill()
    {
        const Assembly a = load_demo("fails-quill-too-short").value();
        const RunResult result = post(a);
        QVERIFY(result.findings.has_errors());
        // At the side 90 (120 mm) the holes end at 94: R = 94 + 141.7 - 200 - 620 = -584.3, 284.3 beyond its end.
        const Finding& first = result.findings.list().front();
        QCOMPARE(QString::fromStdString(first.message).section(QLatin1Char(' '), 0, 1), QString("R goes"));
        double worst = 0;
        for (const Finding& finding : result.findings.list()) {
            worst = std::max(worst, finding.worst);
        }
        QVERIFY2(std::abs(worst - 284.3) < 1e-6, qPrintable(QString::number(worst, 'f', 6)));
    }

    void wrong_groups_data()
    {
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        QTest::newRow("alone") << R"(["Z"])"
                               << "a single joint is not aligned with another";
        QTest::newRow("unknown") << R"(["Z", "Q"])"
                                 << "the aligned joint \"Q\" has no address";
        QTest::newRow("twice") << R"(["Z", "W", "Z"])"
                               << "the joint \"Z\" appears twice in a group of aligned joints";
    }
    void wrong_groups()
    {
        QFETCH(QString, to);
        QFETCH(QString, message);
        const auto a = load_demo("fork-arm", {{control, R"(["Z", "W", "R"])", to.toStdString()}});
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().message), message);
    }

    void joints_that_are_not_aligned()
    {
        const Machine machine = load_demo("fork-arm").value().machine;
        QVERIFY(check_aligned(machine, {"R", "Z", "W"}).ok());
        QCOMPARE(QString::fromStdString(check_aligned(machine, {"Z", "Y"}).error().message),
                 QString("the joints Z and Y do not point the same way"));
        QCOMPARE(QString::fromStdString(check_aligned(machine, {"Z", "B"}).error().message),
                 QString("the aligned joint \"B\" is not a linear joint of the machine"));
        // A joint that carries the work, and reads as its own motion, moves the tool over the work the other way.
        Machine turned = machine;
        turned.joints[turned.find_joint("W")->value].direction = -Vec3::UnitZ();
        const auto signs = signed_joints(turned, {"Z", "W", "R"});
        QVERIFY(signs.size() == 3 && signs[0].first && signs[0].sign == 1 && signs[1].sign == -1 && signs[2].sign == 1);
    }

    void a_parked_place_that_is_wrong_shows()
    {
        const auto a = load_demo("fork-arm");
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::string code = code_of(*a);
        const std::size_t at = code.find(" W-200.");
        QVERIFY(at != std::string::npos);
        std::string changed = code;
        changed.replace(at, 7, " W-199.");
        const ReplayReport report = replay_code(*a, changed);
        QVERIFY2(report.findings.has_errors(), qPrintable(shown(report.findings)));
    }
};

WEXILUM_TEST(TestAligned)

} // namespace test_aligned
#include "test_aligned.moc"
