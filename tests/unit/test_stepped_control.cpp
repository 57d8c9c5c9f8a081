// The control stepped: one happening at a time, several controls on one machine, waits, calls on a stack of its own, memory that stays
// flat.
#include "core/base/json_document.hpp"
#include "core/base/units.hpp"
#include "core/control/simulated_control.hpp"
#include "core/control/subprograms.hpp"
#include "core/follow/code_reading.hpp"
#include "core/follow/code_run.hpp"
#include "core/follow/move_times.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <cstring>
#include <fstream>

using namespace wexilum;
using namespace wexilum::test;

namespace test_stepped_control {

namespace {

/// Two slides that carry a tool each, over one work: X1 and Z1, X2 and Z2. All go 100 mm/s.
Machine two_slides()
{
    const std::string joint = R"("kind": "linear", "travel": [-500, 500], "speed": 6000)";
    return read_machine(json::Document::parse(R"({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "name": "two slides",
        "joints": [{"id": "X1", "parent": "base", "direction": [1, 0, 0], )" +
                                                  joint + R"(},
                   {"id": "Z1", "parent": "X1", "direction": [0, 0, 1], )" +
                                                  joint + R"(},
                   {"id": "X2", "parent": "base", "direction": [1, 0, 0], )" +
                                                  joint + R"(},
                   {"id": "Z2", "parent": "X2", "direction": [0, 0, 1], )" +
                                                  joint + R"(}],
        "mounts": [{"id": "work", "kind": "work", "parent": "base", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
                   {"id": "one", "kind": "tool", "parent": "Z1", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]},
                   {"id": "two", "kind": "tool", "parent": "Z2", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]}],
        "witnesses": [{"name": "out to the right", "origin": "by hand", "readings": {"X1": 40, "Z1": 5, "X2": 0, "Z2": 0},
                       "tool_length": 0, "tip": [40, 0, 5], "axis": [0, 0, 1]}]})",
                                              "two.json")
                            .value())
        .value();
}

/// The demo's milling control with the words X and Z for a slide's joints, and marks to wait at.
Controller control_of_slide(int slide)
{
    QString text = QString::fromStdString(read_file(demo_folder() + "/controllers/morrow-m.json"));
    text.replace(QStringLiteral(R"({"X": "X", "Y": "Y", "Z": "Z"})"), QStringLiteral(R"({"X": "X%1", "Z": "Z%1"})").arg(slide));
    text.replace(QStringLiteral(R"("length_joint": "Z")"), QStringLiteral(R"("length_joint": "Z%1")").arg(slide));
    text.replace(QStringLiteral(R"("change_position": {"Z": 0},)"), QString());
    text.replace(QStringLiteral(R"("M0": {"does": "stop"})"),
                 QStringLiteral(R"("M0": {"does": "stop"}, "M101": {"does": "wait", "mark": "1"}, "M102": {"does": "wait", "mark": "2"})"));
    text.replace(QRegularExpression(QStringLiteral(R"re("witnesses": \[.*\])re"), QRegularExpression::DotMatchesEverythingOption),
                 QStringLiteral(R"("witnesses": [{"name": "X", "code": ["G0 X10."], "readings": {"X%1": 10}}])").arg(slide));
    return read_controller(json::Document::parse(text.toStdString(), "slide.json").value()).value();
}

