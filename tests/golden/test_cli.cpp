// wexilum-cli as a user runs it: arguments, exit codes, JSON, files written or not.
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace wexilum::test;

namespace test_cli {

namespace {

struct Outcome {
    int code = -1;
    QByteArray out;
    QByteArray err;
    [[nodiscard]] QJsonObject json() const { return QJsonDocument::fromJson(out).object(); }
};

Outcome run(const QStringList& arguments)
{
    QProcess process;
    process.start(cli_program(), arguments);
    process.waitForFinished(120000);
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1, process.readAllStandardOutput(),
            process.readAllStandardError()};
}

QString project() { return QString::fromStdString(demo_folder()); }

QString write(const QTemporaryDir& folder, const QString& name, const QByteArray& text)
{
    QFile file(folder.filePath(name));
    if (file.open(QIODevice::WriteOnly)) {
        file.write(text);
    }
    return file.fileName();
}

QStringList keys(const QJsonObject& object) { return object.keys(); }

} // namespace

class TestCli : public QObject {
    Q_OBJECT
private Q_SLOTS:
    /// A program by itself; figures by hand: Tarn 3 goes 300 mm/s in X and Y and 250 mm/s in Z, the work offset is none.
    void reads_programs_by_themselves()
    {
        QTemporaryDir folder;
        const QString code = write(folder, "by-itself.nc", "G21 G90 G94\nG0 X60. Y-30.\nS900 M3\nG1 X90. Y10. F600.\nM30\n");
        const QStringList parts{"--machine", project() + "/machines/tarn-3.json", "--controller", project() + "/controllers/morrow-m.json"};
        const Outcome told = run(QStringList{"read", "--json"} + parts + QStringList{code});
        QVERIFY2(told.code == 0, told.err.constData());
        const QJsonObject json = told.json();
        QCOMPARE(keys(json), (QStringList{"axes", "blocks", "files", "findings", "motions", "time", "tip_mm", "tip_of_cuts_mm", "tools"}));
        QCOMPARE(json["blocks"].toInt(), 5);
        QCOMPARE(json["motions"].toInt(), 2);
        // X goes 60 mm: 300 mm/s are there after 2 sqrt(300 / 40000) s, before 3500 mm/s2 would be.
        const QJsonValue causes = json["time"]["causes"];
        QVERIFY(std::abs(causes["rapid"].toDouble() - (60.0 / 300 + 2 * std::sqrt(300.0 / 40000))) < 1e-9);
        QVERIFY(std::abs(causes["feed"].toDouble() - 5) < 1e-9); // 50 mm at 10 mm/s
        const QJsonObject tool = json["tools"].toArray().first().toObject();
        QVERIFY(std::abs(tool["feed_mm_per_min"].toObject()["high"].toDouble() - 600) < 1e-9);
        QCOMPARE(tool["speed_rpm"].toObject()["low"].toDouble(), 900.0);
        for (const auto& axis : json["axes"].toArray()) {
            if (axis.toObject()["joint"].toString() == QStringLiteral("X")) {
                QCOMPARE(axis.toObject()["readings"].toObject()["high"].toDouble(), 90.0);
                QCOMPARE(axis.toObject()["readings"].toObject()["high_block"].toInt(), 4);
                QCOMPARE(axis.toObject()["of_cuts"].toObject()["low"].toDouble(), 60.0);
                QCOMPARE(axis.toObject()["travel_left"].toDouble(), 330.0); // of 420
            }
        }
        QCOMPARE(json["tip_of_cuts_mm"].toObject()["y"].toObject()["low"].toDouble(), -30.0);
        const Outcome words = run(QStringList{"read"} + parts + QStringList{code});
        QVERIFY2(words.out.contains("no setup is given: work offsets and tool lengths count as 0"), words.out.constData());
        // What the control refuses is reported with its line, and the exit code says so.
        const QString wrong = write(folder, "wrong.nc", "G21 G90 G94\nG0 X60. Y-30.\nG1 X990. F600.\nG7 X1.\nM30\n");
        const Outcome refused = run(QStringList{"read"} + parts + QStringList{wrong});
        QCOMPARE(refused.code, 1);
        QVERIFY2(refused.out.contains("X goes 570.000 mm beyond the high end of its travel"), refused.out.constData());
        QVERIFY(refused.out.contains("the control does not know G7") && refused.out.contains("wrong.nc:4"));
        const Outcome none = run(QStringList{"read"} + parts + QStringList{folder.filePath("none.nc")});
        QCOMPARE(none.code, 2);
        QVERIFY(none.err.contains("none.nc"));
        QCOMPARE(run({"read", "--machine", parts[1], code}).code, 2);
        QCOMPARE(run({"contact"}).code, 2);
        QCOMPARE(run(QStringList{"contact", "--project", project()} + parts + QStringList{code}).code, 2);
    }

