// The parts of a comparison by themselves: the place on the path, what a joint was set by, and when cuts are compared many at once: where
// every check says that it has nothing to report, and no check can be forgotten.
#include "core/compare/compare.hpp"
#include "core/follow/code_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_compare_parts {

namespace {

/// What a later check may be: none of the others knows of it.
class Sceptic final : public PathCheck {
public:
    Sceptic(bool doubts, CompareLog& log) : PathCheck(log), doubts_(doubts) {}
    [[nodiscard]] bool leaves_cuts_plain(const ReplayMove& /*common*/, const Expected& /*state*/) const override { return !doubts_; }

private:
    bool doubts_;
};

/// Cuts and rapids of a job without holes, compared by parts that are put together here.
class Parts final : public MotionListener {
public:
    Parts(const Assembly& a, const Follower& follower, ExpectedPath& path, bool doubts)
        : log(a.machine, path, report, {}), budget(a), place(path), records(a, follower, budget, log),
          states(a, follower, budget, place, log), links(a, follower, budget, place, records, log),
          cuts(a, follower, budget, place, records, states, links, log), together(a, follower, budget, place, records, states, log),
          sceptic(doubts, log)
    {
        log.begin_file("t.nc");
    }
    void moved(const Followed& motion) override
    {
        place.pass();
        const SeenMotion seen = records.see(motion, budget);
        log.note_motion(motion.move);
        cuts.pass_tiny(&seen);
        if (motion.move.feed) {
            states.begin(seen, true);
            cuts.cut(seen);
        } else {
            links.rapid(seen);
        }
    }
    void cuts_moved(const FollowedCuts& run) override
    {
        together.take(run, [&](std::size_t at) {
            ++one_by_one;
            const ReplayMove move = run.run.move(at);
            moved(run.cut(move, at));
        });
        all += run.run.count;
    }
    void tool_change(BlockNumber /*block*/, std::uint32_t tool) override
    {
        while (place.current() != nullptr && place.current()->kind != Expected::Kind::tool_change) {
            place.skip();
        }
        QCOMPARE(place.current()->tool, tool);
        place.advance({});
        place.forget_link();
    }

    ReplayReport report;
    CompareLog log;
    BudgetRule budget;
    PathPlace place;
    RecordCheck records;
    StateCheck states;
    LinkCheck links;
    CutCheck cuts;
    CutsTogether together;
    Sceptic sceptic;
    std::size_t one_by_one = 0;
    std::size_t all = 0;
};

/// What a later edit may be: each cut of it is two.
class Doubler final : public RecordEdit {
public:
    [[nodiscard]] bool leaves_cuts() const override { return false; }
    void edit(Record record, std::deque<Record>& out) override
    {
        if (std::holds_alternative<record::Linear>(record.data)) {
            out.push_back(record);
        }
        out.push_back(std::move(record));
    }
};

/// Cuts of a source: those in runs, and those one by one.
std::pair<std::size_t, std::size_t> count_cuts(RecordSource& source)
{
    std::pair<std::size_t, std::size_t> out{0, 0};
    LinearRun run;
    Record record;
    for (;;) {
        if (source.next_run(run)) {
            out.first += run.count;
        } else if (source.next(record).value()) {
            out.second += std::holds_alternative<record::Linear>(record.data) ? 1 : 0;
        } else {
            return out;
        }
    }
}

Record linear(const Vec3& tip, const Vec3& axis) { return {record::Linear{{tip, axis}}, {}}; }

} // namespace

class TestCompareParts : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void the_front_is_the_furthest_along_one_direction();
    void progress_ends_with_its_item();
    void a_joint_is_set_by_the_block_that_moved_it_last();
    void a_check_that_nobody_has_thought_of_has_cuts_compared_one_by_one();
    void an_edit_that_nobody_has_thought_of_sees_each_cut();
};

void TestCompareParts::the_front_is_the_furthest_along_one_direction()
{
    const Assembly a = small_mill().value();
    MemoryRecords source(a.toolpath);
    const std::vector<Excursion> none;
    WithExcursions records(a, source, none);
    ExpectedPath path(a, records);
    PathPlace place(path);
    QVERIFY(!place.front());
    QCOMPARE(place.front_along(Vec3::UnitZ(), 7), 7.0);
    place.take_front({{1, 2, 3}, Vec3::UnitZ()});
    place.take_front({{1, 2, -5}, Vec3::UnitZ()});
    QCOMPARE(place.front_along(Vec3::UnitZ(), 7), 3.0); // out of the work at 3, however deep it has been
    QCOMPARE(place.front_along(Vec3::UnitX(), 7), 7.0);
    place.take_front({{1, 2, 3}, Vec3::UnitX()});
    QCOMPARE(*place.front(), 1.0); // it has turned: what was before does not count
    place.take_front({{1, 2, 3}, Vec3::UnitX()}, 4.5);
    QCOMPARE(*place.front(), 4.5);
    place.forget_link();
    QVERIFY(!place.front() && !place.link_from());
}

