// The parts of a control's state, each by itself: words in force, feeds, brakes, the zero of coordinates. And when cuts are plain: where
// every part says so, and no part that nobody has asked can be left out.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/plain_cuts.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>
#include <fmt/format.h>

using namespace wexilum;
using namespace wexilum::test;

namespace test_control_parts {

namespace {

/// A demo job's control, whose parts are given blocks one by one.
struct Bench {
    Assembly a;
    MachineState state;
    FindingList findings;
    ControlParts parts;
    BlockWords words;
    CodeBlock block;
    std::string line;
    explicit Bench(const std::string& job, bool from_unknown = false)
        : a(load_demo(job).value()), state(a.machine), parts(a.controller, a.machine, state.readings, control_memory(a.machine, a.setup),
                                                             "t.nc", 1, from_unknown, std::nullopt, findings)
    {}
    /// The words of a line, sorted; they stay until the next one.
    const BlockWords& read(const std::string& text)
    {
        line = text;
        parts.log.set_block(BlockNumber(parts.log.block().value + 1));
        parts.log.begin_block();
        words.clear();
        if (!read_block(a.controller, line, parts.log.block(), block) || !words.sort(block, parts.modal, parts.log)) {
            qFatal("%s can't be read", text.c_str());
        }
        return words;
    }
    /// Puts the words of a line in force.
    void put(const std::string& text)
    {
        for (const WordMeaning* meaning : read(text).functions) {
            parts.feeds.put(*meaning, parts.modal.state(group_of(meaning->function)).meaning != meaning);
            parts.modal.put(*meaning);
        }
        parts.feeds.read(words);
    }
    std::size_t joint(const char* id) const { return a.machine.find_joint(id)->value; }
    /// How long a cut of the machine from where it stands takes with what is in force.
    double seconds(const char* id, double way)
    {
        ReplayMove move;
        move.from = move.to = state.readings;
        move.to[Eigen::Index(joint(id))] += way;
        parts.feeds.time(move);
        return move.seconds;
    }
};

/// Counts cuts that come many at once, and keeps all of them.
class Cuts final : public ReplaySink {
public:
    void cuts(const CutRun& run) override
    {
        together += run.count;
        ReplaySink::cuts(run);
    }
    void move(const ReplayMove& m) override
    {
        text += fmt::format("{} {} {:.17g} {:.17g} {} {:.17g} {}", m.block.value, m.feed, m.seconds, m.feed_precision, m.at_joint_limit,
                            m.tool_length, int(m.spindle));
        text += fmt::format(" {:.17g} {:.17g}\n", fmt::join(m.from.begin(), m.from.end(), ","), fmt::join(m.to.begin(), m.to.end(), ","));
    }
    std::string text;
    std::size_t together = 0;
};

} // namespace

class TestControlParts : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_feed_is_timed_by_its_mode();
    void a_zero_is_made_of_offset_shift_and_rotation();
    void a_brake_is_checked_before_a_motion();
    void words_from_before_a_loop_are_not_known_in_it();
    void a_loop_that_has_not_begun_makes_nothing_known();
    void a_part_that_nobody_has_thought_of_keeps_cuts_from_being_plain();
    void cuts_behind_every_word_are_those_one_by_one_data();
    void cuts_behind_every_word_are_those_one_by_one();
};

void TestControlParts::a_feed_is_timed_by_its_mode()
{
    Bench bench("mirror-back-face");
    bench.put("G94 G1 F600. S1000");
    QCOMPARE(bench.seconds("X", 30), 3.0); // 600 mm/min are 10 mm/s
    bench.put("G93");
    QVERIFY(!bench.parts.feeds.feed()); // a change of mode forgets the feed
    bench.put("F2.");
    QCOMPARE(bench.seconds("X", 30), 30.0); // half a minute
    QVERIFY(!bench.parts.feeds.feed());     // and holds for its block alone
    QCOMPARE(bench.seconds("X", 30), 0.0);
    QVERIFY(has_finding(bench.findings, "no-feed"));
    Bench turning("fork-arm");
    turning.put("G95 G1 F0.1 S600");
    QCOMPARE(turning.seconds("Y", 30), 30.0); // 600 revolutions a minute of 0.1 mm are 1 mm/s
}