    /// A job's own code by itself meets what the job's check meets.
    void contact_of_programs_is_that_of_the_job()
    {
        QTemporaryDir folder;
        for (const auto& [job, parts] : {std::pair("fork-arm", std::array{"fell-4", "orrin-h", "fork-arm"}),
                                         std::pair("mirror-cell", std::array{"tarn-3", "morrow-m", "mirror-cell"})}) {
            QCOMPARE(run({"post", "--project", project(), "--job", job, "--out", folder.path()}).code, 0);
            const Outcome own = run({"contact", "--project", project(), "--job", job, "--json"});
            const QString code = QDir(folder.path()).entryInfoList({QString(job) + ".*"}).first().filePath();
            const Outcome alone = run({"contact", "--machine", project() + "/machines/" + parts[0] + ".json", "--controller",
                                       project() + "/controllers/" + parts[1] + ".json", "--setup",
                                       project() + "/setups/" + parts[2] + ".json", code, "--json"});
            QVERIFY2(alone.code == own.code, alone.err.constData());
            QVERIFY(own.json()["moves"].toInt() > 0);
            QCOMPARE(alone.json()["moves"], own.json()["moves"]);
            QCOMPARE(alone.json()["distances"], own.json()["distances"]);
            QCOMPARE(alone.json()["findings"].toArray().size(), own.json()["findings"].toArray().size());
        }
    }

    void calibrates_the_second_machine()
    {
        QTemporaryDir folder;
        const QString table = project() + "/measured/brae-4r-second.csv";
        const QString out = folder.filePath("second.json");
        const QStringList command{
            "calibrate", "--machine", project() + "/machines/brae-4r.json", "--measured", table, "--tool-length", "80", "--out", out,
            "--name",    "second"};
        const Outcome told = run(command);
        QVERIFY2(told.code == 0, told.err.constData());
        QVERIFY2(told.out.contains("Brae 4R by 24 positions"), told.out.constData());
        QVERIFY(told.out.contains("written: " + out.toUtf8()));
        // What the table was made with (demo/generators/measured_tips.py), within what a dial of 0.0012 mm can show.
        const QJsonObject found = run(command + QStringList{"--json"}).json();
        const QJsonObject a = found["joints"].toObject()["A"].toObject();
        QVERIFY(std::abs(a["zero_deg"].toDouble() - 0.024) < 0.002);
        QVERIFY(std::abs(a["axis_off_mm"].toDouble() - std::hypot(0.038, 0.066)) < 0.002);
        QVERIFY(found["rms_before_mm"].toDouble() > 0.05);
        QVERIFY(found["rms_after_mm"].toDouble() < 0.0035);
        QVERIFY(found["undetermined"].toArray().isEmpty());
        QFile file(out);
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QJsonObject overlay = QJsonDocument::fromJson(file.readAll()).object();
        QCOMPARE(overlay["machine"].toString(), QString("machines/brae-4r.json"));
        QCOMPARE(overlay["name"].toString(), QString("second"));
        const QJsonArray point = overlay["joints"].toObject()["A"].toObject()["point"].toArray();
        QVERIFY(std::abs(point[1].toDouble() + 20.462) < 0.002 && std::abs(point[2].toDouble() + 259.934) < 0.002);
        // A that turns the other way: reported, and nothing written.
        QFile rows(table);
        QVERIFY(rows.open(QIODevice::ReadOnly));
        QStringList turned;
        for (const QString& line : QString::fromUtf8(rows.readAll()).split('\n')) {
            QStringList cells = line.split(',');
            if (cells.size() == 7 && cells[0] != "X") {
                cells[3] = QString::number(-cells[3].toDouble());
            }
            turned.push_back(cells.join(','));
        }
        const QString other = write(folder, "turned.csv", turned.join('\n').toUtf8());
        const QString not_written = folder.filePath("none.json");
        const Outcome wrong = run({"calibrate", "--machine", project() + "/machines/brae-4r.json", "--measured", other, "--tool-length",
                                   "80", "--out", not_written});
        QCOMPARE(wrong.code, 1);
        QVERIFY2(wrong.out.contains("A turns the other way than the machine says"), wrong.out.constData());
        QVERIFY(!QFile::exists(not_written));
        // A column that is missing.
        const Outcome missing = run({"calibrate", "--machine", project() + "/machines/brae-4r.json", "--measured",
                                     write(folder, "short.csv", "X,Y,Z,x,y,z\n1,2,3,4,5,6\n")});
        QCOMPARE(missing.code, 2);
        QVERIFY2(missing.err.contains("short.csv:1:1: the table has no column \"A\"; its header names X, Y, Z, A, x, y, z and, where it "
                                      "varies, length"),
                 missing.err.constData());
    }

