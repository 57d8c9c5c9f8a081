// The sandbox of rules: whatever a rulebook tries, it ends within its limits and says where; texts and tables give what Lua's own
// libraries give.
#include "core/rules/rulebook.hpp"
#include "core/rules/text_pattern.hpp"

#include "tests/support/test_program.hpp"

#include <QElapsedTimer>
#include <QTest>

#include <random>

using namespace wexilum;

namespace test_sandbox {

namespace {

/// Runs a text in a sandbox of its own; what it returns as text, or its fault.
struct Tried {
    std::string result;
    std::unique_ptr<RuleFault> fault;
};

Tried run(const std::string& text, const RuleLimits& limits = {})
{
    static std::string result;
    result.clear();
    Sandbox sandbox(limits);
    lua_State* const L = sandbox.state();
    lua_pushcfunction(L, [](lua_State* state) {
        push_text(state, 1);
        result = lua_tostring(state, -1);
        return 0;
    });
    lua_setglobal(L, "give");
    Tried out;
    out.fault = sandbox.compile(L, text, "rulebooks/test/rulebook.lua");
    if (!out.fault) {
        out.fault = sandbox.call(L, 0);
    }
    out.result = result;
    return out;
}

/// The same by Lua's own libraries, all open.
std::string plain_lua(const std::string& text)
{
    static std::string result;
    result.clear();
    lua_State* const L = luaL_newstate();
    luaL_openlibs(L);
    lua_pushcfunction(L, [](lua_State* state) {
        result = luaL_tolstring(state, 1, nullptr);
        return 0;
    });
    lua_setglobal(L, "give");
    if (luaL_dostring(L, text.c_str())) {
        result = "error";
    }
    lua_close(L);
    return result;
}

} // namespace

class TestSandbox : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void hostile_data();
    void hostile();
    void what_is_not_there_data();
    void what_is_not_there();
    void a_call_after_a_limit_has_its_own();
    void pairs_in_order();
    void the_same_on_every_run();
    void faults_tell_where();
    void patterns_by_hand();
    void patterns_as_lua_has_them();
    void replacements_as_lua_has_them();
    void tables_as_lua_has_them();
};

