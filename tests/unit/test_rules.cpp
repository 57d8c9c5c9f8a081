// Rules in a run: what handlers see and can have done, what happens when one fails, and that the program stays right.
#include "core/replay/replay_run.hpp"
#include "core/run/block_probe.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_rules {

namespace {

const char* const path = "LOADTL/1\nSPINDL/RPM,3000,CLW\nCOOLNT/FLOOD\nFEDRAT/600,MMPM\nRAPID\nGOTO/10,20,5\nGOTO/10,20,-1\nGOTO/40,20,-1\n"
                         "GOTO/40,50,-1\nFINI\n";

/// A path on the small mill, posted with a rulebook; blocks have no numbers.
struct Ruled {
    Assembly assembly;
    RunResult run;
    std::vector<std::string> code;

    explicit Ruled(const std::string& rules, const std::string& cl = path, RuleOptions options = {}, std::vector<Edit> edits = {})
        : assembly(loaded(cl, std::move(edits)))
    {
        if (!rules.empty()) {
            assembly.rulebook = {"rulebooks/test", {{"rulebook.lua", rules}, {"more.lua", "return {answer = 42}"}}};
        }
        assembly.options = std::move(options);
        run = post(assembly);
        code = lines_of(run.files[0].text);
    }
    static Assembly loaded(const std::string& cl, std::vector<Edit> edits)
    {
        edits.push_back({"dialects/mill.json", R"("sequence": {"letter": "N", "start": 10, "step": 10}, )", ""});
        return small_mill_with_toolpath(cl, edits).value();
    }
    /// The findings that rules are the reason of: "kind|rule place|source line|block|message".
    QStringList findings() const
    {
        QStringList out;
        for (const Finding& f : run.findings.list()) {
            if (f.rule.line > 0 || f.kind.starts_with("rule")) {
                out.push_back(QString("%1|%2|%3|%4|%5")
                                  .arg(f.kind.c_str(), f.rule.text().c_str())
                                  .arg(f.source.line)
                                  .arg(f.code.line)
                                  .arg(f.message.c_str()));
            }
        }
        return out;
    }
    /// From the first line that begins with `begin`, so many lines.
    QStringList from(const QString& begin, int count) const
    {
        QStringList out;
        for (const std::string& line : code) {
            if (!out.isEmpty() || QString::fromStdString(line).startsWith(begin)) {
                out.push_back(QString::fromStdString(line));
            }
            if (out.size() == count) {
                break;
            }
        }
        return out;
    }
};

} // namespace

class TestRules : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void fields_data();
    void fields();
    void state();
    void tools_and_operations();
    void mistakes_data();
    void mistakes();
    void a_failing_rule_leaves_the_rest_whole();
    void a_rule_that_runs_away_is_not_called_again();
    void a_rulebook_that_can_not_be_run();
    void text_is_read_by_the_controller_data();
    void text_is_read_by_the_controller();
    void joints_moved_by_a_rule_are_approached_again();
    void stops_and_dwells_of_rules_are_agreed();
    void every_retract_is_an_event();
    void axes_are_those_that_are_written();
    void the_trace_names_the_rule();
    void events_are_counted_in_order();
    void sections_of_an_operation();
    void options_of_a_post_data();
    void options_of_a_post();
    void lines_are_counted();
    void the_batch_is_proven();
    void a_loop_that_relies_on_its_first_pass();
    void a_loop_left_open();
    void the_same_bytes_on_every_run();
};