void TestControlParts::a_zero_is_made_of_offset_shift_and_rotation()
{
    Bench bench("mirror-cell-by-calls"); // the control with shifts and rotations
    WorkZero& zero = bench.parts.zero;
    const std::size_t x = bench.joint("X");
    const std::size_t y = bench.joint("Y");
    zero.take_register();
    const double offset_x = zero.offsets()[x];
    const double offset_y = zero.offsets()[y];
    QVERIFY(offset_x != 0);
    QCOMPARE(zero.of(x), offset_x);
    const auto word_of = [&](Function function) {
        for (const auto& [word, meaning] : bench.a.controller.words) {
            if (meaning.function == function) {
                return word;
            }
        }
        qFatal("the control has no such word");
    };
    zero.apply(bench.read(word_of(Function::coordinate_shift) + " X5. Y-2."));
    QCOMPARE(zero.of(x), offset_x + 5);
    QCOMPARE(zero.shifted(), (1U << x) | (1U << y));
    zero.apply(bench.read(word_of(Function::coordinate_shift) + " X0. Y0."));
    QVERIFY(!zero.moved());
    // A quarter turn about (10, 0) brings (20, 0) to (10, 10).
    zero.apply(bench.read(word_of(Function::coordinate_rotation) + " X10. Y0. " + bench.a.controller.rotation + "90."));
    QVERIFY(zero.turned());
    Readings readings = bench.state.readings;
    readings[Eigen::Index(x)] = offset_x + 20;
    readings[Eigen::Index(y)] = offset_y;
    zero.turn(readings, 1);
    QVERIFY(std::abs(readings[Eigen::Index(x)] - (offset_x + 10)) < 1e-12);
    QVERIFY(std::abs(readings[Eigen::Index(y)] - (offset_y + 10)) < 1e-12);
    zero.turn(readings, -1);
    QVERIFY(std::abs(readings[Eigen::Index(x)] - (offset_x + 20)) < 1e-12);
    QVERIFY(!zero.leaves_cuts_plain());
    zero.apply(bench.read(word_of(Function::coordinate_rotation_off)));
    QVERIFY(zero.leaves_cuts_plain());
    QVERIFY2(!bench.findings.has_errors(), qPrintable(shown(bench.findings)));
}

void TestControlParts::a_brake_is_checked_before_a_motion()
{
    Bench bench("fork-arm");
    ControlBrakes& brakes = bench.parts.brakes;
    const std::size_t b = bench.joint("B");
    QVERIFY(brakes.any());
    Readings to = bench.state.readings;
    to[Eigen::Index(b)] += to_rad(10);
    brakes.apply(bench.read("M10"));
    brakes.check(to, false);
    QVERIFY(has_finding(bench.findings, "brake-locked", 1));
    brakes.apply(bench.read("M11"));
    QCOMPARE(brakes.take_waited(), bench.a.machine.joints[b].brake_lock + bench.a.machine.joints[b].brake_release);
    QCOMPARE(brakes.take_waited(), 0.0);
    brakes.check(to, false);
    QVERIFY(!has_finding(bench.findings, "brake-locked", 2));
    QCOMPARE(brakes.open(), 1U << b);
    brakes.forget();
    brakes.check(to, false);
    QVERIFY(has_finding(bench.findings, "relies-on-unknown", 2));
}

void TestControlParts::words_from_before_a_loop_are_not_known_in_it()
{
    Bench bench("mirror-cell");
    bench.put("G90 G21");
    QVERIFY(bench.parts.modal.reliable(Group::distance));
    bench.parts.log.begin_loop();
    bench.parts.modal.forget_for_loop();
    QVERIFY(!bench.parts.modal.reliable(Group::distance));
    QVERIFY(bench.parts.modal.reliable(Group::units)); // those that the program itself has stated stay
    (void)bench.parts.modal.use(Group::distance);
    QCOMPARE(bench.findings.list().size(), std::size_t(1));
    QCOMPARE(QString::fromStdString(bench.findings.list()[0].message),
             QString("the block relies on the distance that was in force before the loop"));
    QVERIFY(bench.findings.list()[0].severity == Severity::warning); // the first pass is as stated
    bench.parts.log.end_loop();
    QVERIFY(bench.parts.modal.reliable(Group::distance));
}

void TestControlParts::a_loop_that_has_not_begun_makes_nothing_known()
{
    const Assembly a = load_demo("mirror-cell-batch").value();
    std::string loop_end;
    for (const auto& [word, meaning] : a.controller.words) {
        loop_end = meaning.function == Function::loop_end ? word : loop_end;
    }
    QVERIFY(!loop_end.empty());
    Moves moves;
    FindingList findings;
    run_text(a.controller, a.machine, control_memory(a.machine, a.setup), {"t.nc", true}, "%\n" + loop_end + "\nG1 X1. F100.\nM30\n", moves,
             findings);
    QVERIFY(has_finding(findings, "code-error", 2));
    QVERIFY2(has_finding(findings, "relies-on-unknown", 3), qPrintable(shown(findings)));
}

/// What a later mode of a control may be: it acts on cuts, and neither the cuts nor the other parts know of it.
class Wobble final : public ControlPart {
public:
    using ControlPart::ControlPart;
    bool on = false;
    [[nodiscard]] bool leaves_cuts_plain() const override { return !on; }
};

