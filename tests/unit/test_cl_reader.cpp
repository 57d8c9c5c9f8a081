// The CL reader: what each word becomes, and exact messages with line and column for what is wrong.
#include "core/toolpath/cycle.hpp"
#include "core/toolpath/readers/cl_reader.hpp"

#include "tests/support/test_program.hpp"

#include <QTest>

#include <array>
#include <cmath>
#include <cstdlib>
#include <random>

using namespace wexilum;

namespace test_cl_reader {

namespace {

Toolpath read(const std::string& text)
{
    Toolpath out;
    TextSource source(text);
    const Status status = read_cl(source, "t.cl", out);
    if (!status) {
        qWarning("%s", status.error().text().c_str());
    }
    return out;
}

QString error_of(const std::string& text)
{
    Toolpath out;
    TextSource source(text);
    const Status status = read_cl(source, "t.cl", out);
    return status ? QString("no error") : QString::fromStdString(status.error().text());
}

template <typename T>
T only(const std::string& text)
{
    const Toolpath path = read(text);
    for (const Record& record : path.records) {
        if (const T* found = std::get_if<T>(&record.data)) {
            return *found;
        }
    }
    qWarning("no such record");
    return T{};
}

} // namespace

class TestClReader : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void positions_axes_and_lines()
    {
        const Toolpath path =
            read("PARTNO DEMO\nMULTAX/ON\nGOTO/1,2,3, 0,0.6,0.8\n$$ remark\nGOTO/ 4, 5, $ \n  6\nRAPID\nGOTO/7,8,9\nGOTO/10,11,12\n");
        QCOMPARE(path.records.size(), std::size_t(5));
        const auto& first = std::get<record::Linear>(path.records[1].data);
        QVERIFY((first.to.axis - Vec3(0, 0.6, 0.8)).norm() < 1e-15);
        const auto& second = std::get<record::Linear>(path.records[2].data);
        QVERIFY((second.to.tip - Vec3(4, 5, 6)).norm() < 1e-15);
        QVERIFY((second.to.axis - Vec3(0, 0.6, 0.8)).norm() < 1e-15); // with MULTAX on, three numbers keep the axis
        QCOMPARE(path.records[2].source.line.value, 5u);
        QVERIFY(std::holds_alternative<record::Rapid>(path.records[3].data));
        QVERIFY(std::holds_alternative<record::Linear>(path.records[4].data)); // RAPID holds for one motion
        QCOMPARE(path.records[4].source.line.value, 9u);
    }

    void numbers_of_any_length_are_those_of_the_library()
    {
        std::mt19937 random(20261127);
        qInfo("seed 20261127");
        const auto some = [&](int most) { return int(random() % unsigned(most + 1)); };
        for (int i = 0; i < 20000; ++i) {
            std::string text;
            std::array<double, 3> wanted{};
            for (double& value : wanted) {
                std::string number = some(1) == 0 ? "-" : "";
                for (int k = some(8); k >= 0; --k) {
                    number += char('0' + some(9));
                }
                const int decimals = some(17);
                number += some(9) != 0 || decimals > 0 ? "." : "";
                for (int k = 0; k < decimals; ++k) {
                    number += char('0' + some(9));
                }
                value = std::strtod(number.c_str(), nullptr);
                text += (text.empty() ? "GOTO/" : ",") + number;
            }
            const Toolpath path = read(text + "\n");
            const Vec3& tip = std::get<record::Linear>(path.records.at(0).data).to.tip;
            for (std::size_t k = 0; k < 3; ++k) {
                QVERIFY2(tip[Eigen::Index(k)] == wanted[k], text.c_str());
            }
        }
    }
    void three_numbers_without_multax_point_up()
    {
        const Toolpath path = read("GOTO/1,2,3,0,0.6,0.8\nGOTO/4,5,6\n");
        QVERIFY((end_pose(path.records[1].data)->axis - Vec3::UnitZ()).norm() < 1e-15);
    }

