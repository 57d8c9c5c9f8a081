// Mistakes put in on purpose: in the dialect, the machine and the code. Each must be noticed, and wrong words at their block.
#include "core/compare/report.hpp"
#include "core/follow/code_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_mutants {

namespace {

constexpr unsigned seed = 4242;

struct DemoJob {
    Assembly assembly;
    std::vector<std::string> lines;
    explicit DemoJob(const std::string& name) : assembly(name == "mirror-back-face" ? short_back() : load_demo(name).value())
    {
        lines = lines_of(code_of(assembly));
    }

private:
    /// The five-axis job with three of the face's rows and the whole rim: every sort of block, ten times shorter.
    static Assembly short_back()
    {
        std::vector<std::string> face = lines_of(read_file(demo_folder() + "/toolpaths/mirror-back-face.cl"));
        face.resize(11 + 3 * 80);
        return demo_with_toolpath("mirror-back-face", joined(face) + read_file(demo_folder() + "/toolpaths/mirror-back-rim.cl")).value();
    }
};

bool moves(const std::string& line)
{
    static const QRegularExpression axis("^(N\\d+ )?(?![(%O]).*[XYZWBCDIJKR]-?[0-9]");
    return axis.match(QString::fromStdString(line)).hasMatch();
}

/// Blocks whose absence makes no difference to a control: remarks, tape marks, a tool called ahead, a second "off" before the change or
/// end, the end of a cycle before another motion word.
bool silent(const std::string& line)
{
    static const QRegularExpression rest("^([%(O].*|(N\\d+ )?(T\\d+|M5|M9|G80))$");
    return rest.match(QString::fromStdString(line)).hasMatch();
}

/// Turning first or going sideways first, both at the retract height, is the same; so is coming down beside the work and going on along
/// the tool to the height at which the path itself begins, and coming down to a clearance surface and going sideways
/// on it, or turning there and going home.
bool interchangeable(const std::vector<std::string>& lines, std::size_t i)
{
    static const QRegularExpression turn("^(N\\d+ )?G0( B\\S+)? C\\S+$");
    static const QRegularExpression sideways("^(N\\d+ )?X\\S+ Y\\S+$");
    static const QRegularExpression parked("^N\\d+ [ZWR]-?[0-9.]+$"); // column, ram and quill, one after the other
    static const QRegularExpression down("^N\\d+ G49 Z\\S+$");
    static const QRegularExpression over("^(G0 )?X\\S+ Y\\S+$"); // of the saw, whose job states a clearance surface
    static const QRegularExpression onto("^(G43 )?Z(20\\.|47\\.5)( H5[12])?$");
    static const QRegularExpression away("^G53 Z0\\.$");
    static const QRegularExpression round("^C-?[0-9.]+$");
    static const QRegularExpression along("^N\\d+ [XY]\\S+( Y\\S+)?$");
    static const QRegularExpression height("^N\\d+ Z\\S+$"); // which turned coordinates leave as it is
    static const QRegularExpression turned("^N\\d+ G17 G75 X0\\. Y0\\. R\\S+$");
    const QString first = QString::fromStdString(lines[i]);
    const QString second = QString::fromStdString(lines[i + 1]);
    return (parked.match(first).hasMatch() && parked.match(second).hasMatch()) ||
           (turn.match(first).hasMatch() && sideways.match(second).hasMatch()) ||
           (over.match(first).hasMatch() && onto.match(second).hasMatch()) ||
           (height.match(first).hasMatch() && turned.match(second).hasMatch()) ||
           (away.match(first).hasMatch() && round.match(second).hasMatch()) ||
           (down.match(first).hasMatch() && along.match(second).hasMatch());
}

/// A rapid that another rapid follows: between a head's holes in a round rim, and on its way out, the heights on the way are the program's
/// own, and more than one is right.
bool on_the_way(const DemoJob& job, std::size_t i)
{
    if (job.assembly.job.name != "mirror-cell-sides") {
        return false;
    }
    static const QRegularExpression mode("G[0123]\\b");
    static const QRegularExpression feed("F([0-9.]+)$");
    const auto last = [&](std::size_t line, const QRegularExpression& word) {
        for (std::size_t k = line + 1; k-- > 0;) {
            const auto found = word.match(QString::fromStdString(job.lines[k]));
            if (found.hasMatch()) {
                return found.captured(0);
            }
        }
        return QString();
    };
    // Where a rapid would drag the tool aside, the most that the control takes stands for it.
    const auto rapid = [&](std::size_t line) { return last(line, mode) == "G0" || last(line, feed) == "F15000."; };
    const auto begins = [&](const char* operation) {
        return std::size_t(std::find(job.lines.begin(), job.lines.end(), operation) - job.lines.begin());
    };
    // How far above the last peck the next one begins is the dialect's choice.
    const bool pecks = i > begins("(20 BORES IN SIX DIRECTIONS)") && i < begins("(30 PAD WITH A RECESS)");
    return rapid(i) && i + 1 < job.lines.size() && (pecks || rapid(i + 1));
}

/// A rapid to where the cycle behind it goes anyhow: it may end beside it, or not be there.
bool before_cycle(const std::vector<std::string>& lines, std::size_t i)
{
    static const QRegularExpression cycle("G8[13] (X\\S+ Y\\S+) ");
    const auto next = cycle.match(QString::fromStdString(i + 1 < lines.size() ? lines[i + 1] : std::string()));
    return next.hasMatch() && QString::fromStdString(lines[i]).endsWith(next.captured(1));
}

/// What a program does to the work: its cuts with tool, spindle, coolant and time, its dwells, stops and tool changes; and its rapids.
class Work final : public MotionListener {
public:
    QStringList cuts;
    QStringList rapids;

