// Edits of JSON text and of the setup: exact bytes, so that what nobody asked to change stays as it was.
#include "core/setup/setup_edit.hpp"

#include "tests/support/test_program.hpp"

#include <QtTest>

using namespace wexilum;

namespace test_setup_edit {

namespace {

const std::string setup_text = "{\n"
                               "  \"format\": \"setup/1\",\n"
                               "  \"units\": {\"length\": \"mm\", \"angle\": \"deg\"},\n"
                               "  \"name\": \"bench\",\n"
                               "  \"x-note\": \"keep   this, 1.50 too\",\n"
                               "  \"part\": {\"holder\": \"table\", \"point\": [6, -4, 30]},\n"
                               "  \"offsets\": {\n"
                               "    \"1\": {\"X\": 6, \"B\": {\"angle\": 0}}\n"
                               "  },\n"
                               "  \"tools\": [\n"
                               "    {\"number\": 5, \"name\": \"ball mill 12\", \"length\": 142.315},\n"
                               "    {\"number\": 6, \"name\": \"drill \\\"8\\\"\", \"diameter\": 8, \"length_register\": 16}\n"
                               "  ]\n"
                               "}";

json::Document parsed(const std::string& text) { return json::Document::parse(text, "setups/bench.json").value(); }

/// The text after an edit; it must still be a setup.
std::string after(const std::string& text, const Result<json::Patch>& patch)
{
    if (!patch) {
        return "error: " + patch.error().text();
    }
    std::string out = json::applied(text, *patch);
    auto document = json::Document::parse(out, "setups/bench.json");
    auto setup = document ? read_setup(*document) : Result<Setup>(document.error());
    return setup ? out : "unreadable: " + setup.error().text();
}

std::string replaced(std::string text, const std::string& from, const std::string& to)
{
    const std::size_t at = text.find(from);
    return at == std::string::npos ? "no such text: " + from : text.replace(at, from.size(), to);
}

Setup read(const std::string& text) { return read_setup(parsed(text)).value(); }

} // namespace

class TestSetupEdit : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void changes_only_the_value_data();
    void changes_only_the_value();
    void inches_and_radians();
    void turns_the_part();
    void tables_data();
    void tables();
    void merges_a_table();
    void random_edits_leave_the_rest();
};

void TestSetupEdit::changes_only_the_value_data()
{
    QTest::addColumn<QString>("got");
    QTest::addColumn<QString>("wanted");
    const json::Document d = parsed(setup_text);
    const auto row = [&](const char* name, const Result<json::Patch>& patch, const std::string& wanted) {
        QTest::newRow(name) << QString::fromStdString(after(setup_text, patch)) << QString::fromStdString(wanted);
    };
    row("an offset", set_offset(d, "1", "X", false, -12.25), replaced(setup_text, "\"X\": 6", "\"X\": -12.25"));
    row("an angle, in degrees", set_offset(d, "1", "B", true, 0.78539816339744828),
        replaced(setup_text, "{\"angle\": 0}", "{\"angle\": 45}"));
    row("a joint that had none", set_offset(d, "1", "Y", false, 3), replaced(setup_text, "{\"angle\": 0}}", "{\"angle\": 0}, \"Y\": 3}"));
    row("a register that was not there", set_offset(d, "2", "X", false, 1),
        replaced(setup_text, "{\"X\": 6, \"B\": {\"angle\": 0}}", "{\"X\": 6, \"B\": {\"angle\": 0}},\n    \"2\": {\"X\": 1}"));
    row("the part's place", set_part_point(d, 0, Vec3(1, 2.5, -3)), replaced(setup_text, "[6, -4, 30]", "[1, 2.5, -3]"));
    row("a length", set_tool_number(d, 0, ToolField::length, 140.0), replaced(setup_text, "142.315", "140"));
    row("a length that was missing", set_tool_number(d, 1, ToolField::length, 99.5),
        replaced(setup_text, "\"length_register\": 16", "\"length_register\": 16, \"length\": 99.5"));
    row("no length any more", set_tool_number(d, 0, ToolField::length, std::nullopt), replaced(setup_text, ", \"length\": 142.315", ""));
    row("no diameter any more", set_tool_number(d, 1, ToolField::diameter, std::nullopt), replaced(setup_text, "\"diameter\": 8, ", ""));
    row("a name with a quote", set_tool_text(d, 0, ToolField::name, "6\" \\ mill"),
        replaced(setup_text, "\"ball mill 12\"", "\"6\\\" \\\\ mill\""));
    Tool tool;
    tool.number = 7;
    tool.name = "reamer";
    tool.length = 80;
    tool.length_register = 7;
    row("a tool more", add_tool(d, tool),
        replaced(setup_text, "\"length_register\": 16}",
                 "\"length_register\": 16},\n    {\"number\": 7, \"name\": \"reamer\", \"length\": 80, \"length_register\": 7}"));
    row("the first tool away", remove_tool(d, 0),
        replaced(setup_text, "{\"number\": 5, \"name\": \"ball mill 12\", \"length\": 142.315},\n    ", ""));
    row("the last tool away", remove_tool(d, 1),
        replaced(setup_text, ",\n    {\"number\": 6, \"name\": \"drill \\\"8\\\"\", \"diameter\": 8, \"length_register\": 16}", ""));
    row("a tool that is not there", remove_tool(d, 9), "error: setups/bench.json: there is no tools / 9; the file has changed; try again");
}