void TestRules::fields_data()
{
    QTest::addColumn<QString>("event");
    QTest::addColumn<QString>("cl");
    QTest::addColumn<QString>("wanted");
    const auto row = [](const char* event, const char* cl, const char* wanted) { QTest::newRow(event) << event << cl << wanted; };
    row("operation", "LOADTL/1\n", "id=1 name=test index=1 work=");
    row("tool_change", "LOADTL/2\nLOADTL/3\n", "number=2 name=drill 8.5 length=118.42 next=3 index=1");
    row("rapid", "LOADTL/1\nRAPID\nGOTO/1,2,3\n", "x=1.0 y=2.0 z=3.0 i=0.0 j=0.0 k=1.0");
    row("linear", "LOADTL/1\nFEDRAT/600,MMPM\nRAPID\nGOTO/1,2,3\nGOTO/4,5,6.5\n",
        "x=4.0 y=5.0 z=6.5 i=0.0 j=0.0 k=1.0 surface_x=nil surface_y=nil surface_z=nil");
    row("circular", "LOADTL/1\nFEDRAT/600,MMPM\nRAPID\nGOTO/10,0,0\nCIRCLE/0,0,0,0,0,1,10\nGOTO/0,10,0\n",
        "x=0.0 y=10.0 z=0.0 i=0.0 j=0.0 k=1.0 cx=0.0 cy=0.0 cz=0.0 nx=0.0 ny=0.0 nz=1.0 radius=10.0 turns=0");
    row("cycle", "LOADTL/1\nCYCLE/DEEP,DEPTH,20,CLEAR,3,STEP,4,DWELL,0.5,MMPM,120\n",
        "kind=peck depth=20.0 clearance=3.0 step=4.0 dwell=0.5 feed=120.0");
    row("cycle_point", "LOADTL/1\nRAPID\nGOTO/0,0,9\nCYCLE/DRILL,DEPTH,20,CLEAR,3,MMPM,120\nGOTO/7,8,0\n",
        "x=7.0 y=8.0 z=0.0 i=0.0 j=0.0 k=1.0 depth=20.0 kind=drill");
    row("feed", "FEDRAT/600,MMPM\n", "value=600.0 mode=per_minute");
    row("feed ", "FEDRAT/0.25,MMPR\n", "value=0.25 mode=per_revolution");
    row("spindle", "SPINDL/RPM,3000,CCLW\n", "state=counter_clockwise speed=3000.0");
    row("coolant", "COOLNT/MIST\n", "state=mist");
    row("dwell", "DELAY/1.5\n", "amount=1.5 revolutions=false");
    row("comment", "PPRINT first side\n", "text=first side");
    row("inserted_text", "INSERT M8\n", "text=M8");
    row("unknown_word", "WOBBLE/3\n", "word=WOBBLE text=WOBBLE/3");
    row("work_offset", "", "register=1");
}

void TestRules::fields()
{
    QFETCH(QString, event);
    QFETCH(QString, cl);
    QFETCH(QString, wanted);
    event = event.trimmed();
    const EventDescription& description = rule_events()[static_cast<std::size_t>(*event_named(event.toStdString()))];
    QString names;
    QString arguments;
    for (const FieldDescription& field : description.fields) {
        const QString name = QString::fromUtf8(field.name.data(), qsizetype(field.name.size()));
        names += QString("'%1', ").arg(name);
        arguments += (arguments.isEmpty() ? "" : ", ") + QString("f_%1").arg(name);
    }
    // By the event object and one by one.
    const QString by_object = QString("function on.%1(event)\nlocal out = ''\nfor _, name in ipairs{%2} do out = out .. name .. '=' .. "
                                      "tostring(event[name]) .. ' ' end\nremark(out)\nend")
                                  .arg(event, names);
    const QString one_by_one =
        QString("on.%1 = positional(function(%3)\nlocal names, values, out = {%2}, {%3}, ''\nfor i = 1, #names do out = "
                "out .. names[i] .. '=' .. tostring(values[i]) .. ' ' end\nremark(out)\nend)")
            .arg(event, names, arguments);
    for (const QString& rules : {by_object, one_by_one}) {
        const Ruled ruled(rules.toStdString(), cl.toStdString() + "FINI\n");
        const QStringList found = ruled.findings();
        QVERIFY2(!found.isEmpty(), qPrintable(shown(ruled.run.findings)));
        QCOMPARE(found[0].section('|', 4).trimmed(), wanted);
    }
}

