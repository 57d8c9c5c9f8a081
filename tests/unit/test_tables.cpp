// Programs that are tables: rows for a five-axis path by hand and by a reader of their own, their other forms, rows that are wrong in each
// way, and what the replay makes of them.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/controller/controller.hpp"
#include "core/controller/table_check.hpp"
#include "core/follow/code_run.hpp"
#include "core/io/real_files.hpp"
#include "core/machine/kinematics.hpp"
#include "core/project/code_parts.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/block_probe.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/tables.hpp"
#include "tests/support/test_program.hpp"

#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QString>
#include <QTemporaryDir>
#include <QTest>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_tables {

namespace {

constexpr const char* job = "mirror-back-rows";
const std::string kelda = "controllers/kelda-p.json";
const std::string kelda_dialect = "dialects/kelda-p.json";

/// Rows for a machine of the demo by a control with these keys in its file's table; X, Y, Z of Tarn 3.
std::string small_controller(const std::string& table, const std::string& rows = R"("0,0,0", "1,1,2")")
{
    return R"({"format": "controller/1", "units": {"length": "mm", "angle": "deg"}, "name": "small", "table": {)" + table +
           R"(}, "numbers": {"length": 0.001, "angle": 0.001, "time": 0.001}, "witnesses": [{"name": "w", "rows": [)" + rows +
           R"(], "readings": {"X": 1}}]})";
}

Result<Controller> read(const std::string& text) { return read_controller(json::Document::parse(text, "c.json").value()); }

/// What a control says of rows on Tarn 3.
FindingList said_of(const Controller& controller, const std::string& rows)
{
    static const Machine machine = load_demo("mirror-cell").value().machine;
    TextSource source(rows);
    TextSource ahead(rows);
    auto follower = Follower::make(machine, Frame::Identity());
    FindingList findings;
    (void)run_code({controller, machine, nullptr}, {"t.csv", &source, &ahead}, {}, *follower, findings);
    return findings;
}

const std::string timed = R"("columns": [{"name": "s", "is": "seconds"}, {"name": "x", "joint": "X"}, {"name": "y", "joint": "Y"}])";
const std::string clocked = R"("interval": 0.004, "columns": [{"name": "x", "joint": "X"}, {"name": "y", "joint": "Y"}])";

} // namespace

