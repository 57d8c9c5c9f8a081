// Normals of the surface that is cut: through runs, spool and toolpath lines, to rules, and what the replay says of the surface.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/compare/surface_notes.hpp"
#include "core/task/arrange.hpp"
#include "core/toolpath/linear_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "core/toolpath/readers/wtp_reader.hpp"
#include "core/toolpath/record_spool.hpp"
#include "core/toolpath/toolpath_formats.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/near.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_normals {

namespace {

const std::string path_file = "toolpaths/mirror-edge.wtp";

Vec3 random_direction(std::mt19937& random)
{
    std::normal_distribution<double> any;
    return Vec3(any(random), any(random), any(random)).normalized();
}

/// How far the lowest point of a tool stands along a normal, looked for among many of its points: circles about the axis, each of them the
/// corner's.
double lowest_of(const ToolRound& tool, const Vec3& normal, const Pose& pose)
{
    const Vec3 across = any_across(pose.axis);
    const Vec3 other = pose.axis.cross(across);
    double lowest = 1e300;
    for (int i = 0; i < 720; ++i) {
        const double turn = i * pi / 360;
        const Vec3 out = across * std::cos(turn) + other * std::sin(turn);
        for (int k = 0; k <= (tool.corner > 0 ? 720 : 0); ++k) { // from the lowest point outwards and up
            const double at = k * pi / 720;
            const Vec3 point = pose.tip + out * (tool.flat + tool.corner * std::sin(at)) + pose.axis * tool.corner * (1 - std::cos(at));
            lowest = std::min(lowest, point.dot(normal));
        }
    }
    return lowest;
}

Toolpath mixed()
{
    Toolpath out;
    out.files = {"path"};
    for (std::uint32_t i = 0; i < 300; ++i) {
        record::Linear linear{{Vec3(i, 2, 3), Vec3::UnitZ()}};
        linear.surface = i % 50 < 30 ? Vec3(std::sin(0.01 * i), 0, std::cos(0.01 * i)) : Vec3(Vec3::Zero());
        out.records.push_back({linear, {0, LineNumber(i + 1)}});
    }
    return out;
}

void compare_with(const Toolpath& wanted, std::size_t at, const Record& is)
{
    const auto& a = std::get<record::Linear>(wanted.records[at].data);
    const auto& b = std::get<record::Linear>(is.data);
    QCOMPARE(b.to.tip, a.to.tip);
    QCOMPARE(b.surface, a.surface);
    QCOMPARE(is.source.line.value, wanted.records[at].source.line.value);
}

const std::string first_line = "{\"format\": \"toolpath/1\", \"units\": {\"length\": \"inch\", \"angle\": \"deg\"}}\n";

struct Lines {
    std::string text;
    TextSource bytes{text};
    WtpReader reader{bytes, "t.wtp", 0};
};

} // namespace

