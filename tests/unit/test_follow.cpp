// A blade that follows its path: where it turns in the cut, where it is lifted, and what it reaches. Values by hand.
#include "core/base/units.hpp"
#include "core/follow/contact_observer.hpp"
#include "core/path/kerf.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/task/arrange.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_follow {

namespace {

const Vec3 up = Vec3::UnitZ();

std::vector<Record> followed(const Follow& follow, const std::vector<RecordData>& records)
{
    Arrangement arrangement;
    arrangement.follow = follow;
    Arranger arranger(arrangement, 0.01);
    std::deque<Record> out;
    std::uint32_t line = 0;
    for (const RecordData& data : records) {
        arranger.arrange({data, {0, LineNumber(++line)}}, out);
    }
    arranger.finish(out);
    return {out.begin(), out.end()};
}

RecordData rapid(double x, double y, double z) { return record::Rapid{{Vec3(x, y, z), up}}; }
RecordData line(double x, double y, double z) { return record::Linear{{Vec3(x, y, z), up}}; }

/// "R x y z @angle" for rapids, "L …" for cuts: where the blade is, and where it points from above, deg.
QString steps_of(const std::vector<Record>& records)
{
    QStringList out;
    for (const Record& record : records) {
        if (const Pose* pose = end_pose(record.data)) {
            const char kind = std::holds_alternative<record::Rapid>(record.data)    ? 'R'
                              : std::holds_alternative<record::Linear>(record.data) ? 'L'
                                                                                    : 'C';
            const double angle = std::round(to_deg(std::atan2(pose->axis.y(), pose->axis.x())) * 1e4) / 1e4 + 0.0;
            out.push_back(
                QString::fromStdString(fmt::format("{} {:g} {:g} {:g} @{:g}", kind, pose->tip.x(), pose->tip.y(), pose->tip.z(), angle)));
        } else if (const auto* feed = std::get_if<record::Feed>(&record.data)) {
            out.push_back(QString::fromStdString(fmt::format("F {:g}", feed->value * 60)));
        }
    }
    return out.join(QLatin1String("; "));
}

Follow gentle(double deg, double curve = 25) { return {to_rad(deg), curve, 20, 0, true}; }

} // namespace