    void units_and_origin()
    {
        const Toolpath path = read("UNITS/INCH\nGOTO/1,0,0\nORIGIN/1,0,0\nGOTO/1,0,2\nGODLTA/0,1,0\nGODLTA/-1\n");
        QVERIFY((end_pose(path.records[0].data)->tip - Vec3(25.4, 0, 0)).norm() < 1e-12);
        QVERIFY((end_pose(path.records[1].data)->tip - Vec3(0, 0, 50.8)).norm() < 1e-12);
        QVERIFY((end_pose(path.records[2].data)->tip - Vec3(0, 25.4, 50.8)).norm() < 1e-12);
        QVERIFY((end_pose(path.records[3].data)->tip - Vec3(0, 25.4, 25.4)).norm() < 1e-12); // one number: along the axis
    }

    void circles()
    {
        const auto arc = only<record::Circular>("GOTO/10,0,0\nCIRCLE/0,0,0, 0,0,1, 10\nGOTO/0,10,0\n");
        QCOMPARE(arc.extra_turns, 0);
        QVERIFY((arc.to.tip - Vec3(0, 10, 0)).norm() < 1e-15);
        const auto helix = only<record::Circular>("GOTO/10,0,0\nCIRCLE/0,0,0, 0,0,-1, 10, TIMES,3\nGOTO/10,0,-6\n");
        QCOMPARE(helix.extra_turns, 2);
        QCOMPARE(helix.normal.z(), -1.0);
    }

