// Cuts taken many at once come out as one by one: reading, solving, choosing, putting aside, writing.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/control_memory.hpp"
#include "core/control/replay_move.hpp"
#include "core/control/subprograms.hpp"
#include "core/geometry/sine_cosine.hpp"
#include "core/io/real_files.hpp"
#include "core/path/excursion.hpp"
#include "core/path/outline.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/rules/description.hpp"
#include "core/rules/rule_counts.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/path_choice.hpp"
#include "core/toolpath/memory_records.hpp"
#include "core/toolpath/readers/cl_reader.hpp"
#include "core/toolpath/record_spool.hpp"
#include "core/toolpath/records_ahead.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/moves.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <fmt/format.h>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_runs {

namespace {

/// Hands records on one by one, whatever its source has at hand.
class OneByOne final : public RecordSource {
public:
    explicit OneByOne(RecordSource& records) : records_(records) {}
    Result<bool> next(Record& out) override { return records_.next(out); }
    [[nodiscard]] const std::vector<std::string>& files() const override { return records_.files(); }

private:
    RecordSource& records_;
};

std::string told(const FindingList& findings)
{
    std::string out;
    for (const Finding& f : findings.list()) {
        out += fmt::format("{} x{} {}..{} {}..{} {:.9g} {} {}\n", f.kind, f.count, f.source.line, f.last_source_line, f.code.line,
                           f.last_code_line, f.worst, f.worst_source.line, f.message);
    }
    return out;
}

struct Posted {
    std::string code;
    std::string findings;
    std::vector<Source> sources;
    Outline outline;
    std::uint64_t linear = 0; ///< events seen
    std::vector<Excursion> excursions;
};

Posted posted(const Assembly& a, bool one_by_one, int threads)
{
    MemoryRecords records(a.toolpath);
    OneByOne single(records);
    MemoryScratch scratch;
    CodeText code;
    const RunSummary run = post(a, one_by_one ? static_cast<RecordSource&>(single) : records, scratch, code, threads).value();
    Posted out{code.file.text, told(run.findings), code.file.sources, run.outline, 0, run.excursions};
    for (const EventTally& tally : run.events) {
        out.linear += tally.kind == EventKind::linear ? tally.seen : 0;
    }
    return out;
}

/// Where two texts differ first, for a message.
QString difference(const std::string& a, const std::string& b)
{
    const auto left = lines_of(a);
    const auto right = lines_of(b);
    for (std::size_t i = 0; i < std::min(left.size(), right.size()); ++i) {
        if (left[i] != right[i]) {
            return QString::fromStdString(fmt::format("line {}: \"{}\" and \"{}\"", i + 1, left[i], right[i]));
        }
    }
    return QString("%1 and %2 lines").arg(left.size()).arg(right.size());
}

void compare_ways(const Assembly& a)
{
    const Posted single = posted(a, true, 1);
    for (const int threads : {1, 2}) {
        const Posted many = posted(a, false, threads);
        QVERIFY2(many.code == single.code, qPrintable(difference(many.code, single.code)));
        QVERIFY2(many.findings == single.findings, qPrintable(difference(many.findings, single.findings)));
        QVERIFY(many.sources == single.sources);
        QCOMPARE(many.linear, single.linear);
        QCOMPARE(many.outline.records, single.outline.records);
        QCOMPARE(many.outline.motions, single.outline.motions);
        QCOMPARE(many.outline.operations.size(), single.outline.operations.size());
        for (std::size_t i = 0; i < single.outline.operations.size(); ++i) {
            QCOMPARE(many.outline.operations[i].records, single.outline.operations[i].records);
            QCOMPARE(many.outline.operations[i].low, single.outline.operations[i].low);
            QCOMPARE(many.outline.operations[i].high, single.outline.operations[i].high);
            QCOMPARE(many.outline.operations[i].turns_in_cuts, single.outline.operations[i].turns_in_cuts);
        }
    }
}

/// The replay's report on code, with as many threads; the path's records one by one, which keeps cuts from being compared many at once, or
/// not.
std::string proof(const Assembly& a, const std::string& code, const std::vector<Excursion>& excursions, bool one_by_one, int threads)
{
    MemoryRecords records(a.toolpath);
    OneByOne single(records);
    TextSource text(code);
    TextSource ahead(code);
    const auto report = replay(a, one_by_one ? static_cast<RecordSource&>(single) : records, excursions, {{"code", &text, &ahead}}, false,
                               nullptr, {}, threads);
    const ReplayReport& r = report.value();
    return fmt::format("{} {} {} {:.17g} {:.17g} {:.17g} {:.17g} {:.17g} {:.17g} {}:{}\n{}", r.compared, r.uncovered, r.extra,
                       r.at_records.tip, r.at_records.axis, r.between.tip, r.between.axis, r.feed_error_percent, r.worst_ratio,
                       r.worst_source.line, r.worst_code.line, told(r.findings));
}

/// Keeps what a control does, as text; takes cuts many at once or not.
class Diary final : public ReplaySink {
public:
    void cuts(const CutRun& run) override
    {
        together += run.count;
        ReplaySink::cuts(run);
    }
    void move(const ReplayMove& m) override
    {
        text += fmt::format("{} {} {} {} {} {} {} {} {:.17g} {:.17g} {:.17g} {:.17g} {} {:.17g} {} {:.17g} {:.17g} {:.17g}", m.block.value,
                            m.called_by.value, m.feed, m.arc.has_value(), m.at_joint_limit, m.from_known, m.mount, m.tool, m.tool_length,
                            m.seconds, m.feed_precision, m.waited, int(m.spindle), m.spindle_rpm, int(m.coolant), m.length_increment,
                            m.turned_slack, double(m.shifted));
        for (const Readings* readings : {&m.from, &m.to}) {
            text += fmt::format(" {:.17g}", fmt::join(readings->begin(), readings->end(), ","));
        }
        text += '\n';
    }
    void tool_change(BlockNumber block, std::uint32_t tool) override { tell("tool", block, tool); }
    void dwell(BlockNumber block, double seconds) override { tell("dwell", block, seconds); }
    void stop(BlockNumber block, bool optional) override { tell("stop", block, optional ? 1 : 0); }
    void by_hand(BlockNumber block, std::uint32_t mount, const Readings&) override { tell("by hand", block, mount); }
    void program_end(BlockNumber block) override { tell("end", block, 0); }
    std::string text;
    std::size_t together = 0; ///< cuts that came many at once

private:
    void tell(const char* what, BlockNumber block, double value) { text += fmt::format("{} {} {}\n", what, block.value, value); }
};

/// How many cuts a control hands on many at once; what it does has to be the same as one by one.
std::size_t compare_readings(const Assembly& a, const std::string& code)
{
    const auto told_by = [&](Diary& diary, bool together) {
        SubprogramBook subprograms(a.controller);
        for (const std::string& line : lines_of(code)) {
            subprograms.line(line);
        }
        ControlMemory memory = control_memory(a.machine, a.setup);
        memory.subprograms = &subprograms;
        FindingList findings;
        run_text(a.controller, a.machine, memory, {"code", false, 1, together}, code, diary, findings);
        return diary.text + told(findings);
    };
    Diary many;
    Diary single;
    const std::string all = told_by(many, true);
    const std::string each = told_by(single, false);
    if (all != each) {
        qWarning("%s", qPrintable(difference(all, each)));
        QTest::qFail("cuts are read otherwise many at once", __FILE__, __LINE__);
    }
    return many.together;
}

void compare_proofs(const Assembly& a, const std::string& code, const std::vector<Excursion>& excursions)
{
    const std::string single = proof(a, code, excursions, true, 1);
    for (const int threads : {1, 2}) {
        const std::string many = proof(a, code, excursions, false, threads);
        QVERIFY2(many == single, qPrintable(difference(many, single)));
    }
}

/// Code with some of its lines lost, doubled, changed in a digit, without a word, or with a sign turned.
std::string damaged(const std::string& code, std::mt19937& random)
{
    std::vector<std::string> lines = lines_of(code);
    const auto any = [&](std::size_t count) { return std::uniform_int_distribution<std::size_t>(0, count - 1)(random); };
    for (std::size_t wounds = 1 + any(6); wounds > 0; --wounds) {
        const auto line = lines.begin() + std::ptrdiff_t(any(lines.size()));
        const std::size_t digit = line->find_first_of("0123456789", any(line->size() + 1));
        const std::size_t word = line->find(' ', any(line->size() + 1));
        switch (any(5)) {
        case 0: lines.erase(line); break;
        case 1: lines.insert(line, *line); break;
        case 2:
            if (digit != std::string::npos) {
                (*line)[digit] = char('0' + any(10));
            }
            break;
        case 3:
            if (word != std::string::npos) {
                line->erase(word, line->find(' ', word + 1) - word);
            }
            break;
        default:
            if (word != std::string::npos && word + 2 < line->size()) {
                (*line)[word + 2] == '-' ? line->erase(word + 2, 1) : line->insert(word + 2, 1, '-');
            }
        }
    }
    return fmt::format("{}\n", fmt::join(lines, "\n"));
}

void compare_proofs(const Assembly& a)
{
    const Posted code = posted(a, false, 1);
    compare_proofs(a, code.code, code.excursions);
    for (unsigned seed = 1; seed <= 4 && !QTest::currentTestFailed(); seed += WEXILUM_EVERY) {
        std::mt19937 random(seed);
        const std::string wrong = damaged(code.code, random);
        compare_proofs(a, wrong, code.excursions);
        (void)compare_readings(a, wrong);
        if (QTest::currentTestFailed()) {
            qWarning("damaged with seed %u", seed);
        }
    }
}

/// A path with all that ends a run of plain cuts: feeds, rapids, places where the tool stands, steps too small to be written, poles, far
/// places, feeds that a joint can't follow, directions beyond reach.
std::string wandering(std::mt19937& random, int records, bool turning = true)
{
    std::uniform_real_distribution<double> unit(-1, 1);
    std::string cl = fmt::format("MULTAX/ON\nLOADTL/{}\n", turning ? 5 : 1) + "SPINDL/5000,CLW\nFEDRAT/900,MMPM\nRAPID\n";
    Vec3 tip(10 * unit(random), 10 * unit(random), 25);
    double tilt = 20 * unit(random);
    double azimuth = 180 * unit(random);
    double tilts = 0.5 * unit(random);
    double turns = 2 * unit(random);
    for (int i = 0; i < records; ++i) {
        const double what = std::abs(unit(random));
        double step = 0.7;
        if (what < 0.02) {
            cl += fmt::format("FEDRAT/{:.1f},MMPM\n", 200 + 1500 * std::abs(unit(random)));
        } else if (what < 0.03) {
            cl += "RAPID\n";
        } else if (what < 0.04) {
            tilts = 0.5 * unit(random);
            turns = what < 0.035 ? 0 : 3 * unit(random);
        } else if (what < 0.045) {
            tilt = 0; // a pole on some machines
        } else if (what < 0.05) {
            step = 80;
        } else if (what < 0.09) {
            step = 1e-4;
        } else if (what < 0.095) {
            cl += "DELAY/0.5\n";
        } else if (what < 0.097) {
            tilts = 1.5; // on towards travel's end
        } else if (what < 0.1) {
            step = 0;
        }
        tip += step * Vec3(unit(random), unit(random), 0.3 * unit(random));
        tilt += step < 0.01 ? 0 : tilts;
        azimuth += step < 0.01 ? 0 : turns;
        tilts = std::abs(tilt) > 100 ? -tilts : tilts;
        tilt = turning ? tilt : 0;
        const Vec3 axis(std::sin(to_rad(tilt)) * std::cos(to_rad(azimuth)), std::sin(to_rad(tilt)) * std::sin(to_rad(azimuth)),
                        std::cos(to_rad(tilt)));
        cl += fmt::format("GOTO/{:.6f},{:.6f},{:.6f},{:.{}f},{:.9f},{:.9f}\n", tip.x(), tip.y(), tip.z(), axis.x(), i % 40 == 0 ? 16 : 9,
                          axis.y(), axis.z()); // some with more digits than are read in one go
    }
    return cl + "FINI\n";
}

std::vector<Record> all_of(RecordSource& source, bool runs)
{
    std::vector<Record> out;
    LinearRun run;
    for (;;) {
        Record record;
        if (runs && source.next_run(run)) {
            for (std::size_t i = 0; i < run.count; ++i) {
                run.get(i, record);
                out.push_back(record);
            }
            continue;
        }
        if (!source.next(record).value()) {
            return out;
        }
        out.push_back(record);
    }
}

void compare_records(const std::vector<Record>& got, const std::vector<Record>& wanted)
{
    QCOMPARE(got.size(), wanted.size());
    for (std::size_t i = 0; i < got.size(); ++i) {
        QCOMPARE(got[i].source.line.value, wanted[i].source.line.value);
        QCOMPARE(got[i].source.file, wanted[i].source.file);
        QCOMPARE(got[i].data.index(), wanted[i].data.index());
        const Pose* a = end_pose(got[i].data);
        const Pose* b = end_pose(wanted[i].data);
        QVERIFY((a == nullptr) == (b == nullptr));
        if (a != nullptr) {
            QCOMPARE(a->tip, b->tip);
            QCOMPARE(a->axis, b->axis);
        }
    }
}

} // namespace