void TestRules::state()
{
    const Ruled ruled("function on.linear(event)\nif event.x == 40 and event.y == 50 then\n"
                      "local s = state\nremark(table.concat({s.program, s.number, s.machine, tostring(s.date), s.operation, "
                      "s.operation_id, tostring(s.next_operation), s.operations, s.tool, s.tool_name, s.tool_length, s.next_tool, "
                      "s.next_tool_name, s.tools, tostring(s.spindle), s.speed, s.coolant, s.feed, s.block}, '; '))\n"
                      "end\nevent:native()\nend",
                      "LOADTL/1\nSPINDL/RPM,3000,CLW\nCOOLNT/FLOOD\nFEDRAT/600,MMPM\nRAPID\nGOTO/10,20,5\nGOTO/10,20,-1\nGOTO/"
                      "40,20,-1\nGOTO/40,50,-1\nLOADTL/3\nFINI\n");
    QCOMPARE(ruled.findings().size(), 1);
    const QString told = ruled.findings()[0].section('|', 4);
    const QString block = ruled.findings()[0].section('|', 3, 3);
    QCOMPARE(told, QString("plate; 7; Small mill; nil; 1 test; 1; 2 again; 2; 1; end mill 10; 96.205; 3; ball mill 8; 2; true; 3000.0; "
                           "flood; 600.0; ") +
                       block);
    QCOMPARE(ruled.code[std::size_t(block.toInt() - 1)], std::string("Y50."));
}

void TestRules::tools_and_operations()
{
    const Ruled ruled("function on.program_start(event)\nfor _, t in ipairs(tools()) do remark(t.number .. ' ' .. t.name .. ' ' .. "
                      "t.length .. ' ' .. t.calls .. ' ' .. t.index) end\n"
                      "local o = operations()[1]\nremark(o.id .. ' ' .. o.name .. ' ' .. o.records .. ' ' .. table.concat(o.tools, ',') .. "
                      "' ' .. o.low.x .. ' ' .. o.low.z .. ' ' .. o.high.y)\nend",
                      "LOADTL/1\nRAPID\nGOTO/10,20,5\nLOADTL/2\nRAPID\nGOTO/-3,7,5\nLOADTL/1\nRAPID\nGOTO/0,90,2.5\nFINI\n");
    QStringList told;
    for (const QString& finding : ruled.findings()) {
        told.push_back(finding.section('|', 4));
    }
    QCOMPARE(told, (QStringList{"1 end mill 10 96.205 2 1", "2 drill 8.5 118.42 1 2", "1 test 8 1,2 -3.0 2.5 90.0"}));
}

void TestRules::mistakes_data()
{
    QTest::addColumn<QString>("rules");
    QTest::addColumn<QString>("message");
    QTest::addColumn<int>("line");
    const auto row = [](const char* rules, const char* message, int line = 2) {
        QTest::newRow(message) << QString("function on.linear(event)\n%1\nend").arg(rules) << message << line;
    };
    const auto whole = [](const char* rules, const char* message, int line) { QTest::newRow(message) << rules << message << line; };
    whole("function on.liner(event)\nend", "there is no event \"liner\"; is \"linear\" meant?", 1);
    whole("function on.linear(event)\nend\nfunction on.linear(event)\nend", "the event linear has a handler already, from line 1", 3);
    whole("on.linear = 5", "bad argument #3 to 'newindex' (function expected, got number)", 1);
    whole("comment 'x'", "nothing can be written before the first event; call this in a handler", 1);
    whole("local a = sttate.tool", "nothing is called \"sttate\"; is \"state\" meant?", 1);
    whole("require 'other'", "the rulebook's folder has no other.lua", 1);
    whole("require '../other'", "require takes the name of a file of the rulebook's folder, without \".lua\"", 1);
    whole("require '/etc/passwd'", "require takes the name of a file of the rulebook's folder, without \".lua\"", 1);
    whole("require 'rulebook'", "the rulebook's folder has no rulebook.lua", 1);
    row("local a = event.fed",
        "the event linear has no field \"fed\"; there are: x, y, z, i, j, k, surface_x, surface_y, surface_z, native, "
        "axis, reading");
    row("event.x = 5", "the field x of linear can't be set: the axes were chosen for the toolpath as it is");
    row("event.speed = 5", "the event linear has no field \"speed\"; there are: x, y, z, i, j, k");
    row("emit('linear', 'feed', 0/0)", "the value");
    row("emit('liner')", "\"liner\" is neither a function of the dialect nor a slot nor a joint");
    row("emit('linear', 5)", "\"5\" is neither a function of the dialect nor a slot nor a joint");
    row("emit('feed')", "bad argument #2 to 'emit' (number expected, got no value)");
    row("emit('feed', 5, 'feed', 6)", "a slot is given twice");
    row("emit('linear', 'rapid')", "rapid is the second word of its kind in the statement");
    row("emit('coolant-through')", "the dialect has no word for coolant-through");
    row("emit()", "a statement has from 1 to 31 words");
    row("section 'program-haed'", "no section is called \"program-haed\"; is \"program-head\" meant?");
    row("section_lines('stop', {'T{tol}'})", "line 1: nothing is called \"tol\" (character 3 of the text)");
    row("text('M0', {'fed'})", "no slot is called \"fed\"; is \"feed\" meant?");
    row("text('a\\nb')", "text() writes one line of at most 4000 characters");
    row("dwell(-1)", "a dwell takes from 0 to a million seconds");
    row("local a = option.parts", "the post declares no options; add \"parts\" under \"options\" in the post");
    row("local a = state.tol", "the state has no \"tol\"; is \"tool\" meant?");
    row("state.tool = 5", "this can only be read");
    row("local a = require('more').answer .. nil", "attempt to concatenate a nil value");
}

