// Where a move needs points between its ends, for controls that move joints and for such that guide the tool's tip.
#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"
#include "core/solve/subdivide.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_subdivide {

namespace {

constexpr double length = 120; // mm, of the tool

InverseSolver solver_of(const std::string& json) { return InverseSolver::make(Kinematics::make(machine_from(json)).value()).value(); }

/// The readings of a branch at both ends of a piece, on one sheet.
std::pair<Readings, Readings> ends(const InverseSolver& solver, const PathPiece& piece, int branch)
{
    const Branches a = solver.branches(piece.from.axis);
    const Branches b = solver.branches(piece.to.axis);
    const auto at = std::size_t(branch);
    const Turns first = a.turns[at];
    Turns last = b.turns[at];
    last[0] += 2 * pi * std::round((first[0] - last[0]) / (2 * pi));
    Readings from = Readings::Zero(Eigen::Index(solver.kinematics().joints().size()));
    Readings to = from;
    solver.set_turns(from, first);
    solver.set_turns(to, last);
    return {from, to};
}

/// The largest deviation of one part, in steps of a hundredth, worked out anew: joints or tip in proportion, the tool's pose by forward
/// kinematics, the way by the piece.
Deviation measured(const InverseSolver& solver, const PathPiece& piece, const Waypoint& a, const Waypoint& b, Interpolation interpolation)
{
    Readings from = a.readings;
    Readings to = b.readings;
    solver.set_linear(from, piece.at(a.s).tip, length);
    solver.set_linear(to, piece.at(b.s).tip, length);
    Deviation worst;
    for (int i = 1; i < 100; ++i) {
        const double u = i / 100.0;
        const Readings readings = from + (to - from) * u;
        const Pose pose = solver.kinematics().pose(readings, length);
        if (interpolation == Interpolation::joints) {
            const Deviation d = deviation_at(piece, piece.project(pose), pose);
            worst.tip = std::max(worst.tip, d.tip);
            worst.axis = std::max(worst.axis, d.axis);
        } else {
            worst.axis = std::max(worst.axis, angle_between(pose.axis, piece.at(a.s + (b.s - a.s) * u).axis));
        }
    }
    return worst;
}

} // namespace

class TestSubdivide : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void the_cheap_bound_is_never_below_the_deviation()
    {
        constexpr unsigned seed = 7;
        std::mt19937 random(seed);
        const auto uniform = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
        int close = 0;
        for (const std::string& json : {table_table_json(), head_head_json(), head_table_json(), nutating_json()}) {
            const InverseSolver solver = solver_of(json);
            LeverBound lever;
            for (int i = 0; i < 300; ++i) {
                const double tilt = uniform(3, 70);
                const double azimuth = uniform(-180, 180);
                const double step = std::pow(10, uniform(-2, 1));
                const Vec3 tip(uniform(-90, 90), uniform(-90, 90), uniform(0, 60));
                const PathPiece piece{leaning(tilt, azimuth, tip),
                                      leaning(tilt + uniform(-0.3, 0.3) * step, azimuth + uniform(-1, 1) * step,
                                              tip + Vec3(uniform(-1, 1), uniform(-1, 1), uniform(-1, 1)) * step),
                                      std::nullopt};
                for (const int branch : {0, 1}) {
                    const auto [from, to] = ends(solver, piece, branch);
                    const double w = solver.turn_between(from, to);
                    for (const Interpolation how : {Interpolation::joints, Interpolation::tip_and_joints}) {
                        const Deviation is = measured(solver, piece, {0, from}, {1, to}, how);
                        const Deviation bound = deviation_bound(w, piece.length(), lever.at(solver, piece.from.tip, length), how);
                        const QString where = QString("seed %1, case %2, branch %3").arg(seed).arg(i).arg(branch);
                        QVERIFY2(is.tip <= bound.tip + 1e-9 && is.axis <= bound.axis + 1e-9, qPrintable(where));
                        close += how == Interpolation::joints && is.tip > 1e-6 && bound.tip < 60 * is.tip ? 1 : 0;
                    }
                }
            }
        }
        QVERIFY2(close > 300, qPrintable(QString::number(close))); // and the bound is not too generous
    }

    void every_part_keeps_the_tolerance()
    {
        const Tolerance tolerance{0.005, to_rad(0.02)};
        const InverseSolver solver = solver_of(table_table_json());
        const PathPiece piece{leaning(12, 20, Vec3(-30, 10, 5)), leaning(35, 95, Vec3(40, -25, 20)), std::nullopt};
        const auto [from, to] = ends(solver, piece, 0);
        std::size_t points = 0;
        for (const Interpolation how : {Interpolation::joints, Interpolation::tip_and_joints, Interpolation::tip_and_vector}) {
            Subdivision parts;
            subdivide(solver, piece, 0, from, to, length, tolerance, how, parts);
            QVERIFY(!parts.capped && parts.points.back().s == 1);
            if (how == Interpolation::tip_and_vector) {
                QCOMPARE(parts.points.size(), std::size_t(1)); // such a control moves the tool the agreed way by itself
                continue;
            }
            Waypoint before{0, from};
            for (const Waypoint& point : parts.points) {
                const Deviation d = measured(solver, piece, before, point, how);
                QVERIFY(d.tip <= tolerance.tip * 1.02 && d.axis <= tolerance.axis * 1.02);
                QVERIFY(angle_between(solver.kinematics().pose(point.readings, length).axis, piece.at(point.s).axis) < 1e-9);
                before = point;
            }
            // A guided tip needs points for the axis alone.
            QVERIFY(how == Interpolation::joints || parts.points.size() < points);
            QVERIFY(parts.points.size() > 3);
            points = parts.points.size();
        }
    }

    void blocks_are_capped_where_nothing_helps()
    {
        const InverseSolver solver = solver_of(table_table_json());
        const PathPiece piece{leaning(20, 0, Vec3(0, 0, 0)), leaning(20, 179, Vec3(0.01, 0, 0)), std::nullopt};
        const auto [from, to] = ends(solver, piece, 0);
        Subdivision parts;
        subdivide(solver, piece, 0, from, to, length, {1e-9, 1e-12}, Interpolation::joints, parts);
        QVERIFY(parts.capped);
        QVERIFY(int(parts.points.size()) <= most_points + 2);
        QVERIFY(parts.points.back().s == 1);
    }
};

WEXILUM_TEST(TestSubdivide)

} // namespace test_subdivide
#include "test_subdivide.moc"
