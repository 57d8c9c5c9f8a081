// What brings job, post, setup, machine and control together, given broken and absurd files: an error with a place and a cure, or code;
// no crash, nothing thrown, nothing that takes long.
#include "core/base/json_document.hpp"
#include "core/base/world.hpp"
#include "core/path/excursion.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/mutation.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QDirIterator>
#include <QElapsedTimer>
#include <QTest>

#include <sys/resource.h>

using namespace wexilum;
using namespace wexilum::test;

namespace test_mutated_jobs {

namespace {

constexpr unsigned seed = 20261130;

/// How many; more by WEXILUM_MUTATIONS in the environment.
int wanted(int usual)
{
    const int factor = std::max(1, qEnvironmentVariableIntValue("WEXILUM_MUTATIONS"));
    return usual * factor / WEXILUM_EVERY;
}

double peak_mb()
{
    rusage used{};
    getrusage(RUSAGE_SELF, &used);
    return double(used.ru_maxrss) / 1024;
}

std::vector<std::string> files_of(const QString& pattern)
{
    std::vector<std::string> out;
    QDirIterator files(QString::fromStdString(demo_folder()), {pattern}, QDir::Files, QDirIterator::Subdirectories);
    while (files.hasNext()) {
        const QString path = files.next();
        if (!path.contains("/out/")) {
            out.push_back(path.toStdString());
        }
    }
    std::sort(out.begin(), out.end());
    return out;
}

/// What a job is made of, of the smaller jobs.
struct Parts {
    std::string job;
    std::vector<std::string> files;
};

std::vector<Parts> jobs()
{
    std::vector<Parts> out;
    for (const char* job : {"pier-cap", "mirror-cell-sides", "fork-arm", "focuser-hub", "mirror-cell-batch", "setting-numerals",
                            "mirror-cell-by-calls", "setting-circle-second"}) {
        const Assembly a = load_demo(job).value();
        Parts parts{
            job,
            {a.job_file, a.job_file, a.job_file, a.job.post, a.job.setup, a.job.setup, a.post.machine, a.post.controller, a.post.dialect}};
        if (!a.job.overlay.empty()) {
            parts.files.push_back(a.job.overlay);
        }
        parts.files.push_back(a.job.operations.front().toolpath);
        if (!a.post.rulebook.empty()) {
            parts.files.push_back(a.post.rulebook + "/rulebook.lua");
        }
        out.push_back(std::move(parts));
    }
    return out;
}

} // namespace

class TestMutatedJobs : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_posture_that_leaves_too_much_free();
    void every_reader();
    void everything_together();
};

void TestMutatedJobs::a_posture_that_leaves_too_much_free()
{
    // C turns about the second cutter itself: it stays where it stands.
    const auto a = load_demo("pier-cap", {{"jobs/pier-cap.json", R"("parked": {"C": {"angle": 0}})", R"("parked": {})"}});
    QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
    const ReplayReport report = replay_code(*a, code_of(*a));
    QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
    // With no linear joint left there is nothing to post with.
    const auto b = load_demo("pier-cap", {{"jobs/pier-cap.json", R"("parked": {"C": {"angle": 0}})", R"("parked": {"Z": 0})"}});
    QVERIFY(!b.ok());
    QCOMPARE(b.error().place.file, std::string("jobs/pier-cap.json"));
    QCOMPARE(int(b.error().place.line), 18);
    QVERIFY2(b.error().message.find("the operation 30 can't be posted with the joints that are left free") == 0, b.error().message.c_str());
    QVERIFY2(b.error().cure.find("park or set other joints") != std::string::npos, b.error().cure.c_str());
}

