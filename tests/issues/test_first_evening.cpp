// What a newcomer begins with: the first project, new files of each kind, and what is reported before anything is posted.
#include "core/follow/contact_observer.hpp"
#include "core/job/language_check.hpp"
#include "core/machine/kinematics.hpp"
#include "core/machine/witness_advice.hpp"
#include "core/project/first_files.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QFile>
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_first_evening {

namespace {

void write(const QString& path, const std::string& text)
{
    QDir().mkpath(QFileInfo(path).absolutePath());
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(text.data(), qint64(text.size()));
}

struct Ended {
    int code = 0;
    QString out;
    QString err;
};

Ended cli(const QStringList& arguments)
{
    QProcess process;
    process.start(cli_program(), arguments);
    if (!process.waitForFinished(120000)) {
        return {-1, {}, {}};
    }
    return {process.exitCode(), QString::fromUtf8(process.readAllStandardOutput()), QString::fromUtf8(process.readAllStandardError())};
}

/// The demo project with edits, in a folder of its own.
struct Copy {
    QTemporaryDir folder;
    Copy()
    {
        const QString demo = QString::fromStdString(demo_folder());
        for (const char* sub : {".", "jobs", "machines", "controllers", "dialects", "posts", "setups", "toolpaths", "overlays", "bodies"}) {
            const QDir from(demo + '/' + sub);
            QDir().mkpath(folder.filePath(sub));
            for (const QString& name : from.entryList(QDir::Files)) {
                QFile::copy(from.filePath(name), folder.filePath(QString(sub) + '/' + name));
            }
        }
    }
    void edit(const char* file, const char* from, const char* to) const
    {
        std::string text = read_file(folder.filePath(file).toStdString());
        const std::size_t at = text.find(from);
        QVERIFY2(at != std::string::npos, from);
        text.replace(at, std::strlen(from), to);
        QFile::remove(folder.filePath(file));
        write(folder.filePath(file), text);
    }
};

} // namespace

class TestFirstEvening : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void the_first_project_is_proven_and_in_the_guide();
    void one_cause_is_told_once();
    void a_new_file_of_each_kind();
    void numbers_where_the_units_are_degrees_data();
    void numbers_where_the_units_are_degrees();
    void a_dialect_that_the_control_does_not_read_data();
    void a_dialect_that_the_control_does_not_read();
    void a_check_ends_as_its_parts_do();
    void axes_that_no_witness_tells();
    void a_draft_of_what_has_errors();
    void two_jobs_of_one_name();
    void lengths_that_are_none();
    void a_pocket_milled_before();
};

void TestFirstEvening::the_first_project_is_proven_and_in_the_guide()
{
    const std::string guide = read_file((source_folder() + "/docs/first-project.md").toStdString());
    QTemporaryDir folder;
    std::size_t lines = 0;
    for (const FirstFile& file : first_project("first project")) {
        QVERIFY2(guide.find("\n" + file.text + "```") != std::string::npos, file.path.c_str());
        lines += std::size_t(std::count(file.text.begin(), file.text.end(), '\n'));
        write(folder.filePath(QString::fromStdString(file.path)), file.text);
    }
    QVERIFY2(lines <= 60, qPrintable(QString::number(lines)));
    for (const FirstFile& file : first_project("first project")) {
        const Ended checked = cli({"check", folder.filePath(QString::fromStdString(file.path))});
        QVERIFY2(checked.code == 0, qPrintable(checked.err));
        QVERIFY2(!checked.out.contains("no witness"), qPrintable(checked.out));
    }
    for (const QStringList& more : {QStringList{}, QStringList{"--from-unknown"}}) {
        const Ended replayed = cli(QStringList{"replay", "--project", folder.path(), "--job", "plate"} + more);
        QVERIFY2(replayed.code == 0 && replayed.out.contains("6 records reached, 0 uncovered, 0 extra"),
                 qPrintable(replayed.out + replayed.err));
    }
}

