// Arcs, great circles and projections against closed forms.
#include "core/base/units.hpp"
#include "core/geometry/path_piece.hpp"

#include <QTest>

#include <cmath>

using namespace wexilum;

class TestGeometry : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void small_and_straight_angles_are_exact()
    {
        QVERIFY(std::abs(angle_between(Vec3(1, 0, 0), Vec3(1, 1e-9, 0)) - 1e-9) < 1e-18);
        QVERIFY(std::abs(angle_between(Vec3(1, 0, 0), Vec3(-1, 1e-9, 0)) - (pi - 1e-9)) < 1e-15);
    }

    void great_circle_half_way()
    {
        const Vec3 half = great_circle(Vec3::UnitZ(), Vec3::UnitX(), 0.5);
        QVERIFY((half - Vec3(std::sqrt(0.5), 0, std::sqrt(0.5))).norm() < 1e-15);
        const Vec3 third = great_circle(Vec3::UnitZ(), Vec3::UnitX(), 1.0 / 3); // 30 degrees
        QVERIFY((third - Vec3(0.5, 0, std::sqrt(0.75))).norm() < 1e-15);
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
};

QTEST_APPLESS_MAIN(TestGeometry)
#include "test_geometry.moc"
