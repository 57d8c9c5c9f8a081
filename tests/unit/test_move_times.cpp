// How long motion takes: ramps, corners and rows of short blocks by hand, a plain integration in small steps, and that no limit is broken.
#include "core/base/units.hpp"
#include "core/controller/controller.hpp"
#include "core/follow/code_run.hpp"
#include "core/follow/move_times.hpp"
#include "core/io/real_files.hpp"
#include "core/motion/way_timer.hpp"
#include "core/project/code_parts.hpp"
#include "core/project/job_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/plain_timer.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_move_times {

namespace {

const std::string mill_timing =
    R"({"ramps": "jerk", "corners": {"by": "jump", "linear": 300, "rotary": 300}, "look_ahead": 40, "block_time": 0.002,
             "tool_change": 6, "spindle_ramp": 4000})";

/// X, Y and A with round figures: 1000 mm/s2, 500 mm/s2 and 1000 deg/s2.
WayRules rules(double jump = 0, double smoothing = 0, std::size_t look_ahead = 1000)
{
    WayRules out;
    out.speed = {200, 200, to_rad(360)};
    out.acceleration = {1000, 500, to_rad(1000)};
    out.jerk = {0, 0, 0};
    out.jump = {jump, jump, to_rad(jump)};
    out.smoothing = smoothing;
    out.look_ahead = look_ahead;
    return out;
}

std::vector<PieceTime> times_of(const WayRules& rules, const std::vector<PlainPiece>& pieces) { return timed(rules, pieces).pieces; }

double sum(const std::vector<PieceTime>& times)
{
    double out = 0;
    for (const PieceTime& time : times) {
        out += time.seconds;
    }
    return out;
}

bool near(double a, double b, double share = 1e-9) { return std::abs(a - b) <= share * std::max(std::abs(a), std::abs(b)); }

/// A program on the demo's small mill: X and Y go 300 mm/s with 3500 mm/s2, Z 250 mm/s with 3000 mm/s2, all with 40000 mm/s3.
ProgramTime time_of(const Assembly& mill, const std::string& code, const std::vector<std::uint32_t>& operations = {})
{
    auto follower = Follower::make(mill.machine, Frame::Identity()).value();
    MoveTimes times(mill.machine, mill.controller);
    times.begin_file("by-hand.nc");
    times.set_operations(operations, std::vector<std::string>(operations.size(), "10 slot"));
    follower.add(times);
    TextSource text(code);
    FindingList findings;
    const auto lines = run_code({mill.controller, mill.machine, nullptr}, {"by-hand.nc", &text, nullptr}, {}, follower, findings);
    if (!lines || findings.has_errors()) {
        qWarning("%s", qPrintable(shown(findings)));
    }
    return times.take();
}

Assembly mill_with(const std::string& timing)
{
    return load_demo("mirror-cell", {{"controllers/morrow-m.json", mill_timing, timing}}).value();
}

