// The measured values of one machine over the drawing's: what they do to poses and to the code, and what is refused.
#include "core/base/json_document.hpp"
#include "core/base/units.hpp"
#include "core/compare/report.hpp"
#include "core/machine/kinematics.hpp"
#include "core/machine/overlay.hpp"
#include "core/project/project.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::test;

namespace test_overlay {

namespace {

Machine drawing(const std::string& file)
{
    return read_machine(json::Document::parse(read_file(demo_folder() + "/" + file), file).value()).value();
}

/// The overlay with these members laid over a machine of the demo.
Result<Machine> laid(const std::string& machine, const std::string& members)
{
    const auto document =
        json::Document::parse(R"({"format": "overlay/1", "units": {"length": "mm", "angle": "deg"}, "name": "n", "machine": )" +
                                  ("\"" + machine + "\"") + members + "}",
                              "overlays/test.json");
    return with_overlay(drawing(machine), machine, document.value());
}

Pose pose_at(const Machine& machine, const std::vector<double>& readings, double tool_length)
{
    Readings at = machine.home();
    for (std::size_t i = 0; i < readings.size(); ++i) {
        at[Eigen::Index(i)] = machine.joints[i].kind == JointKind::rotary ? to_rad(readings[i]) : readings[i];
    }
    return Kinematics::make(machine).value().pose(at, tool_length);
}

bool near(const Vec3& a, const Vec3& b) { return (a - b).norm() < 1e-9; }

} // namespace

class TestOverlay : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void poses_by_hand()
    {
        const char* brae = "machines/brae-4r.json";
        // The axis 0.1 higher and 0.1 further in Y. At 0 nothing turns; at 90 the gauge point, 119.9 above the axis and 0.1 before it in
        // Y, comes to 119.9 in the part's Y and 0.1 in its Z, counted from the axis that lies 0.1 off the mount's zero in both.
        const Machine moved = laid(brae, R"(, "joints": {"A": {"point": [0, -20.4, -259.9]}})").value();
        QVERIFY(near(pose_at(moved, {100, -20.5, -60, 0}, 80).tip, {60, 0, 120}));
        QVERIFY(near(pose_at(moved, {100, -20.5, -60, 90}, 80).tip, {60, 120, 0.2}));
        // Another point of the same axis is no other axis.
        const Machine along = laid(brae, R"(, "joints": {"A": {"point": [500, -20.5, -260]}})").value();
        QVERIFY(near(pose_at(along, {100, -20.5, -60, 90}, 80).tip, {60, 120, 0}));
        // A zero that is 0.5 deg on: what reads 90.5 is a quarter turn.
        const Machine turned = laid(brae, R"(, "joints": {"A": {"at": 0.5}})").value();
        QVERIFY(near(pose_at(turned, {100, -20.5, -60, 90.5}, 80).tip, {60, 120, 0}));
        QVERIFY(near(pose_at(turned, {100, -20.5, -60, 90.5}, 80).axis, {0, 1, 0}));
        // The gauge point 0.03 in X and 0.2 up.
        const Machine gauge = laid(brae, R"(, "mounts": {"spindle": {"point": [0.03, 0, 0.2], "z": [0, 0, 1], "x": [1, 0, 0]}})").value();
        QVERIFY(near(pose_at(gauge, {100, -20.5, -60, 0}, 80).tip, {60.03, 0, 120.2}));
        // A joint that reads tool-relative keeps doing so: C of Tarn 5T leans by 1 deg towards +X, given as in the machine's file. At C
        // 180 the tool axis is the drawing's, half a turn about that direction.
        const double s = std::sin(to_rad(1));
        const double c = std::cos(to_rad(1));
        const Machine leant =
            laid("machines/tarn-5t.json",
                 QString(R"(, "joints": {"C": {"direction": [%1, 0, %2]}})").arg(s, 0, 'f', 9).arg(c, 0, 'f', 9).toStdString())
                .value();
        const Vec3 axis = pose_at(leant, {0, 0, 0, 0, 180}, 150).axis;
        QVERIFY((axis - Vec3(2 * s * c, 0, 2 * c * c - 1)).norm() < 1e-8);
        QVERIFY(near(pose_at(leant, {0, 0, 0, 0, 0}, 150).axis, {0, 0, 1}));
        QVERIFY(moved.witnesses.empty()); // the drawing's hold for the drawing
    }