class TestFollow : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // --- the path
    void turned_before_the_cut()
    {
        QCOMPARE(steps_of(followed(gentle(5), {rapid(0, 0, 20), rapid(0, 0, 2), line(0, 0, -10), line(30, 40, -10), rapid(30, 40, 20)})),
                 QString("R 0 0 20 @53.1301; R 0 0 2 @53.1301; L 0 0 -10 @53.1301; L 30 40 -10 @53.1301; R 30 40 20 @53.1301"));
    }

    void lifted_and_turned_at_a_corner()
    {
        // Beyond the angle: out of the cut, round, and in again, at the feed for it; then on at its own.
        Follow follow = gentle(5);
        follow.plunge = 250.0 / 60;
        QCOMPARE(steps_of(followed(follow, {rapid(0, 0, 20), record::Feed{FeedMode::per_minute, 900.0 / 60}, line(0, 0, -10),
                                            line(100, 0, -10), line(100, 80, -10)})),
                 QString("R 0 0 20 @0; F 900; L 0 0 -10 @0; L 100 0 -10 @0; R 100 0 20 @0; R 100 0 20 @90; F 250; L 100 0 -10 @90; F 900; "
                         "L 100 80 -10 @90"));
    }

    void gentle_corners()
    {
        const double slope = std::tan(to_rad(4));
        // Between long cuts it turns while it stands; along short ones as it goes, half the corner at each end.
        QCOMPARE(steps_of(followed(gentle(5), {rapid(0, 0, 20), line(0, 0, -10), line(100, 0, -10), line(200, 100 * slope, -10)})),
                 QString("R 0 0 20 @0; L 0 0 -10 @0; L 100 0 -10 @0; L 100 0 -10 @4; L 200 6.99268 -10 @4"));
        QCOMPARE(steps_of(followed(gentle(5), {rapid(0, 0, 20), line(0, 0, -10), line(10, 0, -10), line(20, 10 * slope, -10)})),
                 QString("R 0 0 20 @0; L 0 0 -10 @0; L 10 0 -10 @2; L 20 0.699268 -10 @4"));
        QCOMPARE(steps_of(followed(gentle(3), {rapid(0, 0, 20), line(0, 0, -10), line(10, 0, -10), line(20, 10 * slope, -10)})),
                 QString("R 0 0 20 @0; L 0 0 -10 @0; L 10 0 -10 @0; R 10 0 20 @0; R 10 0 20 @4; L 10 0 -10 @4; L 20 0.699268 -10 @4"));
    }

    void deeper_in_the_same_cut()
    {
        // There and back without turning, or right round where it may cut one way only.
        const std::vector<RecordData> passes{rapid(0, 0, 20), line(0, 0, -5), line(50, 0, -5), line(50, 0, -10), line(0, 0, -10)};
        QCOMPARE(steps_of(followed(gentle(5), passes)), QString("R 0 0 20 @0; L 0 0 -5 @0; L 50 0 -5 @0; L 50 0 -10 @0; L 0 0 -10 @0"));
        Follow forwards = gentle(5);
        forwards.backwards = false;
        QCOMPARE(steps_of(followed(forwards, passes)),
                 QString("R 0 0 20 @0; L 0 0 -5 @0; L 50 0 -5 @0; R 50 0 20 @0; R 50 0 20 @180; L 50 0 -10 @180; L 0 0 -10 @180"));
    }

    void along_an_arc()
    {
        const record::Circular quarter{Vec3(0, 0, -10), Vec3(0, 0, 1), 40, 0, {Vec3(0, 40, -10), up}};
        const std::vector<Record> out = followed(gentle(5), {rapid(40, 0, 20), line(40, 0, -10), RecordData(quarter), line(-60, 40, -10)});
        QCOMPARE(steps_of(out), QString("R 40 0 20 @90; L 40 0 -10 @90; C 0 40 -10 @180; L -60 40 -10 @180"));
    }

    // --- the code
    void words_of_a_corner()
    {
        // Register 1 lies in the part's zero; the length is in force. C is what the blade points along.
        const auto a = load_demo("pier-cap");
        QVERIFY2(a.ok(), a.ok() ? "" : a.error().text().c_str());
        const std::vector<std::string> code = lines_of(code_of(*a));
        // Once round the outline: up the right side, the cut-off corner at 45 deg. The blade comes from 90 and may cut backwards.
        const auto corner = std::find(code.begin(), code.end(), "Y140. F1400.");
        QVERIFY(corner != code.end());
        const std::vector<std::string> expected{"G0 Z20.", "C135.", "G1 Z-12. F300.", "X220. Y200. F1400."};
        QVERIFY(std::equal(expected.begin(), expected.end(), corner + 1));
        const ReplayReport report = replay_code(*a, joined(code), true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QVERIFY(report.compared > 330);
        const ContactReport contact = check_contacts(*a, post(*a).files).value();
        QVERIFY2(contact.findings.list().empty(), qPrintable(shown(contact.findings)));
    }

    void a_blade_that_stands_askew_is_found()
    {
        const Assembly a = load_demo("pier-cap").value();
        std::vector<std::string> code = lines_of(code_of(a));
        const auto turned = std::find(code.begin(), code.end(), "C135.");
        QVERIFY(turned != code.end());
        *turned = "C134.9";
        QVERIFY(replay_code(a, joined(code)).findings.has_errors());
    }

    // --- the second cutter beside it
    void the_router_is_taken_by_a_word()
    {
        const Assembly a = load_demo("pier-cap").value();
        const std::vector<std::string> code = lines_of(code_of(a));
        const auto at = [&](const char* line) { return std::find(code.begin(), code.end(), line) - code.begin(); };
        QVERIFY(at("(10 DRIP GROOVES)") < at("M71") && at("M71") < at("T51 M6"));
        // Out of the work, the spindle standing, then the word; the blade's turn is parked before the router comes down.
        const auto router = at("M72");
        QVERIFY(router < std::ptrdiff_t(code.size()));
        const std::vector<std::string> before(code.begin() + at("(30 SOCKETS)"), code.begin() + router);
        QVERIFY2(before == std::vector<std::string>({"(30 SOCKETS)", "G53 Z0.", "M9", "M5"}), joined(before).c_str());
        QCOMPARE(code[std::size_t(router) + 1], std::string("C0."));
        // The first socket at -180 + 9: with C 0 the bit is 0.12 and -220.4 beside the blade's centre, and 27.5 below it.
        QVERIFY(std::find(code.begin() + router, code.end(), "G0 X-171.12 Y220.4") != code.end());
        const ReplayReport report = replay_code(a, joined(code), true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void words_of_mounts_gone_wrong_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("kind");
        QTest::newRow("not taken") << "M72\n"
                                   << ""
                                   << "set-missing";
        QTest::newRow("the other one") << "M72\n"
                                       << "M71\n"
                                       << "set-missing";
        QTest::newRow("nothing said") << "M71\n"
                                      << ""
                                      << "mount-unknown";
        QTest::newRow("while it turns") << "M5\nM72\n"
                                        << "M72\n"
                                        << "mount-while-turning";
        QTest::newRow("while it is low") << "G53 Z0.\nM9\nM5\nM72\n"
                                         << "M9\nM5\nM72\n"
                                         << "mount-while-low";
    }
    void words_of_mounts_gone_wrong()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, kind);
        const Assembly a = load_demo("pier-cap").value();
        const std::string code = joined(lines_of(code_of(a)));
        const std::size_t at = code.find(from.toStdString());
        QVERIFY(at != std::string::npos);
        const ReplayReport report = replay_code(a, std::string(code).replace(at, std::size_t(from.size()), to.toStdString()), true);
        QVERIFY(report.findings.has_errors());
        QVERIFY2(has_finding(report.findings, kind.toStdString()), qPrintable(shown(report.findings)));
    }

    // --- what it reaches
    void the_kerf_runs_on_by_radius_and_depth()
    {
        // 42 deep a blade of radius 174.6 cuts sqrt(42 (349.2 - 42)) = 113.59 beyond its middle.
        Assembly a = load_demo("pier-cap").value();
        const Tool& blade = *a.setup.find_tool(51);
        const double on = std::sqrt(42 * (349.2 - 42));
        for (const double gap : {-0.05, 0.05}) {
            Body body;
            body.id = "sill";
            body.size = Vec3(50, 100, 40); // its top is the surface
            body.frame = Eigen::Translation3d(on + gap + 25, 0, -40) * Frame::Identity();
            a.setup.works.front().kept = {body};
            const KerfWatch watch(a);
            const Pose from{Vec3(-200, 0, -42), Vec3::UnitX()};
            const Pose to{Vec3(0, 0, -42), Vec3::UnitX()};
            QCOMPARE(watch.reached(from, to, blade, 0) != nullptr, gap < 0);
            // Beside it by half the blade's width.
            for (const double aside : {1.55, 1.65}) {
                a.setup.works.front().kept[0].frame.translation().y() = 50 + aside;
                const KerfWatch beside(a);
                QCOMPARE(beside.reached(from, to, blade, 0) != nullptr, gap < 0 && aside < 1.6);
            }
        }
    }

    void a_neighbour_that_is_reached()
    {
        const Assembly a = load_demo("fails-blade-overruns").value();
        const RunResult run = post(a);
        const auto& list = run.findings.list();
        const auto found = std::find_if(list.begin(), list.end(), [](const Finding& f) { return f.kind == "reaches-kept"; });
        QVERIFY2(found != list.end(), qPrintable(shown(run.findings)));
        QCOMPARE(QString::fromStdString(found->message), QString("the blade reaches second cap, which is not to be cut"));
        QCOMPARE(QString::fromStdString(found->source.file), QString("toolpaths/pier-outline.cl"));
        // The replayed motion says the same.
        const ContactReport contact = check_contacts(a, run.files).value();
        QVERIFY2(has_finding(contact.findings, "contact"), qPrintable(shown(contact.findings)));
        QVERIFY(contact.findings.list().front().message.find("second cap") != std::string::npos);
    }

    void refused_data()
    {
        QTest::addColumn<QString>("follow");
        QTest::addColumn<QString>("message");
        QTest::newRow("no lift") << R"({"gentle": 1.5})"
                                 << "the following lacks \"lift\"";
        QTest::newRow("wound as well")
            << R"({"gentle": 1.5, "lift": 20}, "wrap": {"radius": 5, "turns": "x", "axis": [1, 0, 0], "zero": [0, 0, 1]})"
            << "a wound toolpath can't be followed by a blade";
    }
    void refused()
    {
        QFETCH(QString, follow);
        QFETCH(QString, message);
        const auto a =
            load_demo("pier-cap", {{"jobs/pier-cap.json", R"({"gentle": 1.5, "lift": 20, "plunge": 250})", follow.toStdString()}});
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().message), message);
    }
};

WEXILUM_TEST(TestFollow)

} // namespace test_follow
#include "test_follow.moc"