void TestSandbox::hostile_data()
{
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<QString>("message");
    QTest::addColumn<int>("line");
    const QString steps = "this takes more than 2 million steps";
    const QString memory = "the rulebook takes more than 8 MB of memory";
    const auto row = [](const char* name, const char* text, const QString& message, int line) {
        QTest::newRow(name) << QByteArray(text) << message << line;
    };
    row("endless loop", "local n = 0\nwhile true do n = n + 1 end", steps, 2);
    row("endless loop in pcall", "while true do\npcall(function() while true do end end)\nend", steps, 2);
    row("pcall of pcall", "local function f() pcall(f) f() end\nf()", steps, 1);
    row("in a coroutine", "local c = coroutine.wrap(function()\nwhile true do end end)\nc()", steps, 3);
    row("coroutine made before",
        "local c = coroutine.create(function() while true do end end)\nfor i = 1, 10 do end\nwhile true do\ncoroutine.resume(c) c = "
        "coroutine.create(function() while true do end end) end",
        steps, 4);
    row("short coroutines without end", "while true do\ncoroutine.wrap(function() for i = 1, 100 do end end)()\nend", steps, 2);
    row("yields without end", "local c = coroutine.wrap(function() while true do coroutine.yield() end end)\nwhile true do c() end", steps,
        2);
    row("in an error handler", "xpcall(function() error('x') end, function() while true do end end)\nlocal a = 1", steps, 1);
    row("handlers of handlers", "local function h() xpcall(error, h) while true do end end\nxpcall(error, h)", "C stack overflow", 1);
    row("in __close", "do\nlocal x <close> = setmetatable({}, {__close = function() while true do end end})\nend", steps, 2);
    row("in __close after the limit", "local x <close> = setmetatable({}, {__close = function() while true do end end})\nwhile true do end",
        steps, 1);
    row("in __index", "local t = setmetatable({}, {__index = function(t, k) while true do end end})\nlocal a = t.x", steps, 1);
    row("in a comparison", "local t = {}\nfor i = 1, 50 do t[i] = i end\ntable.sort(t, function(a, b) while true do end end)", steps, 3);
    row("many comparisons", "local t = {}\nfor i = 1, 200000 do t[i] = (i * 7919) % 200000 end\nfor k = 1, 1e9 do table.sort(t) end", steps,
        3);
    row("pattern", "local s = string.rep('a', 30000)\nlocal x = s:find('.-.-.-b')", steps, 2);
    row("pattern in gsub", "local s = string.rep('a', 30000)\nlocal x = s:gsub('.-.-.-b', '')", steps, 2);
    row("pattern in gmatch", "local s = string.rep('a', 30000)\nfor x in s:gmatch('.-.-.-b') do end", steps, 2);
    row("pattern in pcall", "local s = string.rep('a', 30000)\nwhile true do\npcall(string.find, s, '.-.-.-b')\nend", steps, 3);
    row("deep pattern", "local x = ('x'):rep(400):match(('(x?)'):rep(30) .. ('x?'):rep(400))", "the pattern is too complex", 1);
    row("long repetition", "local s = string.rep('x', 1 << 60)", steps, 1);
    row("repetition beyond memory", "local s = 'x'\ns = string.rep('x', 9000000)", memory, 2);
    row("repetitions", "while true do\nlocal s = string.rep('x', 4000000)\nend", steps, 2);
    row("doubling", "local s = 'x'\nwhile true do s = s .. s end", memory, 2);
    row("doubling in pcall", "local s = string.rep('x', 1000000)\nwhile true do\npcall(function() local a = s .. 'a' end)\nend", steps, 3);
    row("tables", "local t = {}\nwhile true do t = {t} end", memory, 2);
    row("a large table", "local t = {}\nfor i = 1, 1e9 do t[i] = i end", memory, 2);
    row("texts", "local t = {}\nfor i = 1, 1e9 do t[i] = 'number ' .. i end", memory, 2);
    row("concatenation",
        "local t = {}\nfor i = 1, 20000 do t[i] = string.rep('x', 100) end\nfor i = 1, 1e9 do local s = table.concat(t) end", steps, 3);
    row("a range of nothing", "local s = table.concat(setmetatable({}, {__index = function() return '' end}), '', 1, 1e12)",
        "the functions of table take plain tables, this one has __index", 1);
    row("moving a range", "local t = {}\ntable.move(t, 1, 1e12, 2)", steps, 2);
    row("unpacking", "local t = table.pack(table.unpack({}, 1, 1e8))", steps, 1);
    row("insertion in front", "local t = {}\nfor i = 1, 1e9 do\ntable.insert(t, 1, i) end", steps, 3);
    row("an emptied table",
        "local t = {}\nfor i = 1, 100000 do t[i] = i end\nfor i = 1, 100000 do t[i] = nil end\nwhile true do\nfor k in pairs(t) do "
        "end\nend",
        steps, 5);
    row("deep recursion", "local function f(n) return 1 + f(n + 1) end\nf(1)", memory, 1);
    row("deep recursion through pcall", "local function f() return pcall(f) end\nf()\nwhile true do end", steps, 3);
    row("recursion through metatables",
        "local t = setmetatable({}, {})\ngetmetatable(t).__index = function(a, k) return a[k .. 'x'] end\nlocal a = t.x",
        "C stack overflow", 2);
    row("nested syntax", "local s = 1", "", 0);
}

void TestSandbox::hostile()
{
    QFETCH(QByteArray, text);
    QFETCH(QString, message);
    QFETCH(int, line);
    RuleLimits limits;
    limits.memory = std::size_t{8} << 20;
    limits.call = 2'000'000;
    QElapsedTimer timer;
    timer.start();
    const Tried tried = run(text.toStdString(), limits);
    if (message.isEmpty()) {
        QVERIFY(tried.fault == nullptr);
        return;
    }
    QVERIFY(tried.fault != nullptr);
    const QString told = QString::fromStdString(tried.fault->message);
    QVERIFY2(told.contains(message), qPrintable(told));
    QCOMPARE(int(tried.fault->place.line), line);
    QCOMPARE(tried.fault->place.file, std::string("rulebooks/test/rulebook.lua"));
    QVERIFY(tried.fault->limit == (message == "this takes more than 2 million steps" || message.endsWith("of memory")));
}

