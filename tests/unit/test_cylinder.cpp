// Ways on a cylinder's surface, and the control's own way round: where its words bring the machine, and what the post makes of them.
// Values by hand from the drawing of Brae 4R: a point of the rim at the angle t (right-handed about X, from Z) comes to the top at A = -t.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/record_spool.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/near.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QRegularExpression>
#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_cylinder {

namespace {

const std::string job = "jobs/setting-numerals-by-mode.json";
const std::string control_file = "controllers/ness-r.json";
const std::string style_file = "dialects/ness-r.json";

/// A cylinder of radius 50 about Z with its beginning along X; from (0, 0, 0) on.
WoundWay way_to(const Vec3& to)
{
    WoundWay way;
    way.radius = 50;
    way.to = to;
    return way;
}

/// The router's control, run on lines of code. Its offset: X 65, Y -20.5, Z -260.
struct Control {
    Assembly assembly;
    Moves moves;
    FindingList findings;
    std::string file = "code";
    FedControl control;
    explicit Control(std::initializer_list<const char*> lines, double offset_of_a = 0)
        : assembly(load_demo("setting-numerals-by-mode").value()),
          control(assembly.controller, assembly.machine, memory(offset_of_a), false, file, moves, findings)
    {
        for (const char* line : {"G53 G0 Z0.", "T11 M6", "G0 X0. Y0. A0.", "G43 H11 Z60."}) {
            control.line(line);
        }
        for (const char* line : lines) {
            control.line(line);
        }
    }
    [[nodiscard]] ControlMemory memory(double offset_of_a) const
    {
        ControlMemory out = control_memory(assembly.machine, assembly.setup);
        out.offsets["1"][assembly.machine.find_joint("A")->value] = to_rad(offset_of_a);
        return out;
    }
    [[nodiscard]] double reading(const char* joint) const { return of(control.readings(), joint); }
    [[nodiscard]] double of(const Readings& readings, const char* joint) const
    {
        const double r = readings[Eigen::Index(assembly.machine.find_joint(joint)->value)];
        return joint[0] == 'A' ? to_deg(r) : r;
    }
};

const char* const cl_head = "PARTNO TEST\nUNITS/MM\nMULTAX/ON\nLOADTL/ 11\nSPINDL/ 18000, RPM, CLW\nCOOLNT/AIR\n";

/// The numerals' job, written by the control's cylinder or by words of the rotary joint, with another toolpath.
Result<Assembly> with_path(bool by_mode, const std::string& moves, const std::vector<Edit>& edits = {})
{
    return demo_with_toolpath(by_mode ? "setting-numerals-by-mode" : "setting-numerals", cl_head + moves + "FINI\n", edits);
}

std::string at(double x, double y, double z) { return fmt::format("GOTO/ {:.4f}, {:.4f}, {:.4f}, 0, 0, 1\n", x, y, z); }

/// A quarter of a circle of radius 10 in the flat, from (10, 0) round (0, 0) to (0, 10).
const std::string quarter = "RAPID\n" + at(10, 0, 3) + "FEDRAT/ 120, MMPM\n" + at(10, 0, 0) + "FEDRAT/ 260, MMPM\n" +
                            "CIRCLE/ 0, 0, 0, 0, 0, 1, 10\n" + at(0, 10, 0) + "RAPID\n" + at(0, 10, 3);

} // namespace

