// Tables whose rows come by a clock: their positions by hand, what they ask of the joints and leave of the path by the machine's own
// kinematics, and each thing that can be wrong with them.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/io/real_files.hpp"
#include "core/machine/kinematics.hpp"
#include "core/motion/clocked_way.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/block_probe.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/plain_timer.hpp"
#include "tests/support/tables.hpp"
#include "tests/support/test_program.hpp"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QTest>

#include <algorithm>
#include <cmath>
#include <functional>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_clocked_tables {

namespace {

constexpr const char* job = "mirror-back-table";
const std::string kelda = "controllers/kelda-q.json";
constexpr double interval = 0.004;
// Of the columns x y z b c cut tool rpm cool.
constexpr std::size_t cut = 5;

/// X and Y with round figures: 1000 mm/s2 and 500 mm/s2.
WayRules plain_rules(double smoothing = 0)
{
    WayRules out;
    out.speed = {200, 200};
    out.acceleration = {1000, 500};
    out.jerk = {0, 0};
    out.jump = {1e6, 1e6};
    out.smoothing = smoothing;
    out.look_ahead = 100;
    out.tip_jump = 2;
    out.tip_bend = 1000;
    out.axis_jump = out.axis_bend = 1e6;
    return out;
}

Readings at(double x, double y)
{
    Readings out(2);
    out << x, y;
    return out;
}

/// The rows along a way through places, each reached as the piece before ends. `asked`: s of each piece.
std::vector<Readings> rows_along(const WayRules& rules, const std::vector<Readings>& places, const std::vector<double>& asked)
{
    std::vector<Readings> out;
    ClockedWay way(rules, interval, [&](const Readings& row, std::size_t /*piece*/) { out.push_back(row); });
    Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, max_joints> tool(6, 2); // each joint moves the tip along its own direction
    tool.setZero();
    tool(0, 0) = tool(1, 1) = 1;
    for (std::size_t i = 1; i < places.size(); ++i) {
        way.add({places[i - 1], places[i], asked[i - 1], tool});
    }
    way.stop();
    return out;
}

/// 20 mm at 50 mm/s with 1000 mm/s2: up to speed in 0.05 s over 1.25 mm, down likewise, 0.45 s in all.
double by_hand(double t)
{
    t = std::clamp(t, 0.0, 0.45);
    return t < 0.05 ? 500 * t * t : t < 0.4 ? 1.25 + 50 * (t - 0.05) : 20 - 500 * (0.45 - t) * (0.45 - t);
}

double far_from_row(const Vec3& place, const Vec3& from, const Vec3& to)
{
    const Vec3 way = to - from;
    const double u = way.squaredNorm() > 0 ? std::clamp((place - from).dot(way) / way.squaredNorm(), 0.0, 1.0) : 0;
    return (place - (from + way * u)).norm();
}

Readings readings_of(const Row& row)
{
    Readings out(5);
    out << row.cells[0], row.cells[1], row.cells[2], to_rad(row.cells[3]), to_rad(row.cells[4]);
    return out;
}

/// What the replay says of the table with its lines changed.
ReplayReport changed(const std::function<void(std::vector<std::string>&, const std::vector<Row>&)>& change)
{
    static const Assembly a = load_demo(job).value();
    static const std::string code = code_of(a);
    static const std::vector<Row> rows = rows_of(code);
    std::vector<std::string> lines = wexilum::test::lines_of(code);
    change(lines, rows);
    return replay_code(a, joined(lines));
}

std::string text_of(const std::vector<double>& cells)
{
    QStringList out;
    for (std::size_t i = 0; i < cells.size(); ++i) {
        out << QString::number(cells[i], 'f', i < cut ? 4 : 0);
    }
    return out.join(',').toStdString();
}

/// A job of Tarn 3 by the control with the clock: without columns for B and C.
std::vector<Edit> for_three_joints(const std::string& mill_job)
{
    return {
        {"jobs/" + mill_job + ".json", "posts/tarn-3.json", "posts/tarn-5t-table.json"},
        {"posts/tarn-5t-table.json", "machines/tarn-5t.json", "machines/tarn-3.json"},
        {kelda, "{\"name\": \"b\", \"joint\": \"B\", \"turns\": true}, {\"name\": \"c\", \"joint\": \"C\", \"turns\": true},", ""},
        {kelda, R"(["0,0,0,0,0,0,0,0,0", "0.01,-0.02,-0.015,0.01,-0.02,0,0,0,0"])", R"(["0,0,0,0,0,0,0", "0.01,-0.02,-0.015,0,0,0,0"])"},
        {kelda, ", \"B\": 0.01, \"C\": -0.02}", "}"},
        {kelda, R"(["0,0,0,0,0,0,0,0,0", "0.01,0,0,0,0,1,0,0,0", "0.02,0.01,0,0,0.01,1,0,0,0"])",
         R"(["0,0,0,0,0,0,0", "0.01,0,0,1,0,0,0", "0.02,0.01,0,1,0,0,0"])"},
        {kelda, ", \"C\": 0.01}", "}"}};
}

/// Where the tool goes fast along a cut.
std::size_t fast_row(const std::vector<Row>& rows, std::size_t from)
{
    const auto way = [&](std::size_t i) {
        return std::hypot(rows[i + 1].cells[0] - rows[i].cells[0], rows[i + 1].cells[1] - rows[i].cells[1]);
    };
    while (rows[from].cells[cut] != 1 || way(from) < 0.1 || way(from + 60) < 0.1) {
        ++from;
    }
    return from;
}

} // namespace

