// Toolpath lines, and toolpaths from one format to the other: values by hand, exact messages, and the same bits there and back.
#include "core/project/project.hpp"
#include "core/toolpath/linear_run.hpp"
#include "core/toolpath/readers/wtp_reader.hpp"
#include "core/toolpath/toolpath_formats.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_toolpath_formats {

namespace {

const std::string head = "{\"format\": \"toolpath/1\", \"units\": {\"length\": \"mm\", \"angle\": \"deg\"}}\n";

struct Read {
    std::vector<Record> records;
    Status status;
};

Read read(const std::string& text, const char* extension = ".wtp")
{
    Read out;
    TextSource source(text);
    const auto reader = toolpath_format_of(extension)->reader(source, std::string("t") + extension, 0);
    out.status = each_record(*reader, [&](Record&& record) { out.records.push_back(std::move(record)); });
    return out;
}

QString error_of(const std::string& text)
{
    const Status status = read(text).status;
    return status ? QStringLiteral("no error") : QString::fromStdString(status.error().text());
}

/// A toolpath's text in a format, and whether all of it has a form there.
std::string written(const std::vector<Record>& records, const char* extension, bool& whole)
{
    MemorySpool spool;
    SpoolSink sink(spool);
    const auto writer = toolpath_format_of(extension)->writer(sink);
    whole = true;
    for (const Record& record : records) {
        const auto put = writer->put(record);
        whole = whole && put.ok() && *put;
    }
    whole = writer->finish().ok() && whole;
    std::string out(spool.size(), '\0');
    return spool.read_at(0, out) ? out : std::string();
}

template <typename T>
const T& at(const Read& read, std::size_t i)
{
    return std::get<T>(read.records.at(i).data);
}

/// Everything about a record but where it was read, bit for bit.
std::string bits(const Record& record)
{
    bool whole = false;
    const std::string text = written({record}, ".wtp", whole);
    return whole ? text : text + "without a form\n";
}

/// The first record of two lists that is not the same; empty: none.
QString difference(const std::vector<Record>& a, const std::vector<Record>& b)
{
    for (std::size_t i = 0; i < std::max(a.size(), b.size()); ++i) {
        const std::string one = i < a.size() ? bits(a[i]) : "none";
        const std::string other = i < b.size() ? bits(b[i]) : "none";
        if (one != other) {
            return QString::fromStdString(one + "and " + other);
        }
    }
    return {};
}

std::string demo_text(const QString& name) { return read_file(demo_folder() + "/toolpaths/" + name.toStdString()); }

QStringList demo_toolpaths() { return QDir(QString::fromStdString(demo_folder()) + "/toolpaths").entryList({"*.cl"}, QDir::Files); }

} // namespace

