// Cuts along ruled surfaces: their geometry against closed forms, and what posts and the replay make of them. By hand: a cone of which all
// rulings lean alike, and two skew lines, whose ruling is linear in the way.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/geometry/ruled_way.hpp"
#include "core/task/arrange.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/record_spool.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/near.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QRegularExpression>
#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_ruled {

namespace {

const std::string path_file = "toolpaths/mirror-edge.wtp";
const std::string cone_line =
    R"({"record": "ruled", "tip": [138, 0, -14], "upper_from": [148, 0, 36], "upper": [148, 0, 36], "centre": [0, 0, -14], "normal": [0, 0, 1], "upper_centre": [0, 0, 36], "upper_normal": [0, 0, 1]})";
const std::string twisted_line = R"({"record": "ruled", "tip": [40, -60, 15.5], "upper_from": [-40, -56, 55.5], "upper": [40, -44, 55.5]})";

/// Circles of 138 and 148 about Z, 50 apart: the tool leans outwards by atan(0.2) everywhere.
RuledWay cone()
{
    const auto circle = [](double radius, double height) {
        const Vec3 at(radius, 0, height);
        return RulingCurve{at, at, Arc{at, at, Vec3(0, 0, height), Vec3::UnitZ(), 2 * pi}};
    };
    return {circle(138, -14), circle(148, 36)};
}

/// The tip goes along X at y = -60, z = 15.5, while the ruling (0, 4 + 12 s, 40) leans over.
RuledWay twisted() { return {{Vec3(-40, -60, 15.5), Vec3(40, -60, 15.5)}, {Vec3(-40, -56, 55.5), Vec3(40, -44, 55.5)}}; }

RuledWay random_way(std::mt19937& random)
{
    std::uniform_real_distribution<double> any(-1, 1);
    const auto point = [&](double height) { return Vec3(60 * any(random), 60 * any(random), height + 5 * any(random)); };
    const auto curve = [&](double height) {
        RulingCurve out{point(height), point(height)};
        if (random() % 2 == 0) {
            const Vec3 middle = (out.from + out.to) / 2;
            const Vec3 along = (out.to - out.from).normalized();
            const Vec3 normal = along.cross(Vec3(any(random), any(random), any(random))).normalized();
            const Vec3 centre = middle + normal.cross(along) * 30 * any(random);
            out.arc = Arc{out.from, out.to, centre, normal, arc_sweep(out.from, out.to, centre, normal, 1e-9)};
        }
        return out;
    };
    const RulingCurve lower = curve(0);
    return {lower, curve(120)};
}

const std::string head = "{\"format\": \"toolpath/1\", \"units\": {\"length\": \"mm\", \"angle\": \"deg\"}}\n"
                         R"({"record": "tool", "number": 5}
{"record": "spindle", "state": "clockwise", "speed": 4000}
{"record": "coolant", "state": "flood"}
{"record": "feed", "mode": "per_minute", "value": 900}
)";

/// The demo's job with another toolpath of that machine.
Result<Assembly> with_path(const std::string& lines, const std::vector<Edit>& more = {})
{
    std::vector<Edit> edits{{path_file, read_file(demo_folder() + "/" + path_file), head + lines}};
    edits.insert(edits.end(), more.begin(), more.end());
    return load_demo("mirror-edge", edits);
}

/// Nothing, or what the replay has found in the code that is posted.
QString fault_of(const Assembly& a)
{
    const ReplayReport report = replay_code(a, code_of(a), true);
    return report.findings.has_errors() ? shown(report.findings) : QString();
}

std::vector<Record> arranged(const Arrangement& arrangement, const Pose& from, const record::Ruled& ruled, double tolerance)
{
    Arranger arranger(arrangement, tolerance);
    std::deque<Record> out;
    arranger.arrange({record::Rapid{from}, {}}, out);
    for (const record::Ruled& part : parts_of(from, ruled)) {
        arranger.arrange({part, {0, LineNumber(7)}}, out);
    }
    arranger.finish(out);
    return {out.begin() + 1, out.end()};
}

} // namespace

