// Links: clearance surfaces, the lists of partial moves, and what the replay makes of them.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/geometry/clearance.hpp"
#include "core/run/post_run.hpp"
#include "core/task/links.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QTest>

#include <algorithm>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_links {

namespace {

const std::string numerals = "jobs/setting-numerals.json";
const std::string ring = R"("clearance": {"cylinder": {"point": [0, 0, 0], "direction": [1, 0, 0], "diameter": 114}})";
const std::string within = R"("within": [{"to": "leave"}, {"to": "ride"}, {"to": "start"}])";

/// The numerals on the rim with other links.
Result<Assembly> with_links(const std::string& links, const std::vector<Edit>& more = {})
{
    std::vector<Edit> edits{{numerals, ring + ",\n       " + within, links}};
    edits.insert(edits.end(), more.begin(), more.end());
    return load_demo("setting-numerals", edits);
}

std::size_t count_of(const std::vector<std::string>& lines, const std::string& line)
{
    return std::size_t(std::count(lines.begin(), lines.end(), line));
}

std::vector<ClearanceSurface> surfaces()
{
    return {ClearanceSurface::plane(Vec3(3, -2, 40), Vec3(1, 2, 2)), ClearanceSurface::cylinder(Vec3(5, 6, 7), Vec3(2, -1, 2), 60),
            ClearanceSurface::sphere(Vec3(-4, 8, 20), 75), ClearanceSurface::box(Vec3(-30, -50, -10), Vec3(40, 20, 90))};
}

double length_of(const SurfaceWay& way)
{
    double out = 0;
    constexpr int parts = 20000;
    for (int k = 0; k < parts; ++k) {
        out += (way.at(double(k + 1) / parts) - way.at(double(k) / parts)).norm();
    }
    return out;
}

} // namespace