void TestSandbox::what_is_not_there_data()
{
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<QString>("message");
    const auto row = [](const char* text, const char* message) { QTest::newRow(text) << QByteArray(text) << QString(message); };
    for (const char* name :
         {"io", "os", "debug", "package", "load", "loadstring", "loadfile", "dofile", "collectgarbage", "print", "next", "warn", "_G"}) {
        QTest::newRow(name) << QByteArray("local a = ") + name + ".x" << QString("attempt to index a nil value (global '%1')").arg(name);
    }
    row("local a = string.dump(function() end)", "attempt to call a nil value (field 'dump')");
    row("local a = math.randomseed(1)", "attempt to call a nil value (field 'randomseed')");
    row("local a = getmetatable('').__index", "attempt to index a boolean value");
    row("setmetatable('', {})", "table expected, got string");
    row("setmetatable({}, {__gc = function() end})", "__gc is not available: what it does depends on when memory is collected");
    row("setmetatable({}, {__mode = 'k'})", "__mode is not available: what it does depends on when memory is collected");
    row("local a = string.format('%p', {})", "the format %p is not available: addresses differ from run to run");
    row("local a = string.format('%-20p', {})", "the format %p is not available: addresses differ from run to run");
    row("for k in pairs({[{}] = 1}) do end", "pairs can't order a key that is a table; use numbers or texts as keys");
    row("\x1bLua", "attempt to load a binary chunk");
}

void TestSandbox::what_is_not_there()
{
    QFETCH(QByteArray, text);
    QFETCH(QString, message);
    const Tried tried = run(text.toStdString());
    QVERIFY(tried.fault != nullptr);
    QVERIFY2(QString::fromStdString(tried.fault->message).contains(message), tried.fault->message.c_str());
    QVERIFY(!tried.fault->limit);
}

void TestSandbox::a_call_after_a_limit_has_its_own()
{
    RuleLimits limits;
    limits.call = 100'000;
    limits.run = 250'000;
    Sandbox sandbox(limits);
    lua_State* const L = sandbox.state();
    const auto call = [&](const char* text) {
        auto fault = sandbox.compile(L, text, "a.lua");
        return fault ? std::move(fault) : sandbox.call(L, 0);
    };
    QVERIFY(call("while true do end")->limit);
    QVERIFY(call("for i = 1, 1000 do end") == nullptr);
    QVERIFY(!sandbox.spent());
    QVERIFY(call("while true do end")->limit);
    const auto last = call("while true do end");
    QVERIFY(last->limit && sandbox.spent());
    QCOMPARE(last->message, std::string("the rules of this run have taken all of their 0 million steps"));
    QCOMPARE(lua_gettop(L), 0);
}

void TestSandbox::pairs_in_order()
{
    const char* text = "local t = {b = 1, a = 2, [10] = 3, [2] = 4, [2.5] = 5, [true] = 6, [false] = 7, ['10'] = 8, [-1] = 9}\n"
                       "local out = ''\nfor k, v in pairs(t) do out = out .. tostring(k) .. '=' .. v .. ' ' t[k] = nil end\ngive(out)";
    QCOMPARE(run(text).result, std::string("-1=9 2=4 2.5=5 10=3 10=8 a=2 b=1 false=7 true=6 "));
    // What is removed on the way does not come.
    QCOMPARE(run("local t = {a = 1, b = 2, c = 3}\nlocal out = ''\nfor k in pairs(t) do out = out .. k t.b = nil end\ngive(out)").result,
             std::string("ac"));
}

void TestSandbox::the_same_on_every_run()
{
    const char* text =
        "local out = {}\nfor i = 1, 40 do out[#out + 1] = math.random(1000) end\nlocal keys = {}\n"
        "for i = 1, 60 do keys['k' .. (i * 7919 % 61)] = i end\nfor k, v in pairs(keys) do out[#out + 1] = k .. v end\n"
        "out[#out + 1] = tostring({}) .. tostring(give) .. string.format('%s', {}) .. tostring(coroutine.create(function() end))\n"
        "give(table.concat(out, ' '))";
    const std::string first = run(text).result;
    QVERIFY(first.size() > 200);
    QVERIFY(first.find("0x") == std::string::npos);
    std::vector<std::unique_ptr<char[]>> in_the_way; // other addresses each time
    for (int i = 0; i < 20; ++i) {
        in_the_way.push_back(std::make_unique<char[]>(std::size_t(1 + i * 977)));
        QCOMPARE(run(text).result, first);
    }
}

