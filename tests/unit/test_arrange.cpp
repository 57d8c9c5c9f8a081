// Flat toolpaths wound round a cylinder, and copies moved, turned and mirrored. Values by hand.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/task/arrange.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/near.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_arrange {

namespace {

/// The demo's rim: radius 50 about X, angles from Z; with X x Z = -Y they grow towards -Y.
Wrap rim(bool turns_y = false)
{
    Wrap wrap;
    wrap.radius = 50;
    wrap.turns_y = turns_y;
    wrap.cylinder = frame_from(Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX());
    return wrap;
}

std::vector<Record> arranged(const Arrangement& arrangement, const std::vector<RecordData>& records, double tolerance = 0.005)
{
    Arranger arranger(arrangement, tolerance);
    std::deque<Record> out;
    std::uint32_t line = 0;
    for (const RecordData& data : records) {
        arranger.arrange({data, {0, LineNumber(++line)}}, out);
    }
    return {out.begin(), out.end()};
}

Pose end_of(const Record& record) { return *end_pose(record.data); }

const Vec3 up = Vec3::UnitZ();

} // namespace

class TestArrange : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void points_on_the_rim()
    {
        // A quarter round and 10 along, 2 above the surface.
        const Pose quarter = rim().wound({Vec3(50 * pi / 2, 10, 2), up});
        COMPARE_POINT(quarter.tip, Vec3(10, -52, 0), 1e-12);
        COMPARE_POINT(quarter.axis, Vec3(0, -1, 0), 1e-12);
        // A tool that leans towards the flat X leans the way round.
        const Pose leant = rim().wound({Vec3(0, 0, 0), Vec3(0.6, 0, 0.8)});
        COMPARE_POINT(leant.tip, Vec3(0, 0, 50), 1e-12);
        COMPARE_POINT(leant.axis, Vec3(0, -0.6, 0.8), 1e-12);
        Wrap later = rim();
        later.start = to_rad(90);
        COMPARE_POINT(later.wound({Vec3(0, 3, 0), up}).tip, Vec3(3, -50, 0), 1e-12);
    }

    void no_mirror_writing_data()
    {
        QTest::addColumn<bool>("turns_y");
        QTest::newRow("X turns") << false;
        QTest::newRow("Y turns") << true;
    }
    void no_mirror_writing()
    {
        // Steps in the flat X, Y and Z are a right-handed set on the surface, wherever it is.
        QFETCH(bool, turns_y);
        const Wrap wrap = rim(turns_y);
        for (const double at : {0.0, 33.0, -71.0, 140.0}) {
            const Vec3 flat(turns_y ? 4 : at, turns_y ? at : 4, 0);
            Mat3 steps;
            for (int k = 0; k < 3; ++k) {
                steps.col(k) = (wrap.wound({flat + 1e-6 * Vec3::Unit(k), up}).tip - wrap.wound({flat, up}).tip) / 1e-6;
            }
            QVERIFY(std::abs(steps.determinant() - 1) < 1e-5);
            QVERIFY((steps.transpose() * steps - Mat3::Identity()).norm() < 1e-5);
        }
    }

    void an_arc_is_wound()
    {
        // From (20, 0) over (0, 20) to (-20, 0), in parts of a quarter turn at most: 0.8 rad is one.
        Arrangement arrangement;
        arrangement.wrap = rim();
        const auto records =
            arranged(arrangement, {record::Linear{{Vec3(20, 0, 0), up}}, record::Circular{Vec3::Zero(), up, 20, 0, {Vec3(-20, 0, 0), up}}});
        QCOMPARE(records.size(), std::size_t(2));
        const PathPiece arc = *curved_piece(Frame::Identity(), end_of(records[0]), records[1].data);
        COMPARE_POINT(arc.at(0.5).tip, Vec3(20, 0, 50), 1e-9);
        COMPARE_POINT(arc.at(0.5).axis, Vec3(0, 0, 1), 1e-9);
        const double c = 20 * std::sqrt(0.5);
        COMPARE_POINT(arc.at(0.25).tip, Vec3(c, -50 * std::sin(c / 50), 50 * std::cos(c / 50)), 1e-9);
        COMPARE_POINT(arc.at(1).tip, Vec3(0, 50 * std::sin(0.4), 50 * std::cos(0.4)), 1e-9);
        QVERIFY(std::abs(arc.length() - 20 * pi) < 1e-9);
        // A line round one and three quarter turns: seven quarters.
        const auto round = arranged(arrangement, {record::Rapid{{Vec3(0, 0, 0), up}}, record::Linear{{Vec3(175 * pi, 7, 0), up}}});
        QCOMPARE(round.size(), std::size_t(1 + 7));
        COMPARE_POINT(end_of(round[3]).tip, Vec3(3, 50, 0), 1e-9); // three quarters from Z: towards +Y
        COMPARE_POINT(end_of(round[7]).tip, Vec3(7, 50, 0), 1e-9);
    }

    void an_arc_in_chords()
    {
        // Half a circle of radius 20 about (0, 0), from (20, 0) over (0, 20) to (-20, 0). Its top lies at the angle 0, 20 along X; its ends
        // 0.4 rad to either side.
        Arrangement arrangement;
        arrangement.wrap = rim();
        arrangement.wrap->in_chords = true;
        const double tolerance = 0.004;
        const auto records =
            arranged(arrangement, {record::Linear{{Vec3(20, 0, 0), up}}, record::Circular{Vec3::Zero(), up, 20, 0, {Vec3(-20, 0, 0), up}}},
                     tolerance);
        COMPARE_POINT(end_of(records.front()).tip, Vec3(0, -50 * std::sin(0.4), 50 * std::cos(0.4)), 1e-9);
        COMPARE_POINT(end_of(records.back()).tip, Vec3(0, 50 * std::sin(0.4), 50 * std::cos(0.4)), 1e-9);
        double nearest = 1e300;
        Vec3 before = end_of(records.front()).tip;
        const auto off = [](const Vec3& tip) { // from the arc on the surface, unwound
            const double round = 50 * std::atan2(-tip.y(), tip.z());
            return std::hypot(std::hypot(round, tip.x()) - 20, std::hypot(tip.y(), tip.z()) - 50);
        };
        for (std::size_t i = 1; i < records.size(); ++i) {
            QVERIFY(std::holds_alternative<record::Linear>(records[i].data));
            QCOMPARE(records[i].source.line.value, 2U);
            const Vec3 tip = end_of(records[i]).tip;
            QVERIFY(off(tip) < 1e-9);
            QVERIFY(off((before + tip) / 2) < 2 * tolerance); // flat and round together
            nearest = std::min(nearest, (tip - Vec3(20, 0, 50)).norm());
            before = tip;
        }
        QVERIFY(nearest < 0.4);
        QVERIFY(records.size() > 20 && records.size() < 200);
    }

    void a_line_along_the_cylinder_stays_one()
    {
        Arrangement arrangement;
        arrangement.wrap = rim();
        const auto records = arranged(arrangement, {record::Rapid{{Vec3(5, 0, 0), up}}, record::Linear{{Vec3(5, 40, 0), up}}});
        QCOMPARE(records.size(), std::size_t(2));
        QVERIFY(std::holds_alternative<record::Linear>(records[1].data));
        // One round it in chords, it is as many as its sagitta asks: 1 rad at radius 50 within 0.005 mm, each 2 acos(1 - 0.0001) = 0.0283
        // rad.
        arrangement.wrap->in_chords = true;
        const auto round = arranged(arrangement, {record::Rapid{{Vec3(0, 0, 0), up}}, record::Linear{{Vec3(50, 0, 0), up}}});
        QCOMPARE(round.size(), std::size_t(1 + 36));
        // A tool that leans keeps its lean, in chords as well.
        arrangement.wrap->in_chords = false;
        const Vec3 lean(0, 0.6, 0.8);
        const auto leant = arranged(arrangement, {record::Rapid{{Vec3(0, 0, 0), lean}}, record::Linear{{Vec3(50, 0, 0), lean}}});
        QCOMPARE(leant.size(), std::size_t(1 + 36));
        COMPARE_POINT(end_of(leant.back()).axis, Vec3(0.6, -0.8 * std::sin(1.0), 0.8 * std::cos(1.0)), 1e-12);
    }

    void a_mirrored_arc_runs_the_other_way()
    {
        // A quarter from (10, 0) to (0, 10), counter-clockwise; mirrored in X it goes from (-10, 0) to (0, 10), clockwise.
        Arrangement arrangement;
        arrangement.placement = Placement{Vec3(-1, 1, 1).asDiagonal(), Vec3(0, 0, 5)};
        const auto records =
            arranged(arrangement, {record::Linear{{Vec3(10, 0, 0), up}}, record::Circular{Vec3(0, 0, 0), up, 10, 0, {Vec3(0, 10, 0), up}},
                                   record::CyclePoint{{Vec3(1, 2, 3), Vec3(0.6, 0, 0.8)}}});
        const auto& arc = std::get<record::Circular>(records[1].data);
        COMPARE_POINT(end_of(records[0]).tip, Vec3(-10, 0, 5), 1e-12);
        COMPARE_POINT(arc.normal, Vec3(0, 0, -1), 1e-12);
        COMPARE_POINT(arc.centre, Vec3(0, 0, 5), 1e-12);
        const PathPiece piece = arc_piece(Frame::Identity(), end_of(records[0]), arc);
        COMPARE_POINT(piece.at(0.5).tip, Vec3(-10 * std::sqrt(0.5), 10 * std::sqrt(0.5), 5), 1e-9);
        COMPARE_POINT(end_of(records[2]).tip, Vec3(-1, 2, 8), 1e-12);
        COMPARE_POINT(end_of(records[2]).axis, Vec3(-0.6, 0, 0.8), 1e-12);
    }

    void six_ports_from_one()
    {
        // The demo has the six ports as one toolpath and as six copies of one: the same to the toolpath's last digits.
        const Assembly copies = load_demo("focuser-hub-copies").value();
        const Assembly all = load_demo("focuser-hub").value();
        std::vector<Pose> wanted;
        std::vector<Pose> got;
        const auto take = [](const Assembly& a, const std::string& first, const std::string& last, std::vector<Pose>& out) {
            bool on = false;
            for (const Record& record : a.toolpath.records) {
                if (const auto* operation = std::get_if<record::Operation>(&record.data)) {
                    on = operation->id.starts_with(first) && operation->id <= last;
                }
                if (const Pose* end = end_pose(record.data); on && end != nullptr) {
                    out.push_back(*end);
                }
            }
        };
        take(all, "20", "20", wanted);
        take(copies, "10", "10.6", got);
        QCOMPARE(got.size(), wanted.size());
        for (std::size_t i = 0; i < got.size(); ++i) {
            COMPARE_POINT(got[i].tip, wanted[i].tip, 2e-4);
            COMPARE_POINT(got[i].axis, wanted[i].axis, 2e-6);
        }
        QStringList ids;
        for (const JobOperation& operation : copies.job.operations) {
            ids.push_back(QString::fromStdString(operation.id));
        }
        QCOMPARE(ids.join(QLatin1Char(' ')), QStringLiteral("10 10.2 10.3 10.4 10.5 10.6 20 20.2 20.3"));
    }

    void arranged_jobs_are_proven_data()
    {
        QTest::addColumn<QString>("job");
        QTest::newRow("copies") << QStringLiteral("focuser-hub-copies");
        QTest::newRow("wound") << QStringLiteral("setting-numerals");
        QTest::newRow("wound by the control") << QStringLiteral("setting-numerals-by-mode");
    }
    void arranged_jobs_are_proven()
    {
        QFETCH(QString, job);
        const auto assembly = load_demo(job.toStdString());
        QVERIFY2(assembly, assembly ? "" : assembly.error().text().c_str());
        const std::string code = code_of(*assembly);
        const ReplayReport report = replay_code(*assembly, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QVERIFY(report.compared > 200);
        QVERIFY(report.uncovered == 0 && report.extra == 0);
    }

    void mirrored_arcs_in_the_code()
    {
        // The comma turns left three times and right once in each of its three cuts; its mirror image the other way round.
        const std::string code = code_of(load_demo("focuser-hub-copies").value());
        const QString text = QString::fromStdString(code);
        const qsizetype plain = text.indexOf(QStringLiteral("(20 COMMA POCKET)"));
        const qsizetype mirrored = text.indexOf(QStringLiteral("(20.2 COMMA POCKET)"));
        const qsizetype moved = text.indexOf(QStringLiteral("(20.3 COMMA POCKET)"));
        QVERIFY(plain > 0 && mirrored > plain && moved > mirrored);
        const auto left = [](const QString& part) { return part.count(QLatin1String("G3 ")); };
        const auto right = [](const QString& part) { return part.count(QLatin1String("G2 ")); };
        const QString first = text.mid(plain, mirrored - plain);
        const QString second = text.mid(mirrored, moved - mirrored);
        QCOMPARE(left(first), right(second));
        QCOMPARE(right(first), left(second));
        QVERIFY(left(first) > right(first));
    }

    void the_same_cut_with_other_data()
    {
        Arrangement arrangement;
        arrangement.data = {7, 900.0, 0.5};
        record::CycleStart drill{"drill", {{"depth", 12.0}, {"feed", 4.0}}};
        const auto records =
            arranged(arrangement, {record::ToolChange{3, 80.0}, record::Spindle{record::SpindleState::clockwise, 1200},
                                   record::Spindle{record::SpindleState::off, 0}, record::Feed{FeedMode::per_revolution, 0.2}, drill,
                                   record::Linear{{Vec3(1, 2, 3), up}}});
        QCOMPARE(std::get<record::ToolChange>(records[0].data).number, 7U);
        QVERIFY(!std::get<record::ToolChange>(records[0].data).length);
        QCOMPARE(std::get<record::Spindle>(records[1].data).speed_rpm, 900.0);
        QCOMPARE(std::get<record::Spindle>(records[2].data).speed_rpm, 0.0);
        QCOMPARE(std::get<record::Feed>(records[3].data).value, 0.1);
        QCOMPARE(std::get<record::CycleStart>(records[4].data).parameters.at("feed"), 2.0);
        QCOMPARE(std::get<record::CycleStart>(records[4].data).parameters.at("depth"), 12.0);
        COMPARE_POINT(end_of(records[5]).tip, Vec3(1, 2, 3), 0.0);
    }

    void sockets_milled_first_and_once_more()
    {
        const Assembly a = load_demo("pier-cap-milled-first").value();
        const std::string code = code_of(a);
        QVERIFY2(replay_code(a, code, true).findings.list().empty(), "");
        const QString text = QString::fromStdString(code);
        const qsizetype first = text.indexOf(QStringLiteral("(10 SOCKETS)"));
        const qsizetype second = text.indexOf(QStringLiteral("(10.2 SOCKETS)"));
        const qsizetype saw = text.indexOf(QStringLiteral("(20 DRIP GROOVES)"));
        QVERIFY(first > 0 && second > first && saw > second);
        // The same cuts, at 0.6 of their feeds.
        const auto cuts = [&](qsizetype from, qsizetype to) {
            const QString part = text.mid(from, to - from);
            const qsizetype begin = part.indexOf(QStringLiteral("Z29.5"));
            return part.mid(begin, part.lastIndexOf(QStringLiteral("G0 Z47.5")) - begin);
        };
        static const QRegularExpression feed(QStringLiteral(" F\\S+"));
        const QString once = cuts(first, second);
        const QString again = cuts(second, saw);
        QVERIFY(once.count(QLatin1Char('\n')) > 40);
        QCOMPARE(QString(again).remove(feed), QString(once).remove(feed));
        QCOMPARE(once.count(feed), 1);
        QVERIFY(once.contains(QStringLiteral("F500.")) && again.contains(QStringLiteral("F300.")));
        QVERIFY(text.mid(second, saw - second).contains(QStringLiteral("S10500")));
    }

    void files_that_do_not_fit_data()
    {
        QTest::addColumn<QString>("job");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        const QString copies = QStringLiteral("focuser-hub-copies");
        const QString ring = QStringLiteral(R"({"turn": {"axis": [0, 0, 1], "angle": 60}, "count": 6})");
        QTest::newRow("nothing") << copies << ring << QStringLiteral(R"({"count": 6})")
                                 << QStringLiteral("a copy is moved, turned or mirrored");
        QTest::newRow("two") << copies << ring << QStringLiteral(R"({"turn": {"axis": [0, 0, 1], "angle": 60}, "move": [1, 0, 0]})")
                             << QStringLiteral("a copy is moved, turned or mirrored");
        QTest::newRow("mirror of a mirror") << copies << QStringLiteral(R"({"mirror": {"normal": [1, 0, 0]}})")
                                            << QStringLiteral(R"({"mirror": {"normal": [1, 0, 0]}, "count": 3})")
                                            << QStringLiteral("a mirrored copy of a mirrored one is the first again");
        QTest::newRow("no radius") << QStringLiteral("setting-numerals") << QStringLiteral(R"("radius": 55, )") << QString()
                                   << QStringLiteral("the wrap lacks \"radius\"");
        QTest::newRow("zero along the axis") << QStringLiteral("setting-numerals") << QStringLiteral(R"("zero": [0, 0, 1])")
                                             << QStringLiteral(R"("zero": [1, 0, 0])")
                                             << QStringLiteral("axis and zero of the wrap are not perpendicular");
    }
    void files_that_do_not_fit()
    {
        QFETCH(QString, job);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, message);
        const auto assembly = load_demo(job.toStdString(), {{"jobs/" + job.toStdString() + ".json", from.toStdString(), to.toStdString()}});
        QVERIFY(!assembly);
        QCOMPARE(QString::fromStdString(assembly.error().message), message);
    }
};

WEXILUM_TEST(TestArrange)

} // namespace test_arrange
#include "test_arrange.moc"