/// A channel's control with its program.
struct Channel {
    Controller controller;
    std::string program;
    TextSource text;
    CodeLines lines;
    SubprogramBook book;
    FindingList findings;
    SimulatedControl control;
    Channel(const Machine& machine, MachineState& state, std::uint32_t channel, std::string code)
        : controller(control_of_slide(int(channel))), program(std::move(code)), text(program), lines(controller, text), book(controller),
          control(controller, machine, state, memory(), {"channel" + std::to_string(channel), false, channel, false, channel}, lines,
                  findings)
    {}
    ControlMemory memory()
    {
        for (const std::string& line : lines_of(program)) {
            book.line(line);
        }
        ControlMemory out;
        out.subprograms = &book;
        return out;
    }
    /// The next happening in words.
    QString step()
    {
        const Happening* next = control.step();
        if (next == nullptr) {
            return QStringLiteral("none");
        }
        QString out = QStringLiteral("%1%2 ")
                          .arg(next->block.value)
                          .arg(next->called_by.value != 0 ? QStringLiteral("<%1").arg(next->called_by.value) : QString());
        const auto reading = [&](Eigen::Index joint) { return std::round(next->move->to[joint] * 1e6) / 1e6; };
        const Eigen::Index x = next->channel == 1 ? 0 : 2;
        switch (next->kind) {
        case Happening::Kind::motion:
            return out + QStringLiteral("%1 %2 %3").arg(next->move->feed ? "feed" : "rapid").arg(reading(x)).arg(reading(x + 1));
        case Happening::Kind::cuts: return out + QStringLiteral("%1 cuts").arg(next->cuts->count);
        case Happening::Kind::dwell: return out + QStringLiteral("dwell %1").arg(next->seconds);
        case Happening::Kind::wait: return out + QStringLiteral("wait ") + QString::fromStdString(next->text);
        case Happening::Kind::stop: return out + (next->optional ? QStringLiteral("optional stop") : QStringLiteral("stop"));
        case Happening::Kind::tool_change: return out + QStringLiteral("tool %1").arg(next->tool);
        case Happening::Kind::message: return out + QStringLiteral("message ") + QString::fromStdString(next->text);
        case Happening::Kind::call: return out + QStringLiteral("call %1 x%2").arg(next->number).arg(next->count);
        case Happening::Kind::back: return out + QStringLiteral("back");
        case Happening::Kind::loop: return out + QStringLiteral("loop %1").arg(next->count);
        case Happening::Kind::loop_end: return out + QStringLiteral("loop end");
        case Happening::Kind::by_hand: return out + QStringLiteral("by hand");
        case Happening::Kind::end: return out + QStringLiteral("end");
        }
        return out;
    }
    QStringList rest()
    {
        QStringList out;
        for (QString next = step(); next != QStringLiteral("none"); next = step()) {
            out.push_back(next);
        }
        return out;
    }
};

/// Cuts of a program without end, made as they are read.
class EndlessCode final : public ByteSource {
public:
    explicit EndlessCode(std::size_t lines) : left_(lines) {}
    Result<std::size_t> read(std::span<char> buffer) override
    {
        std::size_t filled = 0;
        while (left_ > 0) {
            const std::string line =
                at_ == 0 ? "G94 G1 X0. Z0. F600.\n" : QStringLiteral("X%1. Z%2.\n").arg(at_ % 97).arg(at_ % 89).toStdString();
            if (filled + line.size() > buffer.size()) {
                break;
            }
            std::memcpy(buffer.data() + filled, line.data(), line.size());
            filled += line.size();
            ++at_;
            --left_;
        }
        return filled;
    }

private:
    std::size_t at_ = 0;
    std::size_t left_;
};

double resident_mb()
{
    std::ifstream file("/proc/self/status");
    for (std::string line; std::getline(file, line);) {
        if (line.starts_with("VmRSS:")) {
            return std::stod(line.substr(6)) / 1024;
        }
    }
    return 0;
}

/// What a sanitizer keeps of freed memory says nothing about what lives.
constexpr bool sanitized = WEXILUM_EVERY > 1;

} // namespace