/// Cuts as a control makes them, cut into pieces here.
class PlainCuts final : public MotionListener {
public:
    explicit PlainCuts(const WayRules& rules) : rules_(rules) {}
    void moved(const Followed& motion) override
    {
        const ReplayMove& move = motion.move;
        const double speed = move.spindle == record::SpindleState::off ? 0 : move.spindle_rpm * (int(move.spindle) % 2 == 1 ? 1 : -1);
        if (!move.feed || move.waited > 0 || speed != speed_) {
            end();
        }
        speed_ = speed;
        if (!move.feed) {
            return;
        }
        const bool tip = move.tip_solver != nullptr && motion.turn > 1e-9;
        const double bent = std::max(move.arc ? to_deg(move.arc->sweep) / 3 : 0, tip ? to_deg(motion.turn) / 2 : 0);
        const int parts = std::clamp(int(std::ceil(bent)), 1, 256);
        Readings before = move.from;
        for (int i = 1; i <= parts; ++i) {
            const Readings at = parts == 1 ? move.to : move.at(double(i) / parts);
            PlainPiece piece;
            for (Eigen::Index j = 0; j < at.size(); ++j) {
                piece.way.push_back(at[j] - before[j]);
            }
            piece.asked = move.asked / parts;
            piece.smooth = i > 1;
            piece.block = i == 1;
            if (parts > 1 && i == 1) {
                piece.into = between(move, 0, 1e-4);
            }
            if (parts > 1 && i == parts) {
                piece.out_of = between(move, 1 - 1e-4, 1);
            }
            const bool moves = std::any_of(piece.way.begin(), piece.way.end(), [](double d) { return d != 0; });
            if (moves) {
                path_.push_back(piece);
            }
            before = at;
        }
    }
    void tool_change(BlockNumber, std::uint32_t) override
    {
        end();
        speed_ = 0;
    }
    void dwell(BlockNumber, double) override { end(); }
    void stop(BlockNumber, bool) override { end(); }
    void loop(BlockNumber, double count) override
    {
        end();
        times_ = count;
    }
    void loop_end(BlockNumber) override
    {
        end();
        times_ = 1;
    }
    void end()
    {
        if (!path_.empty()) {
            seconds += times_ * plain_seconds(rules_, path_, 8000);
            ++ways;
            path_.clear();
        }
    }
    double seconds = 0;
    int ways = 0;

private:
    static std::vector<double> between(const ReplayMove& move, double from, double to)
    {
        const Readings way = move.at(to) - move.at(from);
        return {way.data(), way.data() + way.size()};
    }
    WayRules rules_;
    double speed_ = 0;
    double times_ = 1;
    std::vector<PlainPiece> path_;
};

} // namespace

