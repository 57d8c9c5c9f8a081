// Several works in one setup: where each is held, its register, what the code does at each (by hand from the machine's drawing), and what
// the replay makes of programs that mix them up.
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/follow/code_run.hpp"
#include "core/follow/contact_report.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/setup/setup_edit.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/tables.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_works {

namespace {

constexpr const char* pair_job = "hub-pair";
const std::string setup_file = "setups/hub-pair.json";
const std::string job_file = "jobs/hub-pair.json";
const std::string tarn = "machines/tarn-5h.json";
const std::string copy_of_face = R"("toolpath": "toolpaths/hub-face.cl", "work": "left hub", "copies": [{"work": "right hub"}])";
const std::string copy_of_ports = R"("toolpath": "toolpaths/hub-ports.cl", "work": "left hub", "copies": [{"work": "right hub"}])";
const std::string copy_of_seat = R"("toolpath": "toolpaths/hub-seat.cl", "work": "left hub", "copies": [{"work": "right hub"}])";

/// The right hub stands on the saddle beside the turntable, which does not turn: Y alone carries it. The face alone is cut on both, written
/// in the coordinates that are asked for.
std::vector<Edit> on_the_saddle(const std::string& frame)
{
    return {{tarn, R"("right seat", "kind": "work", "parent": "C", "point": [136, 0, -600])",
             R"("right seat", "kind": "work", "parent": "Y", "point": [230, -150, -600])"},
            {tarn, R"({"X": 0, "Z": -400, "B": 0, "Y": -136, "C": 90})", R"({"X": 230, "Z": -400, "B": 0, "Y": -150, "C": 90})"},
            {setup_file, R"("2": {"X": -1.5, "Y": -135.5, "Z": -449.75, "B": {"angle": 0}, "C": {"angle": 90}})",
             R"("2": {"B": {"angle": 0}, "C": {"angle": 0}})"},
            {job_file, copy_of_face, copy_of_face + ", \"frame\": \"" + frame + "\""},
            {job_file, copy_of_ports, R"("toolpath": "toolpaths/hub-ports.cl", "work": "left hub")"},
            {job_file, copy_of_seat, R"("toolpath": "toolpaths/hub-seat.cl", "work": "left hub")"}};
}

/// The machine's readings at the ends of the blocks at feed, from one line of a program to before another.
class FeedEnds final : public MotionListener {
public:
    FeedEnds(std::uint32_t first, std::uint32_t end) : first_(first), end_(end) {}
    void moved(const Followed& motion) override
    {
        if (motion.move.feed && motion.move.block.value >= first_ && motion.move.block.value < end_) {
            ends.push_back(motion.move.to);
            length = motion.move.tool_length;
        }
    }
    std::vector<Readings> ends;
    double length = 0;

private:
    std::uint32_t first_;
    std::uint32_t end_;
};

std::uint32_t line_with(const std::string& code, const std::string& text)
{
    const std::vector<std::string> lines = lines_of(code);
    for (std::size_t i = 0; i < lines.size(); ++i) {
        if (lines[i].find(text) != std::string::npos) {
            return std::uint32_t(i + 1);
        }
    }
    qFatal("the code has no %s", text.c_str());
}

/// The ends of cuts of an operation's records, part's frame.
std::vector<Vec3> cut_ends(const Toolpath& path, std::size_t operation)
{
    std::vector<Vec3> out;
    std::size_t begun = 0;
    for (const Record& record : path.records) {
        begun += std::holds_alternative<record::Operation>(record.data) ? 1 : 0;
        const Pose* pose = end_pose(record.data);
        const bool cut = std::holds_alternative<record::Linear>(record.data) || std::holds_alternative<record::Circular>(record.data);
        if (begun == operation + 1 && pose != nullptr && cut) {
            out.push_back(pose->tip);
        }
    }
    return out;
}

Mat3 about_z(double degrees) { return Eigen::AngleAxisd(to_rad(degrees), Vec3::UnitZ()).toRotationMatrix(); }

} // namespace

