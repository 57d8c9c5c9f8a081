// What is kept of a run for whoever looks at it: lines and the records behind them, motions, deviations, and why a block is as it is.
#include "core/base/units.hpp"
#include "core/io/real_files.hpp"
#include "core/project/job_run.hpp"
#include "core/run/block_probe.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QtTest>

#include <thread>

using namespace wexilum;
using namespace wexilum::test;

namespace test_job_run {

namespace {

/// A job of the demo, posted and replayed, with some of its files replaced.
struct Ran {
    OverlayFiles files;
    MemoryScratch scratch;
    SteadyClock clock;
    std::shared_ptr<const PostedJob> posted;
    std::shared_ptr<const ReplayedCode> replayed;

    explicit Ran(const std::string& job, const std::map<std::string, std::string>& replaced = {})
    {
        for (const auto& [path, text] : replaced) {
            files.replaced[demo_folder() + "/" + path] = text;
        }
        posted = post_job(files, demo_folder(), job, scratch, clock).value();
        replayed = replay_posted(files, demo_folder(), *posted, posted->code_name, posted->code.lines().text(), false, clock).value();
    }
    BlockTrace why(std::uint32_t line)
    {
        JobRecords records(files, demo_folder(), posted->assembly.job);
        return trace_block(posted->assembly, records, scratch, line).value();
    }
    /// The first line (from 1) that holds a text.
    std::uint32_t line_with(const char* text) const
    {
        for (std::uint32_t i = 0; i < posted->code.lines().size(); ++i) {
            if (posted->code.lines().holds(i, text)) {
                return i + 1;
            }
        }
        qFatal("no line holds %s", text);
        return 0;
    }
};

const char* const square = R"(PARTNO/SQUARE
LOADTL/1
SPINDL/RPM,3000,CLW
FEDRAT/600,MMPM
RAPID
GOTO/10,20,5
GOTO/10,20,-1
GOTO/40.12345,20,-1
GOTO/40.12345,50,-1
FINI
)";

/// The demo's mill on the square alone.
std::map<std::string, std::string> square_job(const std::string& text = square)
{
    std::string job = read_file(demo_folder() + "/jobs/mirror-cell.json");
    const std::size_t begin = job.find("\"operations\"");
    job = job.substr(0, begin) + "\"operations\": [{\"id\": \"10\", \"name\": \"square\", \"toolpath\": \"toolpaths/square.cl\"}]}";
    return {{"jobs/mirror-cell.json", job}, {"toolpaths/square.cl", text}};
}

const WordTrace* word(const std::vector<WordTrace>& words, const std::string& text)
{
    const auto found = std::find_if(words.begin(), words.end(), [&](const WordTrace& w) { return w.text == text; });
    return found == words.end() ? nullptr : &*found;
}

} // namespace

class TestJobRun : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void lines();
    void kinds_of_records();
    void lines_and_records();
    void every_line_of_the_demo_has_its_record();
    void motions_by_hand();
    void path_states();
    void why_a_word();
    void what_words_were_rounded_from();
    void every_number_tells_what_it_was_rounded_from_data();
    void every_number_tells_what_it_was_rounded_from();
    void why_a_head_line();
    void why_this_branch();
    void a_probe_changes_nothing();
    void stops_when_asked();
};

void TestJobRun::lines()
{
    LineTable table(std::string("one\r\n\ntwo TWO\nlast"));
    QCOMPARE(table.size(), 4U);
    QCOMPARE(table.line(0), std::string_view("one"));
    QCOMPARE(table.line(1), std::string_view(""));
    QCOMPARE(table.line(3), std::string_view("last"));
    QVERIFY(table.holds(2, "o tw"));
    QVERIFY(!table.holds(3, "two"));
    QCOMPARE(LineTable(std::string("a\n")).size(), 1U);
    QCOMPARE(LineTable(std::string()).size(), 0U);
    LineTable grown;
    grown.add("N1");
    grown.add("N2 X1");
    QCOMPARE(grown.size(), 2U);
    QCOMPARE(grown.line(1), std::string_view("N2 X1"));
    QCOMPARE(grown.longest(), std::size_t(5));
}

