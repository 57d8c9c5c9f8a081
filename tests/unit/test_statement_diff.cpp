// What changed between two programs: statements aligned by the record behind them, grouped by what happened to them.
#include "core/io/real_files.hpp"
#include "core/project/job_run.hpp"
#include "core/prove/edit_places.hpp"
#include "core/prove/statement_diff.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_statement_diff {

namespace {

/// A program from lines "record: text"; record "-" is none.
CodeStore program(const QStringList& lines, std::size_t records)
{
    CodeStore code;
    RecordIndex index;
    for (std::size_t i = 0; i < records; ++i) {
        index.sources.push_back({0, LineNumber(std::uint32_t(i + 1))});
        index.kinds.push_back(0);
    }
    for (const QString& line : lines) {
        const QString record = line.section(": ", 0, 0);
        const Source source = record == "-" ? no_source : Source{0, LineNumber(record.toUInt() + 1)};
        code.line(line.section(": ", 1).toStdString(), source);
    }
    code.link(index);
    return code;
}

/// "count what (before>after …)" of each group.
QStringList told(const ProgramDiff& diff)
{
    QStringList out;
    for (const ChangeGroup& group : diff.groups) {
        QStringList places;
        for (const StatementChange& place : group.places) {
            const auto number = [](std::uint32_t line) { return line == StatementChange::none ? QString("-") : QString::number(line); };
            places.push_back(number(place.before) + ">" + number(place.after));
        }
        out.push_back(QString("%1 %2 (%3)").arg(group.count).arg(group.what.c_str(), places.join(' ')));
    }
    return out;
}

} // namespace

class TestStatementDiff : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void by_hand_data();
    void by_hand();
    void nothing_changed_by_numbers();
    void an_edit_of_the_demo();
    void places_of_edits_data();
    void places_of_edits();
    void taking_over_gives_the_same_program();
};

void TestStatementDiff::places_of_edits_data()
{
    QTest::addColumn<QString>("before");
    QTest::addColumn<QString>("after");
    QTest::addColumn<bool>("json");
    QTest::addColumn<QString>("wanted");
    const QString base = R"({"a": {"b": 1, "c": "x"}, "d": [1, {"e": true}]})";
    QTest::newRow("nothing") << base << base << true << "";
    QTest::newRow("spaces") << base << R"({ "a":{"b":1,"c":"x"},"d":[1,{"e":true}] })" << true << "";
    QTest::newRow("a number") << base << R"({"a": {"b": 2, "c": "x"}, "d": [1, {"e": true}]})" << true << "a.b";
    QTest::newRow("in a list") << base << R"({"a": {"b": 1, "c": "x"}, "d": [1, {"e": false}]})" << true << "d[2].e";
    QTest::newRow("removed, and new") << base << R"({"a": {"b": 1, "f": null}, "d": [1, {"e": true}]})" << true << "a.f|a.c";
    QTest::newRow("a longer list") << base << R"({"a": {"b": 1, "c": "x"}, "d": [1, {"e": true}, 3]})" << true << "d";
    QTest::newRow("another kind") << base << R"({"a": 1, "d": [1, {"e": true}]})" << true << "a";
    QTest::newRow("many") << "[1, 2, 3, 4, 5]"
                          << "[0, 0, 0, 0, 0]" << true << "[1]|[2]|[3]|…";
    QTest::newRow("broken") << "{\n}"
                            << "{\n\"a\n}" << true << "line 2";
    QTest::newRow("a line") << "a\nb\nc\n"
                            << "a\nbb\nc\n"
                            << false << "line 2";
    QTest::newRow("lines") << "a\nb\nc\n"
                           << "a\nx\ny\nz\nc\n"
                           << false << "lines 2 to 4";
    QTest::newRow("a line removed") << "a\nb\nc\n"
                                    << "a\nc\n"
                                    << false << "line 2";
    QTest::newRow("a line more, indented") << "f\n    a\n  b\n"
                                           << "f\n    a\n    c\n  b\n"
                                           << false << "line 3";
    QTest::newRow("everything") << "a"
                                << "" << false << "line 1";
}