class TestSteppedControl : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void each_step_is_one_happening()
    {
        const Machine machine = two_slides();
        MachineState state(machine);
        const std::string program =
            "O1\n(begin)\nG0 X10. Z5.\nG94 G1 X20. F600.\nG4 P1.5\nM1\nM72 L3\nG90 G94 G1 Z2. F600.\nM73\nM76 P7 L2\nM0\nM30\n"
            "O7\nG91 G0 X1.\nM76 P8\nG90 M77\nO8\nG91 G0 Z-1.\nM77\n";
        Channel one(machine, state, 1, program);
        const QStringList wanted{"2 message begin",  "3 rapid 10 5",     "4 feed 20 5", "5 dwell 1.5",      "6 optional stop",
                                 "7 loop 3",         "8 feed 20 2",      "9 loop end",  "10 call 7 x2",     "14<10 rapid 21 2",
                                 "15<10 call 8 x1",  "18<10 rapid 21 1", "15<10 back",  "14<10 rapid 22 1", "15<10 call 8 x1",
                                 "18<10 rapid 22 0", "15<10 back",       "10 back",     "11 stop",          "12 end"};
        const QStringList told = one.rest();
        QVERIFY2(told == wanted, qPrintable(told.join("; ")));
        one.control.finish();
        QVERIFY2(!one.findings.has_errors(), qPrintable(shown(one.findings)));
    }

    /// A cycle is not ahead of the happenings that have been taken.
    void a_cycle_goes_leg_by_leg()
    {
        const Machine machine = two_slides();
        MachineState state(machine);
        Channel one(machine, state, 1, "G0 X0. Z50.\nG99 G83 X5. Z-10. R2. Q4. F120.\nG80 M30\n");
        QCOMPARE(one.step(), QStringLiteral("1 rapid 0 50"));
        // Over the hole, down to 2, then pecks of 4 mm, each out to 2 and back to 0.8 above the last.
        for (const char* wanted : {"2 rapid 5 50", "2 rapid 5 2", "2 feed 5 -2", "2 rapid 5 2", "2 rapid 5 -1.2", "2 feed 5 -6",
                                   "2 rapid 5 2", "2 rapid 5 -5.2", "2 feed 5 -10", "2 rapid 5 2"}) {
            QCOMPARE(one.step(), QString(wanted));
            QCOMPARE(state.readings[1], QString(wanted).section(QLatin1Char(' '), -1).toDouble());
        }
        QCOMPARE(one.step(), QStringLiteral("3 end"));
    }

    void two_controls_share_a_machine()
    {
        const Machine machine = two_slides();
        MachineState state(machine);
        Channel one(machine, state, 1, "G0 X10.\nM101\nG0 X20.\nM102\nG0 X30.\nM30\n");
        Channel two(machine, state, 2, "G0 X-5.\nG4 P2.\nM101\nG0 X-7.\nM102\nM30\n");
        QCOMPARE(one.step(), QStringLiteral("1 rapid 10 0"));
        QCOMPARE(two.step(), QStringLiteral("1 rapid -5 0"));
        QCOMPARE(one.step(), QStringLiteral("2 wait 1"));
        QVERIFY(one.control.waits());
        QCOMPARE(one.step(), QStringLiteral("2 wait 1")); // it stands there
        QCOMPARE(two.step(), QStringLiteral("2 dwell 2"));
        QCOMPARE(one.step(), QStringLiteral("2 wait 1"));
        QCOMPARE(state.readings[0], 10.0);
        QCOMPARE(two.step(), QStringLiteral("3 wait 1")); // the last one to come lets all go
        QVERIFY(!one.control.waits());
        QVERIFY(!two.control.waits());
        QCOMPARE(two.step(), QStringLiteral("4 rapid -7 0"));
        const Happening* moved = one.control.step();
        QVERIFY(moved != nullptr && moved->kind == Happening::Kind::motion);
        QCOMPARE(moved->channel, std::uint32_t(1));
        QCOMPARE(moved->move->from[2], -7.0); // where the other channel has brought its slide
        QCOMPARE(moved->move->to[2], -7.0);
        QCOMPARE(moved->move->to[0], 20.0);
        QCOMPARE(two.step(), QStringLiteral("5 wait 2"));
        QVERIFY(two.control.waits());
        QCOMPARE(one.step(), QStringLiteral("4 wait 2"));
        QCOMPARE(one.rest(), (QStringList{"5 rapid 30 0", "6 end"}));
        QCOMPARE(two.rest(), (QStringList{"6 end"}));
        for (Channel* channel : {&one, &two}) {
            channel->control.finish();
            QVERIFY2(channel->findings.list().empty(), qPrintable(shown(channel->findings)));
        }
    }

    void one_is_left_waiting_data()
    {
        QTest::addColumn<QString>("other");
        QTest::newRow("it has ended before") << "G0 X-5.\nM30\n";
        QTest::newRow("it waits elsewhere") << "G0 X-5.\nM102\nM30\n";
    }
    void one_is_left_waiting()
    {
        QFETCH(QString, other);
        const Machine machine = two_slides();
        MachineState state(machine);
        Channel one(machine, state, 1, "G0 X10.\nM101\nG0 X20.\nM30\n");
        Channel two(machine, state, 2, other.toStdString());
        for (int turn = 0; turn < 20; ++turn) {
            (void)two.step();
            (void)one.step();
        }
        QVERIFY(one.control.waits());
        QCOMPARE(one.control.block(), BlockNumber(2));
        QCOMPARE(state.readings[0], 10.0);
        one.control.finish();
        QVERIFY2(has_finding(one.findings, "left-waiting", 2), qPrintable(shown(one.findings)));
        QVERIFY(one.findings.has_errors());
    }

    void a_program_that_waits_alone_is_told()
    {
        const Machine machine = two_slides();
        MachineState state(machine);
        Channel one(machine, state, 1, "G0 X10.\nM101\nG0 X20.\nM30\n");
        QCOMPARE(one.rest(), (QStringList{"1 rapid 10 0", "2 wait 1", "3 rapid 20 0", "4 end"}));
        QVERIFY(has_finding(one.findings, "waits-alone", 2));
        QVERIFY(!one.findings.has_errors());
    }

    void a_joint_of_two_channels_is_told()
    {
        const Machine machine = two_slides();
        MachineState state(machine);
        Channel one(machine, state, 1, "M30\n");
        TextSource text("M30\n");
        CodeLines lines(one.controller, text);
        FindingList findings;
        const SimulatedControl second(one.controller, machine, state, {}, {"second", false, 2, false}, lines, findings);
        QCOMPARE(findings.list().size(), std::size_t(1));
        QCOMPARE(QString::fromStdString(findings.list().front().message), QStringLiteral("X1 is moved by channel 1 and by channel 2"));
    }

    void memory_stays_flat_data()
    {
        QTest::addColumn<bool>("together");
        QTest::addRow("motion by motion") << false;
        QTest::addRow("cuts together") << true;
    }
    void memory_stays_flat()
    {
        QFETCH(bool, together);
        const std::size_t lines = sanitized ? 50000 : 1000000;
        const Machine machine = two_slides();
        MachineState state(machine);
        const Controller controller = control_of_slide(1);
        EndlessCode code(lines);
        CodeLines source(controller, code);
        FindingList findings;
        SimulatedControl control(controller, machine, state, {}, {"endless", false, 1, together}, source, findings);
        std::size_t motions = 0;
        double early = 0;
        while (const Happening* next = control.step()) {
            motions += next->kind == Happening::Kind::cuts ? next->cuts->count : 1;
            early = early == 0 && motions > lines / 10 ? resident_mb() : early;
        }
        QCOMPARE(motions, lines);
        if (!sanitized) {
            QVERIFY2(resident_mb() - early < 2, qPrintable(QStringLiteral("%1 MB more").arg(resident_mb() - early)));
        }
    }

    /// A subprogram called often enough for a million blocks, three calls deep.
    void calls_keep_memory_flat()
    {
        const Machine machine = two_slides();
        MachineState state(machine);
        const int times = sanitized ? 20 : 100;
        const std::string program =
            QStringLiteral("O1\nM76 P7 L%1\nM30\nO7\nM76 P8 L%1\nM77\nO8\nM76 P9 L%1\nM77\nO9\nG91 G0 X1.\nX-1.\nG90 M77\n")
                .arg(times)
                .toStdString();
        Channel one(machine, state, 1, program);
        std::size_t motions = 0;
        double early = 0;
        while (const Happening* next = one.control.step()) {
            motions += next->kind == Happening::Kind::motion ? 1 : 0;
            early = early == 0 && motions > 1000 ? resident_mb() : early;
        }
        QCOMPARE(motions, std::size_t(2) * times * times * times);
        if (!sanitized) {
            QVERIFY2(resident_mb() - early < 2, qPrintable(QStringLiteral("%1 MB more").arg(resident_mb() - early)));
        }
    }

    /// Ways, times and speeds by hand: X and Y go 300 mm/s, Z 250 mm/s, the feed is 10 mm/s; the spindle's face is 620 mm over the table.
    void what_a_program_does_by_itself()
    {
        const Assembly mill = load_demo("mirror-cell").value();
        const CodeContext context{mill.controller, mill.machine, nullptr};
        CodeReading reading;
        CodeReader reader(mill.machine, reading);
        auto follower = Follower::make(mill.machine, Frame::Identity()).value();
        follower.add(reader);
        Controller untimed = mill.controller;
        untimed.timing = {};
        MoveTimes times(mill.machine, untimed);
        follower.add(times);
        // A half circle of radius 20 from (40, -50) to (80, -50) through Z -30.
        TextSource text("G0 X100. Z-50.\nG94 G1 X40. F600.\nG18 G3 X80. Z-50. I20. K0.\nG4 P2.\nM30\n");
        QCOMPARE(run_code(context, {"by-itself", &text, nullptr}, {}, follower, reading.findings).value(), std::uint64_t(5));
        QVERIFY2(!reading.findings.has_errors(), qPrintable(shown(reading.findings)));
        QCOMPARE(reading.motions, std::uint64_t(3));
        reading.time = times.take();
        QVERIFY(std::abs(reading.time.all[TimeCause::rapid] - 1.0 / 3) < 1e-12);
        QVERIFY(std::abs(reading.time.all.cutting() - (6 + pi * 2)) < 1e-6);
        QCOMPARE(reading.time.all[TimeCause::dwell], 2.0);
        const std::size_t x = mill.machine.find_joint("X")->value;
        const std::size_t z = mill.machine.find_joint("Z")->value;
        QCOMPARE(reading.readings[x].low, 0.0);
        QCOMPARE(reading.readings[x].high, 100.0);
        QCOMPARE(reading.readings[x].high_block, BlockNumber(1));
        QCOMPARE(reading.readings[z].high, 0.0);
        QVERIFY(std::abs(reading.cut_readings[z].high + 30) < 1e-9); // inside the arc
        QCOMPARE(reading.cut_readings[z].high_block, BlockNumber(3));
        QCOMPARE(reading.cut_readings[z].low, -50.0);
        QCOMPARE(reading.cut_readings[x].low, 40.0);
        QCOMPARE(reading.cut_readings[x].high, 100.0);
        QCOMPARE(travel_left(mill.machine.joints[x], reading.readings[x]), std::optional(320.0));
        QCOMPARE(travel_left(mill.machine.joints[z], reading.readings[z]), std::optional(0.0));
        QVERIFY(std::abs(reading.cut_tip[2].high - 590) < 1e-9);
        QCOMPARE(reading.cut_tip[2].low, 570.0);
        QCOMPARE(reading.tools.size(), std::size_t(1));
        QVERIFY(std::abs(reading.tools[0].feed.low - 10) < 1e-3 && std::abs(reading.tools[0].feed.high - 10) < 1e-3);
        QVERIFY(std::abs(reading.tools[0].cutting_way - (60 + 20 * pi)) < 1e-2);
        QCOMPARE(reading.tools[0].speed.high, 0.0);
    }

    /// Poses by hand: the tool of the second slide, seen from a part that is turned by a right angle about Z and 100 mm along X.
    void a_follower_needs_no_job()
    {
        const Machine machine = two_slides();
        MachineState state(machine);
        Channel two(machine, state, 2, "G0 X30. Z8.\nG1 X40. F600.\nM30\n");
        Frame part = Frame::Identity();
        part.translation() = Vec3(100, 0, 0);
        part.linear() << 0, -1, 0, 1, 0, 0, 0, 0, 1;
        auto follower = Follower::make(machine, part).value();
        struct Poses final : MotionListener {
            void moved(const Followed& motion) override
            {
                tips.push_back(motion.at(0.5).tip);
                ends.push_back(motion.to.tip);
            }
            std::vector<Vec3> tips;
            std::vector<Vec3> ends;
        } poses;
        follower.add(poses);
        while (const Happening* next = two.control.step()) {
            follower.take(*next);
        }
        QCOMPARE(poses.ends.size(), std::size_t(2));
        // The machine's (30, 0, 8) is 70 mm against X from the part's zero: seen from the part that is 70 along Y.
        QVERIFY2((poses.ends[0] - Vec3(0, 70, 8)).norm() < 1e-12, qPrintable(QString::number(poses.ends[0].y())));
        QVERIFY((poses.tips[1] - Vec3(0, 65, 8)).norm() < 1e-12);
    }
};

WEXILUM_TEST(TestSteppedControl)

} // namespace test_stepped_control
#include "test_stepped_control.moc"
