// The parts that write motion, by themselves: feeds, places on a circle, coordinates. And when cuts are written many at once: where every
// part says that it leaves them plain, and no part that nobody has asked can be left out.
#include "core/base/units.hpp"
#include "core/run/post_run.hpp"
#include "core/write/motion_writer.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_write_parts {

namespace {

/// A demo job's writer of motion, with its text.
struct Desk {
    Assembly a;
    std::vector<std::string> names;
    CodeText code;
    WordEmitter emitter;
    FindingList findings;
    MotionWriter motion;
    explicit Desk(const std::string& job)
        : a(load_demo(job).value()), names(a.joint_names()), emitter(a.dialect, a.controller, names, code),
          motion(a, emitter, findings, a.toolpath.files)
    {
        motion.set_tool(a.setup.tools.front());
        motion.set_operation({nullptr, &a.links_of(1), nullptr});
        motion.frames().restate_base();
    }
    /// The lines so far that the last call has not given.
    QStringList lines()
    {
        emitter.finish();
        const auto all = lines_of(code.file.text);
        QStringList out;
        for (const std::string& line : all) {
            out.push_back(QString::fromStdString(line));
        }
        return out;
    }
    /// The rotary joints, of which there are none that move, stay.
    [[nodiscard]] SheetWay stays() const { return {0, motion.planned_now(), motion.planned_now()}; }
    /// Brings the tool over the work, upright, and cuts once: what follows is a cut that goes on.
    void begin(const Vec3& at)
    {
        motion.rapid({at, Vec3::UnitZ()}, motion.planned_now());
        motion.feed({{at, Vec3::UnitZ()}, {at + Vec3(5, 0, 0), Vec3::UnitZ()}, std::nullopt}, stays(), feed);
    }
    /// A place of the job's own path, in the work mount's frame.
    [[nodiscard]] Vec3 on_path() const
    {
        for (const Record& record : a.toolpath.records) {
            if (const auto* linear = std::get_if<record::Linear>(&record.data)) {
                return a.setup.part() * linear->to.tip;
            }
        }
        qFatal("the job has no cut");
    }
    FeedSpec feed{FeedMode::per_minute, 10, 3000}; // mm/s
};

/// What a later part may be: none of the others knows of it.
class Wobble final : public WritePart {
public:
    using WritePart::WritePart;
    bool on = false;
    [[nodiscard]] bool leaves_cuts_plain() const override { return !on; }
};

} // namespace

class TestWriteParts : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_part_that_nobody_has_thought_of_has_cuts_written_one_by_one();
    void cuts_at_once_are_the_lines_of_cuts_one_by_one();
    void a_feed_is_of_the_block_that_it_stands_in();
    void what_is_too_small_for_a_block_is_made_by_the_next_one();
    void places_are_known_until_they_are_forgotten();
};

void TestWriteParts::a_part_that_nobody_has_thought_of_has_cuts_written_one_by_one()
{
    Desk desk("mirror-cell");
    Wobble wobble(desk.motion.log());
    const Vec3 start = desk.on_path();
    LinearRun run;
    for (int i = 1; i <= 3; ++i) {
        run.add({start + Vec3(5 + i, 0, 0), Vec3::UnitZ()}, {0, LineNumber(std::uint32_t(i))});
    }
    const std::array<Column, 2> turns{};
    const CutsAlong cuts{&run, 1, 3, &turns, start + Vec3(5, 0, 0), {}};
    QVERIFY(!desk.motion.along().open(cuts, 0, desk.feed)); // no cut before it
    desk.begin(start);
    QVERIFY(desk.motion.along().open(cuts, 0, desk.feed));
    QVERIFY(desk.motion.along().is_plain(cuts, 2));
    wobble.on = true;
    QVERIFY(!desk.motion.along().open(cuts, 0, desk.feed));
    QCOMPARE(desk.motion.along().feed(cuts, 0, 3, desk.feed), std::size_t(0));
    wobble.on = false;
    QVERIFY(!desk.motion.along().open(cuts, 0, {})); // no feed stated
    QCOMPARE(desk.motion.along().feed(cuts, 0, 3, desk.feed), std::size_t(3));
}