    void post_writes_the_code_and_says_so()
    {
        QTemporaryDir folder;
        const Outcome o = run({"post", "--project", project(), "--job", "mirror-cell", "--out", folder.path(), "--json"});
        QCOMPARE(o.code, 0);
        QCOMPARE(o.err, QByteArray());
        QCOMPARE(o.out.count('\n'), 1);
        const QJsonObject json = o.json();
        QCOMPARE(keys(json), (QStringList{"blocks", "draft", "files", "findings", "records", "seconds", "time"}));
        const QJsonObject time = json["time"].toObject();
        QCOMPARE(keys(time), (QStringList{"causes", "findings", "operations", "ramps", "seconds", "tools"}));
        double operations = 0;
        for (const QJsonValue& operation : time["operations"].toArray()) {
            operations += operation["seconds"].toDouble();
        }
        QVERIFY(std::abs(operations - time["seconds"].toDouble()) < 1e-6);
        QCOMPARE(time["operations"][1]["name"].toString(), QString("saddle grooves"));
        QCOMPARE(time["causes"]["tool-change"].toDouble(), 18.0); // three tools, 6 s each
        const QJsonObject file = json["files"].toArray()[0].toObject();
        QCOMPARE(keys(file), (QStringList{"blocks", "bytes", "channel", "path"}));
        QFile code(file["path"].toString());
        QVERIFY(code.open(QIODevice::ReadOnly));
        const QByteArray text = code.readAll();
        QCOMPARE(file["bytes"].toInt(), int(text.size()));
        QCOMPARE(file["blocks"].toInt(), int(text.count('\n')));
        QVERIFY(json["findings"].toArray().isEmpty());
        // The code read back from its file is proven.
        const Outcome back =
            run({"replay", "--project", project(), "--job", "mirror-cell", "--code", code.fileName(), "--from-unknown", "--json"});
        QCOMPARE(back.code, 0);
        const QJsonObject report = back.json();
        QCOMPARE(keys(report), (QStringList{"at_records", "between", "compared", "extra", "feed_budget_percent", "feed_error_percent",
                                            "findings", "proven", "surface", "uncovered", "worst"}));
        QCOMPARE(keys(report["between"].toObject()), (QStringList{"axis_budget_deg", "axis_deg", "tip_budget_mm", "tip_mm"}));
        QCOMPARE(keys(report["worst"].toObject()), (QStringList{"code", "source"}));
        QVERIFY(report["at_records"].toObject()["tip_mm"].toDouble() <= report["at_records"].toObject()["tip_budget_mm"].toDouble());
        QCOMPARE(report["uncovered"].toInt(), 0);
        QVERIFY(report["compared"].toInt() > 400);
    }

    void broken_code_is_found_with_exit_1()
    {
        QTemporaryDir folder;
        run({"post", "--project", project(), "--job", "mirror-cell", "--out", folder.path()});
        QFile file(folder.filePath("mirror-cell.nc"));
        QVERIFY(file.open(QIODevice::ReadOnly));
        QByteArray text = file.readAll();
        const int line = 1 + int(text.left(text.indexOf("X66.5")).count('\n'));
        text.replace(text.indexOf("X66.5"), 5, "X66.6");
        const QString broken = write(folder, "broken.nc", text);
        const Outcome o = run({"replay", "--project", project(), "--job", "mirror-cell", "--code", broken, "--json"});
        QCOMPARE(o.code, 1);
        const QJsonObject first = o.json()["findings"].toArray()[0].toObject();
        QCOMPARE(keys(first), (QStringList{"code", "count", "cure", "kind", "last", "message", "rule", "severity", "source", "worst"}));
        bool at_line = false;
        for (const auto& value : o.json()["findings"].toArray()) {
            const QJsonObject finding = value.toObject();
            at_line = at_line || (finding["kind"] == "off-path" && finding["code"].toObject()["line"].toInt() == line &&
                                  finding["source"].toObject()["file"] == "toolpaths/cell-pockets.cl");
        }
        QVERIFY2(at_line, o.out.constData());
    }