class TestMoveTimes : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void between_two_stops_by_hand()
    {
        // 100 mm at 50 mm/s with 500 mm/s2: 0.1 s up, 0.1 s down, 95 mm between.
        QVERIFY(near(between_stops(100, 50, 500, 0).seconds, 0.1 + 0.1 + 95.0 / 50));
        // 4 mm: up to sqrt(500 * 4) = 44.72 mm/s and down.
        QVERIFY(near(between_stops(4, 50, 500, 0).seconds, 2 * std::sqrt(4.0 / 500)));
        // With 5000 mm/s3 the acceleration takes 0.1 s: 50 mm/s are there after 0.2 s, 5 mm on.
        QVERIFY(near(between_stops(100, 50, 500, 5000).seconds, 0.2 + 0.2 + 90.0 / 50));
        QVERIFY(near(between_stops(100, 50, 500, 5000).top, 50));
        // 10 mm are just enough for that; half of it is not, and the largest acceleration is not reached: 4 cbrt(5 / (2 * 5000)).
        QVERIFY(near(between_stops(10, 50, 500, 5000).seconds, 0.4));
        QVERIFY(near(between_stops(5, 50, 500, 5000).seconds, 4 * std::cbrt(5.0 / 10000)));
        // 20 mm without a limit of speed: v (v / 500 + 0.1) = 20, v = 78.078 mm/s.
        const double top = 250 * (std::sqrt(0.01 + 80.0 / 500) - 0.1);
        QVERIFY(near(between_stops(20, 1000, 500, 5000).top, top));
        QVERIFY(near(between_stops(20, 1000, 500, 5000).seconds, 2 * (top / 500 + 0.1)));
    }

    void a_ramp_by_hand()
    {
        // X goes 100 mm at 50 mm/s: 0.05 s up, 0.05 s down, 1.25 mm each.
        QVERIFY(near(sum(times_of(rules(), {{{100, 0, 0}, 2}})), 0.1 + 97.5 / 50));
        // Cut into four blocks it takes as long: they go straight on.
        const std::vector<PlainPiece> four(4, {{25, 0, 0}, 0.5});
        const auto times = times_of(rules(), four);
        QVERIFY(near(sum(times), 0.1 + 97.5 / 50));
        QVERIFY(near(times[1].seconds, 0.5));
        QVERIFY(near(times[0].seconds, 0.05 + 23.75 / 50));
        QVERIFY(times[0].rises && !times[0].falls && !times[1].rises && times[3].falls);
        // Both joints of a slanting way: Y says how fast it gets.
        QVERIFY(near(sum(times_of(rules(), {{{100, 100, 0}, 4}})), 2 * 25.0 / 500 + (100 - 1.25) / 25));
        // A joint that can go no faster: A takes 0.5 s for 180 deg and 0.36 s to get as fast.
        const auto slow = times_of(rules(), {{{1, 0, to_rad(180)}, 0.1}});
        QVERIFY(near(sum(slow), 0.36 + 0.5));
        QVERIFY(slow[0].bound == Bound::joint_speed && slow[0].joint.value == 2);
        QVERIFY(near(slow[0].top, 0.2));
        // Nothing that is asked for is nothing.
        QCOMPARE(sum(times_of(rules(), {{{0, 0, 0}, 0}})), 0.0);
    }

    void an_acceleration_that_builds_up_by_hand()
    {
        // In 0.05 s, to 50 mm/s: up 0.1 s with 2.5 mm, as between two stops with a jerk of 1000 / 0.05.
        const double whole = between_stops(100, 50, 1000, 20000).seconds;
        QVERIFY(near(sum(times_of(rules(0, 0.05), {{{100, 0, 0}, 2}})), whole));
        QVERIFY(near(sum(times_of(rules(0, 0.05), std::vector<PlainPiece>(50, {{2, 0, 0}, 0.04}))), whole, 1e-7));
        // Too short for the acceleration, too slow for it, too short for the speed.
        for (const double way : {0.4, 2.0, 6.0}) {
            QVERIFY(near(sum(times_of(rules(0, 0.05), {{{way, 0, 0}, way / 150}})), between_stops(way, 150, 1000, 20000).seconds));
            QVERIFY(near(sum(times_of(rules(0, 0.05), {{{way, 0, 0}, way / 10}})), between_stops(way, 10, 1000, 20000).seconds));
        }
    }

    void a_corner_by_hand()
    {
        // 50 mm/s along X, then along Y. At a jump of 10 mm/s each joint changes by what the corner is taken with.
        const std::vector<PlainPiece> corner{{{100, 0, 0}, 2}, {{0, 100, 0}, 2}};
        // At that speed a curve between them would need a part of X's acceleration: 0.5 (0.01 s)2 / (0.5 (0.1 s2 + 0.2 s2) / 2).
        const double left = 1 - 0.5 * 0.0001 / 0.075;
        const double x = (0.05 + 0.04) / left + (100 - (1.25 + (2500.0 - 100) / 2000) / left) / 50;
        // Along Y speeds are counted by 500 mm/s2: what was 10 mm/s of X's 1000 is 5 mm/s there.
        const double y = ((50.0 - 5) / 500 + 0.1) / left + (100 - ((2500.0 - 25) / 1000 + 2.5) / left) / 50;
        const auto times = times_of(rules(10), corner);
        QVERIFY2(near(times[0].seconds, x), qPrintable(QString::number(times[0].seconds)));
        QVERIFY2(near(times[1].seconds, y), qPrintable(QString::number(times[1].seconds)));
        // None is allowed: it stops.
        QVERIFY(near(sum(times_of(rules(0), corner)), 0.1 + 97.5 / 50 + 0.2 + 95.0 / 50));
        // A corner that may be missed by 0.02 mm: sqrt(8 * 1000 * 0.02) = 12.649 mm/s.
        Machine machine;
        machine.joints.resize(1);
        machine.joints[0].speed = 200;
        machine.joints[0].acceleration = 1000;
        Timing timing;
        timing.ramps = Timing::Ramps::acceleration;
        timing.corners = Timing::Corners::tolerance;
        timing.corner_linear = 0.02;
        QVERIFY(near(way_rules(machine, timing).jump[0], std::sqrt(160.0)));
    }

    void a_row_of_short_blocks_by_hand()
    {
        // 1000 blocks of 0.1 mm straight on at 100 mm/s: the ways up and down go over 50 of them each.
        const std::vector<PlainPiece> row(1000, {{0.1, 0, 0}, 0.001});
        QVERIFY(near(sum(times_of(rules(), row)), 0.2 + 90.0 / 100));
        // Ten blocks ahead: it has to be able to stop within 1 mm, so sqrt(2 * 1000 * 1) mm/s at most at a block's end.
        const double ahead = std::sqrt(2000.0);
        const auto seen = times_of(rules(0, 0, 10), row);
        const double between = std::sqrt(2000.0 + 100); // in the middle of a block: 0.05 mm more
        QVERIFY2(near(seen[500].seconds, 2 * (between - ahead) / 1000), qPrintable(QString::number(seen[500].seconds)));
        QVERIFY(seen[500].bound == Bound::look_ahead);
        // It sees none: each block ends at standstill.
        QVERIFY(near(sum(times_of(rules(0, 0, 0), row)), 1000 * 2 * std::sqrt(0.1 / 1000)));
        // 4 ms a block: a quarter of the feed.
        WayRules slow = rules();
        slow.block_time = 0.004;
        const auto late = times_of(slow, row);
        QVERIFY(near(late[500].seconds, 0.004));
        QVERIFY(late[500].bound == Bound::block_time && near(late[500].top, 0.25));
        // A zigzag, 0.1 mm in Y at each end of 0.1 mm in X: the speed of Y may be turned round by 2 mm/s.
        std::vector<PlainPiece> zigzag;
        for (int i = 0; i < 400; ++i) {
            zigzag.push_back({{0.1, i % 2 == 0 ? 0.05 : -0.05, 0}, 0.001});
        }
        // The corners are taken with a way speed of 0.002 s. A curve of such chords could be with 0.005 s, so 0.5 (2 / 5)2 = 0.08 of Y's
        // acceleration are needed for it, and the others bring each block up to sqrt(0.0022 + 0.92 * 0.0001) in its middle.
        const auto turned = times_of(rules(2), zigzag);
        QVERIFY(turned[200].bound == Bound::corner && turned[200].joint.value == 1);
        QVERIFY2(near(turned[200].seconds, 2 * (std::sqrt(0.000004 + 0.000092) - 0.002) / 0.92),
                 qPrintable(QString::number(turned[200].seconds)));
    }

    void a_circle_by_hand()
    {
        // Chords of 3 deg of a circle of 20 mm: half of 500 mm/s2 for Y's direction is v2 / 20, so 70.7 mm/s, up to what chords differ.
        std::vector<PlainPiece> circle;
        for (int i = 0; i < 1200; ++i) {
            const double a = to_rad(3.0 * i);
            const double b = to_rad(3.0 * (i + 1));
            circle.push_back({{20 * (std::cos(b) - std::cos(a)), 20 * (std::sin(b) - std::sin(a)), 0}, 0.001, i > 0});
        }
        const auto times = times_of(rules(0), circle);
        double round = 0;
        for (std::size_t i = 600; i < 720; ++i) {
            round += times[i].seconds;
            QVERIFY(times[i].seconds >= 20 * to_rad(3) / std::sqrt(1000 / 2 * 20) * 0.99);
        }
        QVERIFY2(round > 40 * pi / 100 && round < 40 * pi / 69, qPrintable(QString::number(round)));
        QVERIFY(times[600].bound == Bound::curve || times[600].bound == Bound::ramp);
    }

    void as_small_steps_have_it_data()
    {
        QTest::addColumn<double>("smoothing");
        QTest::addColumn<int>("look_ahead");
        for (const double smoothing : {0.0, 0.01, 0.06}) {
            for (const int look_ahead : {3, 40, 4000}) {
                QTest::addRow("%g s, %d blocks", smoothing, look_ahead) << smoothing << look_ahead;
            }
        }
    }
    /// 1,000 paths and more: the whole time within 1 % of a plain integration, and no limit broken on the way there.
    void as_small_steps_have_it()
    {
        QFETCH(double, smoothing);
        QFETCH(int, look_ahead);
        const unsigned seed = 91000U + unsigned(look_ahead) + unsigned(smoothing * 1000);
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        double worst = 0;
        for (int round = 0; round < 120; round += WEXILUM_EVERY) {
            WayRules given = rules(std::uniform_real_distribution(0.5, 20.0)(random), smoothing, std::size_t(look_ahead));
            given.block_time = round % 4 == 0 ? 0.002 : 0;
            const std::vector<PlainPiece> path = random_path(random, given);
            const double plain = plain_seconds(given, path);
            const Timed times = timed(given, path);
            const double ours = times.seconds();
            worst = std::max(worst, std::abs(ours / plain - 1));
            QVERIFY2(std::abs(ours / plain - 1) < 0.01,
                     qPrintable(QString("path %1: %2 s, in small steps %3 s").arg(round).arg(ours).arg(plain)));
            const std::string broken = broken_limit(given, path, times, 1e-5);
            QVERIFY2(broken.empty(), qPrintable(QString("path %1: %2").arg(round).arg(QString::fromStdString(broken))));
        }
        qInfo("at worst %.3f %%", worst * 100);
    }

    // --- programs

    void a_program_by_cause_operation_and_tool()
    {
        const Assembly mill = mill_with(mill_timing);
        const ProgramTime time =
            time_of(mill,
                    "G53 G0 Z0.\nT1 M6\nG90 G54 G0 X100.\nM3 S4000\nG94 G1 Y60. F1200.\nX160.\nG4 P1500\nG0 X200.\nM5\n"
                    "G53 G0 Z0.\nT2 M6\nM4 S8000\nG0 X100.\nG1 X40. F6000.\nM30\n",
                    {1, 10});
        QVERIFY(time.ramps);
        QCOMPARE(time.all[TimeCause::tool_change], 12.0);
        QCOMPARE(time.all[TimeCause::spindle], 1.0 + 1.0 + 2.0);
        QCOMPARE(time.all[TimeCause::dwell], 1.5);
        QCOMPARE(time.all[TimeCause::brakes], 0.0);
        const auto rapid = [](double way) { return between_stops(way, 300, 3500, 40000).seconds; };
        QVERIFY(near(time.all[TimeCause::rapid], rapid(100) + rapid(40) + rapid(100)));
        QVERIFY(near(time.all[TimeCause::feed], 60 / 20.0 + 60 / 20.0 + 60 / 100.0));
        // 20 mm/s are reached in 2 sqrt(20 / 40000) s, half of which is lost, at both ends; at the corner X and Y jump by 5 mm/s.
        const double ramps = time.all[TimeCause::ramps];
        QVERIFY2(ramps > 4 * std::sqrt(20.0 / 40000) && ramps < 0.5, qPrintable(QString::number(ramps)));
        QVERIFY(near(time.all.seconds(), time.operations[0].seconds() + time.operations[1].seconds()));
        QCOMPARE(time.tools.size(), std::size_t(3)); // before the first change there is a move of no length
        QCOMPARE(time.tools[0].time.seconds(), 0.0);
        QVERIFY(near(time.all.seconds(), time.tools[1].time.seconds() + time.tools[2].time.seconds()));
        QCOMPARE(time.tools[2].tool, 2U);
        QCOMPARE(time.tools[2].first_block.value, 11U);
        QVERIFY(near(time.operations[1][TimeCause::rapid], rapid(100)));
        QVERIFY(near(time.operations[1].seconds(), 1 + time.tools[2].time.seconds())); // it waits for the spindle to stand
        QVERIFY2(time.findings.list().empty(), qPrintable(shown(time.findings)));
        // A loop's body counts as often as it is done.
        const Assembly looped = load_demo("mirror-back-face").value();
        const ProgramTime once = time_of(looped, "M92 L1\nG90 G54 G94 G0 X100.\nX0.\nM93\nM30\n");
        const ProgramTime often = time_of(looped, "M92 L5\nG90 G54 G94 G0 X100.\nX0.\nM93\nM30\n");
        QVERIFY(near(often.all[TimeCause::rapid], 5 * once.all[TimeCause::rapid]));
    }

    /// A dwell before the first tool is time of none, and shifts nothing.
    void cutting_is_that_of_its_tool()
    {
        const RealFileSystem files;
        const auto parts =
            open_code_parts(files, {demo_folder() + "/machines/tarn-3.json", demo_folder() + "/controllers/morrow-m.json", ""});
        QVERIFY(parts);
        TextSource text("G4 P500\nT1 M6\nG90 G54 G94 G1 X60. F1200.\nT2 M6\nG1 X0. F600.\nM30\n");
        const auto reading = read_code(*parts, {{"by-hand.nc", &text, nullptr}}, {});
        QVERIFY(reading);
        QCOMPARE(reading->tools.size(), std::size_t(2));
        QCOMPARE(reading->time.tools.size(), std::size_t(3));
        QVERIFY(reading->tools[0].cutting > 3 && reading->tools[0].cutting < 3.1);
        QVERIFY(reading->tools[1].cutting > 6 && reading->tools[1].cutting < 6.1);
    }

    void what_joints_and_control_can_not_do()
    {
        const std::string row = [] {
            std::string out = "G90 G54 G94 G1 X0. F6000.\n";
            for (int i = 1; i <= 60; ++i) {
                out += "X" + std::to_string(i / 10) + "." + std::to_string(i % 10) + "\n"; // 1 ms at 100 mm/s
            }
            return out + "M30\n";
        }();
        const auto only = [](const ProgramTime& time) { return time.findings.list().empty() ? Finding() : time.findings.list().front(); };
        const Finding rate = only(time_of(mill_with(mill_timing), row));
        QCOMPARE(QString::fromStdString(rate.kind), QString("block-rate"));
        QCOMPARE(QString::fromStdString(rate.message),
                 QString("the block is to be done in 1.00 ms, the control needs 2.00 ms for one: 50 % of the feed is left"));
        QCOMPARE(rate.code.line, 2U);
        QCOMPARE(rate.last_code_line, 61U);
        QCOMPARE(rate.count, std::size_t(60));
        QVERIFY(rate.severity == Severity::warning);

        const ProgramTime ahead =
            time_of(mill_with(R"({"ramps": "acceleration", "corners": {"by": "jump", "linear": 300}, "look_ahead": 2})"), row);
        QVERIFY(has_finding(ahead.findings, "feed-not-reached"));
        // It can stop within 0.2 mm from sqrt(2 * 3500 * 0.2) = 37.4 mm/s, and 0.05 mm on it goes 41.8 mm/s of 100.
        QCOMPARE(QString::fromStdString(only(ahead).message),
                 QString("with tool 0 no cut reaches its feed, 42 % of it at most: the control looks 2 blocks ahead, too few to be "
                         "able to stop"));
        QVERIFY(has_finding(ahead.findings, "joint-jerk", 2));
        QVERIFY(ahead.all[TimeCause::look_ahead] > 0.5 * ahead.all[TimeCause::feed]);

        const ProgramTime none = time_of(mill_with(R"({"ramps": "none"})"), "G90 G54 G94 G1 X10. F6000.\nX20.\nY10.\nX0. Y20.\nM30\n");
        QVERIFY2(none.findings.list().empty(), qPrintable(shown(none.findings)));
        // 100 mm/s of X to none, over 0.1 s: it could by 3500 mm/s2 and has to by 1000. Nothing is wrong; shorter, it is:
        const ProgramTime sharp = time_of(mill_with(R"({"ramps": "none"})"), "G90 G54 G94 G1 X1. F6000.\nX2.\nY1.\nM30\n");
        QCOMPARE(QString::fromStdString(only(sharp).message),
                 QString("Y would have to be accelerated by 10000 mm/s2, it can by 3500 mm/s2"));
        QCOMPARE(only(sharp).code.line, 3U);
        QVERIFY(near(sharp.all.seconds(), 0.03));
    }

    void what_a_controller_may_not_say_data()
    {
        QTest::addColumn<QString>("timing");
        QTest::addColumn<QString>("message");
        QTest::newRow("no corners") << R"({"ramps": "jerk", "look_ahead": 5})"
                                    << "the timing lacks \"corners\"";
        QTest::newRow("no look-ahead") << R"({"ramps": "acceleration", "corners": {"by": "jump", "linear": 5}})"
                                       << "the timing lacks \"look_ahead\"";
        QTest::newRow("corners of none") << R"({"ramps": "none", "corners": {"by": "jump", "linear": 5}})"
                                         << "a control without ramps keeps its feed round corners";
        QTest::newRow("another rule") << R"({"ramps": "jerk", "corners": {"by": "angle", "linear": 5}, "look_ahead": 1})"
                                      << "\"by\" of the corners can't be \"angle\"";
        QTest::newRow("a negative time") << R"({"ramps": "none", "tool_change": -1})"
                                         << "tool_change";
    }
    void what_a_controller_may_not_say()
    {
        QFETCH(QString, timing);
        QFETCH(QString, message);
        const auto refused = load_demo("mirror-cell", {{"controllers/morrow-m.json", mill_timing, timing.toStdString()}});
        QVERIFY(!refused);
        QVERIFY2(QString::fromStdString(refused.error().message).contains(message), refused.error().message.c_str());
        QVERIFY(refused.error().place.line > 0 && !refused.error().cure.empty());
    }

    void demo_jobs_as_small_steps_have_them_data()
    {
        QTest::addColumn<QString>("job");
        for (const char* job : {"mirror-cell", "mirror-cell-by-calls", "mirror-back-face", "mirror-back-batch", "focuser-hub", "fork-arm",
                                "setting-circle", "setting-numerals", "pier-cap"}) {
            QTest::newRow(job) << job;
        }
    }
    void demo_jobs_as_small_steps_have_them()
    {
        QFETCH(QString, job);
        const Assembly a = load_demo(job.toStdString()).value();
        const std::string code = code_of(a);
        auto follower = Follower::make(a.machine, a.setup).value();
        MoveTimes times(a.machine, a.controller);
        PlainCuts plain(way_rules(a.machine, a.controller.timing));
        follower.add(times);
        follower.add(plain);
        TextSource text(code);
        TextSource ahead(code);
        FindingList findings;
        QVERIFY(run_code({a.controller, a.machine, &a.setup}, {"job.nc", &text, &ahead}, {}, follower, findings));
        plain.end();
        const ProgramTime time = times.take();
        const double ours = time.all.cutting();
        qInfo("%d ways, %.3f s, in small steps %.3f s, %.3f s of ramps", plain.ways, ours, plain.seconds, time.all[TimeCause::ramps]);
        QVERIFY2(std::abs(ours / plain.seconds - 1) < 0.01, qPrintable(QString("%1 s, in small steps %2 s").arg(ours).arg(plain.seconds)));
    }
};

WEXILUM_TEST(TestMoveTimes)

} // namespace test_move_times
#include "test_move_times.moc"