void TestRules::mistakes()
{
    QFETCH(QString, rules);
    QFETCH(QString, message);
    QFETCH(int, line);
    const Ruled native("");
    const Ruled ruled(rules.toStdString());
    const QStringList found = ruled.findings();
    QVERIFY(!found.isEmpty());
    QVERIFY2(found[0].contains(message), qPrintable(found[0]));
    QVERIFY2(found[0].startsWith(QString("rule-failed|rulebooks/test/rulebook.lua:%1|").arg(line)), qPrintable(found[0]));
    QVERIFY(ruled.run.findings.has_errors());
    QCOMPARE(ruled.code, native.code); // nothing was lost
}

void TestRules::a_failing_rule_leaves_the_rest_whole()
{
    const Ruled native("");
    // Fails at one of the cuts only, after its own line.
    const Ruled ruled("local function check(x)\n  if x == 40 then error('too far') end\nend\nfunction on.linear(event)\n  comment "
                      "'before'\n  check(event.x)\n  event:native()\nend");
    QCOMPARE(ruled.findings().size(), 1);
    QCOMPARE(ruled.findings()[0].section('|', 0, 2), QString("rule-failed|rulebooks/test/rulebook.lua:2|8"));
    QVERIFY2(ruled.findings()[0].endsWith(
                 "|the rule for linear failed: too far, called from rulebooks/test/rulebook.lua:6 (the native way was taken instead)"),
             qPrintable(ruled.findings()[0]));
    std::vector<std::string> without = ruled.code;
    QCOMPARE(std::erase(without, "(BEFORE)"), std::size_t(3));
    QCOMPARE(without, native.code);
    // What comes after native() has been done is left out, and that is said.
    const Ruled late("function on.linear(event)\n  event:native()\n  error('late')\nend");
    QCOMPARE(late.code, native.code);
    QVERIFY(late.findings()[0].endsWith("(what it would have done after that is left out)"));
    QCOMPARE(late.run.findings.list().back().count, std::size_t(3)); // one range
}

void TestRules::a_rule_that_runs_away_is_not_called_again()
{
    const Ruled native("");
    const Ruled ruled("local calls = 0\nfunction on.linear(event)\n  calls = calls + 1\n  while true do pcall(error) end\nend\nfunction "
                      "on.program_end(event)\n  remark('calls ' .. calls)\n  event:native()\nend");
    QCOMPARE(ruled.code, native.code);
    QCOMPARE(ruled.findings().size(), 2);
    QCOMPARE(ruled.findings()[0], QString("rule-failed|rulebooks/test/rulebook.lua:4|7|%1|the rule for linear failed: this takes more than "
                                          "20 million steps (the native way was taken instead; it is not called again in this run)")
                                      .arg(ruled.findings()[0].section('|', 3, 3)));
    QVERIFY(ruled.findings()[1].endsWith("calls 1"));
}