    void failing_jobs_write_nothing_and_take_old_code_away()
    {
        QTemporaryDir folder;
        write(folder, "fails-beyond-travel.nc", "old");
        const Outcome o = run({"post", "--project", project(), "--job", "fails-beyond-travel", "--out", folder.path(), "--json"});
        QCOMPARE(o.code, 1);
        QVERIFY(o.json()["files"].toArray().isEmpty());
        QCOMPARE(o.json()["findings"].toArray()[0].toObject()["kind"].toString(), QString("beyond-travel"));
        QCOMPARE(QDir(folder.path()).entryList(QDir::Files), QStringList());
        for (const char* job : {"fails-tool-without-length", "fails-unreachable-direction", "fails-tilt-beyond-travel"}) {
            QCOMPARE(run({"post", "--project", project(), "--job", job, "--out", folder.path()}).code, 1);
        }
    }

    void rules_that_fail()
    {
        QTemporaryDir folder;
        const Outcome o = run({"post", "--project", project(), "--job", "fails-rule-without-end", "--out", folder.path(), "--json"});
        QCOMPARE(o.code, 1);
        QVERIFY(QDir(folder.path()).isEmpty());
        const QJsonObject finding = QJsonDocument::fromJson(o.out).object()["findings"].toArray()[0].toObject();
        QCOMPARE(finding["kind"].toString(), QString("rule-failed"));
        QCOMPARE(finding["rule"].toObject()["file"].toString(), QString("rulebooks/fails-without-end/rulebook.lua"));
        QVERIFY(finding["rule"].toObject()["line"].toInt() >= 5 && finding["rule"].toObject()["line"].toInt() <= 6);
        QCOMPARE(finding["source"].toObject()["file"].toString(), QString("toolpaths/cell-holes.cl"));
        QCOMPARE(finding["source"].toObject()["line"].toInt(), 10); // the first hole
        const Outcome loop = run({"replay", "--project", project(), "--job", "fails-batch-relies-on-first"});
        QCOMPARE(loop.code, 1);
        QVERIFY2(loop.out.contains("relies on the"), loop.out.constData());
    }

    void rulebooks_are_checked()
    {
        const Outcome fine = run({"check", project() + "/posts/tarn-3-batch.json", project() + "/rulebooks/tarn-3/header.lua"});
        QCOMPARE(fine.code, 0);
        QVERIFY2(fine.out.contains("post tarn-3-batch 0.1.0, 6 options, rulebook of 3 files"), fine.out.constData());
        QTemporaryDir folder;
        const auto refused = [&](const QByteArray& text) {
            write(folder, "rules.lua", text);
            const Outcome o = run({"check", folder.filePath("rules.lua")});
            return o.code == 2 ? QString(o.err).section("rules.lua:", 1).trimmed() : QString("accepted: ") + o.out;
        };
        QCOMPARE(refused("function on.linear(event)\n  event:nativ()\nend\n"),
                 QString("2:9: the event linear has no field \"nativ\"; is \"native\" meant?"));
        QCOMPARE(refused("function on.linear(e)\n  if e.x > 1 then local y = e.fed end\nend\n"),
                 QString("2:31: the event linear has no field \"fed\"; there are: native, axis, reading, x, y, z, i, j, k, "
                         "surface_x, surface_y, surface_z"));
        QCOMPARE(refused("on.spindel = function(e) end"), QString("1:4: there is no event \"spindel\"; is \"spindle\" meant?"));
        QCOMPARE(refused("function on.rapid(e) e.x = 5 end"),
                 QString("1:24: the field x of rapid can't be set; emit what is wanted instead"));
        QCOMPARE(refused("function on.rapid(e) comment(state.toool) end"), QString("1:36: the state has no \"toool\"; is \"tool\" meant?"));
        QCOMPARE(refused("function on.rapid(e)\n  comment('x'\nend"),
                 QString("3: ')' expected (to close '(' at line 2) near 'end'; correct the rulebook there"));
        // What looks like it and is not.
        QVERIFY(refused("-- on.spindel\nlocal s = 'on.spindel' .. [[state.toool]]\nfunction on.linear(event)\n  local f = function(event) "
                        "return event.other end\nend\nlocal t = {on = {}}\nt.on.x = 5")
                    .startsWith("accepted"));
        QVERIFY(refused("function on.feed(event)\n  if event.value == 5 then event.value = 6 end\n  for i = 1, 2 do while false do end "
                        "end\n  repeat until true\nend\nlocal event = {}\nevent.any = 1")
                    .startsWith("accepted"));
    }

