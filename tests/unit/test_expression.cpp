// The expression language: values by hand, what has no value, and exact messages with their columns.
#include "core/expr/expression.hpp"

#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::expr;

namespace test_expression {

namespace {

const std::vector<Name> names{{"reach", Type::number, length, "120 mm"},
                              {"tilt", Type::number, angle, "30 degrees"},
                              {"count", Type::number, plain, "7"},
                              {"rate", Type::number, feed, "600 mm/min"},
                              {"on", Type::flag, {}, "yes"},
                              {"label", Type::text, {}, "rim"},
                              {"missing", Type::number, plain, "nothing"},
                              {"unset", Type::flag, {}, "nothing"}};

std::vector<Value> values() { return {120.0, std::acos(-1.0) / 6, 7.0, 10.0, true, std::string("rim"), {}, {}}; }

/// The value as text with its dimension, or the error.
QString outcome(const QString& text)
{
    const auto read = Expression::parse(text.toStdString(), names);
    if (!read) {
        return QString("%1: %2; %3").arg(read.error().place.column).arg(read.error().message.c_str(), read.error().cure.c_str());
    }
    const auto value = read->evaluate(values());
    if (!value) {
        return QString::fromStdString(value.error().text());
    }
    if (!present(*value)) {
        return "nothing";
    }
    const std::string out = text_of(*value, read->dimension(), -1, false);
    return QString::fromStdString(read->type() == Type::number ? out + " (" + name_of(read->dimension()) + ")" : out);
}

} // namespace

class TestExpression : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void outcomes_data();
    void outcomes();
    void numbers_as_text();
    void arithmetic_agrees_with_the_compiler();
    void any_text_is_read_or_refused();
};

void TestExpression::outcomes_data()
{
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("wanted");
    const auto row = [](const char* text, const char* wanted) { QTest::newRow(text) << text << wanted; };
    row("1 + 2 * 3", "7 (a plain number)");
    row("(1 + 2) * 3", "9 (a plain number)");
    row("-2 - -3", "1 (a plain number)");
    row("7 % 4", "3 (a plain number)");
    row("-7 % 4", "1 (a plain number)"); // the remainder has the sign of the divisor
    row("2 in + 0.5 mm", "51.3 (a length)");
    row("1 m / 4", "250 (a length)");
    row("2 m/min", "2000 (a feed)");
    row("reach / 2 s", "3600 (a feed)"); // 60 mm/s
    row("rate * 1 min", "600 (a length)");
    row("reach * reach / (240 mm)", "60 (a length)");
    row("sqrt(reach * reach)", "120 (a length)");
    row("0.2 mm/rev * 300 rpm", "60 (a feed)");
    row("sin(tilt)", "0.5 (a plain number)");
    row("cos(90 deg - tilt)", "0.5 (a plain number)");
    row("round(reach, 50 mm)", "100 (a length)");
    row("ceil(reach, 50 mm)", "150 (a length)");
    row("floor(7.9)", "7 (a plain number)");
    row("max(1, count, 3)", "7 (a plain number)");
    row("min(2 in, 50 mm)", "50 (a length)");
    row("abs(-3 deg)", "3 (an angle)");
    row("reach > 4 in and on", "yes");
    row("reach > 5 in or not on", "no");
    row("not reach > 5 in", "yes");
    row("label = 'rim'", "yes");
    row("label != \"rim\"", "no");
    row("if(on, 1, 2) + 1", "2 (a plain number)");
    row("count >= 7 and count <= 7 and not count < 7 and not count > 7", "yes");
    row("yes = on", "yes");
    // What has no value.
    row("missing + 1", "nothing");
    row("has(missing)", "no");
    row("has(count)", "yes");
    row("first(missing, 4)", "4 (a plain number)");
    row("unset or on", "yes");
    row("unset and on", "nothing");
    row("unset and not on", "no");
    row("if(unset, 1, 2)", "nothing");
    row("1 / (count - 7)", "a division by zero; guard it with if(…)");
    row("sqrt(3 - count)", "a value out of range; guard it with if(…)");
    // What is wrong.
    row("1 +", "4: a value is missing; write a number, a text in quotes, a name or a function");
    row("(1 + 2", "7: a \")\" is missing; close what was opened");
    row("1 2", "3: \"2\" is not expected here; the expression is complete before it");
    row("reach + 5", "7: a length and a plain number can't be added; give the number its unit");
    row("reach > tilt", "7: a length and an angle can't be compared; give the number its unit");
    row("label + 1", "7: a text and a number can't be added; use values of one kind");
    row("label < label", "1: a number is needed here, this is a text; use a value of the right kind");
    row("not count", "5: a flag is needed here, this is a number; compare it with something");
    row("count and on", "1: a flag is needed here, this is a number; compare it with something");
    row("on and count", "8: a flag is needed here, this is a number; compare it with something");
    row("5 parsec", "3: \"parsec\" is not a unit; use mm, cm, m, in, ft, deg, rad, s, ms, min, h, rev, rpm or percent");
    row("reech * 2", "1: nothing is called \"reech\"; the names are: reach, tilt, count, rate, on, label, missing, unset");
    row("fold(2)",
        "1: no function is called \"fold\"; the functions are: if, has, first, min, max, abs, round, floor, ceil, sqrt, sin, cos, tan");
    row("if(on, 1)", "1: if takes 3 values, not 2; see the list of functions");
    row("if(on, 1, label)", "11: a number and a text can't be the two outcomes of one if; use values of one kind");
    row("max(1)", "1: max takes 2 to 8 values, not 1; see the list of functions");
    row("sin(count)", "5: an angle is needed here, this is a plain number; write 30 deg");
    row("sqrt(reach)", "6: a length has no square root; take it of a product");
    row("round(reach)", "7: a length is rounded to a step of its own kind; write round(…, 0.1 mm), with a unit that fits");
    row("'open", "1: the text has no end; close the quotes");
    row("count # 2", "7: \"#\" is not expected here; the expression is complete before it");
}