    void feeds_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<int>("mode");
        QTest::addColumn<double>("value");
        QTest::newRow("per minute") << "FEDRAT/600" << int(FeedMode::per_minute) << 10.0;
        QTest::newRow("inches a minute") << "FEDRAT/IPM,6" << int(FeedMode::per_minute) << 2.54;
        QTest::newRow("per revolution") << "FEDRAT/0.2,MMPR" << int(FeedMode::per_revolution) << 0.2;
        QTest::newRow("inverse time") << "FEDRAT/30,INVERS" << int(FeedMode::inverse_time) << 0.5;
        QTest::newRow("unit follows UNITS") << "UNITS/INCH\nFEDRAT/60,PERMIN" << int(FeedMode::per_minute) << 25.4;
    }
    void feeds()
    {
        QFETCH(QString, text);
        QFETCH(int, mode);
        QFETCH(double, value);
        const auto feed = only<record::Feed>(text.toStdString());
        QCOMPARE(int(feed.mode), mode);
        QVERIFY(std::abs(feed.value - value) < 1e-12);
    }

    void state_words()
    {
        const auto spindle = only<record::Spindle>("SPINDL/RPM,1200,CCLW");
        QCOMPARE(spindle.speed_rpm, 1200.0);
        QVERIFY(spindle.state == record::SpindleState::counter_clockwise);
        const Toolpath again = read("SPINDL/800,CCLW\nSPINDL/OFF\nSPINDL/ON\n");
        QCOMPARE(std::get<record::Spindle>(again.records[2].data).speed_rpm, 800.0);
        QVERIFY(std::get<record::Spindle>(again.records[2].data).state == record::SpindleState::counter_clockwise);
        QVERIFY(only<record::Coolant>("COOLNT/MIST").state == record::CoolantState::mist);
        const auto tool = only<record::ToolChange>("LOADTL/12,LENGTH,98.5");
        QCOMPARE(tool.number, 12u);
        QCOMPARE(*tool.length, 98.5);
        QCOMPARE(only<record::Dwell>("DELAY/2.5").amount, 2.5);
        QVERIFY(only<record::Dwell>("DELAY/3,REV").revolutions);
        QCOMPARE(only<record::Comment>("PPRINT KEEP $ AND $$ AS THEY ARE").text, std::string("KEEP $ AND $$ AS THEY ARE"));
        QCOMPARE(only<record::InsertedText>("INSERT/G65 P9000").text, std::string("G65 P9000"));
    }

    void cycles()
    {
        const Toolpath path = read("CYCLE/DEEP,DEPTH,20,CLEAR,2,STEP,6,RTRCTO,30,DWELL,0.5,MMPM,120\nGOTO/1,2,0\nRAPID\nGOTO/5,5,5\nGOTO/"
                                   "6,6,0\nCYCLE/OFF\nGOTO/7,7,7\n");
        const auto& start = std::get<record::CycleStart>(path.records[0].data);
        QCOMPARE(start.kind, std::string("peck"));
        QCOMPARE(start.parameters.at("feed"), 2.0);
        QVERIFY(std::holds_alternative<record::CyclePoint>(path.records[1].data));
        QVERIFY(std::holds_alternative<record::Rapid>(path.records[2].data));
        QVERIFY(std::holds_alternative<record::CyclePoint>(path.records[3].data));
        QVERIFY(std::holds_alternative<record::Linear>(path.records[5].data));
        // The pecks of 20 mm from 2 above, 6 at a time: to -4, -10, -16, -20.
        const auto plan = plan_cycle(start);
        QVERIFY(plan.ok());
        std::vector<double> depths;
        for (const CycleMove& move : cycle_moves(plan.value(), 0.5)) {
            if (move.feed) {
                depths.push_back(move.height);
            }
        }
        QCOMPARE(depths, (std::vector<double>{-4, -10, -16, -20}));
        const auto open = only<record::CycleStart>("CYCLE/THRLIP,ORBIT,3.5");
        QCOMPARE(open.kind, std::string("THRLIP"));
        QCOMPARE(open.parameters.at("ORBIT"), 3.5);
        QVERIFY(!plan_cycle(open).ok());
    }

    void unknown_words_are_kept()
    {
        const auto unknown = only<record::Unknown>("CUTCOM/LEFT, 12 $$ with a remark\n");
        QCOMPARE(unknown.word, std::string("CUTCOM"));
        QCOMPARE(unknown.text, std::string("CUTCOM/LEFT, 12"));
    }

    void errors_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("wanted");
        const auto row = [](const char* name, const char* text, const char* wanted) {
            QTest::newRow(name) << text << QString("t.cl:") + wanted;
        };
        row("four numbers", "GOTO/1,2,3,4", "1:1: GOTO takes 3 or 6 numbers, found 4; give x,y,z or x,y,z,i,j,k");
        row("no number", "GOTO/1,2..5,3", "1:8: '2..5' is not a number; write numbers like 12.5, -0.75 or 1.2E-3");
        row("a word", "GOTO/1,NAN,3", "1:8: GOTO takes numbers here, found the word NAN; give a number");
        row("too large", "GOTO/1,1e308,3", "1:8: the number '1e308' is beyond 1e9; check the file that wrote it; no machine is that large");
        row("overflow", "GOTO/1,1e999,3", "1:8: the number '1e999' is beyond 1e9; check the file that wrote it; no machine is that large");
        row("missing", "GOTO/1,,3", "1:8: a parameter is missing; give a number or a word between the commas");
        row("after continuation", "GOTO/1, $\n  2, x3y\n", "2:6: GOTO takes numbers here, found the word X3Y; give a number");
        row("no unit vector", "GOTO/1,2,3,0,0,2",
            "1:12: the tool axis has length 2.000000, not 1; give a unit vector from the tip to the holder");
        row("opposite", "MULTAX/ON\nGOTO/0,0,0,0,0,1\nGOTO/1,0,0,0,0,-1",
            "3:1: the tool axis turns right round between two records, so its way is not defined; add a record between them, or move there "
            "in RAPID");
        row("circle first", "CIRCLE/0,0,0,0,0,1,5", "1:1: CIRCLE without a position before it; start with FROM or GOTO");
        row("circle short", "GOTO/5,0,0\nCIRCLE/0,0,0,5",
            "2:1: CIRCLE takes at least 7 numbers, found 4; give centre x,y,z, axis i,j,k and radius");
        row("circle without end", "GOTO/5,0,0\nCIRCLE/0,0,0,0,0,1,5\nFINI",
            "3:1: CIRCLE must be followed by its end point, found FINI; put a GOTO right after the CIRCLE in line 2");
        row("circle at the end", "GOTO/5,0,0\nCIRCLE/0,0,0,0,0,1,5\n",
            "2:1: the file ends after CIRCLE without its end point; add the GOTO");
        row("off the circle", "GOTO/5,0,0\nCIRCLE/0,0,0,0,0,1,5\nGOTO/0,6,0",
            "3:1: the end of the circle lies 1.000 mm off its radius; correct the CIRCLE in line 2 or the point");
        row("rapid circle", "GOTO/5,0,0\nRAPID\nCIRCLE/0,0,0,0,0,1,5\nGOTO/0,5,0",
            "3:1: a CIRCLE can't be moved in RAPID; remove RAPID or state a feed");
        row("feed zero", "FEDRAT/0", "1:1: FEDRAT needs a number above zero; write FEDRAT/f,MMPM or the like");
        row("feed unit", "FEDRAT/5,FURLONG", "1:1: the feed unit FURLONG is not known; use PERMIN, PERREV, MMPM, IPM, MMPR, IPR or INVERS");
        row("tool", "LOADTL/1.5", "1:8: a tool number is whole and from 1 to 99999999; write LOADTL/n");
        row("coolant", "COOLNT/TEA", "1:1: COOLNT takes one of ON, OFF, FLOOD, MIST, THRU, AIR; name the coolant");
        row("cycle", "CYCLE/DRILL,DEPTH",
            "1:13: after its kind CYCLE takes pairs of a word and a number; write CYCLE/DRILL,DEPTH,d,CLEAR,c,…");
        row("no word", "12,13", "1:1: a statement starts with a word, found '12,13'; each statement is WORD or WORD/parameters");
        row("no slash", "GOTO 1,2,3", "1:6: expected '/' after GOTO, found '1'; separate the word from its parameters by '/'");
        row("after dollar", "GOTO/1, $ 2, 3",
            "1:10: text follows the continuation mark '$'; '$' must end the line; a remark starts with '$$'");
        row("ends continued", "GOTO/1, $\n",
            "1:1: the file ends inside a continued statement; remove the last '$' or add what should follow it");
        row("extra", "STOP/5", "1:6: STOP takes no parameters; remove the parameters");
        row("dwell", "DELAY/-1", "1:1: DELAY takes seconds, or revolutions and REV; write DELAY/2.5 or DELAY/3,REV");
        row("times", "GOTO/5,0,0\nCIRCLE/0,0,0,0,0,1,5,TIMES,0",
            "2:22: after its radius CIRCLE takes only TIMES and a whole number from 1 to 1000; write TIMES,n for n arrivals at the end "
            "point (a helix of n turns)");
    }
    void errors()
    {
        QFETCH(QString, text);
        QFETCH(QString, wanted);
        QCOMPARE(error_of(text.toStdString()), wanted);
    }

    void an_endless_line_is_an_error()
    {
        QCOMPARE(error_of("GOTO/1,2,3\n" + std::string(10 << 20, 'A')),
                 QString("t.cl:2:1: the line is longer than 65536 bytes; break it with '$', or check that this is a CL text file"));
        std::string many;
        for (int i = 0; i < 40000; ++i) {
            many += "GOTO/1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16, $\n";
        }
        QVERIFY(error_of(many).contains("the continued statement is longer than 1 MiB"));
    }

    void an_error_leaves_the_toolpath_as_it_was()
    {
        Toolpath path = read("GOTO/1,2,3\n");
        const std::size_t before = path.records.size();
        TextSource source("GOTO/4,5,6\nGOTO/1\n");
        QVERIFY(!read_cl(source, "u.cl", path));
        QCOMPARE(path.records.size(), before);
        QCOMPARE(path.files.size(), std::size_t(1));
    }
};

WEXILUM_TEST(TestClReader)

} // namespace test_cl_reader
#include "test_cl_reader.moc"
