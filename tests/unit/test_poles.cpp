// Paths through and near a pole of the rotary joints, from the job to the replay, on a table-table and a head-head machine.
#include "core/base/units.hpp"
#include "core/path/agreed_path.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/subdivide.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <fmt/format.h>

using namespace wexilum;
using namespace wexilum::test;

namespace test_poles {

namespace {

/// 41 records along X whose tool axis comes from 20 deg on one side to 20 deg on the other and passes +Z at `distance` degrees.
std::string passing(double distance)
{
    std::string cl = "MULTAX/ON\nLOADTL/5\nSPINDL/5000,CLW\nFEDRAT/600,MMPM\nRAPID\n";
    for (int i = 0; i <= 40; ++i) {
        const Vec3 axis = Vec3(std::tan(to_rad(i - 20.0)), std::tan(to_rad(distance)), 1).normalized();
        cl += fmt::format("GOTO/{:.6f},10,20,{:.9f},{:.9f},{:.9f}\n", -40 + 2.0 * i, axis.x(), axis.y(), axis.z());
        if (i == 0) {
            cl += fmt::format("GOTO/{:.6f},10,20,{:.9f},{:.9f},{:.9f}\n", -40.0, axis.x(), axis.y(), axis.z());
        }
    }
    return cl + "FINI\n";
}

/// The five-axis demo's post on either machine.
Assembly on_machine(bool head_head, const std::string& cl, const std::vector<Edit>& edits = {})
{
    Assembly a = demo_with_toolpath("mirror-back-face", cl, edits).value();
    if (head_head) {
        put_on_head_head(a);
    }
    return a;
}

struct Proven {
    RunResult run;
    ReplayReport replay;
};

Proven posted(const Assembly& a)
{
    Proven out{post(a), {}};
    out.replay = replay_code(a, out.run.files.front().text);
    return out;
}

int lines_with(const std::string& code, const QString& pattern)
{
    return int(QString::fromStdString(code).count(QRegularExpression(pattern, QRegularExpression::MultilineOption)));
}

/// How far C turns altogether, in degrees, by the words of a program.
double turned_c(const std::string& code)
{
    double sum = 0;
    std::optional<double> before;
    auto words = QRegularExpression("C(-?[\\d.]+)").globalMatch(QString::fromStdString(code));
    while (words.hasNext()) {
        const double c = words.next().captured(1).toDouble();
        sum += std::abs(c - before.value_or(c));
        before = c;
    }
    return sum;
}

const Finding* found(const FindingList& list, const std::string& kind)
{
    for (const Finding& finding : list.list()) {
        if (finding.kind == kind) {
            return &finding;
        }
    }
    return nullptr;
}

const Edit with_pole(const std::string& settings)
{
    return {"jobs/mirror-back-face.json", R"("toolpath": "toolpaths/mirror-back-face.cl")",
            R"("pole": )" + settings + R"(, "toolpath": "toolpaths/mirror-back-face.cl")"};
}

} // namespace

class TestPoles : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void near_and_through_data()
    {
        QTest::addColumn<bool>("head_head");
        QTest::addColumn<double>("distance");
        for (const bool head : {false, true}) {
            for (const double distance : {0.0, 0.05, 0.5, 2.0, 5.0}) {
                QTest::addRow("%s at %g deg", head ? "head-head" : "Tarn 5T", distance) << head << distance;
            }
        }
    }
    void near_and_through()
    {
        QFETCH(bool, head_head);
        QFETCH(double, distance);
        const Assembly a = on_machine(head_head, passing(distance));
        const Proven out = posted(a);
        QVERIFY2(!out.run.findings.has_errors(), qPrintable(shown(out.run.findings)));
        QVERIFY2(!out.replay.findings.has_errors(), qPrintable(shown(out.replay.findings)));
        QCOMPARE(out.replay.uncovered, std::size_t(0));
        QCOMPARE(out.replay.extra, std::size_t(0));
        QVERIFY(out.replay.at_records.axis < out.replay.at_records.axis_budget);
        QVERIFY(out.replay.between.tip < out.replay.between.tip_budget);
        QVERIFY(out.replay.between.axis < out.replay.between.axis_budget);
        QVERIFY2(out.replay.feed_error_percent < 1, qPrintable(QString::number(out.replay.feed_error_percent)));
        // Through the pole the second joint swings over and the first need not turn; beside it the first turns by nearly half a turn
        // within the two or three moves that are nearest, each of which may take 512 blocks.
        const auto blocks = int(out.run.files.front().blocks);
        QVERIFY2(blocks < (distance == 0 ? 140 : 3 * most_points), qPrintable(QString("%1 blocks").arg(blocks)));
        QCOMPARE(found(out.run.findings, "pole-turn") != nullptr, false);
        qInfo("%s", qPrintable(QString("%1 blocks, feed error %2 %").arg(blocks).arg(out.replay.feed_error_percent)));
        if (distance > 0 && distance < 1) {
            // The joint is the slowest there and takes many blocks, and remarks say so.
            const Finding* many = found(out.run.findings, "many-blocks");
            QVERIFY(distance > 0.1 ||
                    (many != nullptr && QRegularExpression("^\\d+ blocks for one move: C turns [\\d.]+ deg while the tool goes 2\\.000 mm$")
                                            .match(QString::fromStdString(many->message))
                                            .hasMatch()));
            const Finding* limited = found(out.run.findings, "feed-limited");
            QVERIFY(limited != nullptr && QString::fromStdString(limited->message).startsWith("C is too slow for the asked feed"));
        }
    }