void TestFirstEvening::a_new_file_of_each_kind()
{
    QTemporaryDir folder;
    for (const FirstFile& file : first_project("mine")) {
        write(folder.filePath(QString::fromStdString(file.path)), file.text);
    }
    const FirstParts parts{"machines/second.json",
                           "controllers/second.json",
                           "dialects/second.json",
                           "posts/second.json",
                           "setups/second.json",
                           "toolpaths/second.cl",
                           nullptr};
    for (const FirstKind kind : {FirstKind::machine, FirstKind::controller, FirstKind::dialect, FirstKind::post, FirstKind::rulebook,
                                 FirstKind::setup, FirstKind::toolpath, FirstKind::job}) {
        const auto made = first_file(kind, "second", parts);
        QVERIFY2(made.ok(), name_of(kind));
        write(folder.filePath(QString::fromStdString(made->path)), made->text);
        QCOMPARE(cli({"check", folder.filePath(QString::fromStdString(made->path))}).err, QString());
    }
    const Ended replayed = cli({"replay", "--project", folder.path(), "--job", "second"});
    QVERIFY2(replayed.code == 0, qPrintable(replayed.out + replayed.err));
    for (const char* name : {"", " x", "../x", "a/b", "x\n", "-x"}) {
        const auto refused = first_file(FirstKind::machine, name, parts);
        QVERIFY2(!refused.ok(), name);
        QCOMPARE(refused.error().cure, std::string("type one, like first-mill"));
    }
    // A setup for a machine that turns: each joint has its offset, as what it is.
    const Assembly five = load_demo("mirror-back-face").value();
    FirstParts for_five;
    for_five.drawn = &five.machine;
    const auto setup = first_file(FirstKind::setup, "five", for_five);
    QVERIFY(setup.ok());
    QVERIFY2(setup->text.find("\"B\": {\"angle\": 0}") != std::string::npos, setup->text.c_str());
}

void TestFirstEvening::numbers_where_the_units_are_degrees_data()
{
    QTest::addColumn<QString>("job");
    QTest::addColumn<QString>("file");
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("message");
    QTest::newRow("offset of a rotary joint") << "mirror-back-face"
                                              << "setups/mirror-back.json"
                                              << R"("C": {"angle")"
                                              << R"("C": 90, "x-c": {"angle")"
                                              << "C turns, but its value is a length";
    QTest::newRow("offset of a linear joint") << "mirror-cell"
                                              << "setups/mirror-cell.json"
                                              << R"("X": -60)"
                                              << R"("X": {"angle": -60})"
                                              << "X does not turn, but its value is an angle";
    QTest::newRow("parked") << "fork-arm"
                            << "jobs/fork-arm.json"
                            << R"("parked": {)"
                            << R"("parked": {"B": 90, )"
                            << "B turns, but its value is a length";
    QTest::newRow("change position") << "mirror-cell"
                                     << "controllers/morrow-m.json"
                                     << R"("change_position": {"Z": 0})"
                                     << R"("change_position": {"Z": {"angle": 5}})"
                                     << "Z does not turn, but its value is an angle";
}

void TestFirstEvening::numbers_where_the_units_are_degrees()
{
    QFETCH(QString, job);
    QFETCH(QString, file);
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, message);
    const auto a = load_demo(job.toStdString(), {{file.toStdString(), from.toStdString(), to.toStdString()}});
    QVERIFY(!a.ok());
    QCOMPARE(QString::fromStdString(a.error().message), message);
    QVERIFY2(a.error().place.line > 0 && a.error().place.file == file.toStdString(), a.error().text().c_str());
}

void TestFirstEvening::a_dialect_that_the_control_does_not_read_data()
{
    QTest::addColumn<QString>("file");
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("message");
    const auto row = [](const char* name, const char* from, const char* to, const char* message) {
        QTest::newRow(name) << "dialects/morrow-m.json" << from << to << message;
    };
    row("unknown word", R"("coolant-flood": "M8")", R"("coolant-flood": "M108")",
        "the dialect writes M108 for coolant-flood, which the control does not know");
    row("another meaning", R"("coolant-flood": "M8")", R"("coolant-flood": "M7")",
        "the dialect writes M7 for coolant-flood, which means coolant-mist to the control");
    row("no rapid", R"("rapid": "G0", )", "", "the dialect has no word for rapid: the control would go on with the motion before");
    row("a point that is left out", R"("length": {"decimals": 3})", R"("length": {"decimals": 3, "point": "when-needed"})",
        "the dialect may write a length without a point, and the control would read 5 as 0.005");
    row("another register", R"("1": "G54")", R"("1": "G55")",
        "the dialect writes G55 for the offset register 1, which is the register 2 to the control");
    row("another cycle", R"("word": "G83")", R"("word": "G81")",
        "the dialect writes G81 for the cycle peck, which the control does as drill");
    row("another axis", R"("X": {"word": "X"}, "Y": {"word": "Y"})", R"("X": {"word": "Y"}, "Y": {"word": "X"})",
        "the dialect writes X with Y, which is Y to the control");
    row("remarks", R"x("comment": ["(", ")"])x", R"("comment": ["[", "]"])",
        "the dialect writes remarks between [ and ], the control reads them between ( and )");
    row("sequence numbers", R"("letter": "N")", R"("letter": "B")", "the dialect writes sequence numbers with B, the control reads N");
}

void TestFirstEvening::a_dialect_that_the_control_does_not_read()
{
    QFETCH(QString, file);
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, message);
    const auto a = load_demo("mirror-cell", {{file.toStdString(), from.toStdString(), to.toStdString()}});
    QVERIFY(!a.ok());
    QCOMPARE(QString::fromStdString(a.error().message), message);
    QCOMPARE(a.error().place.file, std::string("dialects/morrow-m.json"));
    QVERIFY(!a.error().cure.empty());
}