void TestWriteParts::cuts_at_once_are_the_lines_of_cuts_one_by_one()
{
    QStringList text[2];
    for (const bool together : {false, true}) {
        Desk desk("mirror-cell");
        const Vec3 start = desk.on_path();
        desk.begin(start);
        Vec3 before = start + Vec3(5, 0, 0);
        LinearRun run;
        for (int i = 1; i <= 20; ++i) { // some of them too small for a word
            run.add({before + Vec3(i % 4 == 0 ? 1e-5 : 0.3 * i, i % 3, -0.01 * i), Vec3::UnitZ()}, {0, LineNumber(std::uint32_t(i))});
            before = run.pose(run.count - 1).tip;
        }
        const std::array<Column, 2> turns{};
        Pose from{start + Vec3(5, 0, 0), Vec3::UnitZ()};
        if (together) {
            QCOMPARE(desk.motion.along().feed({&run, 1, run.count, &turns, from.tip, {}}, 0, run.count, desk.feed), run.count);
        }
        for (std::size_t i = 0; i < run.count && !together; ++i) {
            desk.motion.feed({from, run.pose(i), std::nullopt}, desk.stays(), desk.feed);
            from = run.pose(i);
        }
        text[together] = desk.lines();
    }
    QVERIFY(text[0].size() > 18);
    QCOMPARE(text[1], text[0]);
}

void TestWriteParts::a_feed_is_of_the_block_that_it_stands_in()
{
    Desk desk("mirror-cell");
    desk.begin({10, 10, 5});
    desk.motion.feed({{{15, 10, 5}, Vec3::UnitZ()}, {{20, 10, 5}, Vec3::UnitZ()}, std::nullopt}, desk.stays(),
                     {FeedMode::per_minute, 2.5, 0});
    desk.motion.feed({{{20, 10, 5}, Vec3::UnitZ()}, {{20, 12, 5}, Vec3::UnitZ()}, std::nullopt}, desk.stays(),
                     {FeedMode::per_revolution, 0.1, 600});
    desk.motion.feed({{{20, 12, 5}, Vec3::UnitZ()}, {{20, 12, 4}, Vec3::UnitZ()}, std::nullopt}, desk.stays(), {});
    const QStringList lines = desk.lines();
    QVERIFY2(lines[lines.size() - 2].contains("F150"), qPrintable(lines.join('\n'))); // 2.5 mm/s are 150 mm/min
    QVERIFY2(lines.back().contains("G95") && lines.back().contains("F0.1"), qPrintable(lines.back()));
    QVERIFY(has_finding(desk.findings, "feed-missing"));
}

void TestWriteParts::what_is_too_small_for_a_block_is_made_by_the_next_one()
{
    Desk desk("mirror-cell");
    desk.begin({10, 10, 5});
    const MachinePosition before = desk.motion.place().position();
    desk.motion.feed({{{15, 10, 5}, Vec3::UnitZ()}, {{15.0001, 10, 5}, Vec3::UnitZ()}, std::nullopt}, desk.stays(), desk.feed);
    QVERIFY(desk.motion.place().position().counts == before.counts);
    desk.motion.feed({{{15.0001, 10, 5}, Vec3::UnitZ()}, {{15.0006, 10, 5}, Vec3::UnitZ()}, std::nullopt}, desk.stays(), desk.feed);
    QVERIFY(desk.motion.place().position().counts != before.counts);
}

void TestWriteParts::places_are_known_until_they_are_forgotten()
{
    Desk desk("mirror-cell");
    const std::size_t x = desk.a.machine.find_joint("X")->value;
    QVERIFY(!desk.motion.place().positioned && !desk.motion.place().stated[x]);
    desk.begin({10, 10, 5});
    QVERIFY(desk.motion.place().positioned && desk.motion.place().stated[x]);
    const double reading = desk.motion.place().now()[Eigen::Index(x)];
    desk.motion.moved_to(x, reading + 3);
    QCOMPARE(desk.motion.place().now()[Eigen::Index(x)], reading + 3);
    desk.motion.left_path();
    QVERIFY(!desk.motion.place().positioned && desk.motion.place().stated[x]);
    desk.motion.forget_places();
    QVERIFY(!desk.motion.place().stated[x]);
}

WEXILUM_TEST(TestWriteParts)

} // namespace test_write_parts
#include "test_write_parts.moc"