    /// Comes into the pole along X and leaves it along Y: C has to turn by a quarter while the tool stands.
    static std::string corner()
    {
        std::string cl = "MULTAX/ON\nLOADTL/5\nSPINDL/5000,CLW\nFEDRAT/600,MMPM\nRAPID\n";
        for (int i = 0; i <= 10; ++i) {
            const double t = to_rad(10.0 - i);
            cl += fmt::format("GOTO/{},10,20,{:.9f},0,{:.9f}\n", 2 * i, std::sin(t), std::cos(t));
        }
        for (int i = 1; i <= 10; ++i) {
            const double t = to_rad(i);
            cl += fmt::format("GOTO/20,{},20,0,{:.9f},{:.9f}\n", 10 + 2 * i, std::sin(t), std::cos(t));
        }
        return cl + "FINI\n";
    }

    void a_corner_in_the_pole_is_turned_standing_data()
    {
        QTest::addColumn<bool>("head_head");
        QTest::newRow("Tarn 5T") << false;
        QTest::newRow("head-head") << true;
    }
    void a_corner_in_the_pole_is_turned_standing()
    {
        QFETCH(bool, head_head);
        const Proven out = posted(on_machine(head_head, corner()));
        QVERIFY2(!out.run.findings.has_errors(), qPrintable(shown(out.run.findings)));
        QVERIFY2(!out.replay.findings.has_errors(), qPrintable(shown(out.replay.findings)));
        const Finding* turn = found(out.run.findings, "pole-turn");
        QVERIFY(turn != nullptr);
        QCOMPARE(QString::fromStdString(turn->message), QString("at the pole the tool stands while C turns 90.000 deg"));
        QCOMPARE(out.replay.extra, std::size_t(0));
    }

    void lifted_where_the_operation_says_so()
    {
        const Assembly a = on_machine(false, corner(), {with_pole(R"({"lift": 15})")});
        const Proven out = posted(a);
        QVERIFY2(!out.run.findings.has_errors(), qPrintable(shown(out.run.findings)));
        QVERIFY2(!out.replay.findings.has_errors(), qPrintable(shown(out.replay.findings)));
        QCOMPARE(QString::fromStdString(found(out.run.findings, "pole-turn")->message),
                 QString("at the pole the tool is lifted 15.000 mm, C turns 90.000 deg, and the tool comes back"));
        // In the pole B reads 0 and Z is the height: 20 over the part, 15 more while C turns.
        const std::string& code = out.run.files.front().text;
        QCOMPARE(lines_with(code, "^N\\d+ G94 Z(35|20)\\. F600\\.$"), 2); // up and down move Z alone
        // Without the excursion in the path the same code has motion of its own.
        const ReplayReport bare = replay(a, {{"test.nc", code}}, false);
        QVERIFY(bare.extra > 0);
    }

