// Which of column, ram and quill works where an operation does not say: against hand calculation, and against posting and replaying
// what was not chosen.
#include "core/advice/aligned_choice.hpp"
#include "core/follow/contact_observer.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_aligned_choice {

namespace {

const std::string job = "jobs/fork-arm-silent.json";

double parked_at(const Assembly& a, std::size_t operation, const char* joint)
{
    for (const auto& [id, reading] : a.job.operations[operation].posture.parked) {
        if (id == joint) {
            return reading;
        }
    }
    return 1e9;
}

/// One operation alone, with something parked in the job's words.
Result<Assembly> only(const std::string& toolpath, const std::string& parked, const std::vector<Edit>& more = {})
{
    const std::string text = read_file(demo_folder() + "/" + job);
    const std::size_t first = text.find("    {\"id\": \"10\"");
    const std::size_t end = text.find("\n  ]", first);
    std::vector<Edit> edits{{job, text.substr(first, end - first),
                             fmt::format(R"(    {{"id": "10", "name": "alone", "toolpath": "toolpaths/{}.cl",
                                         "posture": {{"parked": {{{}}}}}}})",
                                         toolpath, parked)}};
    edits.insert(edits.end(), more.begin(), more.end());
    return load_demo("fork-arm-silent", edits);
}

Result<Assembly> sides(const std::string& parked, const std::vector<Edit>& more = {}) { return only("fork-sides", parked, more); }

/// Whether what is posted stays inside travel and free of contact.
bool is_free(const Assembly& a)
{
    const RunResult run = post(a);
    return !run.findings.has_errors() && check_contacts(a, run.files).value().findings.list().empty();
}

/// The travel of ram and quill cut short.
std::vector<Edit> short_travel(int ram, int quill)
{
    return {{"machines/fell-4.json", R"("travel": [-420, 0])", fmt::format(R"("travel": [{}, 0])", ram)},
            {"machines/fell-4.json", R"("travel": [-300, 0])", fmt::format(R"("travel": [{}, 0])", quill)}};
}

} // namespace