void TestStatementDiff::places_of_edits()
{
    QFETCH(QString, before);
    QFETCH(QString, after);
    QFETCH(bool, json);
    QFETCH(QString, wanted);
    QStringList told;
    for (const std::string& place : edited_places(before.toStdString(), after.toStdString(), json)) {
        told.push_back(QString::fromStdString(place));
    }
    QCOMPARE(told.join(QLatin1Char('|')), wanted);
}

void TestStatementDiff::by_hand_data()
{
    QTest::addColumn<QStringList>("before");
    QTest::addColumn<QStringList>("after");
    QTest::addColumn<QStringList>("wanted");
    const QStringList base{"-: %", "-: N1 G90", "0: N2 G1 X1. F100.", "1: N3 X2.", "2: N4 X3. Y1.", "-: N5 M30"};
    QTest::newRow("the same") << base << base << QStringList{};
    QTest::newRow("renumbered") << base
                                << QStringList{"-: %", "-: N10 G90", "0: N20 G1 X1. F100.", "1: N30 X2.", "2: N40 X3. Y1.", "-: N50 M30"}
                                << QStringList{};
    QTest::newRow("a value") << base << QStringList{"-: %", "-: N1 G90", "0: N2 G1 X1. F90.", "1: N3 X2.", "2: N4 X3. Y1.", "-: N5 M30"}
                             << QStringList{"1 F changed (2>2)"};
    QTest::newRow("the feed in its own block") << base << QStringList{"-: %",      "-: N1 G90",     "0: N2 F100.", "0: N3 G1 X1.",
                                                                      "1: N4 X2.", "2: N5 X3. Y1.", "-: N6 M30"}
                                               << QStringList{"1 F now in a block of its own (2>2)"};
    QTest::newRow("words that come and go") << base << QStringList{"-: %",         "-: N1 G90 G17", "0: N2 G1 X1. F100.",
                                                                   "1: N3 G1 X2.", "2: N4 X3.",     "-: N5 M30"}
                                            << QStringList{"1 G17 added (1>1)", "1 G1 added (3>3)", "1 Y removed (4>4)"};
    QTest::newRow("blocks that come and go") << base << QStringList{"-: %",     "-: (HEAD)",     "-: N1 G90", "0: N2 G1 X1. F100.",
                                                                    "2: N3 M0", "2: N4 X3. Y1.", "-: N5 M30"}
                                             << QStringList{"1 block added: a comment (->1)", "1 block removed: X (3>-)",
                                                            "1 block added: M0 (->4)"};
    QTest::newRow("in another order") << base
                                      << QStringList{"-: %", "-: N1 G90", "0: N2 F100. G1 X1.", "1: N3 X2.", "2: N4 Y1. X3.", "-: N5 M30"}
                                      << QStringList{"2 words in another order (2>2 4>4)"};
    QTest::newRow("the same at many records") << QStringList{"0: G1 X1.", "1: G1 X2.", "2: G1 X3.", "3: X4. Y1."}
                                              << QStringList{"0: X1.", "1: X2.", "2: X3.", "3: X4. Y2."}
                                              << QStringList{"3 G1 removed (0>0 1>1 2>2)", "1 Y changed (3>3)"};
    // Equal text that belongs to another record is not taken for it.
    QTest::newRow("by record, not by text") << QStringList{"0: X1.", "1: M0", "2: X1."} << QStringList{"0: M0", "1: M0", "2: X1."}
                                            << QStringList{"1 block removed: X (0>-)", "1 block added: M0 (->0)"};
}

void TestStatementDiff::by_hand()
{
    QFETCH(QStringList, before);
    QFETCH(QStringList, after);
    QFETCH(QStringList, wanted);
    const ProgramDiff diff = diff_programs(program(before, 4), program(after, 4), {});
    QCOMPARE(told(diff), wanted);
}

void TestStatementDiff::nothing_changed_by_numbers()
{
    // Without block numbers an N is a word like any other.
    const CodeStore a = program({"0: N1 X1."}, 1);
    const CodeStore b = program({"0: N2 X1."}, 1);
    QVERIFY(diff_programs(a, b, {}).empty());
    QCOMPARE(told(diff_programs(a, b, {'\0', '(', ')'})), (QStringList{"1 N changed (0>0)"}));
}

