// Rapids as the control goes them: joints each at their own speed drag a leaning tool aside, which the replay reports and the writer
// avoids.
#include "core/compare/report.hpp"
#include "core/replay/replay_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_rapid_ways {

namespace {

const std::string lean = "mirror-cell-sides-lean";
const std::string mill = "controllers/morrow-m.json";

/// X and Y of a line; the numbers must be there.
std::array<double, 2> place_in(const std::string& line)
{
    static const QRegularExpression words(QStringLiteral("X(-?[0-9.]+) Y(-?[0-9.]+)"));
    const auto found = words.match(QString::fromStdString(line));
    return {found.captured(1).toDouble(), found.captured(2).toDouble()};
}

/// The way out of the first hole: the line behind the one that drills it.
std::size_t way_out(const std::vector<std::string>& lines)
{
    for (std::size_t i = 1; i < lines.size(); ++i) {
        if (lines[i].ends_with(" F15000.") && lines[i - 1].ends_with(" F160.")) {
            return i;
        }
    }
    return 0;
}

} // namespace

class TestRapidWays : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_dragged_tool_is_told()
    {
        const Assembly a = load_demo(lean).value();
        std::vector<std::string> lines = lines_of(code_of(a));
        QVERIFY(!replay_code(a, joined(lines)).findings.has_errors());
        const std::size_t out = way_out(lines);
        QVERIFY(out > 0);
        // Both joints go 300 mm/s: first both by the shorter way, then one alone.
        const auto [x0, y0] = place_in(lines[out - 1]);
        const auto [x1, y1] = place_in(lines[out]);
        const double dx = std::abs(x1 - x0);
        const double dy = std::abs(y1 - y0);
        const double length = std::hypot(dx, dy);
        const double corner = std::min(dx, dy);
        const double aside = corner * std::abs(dy - dx) / length;
        const double deep = length - corner * (dx + dy) / length; // below the clearance, where the way ends
        lines[out].replace(lines[out].find(" F15000."), 8, "");
        lines[out].insert(lines[out].find('X'), "G0 ");
        const ReplayReport report = replay_code(a, joined(lines));
        QVERIFY(aside > 1 && deep > 1);
        QVERIFY2(has_finding(report.findings, "bent-rapid", std::uint32_t(out + 1)), qPrintable(shown(report.findings)));
        const auto& list = report.findings.list();
        const auto told = std::find_if(list.begin(), list.end(), [](const Finding& f) { return f.kind == "bent-rapid"; });
        QCOMPARE(QString::fromStdString(told->message),
                 QStringLiteral(
                     "each joint of this rapid moves at its own speed: the tool is dragged %1 mm sideways %2 mm before it is out of the "
                     "work")
                     .arg(aside, 0, 'f', 3)
                     .arg(deep, 0, 'f', 3));
        QCOMPARE(told->severity, Severity::error);
    }

    /// Only as fast as the control can go does a feed stand for a rapid.
    void a_slower_way_out_is_no_rapid()
    {
        const Assembly a = load_demo(lean).value();
        std::vector<std::string> lines = lines_of(code_of(a));
        const std::size_t out = way_out(lines);
        lines[out].replace(lines[out].find("F15000."), 7, "F9000.");
        const ReplayReport report = replay_code(a, joined(lines));
        QVERIFY2(report.findings.has_errors(), "a slow way out passes for a rapid");
    }

    /// A rapid down where the path does not go, and back: 30 mm under the height from which the next tool is fetched.
    void a_rapid_deeper_than_the_path_is_told_data()
    {
        QTest::addColumn<QString>("word");
        QTest::addColumn<double>("deeper");
        QTest::newRow("into the part") << "G0 Z-15." << 30.0;
        QTest::newRow("over it") << "G0 Z2." << 13.0;
    }
    void a_rapid_deeper_than_the_path_is_told()
    {
        QFETCH(QString, word);
        QFETCH(double, deeper);
        const Assembly a = load_demo("mirror-cell").value();
        std::vector<std::string> lines = lines_of(code_of(a));
        std::vector<std::size_t> retracts;
        for (std::size_t i = 0; i < lines.size(); ++i) {
            if (lines[i].ends_with("G53 Z0.")) {
                retracts.push_back(i);
            }
        }
        QVERIFY(retracts.size() >= 2);
        const auto at = lines.begin() + std::ptrdiff_t(retracts.front());
        QVERIFY(*(at - 4) == "N4530 G0 Z15."); // the path's last place before the tool change
        const auto planted = std::uint32_t(retracts.front() + 1);
        lines.insert(at, {word.toStdString(), "G0 Z60."});
        const ReplayReport report = replay_code(a, joined(lines));
        QVERIFY2(has_finding(report.findings, "rapid-too-deep", planted), qPrintable(shown(report.findings)));
        QVERIFY2(shown(report.findings).contains(QStringLiteral("a rapid goes %1 mm deeper").arg(deeper, 0, 'f', 3)),
                 qPrintable(shown(report.findings)));
    }

    void a_straight_control_has_nothing_to_avoid()
    {
        const std::vector<Edit> straight{{mill, R"("rapid": "each-joint")", R"("rapid": "straight")"}};
        const Assembly a = load_demo(lean, straight).value();
        const std::string code = code_of(a);
        QVERIFY(code.find("F15000") == std::string::npos);
        QVERIFY(!replay_code(a, code).findings.has_errors());
        // The same code on the control whose joints go each at their own speed is not proven.
        const Assembly each = load_demo(lean).value();
        QVERIFY(has_finding(replay_code(each, code).findings, "bent-rapid"));
        // Between two holes in a round rim the way sideways at the clearance dips, too.
        const std::string rim = code_of(load_demo("mirror-cell-sides", straight).value());
        QVERIFY(has_finding(replay_code(load_demo("mirror-cell-sides").value(), rim).findings, "sideways-while-low"));
    }

    /// In coordinates of the tip a control may go straight though its joints do not otherwise; one that does not drags its own cycles.
    void coordinates_of_the_tip_have_a_way_of_their_own()
    {
        const Assembly a = load_demo("focuser-hub").value();
        QVERIFY(a.controller.tip_rapid_straight && !a.controller.rapid_straight);
        const std::string code = code_of(a);
        QVERIFY(!replay_code(a, code).findings.has_errors());
        const Assembly bent =
            load_demo("focuser-hub", {{"controllers/esker-v.json", R"("tip_rapid": "straight")", R"("tip_rapid": "each-joint")"}}).value();
        QVERIFY(has_finding(replay_code(bent, code).findings, "bent-rapid"));
        const std::string avoiding = code_of(bent);
        QVERIFY(avoiding != code); // links go at feed; what is left is what the control's own cycles do
        const ReplayReport report = replay_code(bent, avoiding);
        for (const Finding& finding : report.findings.list()) {
            QVERIFY2(finding.kind == "bent-rapid" || finding.kind == "sideways-while-low", finding.message.c_str());
        }
        // As the key says nothing, it goes as other rapids do.
        QVERIFY(!load_demo("focuser-hub", {{"controllers/esker-v.json", R"( "tip_rapid": "straight",)", ""}})
                     .value()
                     .controller.tip_rapid_straight);
    }
};

WEXILUM_TEST(TestRapidWays)

} // namespace test_rapid_ways
#include "test_rapid_ways.moc"
