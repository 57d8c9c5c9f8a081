// Random smooth paths on four kinds of machine: posted, replayed, inside both budgets. Jobs are made in memory.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/project/project.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_round_trips {

namespace {

constexpr unsigned seed = 5150;

struct Kind {
    const char* name;
    std::string (*machine)();
    const char* holder;
    const char* second; // name of the joint beside C
};
const std::vector<Kind> kinds{{"table-table", table_table_json, "table", "B"},
                              {"head-head", head_head_json, "bed", "B"},
                              {"head-table", head_table_json, "table", "B"},
                              {"nutating", nutating_json, "table", "A"}};

std::string replaced(std::string text, const std::string& from, const std::string& to)
{
    for (std::size_t at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size())) {
        text.replace(at, from.size(), to);
    }
    return text;
}

/// A wandering path whose axis stays between 5 and 40 degrees from vertical.
std::string wandering_path(std::mt19937_64& random)
{
    std::uniform_real_distribution<double> unit(-1, 1);
    double azimuth = 3 * unit(random);
    double tilt = 20;
    Vec3 tip(80 * unit(random), 80 * unit(random), 60 + 30 * unit(random));
    std::string cl = "MULTAX/ON\nLOADTL/5\nSPINDL/5000,CLW\nFEDRAT/900,MMPM\n";
    for (int k = 0; k < 60; ++k) {
        const double t = to_rad(tilt);
        char line[200];
        std::snprintf(line, sizeof line, "%sGOTO/%.4f,%.4f,%.4f,%.7f,%.7f,%.7f\n", k == 0 ? "RAPID\n" : "", tip.x(), tip.y(), tip.z(),
                      std::sin(t) * std::cos(azimuth), std::sin(t) * std::sin(azimuth), std::cos(t));
        cl += line;
        azimuth += 0.12 * unit(random);
        tilt = std::clamp(tilt + 4 * unit(random), 5.0, 40.0);
        tip += Vec3(6 * unit(random), 6 * unit(random), 2 * unit(random));
    }
    return cl + "FINI\n";
}

Result<Assembly> job_on(const Kind& kind, const std::string& cl)
{
    OverlayFiles files;
    const auto edit = [&](const std::string& file, auto change) {
        files.replaced[demo_folder() + "/" + file] = change(read_file(demo_folder() + "/" + file));
    };
    files.replaced[demo_folder() + "/machines/tarn-5t.json"] = kind.machine();
    const std::string second = kind.second;
    if (second != "B") {
        edit("controllers/calder-t.json", [&](std::string t) {
            t = replaced(replaced(t, R"("B": "B")", R"("A": "A")"), R"("B": {"angle")", R"("A": {"angle")");
            return replaced(replaced(t, " B1", " A1"), " B0", " A0");
        });
        edit("dialects/calder-t.json",
             [&](std::string t) { return replaced(replaced(t, R"("B": {"word": "B"})", R"("A": {"word": "A"})"), "XYZBC", "XYZABC"); });
    }
    // A head's length can't be shifted along Z: there it is inside the coordinates.
    if (std::string(kind.name) != "table-table") {
        const std::string path = demo_folder() + "/dialects/calder-t.json";
        std::string text = files.replaced.contains(path) ? files.replaced[path] : read_file(path);
        files.replaced[path] = replaced(text, R"("tool_length": "register")", R"("tool_length": "in-coordinates")");
    }
    edit("controllers/calder-t.json", [&, done = files.replaced](std::string t) mutable {
        const auto found = done.find(demo_folder() + "/controllers/calder-t.json");
        return replaced(found == done.end() ? t : found->second, R"("change_position": {"Z": 0})", R"("change_position": {"Z": 2000})");
    });
    edit("setups/mirror-back.json", [&](std::string t) {
        return replaced(replaced(t, R"("holder": "table")", std::string("\"holder\": \"") + kind.holder + "\""), "\"B\": {\"angle\": 0}",
                        "\"" + second + "\": {\"angle\": 0}");
    });
    files.replaced[demo_folder() + "/toolpaths/mirror-back-face.cl"] = cl;
    files.replaced[demo_folder() + "/toolpaths/mirror-back-rim.cl"] = "FINI\n";
    return load_job(files, demo_folder(), "mirror-back-face");
}

} // namespace

class TestRoundTrips : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void wandering_data()
    {
        QTest::addColumn<int>("kind");
        for (std::size_t k = 0; k < kinds.size(); ++k) {
            QTest::newRow(kinds[k].name) << int(k);
        }
    }
    void wandering()
    {
        QFETCH(int, kind);
        std::mt19937_64 random(seed + unsigned(kind));
        for (int n = 0; n < 12; ++n) {
            const std::string cl = wandering_path(random);
            const auto a = job_on(kinds[std::size_t(kind)], cl);
            QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
            const RunResult run = post(a.value());
            QVERIFY2(!run.findings.has_errors(), qPrintable(QString("seed %1, path %2").arg(seed).arg(n) + shown(run.findings)));
            const ReplayReport report = replay_code(a.value(), run.files[0].text, true);
            QVERIFY2(!report.findings.has_errors(), qPrintable(QString("seed %1, path %2").arg(seed).arg(n) + shown(report.findings)));
            QCOMPARE(report.compared, std::size_t(60));
            QVERIFY(report.at_records.tip <= report.at_records.tip_budget && report.at_records.axis <= report.at_records.axis_budget);
            // A budget that nothing comes near would prove nothing.
            QVERIFY(report.at_records.tip > report.at_records.tip_budget / 5);
            QVERIFY(report.between.tip > report.between.tip_budget / 5);
        }
    }

    void without_subdivision_the_replay_complains()
    {
        std::mt19937_64 random(seed);
        auto a = job_on(kinds[0], wandering_path(random));
        QVERIFY(a.ok());
        Assembly careless = a.value();
        careless.job.tolerance = {10, 1}; // the writer no longer subdivides
        const std::string code = code_of(careless);
        const ReplayReport report = replay_code(a.value(), code);
        QVERIFY(has_finding(report.findings, "off-path"));
        QVERIFY(report.between.tip > 2 * report.between.tip_budget);
    }
};

WEXILUM_TEST(TestRoundTrips)

} // namespace test_round_trips
#include "test_round_trips.moc"
