// What would take endlessly, or the square of its size, is linear or has a bound that is reported; long work shows its progress and can be
// stopped.
#include "core/base/watch.hpp"
#include "core/base/world.hpp"
#include "core/replay/replay_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <csignal>

using namespace wexilum;
using namespace wexilum::test;

namespace test_bounds {

namespace {

/// The milliseconds that something takes, the least of three.
template <typename F>
qint64 least_ms(const F& work)
{
    qint64 least = std::numeric_limits<qint64>::max();
    for (int i = 0; i < (WEXILUM_EVERY > 1 ? 1 : 3); ++i) {
        QElapsedTimer timer;
        timer.start();
        work();
        least = std::min(least, timer.elapsed());
    }
    return least;
}

} // namespace

class TestBounds : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void calls_of_nothing_end();
    void calls_stop_when_they_are_asked_to();
    void one_coordinate_of_aligned_joints();
    void a_travel_of_many_turns();
    void places_in_long_files();
    void findings_of_many_kinds();
    void long_work_tells_how_far_it_is_and_stops();
};

void TestBounds::calls_of_nothing_end()
{
    const auto a = load_demo("mirror-cell-by-calls").value();
    std::string code = "%\nO3105\nM76 P1 L9999\nM30\n";
    for (int deep = 1; deep <= 7; ++deep) {
        code += "O" + std::to_string(deep) + "\n" + (deep < 7 ? "M76 P" + std::to_string(deep + 1) + " L9999\n" : "") + "M77\n";
    }
    // Nothing at all inside: not even a block that returns.
    const std::string empty =
        "%\nO3105\nM76 P1 L" + std::to_string(9999 / WEXILUM_EVERY / WEXILUM_EVERY) + "\nM30\nO1\nM76 P2 L9999\nM77\nO2\n%\n";
    for (const std::string& text : WEXILUM_EVERY > 1 ? std::vector{empty} : std::vector{code, empty}) { // twenty million blocks each
        QElapsedTimer timer;
        timer.start();
        const ReplayReport report = replay_code(a, text);
        QVERIFY2(has_finding(report.findings, "calls-too-many") || has_finding(report.findings, "no-return"),
                 qPrintable(shown(report.findings)));
        QVERIFY(report.findings.has_errors());
        QVERIFY2(timer.elapsed() < 60000 * WEXILUM_EVERY, qPrintable(QString::number(timer.elapsed())));
    }
}

void TestBounds::calls_stop_when_they_are_asked_to()
{
    const auto a = load_demo("mirror-cell-by-calls").value();
    const std::string code = "%\nO3105\nM76 P1 L9999\nM30\nO1\nM76 P2 L9999\nM77\nO2\nM77\n";
    RunWatch watch;
    watch.stop = true;
    MemoryRecords records(a.toolpath);
    TextSource text(code);
    TextSource ahead(code);
    const auto ended = replay(a, records, {}, {{"code.nc", &text, &ahead}}, false, &watch);
    QVERIFY(!ended.ok() && ended.error().kind == ErrorKind::cancelled);
}

void TestBounds::one_coordinate_of_aligned_joints()
{
    const std::string path = read_file(demo_folder() + "/toolpaths/fork-bore.cl");
    const std::size_t at = path.find("152.0000");
    QVERIFY(at != std::string::npos);
    const qint64 usual = least_ms([] { QVERIFY(load_demo("fork-arm-silent").ok()); });
    for (const char* z : {"-900.0000", "900.0000", "-300.0000"}) {
        const qint64 ms = least_ms([&] {
            const auto a = load_demo("fork-arm-silent", {{"toolpaths/fork-bore.cl", "110.0000, 152.0000", std::string("110.0000, ") + z}});
            if (!a) {
                QVERIFY2(a.error().message.find("no posture is free") != std::string::npos, a.error().message.c_str());
            }
        });
        QVERIFY2(ms < 20 * usual + 1000, qPrintable(QStringLiteral("%1 ms, usually %2").arg(ms).arg(usual)));
    }
}

void TestBounds::a_travel_of_many_turns()
{
    const auto wide =
        load_demo("mirror-back-face", {{"machines/tarn-5t.json", "\"travel\": [-450, 450]", "\"travel\": [-9999000, 9999000]"}});
    QVERIFY(!wide.ok());
    QCOMPARE(QString::fromStdString(wide.error().message), QString("the travel of \"C\" has 55550 turns, more than are looked at"));
    QCOMPARE(QString::fromStdString(wide.error().cure), QString("leave \"travel\" out where the joint turns endlessly, or state less"));
    // As many as a machine may have are fine.
    QVERIFY(load_demo("mirror-back-face", {{"machines/tarn-5t.json", "\"travel\": [-450, 450]", "\"travel\": [-99999, 99999]"}}).ok());
}

