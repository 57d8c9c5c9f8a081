// Places and exact messages of the JSON layer.
#include "core/base/json_document.hpp"

#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;

namespace test_json_document {

namespace {

QString error_of(const std::string& text)
{
    const auto document = json::Document::parse(text, "f.json");
    return document ? QString("no error") : QString::fromStdString(document.error().text());
}

/// Reads {"n": number 0..10, "name": text, "kind": a|b} and returns the first problem.
QString problem_of(const std::string& text)
{
    const auto document = json::Document::parse(text, "f.json");
    if (!document) {
        return QString::fromStdString(document.error().text());
    }
    json::Problems problems(document.value());
    json::Fields fields(document.value().root(), "the thing", problems);
    double n = 0;
    std::string name;
    std::size_t kind = 0;
    std::vector<double> v;
    long long whole = 0;
    fields.number("n", n, {0, 10}, true);
    fields.text("name", name);
    fields.choice("kind", kind, {"a", "b"});
    fields.numbers("v", v, 3);
    fields.integer("whole", whole, 1, 9);
    fields.finish();
    return problems.any() ? QString::fromStdString(problems.status().error().text()) : QString("no problem");
}

} // namespace

class TestJsonDocument : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void values_know_their_place()
    {
        const std::string text = "{\n  \"a\": [1, -2.5e1, \"x\\\"y\"],\n  \"b\" : {\"c\": true}\n}";
        const auto document = json::Document::parse(text, "f.json");
        QVERIFY(document.ok());
        const json::Node& root = document.value().root();
        const json::Node& list = *root.find("a");
        QCOMPARE(list.items.size(), std::size_t(3));
        QCOMPARE(list.items[1].number, -25.0);
        QCOMPARE(text.substr(list.items[1].begin, list.items[1].end - list.items[1].begin), std::string("-2.5e1"));
        QCOMPARE(text.substr(list.items[2].begin, list.items[2].end - list.items[2].begin), std::string("\"x\\\"y\""));
        QCOMPARE(text.substr(list.begin, list.end - list.begin), std::string("[1, -2.5e1, \"x\\\"y\"]"));
        QCOMPARE(QString::fromStdString(document.value().place_of(root.find("b")->find("c")->begin).text()), QString("f.json:3:15"));
    }

    void grammar_errors_have_a_place_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("begins");
        QTest::newRow("truncated") << "{\"a\": 1"
                                   << "f.json:1:8: not valid JSON: ";
        QTest::newRow("second line") << "{\n\"a\": nan}"
                                     << "f.json:2:7: not valid JSON: ";
        QTest::newRow("empty") << ""
                               << "f.json:1:1: not valid JSON: ";
        QTest::newRow("twice") << "{\"a\": 1,\n \"a\": 2}"
                               << "f.json:2:2: the key \"a\" appears twice; keep one of the two";
        QTest::newRow("too large a number") << "[1e999]"
                                            << "f.json:1:";
    }
    void grammar_errors_have_a_place()
    {
        QFETCH(QString, text);
        QFETCH(QString, begins);
        const QString got = error_of(text.toStdString());
        QVERIFY2(got.startsWith(begins), qPrintable(got));
    }

    void deep_nesting_is_an_error()
    {
        QVERIFY(error_of(std::string(64, '[') + std::string(64, ']')) == "no error");
        QCOMPARE(error_of(std::string(65, '[') + std::string(65, ']')),
                 QString("f.json:1:65: nested deeper than 64 levels; no file of this project needs such depth"));
        QVERIFY(error_of(std::string(1000000, '[')).contains("nested deeper"));
    }

    void problems_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("wanted");
        QTest::newRow("fine") << R"({"n": 3, "x-mine": [1]})"
                              << "no problem";
        QTest::newRow("missing") << R"({"name": "a"})"
                                 << "f.json:1:1: the thing lacks \"n\"; add \"n\": a number";
        QTest::newRow("wrong type") << R"({"n": "3"})"
                                    << "f.json:1:7: \"n\" of the thing must be a number, found a text; write a number";
        QTest::newRow("range")
            << R"({"n": 11})"
            << "f.json:1:7: \"n\" of the thing is 11, outside 0 to 10; give a value in that range; mind the file's units";
        QTest::newRow("choice") << R"({"n": 1, "kind": "c"})"
                                << "f.json:1:18: \"kind\" of the thing can't be \"c\"; use one of: a, b";
        QTest::newRow("unknown")
            << R"({"n": 1, "m": 2})"
            << "f.json:1:15: the thing has no key \"m\"; use one of: n, name, kind, v, whole; keys of your own start with x-";
        QTest::newRow("count") << R"({"n": 1, "v": [1, 2]})"
                               << "f.json:1:15: \"v\" of the thing needs 3 numbers, found 2; give 3 numbers";
        QTest::newRow("whole")
            << R"({"n": 1, "whole": 2.5})"
            << "f.json:1:19: \"whole\" of the thing must be a whole number from 1 to 9; give a whole number in that range";
        QTest::newRow("no object") << R"([1])"
                                   << "f.json:1:1: the thing must be an object, found a list; write { \"key\": value, … }";
    }
    void problems()
    {
        QFETCH(QString, text);
        QFETCH(QString, wanted);
        QCOMPARE(problem_of(text.toStdString()), wanted);
    }
};

WEXILUM_TEST(TestJsonDocument)

} // namespace test_json_document
#include "test_json_document.moc"