    void moved(const Followed& motion) override
    {
        const ReplayMove& move = motion.move;
        const auto place = [](const Vec3& v) {
            return QString("%1 %2 %3 ").arg(v.x(), 0, 'f', 5).arg(v.y(), 0, 'f', 5).arg(v.z(), 0, 'f', 5);
        };
        const Vec3 way = motion.to.tip - motion.from.tip;
        // What would drag the tool aside in rapid goes at the most that the control takes.
        if (!move.feed || move.at_feed_limit) {
            rapids.push_back(place(motion.from.tip) + place(motion.to.tip) + place(motion.to.axis));
        } else if (way.norm() + motion.turn > 0) {
            QString text = place(motion.to.tip) + place(motion.to.axis);
            // Where a drill begins above the bottom of its hole is the program's own; how deep it comes is not.
            if (way.cross(motion.to.axis).norm() > 1e-3 || motion.turn > 0) {
                text = place(motion.from.tip) + text + QString("in %1 s, ").arg(move.seconds, 0, 'g', 9);
            }
            cuts.push_back(text + QString("tool %1, spindle %2 at %3, coolant %4, sweep %5")
                                      .arg(move.tool)
                                      .arg(int(move.spindle))
                                      .arg(move.spindle_rpm)
                                      .arg(int(move.coolant))
                                      .arg(move.arc ? move.arc->sweep : 0));
        }
    }
    void dwell(BlockNumber /*block*/, double seconds) override { cuts.push_back(QString("dwell %1").arg(seconds)); }
    void stop(BlockNumber /*block*/, bool optional) override { cuts.push_back(QString("stop %1").arg(optional)); }
    void tool_change(BlockNumber /*block*/, std::uint32_t tool) override { cuts.push_back(QString("tool %1").arg(tool)); }
};

Work work_of(const Assembly& a, const std::vector<std::string>& lines)
{
    const std::string code = joined(lines);
    TextSource text(code);
    TextSource ahead(code);
    Work out;
    FindingList findings;
    Follower follower = Follower::make(a.machine, a.setup).value();
    follower.add(out);
    if (!run_code({a.controller, a.machine, &a.setup}, {"mutant.nc", &text, &ahead}, {}, follower, findings)) {
        qFatal("a program in memory can't be read");
    }
    return out;
}

bool noticed(const DemoJob& job, const std::vector<std::string>& lines)
{
    return !replay_code(job.assembly, joined(lines), true).findings.list().empty();
}

/// Why a mutant that nobody notices is none: it does the same work, only the way between cuts is another one. `same_ways`: not even that.
/// Empty where it is so, or where it is noticed; otherwise what is different.
QString difference(const DemoJob& job, const std::vector<std::string>& mutant, bool same_ways)
{
    if (noticed(job, mutant)) {
        return {};
    }
    const Work before = work_of(job.assembly, job.lines);
    const Work after = work_of(job.assembly, mutant);
    if (same_ways && before.rapids != after.rapids) {
        return "another way: " + QString::number(after.rapids.size());
    }
    for (qsizetype i = 0; i < std::max(before.cuts.size(), after.cuts.size()); ++i) {
        if (before.cuts.value(i) != after.cuts.value(i)) {
            return QString("other work, %1: %2 instead of %3").arg(i).arg(after.cuts.value(i), before.cuts.value(i));
        }
    }
    return {};
}

} // namespace