class TestRuns : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void angles_and_sines_are_those_of_one_by_one_and_of_the_library()
    {
        std::mt19937 random(20261127);
        qInfo("seed 20261127");
        std::uniform_real_distribution<double> angle(-20, 20);
        for (const std::size_t count : {std::size_t{1}, std::size_t{31}, std::size_t{32}, std::size_t{33}, std::size_t{100}}) {
            for (int part = 0; part < 20; ++part) {
                Column wanted;
                Column sine;
                Column cosine;
                for (std::size_t i = 0; i < count; ++i) {
                    wanted[i] = angle(random);
                }
                sines_and_cosines(wanted.data(), count, sine.data(), cosine.data());
                for (std::size_t i = 0; i < count; ++i) {
                    const SineCosine single = sine_and_cosine(wanted[i]);
                    QVERIFY(sine[i] == single.sine && cosine[i] == single.cosine);
                    QVERIFY(std::abs(sine[i] - std::sin(wanted[i])) < 3e-16 && std::abs(cosine[i] - std::cos(wanted[i])) < 3e-16);
                    Four lane_sine;
                    Four lane_cosine;
                    sine_and_cosine(in_each<Four>(wanted[i]), lane_sine, lane_cosine);
                    QVERIFY(lane_sine[3] == single.sine && lane_cosine[1] == single.cosine);
                }
            }
        }
    }

    void branches_are_those_of_one_by_one_data()
    {
        QTest::addColumn<QString>("machine");
        QTest::newRow("table-table") << QString::fromStdString(table_table_json());
        QTest::newRow("head-head") << QString::fromStdString(head_head_json());
        QTest::newRow("head-table") << QString::fromStdString(head_table_json());
        QTest::newRow("nutating") << QString::fromStdString(nutating_json());
    }
    void branches_are_those_of_one_by_one()
    {
        QFETCH(QString, machine);
        const Machine m = machine_from(machine.toStdString());
        const auto solver = InverseSolver::make(Kinematics::make(m).value()).value();
        std::mt19937 random(7);
        qInfo("seed 7");
        std::uniform_real_distribution<double> unit(-1, 1);
        std::size_t solved = 0;
        for (int part = 0; part < 200; ++part) {
            LinearRun run;
            double tilt = 60 * unit(random);
            double azimuth = 180 * unit(random);
            for (std::size_t i = 0; i < longest_run; ++i) {
                tilt += unit(random);
                azimuth += 3 * unit(random);
                run.add(leaning(part % 10 == 0 && i % 17 == 0 ? 0 : tilt, azimuth, 50 * Vec3(unit(random), unit(random), unit(random))),
                        Source());
            }

            BranchRun found;
            for (std::size_t at = 0; at < run.count;) {
                const std::size_t end = at + solver.branches_along(run, at, run.count, 80, found);
                solved += end - at;
                for (; at < end; ++at) {
                    const Branches one = solver.branches(run.pose(at).axis);
                    const Branches same = found.at(at);
                    QCOMPARE(one.count, 2);
                    QCOMPARE(same.pole, one.pole);
                    for (std::size_t b = 0; b < 2; ++b) {
                        const Vec3 linear = solver.linear_readings(one.sine[b], one.cosine[b], run.pose(at).tip, 80);
                        for (std::size_t joint = 0; joint < 2; ++joint) {
                            QVERIFY(same.turns[b][joint] == one.turns[b][joint]);
                        }
                        for (std::size_t k = 0; k < 3; ++k) {
                            QVERIFY(found.linear[b][k][at] == linear[Eigen::Index(k)]);
                        }
                    }
                }
                ++at; // one that stands apart
            }
        }
        QVERIFY(solved > 10000);
    }

    void demo_jobs_come_out_alike_data()
    {
        QTest::addColumn<QString>("job");
        const RealFileSystem files;
        const auto names = job_names(files, demo_folder());
        for (std::size_t i = 0; i<names.size(); i += WEXILUM_EVERY> 1 ? 3 : 1) {
            QTest::newRow(names[i].c_str()) << QString::fromStdString(names[i]);
        }
    }
    void demo_jobs_come_out_alike()
    {
        QFETCH(QString, job);
        const auto loaded = load_demo(job.toStdString());
        if (!loaded) {
            QVERIFY(job.startsWith("fails-"));
            return;
        }
        compare_ways(*loaded);
        compare_proofs(*loaded);
    }

    void wandering_paths_come_out_alike_data()
    {
        QTest::addColumn<QString>("job");
        QTest::addColumn<bool>("head_head");
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 24; seed += WEXILUM_EVERY) {
            QTest::addRow("table-table, seed %d", seed) << "mirror-back-face" << false << seed;
            QTest::addRow("head-head, seed %d", seed) << "mirror-back-face" << true << seed;
            QTest::addRow("linear joints alone, seed %d", seed) << "mirror-cell" << false << seed;
        }
    }
    void wandering_paths_come_out_alike()
    {
        QFETCH(QString, job);
        QFETCH(bool, head_head);
        QFETCH(int, seed);
        std::mt19937 random(static_cast<std::uint32_t>(seed));
        Assembly a = demo_with_toolpath(job.toStdString(), wandering(random, 900, job != "mirror-cell")).value();
        if (head_head) {
            put_on_head_head(a);
        }
        if (seed % 3 == 0) {
            a.controller.feed_most = 40; // words are clamped
        }
        if (seed % 4 == 1) {
            a.dialect.rotary_feed = RotaryFeedStyle::per_minute;
        }
        QVERIFY(posted(a, false, 1).linear > 200);
        compare_ways(a);
        compare_proofs(a);
    }

    void plain_cuts_are_told_many_at_once_data()
    {
        QTest::addColumn<QString>("job");
        QTest::newRow("five axes") << "mirror-back-face";
        QTest::newRow("three axes") << "mirror-cell";
    }
    void plain_cuts_are_told_many_at_once()
    {
        QFETCH(QString, job);
        std::mt19937 random(3);
        const Assembly a = demo_with_toolpath(job.toStdString(), wandering(random, 900, job != "mirror-cell")).value();
        const std::string code = posted(a, false, 1).code;
        const std::size_t together = compare_readings(a, code);
        QVERIFY2(together > 600, qPrintable(QString::number(together)));
    }

    void rules_see_and_do_the_same_data()
    {
        QTest::addColumn<QString>("rules");
        const auto counted = [](const char* body) { // a handler that counts its cuts
            return QString("local n = 0\nfunction on.linear(e)\n n = n + 1\n %1\nend").arg(QString::fromLatin1(body));
        };
        QTest::newRow("looks on") << "local low = 0\nfunction on.linear(e)\n if e.z < low then low = e.z end\n e:native()\nend\nfunction "
                                     "on.program_end(e)\n comment('LOW '..low)\n e:native()\nend";
        QTest::newRow("by position") << "on.linear = positional(function(x, y, z) native() end)";
        QTest::newRow("leaves some out") << counted("if n % 7 ~= 0 then e:native() end");
        QTest::newRow("writes before") << counted("if n % 50 == 0 then comment('N '..n) end\n e:native()");
        QTest::newRow("writes after") << counted("e:native()\n if n % 50 == 0 then comment('N '..n) end");
        QTest::newRow("asks before") << "local sum = 0\nfunction on.linear(e)\n sum = sum + (e:axis('C') or 0)\n e:native()\nend\nfunction "
                                        "on.program_end(e)\n comment(string.format('SUM %.3f', sum))\n e:native()\nend";
        QTest::newRow("asks after") << "local sum = 0\nfunction on.linear(e)\n e:native()\n sum = sum + (e:reading('X') or "
                                       "0)\nend\nfunction on.program_end(e)\n comment(string.format('SUM %.3f', sum))\n e:native()\nend";
        QTest::newRow("remarks") << counted(
            "if n % 90 == 0 then remark('here') end\n e:native()\n if n % 110 == 0 then remark('there') end");
        QTest::newRow("fails") << counted("if n % 80 == 0 then error('no') end\n e:native()\n if n % 99 == 0 then error('late') end");
        QTest::newRow("fails for good") << counted("e:native()\n if n == 300 then while true do end end");
        QTest::newRow("works hard in some that follow each other")
            << counted("if n >= 300 and n < 303 then for i = 1, 9000000 do end end\n e:native()");
        QTest::newRow("asks for fields by and by")
            << "local n, sum = 0, 0\nfunction on.linear(e)\n n = n + 1\n if n > 150 then sum = sum + e.x "
               "end\n if n % 70 == 0 then sum = sum + e.z end\n e:native()\nend\nfunction "
               "on.program_end(e)\n comment(string.format('SUM %.6f', sum))\n e:native()\nend";
        QTest::newRow("works in a coroutine") << counted(
            "coroutine.wrap(function() e:native()\n if n % 64 == 0 then comment('N '..n) end end)()");
        QTest::newRow("twice") << counted("e:native()\n if n % 40 == 0 then e:native() end");
        QTest::newRow("retracts") << counted("if n % 120 == 0 then retract() end\n e:native()");
        QTest::newRow("stops and dwells") << counted("e:native()\n if n % 130 == 0 then dwell(0.5) end\n if n % 170 == 0 then stop() end");
        QTest::newRow("forgets") << counted("if n % 60 == 0 then forget('axes') end\n if n % 75 == 0 then forget() end\n e:native()");
        QTest::newRow("turns the spindle off") << counted("if n % 77 == 0 then spindle_off() end\n e:native()");
        QTest::newRow("writes a word") << counted("e:native()\n if n % 66 == 0 then emit{feed = 77} end");
        QTest::newRow("writes text") << counted("if n % 45 == 0 then text('G94 F50') end\n e:native()");
        QTest::newRow("feeds") << "function on.feed(e)\n e.value = e.value * 2\n e:native()\nend\nfunction on.linear(e) e:native() end";
    }
    void rules_see_and_do_the_same()
    {
        QFETCH(QString, rules);
        for (std::uint32_t seed = 31; seed < 34; ++seed) {
            std::mt19937 random(seed);
            Assembly a = demo_with_toolpath("mirror-back-face", wandering(random, 700)).value();
            a.rulebook = {"rulebooks/test", {{"rulebook.lua", rules.toStdString()}}};
            const bool fails = rules.contains("error(") || rules.contains("while true");
            QCOMPARE(posted(a, true, 1).findings.find("rule-failed") != std::string::npos, fails);
            compare_ways(a);
        }
    }

    void records_come_out_of_every_source_alike()
    {
        std::mt19937 random(3);
        const std::string text = "PARTNO/RUNS\n" + wandering(random, 2000) + "GOTO/1,2,3\nGOTO / 1 , 2 , 3\nGOTO/1,2,3,$\n0,0,1\n";
        TextSource bytes(text);
        Toolpath path;
        QVERIFY(read_cl(bytes, "runs.cl", path).ok());
        MemoryRecords memory(path);
        compare_records(all_of(memory, true), path.records);
        {
            MemoryRecords source(path);
            RecordsAhead ahead(source);
            compare_records(all_of(ahead, true), path.records);
        }
        {
            MemoryRecords source(path);
            RecordsAhead ahead(source); // runs were read, records are taken
            compare_records(all_of(ahead, false), path.records);
        }
        TextSource again(text);
        ClReader reader(again, "runs.cl", 0);
        std::vector<Record> read;
        LinearRun run;
        std::size_t runs = 0;
        for (Record record;;) {
            if (reader.next_run(run)) {
                ++runs;
                for (std::size_t i = 0; i < run.count; ++i) {
                    run.get(i, record);
                    read.push_back(record);
                }
            } else if (reader.next(record).value()) {
                read.push_back(record);
            } else {
                break;
            }
        }
        QVERIFY(runs > 10);
        compare_records(read, path.records);
    }

    void an_error_behind_a_run_is_told_where_it_is()
    {
        std::string text = "MULTAX/ON\n";
        for (int i = 0; i < 200; ++i) {
            text += fmt::format("GOTO/{},0,0,0,0,1\n", i);
        }
        text += "GOTO/1,2,oops\n";
        TextSource bytes(text);
        ClReader reader(bytes, "bad.cl", 0);
        LinearRun run;
        Record record;
        QVERIFY(!reader.next_run(run)); // MULTAX comes first
        QVERIFY(reader.next(record).ok());
        std::size_t count = 1;
        while (reader.next_run(run)) {
            count += run.count;
        }
        QCOMPARE(count, std::size_t{200});
        const auto failed = reader.next(record);
        QVERIFY(!failed);
        QCOMPARE(QString::fromStdString(failed.error().place.text()), QString("bad.cl:202:10"));
    }

    void a_spool_gives_runs_and_records_in_their_order()
    {
        std::mt19937 random(11);
        const std::string text = wandering(random, 1000);
        TextSource bytes(text);
        Toolpath path;
        QVERIFY(read_cl(bytes, "runs.cl", path).ok());
        for (const bool runs : {true, false}) {
            MemorySpool spool;
            RecordSpoolWriter writer(spool);
            MemoryRecords source(path);
            LinearRun run;
            for (Record record;;) {
                if (source.next_run(run)) {
                    writer.put(run);
                } else if (source.next(record).value()) {
                    writer.put(record);
                } else {
                    break;
                }
            }
            QVERIFY(writer.flush().ok());
            RecordSpoolReader reader(spool);
            std::vector<Record> read;
            for (Record record;;) {
                if (runs && reader.next_run(run)) {
                    for (std::size_t i = 0; i < run.count; ++i) {
                        run.get(i, record);
                        read.push_back(record);
                    }
                } else if (reader.next(record)) {
                    read.push_back(record);
                } else {
                    break;
                }
            }
            compare_records(read, path.records);
        }
    }
};

WEXILUM_TEST(TestRuns)

} // namespace test_runs
#include "test_runs.moc"