void TestFirstEvening::a_check_ends_as_its_parts_do()
{
    const Copy copy;
    for (const char* file : {"posts/tarn-3.json", "jobs/mirror-cell.json"}) {
        QCOMPARE(cli({"check", copy.folder.filePath(file)}).code, 0);
    }
    copy.edit("dialects/morrow-m.json", R"("rapid": "G0", )", "");
    for (const char* file : {"posts/tarn-3.json", "jobs/mirror-cell.json"}) {
        const Ended checked = cli({"check", copy.folder.filePath(file)});
        QVERIFY2(checked.code == 2 && checked.err.contains("the dialect has no word for rapid"), qPrintable(checked.err));
    }
    // A missed witness of a part is one of the whole.
    copy.edit("dialects/morrow-m.json", R"("linear": "G1")", R"("rapid": "G0", "linear": "G1")");
    copy.edit("machines/tarn-3.json", R"("tip": [0, 0, 520])", R"("tip": [0, 0, 521])");
    QCOMPARE(cli({"check", copy.folder.filePath("posts/tarn-3.json")}).code, 1);
    QCOMPARE(cli({"check", copy.folder.filePath("jobs/mirror-cell.json")}).code, 1);
    // A letter that the control passes over wherever it stands.
    const Copy other;
    other.edit("controllers/morrow-m.json", R"("program_number": "O")", R"("program_number": "X")");
    const Ended swallowed = cli({"check", other.folder.filePath("controllers/morrow-m.json")});
    QVERIFY2(swallowed.code == 2 &&
                 swallowed.err.contains("the letter X is that of program numbers, which the control passes over, and of the axis X"),
             qPrintable(swallowed.err));
}

void TestFirstEvening::axes_that_no_witness_tells()
{
    for (const char* job : {"mirror-cell", "mirror-back-face", "focuser-hub", "fork-arm", "setting-circle", "pier-cap"}) {
        const Machine machine = load_demo(job).value().machine;
        for (const std::string& remark : witness_remarks(machine, {1, M_PI / 180})) {
            QFAIL((std::string(job) + ": " + remark).c_str());
        }
        // By the test's own turning round: where no witness has a joint away from its reference it is reported.
        for (std::size_t i = 0; i < machine.joints.size(); ++i) {
            Machine fewer = machine;
            std::erase_if(fewer.witnesses,
                          [&](const Witness& w) { return std::abs(w.readings[Eigen::Index(i)] - machine.joints[i].at) > 1e-9; });
            if (fewer.witnesses.empty() || machine.joints[i].by_hand) {
                continue;
            }
            const auto loose = unwitnessed(fewer);
            const bool carries = std::find(loose.begin(), loose.end(), JointIndex(std::uint32_t(i))) != loose.end();
            const auto chain = joints_between(machine, {fewer.witnesses.front().mount, {}});
            if (std::find(chain.begin(), chain.end(), JointIndex(std::uint32_t(i))) != chain.end()) {
                QVERIFY2(carries, qPrintable(QString(job) + " " + QString::fromStdString(machine.joints[i].id)));
            }
        }
    }
    // The proposed witness, put into the file, is read and shows all.
    std::string text = read_file(demo_folder() + "/machines/tarn-5t.json");
    const std::size_t from = text.find("\"witnesses\": [");
    const std::size_t to = text.find("\n  ]", from);
    const Machine before = machine_from(text);
    text.replace(from, to - from, "\"witnesses\": [\n    " + proposed_witness(before, {1, M_PI / 180}));
    const Machine after = machine_from(text);
    QCOMPARE(after.witnesses.size(), std::size_t(1));
    QVERIFY(unwitnessed(after).empty());
}

void TestFirstEvening::a_draft_of_what_has_errors()
{
    QTemporaryDir out;
    const QString draft = out.filePath("draft.nc");
    const QStringList post{"post", "--project", QString::fromStdString(demo_folder()), "--out", out.filePath("out"), "--draft",
                           draft,  "--job"};
    const Ended failed = cli(post + QStringList{"fails-beyond-travel"});
    QVERIFY2(failed.code == 1 && failed.out.contains("no code is written") && failed.out.contains(draft), qPrintable(failed.out));
    const auto lines = lines_of(read_file(draft.toStdString()));
    QVERIFY2(QString::fromStdString(lines.front()).contains(QRegularExpression("^\\(NOT TO BE RUN: A DRAFT WITH \\d+ ERRORS?\\)$")),
             lines.front().c_str());
    QVERIFY(lines.size() > 500);
    QVERIFY(QDir(out.filePath("out")).isEmpty());
    // Without errors there is the program and no draft.
    QFile::remove(draft);
    QCOMPARE(cli(post + QStringList{"mirror-cell"}).code, 0);
    QVERIFY(!QFile::exists(draft) && QFile::exists(out.filePath("out/mirror-cell.nc")));
}

