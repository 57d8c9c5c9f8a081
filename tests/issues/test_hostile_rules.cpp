// Rules that try to take all time, memory or disk: every function that a rule can call, with large and absurd arguments, without end. Each
// ends by its limits.
#include "core/rules/rulebook.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <ctime>
#include <thread>

using namespace wexilum;
using namespace wexilum::test;

namespace test_hostile_rules {

namespace {

/// Seconds of the processor after which a call counts as one that nothing ends: its limit is a thirtieth of it, and what goes on uncounted
/// goes on for minutes. How close to the limit a call ends depends on the machine and is not asked here.
constexpr double without_end = 10;

double cpu_seconds()
{
    timespec now{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &now);
    return double(now.tv_sec) + double(now.tv_nsec) * 1e-9;
}

/// A run in which rules may do what they want; counts what they do.
class Host final : public RuleHost {
public:
    std::size_t lines = 0;
    Problem full() const override { return lines > 50000 ? Problem("more than 50000 lines") : std::nullopt; }
    void native(Event&) override { ++lines; }
    std::optional<double> axis(std::string_view, bool) override { return 1; }
    int slot(std::string_view name) override { return name == "feed" ? 0 : -1; }
    Problem emit(std::span<const RuleWord>) override
    {
        ++lines;
        return std::nullopt;
    }
    void text(const std::string&) override { ++lines; }
    void text(const std::string&, std::span<const Role>) override { ++lines; }
    void comment(const std::string&) override { ++lines; }
    void section(const std::string&) override { ++lines; }
    void set_section(const std::string&, std::optional<Section>) override {}
    void reset_section(const std::string&) override {}
    void act(SectionAction) override { ++lines; }
    void stop(bool) override { ++lines; }
    Problem dwell(double) override
    {
        ++lines;
        return std::nullopt;
    }
    void forget(std::span<const Role>) override {}
    void report(RuleSeverity, const std::string&, const std::string&) override {}
    expr::Value state(StateName) override { return 1.0; }
    std::vector<RuleTool> tools() override { return std::vector<RuleTool>(20000, {1, "a tool", 100.0, 1, 1}); }
    std::vector<RuleOperation> operations() override { return std::vector<RuleOperation>(5000); }
};

struct Ended {
    std::unique_ptr<RuleFault> fault;
    double seconds = 0;
};

/// What every try can use.
const char* const larder = R"(
local long = string.rep('x', 3000000)
local other = string.rep('x', 2999999) .. 'y'
local broken = string.rep('\128', 1000000)
local many = {}
for i = 1, 200000 do many[i] = i end
local words = {}
for i = 1, 50000 do words[i] = 'feed' end
local names = {}
for i = 1, 50000 do names['name' .. i] = 1 end
local numbers = {table.unpack(many, 1, 100000)}
local huge = math.maxinteger
)";

Ended run(const std::string& text, const RuleLimits& limits, const std::string& before = larder)
{
    RulebookText book{"rulebooks/test", {{rulebook_file, before + "\nfunction on.program_start(event)\n" + text + "\nend\n"}}};
    Host host;
    const RuleOptions options;
    Rulebook rules(book, options, host, limits);
    Ended out;
    out.fault = rules.load();
    if (out.fault) {
        qFatal("what every try can use does not load: %s", out.fault->message.c_str());
    }
    (void)rules.event(EventKind::program_start);
    const double begin = cpu_seconds();
    out.fault = rules.call(EventKind::program_start);
    out.seconds = cpu_seconds() - begin;
    return out;
}

RuleLimits small_limits()
{
    RuleLimits limits;
    limits.call = 5'000'000;
    limits.call_seconds = 0.3;
    return limits;
}

/// The same over and over, whatever it says to it.
std::string over_and_over(const std::string& function, const std::string& arguments)
{
    return "local f = " + function + "\nwhile true do pcall(f" + (arguments.empty() ? "" : ", " + arguments) + ") end";
}

} // namespace

class TestHostileRules : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void every_function_without_end_data();
    void every_function_without_end();
    void tricks_data();
    void tricks();
    void honest_rules_have_room();
    void sorting_is_the_same_on_every_run();
    void no_address_is_told();
    void a_run_stops_when_it_is_asked_to();
    void a_run_writes_no_more_than_a_multiple_of_its_input();
    void control_characters_do_not_get_into_a_program();
};