    void leant_through_the_pole_within_the_allowance()
    {
        for (const bool head : {false, true}) {
            const Proven beside = posted(on_machine(head, passing(0.3)));
            const Assembly a = on_machine(head, passing(0.3), {with_pole(R"({"lean": 0.4})")});
            const Proven out = posted(a);
            QVERIFY2(!out.run.findings.has_errors(), qPrintable(shown(out.run.findings)));
            QVERIFY2(!out.replay.findings.has_errors(), qPrintable(shown(out.replay.findings)));
            const Finding* lean = found(out.run.findings, "pole-lean");
            QVERIFY(lean != nullptr);
            QVERIFY2(lean->worst <= to_rad(0.4) && lean->worst > to_rad(0.29), qPrintable(QString::number(to_deg(lean->worst))));
            // Beside the pole C turns by 2 atan(tan 20 / tan 0.3) = 178.4 deg. Through it C keeps its reading but for the bend that the
            // lean makes: the records next to the pole stand at (+-tan 1, tan 0.3), 16.7 deg off the straight way on either side, and
            // fall back from there to where the path began.
            QVERIFY2(turned_c(beside.run.files.front().text) > 178, qPrintable(QString::number(turned_c(beside.run.files.front().text))));
            QVERIFY2(turned_c(out.run.files.front().text) < 4 * 16.8, qPrintable(QString::number(turned_c(out.run.files.front().text))));
            // Against the toolpath itself the lean is a deviation, no more than allowed.
            Assembly strict = a;
            strict.job.operations.front().settings = {};
            const ReplayReport bare = replay(strict, {{"test.nc", out.run.files.front().text}}, false);
            QVERIFY(bare.findings.has_errors());
        }
    }

    void a_lean_departs_by_no_more_than_its_allowance()
    {
        const Assembly a = on_machine(false, passing(0.1), {with_pole(R"({"lean": 0.5})")});
        for (const double off : {0.0, 0.2, 0.49, 0.5, 0.7, 0.99, 1.0, 1.5}) {
            Toolpath path;
            const double t = to_rad(off);
            path.records.push_back({record::Operation{"1", "x"}, {}});
            path.records.push_back({record::Linear{{Vec3(0, 0, 0), Vec3(std::sin(t), 0, std::cos(t))}}, {}});
            MemoryRecords source(path);
            AgreedRecords agreed(a, source);
            Record record;
            QVERIFY(agreed.next(record).value() && agreed.next(record).value());
            const Vec3 axis = end_pose(record.data)->axis;
            const double held = to_deg(angle_between(axis, Vec3::UnitZ()));
            // In the pole up to the allowance, back at its own place at twice the allowance, twice as fast between.
            const double wanted = off <= 0.5 ? 0 : off >= 1 ? off : 2 * (off - 0.5);
            QVERIFY2(std::abs(held - wanted) < 1e-9, qPrintable(QString("%1: %2 instead of %3").arg(off).arg(held).arg(wanted)));
        }
    }

    void a_spiral_is_reoriented_where_the_job_allows_it()
    {
        // Four turns of the tool's azimuth; Tarn 5T's C has 900 deg.
        std::string cl = "MULTAX/ON\nLOADTL/5\nSPINDL/5000,CLW\nFEDRAT/600,MMPM\nRAPID\n";
        for (int i = 0; i <= 288; ++i) {
            const double t = to_rad(20);
            const double turn = to_rad(5.0 * i);
            cl += fmt::format("GOTO/{:.6f},{:.6f},{:.6f},{:.9f},{:.9f},{:.9f}\n", 30 * std::cos(turn), 30 * std::sin(turn), 20 + 0.05 * i,
                              std::sin(t) * std::cos(turn), std::sin(t) * std::sin(turn), std::cos(t));
        }
        cl += "FINI\n";
        const Proven told = posted(on_machine(false, cl));
        const Finding* beyond = found(told.run.findings, "beyond-travel");
        QVERIFY(beyond != nullptr);
        // 1,440 deg from the lowest start, -450 or above: the first 900 deg fit. The rest is missing: 540 deg from an exact start; the
        // start at azimuth 0 is C -360 on the branch with B +20, or -180 - 180 on the other.
        QCOMPARE(QString::fromStdString(beyond->message), QString("C goes 630.000 deg beyond the high end of its travel"));
        const Edit allowed{"jobs/mirror-back-face.json", R"("toolpath": "toolpaths/mirror-back-face.cl")",
                           R"("reorient": {"clearance": 25}, "toolpath": "toolpaths/mirror-back-face.cl")"};
        const Assembly a = on_machine(false, cl, {allowed});
        const Proven out = posted(a);
        QVERIFY2(!out.run.findings.has_errors(), qPrintable(shown(out.run.findings)));
        QVERIFY2(!out.replay.findings.has_errors(), qPrintable(shown(out.replay.findings)));
        const Finding* reoriented = found(out.run.findings, "reoriented");
        QVERIFY(reoriented != nullptr);
        QCOMPARE(out.replay.uncovered, std::size_t(0));
        QCOMPARE(out.replay.extra, std::size_t(0));
    }
};

WEXILUM_TEST(TestPoles)

} // namespace test_poles
#include "test_poles.moc"