class TestToolpathFormats : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void every_record_by_hand() // lengths in inches
    {
        const Read r = read(read_file((source_folder() + "/tests/fuzz/corpus/wtp/every-record").toStdString()));
        QVERIFY2(r.status.ok(), r.status ? "" : r.status.error().text().c_str());
        QCOMPARE(r.records.size(), std::size_t(23));
        QCOMPARE(QString::fromStdString(at<record::ProgramName>(r, 0).text), QStringLiteral("every record"));
        QCOMPARE(at<record::ToolChange>(r, 1).number, 3u);
        QCOMPARE(at<record::ToolChange>(r, 1).length.value(), 114.3);
        QVERIFY(at<record::Spindle>(r, 2).state == record::SpindleState::clockwise);
        QCOMPARE(at<record::Spindle>(r, 2).speed_rpm, 8000.0);
        QVERIFY(at<record::Coolant>(r, 3).state == record::CoolantState::flood);
        QVERIFY(at<record::Feed>(r, 4).mode == FeedMode::per_minute);
        QCOMPARE(at<record::Feed>(r, 4).value, 12.7); // 30 inches a minute are 762 mm a minute
        QVERIFY((at<record::From>(r, 5).at.tip - Vec3(0, 0, 101.6)).norm() < 1e-12);
        QVERIFY((at<record::Rapid>(r, 6).to.tip - Vec3(25.4, 0, 25.4)).norm() < 1e-12);
        QVERIFY(at<record::Rapid>(r, 6).to.axis == Vec3(0, 0, 1)); // that of the record before
        QVERIFY((at<record::Linear>(r, 7).to.axis - Vec3(0, 0.6, 0.8)).norm() < 1e-15);
        QCOMPARE(at<record::Linear>(r, 8).surface, Vec3(0.6, 0, 0.8));
        QCOMPARE(r.records[8].source.line.value, 10u);
        const auto& arc = at<record::Circular>(r, 9);
        QVERIFY((arc.to.tip - Vec3(-25.4, 0, 12.7)).norm() < 1e-12);
        QCOMPARE(arc.radius, 25.4);
        QCOMPARE(arc.extra_turns, 1);
        QCOMPARE(at<record::Dwell>(r, 10).amount, 0.5);
        QVERIFY(!at<record::Dwell>(r, 10).revolutions && at<record::Dwell>(r, 11).revolutions);
        const auto& cycle = at<record::CycleStart>(r, 12);
        QCOMPARE(QString::fromStdString(cycle.kind), QStringLiteral("peck"));
        QCOMPARE(cycle.parameters.at("depth"), 25.4);
        QCOMPARE(cycle.parameters.at("step"), 2.54);
        QVERIFY(std::abs(cycle.parameters.at("feed") - 4 * 25.4 / 60) < 1e-12);
        QCOMPARE(cycle.parameters.at("dwell"), 0.2);
        QVERIFY((at<record::CyclePoint>(r, 13).at.tip - Vec3(50.8, 50.8, 0)).norm() < 1e-12);
        QVERIFY(std::holds_alternative<record::CycleEnd>(r.records[14].data));
        QCOMPARE(QString::fromStdString(at<record::Comment>(r, 15).text), QStringLiteral("half done"));
        QCOMPARE(QString::fromStdString(at<record::InsertedText>(r, 16).text), QStringLiteral("M99"));
        QVERIFY(std::holds_alternative<record::OptionalStop>(r.records[17].data));
        QVERIFY(std::holds_alternative<record::Stop>(r.records[18].data));
        QCOMPARE(QString::fromStdString(at<record::Unknown>(r, 19).word), QStringLiteral("GLUE"));
        QCOMPARE(QString::fromStdString(at<record::Unknown>(r, 20).text), QStringLiteral(R"({"record": "grip", "with": "jaws"})"));
        const auto& ruled = at<record::Ruled>(r, 21);
        QVERIFY((ruled.to.tip - Vec3(76.2, 50.8, 0)).norm() < 1e-12 && (ruled.upper_from - Vec3(50.8, 50.8, 25.4)).norm() < 1e-12);
        QVERIFY((ruled.to.axis - Vec3(0, 1, 2) / std::sqrt(5.0)).norm() < 1e-15); // from one curve's end to the other's
        QVERIFY(ruled.lower_round && (ruled.lower_round->centre - Vec3(63.5, 50.8, 0)).norm() < 1e-12 && !ruled.upper_round);
        QVERIFY(std::holds_alternative<record::ProgramEnd>(r.records[22].data));
    }

    void what_is_wrong_is_told_with_its_place_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("error");
        const QString first = QString::fromStdString(head);
        const QString rapid = QStringLiteral("{\"record\": \"rapid\", \"tip\": [0, 0, 5]}\n");
        QTest::newRow("nothing")
            << " \n\n"
            << "t.wtp:3: the toolpath is empty; begin with {\"format\": \"toolpath/1\", \"units\": {\"length\": \"mm\", "
               "\"angle\": \"deg\"}}";
        QTest::newRow("no head") << rapid << "t.wtp:1:1: the first line of a toolpath lacks \"format\"; add \"format\": a text";
        QTest::newRow("no JSON") << first + "GOTO/1,2,3\n"
                                 << "t.wtp:2:1: not valid JSON: invalid literal; last read: 'G'; correct the text here or just before";
        QTest::newRow("two numbers") << first + R"({"record": "rapid", "tip": [1, 2]})"
                                     << "t.wtp:2:28: \"tip\" of a record needs 3 numbers, found 2; give 3 numbers";
        QTest::newRow("long axis") << first + R"({"record": "rapid", "tip": [1, 2, 3], "axis": [0, 0, 1.5]})"
                                   << "t.wtp:2:47: the tool axis has length 1.500000, not 1; give a unit vector";
        QTest::newRow("right round") << first + rapid + R"({"record": "linear", "tip": [0, 0, 0], "axis": [0, 0, -1]})"
                                     << "t.wtp:3:1: the tool axis turns right round between two records, so its way is not defined; add a "
                                        "record between them, or move there in rapid";
        QTest::newRow("off its radius")
            << first + rapid + R"({"record": "circular", "tip": [2, 0, 5], "centre": [1, 0, 5], "normal": [0, 0, 1], "radius": 1.1})"
            << "t.wtp:3:1: the start of the arc lies 0.100 mm off its radius; correct centre, radius or the point";
        QTest::newRow("arc from nowhere")
            << first + R"({"record": "circular", "tip": [1, 0, 0], "centre": [0, 0, 0], "normal": [0, 0, 1], "radius": 1})"
            << "t.wtp:2:1: an arc without a position before it; begin with a from or a rapid";
        QTest::newRow("hole alone") << first + R"({"record": "hole", "tip": [1, 2, 3]})"
                                    << "t.wtp:2:1: a hole outside of a cycle; put a cycle before it";
        const QString drill = QStringLiteral("{\"record\": \"cycle\", \"kind\": \"drill\", \"parameters\": {\"depth\": 3}}\n");
        QTest::newRow("cut in a cycle") << first + drill + R"({"record": "linear", "tip": [1, 2, 3]})"
                                        << "t.wtp:3:1: a straight cut inside of a cycle; end the cycle before it, or write a hole";
        QTest::newRow("cycle's parameter") << first + R"({"record": "cycle", "kind": "drill", "parameters": {"deep": 3}})"
                                           << "t.wtp:2:61: a cycle of the kind \"drill\" takes no \"deep\"; use depth, clearance, step, "
                                              "retreat, dwell, feed or feed_per_rev";
        QTest::newRow("upwards") << first + R"({"record": "cycle", "kind": "drill", "parameters": {"depth": -3}})"
                                 << "t.wtp:2:62: \"depth\" of a cycle is no number from 0 to 1e12; give its size; depth counts downwards";
        QTest::newRow("two lines") << first + R"({"record": "comment", "text": "a\nb"})"
                                   << "t.wtp:2:31: \"text\" holds a control character; a text is one line; write a record for each";
        QTest::newRow("both dwells") << first + R"({"record": "dwell", "seconds": 1, "revolutions": 2})"
                                     << "t.wtp:2:1: a dwell of seconds and of revolutions; give one of them";
        QTest::newRow("key of nobody") << first + R"({"record": "stop", "text": "x"})"
                                       << "t.wtp:2:28: a record has no key \"text\"; use one of: record; keys of your own start with x-";
    }
    void what_is_wrong_is_told_with_its_place()
    {
        QFETCH(QString, text);
        QFETCH(QString, error);
        QCOMPARE(error_of(text.toStdString()), error);
    }

    void demo_toolpaths_come_back_bit_for_bit()
    {
        int whole_ones = 0;
        for (const QString& name : demo_toolpaths()) {
            const Read cl = read(demo_text(name), ".cl");
            bool whole = false;
            const Read lines = read(written(cl.records, ".wtp", whole));
            QVERIFY2(whole && lines.status.ok(), qPrintable(name));
            QCOMPARE(difference(lines.records, cl.records), QString());
            const Read again = read(written(lines.records, ".cl", whole), ".cl");
            QVERIFY2(again.status.ok() && again.records.size() >= cl.records.size() - 1, qPrintable(name));
            whole_ones += whole ? 1 : 0;
            for (std::size_t i = 0; whole && i < cl.records.size(); ++i) { // a unit vector that is made one again may move in its last bit
                const Pose* was = end_pose(cl.records[i].data);
                const Pose* is = end_pose(again.records[i].data);
                QCOMPARE(again.records[i].data.index(), cl.records[i].data.index());
                QVERIFY(was == nullptr || (was->tip == is->tip && (was->axis - is->axis).norm() < 1e-15));
            }
        }
        QVERIFY(whole_ones > 25);
    }

    void random_records_come_back_bit_for_bit()
    {
        const unsigned seed = std::random_device()();
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> place(-1e4, 1e4);
        std::uniform_real_distribution<double> above(1e-9, 1e5);
        for (int n = 0; n < 2000; ++n) {
            const Vec3 tip(place(random), place(random) * 1e-12, place(random));
            const Vec3 axis = Vec3(place(random), place(random), place(random)).normalized();
            const std::vector<Record> records{{record::Rapid{{tip, axis}}, {}},
                                              {record::Feed{FeedMode(n % 3), above(random)}, {}},
                                              {record::Spindle{record::SpindleState(n % 3), above(random)}, {}},
                                              {record::Dwell{above(random), n % 2 == 0}, {}},
                                              {record::CycleStart{"drill", {{"depth", above(random)}, {"feed", above(random)}}}, {}},
                                              {record::CyclePoint{{-tip, axis}}, {}}};
            bool whole = false;
            const Read back = read(written(records, ".wtp", whole));
            QVERIFY(whole && back.status.ok());
            QCOMPARE(difference(back.records, records), QString());
            QVERIFY(at<record::Rapid>(back, 0).to.axis == axis || (at<record::Rapid>(back, 0).to.axis - axis).norm() < 3e-16);
            QCOMPARE(at<record::Feed>(back, 1).value, std::get<record::Feed>(records[1].data).value);
        }
    }

    void runs_are_the_records_one_by_one()
    {
        bool whole = false;
        const std::string text = written(read(demo_text("mirror-back-face.cl"), ".cl").records, ".wtp", whole);
        const Read one_by_one = read(text);
        TextSource source(text);
        WtpReader reader(source, "t.wtp", 0);
        std::size_t at = 0;
        std::size_t in_runs = 0;
        LinearRun run;
        for (Record record;;) {
            if (reader.next_run(run)) {
                for (std::size_t i = 0; i < run.count; ++i, ++at, ++in_runs) {
                    run.get(i, record);
                    QVERIFY(bits(record) == bits(one_by_one.records.at(at)) && record.source == one_by_one.records[at].source);
                }
                continue;
            }
            const auto more = reader.next(record);
            QVERIFY(more.ok());
            if (!*more) {
                break;
            }
            QVERIFY(bits(record) == bits(one_by_one.records.at(at++)));
        }
        QCOMPARE(at, one_by_one.records.size());
        QVERIFY(in_runs > at * 9 / 10);
    }

    void the_same_job_by_either_gives_the_same_code_data()
    {
        QTest::addColumn<QString>("job");
        for (const char* job : {"mirror-cell", "mirror-cell-sides", "fork-arm", "focuser-hub", "mirror-back-face", "setting-circle"}) {
            QTest::newRow(job) << job;
        }
    }
    void the_same_job_by_either_gives_the_same_code()
    {
        QFETCH(QString, job);
        const auto usual = load_demo(job.toStdString());
        QVERIFY(usual.ok());
        OverlayFiles files;
        const std::string path = demo_folder() + "/jobs/" + job.toStdString() + ".json";
        QString text = QString::fromStdString(read_file(path));
        for (const QString& name : demo_toolpaths()) {
            bool whole = false;
            const QString lines = name.chopped(3) + ".wtp";
            files.replaced[demo_folder() + "/toolpaths/" + lines.toStdString()] =
                written(read(demo_text(name), ".cl").records, ".wtp", whole);
            text.replace("toolpaths/" + name + "\"", "toolpaths/" + lines + "\"");
        }
        QVERIFY(!text.contains(".cl\"") && text.contains(".wtp\""));
        files.replaced[path] = text.toStdString();
        const auto by_lines = load_job(files, demo_folder(), job.toStdString());
        QVERIFY2(by_lines.ok(), by_lines.ok() ? "" : by_lines.error().text().c_str());
        QVERIFY(code_of(*by_lines) == code_of(*usual));
    }

    void files_are_converted_by_the_command()
    {
        QTemporaryDir scratch;
        const auto run = [&](const QStringList& arguments, QString& said) {
            QProcess process;
            process.setWorkingDirectory(scratch.path());
            process.start(cli_program(), QStringList{"convert"} + arguments);
            process.waitForFinished();
            said = QString::fromUtf8(process.readAllStandardOutput() + process.readAllStandardError());
            return process.exitCode();
        };
        const QString hub = QString::fromStdString(demo_folder()) + "/toolpaths/hub-face.cl";
        QString said;
        QCOMPARE(run({hub, "a.wtp"}, said), 0);
        const std::size_t n = read(demo_text("hub-face.cl"), ".cl").records.size();
        QCOMPARE(said, QStringLiteral("a.wtp: %1 records of %2\n").arg(n).arg(hub));
        QCOMPARE(run({hub, "a.wtp"}, said), 2);
        QCOMPARE(said, QStringLiteral("wexilum-cli: a.wtp: the file is there already; give another name, or remove it first\n"));
        QCOMPARE(run({hub, "a.txt"}, said), 2);
        QCOMPARE(said, QStringLiteral("wexilum-cli: a.txt: the extension is that of no toolpath format; use .cl, .wtp, .csv\n"));
        const std::string face = read_file(scratch.filePath("a.wtp").toStdString());
        QVERIFY(face.find("\"feed\", \"mode\": \"per_minute\", \"value\": 500}\n") != std::string::npos); // as it is in the file
        // A table has no arcs, and what comes before them is not left there.
        QFile arc(scratch.filePath("arc.wtp"));
        QVERIFY(arc.open(QIODevice::WriteOnly));
        arc.write((head + "{\"record\": \"rapid\", \"tip\": [1, 0, 0]}\n{\"record\": \"comment\", \"text\": \"round\"}\n"
                          "{\"record\": \"circular\", \"tip\": [-1, 0, 0], \"centre\": [0, 0, 0], \"normal\": [0, 0, 1], \"radius\": 1}\n")
                      .c_str());
        arc.close();
        QCOMPARE(run({"arc.wtp", "arc.csv"}, said), 2);
        QCOMPARE(said,
                 QStringLiteral("wexilum-cli: arc.wtp:4: a table of poses has no row for this: circular motion; write the toolpath as "
                                ".wtp or .cl\n"));
        QVERIFY(!QFile::exists(scratch.filePath("arc.csv")));
        // A cycle that can't be written is not left out, with holes outside of any.
        QFile holes(scratch.filePath("holes.cl"));
        QVERIFY(holes.open(QIODevice::WriteOnly));
        holes.write("GOTO/0,0,9\nCYCLE/PUSH\xff,DEPTH,3\nGOTO/1,2,3\nCYCLE/OFF\n");
        holes.close();
        QCOMPARE(run({"holes.cl", "holes.wtp"}, said), 2);
        QCOMPARE(said,
                 QStringLiteral("wexilum-cli: holes.cl:2: kind or parameters of the cycle are not one line of UTF-8; correct the text "
                                "there, or remove the cycle with its holes\n"));
        QVERIFY(!QFile::exists(scratch.filePath("holes.wtp")));
        // What is left out is reported.
        QFile poses(scratch.filePath("poses.cl"));
        QVERIFY(poses.open(QIODevice::WriteOnly));
        poses.write("FEDRAT/100\nRAPID\nGOTO/1,2,3\nGOTO/4,5,6.5\nFEDRAT/200\n");
        poses.close();
        QCOMPARE(run({"poses.cl", "poses.csv"}, said), 1);
        QCOMPARE(said, QStringLiteral("poses.csv: 2 records of poses.cl\n  left out, the format has no form for it: feed, 2 times\n"));
        QCOMPARE(QString::fromStdString(read_file(scratch.filePath("poses.csv").toStdString())),
                 QStringLiteral("x,y,z,i,j,k\n1,2,3,0,0,1\n4,5,6.5,0,0,1\n"));
        QCOMPARE(run({"poses.csv", "back.cl"}, said), 0);
        QCOMPARE(QString::fromStdString(read_file(scratch.filePath("back.cl").toStdString())),
                 QStringLiteral("UNITS/MM\nMULTAX/ON\nGOTO/1,2,3,0,0,1\nGOTO/4,5,6.5,0,0,1\n"));
    }
};

WEXILUM_TEST(TestToolpathFormats)

} // namespace test_toolpath_formats
#include "test_toolpath_formats.moc"