void TestSandbox::faults_tell_where()
{
    const Tried tried =
        run("local function inner()\n  error('the reason')\nend\nlocal function outer()\n  inner()\n  return 1\nend\nouter()");
    QVERIFY(tried.fault != nullptr);
    QCOMPARE(tried.fault->text(), std::string("the reason, called from rulebooks/test/rulebook.lua:5, from rulebooks/test/rulebook.lua:8"));
    QCOMPARE(tried.fault->place.line, 2U);
    const Tried syntax = run("local a = 1\nlocal b = = 2");
    QCOMPARE(syntax.fault->message, std::string("unexpected symbol near '='"));
    QCOMPARE(syntax.fault->place.text(), std::string("rulebooks/test/rulebook.lua:2"));
    QCOMPARE(run("error({})").fault->message, std::string("an error that is not a text but a table"));
}

void TestSandbox::patterns_by_hand()
{
    const auto result = [](const char* expression) {
        return run(std::string("local function all(...) local out = {} for i = 1, select('#', ...) do out[i] = tostring((select(i, ...))) "
                               "end return table.concat(out, '|') end give(all(") +
                   expression + "))")
            .result;
    };
    QCOMPARE(result("('X12.5 Y-3'):match('X(%d+)%.(%d+)%s*(%a)')"), std::string("12|5|Y"));
    QCOMPARE(result("('abc'):find('b', 1, true)"), std::string("2|2"));
    QCOMPARE(result("('a.c'):find('.', 2, true)"), std::string("2|2"));
    QCOMPARE(result("('THE (quick) fox'):find('%((%a+)%)')"), std::string("5|11|quick"));
    QCOMPARE(result("('f(a(b)c)d'):match('%b()')"), std::string("(a(b)c)"));
    QCOMPARE(result("('hello world'):gsub('o', '0', 1)"), std::string("hell0 world|1"));
    QCOMPARE(result("('abc'):gsub('%w', '%0%0')"), std::string("aabbcc|3"));
    QCOMPARE(result("('abc'):gsub('', '-')"), std::string("-a-b-c-|4"));
    QCOMPARE(result("('x = 1'):gsub('(%w+) = (%w+)', '%2 = %1')"), std::string("1 = x|1"));
    QCOMPARE(result("('THE fox'):find('%f[%a]%a+%f[%A]')"), std::string("1|3"));
    QCOMPARE(result("('abab'):find('(ab)%1')"), std::string("1|4|ab"));
    QCOMPARE(result("('  x'):match('^%s*()')"), std::string("3"));
    QCOMPARE(result("('abc'):find('[')"), std::string());
}

namespace {

/// A random pattern of the pieces that the grammar has, sometimes broken.
std::string random_pattern(std::mt19937& random)
{
    static const std::vector<std::string> pieces{"a",     "b",  ".",  "%a", "%d", "%s", "%w",  "%A",    "[ab]", "[^a]", "[a-c]",
                                                 "[%d_]", "%.", "(",  ")",  "()", "a*", "b+",  ".-",    "a?",   "%b()", "%f[a]",
                                                 "^",     "$",  "%1", "-",  "x",  "%%", "[]]", "[^]b]", "(a",   "%",    "["};
    std::string out;
    for (int i = 0, count = 1 + int(random() % 6); i < count; ++i) {
        out += pieces[random() % pieces.size()];
    }
    return out;
}

std::string random_subject(std::mt19937& random)
{
    static const std::string letters = "aabbcx1_ .()";
    std::string out;
    for (int i = 0, count = int(random() % 14); i < count; ++i) {
        out += letters[random() % letters.size()];
    }
    return out;
}

} // namespace

