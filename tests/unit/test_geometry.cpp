// Arcs, great circles and projections against closed forms.
#include "core/base/units.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/geometry/sine_cosine.hpp"

#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;

namespace test_geometry {

class TestGeometry : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void small_and_straight_angles_are_exact()
    {
        QVERIFY(std::abs(angle_between(Vec3(1, 0, 0), Vec3(1, 1e-9, 0)) - 1e-9) < 1e-18);
        QVERIFY(std::abs(angle_between(Vec3(1, 0, 0), Vec3(-1, 1e-9, 0)) - (pi - 1e-9)) < 1e-15);
    }

    void angles_of_unit_vectors_from_tiny_to_straight()
    {
        for (double angle = 1e-9; angle < pi; angle *= 1.37) {
            const Vec3 a(0, 0.6, 0.8);
            const Vec3 b = Eigen::AngleAxisd(angle, Vec3::UnitX()) * a;
            const double rounding = 4e-16 + 4e-16 * angle; // of the vectors' components
            QVERIFY2(std::abs(unit_angle_between(a, b) - angle) < rounding, qPrintable(QString::number(angle)));
            QVERIFY2(std::abs(angle_between(2 * a, 3 * b) - angle) < rounding, qPrintable(QString::number(angle)));
            const Vec3 third = Eigen::AngleAxisd(angle / 3, Vec3::UnitX()) * a;
            const double chord_error = angle < 1.1e-4 ? 1e-13 : 1e-15; // so near the chord is divided
            QVERIFY2((great_circle(a, b, 1.0 / 3) - third).norm() < chord_error, qPrintable(QString::number(angle)));
        }
    }

    void nearest_pass_of_a_great_circle()
    {
        // From 30 deg before to 60 deg behind the X axis, 2 deg above the XY plane's circle through it.
        const auto at = [](double azimuth) { return Vec3(std::cos(to_rad(azimuth)), std::sin(to_rad(azimuth)), 0); };
        const Vec3 above(std::cos(to_rad(2)), 0, std::sin(to_rad(2)));
        const auto pass = nearest_pass(at(-30), at(60), above);
        QVERIFY(pass && std::abs(pass->s - 1.0 / 3) < 1e-15 && std::abs(pass->distance - to_rad(2)) < 1e-15);
        const auto outside = nearest_pass(at(10), at(40), above);
        QVERIFY(outside && std::abs(outside->s + 1.0 / 3) < 1e-15);
        QVERIFY(!nearest_pass(at(10), at(10), above) && !nearest_pass(at(10), -at(10), above));
    }

    void great_circle_half_way()
    {
        const Vec3 half = great_circle(Vec3::UnitZ(), Vec3::UnitX(), 0.5);
        QVERIFY((half - Vec3(std::sqrt(0.5), 0, std::sqrt(0.5))).norm() < 1e-15);
        const Vec3 third = great_circle(Vec3::UnitZ(), Vec3::UnitX(), 1.0 / 3); // 30 degrees
        QVERIFY((third - Vec3(0.5, 0, std::sqrt(0.75))).norm() < 1e-15);
        QCOMPARE(great_circle(Vec3::UnitZ(), -Vec3::UnitZ(), 0.5), Vec3(0, 0, 1)); // no circle, and no nonsense
    }

    void sweeps()
    {
        const Vec3 c = Vec3::Zero();
        const Vec3 n = Vec3::UnitZ();
        QVERIFY(std::abs(arc_sweep(Vec3(1, 0, 0), Vec3(0, 1, 0), c, n, 1e-9) - pi / 2) < 1e-15);
        QVERIFY(std::abs(arc_sweep(Vec3(1, 0, 0), Vec3(0, 1, 0), c, -n, 1e-9) - 1.5 * pi) < 1e-15);
        QVERIFY(std::abs(arc_sweep(Vec3(1, 0, 0), Vec3(1, 0, 5), c, n, 1e-9) - 2 * pi) < 1e-15); // the same place: a whole turn
        QVERIFY(std::abs(arc_sweep(Vec3(1, 0, 0), Vec3(0, 1, 0), c, n, 1e-9, 2) - 4.5 * pi) < 1e-15);
    }

    void helix()
    {
        Arc arc{Vec3(2, 0, 0), Vec3(2, 0, 3), Vec3::Zero(), Vec3::UnitZ(), 6 * pi};
        QVERIFY(std::abs(arc.length() - std::hypot(12 * pi, 3)) < 1e-12);
        QVERIFY((arc.at(0.5) - Vec3(-2, 0, 1.5)).norm() < 1e-12); // one and a half turns
        for (const double s : {0.05, 0.31, 0.5, 0.77, 0.99}) {
            QVERIFY(std::abs(arc.nearest(arc.at(s)) - s) < 1e-9);
        }
        QVERIFY(std::abs(arc.nearest(arc.at(0.2), 0.4) - 0.4) > -1 && arc.nearest(arc.at(0.2), 0.4) >= 0.4); // never backwards
    }

    void differing_radii_are_led_over()
    {
        Arc arc{Vec3(10, 0, 0), Vec3(0, 10.02, 0), Vec3::Zero(), Vec3::UnitZ(), pi / 2};
        QVERIFY((arc.at(1) - arc.end).norm() < 1e-15);
        QVERIFY(std::abs(arc.at(0.5).norm() - 10.01) < 1e-12);
    }