void TestFirstEvening::two_jobs_of_one_name()
{
    const Copy copy;
    QVERIFY(QFile::copy(copy.folder.filePath("jobs/mirror-cell.json"), copy.folder.filePath("jobs/other.json")));
    for (const char* job : {"mirror-cell", "other"}) {
        const Ended posted = cli({"post", "--project", copy.folder.path(), "--job", job, "--out", copy.folder.filePath("out")});
        QVERIFY2(posted.code == 2 && posted.err.contains("has the name \"mirror-cell\" as well: one program would replace the other"),
                 qPrintable(posted.err));
    }
    QVERIFY(!QFile::exists(copy.folder.filePath("out/mirror-cell.nc")));
}

void TestFirstEvening::lengths_that_are_none()
{
    QTemporaryDir folder;
    const QString poses = folder.filePath("poses.csv");
    write(poses, "x,y,z,i,j,k\n0,0,100,0,0,1\n");
    const QString machine = QString::fromStdString(demo_folder()) + "/machines/tarn-5t.json";
    for (const char* length : {"nan", "inf", "-inf", "1e400", "2000001", "x"}) {
        const Ended solved = cli({"solve", "--machine", machine, "--poses", poses, QString("--tool-length=") + length});
        QVERIFY2(solved.code == 2 && !solved.err.isEmpty(), length);
    }
    const Ended fine = cli({"solve", "--machine", machine, "--poses", poses, "--tool-length", "120", "--all"});
    QVERIFY2(fine.code == 0 && fine.out.contains("goes on with its cut, in which the branch stays"), qPrintable(fine.out + fine.err));
}

/// A drill goes down in rapid into a pocket that another tool has milled between two of its lanes.
void TestFirstEvening::a_pocket_milled_before()
{
    const auto contact = [](const std::string& pocket, const std::string& drill) {
        const auto a = demo_with_toolpath("mirror-cell", pocket + drill + "FINI\n");
        if (!a) {
            qFatal("%s", a.error().text().c_str());
        }
        RunResult run = post(*a);
        return check_contacts(*a, run.files).value().findings;
    };
    const std::string pocket = "LOADTL/1\nSPINDL/3000,CLW\nRAPID\nGOTO/0,0,10\nFEDRAT/300,MMPM\nGOTO/0,0,-6\nGOTO/30,0,-6\nGOTO/30,8,-6\n"
                               "GOTO/0,8,-6\nRAPID\nGOTO/0,8,10\n";
    const std::string slot =
        "LOADTL/1\nSPINDL/3000,CLW\nRAPID\nGOTO/0,-3,10\nFEDRAT/300,MMPM\nGOTO/0,-3,-6\nGOTO/30,-3,-6\nRAPID\nGOTO/30,-3,10\n";
    const std::string drill =
        "LOADTL/2\nSPINDL/2000,CLW\nRAPID\nGOTO/15,4,10\nRAPID\nGOTO/15,4,-5.5\nFEDRAT/200,MMPM\nGOTO/15,4,-9\nRAPID\n"
        "GOTO/15,4,10\n";
    const FindingList milled = contact(pocket, drill);
    QVERIFY2(!milled.has_errors(), qPrintable(shown(milled)));
    // In the whole block, and beside a slot that does not reach so far, it is reported.
    QVERIFY(contact("", drill).has_errors());
    QVERIFY(contact(slot, drill).has_errors());
}

/// A joint beyond its travel at many places: one finding with its worst place, how many there are and some of the others.
void TestFirstEvening::one_cause_is_told_once()
{
    const QStringList replay{"replay", "--project", QString::fromStdString(demo_folder()), "--job", "fails-beyond-travel"};
    const Ended text = cli(replay);
    QCOMPARE(text.code, 1);
    QCOMPARE(text.out.count("\n  error "), 1);
    const Ended json = cli(replay + QStringList{"--json"});
    qsizetype places = 0;
    static const QRegularExpression count("\"count\": ?([0-9]+)");
    for (auto it = count.globalMatch(json.out); it.hasNext();) {
        places += it.next().captured(1).toLongLong();
    }
    QVERIFY(places > 100);
    QVERIFY2(text.out.contains(QString("X goes 53.250 mm beyond the high end of its travel (the worst of %1)").arg(places)),
             qPrintable(text.out));
    static const QRegularExpression others("\n +and at [^\n]*:[0-9]+ to [0-9]+, [0-9]+ to [0-9]+.* and [0-9]+ more\n");
    QVERIFY2(others.match(text.out).hasMatch(), qPrintable(text.out));
}

WEXILUM_TEST(TestFirstEvening)

} // namespace test_first_evening
#include "test_first_evening.moc"