    void usage_and_unreadable_input_end_with_2()
    {
        QCOMPARE(run({}).code, 2);
        QCOMPARE(run({"post"}).code, 2);
        QCOMPARE(run({"dance"}).code, 2);
        QCOMPARE(run({"post", "--project", "/nowhere", "--job", "x"}).code, 2);
        const Outcome o = run({"post", "--project", project(), "--job", "nothing", "--json"});
        QCOMPARE(o.code, 2);
        QVERIFY(o.err.contains("the project has no job \"nothing\"; its jobs are: "));
        QCOMPARE(o.json()["error"].toObject()["kind"].toString(), QString("value"));
        QCOMPARE(run({"replay", "--project", project(), "--job", "mirror-cell", "--code", "/nowhere.nc"}).code, 2);
    }

    void version_and_help()
    {
        const Outcome version = run({"--version"});
        QCOMPARE(version.code, 0);
        QVERIFY(QRegularExpression("^wexilum-cli \\d+\\.\\d+\\.\\d+\\n$").match(version.out).hasMatch());
        QCOMPARE(run({"--help"}).code, 0);
        for (const char* command : {"post", "replay", "check", "solve", "pose", "calibrate"}) {
            const Outcome help = run({command, "--help"});
            QCOMPARE(help.code, 0);
            QVERIFY(help.out.contains("Usage:"));
        }
    }

    void check_tells_witnesses_and_errors()
    {
        const Outcome fine = run({"check", project() + "/machines/tarn-5t.json", project() + "/toolpaths/cell-holes.cl"});
        QCOMPARE(fine.code, 0);
        QVERIFY(fine.out.contains("machine Tarn 5T: 5 joints, 5 witness readings hold"));
        QTemporaryDir folder;
        std::string text = read_file(demo_folder() + "/machines/tarn-5t.json");
        text.replace(text.find("-85.25"), 6, "-85.30");
        const Outcome missed = run({"check", write(folder, "m.json", QByteArray::fromStdString(text))});
        QCOMPARE(missed.code, 1);
        QVERIFY2(missed.err.contains("the witness \"B +90: the tool looks along the work's +X\" is missed"), missed.err.constData());
        QCOMPARE(run({"check", write(folder, "n.json", "{\"format\": \"nonsense/1\"}")}).code, 2);
        QCOMPARE(run({"check", write(folder, "p.cl", "GOTO/1,2\n")}).code, 2);
    }