void TestRules::a_rulebook_that_can_not_be_run()
{
    const Ruled native("");
    const Ruled ruled("function on.linear(event)\n  comment('x'\nend");
    QCOMPARE(ruled.code, native.code);
    QCOMPARE(ruled.findings(), QStringList{"rule-failed|rulebooks/test/rulebook.lua:3|0|0|the rulebook can't be run, the program is made "
                                           "without it: ')' expected (to close '(' at line 2) near 'end'"});
    // Nothing of a rulebook that failed half-way is taken.
    const Ruled half("function on.linear(event) comment 'x' end\nerror('stop here')");
    QCOMPARE(half.code, native.code);
}

void TestRules::text_is_read_by_the_controller_data()
{
    QTest::addColumn<QString>("call");
    QTest::addColumn<QString>("after");
    const auto row = [](const char* call, const char* after) { QTest::newRow(call) << call << after; };
    row("text('G91')", "G90"); // the path's coordinates are absolute
    row("text('G1')", "X40."); // holds already
    row("text('G0')", "G1 X40.");
    row("text('F5.')", "X40. F600.");
    row("text('M0')", "X40.");
    row("text('G55')", "G54");
    row("text('M123')", "G21 G90 G54 G43 H1"); // unknown: everything is stated again
    row("text('M123', {})", "X40.");           // but for what is declared
    row("text('M123', {'feed'})", "X40. F600.");
    row("text('M123', {'motion', 'feed'})", "G1 X40. F600.");
    row("text('M5')", "M3");
    row("text('M9')", "M8");
    row("text('(M5)')", "X40.");
    row("emit('spindle-off')", "M3");
    row("emit('feed', 90)", "X40. F600.");
    row("forget('feed')", "X40. F600.");
    row("spindle_off()", "M3");
    row("coolant_off()", "M8");
}

void TestRules::text_is_read_by_the_controller()
{
    QFETCH(QString, call);
    QFETCH(QString, after);
    const Ruled ruled(
        QString("function on.linear(event)\nif event.x == 40 and event.y == 20 then\ncomment 'here' %1\nend\nevent:native()\nend")
            .arg(call)
            .toStdString());
    QVERIFY2(ruled.findings().isEmpty(), qPrintable(ruled.findings().join("\n")));
    const QStringList lines = ruled.from("(HERE)", 3);
    QCOMPARE(call.startsWith("forget") ? lines[1] : lines[2], after);
}

void TestRules::joints_moved_by_a_rule_are_approached_again()
{
    for (const char* call : {"text('G0 X100.')", "emit('rapid', 'X', 100)", "emit{'rapid', X = 100}"}) {
        const Ruled ruled(QString("function on.linear(event)\nif event.x == 40 and event.y == 20 then %1 end\nevent:native()\nend")
                              .arg(call)
                              .toStdString());
        QVERIFY2(ruled.findings().isEmpty(), qPrintable(ruled.findings().join("\n")));
        // Away from the work, over the place where the cut broke off, down to it, and on.
        QCOMPARE(ruled.from("G0 X100.", 5), (QStringList{"G0 X100.", "G53 Z0.", "X10. Y20.", "Z-1.", "G1 X40."}));
    }
}

void TestRules::stops_and_dwells_of_rules_are_agreed()
{
    const Ruled ruled(
        "function on.linear(event)\nif event.y == 50 then retract() stop() dwell(2.5) end\nevent:native()\nif event.z == 5 then "
        "optional_stop() end\nend\n"
        "function on.program_end(event)\nstop()\nevent:native()\nend");
    const std::string text = joined(ruled.code);
    QVERIFY(text.find("M0\nG4 P2.5\nZ-1.\nG1 X40. Y50.") != std::string::npos);
    MemoryRecords records(ruled.assembly.toolpath);
    MemoryScratch scratch;
    const auto excursions = excursions_of(ruled.assembly, records, scratch).value();
    const ReplayReport report = replay(ruled.assembly, {{"test.nc", text}}, false, excursions);
    QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    // A code without them breaks the agreement.
    std::string without = text;
    without.replace(without.find("M0\nG4 P2.5\n"), 11, "");
    QVERIFY(has_finding(replay(ruled.assembly, {{"test.nc", without}}, false, excursions).findings, "stop-missing"));
}