class TestRuled : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // --- geometry
    void a_cone_leans_alike_all_round()
    {
        const RuledWay way = cone();
        COMPARE_NEAR(way.length(), 276 * pi, 1e-9);
        const double lean = std::atan(0.2);
        for (const double s : {0.0, 0.1, 0.25, 0.6, 0.99}) {
            const Vec3 out(std::cos(2 * pi * s), std::sin(2 * pi * s), 0);
            COMPARE_POINT(way.at(s).tip, Vec3(138 * out - 14 * Vec3::UnitZ()), 1e-9);
            COMPARE_POINT(way.at(s).axis, Vec3(std::sin(lean) * out + std::cos(lean) * Vec3::UnitZ()), 1e-12);
            COMPARE_NEAR(way.nearest(way.at(s).tip + 0.2 * Vec3::UnitZ()), s, 1e-12);
        }
        // The axis goes round a circle of radius sin(lean) while the tip goes 276 pi.
        COMPARE_NEAR(way.turn_rate(), std::sin(lean) / 138, 0.003 * std::sin(lean) / 138);
        COMPARE_NEAR(way.bend()->sweep, 2 * pi, 1e-12);
    }

    void skew_lines_are_a_hyperbolic_paraboloid()
    {
        const RuledWay way = twisted();
        COMPARE_NEAR(way.length(), 80, 1e-12);
        for (const double s : {0.0, 0.2, 0.5, 0.9, 1.0}) {
            COMPARE_POINT(way.at(s).tip, Vec3(-40 + 80 * s, -60, 15.5), 1e-12);
            COMPARE_NEAR(std::atan2(way.at(s).axis.y(), way.at(s).axis.z()), std::atan((4 + 12 * s) / 40), 1e-12);
            COMPARE_NEAR(way.at(s).axis.x(), 0, 1e-12);
            COMPARE_NEAR(way.nearest(way.at(s).tip), s, 1e-12);
        }
        // atan' is the fastest where the ruling leans least: 12 / 40 / (1 + 0.1 ^ 2) over 80 mm.
        COMPARE_NEAR(way.turn_rate(), 0.3 / 1.01 / 80, 0.01 * 0.3 / 80);
        // A straight cut between the same poses is another one: in its middle the tool leans half-way.
        const PathPiece straight{way.at(0), way.at(1), std::nullopt};
        const double off = std::atan(10.0 / 40) - (std::atan(0.1) + std::atan(0.4)) / 2;
        COMPARE_NEAR(unit_angle_between(straight.at(0.5).axis, way.at(0.5).axis), off, 1e-12);
        QVERIFY(off > to_rad(0.1));
    }

    void parts_and_images_are_those_of_the_way()
    {
        constexpr unsigned seed = 2512;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> any(-1, 1);
        for (int i = 0; i < 200; ++i) {
            const RuledWay way = random_way(random);
            const Vec3 across = Vec3(any(random), any(random), any(random)).normalized();
            const Mat3 map = i % 2 == 0 ? Mat3(Mat3::Identity() - 2 * across * across.transpose())
                                        : Eigen::AngleAxisd(3 * any(random), across).toRotationMatrix();
            const Vec3 move(1, -2, 3);
            const auto image = way.moved(map, move);
            const auto part = way.between(0.25, 0.75);
            const PathPiece piece{way.at(0), way.at(1), std::nullopt, std::make_shared<const RuledWay>(way)};
            const auto [before, after] = split_at(piece, 0.4, piece.at(0.4));
            COMPARE_NEAR(before.length() + after.length(), way.length(), 1e-9);
            for (const double s : {0.0, 0.2, 0.5, 0.9, 1.0}) {
                COMPARE_POINT(image->at(s).tip, Vec3(map * way.at(s).tip + move), 1e-9);
                COMPARE_POINT(image->at(s).axis, Vec3(map * way.at(s).axis), 1e-12);
                COMPARE_POINT(part->at(s).axis, way.at(0.25 + 0.5 * s).axis, 1e-10);
                COMPARE_POINT(before.at(s).tip, way.at(0.4 * s).tip, 1e-9);
                COMPARE_POINT(after.at(s).axis, way.at(0.4 + 0.6 * s).axis, 1e-10);
            }
            double s = 0;
            QCOMPARE(check_rulings(way.lower(), way.upper(), s), RuledProblem::none);
        }
    }

    /// What follows joints looks at ends of parts alone: between them the axis keeps to the great circle.
    void parts_of_a_record_keep_to_great_circles()
    {
        constexpr unsigned seed = 2513;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        int most = 0;
        for (int i = 0; i < 60; ++i) {
            const RuledWay way = i == 0 ? cone() : random_way(random);
            const auto round = [](const RulingCurve& curve) {
                return curve.arc ? std::optional(record::Round{curve.arc->centre, curve.arc->normal, 0}) : std::nullopt;
            };
            const record::Ruled whole{way.at(1), way.upper().from, way.upper().to, round(way.lower()), round(way.upper())};
            const auto parts = parts_of(way.at(0), whole);
            most = std::max(most, int(parts.size()));
            Pose from = way.at(0);
            double done = 0;
            for (const record::Ruled& part : parts) {
                const PathPiece piece = arc_piece(Frame::Identity(), from, part);
                for (int k = 0; k <= 20; ++k) {
                    const double s = k / 20.0;
                    const Pose there = way.at((done + s) / double(parts.size()));
                    COMPARE_POINT(piece.at(s).tip, there.tip, 1e-6);
                    COMPARE_POINT(piece.at(s).axis, there.axis, 1e-7);
                    const Vec3 normal = from.axis.cross(part.to.axis);
                    if (normal.norm() > 1e-6) {
                        QVERIFY(std::abs(std::asin(there.axis.dot(normal.normalized()))) < 2e-4);
                    }
                }
                QVERIFY(unit_angle_between(from.axis, part.to.axis) < 0.11);
                from = part.to;
                ++done;
            }
            COMPARE_POINT(from.tip, way.at(1).tip, 0.0);
        }
        QVERIFY(most > 50);
    }

    void parallel_rulings_are_a_line_or_an_arc()
    {
        const Pose from{Vec3(10, 0, 0), Vec3::UnitZ()};
        record::Ruled ruled{{Vec3(-10, 0, 0), Vec3::UnitZ()}, Vec3(10, 0, 7), Vec3(-10, 0, 7), {}, {}};
        const PathPiece line = arc_piece(Frame::Identity(), from, ruled);
        QVERIFY(!line.curved());
        ruled.lower_round = {Vec3::Zero(), Vec3::UnitZ(), 0};
        ruled.upper_round = {Vec3(0, 0, 7), Vec3::UnitZ(), 0};
        const PathPiece arc = arc_piece(Frame::Identity(), from, ruled);
        QVERIFY(arc.arc && !arc.way);
        COMPARE_POINT(arc.at(0.5).tip, Vec3(0, 10, 0), 1e-12);
        ruled.upper_round = {Vec3(0, 0, 7), -Vec3::UnitZ(), 0}; // the other way round above
        QVERIFY(arc_piece(Frame::Identity(), from, ruled).way);
    }

    void curves_that_are_no_way()
    {
        double s = 0;
        const RulingCurve lower{Vec3(0, 0, 0), Vec3(10, 0, 0)};
        QCOMPARE(check_rulings({Vec3::Zero(), Vec3::Zero()}, {Vec3(0, 0, 5), Vec3(1, 0, 5)}, s), RuledProblem::no_length);
        // They cross at 0.3337 of the way, between two places that are looked at.
        QCOMPARE(check_rulings(lower, {Vec3(0, 0, 3.337), Vec3(10, 0, -6.663)}, s), RuledProblem::meets);
        COMPARE_NEAR(s, 0.3337, 1e-9);
        // Skew by 0.02 mm there: the ruling turns over within a few thousandths.
        QCOMPARE(check_rulings(lower, {Vec3(0, 0.02, 3.337), Vec3(10, 0.02, -6.663)}, s), RuledProblem::none);
        QCOMPARE(check_rulings(
                     {Vec3(0, 0, 0), Vec3(10, 0, 0)},
                     {Vec3(3, 0.02, 0), Vec3(7, 0.02, 0), Arc{Vec3(3, 0.02, 0), Vec3(7, 0.02, 0), Vec3(5, 0.02, 0), Vec3::UnitZ(), pi}}, s),
                 RuledProblem::none);
    }

    void it_comes_back_from_the_spool()
    {
        const record::Ruled ruled{
            {Vec3(1, 2, 3), Vec3::UnitY()}, Vec3(4, 5, 6), Vec3(7, 8, 9), record::Round{Vec3(1, 1, 1), Vec3::UnitX(), 2}, {}};
        MemorySpool spool;
        RecordSpoolWriter writer(spool);
        writer.put({ruled, {3, LineNumber(4)}});
        QVERIFY(writer.flush());
        RecordSpoolReader reader(spool);
        Record out;
        QVERIFY(reader.next(out));
        const auto& back = std::get<record::Ruled>(out.data);
        QCOMPARE(back.to.tip, ruled.to.tip);
        QCOMPARE(back.to.axis, ruled.to.axis);
        QCOMPARE(back.upper_from, ruled.upper_from);
        QCOMPARE(back.upper_to, ruled.upper_to);
        QVERIFY(back.lower_round && back.lower_round->extra_turns == 2 && back.lower_round->centre == Vec3(1, 1, 1) &&
                back.lower_round->normal == Vec3::UnitX());
        QVERIFY(!back.upper_round);
        QVERIFY(!reader.next(out));
    }

    // --- as a job has it
    void what_is_wrong_is_told_data()
    {
        QTest::addColumn<QString>("lines");
        QTest::addColumn<QString>("error");
        const QString rapid = QStringLiteral("{\"record\": \"rapid\", \"tip\": [0, 0, 0], \"axis\": [0, 0, 1]}\n");
        const auto row = [&](const char* name, const char* line, const char* error) { QTest::newRow(name) << rapid + line << error; };
        QTest::newRow("from nowhere") << R"({"record": "ruled", "tip": [9, 0, 0], "upper_from": [0, 0, 5], "upper": [9, 0, 5]})"
                                      << "6:1|a ruled cut without a position before it|begin with a from or a rapid";
        row("beside the axis", R"({"record": "ruled", "tip": [9, 0, 0], "upper_from": [0, 1, 5], "upper": [9, 0, 5]})",
            "7:1|the upper curve begins 11.3099 deg beside the tool's axis|let it begin on the axis of the record before: a linear turns "
            "the "
            "tool there");
        row("no way", R"({"record": "ruled", "tip": [0, 0, 0], "upper_from": [0, 0, 5], "upper": [9, 0, 5]})",
            "7:1|the lower curve of a ruled cut has no length|write a linear: the tool turns about its tip");
        row("they meet", R"({"record": "ruled", "tip": [8, 0, 0], "upper_from": [0, 0, 5], "upper": [8, 0.02, -15]})",
            "7:1|the curves come nearer to one another than 0.01 mm at 25.0 % of the way|the tool's axis has no direction there; give an "
            "upper curve that lies further along the tool");
        row("off its arc",
            R"({"record": "ruled", "tip": [8, 0, 0], "upper_from": [0, 0, 5], "upper": [8, 0, 5], "centre": [4.1, 0, 0], "normal": [0, 0, 1]})",
            "7:1|the ends of the lower arc lie at distances from its axis that differ by 0.200 mm|correct centre, normal or the points");
        row("half an arc",
            R"({"record": "ruled", "tip": [8, 0, 0], "upper_from": [0, 0, 5], "upper": [8, 0, 5], "upper_normal": [0, 0, 1]})",
            "7:1|\"upper_normal\" without \"upper_centre\"|give both, or none for a straight curve");
        row("no upper curve", R"({"record": "ruled", "tip": [8, 0, 0], "upper_from": [0, 0, 5]})",
            "7:1|a record lacks \"upper\"|add \"upper\": a list");
    }
    void what_is_wrong_is_told()
    {
        QFETCH(QString, lines);
        QFETCH(QString, error);
        const auto loaded = with_path(lines.toStdString());
        QVERIFY(!loaded.ok());
        const Error& e = loaded.error();
        QCOMPARE(QString::fromStdString(fmt::format("{}:{}|{}|{}", e.place.line, e.place.column, e.message, e.cure)), error);
    }

    void the_demo_is_proven()
    {
        const auto a = load_demo("mirror-edge").value();
        QCOMPARE(fault_of(a), QString());
        // Round the cone B stands at the cone's own lean, and C goes round once.
        double c_from = 1e9;
        double c_to = -1e9;
        bool cone = false;
        static const QRegularExpression word_c("C(-?[0-9.]+)");
        for (const std::string& line : lines_of(code_of(a))) {
            const QString text = QString::fromStdString(line);
            cone = cone || text.contains("B-11.3099") || text.contains("B11.3099");
            if (cone && text.contains(" B") && !text.contains("11.3099")) {
                break;
            }
            if (const auto found = word_c.match(text); cone && found.hasMatch()) {
                c_from = std::min(c_from, found.captured(1).toDouble());
                c_to = std::max(c_to, found.captured(1).toDouble());
            }
        }
        COMPARE_NEAR(to_deg(std::atan(0.2)), 11.3099, 1e-4);
        COMPARE_NEAR(c_to - c_from, 360, 1e-3);
    }

    void wrong_words_are_told_at_their_block()
    {
        const auto a = load_demo("mirror-edge").value();
        const std::string code = code_of(a);
        const auto lines = lines_of(code);
        static const QRegularExpression cut("^N[0-9]+ (G93 )?X.*F");
        std::vector<std::size_t> cuts;
        for (std::size_t i = 0; i < lines.size(); ++i) {
            if (cut.match(QString::fromStdString(lines[i])).hasMatch()) {
                cuts.push_back(i);
            }
        }
        QVERIFY(cuts.size() > 300);
        int told = 0;
        for (const std::size_t at : {cuts[20], cuts[70], cuts[cuts.size() / 2], cuts[cuts.size() - 40]}) {
            for (const auto& [letter, by] :
                 std::vector<std::pair<char, double>>{{'X', 0.03}, {'Y', -0.03}, {'Z', 0.03}, {'C', 0.03}, {'B', 0.02}}) {
                const QRegularExpression word(QString("%1(-?[0-9.]+)").arg(QChar(letter)));
                QString text = QString::fromStdString(lines[at]);
                const auto found = word.match(text);
                if (!found.hasMatch()) {
                    continue;
                }
                text.replace(found.captured(0), QString("%1%2").arg(QChar(letter)).arg(found.captured(1).toDouble() + by, 0, 'f', 4));
                auto other = lines;
                other[at] = text.toStdString();
                const ReplayReport report = replay_code(a, joined(other));
                const bool near = std::any_of(report.findings.list().begin(), report.findings.list().end(), [&](const Finding& f) {
                    return f.severity == Severity::error && f.code.line <= at + 2 && f.last_code_line + 1 >= at + 1;
                });
                QVERIFY2(near, qPrintable(text + "\n" + shown(report.findings)));
                ++told;
            }
        }
        QVERIFY(told > 14);
    }

    /// Code for another surface between the same ends is not the path.
    void another_upper_curve_is_told_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        // Straight between the ends' directions: up to 0.25 deg off.
        QTest::newRow("a straight cut instead")
            << QString::fromStdString(twisted_line)
            << R"({"record": "linear", "tip": [40, -60, 15.5], "axis": [0, 0.371390676354104, 0.928476690885259]})";
        // does.
        QTest::newRow("an arc above")
            << R"("upper": [40, -16, 55.5], "centre": [40, -40, 15.5], "normal": [0, 0, 1])"
            << R"("upper": [40, -16, 55.5], "centre": [40, -40, 15.5], "normal": [0, 0, 1], "upper_centre": [40, -40, 55.5], "upper_normal": [0, 0, 1])";
        QTest::newRow("a line below") << R"("upper": [40, -16, 55.5], "centre": [40, -40, 15.5], "normal": [0, 0, 1])"
                                      << R"("upper": [40, -16, 55.5])";
        QTest::newRow("a circle beside") << R"("upper_centre": [0, 0, 36])"
                                         << R"("upper_centre": [1, 0, 36])";
    }
    void another_upper_curve_is_told()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        const auto right = load_demo("mirror-edge").value();
        const auto other = load_demo("mirror-edge", {{path_file, from.toStdString(), to.toStdString()}});
        QVERIFY2(other.ok(), other.ok() ? "" : other.error().message.c_str());
        QCOMPARE(fault_of(*other), QString());
        const ReplayReport report = replay_code(right, code_of(*other));
        QVERIFY2(has_finding(report.findings, "off-path") || has_finding(report.findings, "extra-feed") ||
                     has_finding(report.findings, "uncovered"),
                 qPrintable(shown(report.findings)));
    }

    /// Straight cuts between a dozen places of the cone keep neither tip nor axis.
    void a_dozen_straight_cuts_are_not_the_cone()
    {
        const auto right = load_demo("mirror-edge").value();
        std::string lines;
        for (int i = 1; i <= 12; ++i) {
            const Pose at = cone().at(i / 12.0);
            lines += fmt::format("{}{{\"record\": \"linear\", \"tip\": [{}, {}, {}], \"axis\": [{}, {}, {}]}}", i > 1 ? "\n" : "",
                                 at.tip.x(), at.tip.y(), at.tip.z(), at.axis.x(), at.axis.y(), at.axis.z());
        }
        const auto other = load_demo("mirror-edge", {{path_file, cone_line, lines}}).value();
        QCOMPARE(fault_of(other), QString());
        QVERIFY(replay_code(right, code_of(other)).findings.has_errors());
    }

    /// The tool leans over from one side to the other: in the middle it stands along the turntable's axis, where C turns by itself.
    void it_goes_through_the_pole()
    {
        for (const double beyond : {6.0, 14.0}) { // half-way, and elsewhere
            const Vec3 first = Vec3(0, -6, 40).normalized();
            const auto a = with_path(fmt::format(
                R"({{"record": "rapid", "tip": [-40, 0, 80], "axis": [{}, {}, {}]}}
{{"record": "linear", "tip": [-40, 0, 24]}}
{{"record": "ruled", "tip": [40, 0, 24], "upper_from": [-40, -6, 64], "upper": [40, {}, 64]}}
{{"record": "rapid", "tip": [40, 0, 80]}})",
                first.x(), first.y(), first.z(), beyond));
            QVERIFY2(a.ok(), a.ok() ? "" : a.error().message.c_str());
            QCOMPARE(fault_of(*a), QString());
        }
    }

    void copies_are_moved_turned_and_mirrored()
    {
        const auto a = load_demo("mirror-edge", {{"jobs/mirror-edge.json", R"("toolpaths/mirror-edge.wtp"})",
                                                  R"("toolpaths/mirror-edge.wtp", "copies": [{"mirror": {"normal": [1, 0, 0]}},
                                                     {"turn": {"angle": 30, "axis": [0, 0, 1]}}]})"}});
        QVERIFY2(a.ok(), a.ok() ? "" : (a.error().message + a.error().cure).c_str());
        QCOMPARE(fault_of(*a), QString());
    }

    /// Round a cylinder a ruled cut is laid in chords: each place within the tolerance of where the flat one would be laid.
    void it_is_wound_in_chords()
    {
        Arrangement arrangement;
        Wrap wrap;
        wrap.radius = 50;
        arrangement.wrap = wrap;
        const RuledWay way = twisted();
        const record::Ruled ruled{way.at(1), way.upper().from, way.upper().to, {}, {}};
        const auto records = arranged(arrangement, way.at(0), ruled, 0.005);
        QVERIFY(records.size() > 20);
        Vec3 before = wrap.wound(way.at(0)).tip;
        double s = 0;
        for (const Record& record : records) {
            QVERIFY(std::holds_alternative<record::Linear>(record.data));
            QCOMPARE(record.source.line.value, 7U);
            const Vec3 tip = end_pose(record.data)->tip;
            // Along X of the flat: the angle on the cylinder says how far.
            const double to = (50 * std::atan2(tip.y(), tip.x()) + 40) / 80;
            const Vec3 middle = wrap.wound(way.at((s + to) / 2)).tip;
            QVERIFY((middle - (before + tip) / 2).norm() < 0.0051);
            s = to;
            before = tip;
        }
        COMPARE_POINT(before, wrap.wound(way.at(1)).tip, 1e-9);
    }

    void a_lean_at_the_pole_leaves_it_alone()
    {
        // The rib's flank leans by 5.7 deg where it begins, within twice the allowance; its directions are those of its surface.
        const auto a = load_demo("mirror-edge", {{"jobs/mirror-edge.json", R"("toolpaths/mirror-edge.wtp"})",
                                                  R"("toolpaths/mirror-edge.wtp", "pole": {"lean": 5}})"}});
        QVERIFY2(a.ok(), a.ok() ? "" : (a.error().message + a.error().cure).c_str());
        const std::string code = code_of(*a);
        QVERIFY(!replay_code(*a, code).findings.has_errors());
        QVERIFY(QString::fromStdString(code).count(QRegularExpression("C-?[0-9]")) > 100);
    }

    void a_rule_sees_where_both_curves_end()
    {
        auto a = load_demo("mirror-edge").value();
        a.rulebook = {"rulebooks/test",
                      {{"rulebook.lua", "function on.ruled(event)\n"
                                        "  text(string.format('(RULED %.3f %.3f %.3f)', event.x, event.upper_y, event.upper_z), {})\n"
                                        "  event:native()\n"
                                        "end\n"}}};
        const std::string code = code_of(a);
        QVERIFY2(QString::fromStdString(code).contains("(RULED 40.000 -44.000 55.500)"), code.substr(0, 2000).c_str());
        QVERIFY(!replay_code(a, code).findings.has_errors());
    }
};

WEXILUM_TEST(TestRuled)

} // namespace test_ruled
#include "test_ruled.moc"