class TestLinks : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // --- surfaces

    void heights_and_ways_out()
    {
        const auto box = ClearanceSurface::box(Vec3(-10, -20, 0), Vec3(10, 20, 30));
        QCOMPARE(box.height(Vec3(0, 0, 10)), -10.0);
        QCOMPARE(box.height(Vec3(13, 24, 10)), 5.0);
        QCOMPARE(*box.way_out(Vec3(2, 3, 4), Vec3(0, 0, 1)), Vec3(2, 3, 30));
        QCOMPARE(*box.way_out(Vec3(2, 3, 4), Vec3(0.6, 0, 0.8)), Vec3(10, 3, 4 + 8 / 0.6 * 0.8));
        QCOMPARE(*box.way_out(Vec3(-40, 3, 4), Vec3(1, 0, 0)), Vec3(10, 3, 4)); // outside, but the tool behind it goes through
        QCOMPARE(*box.way_out(Vec3(-40, 3, 4), Vec3(-1, 0, 0)), Vec3(-40, 3, 4));
        QCOMPARE(*box.way_out(Vec3(-40, 25, 4), Vec3(1, 0, 0)), Vec3(-40, 25, 4)); // passes beside it

        const auto plane = ClearanceSurface::plane(Vec3(0, 0, 50), Vec3(0, 0, 1));
        QCOMPARE(*plane.way_out(Vec3(1, 2, 20), Vec3(0.6, 0, 0.8)), Vec3(1 + 30 / 0.8 * 0.6, 2, 50));
        QVERIFY(!plane.way_out(Vec3(1, 2, 20), Vec3(1, 0, 0)));
        QVERIFY(!plane.way_out(Vec3(1, 2, 60), Vec3(0.6, 0, -0.8))); // the tool comes down through it
        QVERIFY(plane.is_clear({Vec3(1, 2, 60), Vec3(1, 0, 0)}));

        const auto cylinder = ClearanceSurface::cylinder(Vec3(0, 0, 5), Vec3(0, 0, 1), 50);
        QCOMPARE(cylinder.height(Vec3(30, 40, 700)), 0.0);
        QCOMPARE(*cylinder.way_out(Vec3(30, 0, 1), Vec3(0, 1, 0)), Vec3(30, 40, 1));
        QVERIFY(!cylinder.way_out(Vec3(30, 0, 1), Vec3(0, 0, 1))); // along it, inside
        QVERIFY(!cylinder.is_clear({Vec3(-60, 0, 0), Vec3(1, 0, 0)}));

        const auto sphere = ClearanceSurface::sphere(Vec3(0, 0, 10), 50);
        QCOMPARE(*sphere.way_out(Vec3(30, 0, 10), Vec3(0, 0, 1)), Vec3(30, 0, 50));
        QCOMPARE(sphere.shrunk(-2).height(Vec3(0, 0, 100)), 38.0);
    }

    void ways_stay_on_the_surface()
    {
        const auto seed = std::random_device{}();
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(-120, 120);
        const std::vector<ClearanceSurface> all = surfaces();
        for (int i = 0; i < 400; ++i) {
            const Vec3 a(any(random), any(random), any(random));
            const Vec3 b(any(random), any(random), any(random));
            for (std::size_t s = 0; s < all.size(); ++s) {
                const Vec3 from = all[s].nearest(a);
                const Vec3 to = all[s].nearest(b);
                const SurfaceWay way = all[s].way(a, b);
                double off = (way.at(0) - from).norm() + (way.at(1) - to).norm();
                for (int k = 0; k <= 50; ++k) {
                    off = std::max(off, std::abs(all[s].height(way.at(k / 50.0))));
                }
                QVERIFY2(off < 1e-8, qPrintable(QStringLiteral("seed %1, surface %2, off %3").arg(seed).arg(s).arg(off)));
                // No point of the surface is nearer than the nearest.
                QVERIFY((a - from).norm() <= (a - to).norm() + 1e-9);
            }
        }
    }

    void ways_are_short()
    {
        // Sphere: the great circle. Cylinder: a helix, the other way round where the tool turns so. Box: unfolded.
        const auto sphere = ClearanceSurface::sphere(Vec3::Zero(), 10);
        QVERIFY(std::abs(length_of(sphere.way(Vec3(10, 0, 0), Vec3(0, 0, 20))) - 10 * pi / 2) < 1e-5);
        const auto cylinder = ClearanceSurface::cylinder(Vec3::Zero(), Vec3::UnitZ(), 10);
        QVERIFY(std::abs(length_of(cylinder.way(Vec3(10, 0, 0), Vec3(0, 10, 7))) - std::hypot(10 * pi / 2, 7)) < 1e-5);
        QVERIFY(std::abs(length_of(cylinder.way(Vec3(10, 0, 0), Vec3(0, 10, 7), -4)) - std::hypot(10 * 1.5 * pi, 7)) < 1e-4);
        QVERIFY(std::abs(length_of(cylinder.way(Vec3(10, 0, 0), Vec3(0, 10, 7), 8)) - std::hypot(10 * 2.5 * pi, 7)) < 1e-4);
        const auto box = ClearanceSurface::box(Vec3(0, 0, 0), Vec3(10, 20, 30));
        const SurfaceWay over_one = box.way(Vec3(4, 5, 30), Vec3(10, 12, 21)); // top and a side: 6 + 9 across, 7 along
        QVERIFY(std::abs(length_of(over_one) - std::hypot(15, 7)) < 1e-3);
        QCOMPARE(over_one.bends.size(), std::size_t(1));
        const SurfaceWay over_two = box.way(Vec3(0, 4, 25), Vec3(10, 6, 27)); // over the top: 5 + 10 + 3 across, 2 along
        QVERIFY(std::abs(length_of(over_two) - std::hypot(18, 2)) < 1e-3);
        QCOMPARE(over_two.bends.size(), std::size_t(2));
        QCOMPARE(box.way(Vec3(1, 2, 30), Vec3(3, 4, 30)).bends.size(), std::size_t(0));
    }

    // --- lists

    void lists_that_nobody_states()
    {
        const auto text = [](const char* job, std::size_t operation) {
            const Assembly a = load_demo(job).value();
            return QString::fromStdString(text_of(a.links[operation], a.machine));
        };
        QCOMPARE(
            text("setting-circle", 0),
            QString("{\n  \"approach\": [{\"joints\": [\"Z\"], \"to\": \"home\"}, {\"joints\": [\"A\"], \"to\": \"start\"}, "
                    "{\"joints\": [\"X\", \"Y\"], \"to\": \"clear\"}, {\"joints\": [\"Z\"], \"to\": \"clear\"}, {\"to\": \"start\"}],\n"
                    "  \"retreat\": [{\"to\": \"leave\"}, {\"joints\": [\"Z\"], \"to\": \"home\"}]\n}"));
        // The quill works in place of the column.
        QCOMPARE(
            text("fork-arm", 1),
            QString("{\n  \"approach\": [{\"joints\": [\"R\"], \"to\": \"home\"}, {\"joints\": [\"B\"], \"to\": \"start\"}, "
                    "{\"joints\": [\"X\", \"Y\"], \"to\": \"clear\"}, {\"joints\": [\"R\"], \"to\": \"clear\"}, {\"to\": \"start\"}],\n"
                    "  \"retreat\": [{\"to\": \"leave\"}, {\"joints\": [\"R\"], \"to\": \"home\"}]\n}"));
    }

    void what_is_printed_can_be_stated()
    {
        const std::string code = code_of(load_demo("setting-circle").value());
        const Assembly plain = load_demo("setting-circle").value();
        const std::string text = text_of(plain.links[0], plain.machine);
        const Assembly stated =
            load_demo("setting-circle", {{"jobs/setting-circle.json", R"("operations":)", "\"links\": " + text + ",\n  \"operations\":"}})
                .value();
        QVERIFY(stated.links[0].own_approach && stated.links[0].own_retreat);
        QCOMPARE(code_of(stated), code);
    }

    void retreat_is_the_approach_the_other_way_round()
    {
        const Assembly a = with_links(R"("approach": [{"joints": ["Z"], "to": "home"}, {"joints": ["X", "A"], "to": "home"},
            {"joints": ["A"], "to": "start"}, {"joints": ["X", "Y"], "to": "start"}, {"to": {"Z": -150}}, {"to": "start"}])")
                               .value();
        const std::string text = text_of({std::nullopt, {}, a.links[0].retreat, {}, true, true}, a.machine);
        QCOMPARE(QString::fromStdString(text),
                 QString("{\n  \"retreat\": [{\"to\": {\"Z\": -150}}, {\"joints\": [\"Z\"], \"to\": \"home\"}, "
                         "{\"joints\": [\"X\"], \"to\": \"home\"}, {\"joints\": [\"A\"], \"to\": \"home\"}]\n}"));
    }

    // --- what is written

    void the_rim_turns_under_the_tool()
    {
        const std::vector<std::string> safe = lines_of(code_of(with_links(R"("within": [])").value()));
        const Assembly a = load_demo("setting-numerals").value();
        const std::vector<std::string> riding = lines_of(code_of(a));
        // Retract, turn, over the place and down, or one block that does all of it.
        const std::size_t retracts = count_of(safe, "G53 Z0.");
        QVERIFY(retracts > 90);
        QCOMPARE(count_of(riding, "G53 Z0."), std::size_t(1)); // behind the last stroke
        QVERIFY(riding.size() < safe.size() - 2 * (retracts - 1));
        // The second stroke: one block round, at the height of both ends.
        const auto at = std::find(riding.begin(), riding.end(), "X18.9 A352.031");
        QVERIFY(at != riding.end());
        QCOMPARE(*(at - 1), std::string("G0 Z58."));
        QCOMPARE(*(at + 1), std::string("G1 Z54.75 F120."));
        const ReplayReport report = replay_code(a, joined(riding), true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void parts_can_be_split_dropped_and_added()
    {
        // Down in two: to a stated reading of the machine, then to the place.
        const Assembly a = with_links(R"("approach": [{"joints": ["Z"], "to": "home"}, {"joints": ["A", "X"], "to": "start"},
            {"joints": ["Y"], "to": "start"}, {"to": {"Z": -120}}, {"to": "start"}])")
                               .value();
        const std::vector<std::string> code = lines_of(code_of(a));
        const auto down = std::find(code.begin(), code.end(), "G43 Z58. H11");
        QVERIFY(down != code.end());
        QCOMPARE(*(down - 1), std::string("Z140.")); // the register puts Z 0 at -260
        QCOMPARE(*(down - 2), std::string("Y0."));
        QCOMPARE(*(down - 3), std::string("G0 X17. A1.042"));
        QVERIFY(std::find(code.begin(), code.end(), "Z77.59") != code.end()); // and back that way: the length is in force
        const ReplayReport report = replay_code(a, joined(code), true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void random_rides_stay_outside()
    {
        // Ports all round the hub with boxes, spheres and planes that hold it; the replay judges by its own samples.
        const auto seed = std::random_device{}();
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> more(0, 40);
        std::uniform_real_distribution<double> any(-20, 20);
        const std::string plain = R"({"sphere": {"point": [0, 0, 30], "diameter": 210}})";
        for (int i = 0; i < 24; ++i) {
            const std::string sphere = fmt::format(R"({{"sphere": {{"point": [{:.3f}, {:.3f}, {:.3f}], "diameter": {:.3f}}}}})",
                                                   any(random), any(random), 30 + any(random), 260 + more(random));
            const std::string box =
                fmt::format(R"({{"box": {{"low": [{:.3f}, {:.3f}, {:.3f}], "high": [{:.3f}, {:.3f}, {:.3f}]}}}})", -95 - more(random),
                            -95 - more(random), -more(random), 95 + more(random), 95 + more(random), 100 + more(random));
            const Assembly a =
                load_demo("focuser-hub-copies", {{"jobs/focuser-hub-copies.json", plain, i % 2 == 0 ? sphere : box}}).value();
            const ReplayReport report = replay_code(a, code_of(a), true);
            QVERIFY2(!report.findings.has_errors(),
                     qPrintable(QStringLiteral("seed %1, %2: %3").arg(seed).arg(i).arg(shown(report.findings))));
        }
    }

    void a_ride_that_loses_a_block_is_found()
    {
        const Assembly a = load_demo("focuser-hub-copies").value();
        std::vector<std::string> code = lines_of(code_of(a));
        const auto first = std::find_if(code.begin(), code.end(), [](const std::string& l) { return l.find("B-81.5381 C-126") != l.npos; });
        QVERIFY(first != code.end());
        const auto line = std::uint32_t(first - code.begin()) + 1;
        code.erase(first + 1, first + 4); // the way round now goes straight through
        const ReplayReport report = replay_code(a, joined(code));
        QVERIFY2(has_finding(report.findings, "turns-while-low", line + 1), qPrintable(shown(report.findings)));
    }

    void turning_low_is_found_whatever_the_job_says()
    {
        const Assembly a = load_demo("fails-turns-while-low").value();
        const ReplayReport report = replay_code(a, code_of(a));
        QVERIFY2(has_finding(report.findings, "turns-while-low"), qPrintable(shown(report.findings)));
    }

    void leaning_tools_come_along_themselves()
    {
        // To 2 mm outside of what the plane's cuts touch, then in along the plane's own Z.
        const std::vector<std::string> code = lines_of(code_of(load_demo("focuser-hub").value()));
        std::size_t planes = 0;
        for (std::size_t i = 0; i + 3 < code.size(); ++i) {
            if (code[i].find(" G152 ") != std::string::npos && !code[i].ends_with("I0. J0. K0.")) {
                ++planes;
                QVERIFY2((code[i + 1] + code[i + 2]).find(" Z2.") != std::string::npos, code[i].c_str());
                QVERIFY2(code[i + 3].ends_with("Z0."), code[i + 3].c_str());
            }
        }
        QCOMPARE(planes, std::size_t(10));
    }

    // --- what is refused

    void refused_data()
    {
        QTest::addColumn<QString>("links");
        QTest::addColumn<QString>("message");
        QTest::addColumn<QString>("cure");
        QTest::newRow("no surface") << R"("within": [{"to": "ride"}, {"to": "start"}])"
                                    << "the operation 10 has no clearance surface to ride on"
                                    << "state \"clearance\" in its links";
        QTest::newRow("no joint") << R"("approach": [{"joints": ["W"], "to": "home"}, {"to": "start"}])"
                                  << "a partial move names \"W\", which is not a joint of the machine"
                                  << "name one of its joints";
        QTest::newRow("no end") << R"("approach": [{"joints": ["Z"], "to": "home"}])"
                                << "the approach of the operation 10 does not end at its place"
                                << "let its last partial move be {\"to\": \"start\"}";
        QTest::newRow("half an end") << R"("within": [{"joints": ["Z"], "to": "start"}])"
                                     << "the within of the operation 10 does not end at its place"
                                     << "let its last partial move be {\"to\": \"start\"}";
        QTest::newRow("forward retreat") << R"("retreat": [{"to": "start"}])"
                                         << "\"start\" has no meaning in the retreat"
                                         << "a retreat leads to \"leave\", \"home\" or readings: it does not know the next place";
        QTest::newRow("leave on the way in") << R"("approach": [{"to": "leave"}, {"to": "start"}])"
                                             << "\"leave\" has no meaning in the approach"
                                             << "\"leave\" belongs in the retreat of the operation before";
        QTest::newRow("home of nothing") << R"("retreat": [{"to": "home"}])"
                                         << "nothing says which joints go home"
                                         << "name them under \"joints\"";
        QTest::newRow("joints of a ride") << ring.c_str() + QString(R"(, "within": [{"joints": ["X"], "to": "ride"}, {"to": "start"}])")
                                          << "\"ride\" takes no joints"
                                          << "remove \"joints\"";
        QTest::newRow("beyond travel") << R"("retreat": [{"to": {"Z": 12}}])"
                                       << "Z can't be brought to 12: it goes from -240 to 0"
                                       << "state a reading inside its travel";
        QTest::newRow("two surfaces") << R"("clearance": {"sphere": {"point": [0, 0, 0], "diameter": 5},
                                             "box": {"low": [0, 0, 0], "high": [1, 1, 1]}})"
                                      << "a clearance is one surface"
                                      << "write one of \"plane\", \"cylinder\", \"sphere\", \"box\"";
        QTest::newRow("no inside") << R"("clearance": {"box": {"low": [0, 0, 0], "high": [1, 1, 0]}})"
                                   << "the box of the clearance has no inside"
                                   << "state its low corner under \"low\", the other under \"high\"";
    }
    void refused()
    {
        QFETCH(QString, links);
        QFETCH(QString, message);
        QFETCH(QString, cure);
        const auto a = with_links(links.toStdString());
        QVERIFY(!a);
        QCOMPARE(QString::fromStdString(a.error().message), message);
        QCOMPARE(QString::fromStdString(a.error().cure), cure);
        QCOMPARE(a.error().place.file, numerals);
        QVERIFY(a.error().place.line >= 13);
    }

    void a_parked_joint_is_refused()
    {
        const auto a =
            load_demo("fork-arm", {{"jobs/fork-arm.json", R"("parked": {"Z": 360, "W": -200}})",
                                    R"("parked": {"Z": 360, "W": -200}}, "links": {"retreat": [{"joints": ["Z"], "to": "home"}]})"}});
        QVERIFY(!a);
        QCOMPARE(QString::fromStdString(a.error().message), QString("Z does not move the tool in the operation 20"));
    }

    void findings_of_the_run_data()
    {
        QTest::addColumn<QString>("links");
        QTest::addColumn<QString>("kind");
        QTest::addColumn<QString>("message");
        QTest::newRow("no way out") << R"("clearance": {"plane": {"point": [0, 0, 90], "direction": [0, 0, 1]}})"
                                    << "no-way-out"
                                    << "";
        QTest::newRow("from inside")
            << R"("clearance": {"sphere": {"point": [0, 0, 0], "diameter": 900}}, "approach": [{"to": "ride"}, {"to": "start"}])"
            << "ride-from-inside"
            << "";
        QTest::newRow("too far out") << R"("clearance": {"cylinder": {"point": [0, 0, 0], "direction": [1, 0, 0], "diameter": 560}})"
                                     << "beyond-travel"
                                     << "Z goes 83.410 mm beyond the high end of its travel";
    }
    void findings_of_the_run()
    {
        QFETCH(QString, links);
        QFETCH(QString, kind);
        QFETCH(QString, message);
        const RunResult run = post(with_links(links.toStdString()).value());
        const auto& list = run.findings.list();
        const auto found = std::find_if(list.begin(), list.end(), [&](const Finding& f) { return f.kind == kind.toStdString(); });
        QVERIFY2(found != list.end(), qPrintable(shown(run.findings)));
        QVERIFY2(found->message.find(message.toStdString()) != std::string::npos, found->message.c_str());
        QVERIFY(found->severity == Severity::error);
    }
};

WEXILUM_TEST(TestLinks)

} // namespace test_links
#include "test_links.moc"