void TestRules::every_retract_is_an_event()
{
    const Ruled ruled("function on.retract(event)\ncomment('leaving')\nevent:native()\nend");
    // At the start, where the section asks for it, before the first positioning (already there), at the end.
    QCOMPARE(std::count(ruled.code.begin(), ruled.code.end(), "(LEAVING)"), std::ptrdiff_t(4));
    const Ruled dropped("function on.retract(event) end");
    QVERIFY(std::none_of(dropped.code.begin(), dropped.code.end(),
                         [](const std::string& line) { return line.find("G53") != std::string::npos; }));
}

void TestRules::axes_are_those_that_are_written()
{
    Assembly a = load_demo("mirror-back-face").value();
    a.rulebook = {"rulebooks/test",
                  {{"rulebook.lua", "function on.linear(event)\nevent:native()\nfor _, j in ipairs{'X', 'Y', 'Z', 'B', 'C'} do "
                                    "comment(string.format('%s %.5f', j, event:axis(j))) end\nend"}}};
    const RunResult run = post(a);
    QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
    std::map<char, double> words;
    int compared = 0;
    for (const std::string& line : lines_of(run.files[0].text)) {
        const QString text = QString::fromStdString(line);
        if (text.startsWith("(X ") || text.startsWith("(Y ") || text.startsWith("(Z ") || text.startsWith("(B ") ||
            text.startsWith("(C ")) {
            const double told = text.mid(3, text.size() - 4).toDouble();
            const char joint = line[1];
            QVERIFY2(std::abs(told - words[joint]) <= (joint == 'B' || joint == 'C' ? 0.00006 : 0.0013), line.c_str());
            ++compared;
        } else if (text.startsWith('N')) {
            for (const QString& word : text.split(' ')) {
                if (QString("XYZBC").contains(word[0])) {
                    words[word[0].toLatin1()] = word.mid(1).toDouble();
                }
            }
        }
    }
    QVERIFY(compared > 15000);
}

void TestRules::the_trace_names_the_rule()
{
    Ruled ruled("function on.linear(event)\n  if event.y == 50 then\n    emit('feed', 300)\n  end\n  event:native()\nend");
    MemoryRecords records(ruled.assembly.toolpath);
    MemoryScratch scratch;
    const auto line_of = [&](const std::string& text) {
        return std::uint32_t(std::find(ruled.code.begin(), ruled.code.end(), text) - ruled.code.begin() + 1);
    };
    QCOMPARE(trace_block(ruled.assembly, records, scratch, line_of("F300.")).value().rule,
             std::string("rule at rulebooks/test/rulebook.lua:3"));
    MemoryRecords again(ruled.assembly.toolpath);
    QCOMPARE(trace_block(ruled.assembly, again, scratch, line_of("Y50. F600.")).value().rule,
             std::string("native linear, called by the rule at rulebooks/test/rulebook.lua:5"));
}

void TestRules::events_are_counted_in_order()
{
    Ruled ruled("function on.linear(event)\nif event.y == 50 then error('x') end\nevent:native()\nend\nfunction on.dwell(event) end");
    MemoryRecords records(ruled.assembly.toolpath);
    MemoryScratch scratch;
    CodeText code;
    const RunSummary summary = post(ruled.assembly, records, scratch, code).value();
    QStringList told;
    for (const EventTally& tally : summary.events) {
        told.push_back(QString("%1 %2 %3 %4 %5")
                           .arg(rule_events()[std::size_t(tally.kind)].name.data())
                           .arg(tally.seen)
                           .arg(tally.handler.calls)
                           .arg(tally.handler.faults)
                           .arg(tally.handler.place.line));
    }
    QCOMPARE(told, (QStringList{"program_start 1 0 0 0", "retract 4 0 0 0", "work_offset 1 0 0 0", "operation 1 0 0 0",
                                "tool_change 1 0 0 0", "spindle 1 0 0 0", "coolant 1 0 0 0", "feed 1 0 0 0", "rapid 1 0 0 0",
                                "linear 3 3 1 1", "program_end 1 0 0 0", "dwell 0 0 0 5"}));
}