class TestAlignedChoice : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void least_overhang_that_travel_allows()
    {
        // The deep bore ends at 15 beyond the table's axis: the column would stand at -15 + 182.35 - 200 = -32.65, below its end at 0. In
        // steps of 10 mm that takes 40 by ram and quill; the others reach by the column alone.
        const Assembly a = load_demo("fork-arm-silent").value();
        QCOMPARE(a.choices.size(), std::size_t(4));
        for (std::size_t i = 0; i < 4; ++i) {
            const double expected = i == 2 ? 40 : 0;
            QCOMPARE(a.choices[i].operation, i);
            QCOMPARE(a.choices[i].overhang, expected);
            QCOMPARE(-parked_at(a, i, "W") - parked_at(a, i, "R"), expected);
            QCOMPARE(parked_at(a, i, "Z"), 1e9); // it works
        }
        QCOMPARE(QString::fromStdString(a.choices[0].text),
                 QString("in the operation 10 Z works, W stands at 0, R stands at 0: an overhang of 0 mm"));
        QVERIFY2(a.choices[2].text.ends_with("with less, Z goes 2.650 mm beyond the low end of its travel"), a.choices[2].text.c_str());
        const RunResult run = post(a);
        QVERIFY2(has_finding(run.findings, "aligned-choice"), qPrintable(shown(run.findings)));
        const ReplayReport report = replay_code(a, code_of(a), true);
        QVERIFY2(report.findings.list().empty() && report.compared == 441, qPrintable(shown(report.findings)));
        QVERIFY(is_free(a));
    }

    void less_is_not_free()
    {
        const std::string bore = R"({"id": "30", "name": "deep bore", "toolpath": "toolpaths/fork-bore.cl"})";
        for (int ram = 0; ram <= 30; ram += 10) {
            const auto a = load_demo(
                "fork-arm-silent",
                {{job, bore,
                  bore.substr(0, bore.size() - 1) + fmt::format(R"(, "posture": {{"parked": {{"W": {}, "R": {}}}}}}})", -ram, ram - 30)}});
            QVERIFY(post(a.value()).findings.has_errors());
        }
    }

    void a_clamp_asks_for_more()
    {
        // A clamp as high as 290 stands beside the bore, where the head comes by and ram and quill do not. The head's face is 60 behind
        // the gauge point and stays back by the overhang: -15 + 182.35 + 60 + overhang has to be 292 at least.
        const Edit clamp{"setups/fork-arm.json", R"("stock": [)",
                         R"("stock": [{"id": "clamp", "box": [10, 40, 290], "point": [117, 110, 0], "z": [0, 0, 1], "x": [1, 0, 0]}, )"};
        const Assembly a = only("fork-bore", "", {clamp}).value();
        QCOMPARE(a.choices[0].overhang, 70.0);
        QVERIFY2(a.choices[0].text.find("with less, head and clamp come within") != std::string::npos, a.choices[0].text.c_str());
        const auto report = check_contacts(a, post(a).files);
        for (const Finding& finding : report.value().findings.list()) {
            QVERIFY2(finding.message.find("clamp") == std::string::npos, finding.message.c_str());
        }
    }

    void room_decides_between_equals()
    {
        // The column parked: ram and quill reach together as far as they must, whichever works; it is the one with most room to its ends.
        const Assembly a = sides(R"("Z": 200)").value();
        // Sides from 120 to 210 before the table's axis: with 110.42 of tool W + R are -169.58 at the deepest of all.
        QVERIFY2(std::abs(a.choices[0].overhang - 169.58) < 1e-9, a.choices[0].text.c_str());
        QCOMPARE(parked_at(a, 0, "R"), 0.0);
        QVERIFY2(a.choices[0].text.starts_with("in the operation 10 W works, R stands at 0: an overhang of 169.58 mm"),
                 a.choices[0].text.c_str());
    }

    void the_table_turns_at_the_parked_places()
    {
        // Holes from 94 to 180 before the table's axis, with 141.7 of tool. With less travel ram and quill share the way; but what is
        // parked far out is in the way of a lug, 215 from the axis, when the table turns. Of all that the replay finds free, the choice
        // has the most room.
        std::vector<Edit> travel = short_travel(-110, -101);
        travel.push_back(
            {"setups/fork-arm.json", R"("stock": [)",
             R"("stock": [{"id": "lug", "cylinder": {"diameter": 10, "length": 60}, "point": [131.4, 120, 163.8], "z": [0, 1, 0], "x": [1, 0, 0]}, )"});
        const std::string column = R"("Z": 200)";
        const Assembly chosen = only("fork-holes", column, travel).value();
        QVERIFY(is_free(chosen));
        const double most = 200 + 200 - 141.7 - 94;
        const double least = 200 + 200 - 141.7 - 180;
        double best = -1;
        double blind = -1; // room without a look at contact
        for (const bool ram : {true, false}) {
            for (int other = 0; other <= (ram ? 101 : 110); other += 10) {
                const double room = std::min(least - other, (ram ? 110 : 101) - most + other);
                if (room < 0) {
                    continue;
                }
                blind = std::max(blind, room);
                const auto a = only("fork-holes", column + fmt::format(R"(, "{}": {})", ram ? "R" : "W", -other), travel);
                if (is_free(a.value())) {
                    best = std::max(best, room);
                }
            }
        }
        const bool ram = parked_at(chosen, 0, "W") == 1e9;
        const double other = -parked_at(chosen, 0, ram ? "R" : "W");
        QCOMPARE(std::min(least - other, (ram ? 110 : 101) - most + other), best);
        QVERIFY2(best < blind, "nothing was in the way");
    }

    void nothing_is_free()
    {
        const auto a = sides(R"("Z": 700)", short_travel(-110, -101));
        QVERIFY(!a);
        QVERIFY2(a.error().message.starts_with("in the operation 10 the joints W, R point the same way, and no posture is free: "),
                 a.error().message.c_str());
        QCOMPARE(QString::fromStdString(a.error().cure),
                 QString("move the part, take a longer tool, or park all but one of them in the operation's \"posture\""));
        QCOMPARE(QString::fromStdString(a.error().place.file), QString::fromStdString(job));
    }

    void what_is_stated_stays()
    {
        const Assembly a = load_demo("fork-arm").value();
        QVERIFY(a.choices.empty());
    }
};

WEXILUM_TEST(TestAlignedChoice)

} // namespace test_aligned_choice
#include "test_aligned_choice.moc"