void TestHostileRules::every_function_without_end_data()
{
    QTest::addColumn<QByteArray>("function");
    QTest::addColumn<QByteArray>("arguments");
    std::vector<std::string> functions;
    for (const LibraryDescription& library : rule_libraries()) {
        for (const QByteArray& name : QByteArray(library.names.data(), qsizetype(library.names.size())).split(' ')) {
            functions.push_back((library.table.empty() ? "" : std::string(library.table) + ".") + name.toStdString());
        }
    }
    for (const FunctionDescription& function : rule_functions()) {
        const std::string name(function.name);
        if (name != "axis" && name != "reading") {
            functions.push_back(name);
        }
    }
    QVERIFY(functions.size() > 80);
    const std::vector<std::string> arguments{"",
                                             "long",
                                             "long, long",
                                             "'', huge",
                                             "many, 1, huge",
                                             "names, long",
                                             "words, words",
                                             "broken, 1, -1",
                                             "table.unpack(numbers)",
                                             "long, '.-.-.-y'",
                                             "function() while true do end end",
                                             "'drill', many"};
    std::size_t at = 0;
    for (const std::string& function : functions) {
        for (std::size_t i = 0; i < arguments.size(); ++i) {
            // All of the functions, each with a quarter of what there is.
            if ((i + at) % 4 == 0) {
                QTest::newRow((function + "(" + arguments[i] + ")").c_str())
                    << QByteArray::fromStdString(function) << QByteArray::fromStdString(arguments[i]);
            }
        }
        ++at;
    }
}

void TestHostileRules::every_function_without_end()
{
    static int row = 0;
    if (++row % WEXILUM_EVERY != 0) {
        return;
    }
    QFETCH(QByteArray, function);
    QFETCH(QByteArray, arguments);
    const RuleLimits limits = small_limits();
    const Ended ended = run(over_and_over(function.toStdString(), arguments.toStdString()), limits);
    QVERIFY(ended.fault != nullptr);
    QVERIFY2(ended.fault->limit, ended.fault->message.c_str());
    QVERIFY2(ended.seconds < without_end, qPrintable(QString::number(ended.seconds)));
}

void TestHostileRules::tricks_data()
{
    QTest::addColumn<QByteArray>("text");
    const auto row = [](const char* name, const char* text) { QTest::newRow(name) << QByteArray(text); };
    row("nothing, repeated", "local s = string.rep('', math.maxinteger)");
    row("equal long texts", "while true do local same = long == other end");
    row("ordering long texts", "while true do local less = long < other end");
    row("long texts in a coroutine", "coroutine.wrap(function() while true do local less = long < other end end)()");
    row("a long text as a number", "local digits = string.rep('1', 1000000)\nwhile true do pcall(function() return digits + 1 end) end");
    row("long keys", "local t = {}\nwhile true do t[long .. #t] = 1 end");
    row("many values again and again", "local function f(...) while true do local a = select('#', ...) end end\nf(table.unpack(numbers))");
    row("more and more values", "local function f(...) return f(1, ...) end\nf()");
    row("many values for a table", "local function f(...) while true do local t = {...} end end\nf(table.unpack(numbers))");
    row("codes of what is none", "local f, s = utf8.codes(string.rep('a', 100) .. broken)\nwhile true do pcall(f, s, 100) end");
    row("an unknown name beside many",
        "for i = 1, 20000 do _ENV['global' .. i] = 1 end\nwhile true do pcall(function() return nonesuch end) end");
    row("a long unknown name", "while true do pcall(function() return _ENV[long] end) end");
    row("collecting at full memory",
        "local kept = {}\npcall(function() for i = 1, 1e9 do kept[i] = {i} end end)\nwhile true do pcall(string.rep, 'x', 100000) end");
    row("a section without end",
        "local lines = setmetatable({}, {__index = function() return long end})\nsection_lines('program-end', lines)\n"
        "local t = {}\nfor i = 1, 1000 do t[i] = long end\nwhile true do pcall(section_lines, 'program-end', t) end");
    row("text without end", "while true do text('N1') end");
    row("comments without end", "while true do comment(long) end");
    row("comments behind pcall", "while true do pcall(comment, 'more') end");
    row("emit with many names", "while true do pcall(emit, words) end");
    row("text with many roles", "while true do pcall(text, 'N1', words) end");
    row("an emptied table", "for k in pairs(names) do names[k] = nil end\nwhile true do pcall(emit, names) end");
    row("sorting what never is", "while true do table.sort(many, function() return true end) end");
    row("sorting long texts", "local t = {}\nfor i = 1, 1000 do t[i] = i % 2 == 0 and long or other end\nwhile true do table.sort(t) end");
    row("tools without end", "while true do tools() end");
    row("reports without end", "local i = 0\nwhile true do i = i + 1 remark('remark ' .. i) end");
    row("a format of many", "local f = string.rep('%99.9f', 1000)\nwhile true do pcall(string.format, f, table.unpack(many, 1, 1000)) end");
    row("closing without end",
        "local c = coroutine.create(function() local x <close> = setmetatable({}, {__close = function() while true do "
        "end end}) coroutine.yield() end)\ncoroutine.resume(c)\ncoroutine.close(c)");
}