    void solve_and_pose_are_each_other_s_inverse()
    {
        QTemporaryDir folder;
        const QString machine = write(folder, "m.json", QByteArray::fromStdString(table_table_json()));
        // Two rows by hand (see test_kinematics_by_hand): straight down with C free, and along +X.
        const QString poses = write(folder, "p.csv", "x,y,z,i,j,k\n85,5,-85,1,0,0\n0,0,0,0.6,0,0.8\n0,0,0,0,0.6,0.8\n");
        const Outcome o = run({"solve", "--machine", machine, "--poses", poses, "--tool-length", "100", "--all", "--json"});
        QCOMPARE(o.code, 0);
        const QJsonObject json = o.json();
        QCOMPARE(keys(json), (QStringList{"alternatives", "axes", "cut_from_line", "findings", "rows", "status", "travel_left"}));
        QVERIFY(std::abs(json["travel_left"].toArray()[0].toDouble() - 25.0 / 115) < 1e-9); // B at 90 of 115 degrees has least
        QCOMPARE(json["axes"].toArray(), (QJsonArray{"X", "Y", "Z", "B", "C"}));
        const QJsonArray first = json["rows"].toArray()[0].toArray();
        const double wanted[] = {20, 5, -400, 90, 0};
        for (int i = 0; i < 5; ++i) {
            QVERIFY2(std::abs(first[i].toDouble() - wanted[i]) < 1e-9, qPrintable(QString::number(first[i].toDouble(), 'g', 17)));
        }
        QCOMPARE(json["status"].toArray(), (QJsonArray{"solved", "solved", "solved"}));
        // Axis along +X: B 90 with C 0 and +-360, B -90 with C +-180: five, of which one has been chosen.
        QCOMPARE(json["alternatives"].toArray()[0].toArray().size(), 4);
        QByteArray axes = "X,Y,Z,B,C\n";
        for (const auto& row : json["rows"].toArray()) {
            QStringList cells;
            for (const auto& value : row.toArray()) {
                cells << QString::number(value.toDouble(), 'g', 17);
            }
            axes += cells.join(',').toUtf8() + '\n';
        }
        const Outcome back = run({"pose", "--machine", machine, "--axes", write(folder, "a.csv", axes), "--tool-length", "100", "--json"});
        QCOMPARE(back.code, 0);
        const double poses_wanted[3][6] = {{85, 5, -85, 1, 0, 0}, {0, 0, 0, 0.6, 0, 0.8}, {0, 0, 0, 0, 0.6, 0.8}};
        for (int r = 0; r < 3; ++r) {
            for (int k = 0; k < 6; ++k) {
                QVERIFY(std::abs(back.json()["rows"].toArray()[r].toArray()[k].toDouble() - poses_wanted[r][k]) < 1e-9);
            }
        }
    }

    void solve_chooses_for_a_joint_to_spare()
    {
        QTemporaryDir folder;
        QJsonObject machine = QJsonDocument::fromJson(QByteArray::fromStdString(table_table_json())).object();
        QJsonArray joints = machine["joints"].toArray();
        joints.append(QJsonObject{{"id", "A"},
                                  {"kind", "rotary"},
                                  {"parent", "Z"},
                                  {"direction", QJsonArray{1, 0, 0}},
                                  {"point", QJsonArray{0, 0, 560}},
                                  {"travel", QJsonArray{-40, 40}},
                                  {"speed", 6000}});
        machine["joints"] = joints;
        QJsonArray mounts = machine["mounts"].toArray();
        QJsonObject spindle = mounts[1].toObject();
        spindle["parent"] = "A";
        mounts[1] = spindle;
        machine["mounts"] = mounts;
        QJsonArray witnesses = machine["witnesses"].toArray();
        for (int i = 0; i < witnesses.size(); ++i) {
            QJsonObject witness = witnesses[i].toObject();
            QJsonObject readings = witness["readings"].toObject();
            readings["A"] = 0;
            witness["readings"] = readings;
            witnesses[i] = witness;
        }
        machine["witnesses"] = witnesses;
        const QString file = write(folder, "m.json", QJsonDocument(machine).toJson());
        const QString poses = write(folder, "p.csv", "x,y,z,i,j,k\n85,5,-85,0.6,0,0.8\n86,5,-85,0.6,0.1,0.7937254\n0,0,0,0,0,-1\n");
        const Outcome o = run({"solve", "--machine", file, "--poses", poses, "--tool-length", "100", "--free", "A", "--json"});
        QCOMPARE(o.code, 1);
        QCOMPARE(o.json()["status"].toArray(), (QJsonArray{"solved", "solved", "unreachable"}));
        QByteArray axes = "X,Y,Z,B,C,A\n";
        for (int r = 0; r < 2; ++r) {
            QStringList cells;
            for (const auto& value : o.json()["rows"].toArray()[r].toArray()) {
                cells << QString::number(value.toDouble(), 'g', 17);
            }
            axes += cells.join(',').toUtf8() + '\n';
            QVERIFY(o.json()["travel_left"].toArray()[r].toDouble() > 0);
        }
        const Outcome back = run({"pose", "--machine", file, "--axes", write(folder, "a.csv", axes), "--tool-length", "100", "--json"});
        const double wanted[2][6] = {{85, 5, -85, 0.6, 0, 0.8}, {86, 5, -85, 0.6, 0.1, 0.7937254}};
        for (int r = 0; r < 2; ++r) {
            for (int k = 0; k < 6; ++k) {
                QVERIFY(std::abs(back.json()["rows"].toArray()[r].toArray()[k].toDouble() - wanted[r][k]) < 1e-7);
            }
        }
        const auto refused = [&](const char* joint, const char* message) {
            const Outcome wrong = run({"solve", "--machine", file, "--poses", poses, "--free", joint});
            QCOMPARE(wrong.code, 2);
            QVERIFY2(wrong.err.contains(message), wrong.err.constData());
        };
        refused("Q", "the machine has no joint \"Q\" to be left free; name one of its rotary joints");
        refused("Y", "Y is not a rotary joint of its own between tool and work");
        QCOMPARE(run({"solve", "--machine", file, "--poses", poses}).code, 2); // none left free: no closed form
    }

