// Numbers as they are written, and which words a block keeps.
#include "core/base/units.hpp"
#include "core/dialect/word_emitter.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_rounding_and_words {

class TestRoundingAndWords : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void decimals_data()
    {
        QTest::addColumn<qint64>("counts");
        QTest::addColumn<int>("decimals");
        QTest::addColumn<bool>("point");
        QTest::addColumn<bool>("zeros");
        QTest::addColumn<QString>("text");
        QTest::newRow("trimmed") << qint64(12500) << 3 << true << false << "12.5";
        QTest::newRow("whole") << qint64(3000) << 3 << true << false << "3.";
        QTest::newRow("whole, no point") << qint64(3000) << 3 << false << false << "3";
        QTest::newRow("small") << qint64(-5) << 3 << true << false << "-0.005";
        QTest::newRow("zero has no sign") << qint64(0) << 3 << true << false << "0.";
        QTest::newRow("kept zeros") << qint64(-1200) << 3 << true << true << "-1.200";
        QTest::newRow("no decimals") << qint64(7600) << 0 << false << false << "7600";
    }
    void decimals()
    {
        QFETCH(qint64, counts);
        QFETCH(int, decimals);
        QFETCH(bool, point);
        QFETCH(bool, zeros);
        QFETCH(QString, text);
        QCOMPARE(QString::fromStdString(decimal_text(counts, {decimals, point, zeros})), text);
    }

    void decimals_agree_with_the_c_library()
    {
        constexpr unsigned seed = 4711;
        qInfo("seed %u", seed);
        std::mt19937_64 random(seed);
        for (int i = 0; i < 200000; ++i) {
            const int decimals = int(random() % 9);
            const bool point = random() % 2 == 0;
            const bool zeros = random() % 2 == 0;
            const std::int64_t counts = std::int64_t(random() >> (11 + random() % 53)) * (random() % 2 == 0 ? 1 : -1);
            const std::int64_t power = std::llround(std::pow(10.0, decimals));
            // Whole and decimals printed apart, because no double holds them all.
            QString wanted = QString::asprintf("%s%lld", counts < 0 ? "-" : "", static_cast<long long>(std::abs(counts) / power));
            if (decimals > 0) {
                wanted += QString::asprintf(".%0*lld", decimals, static_cast<long long>(std::abs(counts) % power));
                while (!zeros && wanted.endsWith('0')) {
                    wanted.chop(1);
                }
            } else {
                wanted += '.';
            }
            if (wanted.endsWith('.') && !point) {
                wanted.chop(1);
            }
            QCOMPARE(QString::fromStdString(decimal_text(counts, {decimals, point, zeros})), wanted);
        }
    }

    void rounded_to_the_increment_first()
    {
        const Assembly a = load_demo("mirror-back-face").value();
        const Rounding rounding(a.dialect, a.controller);
        QCOMPARE(rounding.counts(Quantity::length, 1.23449), std::int64_t(1234));
        QCOMPARE(rounding.counts(Quantity::length, -0.0004), std::int64_t(0));
        QCOMPARE(rounding.text(Quantity::length, rounding.counts(Quantity::length, -0.0004)), std::string("0."));
        QCOMPARE(rounding.counts(Quantity::angle, to_rad(-12.34567)), std::int64_t(-123457));
        QCOMPARE(rounding.text(Quantity::feed, rounding.counts(Quantity::feed, 30.0)), std::string("1800."));
        // A control that resolves 0.005 mm gets multiples of it, whatever the decimals.
        Assembly coarse = load_demo("mirror-back-face",
                                    {{"controllers/calder-t.json", R"("numbers": {"length": 0.001)", R"("numbers": {"length": 0.005)"}})
                              .value();
        const Rounding steps(coarse.dialect, coarse.controller);
        QCOMPARE(steps.text(Quantity::length, steps.counts(Quantity::length, 1.2366)), std::string("1.235"));
    }

    void inches_are_written_in_inches()
    {
        Assembly a = small_mill({{"dialects/mill.json", R"("program_units": "mm")", R"("program_units": "inch")"},
                                 {"dialects/mill.json", R"("millimetres": "G21")", R"("inches": "G20")"},
                                 {"dialects/mill.json", R"("length": {"decimals": 3})", R"("length": {"decimals": 4})"}})
                         .value();
        a.controller.length_increment = 0.0001;
        const Rounding rounding(a.dialect, a.controller);
        QCOMPARE(rounding.text(Quantity::length, rounding.counts(Quantity::length, 12.7)), std::string("0.5"));
        QCOMPARE(rounding.text(Quantity::feed, rounding.counts(Quantity::feed, 25.4)), std::string("60."));
    }

    void modal_words_are_left_out_until_forgotten()
    {
        const Assembly a = small_mill().value();
        const auto names = a.joint_names(); // Y, X, Z
        CodeText code;
        WordEmitter emitter(a.dialect, a.controller, names, code);
        const auto block = [&](std::int64_t x, std::int64_t y) {
            emitter.emit({StatementKind::motion,
                          {*emitter.function(Function::linear),
                           {Role::axes, 1, Quantity::length, x, {}},
                           {Role::axes, 0, Quantity::length, y, {}}}});
        };
        block(1000, 2000);
        block(1000, 2500);
        block(1000, 2500);
        emitter.forget(Role::motion);
        block(1000, 3000);
        emitter.literal("G65 P9000"); // a word the dialect does not explain: everything is stated again
        block(1000, 3000);
        emitter.literal("X5.");
        block(1000, 3000);
        QCOMPARE(QString::fromStdString(code.file.text),
                 QString("N10 G1 X1. Y2.\nN20 Y2.5\nN30 G1 Y3.\nN40 G65 P9000\nN50 G1 X1. Y3.\nN60 X5.\nN70 X1.\n"));
    }

    void comments_can_not_break_out()
    {
        const Assembly a = small_mill().value();
        const auto names = a.joint_names();
        CodeText code;
        WordEmitter emitter(a.dialect, a.controller, names, code);
        emitter.comment("hole (2) m30)\nG0 Z-99");
        QCOMPARE(QString::fromStdString(code.file.text), QString("(HOLE -2- M30--G0 Z-99)\n"));
    }
};

WEXILUM_TEST(TestRoundingAndWords)

} // namespace test_rounding_and_words
#include "test_rounding_and_words.moc"
