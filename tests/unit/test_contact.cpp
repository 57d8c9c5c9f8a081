// Solids apart and along motion: distances against closed forms, motion against dense sampling, and jobs in which something meets.
#include "core/base/units.hpp"
#include "core/collide/contact_watch.hpp"
#include "core/follow/contact_observer.hpp"
#include "core/machine/kinematics.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_contact {

namespace {

Body box(const char* id, const Vec3& size, const Vec3& at, int parent = -1)
{
    Body body;
    body.id = id;
    body.size = size;
    body.parent = parent;
    body.frame = Frame(Eigen::Translation3d(at));
    return body;
}

Body round(const char* id, double bottom, double top, double length, const Vec3& at, int parent = -1)
{
    Body body = box(id, Vec3::Zero(), at, parent);
    body.shape = bottom == top ? Shape::cylinder : Shape::cone;
    body.bottom = bottom;
    body.top = top;
    body.length = length;
    return body;
}

/// The surface of a box that stands on its frame.
Triangles box_surface(const Vec3& size)
{
    Triangles out;
    for (int i = 0; i < 8; ++i) {
        out.points.emplace_back(size.x() * ((i & 1) - 0.5), size.y() * ((i >> 1 & 1) - 0.5), size.z() * (i >> 2 & 1));
    }
    for (const auto& q : {std::array{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}) {
        out.faces.push_back({std::uint32_t(q[0]), std::uint32_t(q[1]), std::uint32_t(q[2])});
        out.faces.push_back({std::uint32_t(q[0]), std::uint32_t(q[2]), std::uint32_t(q[3])});
    }
    return out;
}

double apart(const Solid& a, const Solid& b) { return Solid::distance(a, a.body().frame, b, b.body().frame); }

/// X slides, on it B turns about Y through the base's zero, on that C about Z through (30, 0, 0); beside them Y slides.
Machine machine()
{
    Machine out;
    const auto joint = [&](const char* id, JointKind kind, int parent, const Vec3& direction, const Vec3& point) {
        Joint made;
        made.id = id;
        made.kind = kind;
        made.parent = parent;
        made.direction = direction;
        made.point = point;
        made.speed = 100;
        out.joints.push_back(made);
    };
    joint("X", JointKind::linear, -1, Vec3::UnitX(), Vec3::Zero());
    joint("B", JointKind::rotary, 0, Vec3::UnitY(), Vec3::Zero());
    joint("C", JointKind::rotary, 1, Vec3::UnitZ(), Vec3(30, 0, 0));
    joint("Y", JointKind::linear, -1, Vec3::UnitY(), Vec3::Zero());
    return out;
}

/// The least distance of two solids along a motion, from many places.
double least_apart(const Machine& machine, const Solid& a, const Solid& b, const Readings& from, const Readings& to, int places)
{
    double least = 1e300;
    for (int i = 0; i <= places; ++i) {
        const auto frames = joint_frames(machine, from + (to - from) * (double(i) / places));
        const auto placed = [&](const Solid& solid) {
            return solid.body().parent < 0 ? solid.body().frame : Frame(frames[std::size_t(solid.body().parent)] * solid.body().frame);
        };
        least = std::min(least, Solid::distance(a, placed(a), b, placed(b)));
    }
    return least;
}

ContactReport contacts(const Assembly& assembly, const std::string& code = "")
{
    RunResult run = post(assembly);
    if (!code.empty()) {
        run.files.front().text = code;
    }
    return check_contacts(assembly, run.files).value();
}

} // namespace

class TestContact : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void distances_data()
    {
        QTest::addColumn<int>("which");
        QTest::addColumn<double>("wanted");
        QTest::newRow("faces of boxes") << 0 << 5.0;         // 20 - 10 - 5
        QTest::newRow("edges of boxes") << 1 << 5.0;         // 3 and 4 apart
        QTest::newRow("corners of boxes") << 2 << 13.0;      // 3, 4 and 12 apart
        QTest::newRow("cylinders side by side") << 3 << 7.0; // axes 30 apart, radii 15 and 8
        QTest::newRow("tip of a cone over a face") << 4 << 2.5;
        QTest::newRow("box and surface") << 5 << 5.0;
        QTest::newRow("surfaces at their edges") << 6 << 5.0;
        QTest::newRow("cylinder and surface") << 7 << 6.0; // 20 - 10 - 4
        QTest::newRow("truncated cone over a face") << 8 << 4.0;
        QTest::newRow("overlapping") << 9 << 0.0;
        QTest::newRow("a surface through a box") << 10 << 0.0;
    }
    void distances()
    {
        QFETCH(int, which);
        QFETCH(double, wanted);
        const Solid at_zero(box("a", {20, 20, 20}, Vec3::Zero()));
        const Solid surface(box("s", {20, 20, 20}, Vec3::Zero()), box_surface({20, 20, 20}));
        const auto other = [&]() -> Solid {
            switch (which) {
            case 0: return Solid(box("b", {10, 30, 8}, {20, 2, 5}));
            case 1: return Solid(box("b", {10, 10, 40}, {18, 19, -10}));
            case 2: return Solid(box("b", {10, 10, 10}, {18, 19, 32}));
            case 3: return Solid(round("b", 16, 16, 50, {30, 0, 0}));
            case 4: return Solid(round("b", 10, 0, 25, {0, 0, -27.5}));
            case 5: return Solid(box("b", {10, 30, 8}, {20, 2, 5}), box_surface({10, 30, 8}));
            case 6: return Solid(box("b", {10, 10, 40}, {18, 19, -10}), box_surface({10, 10, 40}));
            case 7: return Solid(round("b", 8, 8, 50, {20, 1, -10}));
            case 8: return Solid(round("b", 30, 10, 12, {3, 1, 24}));
            case 9: return Solid(box("b", {10, 10, 10}, {5, 5, 5}));
            default: return Solid(box("b", {4, 4, 60}, {0, 0, -20}), box_surface({4, 4, 60}));
            }
        }();
        const Solid& first = which == 6 || which == 7 || which == 5 ? surface : at_zero;
        const double got = which == 3 ? apart(Solid(round("a", 30, 30, 20, Vec3::Zero())), other) : apart(first, other);
        QVERIFY2(std::abs(got - wanted) < 1e-4, qPrintable(QString::number(got)));
        // The nearest points are as far apart, and none where they touch; where the library has none, none are made up.
        const auto points = which == 3 ? std::nullopt : Solid::nearest(first, first.body().frame, other, other.body().frame);
        QVERIFY(!points || (wanted > 0 && std::abs((points->first - points->second).norm() - wanted) < 0.01 * wanted + 2e-3));
        QVERIFY(points || which == 3 || which == 4 || which >= 7);
        if (which == 0) { // the box's face at x = 10, the other's at 15
            QVERIFY(std::abs(points->first.x() - 10) < 1e-3 && std::abs(points->second.x() - 15) < 1e-3);
        }
    }