    void solve_says_what_can_not_be_reached()
    {
        QTemporaryDir folder;
        const QString machine = write(folder, "m.json", QByteArray::fromStdString(nutating_json()));
        const QString poses = write(folder, "p.csv", "x,y,z,i,j,k\n0,0,100,0,0.6,0.8\n0,0,100,0,0.6,-0.8\n0,0,100,0,0,1\n");
        const Outcome o = run({"solve", "--machine", machine, "--poses", poses, "--json"});
        QCOMPARE(o.code, 1);
        QCOMPARE(o.json()["status"].toArray(), (QJsonArray{"solved", "unreachable", "degraded"}));
        QVERIFY(o.json()["rows"].toArray()[1].isNull());
        QCOMPARE(o.json()["findings"].toArray()[0].toObject()["source"].toObject()["line"].toInt(), 3);
        // asin 0.8 below the horizon
        QVERIFY(o.json()["findings"].toArray()[0].toObject()["message"].toString().contains("53.1301 deg are missing"));
        const QString wrong = write(folder, "w.csv", "a,b\n1,2\n");
        QCOMPARE(run({"solve", "--machine", machine, "--poses", wrong}).code, 2);
        QCOMPARE(run({"pose", "--machine", machine, "--axes", wrong}).code, 2);
        QCOMPARE(run({"solve", "--machine", machine, "--poses", write(folder, "v.csv", "x,y,z,i,j,k\n1,2,3,0,0,5\n")}).code, 2);
    }

    void two_threads_write_the_same_code()
    {
        QTemporaryDir folder;
        for (const char* job : {"mirror-cell", "mirror-back-face"}) {
            const QString one = folder.filePath("one");
            const QString two = folder.filePath("two");
            QCOMPARE(run({"post", "--project", QString::fromStdString(demo_folder()), "--job", job, "--out", one}).code, 0);
            QCOMPARE(run({"post", "--project", QString::fromStdString(demo_folder()), "--job", job, "--out", two, "--threads", "2"}).code,
                     0);
            const QString name = QString("/%1.nc").arg(job);
            const std::string code = read_file((one + name).toStdString());
            QVERIFY(code.size() > 1000);
            QVERIFY(code == read_file((two + name).toStdString()));
        }
        // An error of a toolpath comes through as with one thread.
        QCOMPARE(run({"post", "--project", QString::fromStdString(demo_folder()), "--job", "fails-beyond-travel", "--threads", "2", "--out",
                      folder.path()})
                     .code,
                 1);
    }

    void numbers_have_17_digits()
    {
        QTemporaryDir folder;
        const QString machine = write(folder, "m.json", QByteArray::fromStdString(table_table_json()));
        const Outcome o = run({"pose", "--machine", machine, "--axes", write(folder, "a.csv", "X,Y,Z,B,C\n0.1,0,0,0,0\n"), "--json"});
        // 0.1 needs 17 digits; the last two depend on the order of the sums in the chain.
        QVERIFY2(QRegularExpression("\\[\\[0\\.(10000000000000|09999999999999)[0-9]{3}").match(o.out).hasMatch(), o.out.constData());
    }

    void it_links_no_window_library()
    {
        QFile binary(cli_program());
        QVERIFY(binary.open(QIODevice::ReadOnly));
        const QByteArray bytes = binary.readAll();
        QVERIFY(!bytes.contains("libQt6Gui") && !bytes.contains("libQt6Widgets"));
    }
};

WEXILUM_TEST(TestCli)

} // namespace test_cli
#include "test_cli.moc"