void TestRules::sections_of_an_operation()
{
    // The operation's comes before the job's, the job's before the dialect's, a rule's before all of them.
    const Edit operation{"jobs/plate.json", "\"toolpath\": \"toolpaths/plate.cl\"",
                         "\"toolpath\": \"toolpaths/plate.cl\", \"sections\": {\"tool-change\": [\"(OPERATION)\"]}"};
    const Edit job{"jobs/plate.json", "\"work_offset\": \"1\",",
                   "\"work_offset\": \"1\", \"sections\": {\"tool-change\": [\"(JOB)\"], \"program-end\": \"off\"},"};
    const auto has = [](const Ruled& ruled, const char* line) {
        return std::find(ruled.code.begin(), ruled.code.end(), line) != ruled.code.end();
    };
    QVERIFY(has(Ruled(""), "T1 M6"));
    const Ruled by_job("", path, {}, {job});
    QVERIFY(has(by_job, "(JOB)") && !has(by_job, "T1 M6") && !has(by_job, "M30"));
    const Ruled by_operation("", path, {}, {operation, job});
    QVERIFY(has(by_operation, "(OPERATION)") && !has(by_operation, "(JOB)"));
    const Ruled by_rule("function on.operation(event) section_lines('tool-change', {'(RULE)'}) event:native() end", path, {},
                        {operation, job});
    QVERIFY(has(by_rule, "(RULE)") && !has(by_rule, "(OPERATION)"));
    const Ruled off("function on.operation(event) section_off 'tool-change' end", path, {}, {operation, job});
    QVERIFY(!has(off, "(OPERATION)") && !has(off, "(JOB)") && !has(off, "T1 M6"));
}

void TestRules::options_of_a_post_data()
{
    QTest::addColumn<QByteArray>("set");
    QTest::addColumn<QString>("wanted"); // the parts and the length, or the error
    const auto row = [](const char* set, const char* wanted) { QTest::newRow(set) << QByteArray(set) << QString(wanted); };
    row("", "1 110.0");
    row("\"parts\": 7", "7 110.0");
    row("\"long_tool\": \"6 in\"", "1 152.4");
    row("\"long_tool\": \"2 in + 10 mm\"", "1 60.8");
    row("\"long_tool\": 150",
        "jobs/mirror-cell-batch.json:10:28: the value of the option long_tool has no unit; write \"150 mm\" or \"6 in\"");
    row("\"long_tool\": \"30 deg\"", "jobs/mirror-cell-batch.json:10:28: \"30 deg\" is not a length; write \"150 mm\" or \"6 in\"");
    row("\"long_tool\": \"5 mm\"",
        "jobs/mirror-cell-batch.json:10:28: the value does not fit the option long_tool; give a length from 10 to 400 mm");
    row("\"parts\": 1.5", "jobs/mirror-cell-batch.json:10:24: the value does not fit the option parts; give a whole number from 1 to 999");
    row("\"parts\": true", "jobs/mirror-cell-batch.json:10:24: the value does not fit the option parts; give a whole number from 1 to 999");
    row("\"part\": 2", "jobs/mirror-cell-batch.json:10:23: the post declares no option \"part\"; its options are: parts, long_tool, "
                       "clear_after, clear_for, tool_list, called");
}

void TestRules::options_of_a_post()
{
    QFETCH(QByteArray, set);
    QFETCH(QString, wanted);
    auto loaded = load_demo("mirror-cell-batch",
                            {{"jobs/mirror-cell-batch.json", "\"options\": {\"parts\": 4}", "\"options\": {" + set.toStdString() + "}"}});
    if (!loaded) {
        QCOMPARE(QString::fromStdString(loaded.error().text()), wanted);
        return;
    }
    loaded->rulebook = {"rulebooks/test",
                        {{"rulebook.lua", "function on.program_start(event) remark(option.parts .. ' ' .. (option.long_tool + 0.0)) end"}}};
    const RunResult run = post(*loaded);
    QCOMPARE(QString::fromStdString(run.findings.list()[0].message), wanted);
}