namespace {

template <std::size_t... kind>
void check_kinds(std::index_sequence<kind...> /*all*/)
{
    const auto one = [](const RecordData& data) {
        const RecordKind& row = record_kinds[data.index()];
        QVERIFY2((end_pose(data) != nullptr) == (row.motion != MotionKind::no), row.event);
        const auto same = [&](const RecordKind& other) { return std::string_view(other.event) == row.event; };
        QVERIFY2(std::count_if(record_kinds.begin(), record_kinds.end(), same) == 1, row.event);
    };
    (one(RecordData(std::in_place_index<kind>)), ...);
}

} // namespace

/// Each kind of record has a row of its own, and says that it moves the tool where it has a pose to end at.
void TestJobRun::kinds_of_records()
{
    check_kinds(std::make_index_sequence<std::variant_size_v<RecordData>>());
    QCOMPARE(motion_kind(record::Rapid{}), MotionKind::rapid);
    QVERIFY(is_cut(record::Circular{}) && is_cut(record::Linear{}) && !is_cut(record::CyclePoint{}) && !is_cut(record::From{}));
}

void TestJobRun::lines_and_records()
{
    const Ran ran("mirror-cell", square_job());
    const RecordIndex& records = ran.posted->records;
    // The operation itself, then PARTNO to FINI; RAPID is not a record of its own, the GOTO behind it is.
    QCOMPARE(records.size(), std::size_t(10));
    QCOMPARE(records.sources[0].line.value, 0U);
    QCOMPARE(QString::fromLatin1(record_kinds[records.kinds[5]].event), QStringLiteral("rapid motion"));
    QCOMPARE(records.sources[5].line.value, 6U);
    const CodeStore& code = ran.posted->code;
    QCOMPARE(code.record_of(0), CodeStore::no_record);
    QCOMPARE(code.record_of(code.lines().size() - 1), CodeStore::no_record);
    const std::uint32_t cut = ran.line_with("X40.123") - 1;
    QCOMPARE(code.record_of(cut), 7U);
    QCOMPARE(code.line_of(7), cut);
    QCOMPARE(code.line_of(8), cut + 1);
    // A feed writes no line of its own: the next line that is written stands for it.
    QVERIFY(code.line_of(4) <= code.line_of(5));
}

void TestJobRun::every_line_of_the_demo_has_its_record()
{
    for (const char* job : {"mirror-cell", "mirror-back-face"}) {
        const Ran ran(job);
        const CodeStore& code = ran.posted->code;
        std::uint32_t last = 0;
        std::uint32_t without = 0;
        for (std::uint32_t i = 0; i < code.lines().size(); ++i) {
            const std::uint32_t record = code.record_of(i);
            if (record == CodeStore::no_record) {
                ++without;
                continue;
            }
            QVERIFY2(record >= last && record < ran.posted->records.size(), job);
            QVERIFY(code.line_of(record) <= i);
            last = record;
        }
        QVERIFY2(without > 0 && without < 30, job); // head and end
        // Every cut of the replay is measured, none is beyond its budget.
        std::size_t measured = 0;
        for (std::uint32_t line = 1; line <= code.lines().size(); ++line) {
            QVERIFY(ran.replayed->track.measure(line).ratio() <= 1);
            measured += ran.replayed->track.measure(line).tip >= 0 ? 1 : 0;
        }
        QVERIFY(measured > code.lines().size() / 2);
    }
}