void TestHostileRules::tricks()
{
    QFETCH(QByteArray, text);
    const RuleLimits limits = small_limits();
    const Ended ended = run(text.toStdString(), limits);
    QVERIFY(ended.fault != nullptr);
    QVERIFY2(ended.fault->limit, ended.fault->message.c_str());
    QVERIFY2(ended.seconds < without_end, qPrintable(QString::number(ended.seconds)));
}

void TestHostileRules::honest_rules_have_room()
{
    // What a large rulebook may do in one event: thousands of texts taken apart and put together, tables sorted, names looked up.
    const Ended ended = run("local t = {}\nfor i = 1, 5000 do t[i] = string.format('X%.3f Y%.3f', i / 7, i / 9):upper():gsub(' ', '') end\n"
                            "table.sort(t)\nlocal s = table.concat(t, '\\n')\nlocal n = 0\nfor word in s:gmatch('[XY][%d.]+') do n = n + "
                            "math.max(n, #word) - n end\nfor i = 1, 300 do text('N' .. i .. ' ' .. t[i]) comment(tostring(i)) end\n"
                            "for k, v in pairs(t) do n = n + 1 end",
                            {}, "");
    QVERIFY2(ended.fault == nullptr, ended.fault ? ended.fault->message.c_str() : "");
}

void TestHostileRules::sorting_is_the_same_on_every_run()
{
    // A thousand equal keys: the order in which they came stays.
    const char* text =
        "local t = {}\nfor i = 1, 1000 do t[i] = {key = i % 3, place = i} end\n"
        "table.sort(t, function(a, b) return a.key < b.key end)\n"
        "for i = 2, 1000 do assert(t[i - 1].key < t[i].key or (t[i - 1].key == t[i].key and t[i - 1].place < t[i].place)) end\n"
        "local n = {}\nfor i = 1, 3000 do n[i] = (i * 7919) % 3001 end\ntable.sort(n)\n"
        "for i = 2, 3000 do assert(n[i - 1] < n[i]) end\n"
        "local w = {'b', 'a', 'c'}\ntable.sort(w, function(a, b) return a > b end)\nassert(table.concat(w) == 'cba')\n"
        "assert(not pcall(table.sort, {1, 'a'}) and not pcall(table.sort, {1, 2}, 5))\ntable.sort({})\n"
        "assert(select('#', table.sort({2, 1})) == 0)";
    const Ended ended = run(text, {}, "");
    QVERIFY2(ended.fault == nullptr, ended.fault ? ended.fault->message.c_str() : "");
}

void TestHostileRules::no_address_is_told()
{
    for (const char* text : {"local s = string.format('\\0%p', {})", "local s = string.format('a\\0b%-20p', pcall)"}) {
        const Ended ended = run(text, {}, "");
        QVERIFY(ended.fault != nullptr);
        QCOMPARE(QString::fromStdString(ended.fault->message), QString("the format %p is not available: addresses differ from run to run"));
    }
    QVERIFY(run("comment({}) comment(function() end)", {}, "").fault == nullptr);
}