    void the_demo_of_the_second_machine()
    {
        const Assembly first = load_demo("setting-circle").value();
        const Assembly second = load_demo("setting-circle-second").value();
        QCOMPARE(second.machine.witnesses.size(), std::size_t(2));
        const std::string code = code_of(second);
        const ReplayReport report = replay_code(second, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        QCOMPARE(report.uncovered + report.extra, std::size_t(0));
        // The mark at 90: A at 90.024; in the drawing's frame the part's Y points up, its Z to -Y, both turned about the axis at
        // Y -20.462, Z -259.934 instead of -20.5, -260. Y: -20.462 + 0.066 + 20.5 = 0.104; Z: -259.934 + 57 - 0.038 + 260 = 57.028.
        const auto lines = lines_of(code);
        const auto at = std::find(lines.begin(), lines.end(), "A90.024");
        QVERIFY(at != lines.end());
        QCOMPARE(QString::fromStdString(*(at + 1)), QString("X2. Y0.104"));
        QCOMPARE(QString::fromStdString(*(at + 2)), QString("Z57.028"));
        // On the first machine that code is wrong, and the replay says so.
        QVERIFY(!replay_code(first, code).findings.list().empty());
    }

    void what_is_refused_data()
    {
        QTest::addColumn<QString>("members");
        QTest::addColumn<QString>("message");
        const auto row = [](const char* members, const char* message) { QTest::newRow(message) << members << message; };
        row(R"(, "joints": {"A": {"point": [0, -20.5, -248]}})",
            "the axis of A is 12.000 mm from the drawing's; at most 10 mm count as measured");
        row(R"(, "joints": {"A": {"direction": [-1, 0, 0]}})",
            "the direction of A is turned by 180.000 deg against the drawing's; at most 2 deg count as measured");
        row(R"(, "joints": {"A": {"at": 3}})",
            "the zero of A is turned by 3.000 deg against the drawing's; at most 2 deg count as measured");
        row(R"(, "joints": {"Z": {"at": -11.5}})", "the zero of Z is 11.500 mm from the drawing's; at most 10 mm count as measured");
        row(R"(, "joints": {"B": {"at": 1}})", "the machine has no joint \"B\"");
        row(R"(, "joints": {"A": {"speed": 1}})", "the joint A has no key \"speed\"");
        row(R"(, "joints": {"X": {"travel": [10, 800]}})", "the travel of X does not hold its home");
        row(R"(, "joints": {"A": {"direction": [1, 0.1, 0]}})", "\"direction\" has length 1.0049876, not 1");
        row(R"(, "mounts": {"table": {"point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]}})", "the machine has no mount \"table\"");
        row(R"(, "mounts": {"spindle": {"point": [0, 0, 0], "z": [0, 0, -1], "x": [1, 0, 0]}})",
            "the mount spindle is turned by 180.000 deg against the drawing's; at most 2 deg count as measured");
        row(R"(, "colour": 1)", "the overlay has no key \"colour\"");
        row(R"(, "witnesses": [{"name": "w", "readings": {"X": 100, "Y": -20.5, "Z": -60, "A": 90}, "tool_length": 80,
                "tip": [60, 120.1, 0], "axis": [0, 1, 0]}])",
            "the witness \"w\" is missed: the tip comes to 60.0000, 120.0000, 0.0000 mm, 0.1000 mm off, the tool axis 0.0000 deg off");
    }
    void what_is_refused()
    {
        QFETCH(QString, members);
        QFETCH(QString, message);
        const auto machine = laid("machines/brae-4r.json", members.toStdString());
        QVERIFY(!machine.ok());
        QCOMPARE(QString::fromStdString(machine.error().message), message);
        QVERIFY(machine.error().place.line == 1 && machine.error().place.column > 1);
        QVERIFY(!machine.error().cure.empty());
    }

    void of_another_machine()
    {
        const auto loaded =
            load_demo("setting-circle-second", {{"overlays/brae-4r-second.json", "machines/brae-4r.json", "machines/tarn-3.json"}});
        QVERIFY(!loaded.ok());
        QCOMPARE(QString::fromStdString(loaded.error().message),
                 QString("the overlay belongs to machines/tarn-3.json, the post to machines/brae-4r.json"));
        QCOMPARE(QString::fromStdString(loaded.error().place.file), QString("overlays/brae-4r-second.json"));
    }

    void without_its_machine()
    {
        OverlayFiles files;
        const std::string path = demo_folder() + "/overlays/brae-4r-second.json";
        const std::string text = read_file(path);
        const auto refused = [&](const char* by) {
            std::string other = text;
            const std::string machine = "\"machines/brae-4r.json\"";
            other.replace(other.find(machine), machine.size(), by);
            const auto document = json::Document::parse(other, "o.json");
            const auto named = machine_of_overlay(*document);
            return named ? QString() : QString::fromStdString(named.error().text());
        };
        const QString wanted =
            "o.json:5:14: the overlay does not say which machine it belongs to; add \"machine\": the machine's file, from "
            "the project's folder";
        for (const char* by : {"3", "null", "\"\"", "\"/etc/passwd\"", "\"../machines/brae-4r.json\""}) {
            QCOMPARE(refused(by), wanted);
        }
        QVERIFY(refused("\"machines/other.json\"").isEmpty());
    }

    void checked_by_itself()
    {
        OverlayFiles files;
        const auto checked = check_file(files, demo_folder() + "/overlays/brae-4r-second.json");
        QVERIFY2(checked.ok(), checked ? "" : checked.error().text().c_str());
        QCOMPARE(QString::fromStdString(checked->summary), QString("overlay of machine Brae 4R: 2 witness readings hold"));
    }
};

WEXILUM_TEST(TestOverlay)

} // namespace test_overlay
#include "test_overlay.moc"