void TestJobRun::motions_by_hand()
{
    const Ran ran("mirror-cell", square_job());
    const ReplayTrack& track = ran.replayed->track;
    // Register 1 is X -60, Y 15, Z -578; tool 1 is 96.205 long. Joints are Y, X, Z.
    const std::uint32_t line = ran.line_with("X40.123");
    const auto motion = track.motion_at(line);
    QVERIFY(motion.has_value());
    QCOMPARE(track.motions()[*motion].block, line);
    const Readings r = track.readings(*motion);
    QVERIFY(std::abs(r[1] - (40.123 - 60)) < 1e-9);
    QVERIFY(std::abs(r[0] - (20 + 15)) < 1e-9);
    QVERIFY(std::abs(r[2] - (-1 - 578 + 96.205)) < 1e-9);
    QVERIFY(track.motions()[*motion].feed);
    // 600 mm/min, and at each end at most half of the time in which X has its speed, by 40000 mm/s3.
    const double seconds = double(track.motions()[*motion].time.seconds);
    QVERIFY2(seconds >= 30.123 / 10 - 1e-4 && seconds < 30.123 / 10 + 2 * std::sqrt(10.0 / 40000), qPrintable(QString::number(seconds)));
    const auto& point = track.points()[track.motions()[*motion].last_point];
    QVERIFY(std::abs(point.at[0] - 40.123F) < 1e-4F && std::abs(point.at[1] - 20) < 1e-4F && std::abs(point.at[2] + 1) < 1e-4F);
    // The word is 0.00045 off, the path's end is the record.
    QVERIFY(std::abs(track.measure(line).tip - 0.00045F) < 2e-6F);
    QCOMPARE(track.highest(2), 0.0); // Z begins at home
    QVERIFY(std::abs(track.lowest(2) - (-1 - 578 + 96.205)) < 1e-9);
    QVERIFY(track.begins(0));
    QVERIFY(!track.motion_at(0));
}

void TestJobRun::path_states()
{
    const Ran fits("mirror-cell", square_job());
    const auto states = wexilum::path_states(fits.posted->assembly, fits.replayed->track);
    QCOMPARE(states.size(), fits.replayed->track.motions().size());
    QVERIFY(std::find(states.begin(), states.end(), PathState::fits) != states.end());
    QVERIFY(std::find(states.begin(), states.end(), PathState::beyond_travel) == states.end());
    // X may go to 420: 475 - 60 leaves 5 mm of 840, 481 leaves travel by 1.
    const Ran far("mirror-cell",
                  square_job("LOADTL/1\nSPINDL/RPM,3000,CLW\nFEDRAT/600,MMPM\nRAPID\nGOTO/400,20,5\nGOTO/475,20,5\nGOTO/481,20,5\nFINI\n"));
    const auto seen = wexilum::path_states(far.posted->assembly, far.replayed->track);
    const auto state_at = [&](const char* text) { return seen[*far.replayed->track.motion_at(far.line_with(text))]; };
    QCOMPARE(int(state_at("X475.")), int(PathState::margin_low));
    QCOMPARE(int(state_at("X481.")), int(PathState::beyond_travel));
    QCOMPARE(margin_of(far.posted->assembly.machine.joints[1], -100, 421), std::optional(-1.0));
}

void TestJobRun::why_a_word()
{
    Ran ran("mirror-cell", square_job());
    const std::uint32_t line = ran.line_with("X40.123");
    const BlockTrace trace = ran.why(line);
    QCOMPARE(trace.block, line);
    QCOMPARE(trace.source.line.value, 8U);
    QCOMPARE(trace.event, std::string("linear motion"));
    QCOMPARE(trace.rule, std::string("native linear motion"));
    const WordTrace* x = word(trace.written, "X40.123");
    QVERIFY(x != nullptr);
    QVERIFY(x->exact.has_value());
    QVERIFY(std::abs(*x->exact - 40.12345) < 1e-9);
    QVERIFY(std::abs(x->value - 40.123) < 1e-9);
    QVERIFY(std::abs(x->increment - 0.001) < 1e-12);
    QCOMPARE(x->was, std::optional<std::string>("X10."));
    // Not written, with the line that gave it: Y and Z by the approach, the feed and G1 by the first cut.
    const std::uint32_t first_cut = line - 1;
    const WordTrace* y = word(trace.held, "Y20.");
    QVERIFY(y != nullptr);
    QVERIFY(ran.posted->code.lines().holds(y->since - 1, "Y20."));
    const WordTrace* feed = word(trace.held, "F600.");
    QVERIFY(feed != nullptr);
    QCOMPARE(feed->since, first_cut);
    QVERIFY(ran.posted->code.lines().holds(first_cut - 1, "F600."));
    QVERIFY(word(trace.held, "X10.") == nullptr);
    QVERIFY(trace.choice.empty()); // no rotary joints: nothing to choose
}

