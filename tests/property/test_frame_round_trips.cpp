// Every demo job written in every kind of coordinates and every form of a tilted plane, read back, inside both budgets.
#include "core/compare/report.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_frame_round_trips {

namespace {

struct DemoPost {
    const char* job;
    const char* controller;
    const char* dialect;
};
const std::vector<DemoPost> posts{{"mirror-cell", "morrow-m", "morrow-m"},
                                  {"mirror-cell-sides", "morrow-m", "morrow-m"},
                                  {"mirror-back-face", "calder-t", "calder-t"},
                                  {"setting-circle", "ness-r", "ness-r"},
                                  {"fork-arm", "orrin-h", "orrin-h"},
                                  {"focuser-hub", "esker-v", "esker-v"},
                                  {"mirror-cell-by-calls", "morrow-m", "morrow-m"},
                                  {"setting-numerals", "ness-r", "ness-r"},
                                  {"focuser-hub-copies", "esker-v", "esker-v"},
                                  {"focuser-hub-by-calls", "esker-v", "esker-v"},
                                  {"pier-cap", "lorne-s", "lorne-s"},
                                  {"pier-cap-milled-first", "lorne-s", "lorne-s"},
                                  {"mirror-cell-sides-lean", "morrow-m", "morrow-m"},
                                  {"fork-arm-silent", "orrin-h", "orrin-h"},
                                  {"setting-circle-second", "ness-r", "ness-r"},
                                  {"mirror-cell-batch", "morrow-m", "morrow-m"},
                                  {"mirror-back-batch", "calder-t", "calder-t"}};

const char* const words = R"("words": {
    "G250": {"does": "joint-coordinates"}, "G251": {"does": "tool-centre-point"}, "G253": {"does": "world-coordinates"},
    "G252": {"does": "tilted-plane", %FORM%},)";

struct Way {
    const char* name;
    const char* standing;
    const char* turning;
    std::string form;
};
std::vector<Way> ways()
{
    const std::string euler = R"("by": "euler-angles", "order": "zxz", "about": "turned-axes", "numbers": "IJK")";
    std::vector<Way> out{{"tool-centre-point", "tool-centre-point", "tool-centre-point", euler},
                         {"world", "world", "world", euler},
                         {"plane by vectors", "tilted-plane", "tool-centre-point", R"("by": "vectors", "numbers": "IJKUVW")"},
                         {"plane by points", "tilted-plane", "tool-centre-point", R"("by": "points", "numbers": "IJKUVW")"},
                         {"plane by readings", "tilted-plane", "tool-centre-point", R"("by": "readings")"}};
    for (const char* order : {"zxz", "zyz", "xyx", "xzx", "yxy", "yzy", "xyz", "xzy", "yxz", "yzx", "zxy", "zyx"}) {
        for (const char* about : {"turned-axes", "fixed-axes"}) {
            out.push_back(
                {"plane by angles", "tilted-plane", "tool-centre-point",
                 std::string(R"("by": "euler-angles", "order": ")") + order + R"(", "about": ")" + about + R"(", "numbers": "IJK")"});
        }
    }
    return out;
}

/// The job with a control that has these words and a dialect that uses them.
Result<Assembly> written(const DemoPost& of, const Way& way)
{
    const std::string controller = std::string("controllers/") + of.controller + ".json";
    const std::string dialect = std::string("dialects/") + of.dialect + ".json";
    std::string own = words;
    own.replace(own.find("%FORM%"), 6, way.form);
    std::vector<Edit> edits{
        {controller, R"("words": {)", own},
        {dialect, R"("words": {)", R"("words": { "joint-coordinates": "G250", "tool-centre-point": "G251", "world-coordinates": "G253",)"},
        {dialect, R"("program_units")",
         R"("plane": {"word": "G252", )" + way.form + R"(, "zero": "first-point"}, "frames": {"standing": ")" + way.standing +
             R"(", "turning": ")" + way.turning + R"("}, "program_units")"}};
    const std::string text = read_file(demo_folder() + "/" + dialect);
    if (text.find("\"plane\":") != std::string::npos) { // the demo's own gives way
        edits.push_back({dialect, "\n  \"plane\":", "\n  \"x-plane\":"});
        edits.push_back({dialect, "\n  \"frames\":", "\n  \"x-frames\":"});
        edits.push_back({dialect, R"(    "joint-coordinates": "G150", "tool-centre-point": "G151", "world-coordinates": "G153")",
                         R"(    "return-clearance": "G99")"});
        edits.push_back({dialect, R"("return-clearance": "G99",)", ""});
    }
    if (const std::string back = R"(, "joint-coordinates": "G131")"; text.find(back) != std::string::npos) {
        edits.push_back({dialect, back, ""});
    }
    return load_demo(of.job, edits);
}

} // namespace

class TestFrameRoundTrips : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void every_job_in_every_frame_data()
    {
        QTest::addColumn<int>("of");
        QTest::addColumn<int>("way");
        const auto all = ways();
        for (std::size_t p = 0; p < posts.size(); ++p) {
            for (std::size_t w = 0; w < all.size(); ++w) {
                // The long job in each kind of coordinates, but in two forms of angles only.
                const bool angles = std::string(all[w].name) == "plane by angles";
                if (angles && (std::string(posts[p].job) == "mirror-back-face" || (p * all.size() + w) % WEXILUM_EVERY != 0) &&
                    w % 11 != 0) {
                    continue;
                }
                if (WEXILUM_EVERY > 1 && (p + w) % 2 == 1) {
                    continue; // under a sanitizer every other pair does
                }
                QTest::newRow(qPrintable(QStringLiteral("%1, %2 %3").arg(posts[p].job).arg(all[w].name).arg(w))) << int(p) << int(w);
            }
        }
    }
    void every_job_in_every_frame()
    {
        QFETCH(int, of);
        QFETCH(int, way);
        const auto assembly = written(posts[std::size_t(of)], ways()[std::size_t(way)]);
        QVERIFY2(assembly, assembly ? "" : assembly.error().text().c_str());
        const RunResult run = post(*assembly);
        QVERIFY2(!run.findings.has_errors(), qPrintable(shown(run.findings)));
        const std::string& code = run.files.front().text;
        QVERIFY(code.find("G25") != std::string::npos);
        // The dialects' own heads do not say in which coordinates a program begins.
        const ReplayReport report = replay_code(*assembly, code);
        QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
        QCOMPARE(report.uncovered, std::size_t(0));
        QCOMPARE(report.extra, std::size_t(0));
        QVERIFY(report.at_records.tip <= report.at_records.tip_budget && report.at_records.axis <= report.at_records.axis_budget);
    }
};

WEXILUM_TEST(TestFrameRoundTrips)

} // namespace test_frame_round_trips
#include "test_frame_round_trips.moc"