void TestExpression::outcomes()
{
    QFETCH(QString, text);
    QFETCH(QString, wanted);
    QCOMPARE(outcome(text), wanted);
}

void TestExpression::numbers_as_text()
{
    QCOMPARE(text_of(Value(25.4), length, 3, false), std::string("25.400"));
    QCOMPARE(text_of(Value(25.4), length, 3, true), std::string("1.000"));
    QCOMPARE(text_of(Value(25.4), length, -1, true), std::string("1"));
    QCOMPARE(text_of(Value(-0.0001), length, -1, false), std::string("0"));
    QCOMPARE(text_of(Value(-0.0001), length, 2, false), std::string("0.00"));
    QCOMPARE(text_of(Value(-0.5), length, -1, false), std::string("-0.5"));
    QCOMPARE(text_of(Value(50.0), speed, 0, false), std::string("3000")); // revolutions a second
    QCOMPARE(text_of(Value(10.0), feed, -1, false), std::string("600"));
    QCOMPARE(text_of(Value(254.0), feed, 1, true), std::string("600.0"));
    QCOMPARE(text_of(Value(true), plain, -1, false), std::string("yes"));
    QCOMPARE(text_of(Value(), plain, -1, false), std::string());
}

/// Random sums of products against the same computed here.
void TestExpression::arithmetic_agrees_with_the_compiler()
{
    std::mt19937 random(51);
    for (int run = 0; run < 300; ++run) {
        std::string text;
        double sum = 0;
        for (int i = 0, terms = 1 + int(random() % 6); i < terms; ++i) {
            double product = 1;
            const bool minus = random() % 2 == 1;
            text += i == 0 ? (minus ? "-" : "") : (minus ? " - " : " + ");
            for (int k = 0, factors = 1 + int(random() % 4); k < factors; ++k) {
                const double value = double(1 + random() % 999) / 8;
                const bool divided = k > 0 && random() % 2 == 1;
                text += (k == 0 ? "" : divided ? "/" : "*") + QByteArray::number(value, 'f', 3).toStdString();
                product = divided ? product / value : product * value;
            }
            sum += minus ? -product : product;
        }
        const auto value = Expression::parse(text, {}).value().evaluate({}).value();
        QVERIFY2(std::abs(std::get<double>(value) - sum) <= 1e-9 * (1 + std::abs(sum)), text.c_str());
    }
}

/// Nothing crashes or hangs, however the pieces fall.
void TestExpression::any_text_is_read_or_refused()
{
    const std::vector<std::string> pieces{"(", ")",    "if(",   "not ", "-", "+", "*",    "/",    "%", "<",    "=",
                                          "1", "2 mm", "reach", "on",   "'", ",", "and ", "max(", " ", "\"a\""};
    std::mt19937 random(77);
    int fine = 0;
    for (int run = 0; run < 20000; ++run) {
        std::string text;
        for (int i = 0, count = 1 + int(random() % 12); i < count; ++i) {
            text += pieces[random() % pieces.size()];
        }
        const auto read = Expression::parse(text, names);
        if (read) {
            ++fine;
            (void)read->evaluate(values());
        } else {
            QVERIFY2(read.error().place.column >= 1 && read.error().place.column <= text.size() + 1 && !read.error().cure.empty(),
                     text.c_str());
        }
    }
    QVERIFY(fine > 300);
    QVERIFY(!Expression::parse(std::string(3000, '('), {}).ok());
    QVERIFY(!Expression::parse(std::string(3000, '-') + "1", {}).ok());
    QVERIFY(!Expression::parse(std::string(5000, '1'), {}).ok());
}

WEXILUM_TEST(TestExpression)

} // namespace test_expression
#include "test_expression.moc"