void TestJobRun::what_words_were_rounded_from()
{
    // A third of a turn about 0.1111, 0.2222 from 10 to its right; a dwell of 2.00049 s; a hole 9.12345 deep at 33.3333, fed with 101.23
    // mm/min.
    Ran ran("mirror-cell", square_job("LOADTL/1\nSPINDL/RPM,3000.4,CLW\nFEDRAT/601.2345,MMPM\nRAPID\nGOTO/10.1111,0.2222,5\n"
                                      "GOTO/10.1111,0.2222,-1\nCIRCLE/0.1111,0.2222,-1,0,0,1,10\nGOTO/0.1111,10.2222,-1\n"
                                      "DELAY/2.00049\nRAPID\nGOTO/33.3333,0,5\nCYCLE/DRILL,DEPTH,9.12345,CLEAR,2.0001,MMPM,101.23\n"
                                      "GOTO/33.3333,0,0\nCYCLE/OFF\nFINI\n"));
    const auto exact = [&](const char* line, const char* text) {
        const BlockTrace trace = ran.why(ran.line_with(line));
        const WordTrace* found = word(trace.written, text);
        return found != nullptr && found->exact ? *found->exact : std::nan("");
    };
    QVERIFY(std::abs(exact("S3000", "S3000") - 3000.4) < 1e-9);
    QVERIFY(std::abs(exact("F601.2", "F601.2") - 601.2345 / 60) < 1e-12);
    // From the rounded start X10.111: the centre is 9.9999 to its left, and 0.0002 above the start's rounded Y0.222.
    QVERIFY(std::abs(exact("I-10.", "I-10.") + 9.9999) < 1e-9);
    QVERIFY(std::abs(exact("I-10.", "Y10.222") - 10.2222) < 1e-9);
    QVERIFY(std::abs(exact("G4 P2.", "P2.") - 2.00049) < 1e-12);
    QVERIFY(std::abs(exact("G81", "X33.333") - 33.3333) < 1e-9);
    QVERIFY(std::abs(exact("G81", "Z-9.123") + 9.12345) < 1e-9);
    QVERIFY(std::abs(exact("G81", "R2.") - 2.0001) < 1e-9);
    QVERIFY(std::abs(exact("G81", "F101.2") - 101.23 / 60) < 1e-12);
}

void TestJobRun::every_number_tells_what_it_was_rounded_from_data()
{
    QTest::addColumn<QString>("job");
    QTest::newRow("drilling, arcs") << "mirror-cell";
    QTest::newRow("inverse time, moves of many blocks") << "mirror-back-face";
}

void TestJobRun::every_number_tells_what_it_was_rounded_from()
{
    QFETCH(QString, job);
    Ran ran(job.toStdString());
    const std::uint32_t lines = ran.posted->code.lines().size();
    std::size_t numbers = 0;
    std::size_t rounded = 0;
    for (std::uint32_t line = 1; line <= lines; line += lines / 60) {
        for (const WordTrace& w : ran.why(line).written) {
            if (!w.is_number || w.quantity == Quantity::whole) {
                continue;
            }
            QVERIFY2(w.exact.has_value(), qPrintable(QString("line %1, %2").arg(line).arg(w.text.c_str())));
            QVERIFY(std::abs(*w.exact - w.value) <= 0.5 * w.increment * (1 + 1e-6));
            ++numbers;
            rounded += *w.exact != w.value ? 1 : 0;
        }
    }
    QVERIFY(numbers > 60);
    QVERIFY(rounded > 20);
}

void TestJobRun::why_a_head_line()
{
    Ran ran("mirror-cell", square_job());
    const BlockTrace head = ran.why(1);
    QCOMPARE(head.event, std::string("program head"));
    QCOMPARE(head.rule, std::string("section program-head of the dialect, line 1"));
    QVERIFY(head.is_text);
    QVERIFY(head.source == no_source);
    const BlockTrace end = ran.why(ran.posted->code.lines().size());
    QCOMPARE(end.event, std::string("program end"));
    JobRecords records(ran.files, demo_folder(), ran.posted->assembly.job);
    const auto none = trace_block(ran.posted->assembly, records, ran.scratch, 100000);
    QVERIFY(!none.ok());
    QCOMPARE(none.error().text(), std::string("the program has no block 100000; ask for one of its blocks"));
}