class TestWorks : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_pair_is_proven()
    {
        const Assembly a = load_demo(pair_job).value();
        const std::string code = code_of(a);
        for (const bool from_unknown : {false, true}) {
            const ReplayReport report = replay_code(a, code, from_unknown);
            QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
            QCOMPARE(report.uncovered + report.extra, std::size_t(0));
        }
        // Each change of work is a retract by machine position and the word of the other register, in this order.
        int changes = 0;
        const std::vector<std::string> lines = lines_of(code);
        for (std::size_t i = 8; i < lines.size(); ++i) {
            if (lines[i].find(" G54") != std::string::npos || lines[i].find(" G55") != std::string::npos) {
                ++changes;
                QVERIFY2(lines[i - 1].find("G53 Z0.") != std::string::npos, lines[i - 1].c_str());
            }
        }
        QCOMPARE(changes, 5); // left right, left right, left right
    }

    void where_the_machine_goes_by_hand_data()
    {
        QTest::addColumn<QString>("operation");
        QTest::addColumn<QString>("next");
        QTest::addColumn<int>("number");
        QTest::addColumn<bool>("saddle");
        QTest::newRow("left") << "(10 FACE"
                              << "(10.2 FACE" << 0 << false;
        QTest::newRow("right") << "(10.2 FACE"
                               << "(20 OBLIQUE" << 1 << false;
        QTest::newRow("left, beside the saddle") << "(10 FACE"
                                                 << "(10.2 FACE" << 0 << true;
        QTest::newRow("right, on the saddle") << "(10.2 FACE"
                                              << "(20 OBLIQUE" << 1 << true;
    }
    void where_the_machine_goes_by_hand()
    {
        QFETCH(QString, operation);
        QFETCH(QString, next);
        QFETCH(int, number);
        QFETCH(bool, saddle);
        const Assembly a = load_demo(pair_job, saddle ? on_the_saddle("joints") : std::vector<Edit>()).value();
        const std::string code = code_of(a);
        const ReplayReport report = replay_code(a, code);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        FeedEnds feeds(line_with(code, operation.toStdString()), line_with(code, next.toStdString()));
        Follower follower = Follower::make(a.machine, a.setup).value();
        follower.add(feeds);
        TextSource text(code);
        TextSource ahead(code);
        FindingList findings;
        QVERIFY(run_code({a.controller, a.machine, &a.setup}, {"pair.nc", &text, &ahead}, {}, follower, findings).ok());
        const std::vector<Vec3> wanted = cut_ends(a.toolpath, std::size_t(number));
        QVERIFY(!wanted.empty());
        QVERIFY(!feeds.ends.empty());
        QCOMPARE(feeds.length, 104.22);
        // With B at 0 the tip is L below the gauge point, which stands at (X, 0, Z) of the base; the saddle has gone by -Y and the table
        // has turned by -C: over the table the tip is at Rz(C) (X, Y). X, Y and C are the first, fourth and fifth joint.
        std::vector<bool> reached(wanted.size(), false);
        for (const Readings& at : feeds.ends) {
            QVERIFY(std::abs(at[2]) < 1e-9);
            const Vec3 over_the_saddle(at[0], at[3], 600 + at[1] - feeds.length);
            const Vec3 over_the_table = about_z(to_deg(at[4])) * over_the_saddle;
            Vec3 tip;
            if (number == 0) {
                tip = over_the_table - Vec3(-136, 0, 0) - Vec3(1, -2, 150);
            } else {
                const Vec3 over_the_seat = saddle ? Vec3(over_the_saddle - Vec3(230, -150, 0)) : Vec3(over_the_table - Vec3(136, 0, 0));
                tip = about_z(-90) * over_the_seat - Vec3(-1.5, 0.5, 150.25);
            }
            double off = 1e300;
            for (std::size_t i = 0; i < wanted.size(); ++i) {
                const double far = (tip - wanted[i]).norm();
                off = std::min(off, far);
                reached[i] = reached[i] || far < 1e-3;
            }
            QVERIFY2(off < 1e-3, qPrintable(QString("%1 mm off").arg(off)));
        }
        QVERIFY(std::find(reached.begin(), reached.end(), false) == reached.end());
    }

    void the_control_turns_its_coordinates_with_the_first_mount()
    {
        const Assembly a = load_demo(pair_job, on_the_saddle("tool-centre-point")).value();
        const RunResult run = post(a);
        QVERIFY2(has_finding(run.findings, "frame-unwritable"), qPrintable(shown(run.findings)));
        QCOMPARE(QString::fromStdString(run.findings.list().front().message),
                 QString("the operation can't be written as \"tool-centre-point\": \"right seat\" is not carried by what the control's "
                         "coordinates turn with, which is that of \"table\""));
    }

    void one_subprogram_for_both()
    {
        // In the joints' own coordinates and at the same reading of the table the words of both are the same behind their registers.
        const auto loaded =
            load_demo(pair_job, {{job_file, copy_of_face, copy_of_face + R"(, "frame": "joints", "subprogram": 5410)"},
                                 {setup_file, R"("point": [-1.5, 0.5, 150.25], "phase": 90)", R"("point": [-1.5, 0.5, 150.25])"},
                                 {setup_file, R"("2": {"X": -1.5, "Y": -135.5, "Z": -449.75, "B": {"angle": 0}, "C": {"angle": 90}})",
                                  R"("2": {"X": 134.5, "Y": 0.5, "Z": -449.75, "B": {"angle": 0}, "C": {"angle": 0}})"}});
        QVERIFY2(loaded.ok(), loaded.ok() ? "" : loaded.error().text().c_str());
        const Assembly& a = *loaded;
        const std::string code = code_of(a);
        const ReplayReport report = replay_code(a, code);
        QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
        std::size_t calls = 0;
        for (const std::string& line : lines_of(code)) {
            calls += line.find("5410") != std::string::npos && line.find('O') != 0 ? 1 : 0;
        }
        QCOMPARE(calls, std::size_t(2));
        // The second call at the first one's register would cut the left hub twice.
        const std::uint32_t word = line_with(code, "G55");
        const ReplayReport twice = replay_code(a, with_line(code, word, "G54"));
        QVERIFY2(has_finding(twice.findings, "uncovered"), qPrintable(shown(twice.findings)));
    }

    void mistakes_are_told_at_their_place_data()
    {
        QTest::addColumn<QString>("line"); // has this text; the first one that has
        QTest::addColumn<QString>("text"); // what stands there instead
        QTest::addColumn<QString>("kind");
        QTest::addColumn<int>("behind"); // how many lines further on it is told
        // The retract is gone: the tool stands low over the left hub when the block that declares the next plane's place moves it.
        QTest::newRow("no retract between them") << "N71 G53 Z0."
                                                 << ""
                                                 << "work-left-low" << 3;
        QTest::newRow("the tool drifts off before the retract") << "N70 G150 G49"
                                                                << "G150 G49 G0 X300."
                                                                << "work-left-low" << 0;
        QTest::newRow("the first register still on") << "N72 G55"
                                                     << "G54"
                                                     << "sideways-while-low" << 3;
        QTest::newRow("the second register still on") << "N134 G54"
                                                      << "G55"
                                                      << "sideways-while-low" << 13;
        QTest::newRow("the first register still on, at the first cut") << "N72 G55"
                                                                       << "G54"
                                                                       << "other-register" << 6;
        QTest::newRow("a word beside, at the right hub") << "N109 Y0."
                                                         << "Y0.006"
                                                         << "off-path" << 0;
        QTest::newRow("a feed, at the right hub") << "N79 Y190. F1300."
                                                  << "Y190. F1400."
                                                  << "feed-differs" << 0;
        QTest::newRow("the plane's angle, at the right hub") << "N74 G152"
                                                             << "G152 X-95. Y-60. Z130. I0. J0. K-89.98"
                                                             << "off-path" << 6;
        QTest::newRow("the plane's zero, at the right hub") << "N74 G152"
                                                            << "G152 X-95.004 Y-60. Z130. I0. J0. K-90."
                                                            << "off-path" << 4;
    }
    void mistakes_are_told_at_their_place()
    {
        QFETCH(QString, line);
        QFETCH(QString, text);
        QFETCH(QString, kind);
        QFETCH(int, behind);
        const Assembly a = load_demo(pair_job).value();
        const std::string code = code_of(a);
        const std::uint32_t at = line_with(code, line.toStdString());
        const ReplayReport report = replay_code(a, with_line(code, at, text.toStdString()));
        QVERIFY2(report.findings.has_errors() && has_finding(report.findings, kind.toStdString(), at + std::uint32_t(behind)),
                 qPrintable(QString("line %1: ").arg(at) + shown(report.findings, 12)));
    }

    void the_same_hub_twice()
    {
        // What is cut on the left hub is no cut of the right one, though each number of its path is the same.
        const Assembly a = load_demo(pair_job).value();
        const std::string code = code_of(a);
        std::vector<std::string> lines = lines_of(code);
        const std::uint32_t first = line_with(code, "(10 FACE");
        const std::uint32_t second = line_with(code, "(10.2 FACE");
        const std::uint32_t end = line_with(code, "(20 OBLIQUE");
        std::vector<std::string> mixed(lines.begin(), lines.begin() + (second - 1));
        for (std::uint32_t i = second; i < second + 3; ++i) { // the retract, but not the register
            mixed.push_back(lines[i - 1]);
        }
        const std::uint32_t cuts = line_with(code, "N11 G43");
        mixed.insert(mixed.end(), lines.begin() + (cuts - 1), lines.begin() + (second - 1));
        mixed.insert(mixed.end(), lines.begin() + (end - 1), lines.end());
        QVERIFY(first < second);
        const ReplayReport report = replay_code(a, joined(mixed));
        QVERIFY2(report.findings.has_errors() && report.uncovered > 0, qPrintable(shown(report.findings)));
        QVERIFY(has_finding(report.findings, "extra-motion"));
    }

    void a_setup_with_mistakes_data()
    {
        QTest::addColumn<QString>("file");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("wanted");
        const auto row = [](const char* name, const std::string& file, const char* from, const char* to, const char* wanted) {
            QTest::newRow(name) << QString::fromStdString(file) << QString(from) << QString(to) << QString(wanted);
        };
        row("twice", setup_file, R"("id": "right hub")", R"("id": "left hub")",
            "setups/hub-pair.json:16:5: the work \"left hub\" appears twice; give each an id of its own");
        row("part beside", setup_file, R"(  "works": [)", "  \"part\": {\"holder\": \"table\", \"point\": [0, 0, 0]},\n  \"works\": [",
            "setups/hub-pair.json:6:12: \"part\" stands beside \"works\"; put it into the work that it belongs to");
        row("no register of its own", setup_file, "      \"work_offset\": \"2\",\n", "",
            "setups/hub-pair.json:16:5: the work lacks \"work_offset\"; add \"work_offset\": a text");
        row("register that is not there", setup_file, R"("work_offset": "2")", R"("work_offset": "7")",
            "setups/hub-pair.json:33:10: a zero was taken for the register 2, which is that of no work; name the register under "
            "\"work_offset\" of the work, or remove the zero");
        row("register without values", setup_file, R"("2": {"X": -1.5, "Y": -135.5, "Z": -449.75, "B": {"angle": 0}, "C": {"angle": 90}})",
            R"("3": {"X": -1.5, "Y": -135.5, "Z": -449.75, "B": {"angle": 0}, "C": {"angle": 90}})",
            "setups/hub-pair.json:33:10: a zero was taken for the register 2, which the setup does not have; add the register under "
            "\"offsets\", empty if nothing else is known");
        row("holder", setup_file, R"("holder": "right seat")", R"("holder": "vice")",
            "setups/hub-pair.json:19:15: the part is held by \"vice\", which is not a work mount of the machine; name one under \"part\", "
            "like \"table\"");
        row("a zero typed in wrong", setup_file, R"("2": {"X": -1.5,)", R"("2": {"X": -1.48,)",
            "setups/hub-pair.json:33:10: the register 2 says X -1.480, but its zero as it was taken comes to -1.500; correct the register, "
            "the part's position or how the zero was taken");
        row("the phase", setup_file, R"("phase": 90)", R"("phase": 89.5)",
            "setups/hub-pair.json:33:10: the register 2 says Y -135.500, but its zero as it was taken comes to -135.487; correct the "
            "register, "
            "the part's position or how the zero was taken");
        row("no work", job_file, R"("work": "left hub", "copies": [{"work": "right hub"}]},
    {"id": "20")",
            R"("copies": [{"work": "right hub"}]},
    {"id": "20")",
            "jobs/hub-pair.json:11:5: the operation 10 does not say for which work it is: the setup holds 2; state \"work\": left hub, "
            "right hub");
        row("another work", job_file, R"("copies": [{"work": "right hub"}]},
    {"id": "20")",
            R"("copies": [{"work": "middle hub"}]},
    {"id": "20")",
            "jobs/hub-pair.json:11:5: the operation 10.2 is for the work \"middle hub\", which the setup does not hold; state \"work\": "
            "left hub, right hub");
        row("no joint that retracts", tarn, "  \"retract\": \"Z\",\n", "",
            "machines/tarn-5h.json: the setup holds several works, and nothing says which joint takes the tool away between them; name it "
            "under \"retract\"");
    }
    void a_setup_with_mistakes()
    {
        QFETCH(QString, file);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, wanted);
        const auto a = load_demo(pair_job, {{file.toStdString(), from.toStdString(), to.toStdString()}});
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().text()), wanted);
    }

    void registers_the_wrong_way_round()
    {
        const auto a = load_demo("fails-pair-swapped");
        QVERIFY(!a.ok());
        // At register 1's C of 90 the left hub, at (-135, -2) on the table, would stand at X -2, Y 135.
        QCOMPARE(
            QString::fromStdString(a.error().text()),
            QString("setups/hub-pair-swapped.json:32:10: the register 1 says Y -135.500, but its zero as it was taken comes to 135.000; "
                    "correct the register, the part's position or how the zero was taken"));
    }

    void sections_know_the_work()
    {
        const Edit section{"dialects/esker-v.json", "\"({operation})\"", "\"({operation}, {work})\""};
        const std::string code = code_of(load_demo(pair_job, {section}).value());
        QVERIFY(line_with(code, "(10 FACE AND BORE, LEFT HUB)") < line_with(code, "(10.2 FACE AND BORE, RIGHT HUB)"));
        const std::string single = code_of(load_demo("focuser-hub", {section}).value()); // its part has no name: nothing is to be said
        QVERIFY(single.find("FACE AND BORE") == std::string::npos);
    }

    void rules_know_the_work()
    {
        // What a rule is told at each operation and at each change of the register, as remarks.
        Assembly a = load_demo(pair_job).value();
        a.rulebook.files = {{"rulebook.lua",
                             "function on.operation(event) event:native() remark(event.id .. ' at ' .. event.work .. ', ' .. "
                             "state.work .. ', ' .. operations()[event.index].work) end\n"
                             "function on.work_offset(event) event:native() remark('register ' .. event.register) end\n"}};
        const RunResult run = post(a);
        QVERIFY(!run.findings.has_errors());
        const auto said = [&](const char* text) {
            const auto& list = run.findings.list();
            return std::any_of(list.begin(), list.end(), [&](const Finding& f) { return f.message == text; });
        };
        QVERIFY2(said("10 at left hub, left hub, left hub") && said("30.2 at right hub, right hub, right hub"),
                 qPrintable(shown(run.findings, 20)));
        QVERIFY(said("register 1") && said("register 2"));
        QVERIFY(!replay_code(a, run.files.front().text).findings.has_errors());
    }

    void edits_of_a_work()
    {
        const std::string text = read_file(demo_folder() + "/" + setup_file);
        const auto after = [&](const Result<json::Patch>& patch) { return json::applied(text, patch.value()); };
        const auto part_of = [](const std::string& setup) {
            return read_setup(json::Document::parse(setup, "setup.json").value()).value().works[1].part;
        };
        const json::Document d = json::Document::parse(text, "setup.json").value();
        // Turned by its phase of 90 the right hub's place (-1.5, 0.5) lies at (-0.5, -1.5) of the seat.
        QVERIFY((part_of(text).translation() - Vec3(-0.5, -1.5, 150.25)).norm() < 1e-12);
        const std::string moved = after(set_part_point(d, 1, Vec3(-0.5, -1.25, 151)));
        QVERIFY(moved.find("\"point\": [-1.25, 0.5, 151], \"phase\": 90") != std::string::npos);
        QVERIFY((part_of(moved).translation() - Vec3(-0.5, -1.25, 151)).norm() < 1e-9);
        const Frame turned = part_of(after(set_part_directions(d, 1, Vec3::UnitX(), Vec3::UnitZ())));
        QVERIFY((turned.linear() - Mat3::Identity()).norm() < 1e-9);
        QVERIFY(after(set_work_text(d, 0, "work_offset", "7")).find("\"work_offset\": \"7\"") != std::string::npos);
        QVERIFY(after(set_work_text(d, 1, "holder", "table")).find("\"holder\": \"table\"") != std::string::npos);
    }

    void a_seat_has_a_witness_of_its_own()
    {
        // The right seat 0.02 mm beside its place: no witness of the table sees it, the seat's own does.
        const auto a = load_demo("focuser-hub", {{tarn, "\"point\": [136, 0, -600]", "\"point\": [136.02, 0, -600]"}});
        QVERIFY(!a.ok());
        QVERIFY2(a.error().message.starts_with("the witness \"over the right seat, C 90\" is missed: the tip comes to -0.0200,") &&
                     a.error().message.find("100.0000 mm, 0.0200 mm off") != std::string::npos,
                 a.error().message.c_str());
        const auto b = load_demo("focuser-hub", {{tarn, "\"work\": \"right seat\"", "\"work\": \"third seat\""}});
        QCOMPARE(QString::fromStdString(b.error().message), QString("the machine has no work mount \"third seat\""));
    }

    void what_the_spindle_can_do_data()
    {
        QTest::addColumn<QString>("speed"); // of the drive, as the machine states it
        QTest::addColumn<QString>("message");
        QTest::newRow("enough") << "[60, 15000]"
                                << "";
        QTest::newRow("just enough") << "[4200, 8200]"
                                     << "";
        QTest::newRow("not so fast") << "[60, 8199]"
                                     << "the drive of the main spindle is to turn at 8200 rpm, it goes from 60 to 8199";
        QTest::newRow("not so slow") << "[4201, 15000]"
                                     << "the drive of the main spindle is to turn at 4200 rpm, it goes from 4201 to 15000";
    }
    void what_the_spindle_can_do()
    {
        // The hub's tools turn at 4200, 6800 and 8200 rpm: run and replay each know the drive.
        QFETCH(QString, speed);
        QFETCH(QString, message);
        const Assembly a = load_demo("focuser-hub", {{tarn, "[60, 15000]", speed.toStdString()}}).value();
        const RunResult run = post(a);
        const ReplayReport report = replay_code(a, run.files.front().text);
        QCOMPARE(has_finding(run.findings, "spindle-beyond-drive"), !message.isEmpty());
        QCOMPARE(has_finding(report.findings, "spindle-beyond-drive"), !message.isEmpty());
        for (const Finding& finding : report.findings.list()) {
            if (!message.isEmpty() && finding.kind == "spindle-beyond-drive") {
                QCOMPARE(QString::fromStdString(finding.message), message);
            }
        }
    }

    void a_machine_with_mistakes_in_its_spindles_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("wanted");
        const auto row = [](const char* name, const char* from, const char* to, const char* wanted) {
            QTest::newRow(name) << QString(from) << QString(to) << QString("machines/tarn-5h.json:26:") + wanted;
        };
        row("mount", R"("turns": "spindle")", R"("turns": "nose")",
            "37: \"nose\" is not a mount of the machine; name the mount that the spindle turns");
        row("speeds", "[60, 15000]", "[15000, 60]",
            "57: the spindle's highest speed is not above its lowest; write [lowest, highest], in rpm");
        row("joint", R"("run_up": 3)", R"("run_up": 3, "joint": "X")",
            "92: \"X\" is not a rotary joint of this machine; name the joint that the spindle also is, or leave the key out");
        row("two on one mount", R"("run_up": 3})", R"("run_up": 3}, {"id": "other", "turns": "spindle", "speed": [0, 1]})",
            "109: \"spindle\" is turned by another spindle already; let one spindle turn it");
    }
    void a_machine_with_mistakes_in_its_spindles()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, wanted);
        const auto a = load_demo("focuser-hub", {{tarn, from.toStdString(), to.toStdString()}});
        QVERIFY(!a.ok());
        QCOMPARE(QString::fromStdString(a.error().text()), wanted);
    }

    void rapids_through_either_stock_data()
    {
        QTest::addColumn<bool>("saddle");
        QTest::newRow("both on the turntable") << false;
        QTest::newRow("the right one on the saddle") << true;
    }
    void rapids_through_either_stock()
    {
        // What the left hub has lost the right one still has: its first way down, in rapid to where the left one was cut, goes through it.
        QFETCH(bool, saddle);
        const Assembly a = load_demo(pair_job, saddle ? on_the_saddle("joints") : std::vector<Edit>()).value();
        const RunResult run = post(a);
        const std::string& code = run.files.front().text;
        const auto own = check_contacts(a, run.files);
        QVERIFY(own.ok());
        QVERIFY2(!has_finding(own->findings, "contact"), qPrintable(shown(own->findings)));
        // The helix of the right hub's bore: straight down beside its middle, through its body.
        const std::uint32_t second = line_with(code, "(10.2 FACE");
        const std::vector<std::string> lines = lines_of(code);
        std::uint32_t helix = second;
        while (lines[helix - 1].find("G3") == std::string::npos) {
            ++helix;
        }
        std::string down = lines[helix - 2]; // the rapid before it
        const std::size_t z = down.find('Z');
        QVERIFY(z != std::string::npos);
        down = down.substr(0, z) + fmt::format("Z{:.3f}", std::stod(down.substr(z + 1)) - 12);
        std::vector<CodeFile> files = run.files;
        files.front().text = with_line(code, helix - 1, down);
        const auto report = check_contacts(a, files);
        QVERIFY(report.ok());
        QVERIFY2(has_finding(report->findings, "contact", helix - 1), qPrintable(shown(report->findings)));
    }
};

WEXILUM_TEST(TestWorks)

} // namespace test_works
#include "test_works.moc"