class TestMutants : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase()
    {
        qInfo("seed %u", seed);
        for (const char* name : {"mirror-cell", "mirror-back-face", "mirror-cell-sides", "fork-arm", "focuser-hub", "pier-cap",
                                 "setting-numerals-by-mode", "mirror-cell-by-calls"}) {
            const DemoJob job(name);
            const ReplayReport clean = replay_code(job.assembly, joined(job.lines), true);
            QVERIFY2(clean.findings.list().empty(), qPrintable(shown(clean.findings)));
            QCOMPARE(clean.uncovered + clean.extra, std::size_t(0));
        }
    }

    void dialect_data()
    {
        QTest::addColumn<QString>("job");
        QTest::addColumn<QString>("file");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        const auto row = [](const char* name, bool five, const char* from, const char* to) {
            QTest::newRow(name) << (five ? "mirror-back-face" : "mirror-cell")
                                << (five ? "dialects/calder-t.json" : "dialects/morrow-m.json") << from << to;
        };
        row("axes swapped, three axes", false, R"("X": {"word": "X"}, "Y": {"word": "Y"})", R"("X": {"word": "Y"}, "Y": {"word": "X"})");
        row("axes swapped, five axes", true, R"("B": {"word": "B"}, "C": {"word": "C"})", R"("B": {"word": "C"}, "C": {"word": "B"})");
        row("a sign turned, Y", false, R"("Y": {"word": "Y"})", R"("Y": {"word": "Y", "sign": -1})");
        row("a sign turned, C", true, R"("C": {"word": "C"})", R"("C": {"word": "C", "sign": -1})");
        row("a decimal dropped, mm", false, R"("length": {"decimals": 3})", R"("length": {"decimals": 2})");
        row("a decimal dropped, mm, five axes", true, R"("length": {"decimals": 3})", R"("length": {"decimals": 2})");
        row("a decimal dropped, degrees", true, R"("angle": {"decimals": 4})", R"("angle": {"decimals": 3})");
        row("the point dropped", false, R"("length": {"decimals": 3})", R"("length": {"decimals": 3, "point": "when-needed"})");
        row("G2 and G3 exchanged", false, R"("arc-clockwise": "G2", "arc-counter-clockwise": "G3")",
            R"("arc-clockwise": "G3", "arc-counter-clockwise": "G2")");
        row("centre words left out where unchanged", false, R"("axes", "feed", "speed", "cycle-depth")",
            R"("axes", "centre", "feed", "speed", "cycle-depth")");
        row("inverse time left out where unchanged", true, R"("axes", "feed", "speed"])", R"("axes", "feed", "inverse-feed", "speed"])");
        row("tool change dropped", false, R"("T{tool} M6", )", "");
        row("tool change dropped, five axes", true, R"("T{tool} M6", )", "");
        row("feed not restated after its mode changed", true, R"("feed-mode": ["feed"])", R"("feed-mode": [])");
        row("planes exchanged", false, R"("plane-zx": "G18", "plane-yz": "G19")", R"("plane-zx": "G19", "plane-yz": "G18")");
        row("another work offset", false, R"("1": "G54")", R"("1": "G55")");
        row("retract not in machine coordinates", false, R"("machine-coordinates": "G53")", R"("machine-coordinates": "G90")");
        row("wrong cycle", false, R"("word": "G83")", R"("word": "G81")");
        row("return levels exchanged", false, R"("return-initial": "G98", "return-clearance": "G99")",
            R"("return-initial": "G99", "return-clearance": "G98")");
    }
    void dialect()
    {
        QFETCH(QString, job);
        QFETCH(QString, file);
        QFETCH(QString, from);
        QFETCH(QString, to);
        const auto loaded = load_demo(job.toStdString(), {{file.toStdString(), from.toStdString(), to.toStdString()}});
        if (!loaded) { // reported before anything is posted
            QCOMPARE(loaded.error().place.file, file.toStdString());
            return;
        }
        const Assembly& a = *loaded;
        const ReplayReport report = replay_code(a, code_of(a));
        QVERIFY2(report.findings.has_errors(), "not noticed");
    }

    void machine_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::newRow("pivot of B moved 0.05 mm in Z") << R"("point": [12.5, 0, -85.25])"
                                                       << R"("point": [12.5, 0, -85.3])";
        QTest::newRow("pivot of B moved 0.05 mm in X") << R"("point": [12.5, 0, -85.25])"
                                                       << R"("point": [12.55, 0, -85.25])";
        QTest::newRow("pivot of C moved 0.05 mm") << R"("direction": [0, 0, 1], "point": [3.75, -1.5, 0])"
                                                  << R"("direction": [0, 0, 1], "point": [3.75, -1.55, 0])";
        QTest::newRow("B turned round") << R"("direction": [0, 1, 0], "point")"
                                        << R"("direction": [0, -1, 0], "point")";
        QTest::newRow("C turned round") << R"("direction": [0, 0, 1], "point")"
                                        << R"("direction": [0, 0, -1], "point")";
        QTest::newRow("C read as the table's own motion") << R"("reading": "tool-relative", "travel": [-450, 450])"
                                                          << R"("travel": [-450, 450])";
        QTest::newRow("X turned round") << R"("direction": [1, 0, 0])"
                                        << R"("direction": [-1, 0, 0])";
        QTest::newRow("gauge point moved 0.05 mm") << R"("point": [3.75, -1.5, 560])"
                                                   << R"("point": [3.75, -1.5, 560.05])";
        QTest::newRow("C carries B") << R"("parent": "B")"
                                     << R"("parent": "base")";
    }
    void machine()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        const auto loaded = load_demo("mirror-back-face", {{"machines/tarn-5t.json", from.toStdString(), to.toStdString()}});
        QVERIFY(!loaded.ok());
        QVERIFY2(loaded.error().kind == ErrorKind::witness, loaded.error().text().c_str());
    }

    void code_blocks_data() { jobs(); }
    void code_blocks() // deleted, doubled, exchanged with the neighbour
    {
        QFETCH(QString, name);
        const DemoJob job(name.toStdString());
        const std::size_t step = WEXILUM_EVERY * std::max<std::size_t>(1, job.lines.size() / 200);
        int tried = 0;
        int excused = 0;
        for (std::size_t i = 0; i + 1 < job.lines.size(); i += step) {
            const bool behind_the_path = ((name == "fork-arm" || name == "pier-cap") && i + 5 > job.lines.size()) ||
                                         QString::fromStdString(job.lines[i + 1]).endsWith("M30"); // the last retract
            std::vector<std::string> deleted = job.lines;
            deleted.erase(deleted.begin() + std::ptrdiff_t(i));
            std::vector<std::string> doubled = job.lines;
            doubled.insert(doubled.begin() + std::ptrdiff_t(i), job.lines[i]);
            const bool none = silent(job.lines[i]);
            if (none || on_the_way(job, i) || before_cycle(job.lines, i) || behind_the_path) {
                for (const auto& mutant : {deleted, doubled}) {
                    const QString why = difference(job, mutant, none);
                    QVERIFY2(why.isEmpty(),
                             qPrintable(QString("line %1, %2: ").arg(i + 1).arg(QString::fromStdString(job.lines[i])) + why));
                    ++excused;
                }
                continue;
            }
            QVERIFY2(noticed(job, deleted), qPrintable(QString("deleted line %1: ").arg(i + 1) + QString::fromStdString(job.lines[i])));
            QVERIFY2(noticed(job, doubled), qPrintable(QString("doubled line %1: ").arg(i + 1) + QString::fromStdString(job.lines[i])));
            if (moves(job.lines[i]) && moves(job.lines[i + 1])) {
                std::vector<std::string> exchanged = job.lines;
                std::swap(exchanged[i], exchanged[i + 1]);
                const QString which = QString("exchanged lines %1 and %2: ").arg(i + 1).arg(i + 2) + QString::fromStdString(job.lines[i]);
                if (interchangeable(job.lines, i)) {
                    QVERIFY2(difference(job, exchanged, false).isEmpty(), qPrintable(which));
                    ++excused;
                } else {
                    QVERIFY2(noticed(job, exchanged), qPrintable(which));
                }
            }
            ++tried;
        }
        qInfo("%d blocks, %d mutants excused", tried, excused);
        QVERIFY(tried > 60 / WEXILUM_EVERY);
    }

    void six_increments_data() { jobs(); }
    void six_increments() // any coordinate word wrong by six increments is reported at its block
    {
        QFETCH(QString, name);
        const DemoJob job(name.toStdString());
        const QRegularExpression coordinate("([XYZWBCDIJKR])(-?\\d+\\.\\d*)");
        const std::size_t step = WEXILUM_EVERY * std::max<std::size_t>(1, job.lines.size() / 150);
        std::mt19937_64 random(seed);
        int tried = 0;
        for (std::size_t i = 0; i < job.lines.size(); i += step) {
            if (!moves(job.lines[i])) {
                continue;
            }
            const bool excused = on_the_way(job, i) || before_cycle(job.lines, i);
            const QString line = QString::fromStdString(job.lines[i]);
            for (auto words = coordinate.globalMatch(line); words.hasNext();) {
                const auto word = words.next();
                const bool angle = word.captured(1) == "B" || word.captured(1) == "C";
                const double last = angle ? job.assembly.controller.angle_increment : 1e-3;
                const double change = (random() % 2 == 0 ? 6 : -6) * last;
                QString changed = line;
                changed.replace(word.capturedStart(), word.capturedLength(),
                                word.captured(1) + QString::number(word.captured(2).toDouble() + change, 'f', last < 5e-4 ? 4 : 3));
                std::vector<std::string> lines = job.lines;
                lines[i] = changed.toStdString();
                if (excused) {
                    const QString why = difference(job, lines, false);
                    QVERIFY2(why.isEmpty(), qPrintable(QString("line %1: %2 -> %3: ").arg(i + 1).arg(line, changed) + why));
                    continue;
                }
                const ReplayReport report = replay_code(job.assembly, joined(lines));
                // What stands before a call shows in the lines that are called.
                const auto first_called = std::find(job.lines.begin(), job.lines.end(), "O3110");
                bool there =
                    first_called != job.lines.end() && i < std::size_t(first_called - job.lines.begin()) && !report.findings.list().empty();
                for (const Finding& f : report.findings.list()) {
                    there = there || (f.code.line <= i + 1 && i + 1 <= std::max(f.last_code_line, f.code.line) && f.code.line > 0);
                }
                QVERIFY2(there, qPrintable(QString("line %1: %2 -> %3").arg(i + 1).arg(line, changed) + shown(report.findings)));
                ++tried;
            }
        }
        qInfo("%d words", tried);
        QVERIFY(tried > 40 / WEXILUM_EVERY);
    }

private:
    static void jobs()
    {
        QTest::addColumn<QString>("name");
        QTest::newRow("three axes") << "mirror-cell";
        QTest::newRow("five axes") << "mirror-back-face";
        QTest::newRow("heads") << "mirror-cell-sides";
        QTest::newRow("aligned") << "fork-arm";
        QTest::newRow("blade") << "pier-cap";
        QTest::newRow("cylinder") << "setting-numerals-by-mode";
        QTest::newRow("calls") << "mirror-cell-by-calls";
    }
};

WEXILUM_TEST(TestMutants)

} // namespace test_mutants
#include "test_mutants.moc"