namespace {

std::shared_ptr<const PostedJob> posted(const std::string& job, const std::vector<Edit>& edits, RunCache* cache = nullptr)
{
    OverlayFiles files;
    for (const Edit& edit : edits) {
        std::string text = read_file(demo_folder() + "/" + edit.file);
        const std::size_t at = text.find(edit.from);
        if (at == std::string::npos) {
            qFatal("%s has no %s", edit.file.c_str(), edit.from.c_str());
        }
        files.replaced[demo_folder() + "/" + edit.file] = text.replace(at, edit.from.size(), edit.to);
    }
    MemoryScratch scratch;
    const SteadyClock clock;
    return post_job(files, demo_folder(), job, scratch, clock, {.cache = cache}).value();
}

} // namespace

void TestStatementDiff::an_edit_of_the_demo()
{
    const auto before = posted("mirror-back-face", {});
    // Speeds with one decimal: the same number, written with its point as before. Feeds in inverse time with two: every one of them may
    // change.
    const auto after = posted("mirror-back-face",
                              {{"dialects/calder-t.json", "\"inverse_time\": {\"decimals\": 3}", "\"inverse_time\": {\"decimals\": 2}"}});
    const ProgramDiff diff = diff_programs(before->code, after->code, {});
    QCOMPARE(diff.groups.size(), std::size_t(1));
    QCOMPARE(diff.groups[0].what, std::string("F changed"));
    std::size_t by_text = 0; // the lines stand side by side: as many as before
    QCOMPARE(before->code.lines().size(), after->code.lines().size());
    for (std::uint32_t line = 0; line < before->code.lines().size(); ++line) {
        by_text += before->code.lines().line(line) != after->code.lines().line(line) ? 1 : 0;
    }
    QCOMPARE(diff.changed, by_text);
    QVERIFY(by_text > 3000);
    QCOMPARE(diff.same + diff.changed, std::size_t(before->code.lines().size()));
}

void TestStatementDiff::taking_over_gives_the_same_program()
{
    RunCache cache;
    const auto first = posted("mirror-cell-batch", {}, &cache);
    QCOMPARE(cache.reused, std::uint64_t(0));
    const std::vector<Edit> rule{{"rulebooks/tarn-3/rulebook.lua", "CLEAR CHIPS", "BLOW OUT"}};
    const auto taken_over = posted("mirror-cell-batch", rule, &cache);
    QCOMPARE(cache.reused, std::uint64_t(1));
    const auto anew = posted("mirror-cell-batch", rule);
    QVERIFY(taken_over->code.lines().text() == anew->code.lines().text());
    QVERIFY(taken_over->code.lines().text() != first->code.lines().text());
    QCOMPARE(taken_over->records.size(), anew->records.size());
    QCOMPARE(taken_over->run.outline.motions, anew->run.outline.motions);
    QCOMPARE(taken_over->toolpaths, anew->toolpaths);
    // Dialect and controller as well.
    const std::vector<Edit> dialect{{"dialects/morrow-m.json", "\"separator\": \" \"", "\"separator\": \"\""}};
    QVERIFY(posted("mirror-cell-batch", dialect, &cache)->code.lines().text() == posted("mirror-cell-batch", dialect)->code.lines().text());
    QCOMPARE(cache.reused, std::uint64_t(2));
    // What reading depends on is read anew.
    const std::vector<Edit> setup{{"setups/mirror-cell.json", "\"X\": -60", "\"X\": -61"}};
    const std::vector<Edit> toolpath{{"toolpaths/cell-holes.cl", "DEPTH, 9.5", "DEPTH, 9.6"}};
    const std::vector<Edit> machine{{"machines/tarn-3.json", "\"speed\"", "\"x-speed\": 1, \"speed\""}};
    for (const auto& edit : {setup, toolpath, machine}) {
        QVERIFY(posted("mirror-cell-batch", edit, &cache)->code.lines().text() == posted("mirror-cell-batch", edit)->code.lines().text());
        QCOMPARE(cache.reused, std::uint64_t(2));
    }
}

WEXILUM_TEST(TestStatementDiff)

} // namespace test_statement_diff
#include "test_statement_diff.moc"