    void thin_wall_is_never_stepped_over()
    {
        // A rod of 2 mm passes a wall of 0.5 mm, in one motion from 1 mm to 3 m long.
        constexpr unsigned seed = 77;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        const Machine m = machine();
        for (int n = 0; n < 2000 / WEXILUM_EVERY; ++n) {
            const double wall = -50 + 100 * unit(random);
            ContactWatch watch(m, {Solid(round("rod", 2, 2, 30, Vec3::Zero(), 0)), Solid(box("wall", {0.5, 40, 40}, {wall, 0, 0}))},
                               {{"rod", "wall", {0}, {1}, unit(random) < 0.3 ? 0 : 4 * unit(random)}});
            Readings from = Readings::Zero(4);
            Readings to = from;
            const double before = 1.5 + std::pow(10, 3 * unit(random));
            const double behind = 1.5 + std::pow(10, 3 * unit(random));
            from[0] = wall - before;
            to[0] = wall + behind;
            if (n % 2 == 1) {
                std::swap(from[0], to[0]);
            }
            std::vector<Meeting> met;
            watch.along(from, to, 0, met);
            QVERIFY2(met.size() == 1 && met[0].distance <= 0, qPrintable(QStringLiteral("case %1").arg(n)));
        }
    }

    void turned_past_a_thin_wall()
    {
        // A rod of 2 mm at radius 150 of C swings through a wall of 0.5 mm, by up to a turn in one motion, while X goes as well.
        constexpr unsigned seed = 78;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        const Machine m = machine();
        for (int n = 0; n < 500 / WEXILUM_EVERY; ++n) {
            ContactWatch watch(m, {Solid(round("rod", 2, 2, 30, Vec3(180, 0, 0), 2)), Solid(box("wall", {100, 0.5, 60}, {180, 0, 0}))},
                               {{"rod", "wall", {0}, {1}, 3 * unit(random)}});
            Readings from = Readings::Zero(4);
            Readings to = from;
            from[2] = -0.2 - 2.5 * unit(random);
            to[2] = 0.2 + 2.5 * unit(random);
            from[0] = 20 * (unit(random) - 0.5);
            to[0] = 20 * (unit(random) - 0.5);
            std::vector<Meeting> met;
            watch.along(from, to, 0, met);
            QVERIFY2(met.size() == 1 && met[0].distance <= 0, qPrintable(QStringLiteral("case %1").arg(n)));
        }
    }

