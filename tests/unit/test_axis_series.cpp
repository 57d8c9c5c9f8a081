// The axes' courses by hand, and thinning that keeps every peak.
#include "core/base/units.hpp"
#include "core/control/replay_move.hpp"
#include "core/follow/axis_series.hpp"
#include "core/project/job_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_axis_series {

namespace {

Machine two_axes()
{
    Machine machine;
    for (const char* id : {"X", "B"}) {
        Joint joint;
        joint.id = id;
        joint.kind = std::string(id) == "B" ? JointKind::rotary : JointKind::linear;
        joint.speed = joint.kind == JointKind::rotary ? to_rad(90) : 100;
        joint.acceleration = joint.kind == JointKind::rotary ? 0 : 1000;
        machine.joints.push_back(joint);
    }
    machine.mounts.resize(2);
    machine.mounts[0].kind = MountKind::tool;
    machine.mounts[0].parent = 0;
    machine.mounts[1].kind = MountKind::work;
    return machine;
}

/// A track made of feeds to x and b (deg), each taking so long; the tip goes along X.
struct Made {
    Machine machine = two_axes();
    ReplayTrack track{machine};
    Follower follower = Follower::make(machine, Frame::Identity()).value();
    Readings now = Readings::Zero(2);
    Made() { follower.add(track); }
    void feed(double x, double b, double seconds)
    {
        ReplayMove move;
        move.block = BlockNumber(std::uint32_t(track.motions().size() + 1));
        move.feed = true;
        move.from = now;
        now[0] = x;
        now[1] = to_rad(b);
        move.to = now;
        move.seconds = seconds;
        Happening happening;
        happening.kind = Happening::Kind::motion;
        happening.move = &move;
        follower.take(happening);
    }
};

} // namespace

class TestAxisSeries : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void courses_by_hand()
    {
        Made made;
        made.feed(10, 0, 0.5);  // 20 mm/s
        made.feed(40, 45, 1);   // 30 mm/s, 45 deg/s
        made.feed(40, 0, 0.25); // 0 mm/s, -180 deg/s
        const AxisSeries series(made.track, made.machine);
        QCOMPARE(series.motions(), std::size_t(3));
        QCOMPARE(series.whole(CourseOver::time), 1.75);
        QVERIFY(std::abs(series.whole(CourseOver::way) - 40) < 1e-4); // points are kept in single precision
        QCOMPARE(series.value(AxisCourse::position, 0, 1), 40.0);
        QCOMPARE(series.value(AxisCourse::speed, 0, 0), 20.0);
        QCOMPARE(series.value(AxisCourse::speed, 0, 1), 30.0);
        QVERIFY(std::abs(series.value(AxisCourse::speed, 1, 2) - to_rad(-180)) < 1e-9);
        // From 20 to 30 mm/s between the middles of 0.5 s and of 1 s; from rest at the beginning.
        QVERIFY(std::abs(series.value(AxisCourse::acceleration, 0, 1) - 10 / 0.75) < 1e-6);
        QVERIFY(std::abs(series.value(AxisCourse::acceleration, 0, 0) - 20 / 0.25) < 1e-6);
        QCOMPARE(*series.limit(AxisCourse::speed, 0), 100.0);
        QVERIFY(!series.limit(AxisCourse::acceleration, 1));
        QCOMPARE(*series.motion_at(CourseOver::time, 0.4), std::size_t(0));
        QCOMPARE(*series.motion_at(CourseOver::time, 1.2), std::size_t(1));
        QCOMPARE(*series.motion_at(CourseOver::time, 99), std::size_t(2));
        const auto peaks = series.peaks(AxisCourse::speed, 1, 2);
        QCOMPARE(peaks.at(0).motion, std::size_t(2));
        QVERIFY(std::abs(peaks[0].share - 2) < 1e-9);
        QCOMPARE(peaks.at(1).motion, std::size_t(1));
    }

    void no_peak_is_lost_data()
    {
        QTest::addColumn<int>("count");
        QTest::newRow("few") << 7;
        QTest::newRow("a block") << 256;
        QTest::newRow("many") << 5000;
    }
    void no_peak_is_lost()
    {
        QFETCH(int, count);
        const unsigned seed = 4000U + unsigned(count);
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        Made made;
        double x = 0;
        for (int i = 0; i < count; ++i) {
            x += std::uniform_real_distribution(-3.0, 3.0)(random);
            made.feed(x, x * 2, std::uniform_real_distribution(0.01, 0.3)(random));
        }
        const AxisSeries series(made.track, made.machine);
        for (const AxisCourse course : {AxisCourse::position, AxisCourse::speed, AxisCourse::acceleration}) {
            for (const CourseOver over : {CourseOver::time, CourseOver::way}) {
                for (int round = 0; round < 5; ++round) {
                    double from = std::uniform_real_distribution(0.0, series.whole(over))(random);
                    double to = std::uniform_real_distribution(0.0, series.whole(over))(random);
                    from = round == 0 ? 0 : from;
                    to = round == 0 ? series.whole(over) : to;
                    if (to < from) {
                        std::swap(from, to);
                    }
                    double low = 1e300;
                    double high = -1e300;
                    for (std::size_t m = 0; m < series.motions(); ++m) { // the same without blocks or columns
                        if (series.end(over, m) >= from && series.end(over, m) <= to) {
                            low = std::min(low, series.value(course, 0, m));
                            high = std::max(high, series.value(course, 0, m));
                        }
                    }
                    double got_low = 1e300;
                    double got_high = -1e300;
                    for (const auto& column : series.columns(course, 0, over, from, to, 37)) {
                        QCOMPARE(column.low, series.value(course, 0, column.low_motion));
                        QVERIFY(column.low <= column.high && column.from <= series.end(over, column.high_motion) + 1e-9);
                        got_low = std::min(got_low, column.low);
                        got_high = std::max(got_high, column.high);
                    }
                    QCOMPARE(got_low, low);
                    QCOMPARE(got_high, high);
                }
            }
        }
    }

    void nothing_has_no_course()
    {
        Made made;
        const AxisSeries series(made.track, made.machine);
        QCOMPARE(series.whole(CourseOver::time), 0.0);
        QVERIFY(!series.motion_at(CourseOver::time, 1));
        QVERIFY(series.columns(AxisCourse::speed, 0, CourseOver::time, 0, 1, 10).empty());
        QVERIFY(series.peaks(AxisCourse::speed, 0, 3).empty());
    }
};

WEXILUM_TEST(TestAxisSeries)

} // namespace test_axis_series
#include "test_axis_series.moc"