void TestHostileRules::a_run_stops_when_it_is_asked_to()
{
    RunWatch watch;
    RuleLimits limits;
    limits.call = limits.run = 4'000'000'000'000;
    limits.call_seconds = 1000;
    limits.watch = &watch;
    std::thread asks([&] {
        std::this_thread::sleep_for(std::chrono::milliseconds(600));
        watch.stop = true;
    });
    const Ended ended = run("while true do pcall(function() local less = long < other end) end", limits,
                            "local long = string.rep('x', 3000000)\nlocal other = string.rep('x', 2999999) .. 'y'");
    QVERIFY(ended.fault != nullptr);
    asks.join();
    QVERIFY(ended.fault != nullptr && ended.fault->limit);
    QCOMPARE(QString::fromStdString(ended.fault->message), QString("the run was stopped"));
    QVERIFY2(ended.seconds < without_end, qPrintable(QString::number(ended.seconds)));
}

void TestHostileRules::a_run_writes_no_more_than_a_multiple_of_its_input()
{
    const auto with_rule = [](const std::string& text) {
        auto a = load_demo("mirror-cell-batch").value();
        a.rulebook = {"rulebooks/test", {{rulebook_file, text}}};
        return post(a);
    };
    for (const char* text :
         {"function on.rapid(event) while true do comment(string.rep('x', 3000)) end end",
          "function on.rapid(event) while true do text('M9') end end", "function on.rapid(event) while true do event:native() end end"}) {
        const RunResult result = with_rule(text);
        QVERIFY(result.findings.has_errors());
        // 32 MB and a million lines, and 8 kB and 100 lines more for each record.
        QVERIFY2(result.files[0].text.size() < (std::size_t{32} << 20) + 8192 * result.outline.records + (1 << 20),
                 qPrintable(QString::number(result.files[0].text.size())));
        QVERIFY(result.files[0].blocks <= 1'000'000 + 100 * result.outline.records + 10'000);
    }
}

void TestHostileRules::control_characters_do_not_get_into_a_program()
{
    const auto code = [](const RunResult& result) { return QByteArray::fromStdString(result.files[0].text); };
    const auto plain = [&](const RunResult& result) {
        const QByteArray text = code(result);
        return std::all_of(text.begin(), text.end(), [](char c) { return c == '\n' || (c >= ' ' && c < 127); });
    };
    // By INSERT in the toolpath.
    auto inserted = demo_with_toolpath("mirror-cell", "PARTNO/X\nLOADTL/1\nINSERT/M8\x07\nFEDRAT/100,MMPM\nGOTO/0,0,50\nFINI\n");
    QVERIFY2(inserted.ok(), inserted.ok() ? "" : inserted.error().text().c_str());
    const RunResult by_insert = post(*inserted);
    QVERIFY2(has_finding(by_insert.findings, "text-character"), qPrintable(shown(by_insert.findings)));
    QVERIFY(plain(by_insert));
    const auto found = std::find_if(by_insert.findings.list().begin(), by_insert.findings.list().end(),
                                    [](const Finding& f) { return f.kind == "text-character"; });
    QCOMPARE(QString::fromStdString(found->message), QString("a text for the program has the character 0x07, which no control reads"));
    QCOMPARE(int(found->source.line), 3);
    // By a section of the dialect.
    const auto in_section = load_demo("mirror-cell", {{"dialects/morrow-m.json", "\"program-end\": [", "\"program-end\": [\"M9\\nM5\", "}});
    QVERIFY2(in_section.ok(), in_section.ok() ? "" : in_section.error().text().c_str());
    const RunResult by_section = post(*in_section);
    QVERIFY(has_finding(by_section.findings, "text-character"));
    QVERIFY(plain(by_section));
    // By a rule.
    const Ended by_rule = run("text('M9\\x1b')", {}, "");
    QVERIFY(by_rule.fault != nullptr);
    QCOMPARE(QString::fromStdString(by_rule.fault->message), QString("text() can't write the character 0x1B: no control reads it"));
    // By a word of the dialect, which is reported before anything is written.
    for (const auto& [word, told] :
         std::vector<std::pair<const char*, const char*>>{{"", "a word has no character at all"},
                                                          {"G0\\n", "a word has the character 0x0A, which is not a plain one"},
                                                          {" G0", "a word begins or ends with a blank"}}) {
        const auto a =
            load_demo("mirror-cell", {{"dialects/morrow-m.json", "\"rapid\": \"G0\"", std::string("\"rapid\": \"") + word + "\""}});
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().message), QString(told));
        QCOMPARE(a.error().place.file, std::string("dialects/morrow-m.json"));
        QVERIFY(a.error().place.line > 1);
    }
}

WEXILUM_TEST(TestHostileRules)

} // namespace test_hostile_rules
#include "test_hostile_rules.moc"