void TestBounds::places_in_long_files()
{
    // Each tool knows its line: with ten times the tools about ten times the time. 20,000 took 24 s.
    const auto read = [](int tools) {
        std::string more;
        for (int i = 0; i < tools; ++i) {
            more += "{\"number\": " + std::to_string(1000 + i) + ", \"name\": \"t\", \"length\": 100},\n    ";
        }
        return load_demo("mirror-cell", {{"setups/mirror-cell.json", "\"tools\": [", "\"tools\": [" + more}});
    };
    const auto a = read(20000);
    QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
    QCOMPARE(a->setup.tools.size(), std::size_t(20003));
    QVERIFY(a->setup.tools[19999].place.line > 20000);
    const qint64 few = std::max<qint64>(5, least_ms([&] { (void)read(2000).ok(); }));
    const qint64 many = least_ms([&] { (void)read(20000).ok(); });
    QVERIFY2(many < 40 * few, qPrintable(QStringLiteral("%1 and %2 ms").arg(few).arg(many))); // a square would be a hundred times
}

void TestBounds::findings_of_many_kinds()
{
    FindingList list;
    for (int i = 0; i < 300000; ++i) {
        Finding finding =
            Finding::make(i == 200000 ? Severity::error : Severity::warning, "unknown-word", "W" + std::to_string(i), "none", i);
        finding.source = {"a.cl", std::uint32_t(i + 1), 0};
        list.add(std::move(finding), "W" + std::to_string(i), std::size_t(i), 1);
    }
    QCOMPARE(list.list().size(), FindingList::most_ranges);
    std::size_t count = 0;
    for (const Finding& finding : list.list()) {
        count += finding.count;
    }
    QCOMPARE(count, std::size_t(300000));
    QVERIFY(list.has_errors()); // an error among them is not lost
    QCOMPARE(list.list().back().message, std::string("W299999"));
    QCOMPARE(list.list().back().last_source_line, 300000U);
}

void TestBounds::long_work_tells_how_far_it_is_and_stops()
{
    QTemporaryDir folder;
    // A path of three million cuts.
    QVERIFY(QProcess::execute("cp", {"-r", QString::fromStdString(demo_folder()) + "/.", folder.path()}) == 0);
    QProcess::execute("chmod", {"-R", "u+w", folder.path()});
    QFile path(folder.filePath("toolpaths/cell-pockets.cl"));
    QVERIFY(path.open(QIODevice::ReadOnly));
    QByteArray text = path.readAll();
    path.close();
    const qsizetype fini = text.lastIndexOf("GOTO");
    QByteArray more;
    for (int i = 0; i < 3000000 / WEXILUM_EVERY; ++i) {
        more += i % 2 == 0 ? "GOTO/ 10.0000, 20.0000, 5.0000\n" : "GOTO/ 11.0000, 20.0000, 5.0000\n";
    }
    text.insert(fini, more);
    QVERIFY(path.open(QIODevice::WriteOnly));
    path.write(text);
    path.close();
    QDir(folder.filePath("out")).removeRecursively();
    QProcess process;
    process.start(cli_program(), {"post", "--project", folder.path(), "--job", "mirror-cell", "--progress"});
    process.setReadChannel(QProcess::StandardError);
    QVERIFY(process.waitForStarted());
    QByteArray told;
    QElapsedTimer timer;
    timer.start();
    while (!told.contains("records") && timer.elapsed() < 60000 && process.state() == QProcess::Running) {
        process.waitForReadyRead(200);
        told += process.readAllStandardError();
    }
    QVERIFY2(told.contains("records"), told.constData());
    QVERIFY2(process.state() == QProcess::Running && process.processId() > 0, "it had ended before it could be stopped");
    kill(pid_t(process.processId()), SIGINT);
    timer.restart();
    QVERIFY(process.waitForFinished(20000));
    QVERIFY2(timer.elapsed() < 10000, qPrintable(QString::number(timer.elapsed())));
    told += process.readAllStandardError();
    QCOMPARE(process.exitCode(), 130);
    QVERIFY2(told.contains("the run was stopped"), told.constData());
    QVERIFY(QDir(folder.filePath("out")).entryList({"mirror-cell*"}, QDir::Files | QDir::Hidden).isEmpty());
}

WEXILUM_TEST(TestBounds)

} // namespace test_bounds
#include "test_bounds.moc"