void TestJobRun::why_this_branch()
{
    Ran ran("mirror-back-face");
    const BlockTrace trace = ran.why(2411);
    QCOMPARE(trace.postures.size(), std::size_t(2));
    const PostureTrace& taken = trace.postures[trace.postures[0].taken ? 0 : 1];
    const PostureTrace& other = trace.postures[trace.postures[0].taken ? 1 : 0];
    QVERIFY(taken.taken && !other.taken);
    QVERIFY(taken.beyond.empty());
    // The two branches of a table-table machine whose axes are square: B and -B, C half a turn apart.
    QVERIFY(std::abs(taken.readings[3] + other.readings[3]) < 1e-6);
    QVERIFY(std::abs(std::abs(wrapped(taken.readings[4] - other.readings[4])) - pi) < 1e-6);
    // And the one taken is where the replay finds the machine.
    const Readings there = ran.replayed->track.readings(*ran.replayed->track.motion_at(2411));
    QVERIFY(std::abs(taken.readings[3] - there[3]) < to_rad(0.001));
    QVERIFY(std::abs(taken.readings[4] - there[4]) < to_rad(0.001));
    QVERIFY(!trace.choice.empty());
}

void TestJobRun::a_probe_changes_nothing()
{
    // Whatever line is asked for, its words are those of the code.
    for (const char* job : {"mirror-cell", "mirror-back-face"}) {
        Ran ran(job);
        const auto& lines = ran.posted->code.lines();
        for (std::uint32_t line = 1; line <= lines.size(); line += 1 + lines.size() / (100 / WEXILUM_EVERY)) {
            const BlockTrace trace = ran.why(line);
            if (trace.is_text) {
                continue;
            }
            std::string text;
            for (const WordTrace& w : trace.written) {
                text += (text.empty() ? "" : " ") + w.text;
            }
            const std::string_view there = lines.line(line - 1);
            QCOMPARE(QString::fromStdString(text), QString::fromUtf8(there.data(), qsizetype(there.size())).section(QLatin1Char(' '), 1));
            for (const WordTrace& w : trace.held) {
                QVERIFY2(w.since < line && lines.holds(w.since - 1, w.text), w.text.c_str());
            }
        }
    }
}

void TestJobRun::stops_when_asked()
{
    std::string text = "LOADTL/1\nSPINDL/RPM,3000,CLW\nFEDRAT/600,MMPM\n";
    for (int i = 0; i < 40000; ++i) {
        text += "GOTO/" + std::to_string(i % 100) + "," + std::to_string(i % 7) + ",0\n";
    }
    const Ran whole("mirror-cell", square_job(text));
    QVERIFY(whole.posted->code.lines().size() > 39000);
    OverlayFiles files = whole.files;
    MemoryScratch scratch;
    const SteadyClock clock;
    RunWatch watch;
    watch.stop = true;
    const auto posted = post_job(files, demo_folder(), "mirror-cell", scratch, clock, {.watch = &watch});
    QVERIFY(!posted.ok());
    QVERIFY(posted.error().kind == ErrorKind::cancelled);
    const auto replayed =
        replay_posted(files, demo_folder(), *whole.posted, "x.nc", whole.posted->code.lines().text(), false, clock, &watch);
    QVERIFY(!replayed.ok());
    QVERIFY(replayed.error().kind == ErrorKind::cancelled);
    // Stopped from another thread while it runs, again and again at other moments: it ends, one way or the other.
    for (int i = 0; i < 6; ++i) {
        RunWatch other;
        std::thread stopper([&] {
            std::this_thread::sleep_for(std::chrono::milliseconds(4 * i));
            other.stop = true;
        });
        const auto ended = post_job(files, demo_folder(), "mirror-cell", scratch, clock, {.watch = &other});
        stopper.join();
        QVERIFY(ended.ok() || ended.error().kind == ErrorKind::cancelled);
    }
}

WEXILUM_TEST(TestJobRun)

} // namespace test_job_run
#include "test_job_run.moc"