class TestCylinder : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // --- ways on a surface
    void a_line_is_a_helix()
    {
        // A quarter round, 30 along, from the surface to 2 above it.
        const WoundWay way = way_to({25 * pi, 30, 2});
        const double c = std::sqrt(0.5);
        COMPARE_POINT(way.at(0.5).tip, Vec3(51 * c, 51 * c, 15), 1e-12);
        COMPARE_POINT(way.at(0.5).axis, Vec3(c, c, 0), 1e-12);
        COMPARE_POINT(way.at(1).tip, Vec3(0, 52, 30), 1e-12);
        COMPARE_NEAR(way.length(), std::sqrt(625 * pi * pi + 904), 1e-9);
        COMPARE_NEAR(way.nearest(way.at(0.3).tip), 0.3, 1e-12);
        COMPARE_NEAR(way.nearest(Vec3(50, 0, -4)), 0, 1e-12);
        COMPARE_POINT(way.between(0.5, 1)->at(0.5).tip, way.at(0.75).tip, 1e-12);
        const PathPiece piece{way.at(0), way.at(1), std::nullopt, std::make_shared<const WoundWay>(way)};
        COMPARE_NEAR(piece.turn_rate(), 1.0 / 50, 1e-12); // never more than along the turn
        const auto [before, after] = split_at(piece, 0.25, piece.at(0.25));
        COMPARE_POINT(before.at(1).tip, way.at(0.25).tip, 1e-12);
        COMPARE_POINT(after.at(1.0 / 3).tip, way.at(0.5).tip, 1e-12);
    }

    void a_mirrored_way_is_the_mirror_of_the_way()
    {
        constexpr unsigned seed = 91;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(-1, 1);
        for (int i = 0; i < 200; ++i) {
            WoundWay way = way_to({60 * any(random), 40 * any(random), 5 * any(random)});
            way.cylinder.linear() = Eigen::Quaterniond(any(random), any(random), any(random), any(random)).normalized().toRotationMatrix();
            way.cylinder.translation() = Vec3(any(random), any(random), any(random)) * 100;
            if (i % 2 == 0) {
                Arc arc;
                arc.end = way.to;
                arc.centre = way.to * 0.5;
                arc.centre.z() = 0;
                arc.normal = i % 4 == 0 ? Vec3::UnitZ() : Vec3(-Vec3::UnitZ());
                arc.sweep = pi;
                way.arc = arc;
            }
            const Vec3 across = Vec3(any(random), any(random), any(random)).normalized();
            const Mat3 mirror = Mat3::Identity() - 2 * across * across.transpose();
            const Vec3 move(1, 2, 3);
            const auto moved = std::static_pointer_cast<const WoundWay>(way.moved(mirror, move));
            const WoundWay& image = *moved;
            COMPARE_NEAR(image.cylinder.linear().determinant(), 1, 1e-9);
            for (const double s : {0.0, 0.2, 0.5, 0.9, 1.0}) {
                COMPARE_POINT(image.at(s).tip, Vec3(mirror * way.at(s).tip + move), 1e-9);
                COMPARE_POINT(image.at(s).axis, Vec3(mirror * way.at(s).axis), 1e-9);
            }
        }
    }

    void a_wound_record_comes_back_from_the_spool()
    {
        WoundWay way = way_to({20, 0, 0});
        way.cylinder.translation() = Vec3(7, 8, 9);
        way.arc = Arc{way.from, way.to, Vec3(10, 0, 0), -Vec3::UnitZ(), pi};
        MemorySpool spool;
        RecordSpoolWriter writer(spool);
        writer.put({record::Wound{std::make_shared<const WoundWay>(way), way.at(1)}, {3, LineNumber(4)}});
        QVERIFY(writer.flush());
        RecordSpoolReader reader(spool);
        Record out;
        QVERIFY(reader.next(out));
        const auto& wound = std::get<record::Wound>(out.data);
        QCOMPARE(out.source.line.value, 4U);
        for (const double s : {0.0, 0.3, 1.0}) {
            COMPARE_POINT(wound.way->at(s).tip, way.at(s).tip, 0.0);
        }
        COMPARE_POINT(wound.to.tip, way.at(1).tip, 0.0);
        QVERIFY(!reader.next(out));
    }

    // --- the control
    void the_way_round_turns_the_joint()
    {
        // A quarter of the rim at radius 60 is 94.2478 mm; half of it has been done by the rotary word.
        const Control c({"G0 A45.", "G130 R60.", "G1 Y94.248 X10. F600."});
        QVERIFY2(c.findings.list().empty(), qPrintable(shown(c.findings)));
        COMPARE_NEAR(c.reading("A"), to_deg(94.248 / 60), 1e-9);
        COMPARE_NEAR(c.reading("Y"), -20.5, 1e-12); // stands
        COMPARE_NEAR(c.reading("X"), 75.0, 1e-12);
        // 47.124 round and 10 along at 10 mm/s.
        COMPARE_NEAR(c.moves.list.back().seconds, std::hypot(94.248 - 15 * pi, 10) / 10, 1e-9);
        const Control shifted({"G130 R60.", "G1 Y0. F600.", "Y30."}, 5);
        COMPARE_NEAR(shifted.reading("A"), 5 + to_deg(0.5), 1e-9);
        const Control further({"G130 R60.", "G91 G1 Y30. F600.", "Y30.", "Z-5.", "G90 G131", "A0."});
        COMPARE_NEAR(further.of(further.moves.list[further.moves.list.size() - 2].to, "A"), to_deg(1.0), 1e-9);
        COMPARE_NEAR(further.reading("A"), 0.0, 1e-9);
    }

    void an_arc_of_the_flat()
    {
        // Half a circle of radius 10 from Y 0 to Y 20: counter-clockwise in the plane of X and Y it bends towards +X.
        const Control c({"G130 R60.", "G17 G3 Y20. J10. F300."});
        QVERIFY2(c.findings.list().empty(), qPrintable(shown(c.findings)));
        const ReplayMove& arc = c.moves.list.back();
        const Readings top = arc.at(0.5);
        COMPARE_NEAR(c.of(top, "X"), 75.0, 1e-9);
        COMPARE_NEAR(c.of(top, "A"), to_deg(10.0 / 60), 1e-9);
        COMPARE_NEAR(c.of(top, "Y"), -20.5, 1e-12);
        COMPARE_NEAR(c.of(arc.at(0.25), "X"), 65 + 10 * std::sqrt(0.5), 1e-9);
        COMPARE_NEAR(c.of(arc.at(0.25), "A"), to_deg((10 - 10 * std::sqrt(0.5)) / 60), 1e-9);
        COMPARE_NEAR(c.reading("A"), to_deg(20.0 / 60), 1e-9);
        COMPARE_NEAR(arc.seconds, 10 * pi / 5, 1e-9);
    }

    void words_that_have_no_meaning_data()
    {
        QTest::addColumn<QString>("line");
        QTest::addColumn<QString>("message");
        QTest::newRow("the joint's own word") << QStringLiteral("G0 A10.")
                                              << QStringLiteral("the word A has no meaning while Y tells the way round the cylinder");
        QTest::newRow("no radius") << QStringLiteral("G130")
                                   << QStringLiteral("the control can't take these coordinates: the cylinder's radius R is missing, or not "
                                                     "above zero");
        QTest::newRow("no size") << QStringLiteral("G130 R0.")
                                 << QStringLiteral("the control can't take these coordinates: the cylinder's radius R is missing, or not "
                                                   "above zero");
    }
    void words_that_have_no_meaning()
    {
        QFETCH(QString, line);
        QFETCH(QString, message);
        Control c({"G130 R60."});
        c.control.line(line.toStdString());
        QVERIFY(!c.findings.list().empty());
        QCOMPARE(QString::fromStdString(c.findings.list().front().message), message);
    }

    // --- the post
    void a_quarter_by_hand()
    {
        // In the program X is the flat Y and Y the flat X turned round: the quarter leads from Y -10 to X 10, its centre at zero.
        const Assembly a = with_path(true, quarter).value();
        const std::string code = code_of(a);
        const QString text = QString::fromStdString(code);
        QVERIFY2(text.contains(QStringLiteral("\nG130 R55.\nG1 Y-10. Z55. F120.\nG3 X10. Y0. J10. F260.\n")), code.c_str());
        const ReplayReport report = replay_code(a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void the_same_quarter_by_words()
    {
        const Assembly a = with_path(false, quarter).value();
        const std::string code = code_of(a);
        static const QRegularExpression block(QStringLiteral("^X(\\S+) A(\\S+) F(\\S+)$"), QRegularExpression::MultilineOption);
        auto found = block.globalMatch(QString::fromStdString(code));
        int blocks = 0;
        while (found.hasNext()) {
            const auto words = found.next();
            const double along = words.captured(1).toDouble();
            const double angle = std::remainder(words.captured(2).toDouble(), 360.0);
            COMPARE_NEAR(std::hypot(to_rad(angle) * 55, along), 10, 0.002);
            ++blocks;
        }
        QVERIFY2(blocks >= 6 && blocks <= 40, code.c_str());
        const ReplayReport report = replay_code(a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void a_line_round_is_one_block_in_either_form()
    {
        // 40 round at radius 55: 41.670 deg.
        const std::string moves = "RAPID\n" + at(0, 0, 3) + "FEDRAT/ 120, MMPM\n" + at(0, 0, 0) + "FEDRAT/ 260, MMPM\n" + at(40, 8, 0);
        const QString words = QString::fromStdString(code_of(with_path(false, moves).value()));
        // The control counts the 8 mm along alone: 8 / (hypot(40, 8) / 260).
        QVERIFY2(words.contains(QStringLiteral("\nX8. A318.33 F51.\n")), qPrintable(words));
        const QString mode = QString::fromStdString(code_of(with_path(true, moves).value()));
        QVERIFY2(mode.contains(QStringLiteral("\nX8. Y-40. F260.\n")), qPrintable(mode));
    }

    void random_flat_paths_are_proven_in_both_forms()
    {
        constexpr unsigned seed = 92;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(-1, 1);
        for (int i = 0; i < 24; ++i) {
            // Drawn as u round and v along; where Y turns the flat is the same turned by a quarter.
            const bool y = i % 3 == 0;
            const auto place = [&](double u, double v, double h) {
                return y ? fmt::format("GOTO/ {:.6f}, {:.6f}, {}, 0, 0, 1\n", -v, u, h)
                         : fmt::format("GOTO/ {:.6f}, {:.6f}, {}, 0, 0, 1\n", u, v, h);
            };
            std::string moves;
            for (int k = 0; k < 12; ++k) {
                double u = 170 * any(random);
                double v = 14 * any(random);
                moves += "RAPID\n" + place(u, v, 3) + "FEDRAT/ 120, MMPM\n" + place(u, v, -0.3) + "FEDRAT/ 300, MMPM\n";
                for (int m = 0; m < 4; ++m) {
                    const double radius = 2 + 9 * std::abs(any(random));
                    const double from = pi * any(random);
                    const double to = from + 3 * any(random);
                    const double cu = u - radius * std::cos(from);
                    const double cv = v - radius * std::sin(from);
                    moves += fmt::format("CIRCLE/ {:.6f}, {:.6f}, -0.3, 0, 0, {}, {:.6f}\n", y ? -cv : cu, y ? cu : cv, to > from ? 1 : -1,
                                         radius);
                    moves += place(cu + radius * std::cos(to), cv + radius * std::sin(to), -0.3);
                    u = cu + radius * std::cos(to) + 60 * any(random);
                    // This control times by the way along alone: a line that is nearly all turn has no feed word fine enough.
                    const double along = 12 * any(random);
                    v = cv + radius * std::sin(to) + along + std::copysign(2, along);
                    moves += place(u, v, -0.3);
                }
                moves += "RAPID\n" + place(u, v, 3);
            }
            std::vector<Edit> edits;
            for (const bool by_mode : {false, true}) {
                const std::string file = by_mode ? job : "jobs/setting-numerals.json";
                edits = {{file, R"("turns": "x")", y ? R"("turns": "y")" : R"("turns": "x")"},
                         {file, R"("radius": 55)", fmt::format(R"("radius": 55, "start": {})", 10 * i)}};
                const auto a = with_path(by_mode, moves, edits);
                QVERIFY2(a, a ? "" : a.error().text().c_str());
                const std::string code = code_of(*a);
                const ReplayReport report = replay_code(*a, code, true);
                QVERIFY2(report.findings.list().empty(), qPrintable(QStringLiteral("path %1 ").arg(i) + shown(report.findings)));
                QVERIFY(report.compared >= 12 * 9 && report.uncovered == 0 && report.extra == 0);
            }
        }
    }

    void another_radius_is_declared_anew()
    {
        const std::string second =
            R"(,
    {"id": "20", "name": "deeper", "toolpath": "toolpaths/circle-numerals.cl", "frame": "cylinder",
     "wrap": {"radius": 54.5, "turns": "x", "axis": [1, 0, 0], "zero": [0, 0, 1]},
     "links": {"clearance": {"cylinder": {"point": [0, 0, 0], "direction": [1, 0, 0], "diameter": 114}},
               "approach": [{"to": "ride"}, {"to": "start"}],
               "within": [{"to": "leave"}, {"to": "ride"}, {"to": "start"}]}})";
        const Assembly a = load_demo("setting-numerals-by-mode", {{job, "     }}\n  ]", "     }}" + second + "\n  ]"},
                                                                  {job, R"("within": [)", R"("retreat": [{"to": "leave"}], "within": [)"}})
                               .value();
        const std::string code = code_of(a);
        const QString text = QString::fromStdString(code);
        QCOMPARE(text.count(QStringLiteral("G130 R55.\n")), 1);
        QCOMPARE(text.count(QStringLiteral("G130 R54.5\n")), 1);
        QVERIFY(text.lastIndexOf(QStringLiteral("\nG131"), text.indexOf(QStringLiteral("G130 R54.5"))) >
                text.indexOf(QStringLiteral("G130 R55.")));
        const ReplayReport report = replay_code(a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
    }

    void what_the_replay_notices_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("kind");
        QTest::newRow("not switched on") << QStringLiteral("\nG130 R55.\n") << QStringLiteral("\n") << QStringLiteral("extra-motion");
        QTest::newRow("another radius") << QStringLiteral("R55.") << QStringLiteral("R54.") << QStringLiteral("off-path");
        QTest::newRow("the other sense") << QStringLiteral("\nG3 X10.") << QStringLiteral("\nG2 X10.") << QStringLiteral("off-path");
        QTest::newRow("the other way round") << QStringLiteral("G3 X10. Y0. J10.") << QStringLiteral("G2 X10. Y-20. J-10.")
                                             << QStringLiteral("extra-motion");
        QTest::newRow("left on") << QStringLiteral("\nG131\nG53") << QStringLiteral("\nG53") << QStringLiteral("frame-left-on");
        QTest::newRow("declared twice") << QStringLiteral("\nG130 R55.\n") << QStringLiteral("\nG130 R55.\nG130 R55.\n")
                                        << QStringLiteral("no-effect");
        QTest::newRow("a slower feed") << QStringLiteral("J10. F260.") << QStringLiteral("J10. F255.") << QStringLiteral("feed-differs");
    }
    void what_the_replay_notices()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, kind);
        const Assembly a = with_path(true, quarter).value();
        QString code = QString::fromStdString(code_of(a));
        QVERIFY(code.contains(from));
        const ReplayReport report = replay_code(a, code.replace(from, to).toStdString(), true);
        QVERIFY2(has_finding(report.findings, kind.toStdString()), qPrintable(shown(report.findings)));
    }

    void a_cylinder_beside_the_axis_is_told()
    {
        const Assembly a =
            with_path(true, quarter, {{"setups/setting-circle.json", R"("point": [25, 0, 0]})", R"("point": [25, 2, 0]})"}}).value();
        const RunResult result = post(a);
        QVERIFY2(has_finding(result.findings, "beside-cylinder"), qPrintable(shown(result.findings)));
        QVERIFY(has_finding(post(load_demo("fails-cylinder-beside-axis").value()).findings, "beside-cylinder"));
        // By words of the rotary joint the head goes with it.
        const Assembly words =
            with_path(false, quarter, {{"setups/setting-circle.json", R"("point": [25, 0, 0]})", R"("point": [25, 2, 0]})"}}).value();
        const std::string code = code_of(words);
        QVERIFY(replay_code(words, code, true).findings.list().empty());
    }

    void files_that_do_not_fit_data()
    {
        QTest::addColumn<QString>("file");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("message");
        const auto row = [](const char* name, const std::string& file, const char* from, const char* to, const char* message) {
            QTest::newRow(name) << QString::fromStdString(file) << QString::fromUtf8(from) << QString::fromUtf8(to)
                                << QString::fromUtf8(message);
        };
        row("no such joint", control_file, R"("turns": "A")", R"("turns": "Q")", "the joint \"Q\" has no address");
        row("no such letter", control_file, R"("flat": "Y")", R"("flat": "V")", "\"V\" is not a letter of another axis");
        row("its own letter", control_file, R"("flat": "Y")", R"("flat": "A")", "\"A\" is not a letter of another axis");
        row("not wound", job, R"("wrap": {"radius": 55, "turns": "x", "axis": [1, 0, 0], "zero": [0, 0, 1]},)", "",
            "the operation 10 asks for \"cylinder\", but it is not wound");
        row("no word", style_file, R"("cylinder-surface": "G130", )", "",
            "the operation 10 asks for \"cylinder\", which the dialect can't write: \"cylinder\" needs a word for cylinder-surface");
        row("no way back", style_file, R"(, "joint-coordinates": "G131")", "",
            "the operation 10 asks for \"cylinder\", which the dialect can't write: \"cylinder\" needs a word for joint-coordinates");
        row("for all", style_file, R"("extension": ".nc")", R"("frames": {"standing": "cylinder"}, "extension": ".nc")",
            "\"cylinder\" is for wound operations alone");
    }
    void files_that_do_not_fit()
    {
        QFETCH(QString, file);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, message);
        const auto a = load_demo("setting-numerals-by-mode", {{file.toStdString(), from.toStdString(), to.toStdString()}});
        QVERIFY(!a);
        QCOMPARE(QString::fromStdString(a.error().message), message);
    }

    void the_dialect_can_have_it_for_all_wound_operations()
    {
        const Edit style{style_file, R"("extension": ".nc")", R"("frames": {"wound": "cylinder"}, "extension": ".nc")"};
        QVERIFY(code_of(load_demo("setting-numerals", {style}).value()).find("G130 R55.") != std::string::npos);
        QVERIFY(code_of(load_demo("setting-circle", {style}).value()).find("G130") == std::string::npos);
    }
};

WEXILUM_TEST(TestCylinder)

} // namespace test_cylinder
#include "test_cylinder.moc"