void TestSetupEdit::changes_only_the_value()
{
    QFETCH(const QString, got);
    QTEST(got, "wanted");
}

void TestSetupEdit::inches_and_radians()
{
    const std::string text = replaced(setup_text, "\"length\": \"mm\", \"angle\": \"deg\"", "\"length\": \"inch\", \"angle\": \"rad\"");
    const json::Document d = parsed(text);
    QCOMPARE(QString::fromStdString(after(text, set_offset(d, "1", "X", false, 50.8))),
             QString::fromStdString(replaced(text, "\"X\": 6", "\"X\": 2")));
    QCOMPARE(QString::fromStdString(after(text, set_offset(d, "1", "B", true, 0.5))),
             QString::fromStdString(replaced(text, "{\"angle\": 0}", "{\"angle\": 0.5}")));
    QCOMPARE(QString::fromStdString(after(text, set_tool_number(d, 0, ToolField::length, 254.0))),
             QString::fromStdString(replaced(text, "142.315", "10")));
}

void TestSetupEdit::turns_the_part()
{
    // A quarter turn about Z: the part's x lies along the holder's Y.
    const json::Document d = parsed(setup_text);
    const Setup setup = read(after(setup_text, set_part_directions(d, 0, Vec3::UnitY(), Vec3::UnitZ())));
    QVERIFY((setup.part() * Vec3(10, 0, 0) - Vec3(6, 6, 30)).norm() < 1e-12);
    // And back, over keys that are there now.
    const std::string turned = after(setup_text, set_part_directions(d, 0, Vec3::UnitY(), Vec3::UnitZ()));
    const Setup back = read(after(turned, set_part_directions(parsed(turned), 0, Vec3::UnitX(), Vec3::UnitZ())));
    QVERIFY((back.part() * Vec3(10, 0, 0) - Vec3(16, -4, 30)).norm() < 1e-12);
}

void TestSetupEdit::tables_data()
{
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("told");
    const auto row = [](const char* name, const char* text, const char* told) {
        QTest::newRow(name) << QString::fromUtf8(text) << QString::fromUtf8(told);
    };
    row("plain", "number,name,length\n3,drill,88.5\n", "3 drill - 0 88.5 r3");
    row("semicolons, quotes, blanks, CR LF", "number;name;shape;diameter;length_register\r\n 12 ;\"mill; \"\"long\"\"\";end-mill;10;2\r\n",
        "12 mill; \"long\" end-mill 10 none r2");
    row("no length is none, not zero", "number,name,length,diameter\n1,a,,\n\n2,b,5,6\n", "1 a - 0 none r1 | 2 b - 6 5 r2");
    row("byte order mark", "\xEF\xBB\xBFnumber,name\n1,a\n", "1 a - 0 none r1");
    row("nothing but a header", "number,name\n", "");
    row("an unknown column", "number,name,colour\n",
        "tools.csv:1: the table has a column \"colour\"; name the columns number, name, shape, diameter, length, length_register; number "
        "and name are needed");
    row("no numbers", "name,length\nx,1\n",
        "tools.csv:1: the table has no column \"number\"; name the columns number, name, shape, diameter, length, length_register; number "
        "and name are needed");
    row("a short line", "number,name,length\n1,a\n",
        "tools.csv:2: 2 fields where the header has 3; give every column a field, empty where there is nothing to say");
    row("a length with a unit", "number,name,length\n1,a,12mm\n",
        "tools.csv:2: \"12mm\" is not a length; write a number with a point, no unit; lengths in mm");
    row("a length of zero", "number,name,length\n1,a,0\n",
        "tools.csv:2: \"0\" is not a length; write a number with a point, no unit; lengths in mm");
    row("half a tool", "number,name\n1.5,a\n", "tools.csv:2: \"1.5\" is not a number; write a number with a point, no unit; lengths in mm");
    row("twice", "number,name\n1,a\n1,b\n", "tools.csv:3: the tool 1 appears twice; keep one of the two");
}