void TestControlParts::a_part_that_nobody_has_thought_of_keeps_cuts_from_being_plain()
{
    Bench bench("mirror-cell");
    Motions motions(bench.parts);
    Wobble wobble(bench.parts.log);
    PlainCuts plain(bench.parts, motions);
    bench.put("G1 G90 G94 G21 G17 G40 F600.");
    bench.parts.frames.apply(bench.words);
    bench.parts.zero.take_register();
    for (const auto& [letter, joint] : bench.parts.axes.letters()) {
        bench.parts.axes.brought(joint);
    }
    const auto takes = [&](const std::string& text) {
        (void)bench.read(text);
        return plain.take(bench.block);
    };
    QVERIFY(!takes("X1.")); // nobody has looked
    plain.look();
    QVERIFY(takes("X1."));
    QVERIFY(!takes("X1. S100"));
    QVERIFY(!takes("G0 X2."));
    wobble.on = true;
    plain.look();
    QVERIFY(!takes("X2."));
    wobble.on = false;
    plain.look();
    QVERIFY(takes("X2."));
}

void TestControlParts::cuts_behind_every_word_are_those_one_by_one_data()
{
    QTest::addColumn<QString>("job");
    for (const char* job : {"mirror-cell", "focuser-hub", "fork-arm", "setting-circle", "mirror-back-face", "pier-cap"}) {
        QTest::newRow(job) << QString(job);
    }
}

/// Each word of a control by itself and with numbers that many of them take, put in force before cuts of every axis: what is done and
/// reported is the same whether cuts come many at once or one by one. Some words leave cuts plain, and some don't.
void TestControlParts::cuts_behind_every_word_are_those_one_by_one()
{
    QFETCH(QString, job);
    const Assembly a = load_demo(job.toStdString()).value();
    // Each axis about the middle of its travel; without a travel about its zero.
    const ControlMemory memory = control_memory(a.machine, a.setup);
    const auto zero = memory.offsets.find(a.controller.power_on_meaning(Group::offset)->work_register);
    const auto middle = [&](const std::string& id) {
        const auto joint = a.machine.find_joint(id)->value;
        const auto& travel = a.machine.joints[joint].travel;
        const double offset = zero != memory.offsets.end() && zero->second.contains(joint) ? zero->second.at(joint) : 0;
        const double at = (travel ? (travel->low + travel->high) / 2 : 0) - offset;
        return std::round(a.machine.joints[joint].kind == JointKind::rotary ? to_deg(at) : at);
    };
    std::string cuts;
    std::string places;
    for (const auto& [letter, id] : a.controller.axes) {
        places += fmt::format("G0 {}{:.0f}.\n", letter, middle(id));
    }
    for (int i = 1; i <= 3; ++i) {
        for (const auto& [letter, id] : a.controller.axes) {
            cuts += fmt::format("{}{:.0f}.\n", letter, middle(id) + i);
        }
        cuts += "F500.\n";
    }
    std::size_t plain = 0;
    std::size_t careful = 0;
    for (const auto& [word, meaning] : a.controller.words) {
        for (const char* numbers : {"", " X1. Y2. R3.", " F50. S100 H1", " P1 L2"}) {
            for (const bool from_unknown : {false, true}) {
                const std::string code = "%\nO1\nS500 M3\n" + places + "G1 F300. " + std::string(1, a.controller.axes.begin()->first) +
                                         "5.\n" + word + numbers + "\n" + cuts + word + "\n" + cuts + "M30\n";
                const auto told_by = [&](Cuts& sink, bool together) {
                    FindingList findings;
                    run_text(a.controller, a.machine, control_memory(a.machine, a.setup), {"t.nc", from_unknown, 1, together}, code, sink,
                             findings);
                    std::string out = sink.text;
                    for (const Finding& finding : findings.list()) {
                        out += fmt::format("{}:{} {} x{}\n", finding.kind, finding.code.line, finding.message, finding.count);
                    }
                    return out;
                };
                Cuts many;
                Cuts single;
                const std::string all = told_by(many, true);
                const std::string each = told_by(single, false);
                QVERIFY2(all == each, qPrintable(QString::fromStdString(code + "\n" + all + "\n" + each)));
                QCOMPARE(single.together, std::size_t(0));
                ++(many.together > 2 ? plain : careful);
            }
        }
    }
    // Joints whose coordinates add up are always read one by one.
    const bool fits = careful > 20 && (a.controller.aligned.empty() ? plain > 20 : plain == 0);
    QVERIFY2(fits, qPrintable(QString("%1 plain, %2 careful").arg(plain).arg(careful)));
}

WEXILUM_TEST(TestControlParts)

} // namespace test_control_parts
#include "test_control_parts.moc"