class TestClockedTables : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_straight_way_by_hand()
    {
        const std::vector<Readings> rows = rows_along(plain_rules(), {at(0, 0), at(20, 0)}, {0.4});
        QCOMPARE(rows.size(), std::size_t(113)); // 0.45 s are 112.5 intervals
        for (std::size_t i = 0; i < rows.size(); ++i) {
            QVERIFY2(std::abs(rows[i][0] - by_hand(double(i + 1) * interval)) < 1e-9, qPrintable(QString::number(i)));
            QCOMPARE(rows[i][1], 0.0);
        }
    }

    void acceleration_takes_its_time() // the mean over 20 ms of the way by hand: it ends so much later, and no jerk is above 1000 / 0.02
    {
        const std::vector<Readings> rows = rows_along(plain_rules(0.02), {at(0, 0), at(20, 0)}, {0.4});
        QCOMPARE(rows.size(), std::size_t(117));
        std::vector<double> x(4, 0.0);
        for (std::size_t i = 0; i < rows.size(); ++i) {
            double mean = 0;
            for (int k = 0; k < 5; ++k) {
                mean += by_hand((double(i) + 1 - k) * interval) / 5;
            }
            QVERIFY2(std::abs(rows[i][0] - mean) < 1e-9, qPrintable(QString::number(i)));
            x.push_back(rows[i][0]);
        }
        x.insert(x.end(), 4, 20.0);
        for (std::size_t i = 3; i < x.size(); ++i) {
            const double jerk = (x[i] - 3 * x[i - 1] + 3 * x[i - 2] - x[i - 3]) / std::pow(interval, 3);
            QVERIFY2(std::abs(jerk) < 50000 * (1 + 1e-6), qPrintable(QString::number(jerk)));
        }
    }

    void a_corner_by_hand() // at a right angle the tip's speed changes by v sqrt 2, of which 2 mm/s are allowed: 2 x 0.004 / 4 mm off
    {
        const std::vector<Readings> rows = rows_along(plain_rules(), {at(0, 0), at(10, 0), at(10, 10)}, {0.2, 0.2});
        double nearest = 1;
        double slowest = 1;
        for (std::size_t i = 1; i < rows.size(); ++i) {
            const Vec3 from(rows[i - 1][0], rows[i - 1][1], 0);
            const Vec3 to(rows[i][0], rows[i][1], 0);
            nearest = std::min(nearest, far_from_row({10, 0, 0}, from, to));
            if (i > 5 && i + 5 < rows.size()) {
                slowest = std::min(slowest, (to - from).norm() / interval);
            }
        }
        QVERIFY2(nearest <= 0.002, qPrintable(QString::number(nearest)));
        QVERIFY(slowest > 0.99 && slowest < 4.1); // 1.41 mm/s in the corner; a row that goes round it is up to sqrt 2 shorter
        // As it looks ahead it is as fast on both sides: from standstill to the corner 10 mm at 50 mm/s, X with 1000, Y with 500 mm/s2.
        const double x = 0.2 + 0.5 * (0.05 + std::pow(50 - std::sqrt(2), 2) / (50 * 1000.0));
        const double y = 0.2 + 0.5 * (0.1 + std::pow(50 - std::sqrt(2), 2) / (50 * 500.0));
        QVERIFY2(std::abs(double(rows.size()) * interval - (x + y)) < 1.5 * interval, qPrintable(QString::number(rows.size())));
    }

    void no_limit_is_broken() // on random ways, with shares of what the joints of Tarn 5T can
    {
        const Machine machine = load_demo(job).value().machine;
        const std::uint32_t seed = 20261201;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        for (int turn = 0; turn < 30; ++turn) {
            const WayRules rules = clocked_rules(machine, interval, {0.002, 1e-4}, 0.95);
            Readings here = Readings::Zero(5);
            std::vector<Readings> rows(3, here);
            ClockedWay way(rules, interval, [&](const Readings& row, std::size_t /*piece*/) { rows.push_back(row); });
            const Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, max_joints> still = Eigen::Matrix<double, 6, 5>::Zero();
            for (const PlainPiece& piece : random_path(random, rules)) {
                Readings to = here;
                for (std::size_t j = 0; j < 5; ++j) {
                    to[Eigen::Index(j)] += piece.way[j];
                }
                way.add({here, to, piece.asked, still});
                here = to;
            }
            way.stop();
            QVERIFY(rows.back() == here);
            rows.insert(rows.end(), 3, here);
            for (std::size_t i = 2; i < rows.size(); ++i) {
                for (Eigen::Index j = 0; j < 5; ++j) {
                    const Joint& joint = machine.joints[std::size_t(j)];
                    const double speed = std::abs(rows[i][j] - rows[i - 1][j]) / interval;
                    const double ramp = std::abs(rows[i][j] - 2 * rows[i - 1][j] + rows[i - 2][j]) / (interval * interval);
                    QVERIFY2(speed <= joint.speed * (1 + 1e-9) && ramp <= joint.acceleration * (1 + 1e-9),
                             qPrintable(QString("turn %1 row %2 joint %3: %4 of %5, %6 of %7")
                                            .arg(turn)
                                            .arg(i)
                                            .arg(j)
                                            .arg(speed)
                                            .arg(joint.speed)
                                            .arg(ramp)
                                            .arg(joint.acceleration)));
                }
            }
        }
    }

    void a_table_is_proven()
    {
        const Assembly a = load_demo(job).value();
        const RunResult run = post(a);
        QVERIFY2(!run.findings.has_errors(), qPrintable(shown(run.findings)));
        for (const bool from_unknown : {false, true}) {
            const ReplayReport report = replay_code(a, run.files.front().text, from_unknown);
            QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
            QCOMPARE(report.uncovered + report.extra, std::size_t(0));
            QVERIFY(report.compared > 3400);
            QVERIFY(report.at_records.tip < 0.0025); // two fifths of the job's 0.005 mm, and the rounding of five cells
        }
    }

    void rows_stay_near_the_path() // by the machine's kinematics: each record between two rows, none faster than its feed
    {
        const Assembly a = load_demo(job).value();
        const std::vector<Row> rows = rows_of(code_of(a));
        const Kinematics kinematics = Kinematics::make(a.machine).value();
        const Frame back = a.setup.part().inverse();
        std::vector<Vec3> tips;
        for (const Row& row : rows) {
            tips.push_back(back * kinematics.pose(readings_of(row), row.cells[6] == 5 ? 142.315 : 131.08).tip);
        }
        std::size_t next = 1;
        std::size_t found = 0;
        double fastest = 0;
        for (const Record& record : a.toolpath.records) {
            if (!std::holds_alternative<record::Linear>(record.data)) {
                continue;
            }
            const Vec3 wanted = end_pose(record.data)->tip;
            while (next < rows.size() && (rows[next].cells[cut] != 1 || far_from_row(wanted, tips[next - 1], tips[next]) > 0.0055)) {
                ++next;
            }
            QVERIFY2(next < rows.size(), qPrintable(QString("record %1").arg(found)));
            ++found;
        }
        QVERIFY(found > 3400);
        for (std::size_t i = 1; i < rows.size(); ++i) {
            fastest = rows[i].cells[cut] == 1 ? std::max(fastest, (tips[i] - tips[i - 1]).norm() / interval) : fastest;
        }
        QVERIFY2(fastest < 30.4 && fastest > 29.9, qPrintable(QString::number(fastest))); // 1800 mm/min, and rounding over 0.12 mm
    }

    void rows_ask_no_more_of_joints_than_they_can()
    {
        const Assembly a = load_demo(job).value();
        const std::vector<Row> rows = rows_of(code_of(a));
        std::array<double, 5> most{};
        for (std::size_t i = 2; i < rows.size(); ++i) {
            for (std::size_t j = 0; j < 5; ++j) {
                const double ramp = (rows[i].cells[j] - 2 * rows[i - 1].cells[j] + rows[i - 2].cells[j]) / (interval * interval);
                most[j] = std::max(most[j], std::abs(ramp));
            }
        }
        const std::array<double, 5> can{4500, 4500, 4000, 1200, 2400}; // mm/s2 and deg/s2 of the machine's file
        for (std::size_t j = 0; j < 5; ++j) {
            QVERIFY2(most[j] < can[j] + 12.5 && (j == 3 || most[j] > 0.6 * can[j]),
                     qPrintable(QString("%1: %2").arg(j).arg(most[j]))); // of cells: 0.0002 / 0.004^2
        }
    }

    void mistakes_are_told_at_their_row_data()
    {
        QTest::addColumn<int>("cell");
        QTest::addColumn<double>("more");
        QTest::addColumn<double>("value");
        QTest::addColumn<QString>("kind");
        QTest::newRow("Z by a hundredth") << 2 << 0.01 << 0.0 << "off-path";
        QTest::newRow("Y by a tenth") << 1 << 0.1 << 0.0 << "joint-too-abrupt";
        QTest::newRow("C by a twentieth of a degree") << 4 << 0.05 << 0.0 << "joint-too-abrupt";
        QTest::newRow("another tool") << 6 << 0.0 << 6.0 << "uncovered"; // what comes before the path's next change to tool 6
        QTest::newRow("another speed") << 7 << 0.0 << 8000.0 << "spindle-differs";
        QTest::newRow("the other way round") << 7 << 0.0 << -8200.0 << "spindle-differs";
        QTest::newRow("dry") << 8 << 0.0 << 0.0 << "coolant-differs";
        QTest::newRow("not a cut") << 5 << 0.0 << 0.0 << "turns-while-low";
    }
    void mistakes_are_told_at_their_row()
    {
        QFETCH(int, cell);
        QFETCH(double, more);
        QFETCH(double, value);
        QFETCH(QString, kind);
        std::uint32_t line = 0;
        const ReplayReport report = changed([&](std::vector<std::string>& lines, const std::vector<Row>& rows) {
            Row row = rows[fast_row(rows, 40000)];
            double& number = row.cells[std::size_t(cell)];
            number = more != 0 ? number + more : value;
            line = row.line;
            lines[line - 1] = text_of(row.cells);
        });
        const bool there = std::any_of(report.findings.list().begin(), report.findings.list().end(), [&](const Finding& f) {
            return f.kind == kind.toStdString() && f.code.line >= line - 1 && f.code.line <= line + 1;
        });
        QVERIFY2(there, qPrintable(shown(report.findings, 20)));
        QVERIFY(report.findings.has_errors());
    }

    void a_whole_table_lies_beside() // by more than the tolerance, smoothly
    {
        const ReplayReport report = changed([](std::vector<std::string>& lines, const std::vector<Row>& rows) {
            for (Row row : rows) {
                row.cells[2] += row.cells[cut] == 1 ? 0.0061 : 0;
                lines[row.line - 1] = text_of(row.cells);
            }
        });
        QVERIFY2(has_finding(report.findings, "off-path"), qPrintable(shown(report.findings)));
    }

    void the_pace_of_rows() // half of it, and twice as fast, for as long as 60 rows; and a stand among them
    {
        const auto slow = changed([](std::vector<std::string>& lines, const std::vector<Row>& rows) {
            const std::size_t first = fast_row(rows, 40000);
            std::vector<std::string> between;
            for (std::size_t i = first; i < first + 60; ++i) {
                std::vector<double> mean = rows[i + 1].cells;
                for (std::size_t j = 0; j < cut; ++j) {
                    mean[j] = (rows[i].cells[j] + rows[i + 1].cells[j]) / 2;
                }
                between.push_back(text_of(rows[i].cells));
                between.push_back(text_of(mean));
            }
            lines.erase(lines.begin() + (rows[first].line - 1), lines.begin() + (rows[first].line + 59));
            lines.insert(lines.begin() + (rows[first].line - 1), between.begin(), between.end());
        });
        QVERIFY2(has_finding(slow.findings, "feed-differs"), qPrintable(shown(slow.findings)));
        QVERIFY2(slow.findings.list().front().message.find("the rows from here on take 0.20") == 0, qPrintable(shown(slow.findings)));
        const auto fast = changed([](std::vector<std::string>& lines, const std::vector<Row>& rows) {
            const std::size_t first = fast_row(rows, 40000);
            for (std::size_t i = 0; i < 30; ++i) {
                lines.erase(lines.begin() + (rows[first].line + std::ptrdiff_t(i)));
            }
        });
        QVERIFY2(has_finding(fast.findings, "feed-differs"), qPrintable(shown(fast.findings)));
        const auto stands = changed([](std::vector<std::string>& lines, const std::vector<Row>& rows) {
            const std::size_t first = fast_row(rows, 40000);
            lines.insert(lines.begin() + rows[first].line, 8, lines[rows[first].line - 1]);
        });
        QVERIFY2(has_finding(stands.findings, "dwell-extra"), qPrintable(shown(stands.findings)));
        QVERIFY2(has_finding(stands.findings, "joint-too-abrupt"), qPrintable(shown(stands.findings)));
    }

    void rows_that_are_missing()
    {
        const auto few = changed([](std::vector<std::string>& lines, const std::vector<Row>& rows) {
            const std::size_t first = fast_row(rows, 40000);
            lines.erase(lines.begin() + rows[first].line, lines.begin() + (rows[first].line + 50));
        });
        QVERIFY2(has_finding(few.findings, "joint-too-abrupt"), qPrintable(shown(few.findings)));
        QVERIFY(has_finding(few.findings, "feed-differs"));
        const auto half =
            changed([](std::vector<std::string>& lines, const std::vector<Row>& /*rows*/) { lines.resize(lines.size() / 2); });
        QVERIFY2(has_finding(half.findings, "uncovered"), qPrintable(shown(half.findings)));
        // The corner of a pass is cut by a line from a quarter of a millimetre before to as far behind.
        const auto corner = changed([](std::vector<std::string>& lines, const std::vector<Row>& rows) {
            std::size_t i = 20000;
            while (std::abs(rows[i + 1].cells[0] - rows[i].cells[0]) + std::abs(rows[i + 1].cells[1] - rows[i].cells[1]) > 0.009) {
                ++i;
            }
            const std::size_t first = i - 10;
            const std::size_t last = i + 10;
            for (std::size_t k = first; k < last; ++k) {
                std::vector<double> cells = rows[k].cells;
                for (std::size_t j = 0; j < cut; ++j) {
                    cells[j] += (rows[last].cells[j] - rows[first].cells[j]) * double(k - first) / double(last - first) +
                                rows[first].cells[j] - rows[k].cells[j];
                }
                lines[rows[k].line - 1] = text_of(cells);
            }
        });
        QVERIFY2(has_finding(corner.findings, "off-path") || has_finding(corner.findings, "uncovered"), qPrintable(shown(corner.findings)));
    }

    void holes_and_dwells() // drilled, pecked with a dwell, then a dwell of the path; tilted, so that the tool stands askew in the machine
    {
        const std::string path = "MULTAX/ON\nLOADTL/5\nSPINDL/8200,RPM,CLW\nCOOLNT/FLOOD\nRAPID\nGOTO/0,0,60,0,0.2,0.9797959\n"
                                 "CYCLE/DRILL,DEPTH,6,CLEAR,2,MMPM,300\nGOTO/0,0,30,0,0.2,0.9797959\nGOTO/12,0,30,0,0.2,0.9797959\n"
                                 "CYCLE/OFF\nRAPID\nGOTO/24,0,60,0,0.2,0.9797959\n"
                                 "CYCLE/DEEP,DEPTH,9,CLEAR,2,STEP,4,RTRCTO,15,DWELL,0.25,MMPM,180\nGOTO/24,0,30,0,0.2,0.9797959\n"
                                 "GOTO/36,0,30,0,0.2,0.9797959\nCYCLE/OFF\nRAPID\nGOTO/36,0,60,0,0.2,0.9797959\nFEDRAT/400,MMPM\n"
                                 "GOTO/36,0,40,0,0.2,0.9797959\nDELAY/1.25\nRAPID\nGOTO/36,0,60,0,0.2,0.9797959\nFINI\n";
        const Assembly a = demo_with_toolpath(job, path).value();
        const std::string code = code_of(a);
        const ReplayReport good = replay_code(a, code);
        QVERIFY2(good.findings.list().empty(), qPrintable(shown(good.findings)));
        QCOMPARE(good.compared, std::size_t(9)); // four holes, four rapids and a cut

        const std::vector<Row> rows = rows_of(code);
        const auto with = [&](const std::function<void(std::vector<std::string>&)>& change) {
            std::vector<std::string> lines = wexilum::test::lines_of(code);
            change(lines);
            return replay_code(a, joined(lines)).findings;
        };
        // Deepest rows stand for 0.25 s in each pecked hole: 62 rows more or less.
        std::size_t stand = 1;
        while (rows[stand].cells != rows[stand + 20].cells) {
            ++stand;
        }
        const auto shorter = with([&](std::vector<std::string>& lines) {
            lines.erase(lines.begin() + (rows[stand].line - 1), lines.begin() + (rows[stand].line + 19));
        });
        QVERIFY2(has_finding(shorter, "dwell-differs"), qPrintable(shown(shorter)));
        // The first hole, drilled less deep: its deepest rows are those above them.
        std::size_t deepest = 1;
        while (!(rows[deepest].cells[cut] == 1 && rows[deepest + 1].cells[cut] == 0)) {
            ++deepest;
        }
        const auto shallow = with([&](std::vector<std::string>& lines) {
            for (std::size_t i = deepest - 100; i <= deepest; ++i) {
                lines[rows[i].line - 1] = text_of(rows[deepest - 100].cells);
            }
        });
        QVERIFY2(has_finding(shallow, "uncovered"), qPrintable(shown(shallow)));
        // As a rapid from half-way on.
        const auto rapid = with([&](std::vector<std::string>& lines) {
            for (std::size_t i = deepest - 100; i <= deepest; ++i) {
                std::vector<double> cells = rows[i].cells;
                cells[cut] = 0;
                lines[rows[i].line - 1] = text_of(cells);
            }
        });
        QVERIFY2(has_finding(rapid, "rapid-in-hole"), qPrintable(shown(rapid)));
        // At twice its feed: every second row.
        const auto fast = with([&](std::vector<std::string>& lines) {
            for (std::size_t i = deepest - 3; i > deepest - 203; i -= 2) {
                lines.erase(lines.begin() + (rows[i].line - 1));
            }
        });
        QVERIFY2(has_finding(fast, "feed-differs"), qPrintable(shown(fast)));
    }

    void a_mill_with_three_joints_by_the_clock() // arcs, helices and cycles of a job that is written for words otherwise
    {
        const Assembly a = load_demo("mirror-cell", for_three_joints("mirror-cell")).value();
        const ReplayReport report = replay_code(a, code_of(a));
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QCOMPARE(report.compared, std::size_t(520));
    }

    void rows_lead_to_their_records()
    {
        const Assembly a = load_demo(job).value();
        const std::vector<Row> rows = rows_of(code_of(a));
        const Kinematics kinematics = Kinematics::make(a.machine).value();
        for (const std::size_t i : {std::size_t(30000), std::size_t(62000)}) {
            MemoryRecords records(a.toolpath);
            MemoryScratch scratch;
            const auto trace = trace_block(a, records, scratch, rows[i].line);
            QVERIFY2(trace.ok(), trace ? "" : trace.error().message.c_str());
            QVERIFY(trace->pose.has_value());
            const Pose at = transformed(a.setup.part().inverse(), kinematics.pose(readings_of(rows[i]), 142.315));
            QVERIFY((trace->pose->tip - at.tip).norm() < 3); // of the record that the row goes to
        }
    }

    void rows_as_json()
    {
        const Assembly a = load_demo(job, {{kelda, R"("text": "csv")", R"("text": "json")"},
                                           {kelda, R"(["0,0,0,0,0,0,0,0,0", "0.01,-0.02,-0.015,0.01,-0.02,0,0,0,0"])",
                                            R"(["[0,0,0,0,0,0,0,0,0],", "[0.01,-0.02,-0.015,0.01,-0.02,0,0,0,0]"])"},
                                           {kelda, R"(["0,0,0,0,0,0,0,0,0", "0.01,0,0,0,0,1,0,0,0", "0.02,0.01,0,0,0.01,1,0,0,0"])",
                                            R"(["[0,0,0,0,0,0,0,0,0],", "[0.01,0,0,0,0,1,0,0,0],", "[0.02,0.01,0,0,0.01,1,0,0,0]"])"}})
                               .value();
        const std::string code = code_of(a);
        QVERIFY2(replay_code(a, code).findings.list().empty(), qPrintable(shown(replay_code(a, code).findings)));
        QJsonParseError wrong;
        const QJsonArray rows = QJsonDocument::fromJson(QByteArray::fromStdString(code), &wrong).object()["rows"].toArray();
        QVERIFY2(wrong.error == QJsonParseError::NoError, qPrintable(wrong.errorString()));
        const std::vector<Row> plain = rows_of(code_of(load_demo(job).value()));
        QCOMPARE(std::size_t(rows.size()), plain.size());
        for (const std::size_t i : {std::size_t(0), std::size_t(40000), plain.size() - 1}) {
            QVERIFY(std::abs(rows[qsizetype(i)].toArray()[0].toDouble() - plain[i].cells[0]) < 1e-9);
        }
    }

    void a_pace_a_little_too_fast() // 3 % over a fifth of a second, of which rounding and tolerance explain 0.7
    {
        const Assembly a = load_demo(job, {{"dialects/kelda-q.json", "\"table\": {}", "\"table\": {\"pace\": 1.03}"}}).value();
        const ReplayReport report = replay_code(a, code_of(a));
        QVERIFY2(has_finding(report.findings, "feed-differs"), qPrintable(shown(report.findings)));
        QVERIFY2(report.feed_error_percent > 2.9 && report.feed_error_percent < 3.1,
                 qPrintable(QString::number(report.feed_error_percent)));
    }

    void two_works_by_the_clock() // the tool leaves one of them row by row
    {
        const Assembly a = load_demo("hub-pair", {{"jobs/hub-pair.json", "posts/tarn-5h.json", "posts/tarn-5t-table.json"},
                                                  {"posts/tarn-5t-table.json", "machines/tarn-5t.json", "machines/tarn-5h.json"}})
                               .value();
        const std::string code = code_of(a);
        const ReplayReport report = replay_code(a, code);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QCOMPARE(report.compared, std::size_t(988));
        // Without the way home before the table turns to the other hub.
        const std::vector<Row> rows = rows_of(code);
        std::size_t turns = 100000; // a row in which C turns in rapid
        while (rows[turns].cells[cut] != 0 || std::abs(rows[turns].cells[4] - rows[turns - 1].cells[4]) < 0.5) {
            ++turns;
        }
        std::size_t low = turns;
        while (rows[low].cells[cut] != 1) {
            --low;
        }
        std::vector<std::string> lines = wexilum::test::lines_of(code);
        lines.erase(lines.begin() + rows[low + 40].line, lines.begin() + (rows[turns].line - 2));
        QVERIFY(replay_code(a, joined(lines)).findings.has_errors());
    }

    void nobody_can_be_asked_by_a_table()
    {
        const auto heads = load_demo("mirror-cell-sides", for_three_joints("mirror-cell-sides"));
        QVERIFY(!heads);
        QCOMPARE(heads.error().message, std::string("the operation needs a person to fit or set something, which a table can't tell"));
    }

    void a_pace_that_joints_cannot_keep() // twice as fast as they can: told for what it asks of them
    {
        const Assembly a = load_demo(job, {{"dialects/kelda-q.json", "\"table\": {}", "\"table\": {\"pace\": 2}"}}).value();
        const ReplayReport report = replay_code(a, code_of(a));
        QVERIFY2(has_finding(report.findings, "joint-too-abrupt"), qPrintable(shown(report.findings)));
        QVERIFY2(has_finding(report.findings, "feed-differs"), qPrintable(shown(report.findings)));
    }
};

WEXILUM_TEST(TestClockedTables)

} // namespace test_clocked_tables
#include "test_clocked_tables.moc"