void TestSetupEdit::tables()
{
    QFETCH(const QString, text);
    const std::string bytes = text.toStdString();
    const auto tools = read_tool_table(bytes, "tools.csv");
    QStringList told;
    if (!tools) {
        told.push_back(QString::fromStdString(tools.error().text()));
    } else {
        for (const Tool& t : *tools) {
            told.push_back(QStringLiteral("%1 %2 %3 %4 %5 r%6")
                               .arg(t.number)
                               .arg(QString::fromStdString(t.name), t.shape.empty() ? QStringLiteral("-") : QString::fromStdString(t.shape))
                               .arg(t.diameter)
                               .arg(t.length ? QString::number(*t.length) : QStringLiteral("none"))
                               .arg(t.length_register));
        }
    }
    QTEST(told.join(QStringLiteral(" | ")), "told");
}

void TestSetupEdit::merges_a_table()
{
    const auto tools = read_tool_table("number,name,length,length_register\n6,drill 8,101.5,16\n9,tap,70,\n", "tools.csv");
    QVERIFY(tools.ok());
    const std::string text = after(setup_text, merge_tools(parsed(setup_text), *tools));
    const Setup setup = read(text);
    QCOMPARE(setup.tools.size(), std::size_t(3));
    QCOMPARE(setup.find_tool(5)->length, std::optional(142.315)); // untouched
    QCOMPARE(setup.find_tool(6)->length, std::optional(101.5));
    QCOMPARE(setup.find_tool(6)->length_register, 16U);
    QCOMPARE(setup.find_tool(9)->length_register, 9U);
    QVERIFY(text.find("{\"number\": 5, \"name\": \"ball mill 12\", \"length\": 142.315}") != std::string::npos);
    QVERIFY(text.find("keep   this, 1.50 too") != std::string::npos);
}

void TestSetupEdit::random_edits_leave_the_rest()
{
    constexpr quint32 seed = 20261126;
    qInfo("seed %u", seed);
    QRandomGenerator random(seed);
    std::string text = setup_text;
    double x = 6;
    double length = 142.315;
    for (int i = 0; i < 400; ++i) {
        const double value = random.bounded(2000000) / 1000.0 - 1000;
        const json::Document d = parsed(text);
        if (random.bounded(2) == 0) {
            x = value;
            text = after(text, set_offset(d, "1", "X", false, x));
        } else {
            length = std::abs(value) + 1;
            text = after(text, set_tool_number(d, 0, ToolField::length, length));
        }
        const Setup setup = read(text);
        QVERIFY(std::abs(setup.offsets.at("1").at("X") - x) < 1e-6);
        QVERIFY(std::abs(*setup.tools[0].length - length) < 1e-6);
    }
    // Put back, it is the text of the beginning, byte by byte.
    text = after(text, set_offset(parsed(text), "1", "X", false, 6));
    text = after(text, set_tool_number(parsed(text), 0, ToolField::length, 142.315));
    QCOMPARE(QString::fromStdString(text), QString::fromStdString(setup_text));
}

WEXILUM_TEST(TestSetupEdit)

} // namespace test_setup_edit
#include "test_setup_edit.moc"