void TestCompareParts::progress_ends_with_its_item()
{
    Assembly a = small_mill().value();
    a.toolpath.records = {linear({0, 0, 0}, Vec3::UnitZ()), linear({10, 0, 0}, Vec3::UnitZ()), linear({10, 10, 0}, Vec3::UnitZ())};
    MemoryRecords source(a.toolpath);
    const std::vector<Excursion> none;
    WithExcursions records(a, source, none);
    ExpectedPath path(a, records);
    PathPlace place(path);
    place.progress.along = 0.5;
    place.progress.exact = false;
    place.nearest.any = true;
    place.hole = DrilledHole{};
    const Pose there{{0, 0, 0}, Vec3::UnitZ()};
    place.advance(there);
    QCOMPARE(place.next(), std::size_t(1));
    QCOMPARE(place.progress.along, 0.0);
    QVERIFY(place.progress.exact && !place.nearest.any && !place.hole);
    QVERIFY(place.link_from() && place.link_from()->tip == there.tip);
    place.progress.along = 0.5;
    place.skip(); // nothing has been reached: links still come from where the path was
    QCOMPARE(place.next(), std::size_t(2));
    QCOMPARE(place.progress.along, 0.0);
    QVERIFY(place.link_from()->tip == there.tip);
    QVERIFY(place.current() != nullptr);
    place.skip();
    QVERIFY(place.current() == nullptr);
}

void TestCompareParts::a_joint_is_set_by_the_block_that_moved_it_last()
{
    const Assembly a = small_mill().value();
    MemoryRecords source(a.toolpath);
    const std::vector<Excursion> none;
    WithExcursions records(a, source, none);
    ExpectedPath path(a, records);
    ReplayReport report;
    CompareLog log(a.machine, path, report, {});
    ReplayMove move;
    move.from = move.to = Readings::Zero(Eigen::Index(a.machine.joints.size()));
    move.to[1] = 5;
    move.block = BlockNumber(12);
    log.note_motion(move);
    QCOMPARE(log.set_by()[1].value, 12U);
    QCOMPARE(log.set_by()[0].value, 0U);
    CutRun run; // joint 0 moves in both cuts, joint 1 in the first alone
    run.count = 2;
    run.common.from = move.from;
    run.to.resize(a.machine.joints.size());
    run.block = {BlockNumber(20), BlockNumber(21)};
    run.to[0] = {1, 2};
    run.to[1] = {3, 3};
    log.note_cuts(run, 0, 2);
    QCOMPARE(log.set_by()[0].value, 21U);
    QCOMPARE(log.set_by()[1].value, 20U);
    log.begin_file("next.nc");
    QCOMPARE(log.set_by()[1].value, 0U);
}

void TestCompareParts::a_check_that_nobody_has_thought_of_has_cuts_compared_one_by_one()
{
    const Assembly a = load_demo("mirror-back-face").value();
    const std::string code = code_of(a);
    const std::vector<Excursion> none;
    std::size_t compared[2] = {};
    double worst[2] = {};
    for (const bool doubts : {false, true}) {
        MemoryRecords source(a.toolpath);
        AgreedRecords leant(a, source);
        WithExcursions records(a, leant, none);
        ExpectedPath path(a, records);
        Follower follower = Follower::make(a.machine, a.setup).value();
        Parts parts(a, follower, path, doubts);
        follower.add(parts);
        TextSource text(code);
        TextSource ahead(code);
        QVERIFY(run_code({a.controller, a.machine, &a.setup}, {"t.nc", &text, &ahead}, {}, follower, parts.report.findings).ok());
        QVERIFY2(!parts.report.findings.has_errors(), qPrintable(shown(parts.report.findings)));
        QVERIFY(parts.all > 1000);
        QVERIFY2(doubts ? parts.one_by_one == parts.all : parts.one_by_one < 2 * parts.all / 3,
                 qPrintable(QString("%1 of %2").arg(parts.one_by_one).arg(parts.all)));
        compared[doubts] = parts.report.compared;
        worst[doubts] = parts.report.worst_ratio;
    }
    QVERIFY(compared[0] > 1000);
    QCOMPARE(compared[1], compared[0]);
    QVERIFY(std::abs(worst[1] - worst[0]) < 1e-6);
}

void TestCompareParts::an_edit_that_nobody_has_thought_of_sees_each_cut()
{
    const Assembly a = load_demo("mirror-back-face").value();
    const auto cuts = std::size_t(std::count_if(a.toolpath.records.begin(), a.toolpath.records.end(),
                                                [](const Record& record) { return std::holds_alternative<record::Linear>(record.data); }));
    QVERIFY(cuts > 1000);
    MemoryRecords plain(a.toolpath);
    AgreedRecords agreed(a, plain);
    const auto [in_runs, alone] = count_cuts(agreed);
    QCOMPARE(in_runs + alone, cuts);
    QVERIFY(in_runs > cuts / 2);
    MemoryRecords source(a.toolpath);
    AgreedRecords doubled(a, source);
    Doubler doubler;
    doubled.add(doubler);
    const auto [runs, each] = count_cuts(doubled);
    QCOMPARE(runs, std::size_t(0));
    QCOMPARE(each, 2 * cuts);
}

WEXILUM_TEST(TestCompareParts)

} // namespace test_compare_parts
#include "test_compare_parts.moc"