/// Random patterns on random texts against Lua's own matcher.
void TestSandbox::patterns_as_lua_has_them()
{
    std::mt19937 random(4711);
    int found = 0;
    int refused = 0;
    for (int i = 0; i < 6000 / WEXILUM_EVERY; ++i) {
        const std::string call = "local function all(ok, ...) if not ok then give('error') return end local out = {} for i = 1, "
                                 "select('#', ...) do out[i] = tostring((select(i, ...))) end give(table.concat(out, '|')) end\n"
                                 "all(pcall(string." +
                                 std::string(random() % 2 == 0 ? "find" : "match") + ", [==[" + random_subject(random) + "]==], [==[" +
                                 random_pattern(random) + "]==]" + (random() % 4 == 0 ? ", 3" : "") + "))";
        const std::string wanted = plain_lua(call);
        const Tried tried = run(call);
        QVERIFY2(tried.fault == nullptr, call.c_str());
        QVERIFY2(tried.result == wanted, (call + "\n" + tried.result + "\n" + wanted).c_str());
        found += wanted != "nil" && wanted != "error" ? 1 : 0;
        refused += wanted == "error" ? 1 : 0;
    }
    QVERIFY(found > 500 / WEXILUM_EVERY && refused > 500 / WEXILUM_EVERY);
}

void TestSandbox::replacements_as_lua_has_them()
{
    std::mt19937 random(815);
    static const std::vector<std::string> by{
        "'<%0>'",         "'%1'", "'-'", "''", "'%%'", "{a = 'A', b = false, ['1'] = 2}", "function(x) return x .. '!' end",
        "function() end", "'%2'"};
    for (int i = 0; i < 4000 / WEXILUM_EVERY; ++i) {
        const std::string text = "[==[" + random_subject(random) + "]==], [==[" + random_pattern(random) + "]==]";
        const bool walk = random() % 3 == 0;
        const std::string call =
            walk ? "local ok, out = pcall(function() local o = '' for a, b in string.gmatch(" + text +
                       ") do o = o .. tostring(a) .. ';' .. tostring(b) .. ' ' end return o end) give(ok and out or 'error')"
                 : "local ok, a, b = pcall(string.gsub, " + text + ", " + by[random() % by.size()] + (random() % 3 == 0 ? ", 2" : "") +
                       ") give(ok and a .. '|' .. b or 'error')";
        const std::string wanted = plain_lua(call);
        const Tried tried = run(call);
        QVERIFY2(tried.fault == nullptr, call.c_str());
        QVERIFY2(tried.result == wanted, (call + "\n" + tried.result + "\n" + wanted).c_str());
    }
}

void TestSandbox::tables_as_lua_has_them()
{
    for (const char* text :
         {"local t = {5, 3, 9, 1} table.sort(t) give(table.concat(t, ','))",
          "local t = {5, 3, 9, 1} table.sort(t, function(a, b) return a > b end) give(table.concat(t, ',', 2, 3))",
          "local t = {1, 2, 3} table.insert(t, 2, 1000000) give(table.concat(t, ',') .. table.remove(t) .. table.remove(t, 1) .. #t)",
          "give(table.concat(table.move({1, 2, 3}, 1, 3, 3), ','))", "give(select('#', table.unpack({1, nil, 3}, 1, 3)))",
          "give(string.format('%5.2f|%-5s|%d|%q|%s|%x', 3.14159, 'ab', 42, 'a\\nb', nil, 255))", "give(('ab'):rep(3, '-'))",
          "local c = coroutine.wrap(function(a) local b = coroutine.yield(a + 1) return b * 2 end) give(c(1) .. ' ' .. c(21))",
          "local c = coroutine.create(function() error('x', 0) end) local ok, e = coroutine.resume(c) give(tostring(ok) .. e .. "
          "coroutine.status(c))",
          "local c = coroutine.create(function(...) return ... end) give(select('#', coroutine.resume(c, 1, 2, 3)))",
          "give(select('#', pcall(function(...) return ... end, 1, nil, 3)) .. tostring(select(2, pcall(error, 'x', 0))))",
          "give(table.concat({tostring(xpcall(function(a) return a end, error, 5)), select(2, xpcall(function(a) return a end, error, 5)), "
          "select(2, xpcall(error, function(e) return e .. '!' end, 'x', 0))}, ' '))",
          "local c = coroutine.wrap(function() local ok, v = pcall(function() return coroutine.yield(1) + 1 end) return v end) give(c() .. "
          "' ' .. c(5))"}) {
        const Tried tried = run(text);
        QVERIFY2(tried.fault == nullptr, text);
        QCOMPARE(tried.result, plain_lua(text));
        QVERIFY2(!tried.result.empty() && tried.result != "error", text);
    }
}

WEXILUM_TEST(TestSandbox)

} // namespace test_sandbox
#include "test_sandbox.moc"