    void projection_on_a_line()
    {
        const PathPiece piece{{Vec3(0, 0, 0), Vec3::UnitZ()}, {Vec3(10, 0, 0), Vec3::UnitX()}, std::nullopt};
        QCOMPARE(piece.project({Vec3(4, 3, 0), Vec3::UnitZ()}), 0.4);
        QCOMPARE(piece.project({Vec3(-4, 3, 0), Vec3::UnitZ()}), 0.0);
        QCOMPARE(piece.project({Vec3(4, 3, 0), Vec3::UnitZ()}, 0.6), 0.6);
        const Deviation d = deviation_at(piece, 0.5, {Vec3(5, 0.25, 0), Vec3(std::sqrt(0.5), 0, std::sqrt(0.5))});
        QVERIFY(std::abs(d.tip - 0.25) < 1e-15);
        QVERIFY(d.axis < 1e-15);
    }

    void a_standing_tip_goes_by_its_axis()
    {
        const PathPiece piece{{Vec3::Zero(), Vec3::UnitZ()}, {Vec3::Zero(), Vec3::UnitX()}, std::nullopt};
        const Pose third{Vec3::Zero(), Vec3(0.5, 0, std::sqrt(0.75))};
        QVERIFY(std::abs(piece.project(third) - 1.0 / 3) < 1e-12);
    }

    void frames()
    {
        const Frame frame = frame_from(Vec3(1, 2, 3), Vec3(0, 1, 0), Vec3(1, 0, 0)); // z along +X, x along +Y, so y along +Z
        QVERIFY((frame * Vec3(1, 10, 100) - Vec3(1 + 100, 2 + 1, 3 + 10)).norm() < 1e-12);
        QCOMPARE(wrapped(3 * pi), pi);
        QVERIFY(std::abs(wrapped(-0.5 * pi - 4 * pi) + 0.5 * pi) < 1e-12);
    }

    void small_arc_sines_are_exact()
    {
        for (int i = -1000; i <= 1000; ++i) {
            const double sine = i * 1e-4;
            QVERIFY2(std::abs(small_arc_sine(sine) - std::asin(sine)) <= 3e-16 * std::abs(sine), qPrintable(QString::number(sine)));
        }
    }

    void plane_angles_are_those_of_the_library()
    {
        constexpr unsigned seed = 90125;
        qInfo("seed %u", seed);
        std::mt19937_64 random(seed);
        std::uniform_real_distribution<double> uniform(-1, 1);
        const auto digits_off = [](double sine, double cosine) { // in units of the last digit
            const double wanted = std::atan2(sine, cosine);
            const double digit = std::nextafter(std::abs(wanted), 4) - std::abs(wanted);
            return std::abs(plane_angle(sine, cosine) - wanted) / digit;
        };
        for (int i = 0; i < 300000; ++i) { // all round, also next to both axes, and of any length
            const double angle = i % 2 == 0 ? pi * uniform(random) : pi / 4 * (i % 8) + std::pow(10, -8 + 8 * uniform(random));
            const double length = std::pow(10, 3 * uniform(random));
            QVERIFY2(digits_off(length * std::sin(angle), length * std::cos(angle)) <= 2, qPrintable(QString::number(angle, 'g', 17)));
        }
        QCOMPARE(plane_angle(0, 1), 0.0);
        QCOMPARE(plane_angle(1, 0), pi / 2);
        QCOMPARE(plane_angle(-1, 0), -pi / 2);
        QCOMPARE(plane_angle(0, -1), pi);
        QCOMPARE(plane_angle(2, 2), pi / 4);
    }

    void sines_and_cosines_are_those_of_the_library()
    {
        constexpr unsigned seed = 1130;
        qInfo("seed %u", seed);
        std::mt19937_64 random(seed);
        std::uniform_real_distribution<double> uniform(-1, 1);
        for (int i = 0; i < 300000; ++i) { // from next to nothing to far more turns than a joint makes
            const double angle = uniform(random) * std::pow(10, 6 * uniform(random));
            const auto [sine, cosine] = sine_and_cosine(angle);
            const long double exact = angle;
            QVERIFY2(std::abs(sine - double(std::sin(exact))) <= 2.5e-16 && std::abs(cosine - double(std::cos(exact))) <= 2.5e-16,
                     qPrintable(QString::number(angle, 'g', 17)));
        }
        QCOMPARE(sine_and_cosine(0).sine, 0.0);
        QCOMPARE(sine_and_cosine(0).cosine, 1.0);
        for (int quarter = -400; quarter <= 400; ++quarter) { // a table that stands square
            const auto [sine, cosine] = sine_and_cosine(quarter * (pi / 2));
            const std::array<double, 4> sines{0, 1, 0, -1};
            QVERIFY(std::abs(sine - sines[std::size_t(quarter + 400) % 4]) < 1e-13);
            QVERIFY(std::abs(cosine - sines[std::size_t(quarter + 401) % 4]) < 1e-13);
        }
    }

    void a_frame_that_moves_nothing_leaves_poses_as_they_are()
    {
        const Pose pose{Vec3(0.1, 0.2, 0.3), Vec3(0, 0.6, 0.8)};
        QCOMPARE(PoseMap(Frame::Identity())(pose).tip, pose.tip);
        const Frame quarter = frame_from(Vec3(1, 0, 0), Vec3::UnitY(), Vec3::UnitZ()); // X goes to Y
        const Pose moved = PoseMap(quarter)(pose);
        QVERIFY((moved.tip - Vec3(1 - 0.2, 0.1, 0.3)).norm() < 1e-15);
        QVERIFY((moved.axis - Vec3(-0.6, 0, 0.8)).norm() < 1e-15);
    }
};

WEXILUM_TEST(TestGeometry)

} // namespace test_geometry
#include "test_geometry.moc"