    void least_distance_against_dense_sampling()
    {
        constexpr unsigned seed = 79;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(-1, 1);
        const Machine m = machine();
        int close = 0;
        for (int n = 0; n < 240 / WEXILUM_EVERY; ++n) {
            const Solid head(round("head", 30, 30, 60, Vec3(40 + 20 * unit(random), 10 * unit(random), 20 * unit(random)), 2));
            const Solid block(box("block", {40, 30, 25}, {60 * unit(random), 40 * unit(random), 60 * unit(random)}, 3),
                              box_surface({40, 30, 25}));
            const double clearance = 6;
            ContactWatch watch(m, {head, block}, {{"head", "block", {0}, {1}, clearance}});
            // Three motions one after the other, so that what is known of the distance is carried on.
            Readings at = Readings::Zero(4);
            double least = 1e300;
            std::vector<Meeting> met;
            for (int k = 0; k < 3; ++k) {
                Readings to(4);
                to << 60 * unit(random), 0.8 * unit(random), 1.5 * unit(random), 50 * unit(random);
                watch.along(at, to, 0, met);
                least = std::min(least, least_apart(m, head, block, at, to, 200));
                at = to;
            }
            const double found = met.empty() ? 1e300 : met[0].distance;
            if (least < clearance - 0.05) {
                ++close;
                QVERIFY2(found <= std::max(0.0, least) + clearance / 2 && found >= least - 0.3,
                         qPrintable(QStringLiteral("case %1: %2 instead of %3").arg(n).arg(found).arg(least)));
            } else if (least > clearance + 0.05) {
                QVERIFY2(met.empty(), qPrintable(QStringLiteral("case %1: %2 instead of %3").arg(n).arg(found).arg(least)));
            }
        }
        QVERIFY(close > 24 / WEXILUM_EVERY && close < 230 / WEXILUM_EVERY);
    }

    void little_is_measured_far_away()
    {
        const Machine m = machine();
        ContactWatch watch(m, {Solid(round("rod", 2, 2, 30, Vec3::Zero(), 0)), Solid(box("wall", {5, 40, 40}, {900, 0, 0}))},
                           {{"rod", "wall", {0}, {1}, 2}});
        std::vector<Meeting> met;
        Readings at = Readings::Zero(4);
        for (int i = 0; i < 1000; ++i) {
            Readings to = at;
            to[0] += i % 2 == 0 ? 5 : -5;
            watch.along(at, to, 0, met);
            at = to;
        }
        QVERIFY(met.empty());
        QVERIFY(watch.measured() < 20);
    }

    // --- jobs
    void demo_jobs_keep_apart()
    {
        for (const char* name : {"mirror-cell", "mirror-cell-sides", "fork-arm", "focuser-hub", "mirror-back-face", "setting-circle"}) {
            const ContactReport report = contacts(load_demo(name).value());
            QVERIFY2(report.findings.list().empty(), qPrintable(QString::fromLatin1(name) + shown(report.findings)));
            QVERIFY(report.moves > 500);
        }
    }

    void head_meets_turntable()
    {
        // The hub 29 above the turntable: the level head, 140 thick, is to cut 69 above it.
        const ContactReport report = contacts(load_demo("fails-head-meets-turntable").value());
        QVERIFY(has_finding(report.findings, "contact"));
        const Finding& finding = report.findings.list().front();
        QCOMPARE(QString::fromStdString(finding.message), QStringLiteral("the head touches the turntable"));
        QCOMPARE(QString::fromStdString(finding.source.file), QStringLiteral("toolpaths/hub-flats.cl"));
        QCOMPARE(report.places.front().first + " " + report.places.front().second, std::string("head turntable"));
        QVERIFY(report.places.front().touches);
        QCOMPARE(report.places.front().first_block, finding.code.line);
        QCOMPARE(report.places.front().last_block, finding.last_code_line);
    }

    void short_tool_takes_the_quill_into_the_work()
    {
        // 165 deep with a tool of 150: the quill, 90 thick, would go 15 into a bore of 59.
        const auto assembly = load_demo("fork-arm", {{"setups/fork-arm.json", "\"length\": 182.35", "\"length\": 150"}});
        QVERIFY(assembly);
        const ContactReport report = contacts(*assembly);
        const auto& list = report.findings.list();
        QVERIFY(std::any_of(list.begin(), list.end(), [](const Finding& f) {
            return f.message == "the quill touches the fork arm" && f.source.file == "toolpaths/fork-bore.cl";
        }));
    }