class TestNormals : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void what_touches_by_hand()
    {
        const Vec3 up = Vec3::UnitZ();
        const Pose straight{Vec3(1, 2, 3), up};
        const double turn = to_rad(0.2);
        const Pose leaning{Vec3(1, 2, 3), Vec3(std::sin(turn), 0, std::cos(turn))};
        const ToolRound ball{0, 6};
        const ToolRound flat{10, 0};
        COMPARE_NEAR(off_surface(ball, up, straight, {Vec3(1, 2, 3.25), up}), 0.25, 1e-12);
        COMPARE_NEAR(off_surface(ball, up, straight, {Vec3(1, 7, 3), up}), 0, 1e-12); // along the surface
        // About its tip a ball's centre goes down a little, the edge of an end mill a lot.
        COMPARE_NEAR(off_surface(ball, up, straight, leaning), -6 * (1 - std::cos(turn)), 1e-12);
        COMPARE_NEAR(off_surface(flat, up, straight, leaning), -10 * std::sin(turn), 1e-12);
        const auto shape = [](const char* name) {
            Tool tool;
            tool.shape = name;
            tool.diameter = 8;
            return round_of(tool);
        };
        QVERIFY(shape("ball-mill")->corner == 4 && shape("ball-mill")->flat == 0);
        QVERIFY(shape("end-mill")->corner == 0 && shape("end-mill")->flat == 4);
        QVERIFY(!shape("drill") && !shape("blade") && !shape("engraver"));
    }

    void what_touches_among_all_points()
    {
        constexpr unsigned seed = 7741;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        for (int i = 0; i < (WEXILUM_EVERY > 1 ? 3 : 12); ++i) {
            const ToolRound tool = i % 3 == 0 ? ToolRound{0, 6} : i % 3 == 1 ? ToolRound{9, 0} : ToolRound{7, 2.5};
            const Vec3 normal = random_direction(random);
            const auto pose = [&] { // the tool is on the outer side
                return Pose{3 * random_direction(random), (normal + 0.8 * random_direction(random)).normalized()};
            };
            const Pose wanted = pose();
            const Pose is = pose();
            COMPARE_NEAR(off_surface(tool, normal, wanted, is), lowest_of(tool, normal, is) - lowest_of(tool, normal, wanted), 4e-4);
        }
    }

    void runs_have_all_or_none()
    {
        const Toolpath path = mixed();
        MemoryRecords records(path);
        LinearRun run;
        std::size_t at = 0;
        int runs = 0;
        MemorySpool spool;
        RecordSpoolWriter writer(spool);
        while (records.next_run(run)) {
            QCOMPARE(run.count, std::size_t(run.surfaces ? 30 : 20));
            LinearRun copy;
            copy.take(run);
            for (std::size_t i = 0; i < run.count; ++i) {
                Record record;
                copy.get(i, record);
                compare_with(path, at++, record);
            }
            writer.put(run);
            ++runs;
        }
        QCOMPARE(runs, 12);
        QCOMPARE(at, path.records.size());
        QVERIFY(writer.flush());
        RecordSpoolReader back(spool);
        at = 0;
        for (bool single = false; at < path.records.size(); single = !single) { // by turns as a run and one by one
            if (!single && back.next_run(run)) {
                for (std::size_t i = 0; i < run.count; ++i) {
                    Record record;
                    run.get(i, record);
                    compare_with(path, at++, record);
                }
                continue;
            }
            const std::size_t count = at % 50 < 30 ? 30 : 20;
            for (std::size_t i = 0; i < count; ++i) {
                Record record;
                QVERIFY(back.next(record));
                compare_with(path, at++, record);
            }
        }
        // One by one, each a record of its own.
        MemorySpool other;
        RecordSpoolWriter each(other);
        for (const Record& record : path.records) {
            each.put(record);
        }
        QVERIFY(each.flush());
        RecordSpoolReader again(other);
        for (at = 0; at < path.records.size(); ++at) {
            Record record;
            QVERIFY(again.next(record));
            compare_with(path, at, record);
        }
    }

    void lines_are_read_and_written()
    {
        const Toolpath path = mixed();
        MemorySpool spool;
        SpoolSink sink(spool);
        const auto writer = toolpath_format_of("x.wtp")->writer(sink);
        for (const Record& record : path.records) {
            QVERIFY(writer->put(record).ok());
        }
        QVERIFY(writer->finish().ok());
        std::string text(spool.size(), '\0');
        QVERIFY(spool.read_at(0, text));
        Lines one{text};
        Lines many{text};
        LinearRun run;
        Record record;
        for (std::size_t at = 0; at < path.records.size(); ++at) {
            QVERIFY(one.reader.next(record).value());
            const auto& wanted = std::get<record::Linear>(path.records[at].data);
            QCOMPARE(std::get<record::Linear>(record.data).surface, wanted.surface);
        }
        QVERIFY(many.reader.next(record).value());
        std::size_t at = 1;
        while (many.reader.next_run(run)) {
            for (std::size_t i = 0; i < run.count; ++i, ++at) {
                QCOMPARE(run.surface_at(i), std::get<record::Linear>(path.records[at].data).surface);
            }
        }
        QCOMPARE(at, path.records.size());
    }

    void a_normal_is_a_unit_vector() // whatever the lengths' unit
    {
        const std::string line = R"({"record": "linear", "tip": [1, 0, 0], "surface": [0, 0.6, 0.8]})";
        Lines fine{first_line + line + "\n"};
        Record record;
        QVERIFY(fine.reader.next(record).value());
        COMPARE_POINT(std::get<record::Linear>(record.data).surface, Vec3(0, 0.6, 0.8), 1e-15);
        COMPARE_POINT(std::get<record::Linear>(record.data).to.tip, Vec3(25.4, 0, 0), 1e-12);
        Lines spaced{first_line + R"({ "surface" : [0, 0.6, 0.8], "tip": [1, 0, 0], "record": "linear"})" + "\n"};
        QVERIFY(spaced.reader.next(record).value());
        COMPARE_POINT(std::get<record::Linear>(record.data).surface, Vec3(0, 0.6, 0.8), 1e-15);
        for (const char* wrong : {"[0, 0, 1.5]", "[0, 0, 0]"}) {
            std::string other = line;
            other.replace(other.find("[0, 0.6, 0.8]"), 13, wrong);
            Lines lines{first_line + other + "\n"};
            const auto read = lines.reader.next(record);
            QVERIFY(!read.ok());
            QCOMPARE(QString::fromStdString(read.error().text()),
                     QStringLiteral("t.wtp:2:51: the surface's normal has length %1, not 1; give a unit vector")
                         .arg(wrong[7] == '1' ? "1.500000" : "0.000000"));
        }
    }

    void a_copy_turns_it_along()
    {
        Arrangement arrangement;
        arrangement.placement = Placement{Vec3(-1, 1, 1).asDiagonal(), Vec3(5, 0, 0)}; // mirrored in X
        Arranger arranger(arrangement, 0.01);
        std::deque<Record> out;
        arranger.arrange({record::Linear{{Vec3(1, 2, 3), Vec3::UnitZ()}, Vec3(0.6, 0, 0.8)}, {}}, out);
        COMPARE_POINT(std::get<record::Linear>(out[0].data).surface, Vec3(-0.6, 0, 0.8), 1e-15);
        COMPARE_POINT(std::get<record::Linear>(out[0].data).to.tip, Vec3(4, 2, 3), 1e-15);
    }

    void it_changes_no_word()
    {
        const std::string whole = read_file(demo_folder() + "/" + path_file);
        const QString without = QString::fromStdString(whole).remove(QRegularExpression(", \"surface\": \\[[^\\]]*\\]"));
        QVERIFY(without.size() < qsizetype(whole.size()));
        const auto plain = load_demo("mirror-edge", {{path_file, whole, without.toStdString()}}).value();
        QVERIFY(code_of(plain) == code_of(load_demo("mirror-edge").value()));
        QCOMPARE(replay_code(plain, code_of(plain)).surface.places, std::size_t(0));
    }

    void the_replay_says_how_deep()
    {
        const auto a = load_demo("mirror-edge").value();
        const std::string code = code_of(a);
        const ReplayReport right = replay_code(a, code);
        QVERIFY(right.surface.places > 100);
        QVERIFY(right.surface.deep < 0.006 && right.surface.left < 0.006); // within the job's tolerance
        // The ball leans by 10 deg from the normal, and Z of this machine moves it along its axis.
        auto lines = lines_of(code);
        static const QRegularExpression z("Z(-?[0-9.]+)");
        std::vector<std::size_t> cuts; // of the strip
        bool strip = false;
        for (std::size_t i = 0; i < lines.size(); ++i) {
            strip = strip || lines[i].find("A STRIP") != std::string::npos;
            const bool turns = lines[i].find(" C") != std::string::npos && lines[i].find(" F") != std::string::npos;
            if (strip && turns && z.match(QString::fromStdString(lines[i])).hasMatch()) {
                cuts.push_back(i);
            }
        }
        QVERIFY(cuts.size() > 20);
        const std::size_t at = cuts[cuts.size() / 2];
        for (const double by : {-0.02, 0.02}) {
            QString text = QString::fromStdString(lines[at]);
            const auto word = z.match(text);
            text.replace(word.captured(0), QStringLiteral("Z%1").arg(word.captured(1).toDouble() + by, 0, 'f', 3));
            auto other = lines;
            other[at] = text.toStdString();
            const SurfaceError surface = replay_code(a, joined(other)).surface;
            const double most = by < 0 ? surface.deep : surface.left;
            QVERIFY2(std::abs(most - 0.02 * std::cos(to_rad(10))) < 0.001, qPrintable(QString::number(most)));
            QCOMPARE(by < 0 ? surface.deep_block : surface.left_block, std::uint32_t(at + 1));
        }
    }

    void a_rule_sees_it()
    {
        auto a = load_demo("mirror-edge").value();
        a.rulebook = {
            "rulebooks/test",
            {{"rulebook.lua", "function on.linear(event)\n"
                              "  if event.surface_x then\n"
                              "    text(string.format('(SURFACE %.4f %.4f %.4f)', event.surface_x, event.surface_y, event.surface_z), {})\n"
                              "  end\n"
                              "  event:native()\n"
                              "end\n"}}};
        const QString code = QString::fromStdString(code_of(a));
        QCOMPARE(code.count("(SURFACE "), 9);
        QVERIFY(code.contains("(SURFACE -0.1335 -0.0486 0.9899)"));
    }

    void other_formats_leave_it_out_and_say_so()
    {
        OverlayFiles files;
        files.replaced["strip.wtp"] = first_line + R"({"record": "rapid", "tip": [0, 0, 1]}
{"record": "linear", "tip": [1, 0, 0], "surface": [0, 0.6, 0.8]}
{"record": "linear", "tip": [2, 0, 0], "surface": [0, 0.6, 0.8]}
)";
        const auto converted = convert_toolpath(files, "strip.wtp", "strip.cl");
        QVERIFY2(converted.ok(), converted.ok() ? "" : converted.error().text().c_str());
        QCOMPARE(converted->records, std::size_t(3));
        QCOMPARE(converted->left_out.at("normal of a surface"), std::size_t(2));
        const auto lines = convert_toolpath(files, "strip.wtp", "again.wtp");
        QVERIFY(lines.ok() && lines->left_out.empty());
    }
};

WEXILUM_TEST(TestNormals)

} // namespace test_normals
#include "test_normals.moc"