void TestRules::lines_are_counted()
{
    Ruled ruled("local n = 0\nfunction on.linear(event)\n  n = n + 1\n  if n == 2 then\n    comment 'second'\n  end\n  "
                "event:native()\nend\nfunction on.dwell(event)\n  n = 0\nend");
    MemoryRecords records(ruled.assembly.toolpath);
    MemoryScratch scratch;
    CodeText code;
    std::shared_ptr<ReadPass> pass;
    QVERIFY(post(ruled.assembly, records, scratch, code, 1, nullptr, &pass).ok());
    const auto counts = rule_line_counts(ruled.assembly, pass).value().at("rulebooks/test/rulebook.lua");
    // Three cuts; the text itself runs once, and a function's line counts where it is made and, for its end, where it is left.
    QCOMPARE(counts[1], std::uint64_t(1));
    QCOMPARE(counts[3], std::uint64_t(3));
    QCOMPARE(counts[4], std::uint64_t(3));
    QCOMPARE(counts[5], std::uint64_t(1));
    QCOMPARE(counts[7], std::uint64_t(3));
    QCOMPARE(counts[10], std::uint64_t(0));
    QVERIFY(code.file.text == joined(ruled.code));
}

void TestRules::the_batch_is_proven()
{
    for (const char* job : {"mirror-cell-batch", "mirror-back-batch"}) {
        const Assembly a = load_demo(job).value();
        const RunResult run = post(a);
        QVERIFY2(run.findings.list().empty(), qPrintable(shown(run.findings)));
        MemoryRecords records(a.toolpath);
        MemoryScratch scratch;
        const auto excursions = excursions_of(a, records, scratch).value();
        const ReplayReport report = replay(a, {{"batch.nc", run.files[0].text}}, false, excursions);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QVERIFY(report.compared > 500);
    }
}

void TestRules::a_loop_that_relies_on_its_first_pass()
{
    // The safe start before the loop instead of inside: the second part would begin without it.
    const Assembly a = load_demo("mirror-cell-batch", {{"rulebooks/tarn-3/rulebook.lua", "  batch.open()\n  section \"safe-start\"\n",
                                                        "  section \"safe-start\"\n  batch.open()\n"}})
                           .value();
    const RunResult run = post(a);
    MemoryRecords records(a.toolpath);
    MemoryScratch scratch;
    const auto excursions = excursions_of(a, records, scratch).value();
    std::string text = run.files[0].text;
    // The writer itself states everything again after the beginning of a loop; so take that away, as a hand would.
    const std::size_t at = text.find(" G54", text.find("M72"));
    QVERIFY(at != std::string::npos);
    text.erase(at, 4);
    const ReplayReport report = replay(a, {{"batch.nc", text}}, false, excursions);
    QVERIFY2(has_finding(report.findings, "relies-on-unknown"), qPrintable(shown(report.findings)));
}

void TestRules::a_loop_left_open()
{
    const Assembly a = load_demo("mirror-cell-batch", {{"rulebooks/tarn-3/batch.lua", "    emit \"loop-end\"\n", ""}}).value();
    const RunResult run = post(a);
    MemoryRecords records(a.toolpath);
    MemoryScratch scratch;
    const auto excursions = excursions_of(a, records, scratch).value();
    const ReplayReport report = replay(a, {{"batch.nc", run.files[0].text}}, false, excursions);
    QVERIFY(has_finding(report.findings, "loop-open"));
    QCOMPARE(report.findings.list()[0].message, std::string("the program ends inside the loop of block 9"));
}

void TestRules::the_same_bytes_on_every_run()
{
    std::vector<std::unique_ptr<char[]>> in_the_way; // other addresses each time
    std::string first;
    for (int i = 0; i < 20; ++i) {
        const Assembly a = load_demo("mirror-cell-batch").value();
        in_the_way.push_back(std::make_unique<char[]>(std::size_t(1 + i * 4099)));
        const std::string text = post(a).files[0].text;
        first = first.empty() ? text : first;
        QVERIFY(text == first);
    }
}

WEXILUM_TEST(TestRules)

} // namespace test_rules
#include "test_rules.moc"