    void clearance_is_the_machines()
    {
        // The cutter passes 2.5 above the table; 4 are asked.
        const auto assembly = load_demo(
            "fork-arm",
            {{"machines/fell-4.json", "\"retract\":", "\"apart\": [{\"between\": [\"R\", \"X\"], \"clearance\": 4}], \"retract\":"}});
        QVERIFY(assembly);
        const ContactReport report = contacts(*assembly);
        QCOMPARE(QString::fromStdString(report.findings.list().front().message),
                 QStringLiteral("the cutter comes within 2.500 mm of the table; 4 mm are asked"));
        QVERIFY(report.findings.list().front().severity == Severity::warning);
        // The place: 2.5 apart, straight above each other on the horizontal machine's table, in the blocks that the finding names.
        const ContactPlace& place = report.places.front();
        QCOMPARE(place.first, std::string("cutter"));
        QCOMPARE(place.second, std::string("table"));
        QVERIFY(!place.touches && std::abs(place.distance - 2.5) < 1e-3 && place.clearance == 4);
        QVERIFY(place.block >= place.first_block && place.block <= place.last_block);
        QCOMPARE(place.first_block, report.findings.list().front().code.line);
        if (place.points) {
            const Vec3 way = place.points->second - place.points->first;
            QVERIFY2(std::abs(std::abs(way.y()) - 2.5) < 0.03,
                     qPrintable(QStringLiteral("%1 %2 %3").arg(way.x()).arg(way.y()).arg(way.z())));
        }
    }

    void cutter_in_stock_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        QTest::newRow("spindle standing") << QStringLiteral("S1250 M3") << QStringLiteral("S1250")
                                          << QStringLiteral("the cutter feeds into the stock while its spindle is stopped");
        QTest::newRow("rapid") << QStringLiteral("G1 Z151.5 F300.\nN190 X150. F780.") << QStringLiteral("G0 Z130.\nN190 X150.")
                               << QStringLiteral("the cutter goes");
    }
    void cutter_in_stock()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, message);
        const Assembly assembly = load_demo("fork-arm").value();
        QString code = QString::fromStdString(code_of(assembly));
        const qsizetype at = code.indexOf(QStringLiteral("G1 Z151.5"));
        if (from.startsWith(QLatin1String("G1"))) { // whatever the numbers of the blocks are
            const qsizetype end = code.indexOf(QLatin1Char('\n'), code.indexOf(QLatin1Char('\n'), at) + 1);
            code.replace(at, end - at, QStringLiteral("G0 Z130.\nN2 X150."));
        } else {
            QVERIFY(code.contains(from));
            code.replace(code.indexOf(from), from.size(), to);
        }
        const ContactReport report = contacts(assembly, code.toStdString());
        const auto& list = report.findings.list();
        QVERIFY2(
            std::any_of(list.begin(), list.end(),
                        [&](const Finding& f) { return QString::fromStdString(f.message).startsWith(message) && f.kind == "contact"; }),
            qPrintable(shown(report.findings)));
    }

    void files_that_do_not_fit_data()
    {
        QTest::addColumn<QString>("list");
        QTest::addColumn<QString>("message");
        QTest::newRow("no joint") << QStringLiteral(R"([{"between": ["R", "Q"], "clearance": 4}])")
                                  << QStringLiteral("\"Q\" is not a joint of the machine");
        QTest::newRow("three names") << QStringLiteral(R"([{"between": ["R", "X", "Y"], "clearance": 4}])")
                                     << QStringLiteral("a pair has two names");
        QTest::newRow("negative") << QStringLiteral(R"([{"between": ["R", "X"], "clearance": -1}])")
                                  << QStringLiteral("\"clearance\" of the pair is -1, outside 0 to 1e+12");
    }
    void files_that_do_not_fit()
    {
        QFETCH(QString, list);
        QFETCH(QString, message);
        const auto assembly =
            load_demo("fork-arm", {{"machines/fell-4.json", "\"retract\":", "\"apart\": " + list.toStdString() + ", \"retract\":"}});
        QVERIFY(!assembly);
        QCOMPARE(QString::fromStdString(assembly.error().message), message);
    }
};

WEXILUM_TEST(TestContact)

} // namespace test_contact
#include "test_contact.moc"
