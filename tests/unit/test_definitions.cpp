// Readers of machine, controller, dialect, setup, job and post: exact errors for what a person gets wrong.
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_definitions {

namespace {

QString load_error(const std::string& job, const Edit& edit)
{
    const auto loaded = load_demo(job, {edit});
    return loaded ? QString("no error") : QString::fromStdString(loaded.error().text());
}

} // namespace

class TestDefinitions : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void errors_data()
    {
        QTest::addColumn<QString>("job");
        QTest::addColumn<QString>("file");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("wanted");
        const auto row = [](const char* name, const char* job, const char* file, const char* from, const char* to, const char* wanted) {
            QTest::newRow(name) << job << file << from << to << wanted;
        };
        const char* five = "mirror-back-face";
        const char* three = "mirror-cell";
        const char* m5 = "machines/tarn-5t.json";
        row("axis not a unit vector", five, m5, R"("direction": [0, 0, 1], "point": [3.75, -1.5, 0])",
            R"("direction": [0, 0.1, 1], "point": [3.75, -1.5, 0])",
            "machines/tarn-5t.json:16:63: \"direction\" has length 1.0049876, not 1; give a unit vector with seven decimals or more");
        row("unknown parent", five, m5, R"("parent": "B")", R"("parent": "D")",
            "machines/tarn-5t.json:16:45: no joint \"D\" is defined above; name \"base\" or a joint listed before this one");
        row("travel turned", five, m5, "[-110, 110]", "[110, -110]",
            "machines/tarn-5t.json:14:44: the travel's low end is not below its high end; write [low, high]");
        row("tool-relative head", five, m5, R"("travel": [-320, 320])", R"("reading": "tool-relative", "travel": [-320, 320])",
            "machines/tarn-5t.json:8:17: the joint \"X\" carries the tool, so it can't read tool-relative; leave \"reading\" out: only a "
            "joint that carries the work can be read the other way");
        row("no speed", five, m5, R"("speed": 24000, "acceleration": 4500, "jerk": 60000},
    {"id": "Y")",
            R"("acceleration": 4500, "jerk": 60000},
    {"id": "Y")",
            "machines/tarn-5t.json:7:5: the joint lacks \"speed\"; add \"speed\": a number");
        row("home outside", five, m5, R"("travel": [-540, 0], "home": 0)", R"("travel": [-540, -1], "home": 0)",
            "machines/tarn-5t.json:12:36: the home of \"Z\" lies outside its travel; give a home inside the travel");
        row("other format", five, m5, "machine/1", "machine/2",
            "machines/tarn-5t.json:2:13: the format is \"machine/2\", not \"machine/1\"; write \"format\": \"machine/1\", or use another "
            "file");
        row("unknown function", three, "controllers/morrow-m.json", R"("does": "dwell")", R"("does": "pause")",
            "controllers/morrow-m.json:10:20: no function is called \"pause\"; docs/formats/controller.md lists the functions");
        row("word twice", three, "controllers/morrow-m.json", R"("G4":)", R"("G04": {"does": "dwell"}, "G4":)",
            "controllers/morrow-m.json:10:37: the word G4 appears twice; G1 and G01 are the same word: keep one");
        row("no word", three, "controllers/morrow-m.json", R"("G4":)", R"("?4":)",
            "controllers/morrow-m.json:10:11: \"?4\" is not a word; write a capital letter and its number, like G1");
        row("power-on word", three, "controllers/morrow-m.json", R"("power_on": ["G0",)", R"("power_on": ["G00", "G7",)",
            "controllers/morrow-m.json:31:15: the power-on word G7 is not among the words; add it to \"words\"");
        row("unknown field", three, "dialects/morrow-m.json", "T{tool} M6", "T{tol} M6",
            "dialects/morrow-m.json:45:68: nothing is called \"tol\" (character 3 of the text); the names are: program, number, machine, "
            "date, operation, operation_id, work, next_operation, operations, tool, tool_name, tool_length, next_tool, next_tool_name, "
            "tools, "
            "spindle, speed, coolant, feed, block");
        row("unknown slot", three, "dialects/morrow-m.json", R"("feed-mode": ["feed"])", R"("feed-mode": ["fed"])",
            "dialects/morrow-m.json:33:19: no slot is called \"fed\"; use one of: motion, plane, distance, units, feed-mode, offset, "
            "length, compensation, cycle-return, spindle, coolant, frame, rotation, once, axes, centre, radius, feed, inverse-feed, speed, "
            "tool, "
            "length-register, dwell, cycle-clearance, cycle-depth, cycle-step, cycle-dwell, loop-count, plane-zero, plane-number, "
            "subprogram, rotation-angle");
        row("dialect without a joint", five, "dialects/calder-t.json", R"(, "C": {"word": "C"})", "",
            "dialects/calder-t.json: the dialect has no word for the joint \"C\"; add it under \"axes\"");
        row("offset without a joint", five, "setups/mirror-back.json", R"(, "C": {"angle": 0})", "",
            "setups/mirror-back.json: the offset register 1 has no value for the joint \"C\"; state it, even where it is zero");
        row("other holder", five, "setups/mirror-back.json", R"("holder": "table")", R"("holder": "vice")",
            "setups/mirror-back.json:5:11: the part is held by \"vice\", which is not a work mount of the machine; name one under "
            "\"part\", "
            "like \"table\"");
        row("tool twice", three, "setups/mirror-cell.json", R"("number": 2)", R"("number": 1)",
            "setups/mirror-cell.json:12:5: the tool 1 appears twice; keep one of the two");
        row("register twice", three, "setups/mirror-cell.json", R"("length_register": 2)", R"("length_register": 1)",
            "setups/mirror-cell.json:12:5: the length register 1 is used twice; give each tool its own");
        row("out of the project", three, "jobs/mirror-cell.json", "setups/mirror-cell.json", "../secret.json",
            "jobs/mirror-cell.json:8:12: \"../secret.json\" leads out of the project; write a path from the project's folder");
        row("toolpath missing", three, "jobs/mirror-cell.json", "toolpaths/cell-pockets.cl", "toolpaths/nowhere.cl",
            "jobs/mirror-cell.json:12:5: the toolpath toolpaths/nowhere.cl of the operation 10 can't be read: No such file or directory; "
            "correct the path, or put the file there");
        row("no offset register", three, "jobs/mirror-cell.json", R"("work_offset": "1")", R"("work_offset": "4")",
            "setups/mirror-cell.json: the setup has no offset register 4; add the register under \"offsets\", or name another one in the "
            "job");
        row("post broken", three, "posts/tarn-3.json", R"("version": "0.1.0",)", "",
            "posts/tarn-3.json:1:1: the post lacks \"version\"; add \"version\": a text");
        row("controller witness", three, "controllers/morrow-m.json",
            R"("G2": {"does": "arc-clockwise"}, "G3": {"does": "arc-counter-clockwise"})",
            R"("G3": {"does": "arc-clockwise"}, "G2": {"does": "arc-counter-clockwise"})",
            "controllers/morrow-m.json:47:5: the witness \"G2 in XY runs clockwise seen from +Z\" is missed: half-way X is at 17.0711 "
            "instead of 2.9289; check the words, numbers and offsets of the controller, or the witness itself");
    }
    void errors()
    {
        QFETCH(QString, job);
        QFETCH(QString, file);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, wanted);
        QCOMPARE(load_error(job.toStdString(), {file.toStdString(), from.toStdString(), to.toStdString()}), wanted);
    }

    void unknown_job_lists_the_others()
    {
        const auto loaded = load_demo("mirror");
        QVERIFY(!loaded.ok());
        QVERIFY(QString::fromStdString(loaded.error().cure)
                    .startsWith("its jobs are: fails-batch-relies-on-first, fails-beyond-travel, fails-blade-overruns, "
                                "fails-cylinder-beside-axis, fails-head-between-marks, "
                                "fails-head-meets-turntable, "
                                "fails-head-points-elsewhere, fails-head-without-length, fails-pair-swapped, fails-quill-too-short, "
                                "fails-rule-without-end, "
                                "fails-shift-left-on, fails-table-too-fast, "
                                "fails-tilt-beyond-travel, fails-tool-without-length, fails-turns-back, fails-turns-while-low, "
                                "fails-unreachable-direction, focuser-hub, focuser-hub-by-calls, focuser-hub-copies, fork-arm, "
                                "fork-arm-silent, hub-pair, mirror-back-batch, "
                                "mirror-back-face, mirror-back-rows, mirror-back-swivel, mirror-back-table, "
                                "mirror-cell, "
                                "mirror-cell-batch, mirror-cell-by-calls, "
                                "mirror-cell-sides, mirror-cell-sides-lean, mirror-edge, pier-cap, pier-cap-milled-first, setting-circle, "
                                "setting-circle-second, setting-numerals, "
                                "setting-numerals-by-mode"));
    }

    void inches_and_radians() // the same machine in other units is the same machine
    {
        const std::string text = R"({"format": "machine/1", "units": {"length": "inch", "angle": "rad"}, "name": "t", "joints": [
            {"id": "X", "kind": "linear", "parent": "base", "direction": [1, 0, 0], "travel": [-10, 10], "speed": 60},
            {"id": "C", "kind": "rotary", "parent": "X", "direction": [0, 0, 1], "point": [1, 0, 0], "travel": [-3, 3], "speed": 60}],
            "mounts": [{"id": "t", "kind": "tool", "parent": "C", "point": [1, 0, 2], "z": [0, 0, 1], "x": [1, 0, 0]},
                       {"id": "w", "kind": "work", "parent": "base", "point": [0, 0, 0], "z": [0, 0, 1], "x": [1, 0, 0]}],
            "witnesses": [{"name": "w", "readings": {"X": 1, "C": 1}, "tip": [2, 0, 2], "axis": [0, 0, 1]}]})";
        const Machine machine = machine_from(text);
        QCOMPARE(machine.joints[0].travel->high, 254.0);
        QCOMPARE(machine.joints[0].speed, 25.4);
        QCOMPARE(machine.joints[1].speed, 1.0);
        QCOMPARE(machine.joints[1].point.x(), 25.4);
    }

    void words_are_compared_by_value()
    {
        QCOMPARE(normalised_word("g01"), std::string("G1"));
        QCOMPARE(normalised_word("G43.40"), std::string("G43.4"));
        QCOMPARE(normalised_word("M00"), std::string("M0"));
        QCOMPARE(normalised_word("G5.0"), std::string("G5"));
    }
};

WEXILUM_TEST(TestDefinitions)

} // namespace test_definitions
#include "test_definitions.moc"