class TestTables : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_table_is_proven()
    {
        const Assembly a = load_demo(job).value();
        const std::string code = code_of(a);
        for (const bool from_unknown : {false, true}) {
            const ReplayReport report = replay_code(a, code, from_unknown);
            QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
            QCOMPARE(report.uncovered + report.extra, std::size_t(0));
            QVERIFY(report.compared > 3400);
        }
    }

    void each_record_has_its_row() // the machine's own kinematics at the rows against the toolpath, within the rounding of five cells
    {
        const Assembly a = load_demo(job).value();
        const std::vector<Row> rows = rows_of(code_of(a));
        const Kinematics kinematics = Kinematics::make(a.machine).value();
        const Frame back = a.setup.part().inverse();
        std::size_t at = 0;
        std::size_t found = 0;
        for (const Record& record : a.toolpath.records) {
            const auto* linear = std::get_if<record::Linear>(&record.data);
            if (linear == nullptr) {
                continue;
            }
            const Pose& wanted = *end_pose(record.data);
            for (; at < rows.size(); ++at) {
                const auto& c = rows[at].cells;
                Readings readings(5);
                readings << c[1], c[2], c[3], to_rad(c[4]), to_rad(c[5]);
                const double length = c[7] == 5 ? 142.315 : 131.08;
                const Pose pose = transformed(back, kinematics.pose(readings, length));
                if ((pose.tip - wanted.tip).norm() < 0.0006 && angle_between(pose.axis, wanted.axis) < 1e-5) {
                    QCOMPARE(c[6], 1.0); // a cut
                    break;
                }
            }
            QVERIFY2(at < rows.size(), qPrintable(QString("record %1").arg(found)));
            ++found;
        }
        QVERIFY(found > 3400);
    }

    void a_row_takes_as_long_as_its_feed_says() // 20 mm down at 400 mm/min are 3 s; what follows: the ways at 1800 mm/min
    {
        const Assembly a = load_demo(job).value();
        const std::vector<Row> rows = rows_of(code_of(a));
        const auto first = std::find_if(rows.begin(), rows.end(), [](const Row& row) { return row.cells[6] == 1; });
        QVERIFY(std::abs(first->cells[0] - 3) < 1e-3);
        double way = 0;
        double seconds = 0;
        Vec3 before = Vec3::Zero();
        int cuts = 0;
        for (const Record& record : a.toolpath.records) {
            const Pose* pose = end_pose(record.data);
            if (std::holds_alternative<record::Linear>(record.data) && ++cuts > 1 && cuts <= 1000) {
                way += (pose->tip - before).norm();
            }
            before = pose != nullptr ? pose->tip : before;
        }
        const Kinematics kinematics = Kinematics::make(a.machine).value();
        Vec3 tip = Vec3::Zero();
        double gone = 0;
        for (auto row = first; row != rows.end() && gone < way - 0.01; ++row) {
            Readings readings(5);
            readings << row->cells[1], row->cells[2], row->cells[3], to_rad(row->cells[4]), to_rad(row->cells[5]);
            const Vec3 here = kinematics.pose(readings, 142.315).tip;
            if (row != first) {
                gone += (here - tip).norm();
                seconds += row->cells[0];
            }
            tip = here;
        }
        QVERIFY2(std::abs(seconds / (way / 30) - 1) < 0.002, qPrintable(QString("%1 s for %2 mm").arg(seconds).arg(way)));
    }

    void other_forms_say_the_same_data()
    {
        QTest::addColumn<bool>("json");
        QTest::addColumn<bool>("time");
        QTest::newRow("JSON") << true << false;
        QTest::newRow("time since the first row, semicolons") << false << true;
        QTest::newRow("JSON with time") << true << true;
    }
    void other_forms_say_the_same()
    {
        QFETCH(bool, json);
        QFETCH(bool, time);
        std::vector<Edit> edits;
        const std::string rows0 = R"(["0,0,0,0,0,0,0,0,0,0", "0.5,10.5,-20,-3.25,12.5,-30,0,0,0,0"])";
        const std::string rows1 = R"(["0,0,0,0,0,0,0,0,0,0", "1,5,0,0,0,0,1,0,0,0", "2,5,8,0,0,90,1,0,0,0"])";
        if (json) {
            edits = {{kelda, R"("text": "csv")", R"("text": "json")"},
                     {kelda, rows0, R"(["[0,0,0,0,0,0,0,0,0,0],", "[0.5,10.5,-20,-3.25,12.5,-30,0,0,0,0]"])"},
                     {kelda, rows1, R"(["[0,0,0,0,0,0,0,0,0,0],", "[1,5,0,0,0,0,1,0,0,0],", "[2,5,8,0,0,90,1,0,0,0]"])"}};
        }
        if (time) {
            edits.push_back({kelda, R"("is": "seconds")", R"("is": "time")"});
            edits.push_back({kelda, R"(90}, "seconds": 2})", R"(90}, "seconds": 1})"});
        }
        if (time && !json) {
            edits.push_back({kelda, R"("separator": ",")", R"("separator": ";")"});
            edits.push_back({kelda, rows0, R"(["0;0;0;0;0;0;0;0;0;0", "0.5;10.5;-20;-3.25;12.5;-30;0;0;0;0"])"});
            edits.push_back({kelda, rows1, R"(["0;0;0;0;0;0;0;0;0;0", "1;5;0;0;0;0;1;0;0;0", "2;5;8;0;0;90;1;0;0;0"])"});
        }
        const auto other = load_demo(job, edits);
        QVERIFY2(other.ok(), other ? "" : other.error().text().c_str());
        const std::string code = code_of(*other);
        const ReplayReport report = replay_code(*other, code);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        const std::vector<Row> plain = rows_of(code_of(load_demo(job).value()));
        std::vector<std::vector<double>> cells;
        if (json) { // by another reader
            QJsonParseError wrong;
            const QJsonDocument read = QJsonDocument::fromJson(QByteArray::fromStdString(code), &wrong);
            QVERIFY2(wrong.error == QJsonParseError::NoError, qPrintable(wrong.errorString()));
            QCOMPARE(read.object()["columns"].toArray().size(), 10);
            for (const auto& row : read.object()["rows"].toArray()) {
                auto& out = cells.emplace_back();
                for (const auto& cell : row.toArray()) {
                    out.push_back(cell.toDouble());
                }
            }
        } else {
            for (const Row& row : rows_of(QString::fromStdString(code).replace(';', ',').toStdString())) {
                cells.push_back(row.cells);
            }
        }
        QCOMPARE(cells.size(), plain.size());
        double since = 0;
        for (std::size_t i = 0; i < cells.size(); ++i) {
            since += plain[i].cells[0];
            QVERIFY(std::abs(cells[i][0] - (time ? since : plain[i].cells[0])) < 1e-6);
            QVERIFY(std::equal(cells[i].begin() + 1, cells[i].end(), plain[i].cells.begin() + 1));
        }
    }

    void mistakes_are_told_at_their_row_data()
    {
        QTest::addColumn<int>("cell");
        QTest::addColumn<QString>("value");
        QTest::addColumn<QString>("kind");
        QTest::newRow("six digits in X") << 1 << "+0.0006"
                                         << "off-path";
        QTest::newRow("six digits in C") << 5 << "+0.0006"
                                         << "off-path";
        QTest::newRow("Y by half a millimetre") << 2 << "+0.5"
                                                << "extra-motion";
        QTest::newRow("twice the time") << 0 << "*2"
                                        << "feed-differs";
        QTest::newRow("half of it") << 0 << "*0.5"
                                    << "feed-differs";
        QTest::newRow("another tool") << 7 << "=6"
                                      << "tool-change-extra";
        QTest::newRow("another speed") << 8 << "=8000"
                                       << "spindle-differs";
        QTest::newRow("the other way round") << 8 << "=-8200"
                                             << "spindle-differs";
        QTest::newRow("dry") << 9 << "=0"
                             << "coolant-differs";
        QTest::newRow("not a cut") << 6 << "=0"
                                   << "turns-while-low";
    }
    void mistakes_are_told_at_their_row()
    {
        QFETCH(int, cell);
        QFETCH(QString, value);
        QFETCH(QString, kind);
        const Assembly a = load_demo(job).value();
        const std::string code = code_of(a);
        const std::vector<Row> rows = rows_of(code);
        const Row& row = rows[1500];
        const double number = value.mid(1).toDouble();
        const double before = row.cells[std::size_t(cell)];
        const double after = value[0] == '+' ? before + number : value[0] == '*' ? before * number : number;
        const ReplayReport report = replay_code(a, with_cell(code, row.line, cell, QString::number(after, 'f', 4)));
        QVERIFY(report.findings.has_errors());
        const bool there = std::any_of(report.findings.list().begin(), report.findings.list().end(),
                                       [&](const Finding& f) { return f.code.line >= row.line - 1 && f.code.line <= row.line + 1; });
        QVERIFY2(there, qPrintable(shown(report.findings, 20)));
        QVERIFY2(has_finding(report.findings, kind.toStdString()), qPrintable(shown(report.findings, 20)));
    }

    void rows_that_are_missing_or_in_the_wrong_order()
    {
        const Assembly a = load_demo(job).value();
        const std::string code = code_of(a);
        const std::vector<Row> rows = rows_of(code);
        // A corner of the sweep: where the way turns round in x.
        std::size_t corner = 1200;
        while ((rows[corner].cells[2] - rows[corner - 1].cells[2]) * (rows[corner + 1].cells[2] - rows[corner].cells[2]) > 0) {
            ++corner;
        }
        const ReplayReport missing = replay_code(a, with_line(code, rows[corner].line, ""));
        QVERIFY2(missing.findings.has_errors(), "a missing row");
        std::vector<std::string> lines = wexilum::test::lines_of(code);
        std::swap(lines[rows[1500].line - 1], lines[rows[1501].line - 1]);
        QVERIFY2(replay_code(a, joined(lines)).findings.has_errors(), "two rows swapped");
        // The last row: the way home.
        const ReplayReport shorter = replay_code(a, with_line(code, rows.back().line, ""));
        QVERIFY(shorter.findings.list().empty() || !shorter.findings.has_errors()); // nothing of the path is missing
        const ReplayReport ends = replay_code(a, joined({lines.begin(), lines.begin() + 2000}));
        QVERIFY(has_finding(ends.findings, "uncovered"));
    }

    void columns_in_another_order_are_refused()
    {
        const Assembly a = load_demo(job, {{kelda, R"({"name": "x", "joint": "X"}, {"name": "y", "joint": "Y"})",
                                            R"({"name": "y", "joint": "Y"}, {"name": "x", "joint": "X"})"},
                                           {kelda, R"("0.5,10.5,-20,)", R"("0.5,-20,10.5,)"},
                                           {kelda, R"("1,5,0,0,0,0,1,0,0,0", "2,5,8,)", R"("1,0,5,0,0,0,1,0,0,0", "2,8,5,)"}})
                               .value();
        const ReplayReport report = replay_code(a, code_of(load_demo(job).value()));
        QVERIFY2(has_finding(report.findings, "code-error", 1), qPrintable(shown(report.findings)));
        QCOMPARE(report.findings.list().front().message,
                 std::string("the columns are not those that the control reads: s,y,x,z,b,c,cut,tool,rpm,cool"));
    }

    void bad_rows_data()
    {
        QTest::addColumn<QString>("rows");
        QTest::addColumn<QString>("message");
        const auto row = [](const char* name, const char* rows, const char* message) { QTest::newRow(name) << rows << message; };
        row("too few cells", "s,x,y\n0,0,0\n1,2\n", "the row has 2 cells, the table 3 columns");
        row("too many", "s,x,y\n0,0,0\n1,2,3,4\n", "the row has 4 cells, the table 3 columns");
        row("a word", "s,x,y\n0,0,0\n1,G1,3\n", "\"G1\" is not a number within 1e7, in the column x");
        row("nothing", "s,x,y\n0,0,0\n1,,3\n", "\"\" is not a number within 1e7, in the column x");
        row("not a number", "s,x,y\n0,0,0\n1,nan,3\n", "\"nan\" is not a number within 1e7, in the column x");
        row("endless", "s,x,y\n0,0,0\n1,2,inf\n", "\"inf\" is not a number within 1e7, in the column y");
        row("huge", "s,x,y\n0,0,0\n1,2,1e300\n", "\"1e300\" is not a number within 1e7, in the column y");
        row("no names", "0,0,0\n1,2,3\n", "the columns are not those that the control reads: s,x,y");
        row("no time", "s,x,y\n0,0,0\n0,2,3\n", "the row moves joints in no time");
        row("backwards", "s,x,y\n0,0,0\n-1,2,3\n", "the row is 1 s before the one above it");
        row("no rows", "s,x,y\n", "the table has no row");
        row("an empty file", "", "the table has no row");
        row("beyond travel", "s,x,y\n0,0,0\n9,999,3\n", "X goes 579.000 mm beyond the high end of its travel");
        row("too fast", "s,x,y\n0,0,0\n0.5,200,3\n", "X is to go at 400.0 mm/s to this row, it can 300.0 mm/s");
    }
    void bad_rows()
    {
        QFETCH(QString, rows);
        QFETCH(QString, message);
        const auto controller = read(small_controller(timed, R"("0,0,0", "1,1,2")"));
        QVERIFY2(controller.ok(), controller ? "" : controller.error().text().c_str());
        const FindingList findings = said_of(*controller, rows.toStdString());
        QVERIFY(!findings.list().empty());
        QCOMPARE(QString::fromStdString(findings.list().front().message), message);
        QVERIFY(!findings.list().front().cure.empty());
    }

    void bad_json_data()
    {
        QTest::addColumn<QString>("rows");
        QTest::addColumn<QString>("message");
        const QString head = "{\"columns\": [\"s\", \"x\", \"y\"], \"rows\": [\n";
        QTest::newRow("good") << head + "[0, 0, 0],\n[1, 2, 3]\n]}\n"
                              << "";
        QTest::newRow("a row beside") << "{\"columns\": [\"s\", \"x\", \"y\"], \"rows\": [[0, 0, 0],\n[1, 2, 3]\n]}\n"
                                      << "a row stands before or beside \"rows\"";
        QTest::newRow("no columns") << "{\"rows\": [\n[0, 0, 0]\n]}\n"
                                    << "\"[0, 0, 0]\" is not a row of numbers behind the columns' names";
        QTest::newRow("half a row") << head + "[0, 0, 0],\n1, 2, 3],\n]}\n"
                                    << "\"1, 2, 3],\" is not a row of numbers";
        QTest::newRow("not closed") << head + "[0, 0, 0],\n[1, 2, 3\n]}\n"
                                    << "\"[1, 2, 3\" is not a row of numbers behind the columns' names";
        QTest::newRow("two in a line") << head + "[0, 0, 0], [1, 2, 3]\n]}\n"
                                       << "the row has 6 cells, the table 3 columns";
    }
    void bad_json()
    {
        QFETCH(QString, rows);
        QFETCH(QString, message);
        const auto controller = read(small_controller(R"("text": "json", )" + timed, R"("[0,0,0],", "[1,1,2]")"));
        QVERIFY2(controller.ok(), controller ? "" : controller.error().text().c_str());
        const FindingList findings = said_of(*controller, rows.toStdString());
        QCOMPARE(findings.list().empty() ? QString() : QString::fromStdString(findings.list().front().message), message);
    }

    void rows_by_a_clock_ask_for_accelerations() // each 4 ms: 0.02 mm more a row are 1250 mm/s2; Tarn 3's X can 3500, that is 0.056 mm
    {
        const auto controller = read(small_controller(clocked, R"("0,0", "1,2")"));
        QVERIFY2(controller.ok(), controller ? "" : controller.error().text().c_str());
        std::string gentle = "x,y\n";
        double x = 0;
        for (int i = 0; i <= 20; ++i) {
            x += 0.02 * (i <= 10 ? i : 20 - i);
            gentle += fmt::format("{:.3f},0\n", x);
        }
        QVERIFY2(said_of(*controller, gentle).list().empty(), qPrintable(shown(said_of(*controller, gentle))));
        const FindingList abrupt = said_of(*controller, "x,y\n0,0\n0.02,0\n0.14,0\n0.26,0\n0.33,0\n0.35,0\n0.35,0\n");
        QCOMPARE(abrupt.list().size(), std::size_t(1));
        // From 5 to 30 mm/s in 4 ms.
        QCOMPARE(abrupt.list()[0].message, std::string("X is to be accelerated by 6250.0 mm/s2 to this row, it can 3500.0 mm/s2"));
        QCOMPARE(abrupt.list()[0].code.line, std::uint32_t(4));
        // At rest at once, in a row that stands or behind the last one: from 20 mm/s.
        for (const char* last : {"0.13,0\n", ""}) {
            const FindingList stops = said_of(*controller, std::string("x,y\n0,0\n0.05,0\n0.13,0\n") + last);
            QCOMPARE(stops.list().size(), std::size_t(1));
            QCOMPARE(stops.list()[0].message, std::string("X is to be accelerated by 5000.0 mm/s2 to this row, it can 3500.0 mm/s2"));
        }
    }

    void wrong_controllers_data()
    {
        QTest::addColumn<QString>("table");
        QTest::addColumn<QString>("message");
        const auto row = [](const char* name, const std::string& table, const char* message) {
            QTest::newRow(name) << QString::fromStdString(table) << message;
        };
        const std::string x = R"({"name": "x", "joint": "X"})";
        row("no time", R"("columns": [)" + x + "]", "the table does not say once how long the control takes from row to row");
        row("time twice", R"("interval": 0.004, )" + timed, "the table does not say once how long the control takes from row to row");
        row("a column twice", R"("interval": 1, "columns": [)" + x + ", " + x + "]", "the column \"x\" appears twice");
        row("a joint twice", R"("interval": 1, "columns": [)" + x + R"(, {"name": "x2", "joint": "X"}])",
            "the column \"x2\" appears twice");
        row("no joint", R"("columns": [{"name": "s", "is": "seconds"}])", "no column of the table is a joint");
        row("a strange separator", R"("separator": "0", )" + timed, "the separator is not one that keeps numbers apart");
        row("a strange column", R"("interval": 1, "columns": [{"name": "q", "is": "weather"}])",
            "\"is\" of the column can't be \"weather\"");
    }
    void wrong_controllers()
    {
        QFETCH(QString, table);
        QFETCH(QString, message);
        const auto controller = read(small_controller(table.toStdString()));
        QVERIFY(!controller);
        QCOMPARE(QString::fromStdString(controller.error().message), message);
    }

    void a_witness_that_is_missed()
    {
        const auto assembly = load_demo(job, {{kelda, R"("X": 10.5)", R"("X": 10.6)"}});
        QVERIFY(!assembly);
        QCOMPARE(assembly.error().message,
                 std::string("the witness \"positions are the machine's, angles are degrees\" is missed: X comes to "
                             "10.5000 instead of 10.6000"));
        const auto turned = load_demo(job, {{kelda, R"("joint": "B", "turns": true)", R"("joint": "B")"}});
        QVERIFY(!turned);
    }

    void a_speed_that_the_drive_does_not_have()
    {
        const Assembly a = load_demo(job, {{"machines/tarn-5t.json", R"("bodies": [)",
                                            R"("spindles": [{"id": "S", "turns": "spindle", "speed": [200, 12000]}], "bodies": [)"}})
                               .value();
        const std::string code = code_of(a);
        QVERIFY2(replay_code(a, code).findings.list().empty(), qPrintable(shown(replay_code(a, code).findings)));
        const Row row = rows_of(code)[1500];
        const ReplayReport report = replay_code(a, with_cell(code, row.line, 8, "15000"));
        QVERIFY2(has_finding(report.findings, "spindle-beyond-drive", row.line), qPrintable(shown(report.findings)));
    }

    void columns_of_the_wrong_kind() // told as well where a file is read by itself
    {
        const Machine machine = load_demo(job).value().machine;
        const auto columns = [](const char* of_b, const char* of_x) {
            return read(small_controller(
                            fmt::format(R"("interval": 1, "columns": [{{"name": "x", "joint": "X"{}}}, {{"name": "b", "joint": "B"{}}}])",
                                        of_x, of_b),
                            R"("0,0", "1,0")"))
                .value()
                .table.value();
        };
        QVERIFY(check_columns(columns(", \"turns\": true", ""), machine));
        QCOMPARE(check_columns(columns("", ""), machine).error().message,
                 std::string("the column of B holds lengths, but that joint turns"));
        QCOMPARE(check_columns(columns(", \"turns\": true", ", \"turns\": true"), machine).error().message,
                 std::string("the column of X holds angles, but that joint is linear"));
        const RealFileSystem files;
        const std::string controller = read_file(demo_folder() + "/controllers/kelda-p.json");
        std::string flat = controller;
        const std::string turns = R"("joint": "B", "turns": true)";
        flat.replace(flat.find(turns), turns.size(), R"("joint": "B")");
        QTemporaryDir folder;
        QFile file(folder.filePath("flat.json"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(QByteArray::fromStdString(flat));
        file.close();
        const auto parts = open_code_parts(files, {demo_folder() + "/machines/tarn-5t.json", file.fileName().toStdString(), {}});
        QVERIFY(!parts);
        QCOMPARE(parts.error().message, std::string("the column of B holds lengths, but that joint turns"));
    }

    void parts_of_two_kinds_do_not_fit()
    {
        const auto words = load_demo(job, {{"posts/tarn-5t-rows.json", kelda_dialect, "dialects/calder-t.json"}});
        QVERIFY(!words);
        QCOMPARE(words.error().message, std::string("the control reads a table, and the dialect writes words"));
        const auto table = load_demo("mirror-back-face", {{"posts/tarn-5t.json", "dialects/calder-t.json", kelda_dialect}});
        QVERIFY(!table);
        QCOMPARE(table.error().message, std::string("the dialect writes a table, and the control reads words"));
    }

    void a_joint_without_a_column()
    {
        const auto assembly = load_demo(job, {{kelda, "{\"name\": \"b\", \"joint\": \"B\", \"turns\": true}, ", ""},
                                              {kelda, R"("0.5,10.5,-20,-3.25,12.5,-30,0,0,0,0")", R"("0.5,10.5,-20,-3.25,-30,0,0,0,0")"},
                                              {kelda, "[\"0,0,0,0,0,0,0,0,0,0\", \"0.5", "[\"0,0,0,0,0,0,0,0,0\", \"0.5"},
                                              {kelda, "\"B\": 12.5, ", ""},
                                              {kelda, R"(["0,0,0,0,0,0,0,0,0,0", "1,5,0,0,0,0,1,0,0,0", "2,5,8,0,0,90,1,0,0,0"])",
                                               R"(["0,0,0,0,0,0,0,0,0", "1,5,0,0,0,1,0,0,0", "2,5,8,0,90,1,0,0,0"])"}});
        QVERIFY(!assembly);
        QCOMPARE(assembly.error().message, std::string("the control's table has no column for the joint \"B\""));
    }

    void what_a_table_cannot_hold()
    {
        const std::string path = "MULTAX/ON\nLOADTL/5\nSPINDL/8200,RPM,CLW\nCOOLNT/FLOOD\nRAPID\nGOTO/0,0,60,0,0.2,0.9797959\n"
                                 "FEDRAT/400,MMPM\nGOTO/0,0,40,0,0.2,0.9797959\n";
        const Assembly stops = demo_with_toolpath(job, path + "STOP\nFINI\n").value();
        const RunResult run = post(stops);
        QVERIFY2(has_finding(run.findings, "table-text"), qPrintable(shown(run.findings)));
        QCOMPARE(run.findings.list().front().message, std::string("the path asks for a stop, which a table can't hold"));
        // A dwell is a row that stands.
        const Assembly dwells = demo_with_toolpath(job, path + "DELAY/1.25\nFINI\n").value();
        const std::string code = code_of(dwells);
        const std::vector<Row> rows = rows_of(code);
        const auto stands = std::find_if(rows.begin() + 1, rows.end(), [](const Row& row) { return row.cells[0] == 1.25; });
        QVERIFY(stands != rows.end());
        QVERIFY(std::equal(stands->cells.begin() + 1, stands->cells.begin() + 6, (stands - 1)->cells.begin() + 1));
        QVERIFY2(replay_code(dwells, code).findings.list().empty(), qPrintable(shown(replay_code(dwells, code).findings)));
        QVERIFY(has_finding(replay_code(dwells, with_line(code, stands->line, "")).findings, "stop-missing"));
        QVERIFY(has_finding(replay_code(dwells, with_cell(code, stands->line, 0, "0.9")).findings, "dwell-differs"));
    }

    void a_row_leads_to_its_record()
    {
        const Assembly a = load_demo(job).value();
        const std::string code = code_of(a);
        const std::vector<Row> rows = rows_of(code);
        MemoryRecords records(a.toolpath);
        MemoryScratch scratch;
        const auto trace = trace_block(a, records, scratch, rows[1500].line);
        QVERIFY2(trace.ok(), trace ? "" : trace.error().message.c_str());
        QVERIFY(trace->pose.has_value());
        const Kinematics kinematics = Kinematics::make(a.machine).value();
        const auto& c = rows[1500].cells;
        Readings readings(5);
        readings << c[1], c[2], c[3], to_rad(c[4]), to_rad(c[5]);
        const Pose at = transformed(a.setup.part().inverse(), kinematics.pose(readings, 142.315));
        QVERIFY((trace->pose->tip - at.tip).norm() < 3); // of the record that the row belongs to
    }

    void the_hurried_table_is_refused()
    {
        const Assembly a = load_demo("fails-table-too-fast").value();
        const std::string code = code_of(a);
        const ReplayReport report = replay_code(a, code);
        QVERIFY(has_finding(report.findings, "joint-too-fast"));
        QVERIFY(has_finding(report.findings, "feed-differs"));
        // The way to the first cut: rapids take as long as the slowest joint needs, and half of that here.
        const bool told = std::any_of(report.findings.list().begin(), report.findings.list().end(), [](const Finding& f) {
            return f.kind == "joint-too-fast" && f.message.find("C is to go at 600.0 deg/s to this row, it can 300.0 deg/s") == 0;
        });
        QVERIFY2(told, qPrintable(shown(report.findings, 20)));
    }
};

WEXILUM_TEST(TestTables)

} // namespace test_tables
#include "test_tables.moc"