void TestMutatedJobs::every_reader()
{
    qInfo("seed %u", seed);
    std::mt19937_64 random(seed);
    std::vector<std::string> all = files_of("*.json");
    for (const char* pattern : {"*.cl", "*.lua"}) {
        for (const std::string& path : files_of(pattern)) {
            if (read_file(path).size() < 40000) {
                all.push_back(path);
            }
        }
    }
    int errors = 0;
    qint64 slowest = 0;
    const int count = wanted(9000);
    for (int i = 0; i < count; ++i) {
        const std::string& path = all[std::size_t(i) % all.size()];
        OverlayFiles files;
        files.replaced[path] = mutated(read_file(path), random);
        QElapsedTimer timer;
        timer.start();
        // A job by itself: together with its parts it is the other test's.
        const auto checked = path.find("/jobs/") == std::string::npos ? check_file(files, path) : [&] {
            const auto document = json::Document::parse(files.replaced[path], path);
            const auto job = document ? read_job(*document) : Result<JobFile>(document.error());
            return job ? Result<CheckedFile>(CheckedFile()) : Result<CheckedFile>(job.error());
        }();
        slowest = std::max(slowest, timer.elapsed());
        if (!checked) {
            ++errors;
            QVERIFY2(checked.error().kind != ErrorKind::fault, qPrintable(QString::fromStdString(path + ": " + checked.error().text())));
            QVERIFY(!checked.error().message.empty() && !checked.error().cure.empty());
        }
    }
    qInfo("%d of %d refused, the slowest took %lld ms, peak %.0f MB", errors, count, slowest, peak_mb());
    QVERIFY(errors > count / 4);
}

void TestMutatedJobs::everything_together()
{
    qInfo("seed %u", seed);
    std::mt19937_64 random(seed + 1);
    const std::vector<Parts> all = jobs();
    int refused = 0;
    int posted = 0;
    qint64 slowest = 0;
    std::string slowest_one;
    const double before = peak_mb();
    const int count = wanted(700);
    for (int i = 0; i < count; ++i) {
        const Parts& parts = all[random() % all.size()];
        const std::string name = parts.files[random() % parts.files.size()];
        const std::string path = demo_folder() + "/" + name;
        OverlayFiles files;
        files.replaced[path] = mutated(read_file(path), random);
        const auto told = [&](const Error& error) { return QString::fromStdString(parts.job + ", " + name + ": " + error.text()); };
        QElapsedTimer timer;
        timer.start();
        const auto fault = [&](const Error& error) {
            if (error.kind == ErrorKind::fault) {
                qWarning("%s\n%s", qPrintable(told(error)), files.replaced[path].c_str());
            }
            return error.kind == ErrorKind::fault;
        };
        const auto opened = load_job(files, demo_folder(), parts.job);
        if (!opened) {
            ++refused;
            QVERIFY(!fault(opened.error()));
            QVERIFY2(!opened.error().message.empty() && !opened.error().cure.empty(), qPrintable(told(opened.error())));
        } else {
            ++posted;
            MemoryRecords records(opened->toolpath);
            MemoryScratch scratch;
            CodeText code;
            const auto run = wexilum::post(*opened, records, scratch, code);
            if (!run) {
                QVERIFY2(!fault(run.error()), qPrintable(told(run.error())));
            }
            MemoryRecords again(opened->toolpath);
            TextSource text(code.file.text);
            TextSource ahead(code.file.text);
            const auto report =
                replay(*opened, again, run.ok() ? run->excursions : std::vector<Excursion>(), {{"code.nc", &text, &ahead}}, false, nullptr);
            if (!report) {
                QVERIFY2(!fault(report.error()), qPrintable(told(report.error())));
            }
        }
        if (timer.elapsed() > slowest) {
            slowest = timer.elapsed();
            slowest_one = parts.job + " with another " + name;
            if (qEnvironmentVariableIsSet("WEXILUM_MUTATIONS") && slowest > 1000) {
                qWarning("%lld ms: %s\n%s", slowest, slowest_one.c_str(), files.replaced[path].c_str());
            }
        }
    }
    qInfo("%d refused, %d posted, the slowest (%s) took %lld ms, %.0f MB more", refused, posted, slowest_one.c_str(), slowest,
          peak_mb() - before);
    QVERIFY(refused > count / 5 && posted > count / 10);
}

WEXILUM_TEST(TestMutatedJobs)

} // namespace test_mutated_jobs
#include "test_mutated_jobs.moc"
