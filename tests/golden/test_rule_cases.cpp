// Every event and every section in a small program each. The expected programs are written by hand.
#include "core/rules/description.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_rule_cases {

namespace {

const QString folder = source_folder() + QStringLiteral("/tests/golden/rules/");

/// What the cases need of a program's sections, so that each shows one thing.
const char* const short_sections =
    "{\"program-head\": \"off\", \"safe-start\": [\"G17 G21 G40 G49 G76 G80 G90 G94\", \"{work-offset}\"], "
    "\"operation\": \"off\", \"tool-change\": [\"T{tool} M6\"], \"wind-down\": \"off\", \"program-end\": \"off\"}";

} // namespace

class TestRuleCases : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void code_data()
    {
        QTest::addColumn<QString>("name");
        const QStringList names = QDir(folder).entryList(QDir::Dirs | QDir::NoDotAndDotDot);
        for (const QString& name : names) {
            QTest::newRow(qPrintable(name)) << name;
        }
    }
    void code()
    {
        QFETCH(QString, name);
        const std::string place = (folder + name + "/").toStdString();
        const bool own = QFile::exists(folder + name + "/sections.json");
        const std::string sections = own ? read_file(place + "sections.json") : short_sections;
        Assembly a = demo_with_toolpath(
                         "mirror-cell", read_file(place + "path.cl"),
                         {{"dialects/morrow-m.json", "\"sequence\": {\"letter\": \"N\", \"start\": 10, \"step\": 10}, ", ""},
                          {"jobs/mirror-cell.json", "\"work_offset\": \"1\",", "\"work_offset\": \"1\", \"sections\": " + sections + ","}})
                         .value();
        const std::string rules = read_file(place + "rulebook.lua");
        if (rules.size() > 1) {
            a.rulebook = {"rulebooks/" + name.toStdString(), {{"rulebook.lua", rules}}};
        }
        const RunResult run = post(a);
        for (const Finding& finding : run.findings.list()) {
            QVERIFY2(finding.severity == Severity::remark || finding.kind == "unknown-word", finding.message.c_str());
        }
        const auto wanted = lines_of(read_file(place + "expected.nc"));
        const auto got = lines_of(run.files[0].text);
        for (std::size_t i = 0; i < std::min(wanted.size(), got.size()); ++i) {
            QVERIFY2(wanted[i] == got[i], (std::to_string(i + 1) + ": expected '" + wanted[i] + "', got '" + got[i] + "'").c_str());
        }
        QCOMPARE(got.size(), wanted.size());
    }

    void every_event_has_a_case()
    {
        for (const EventDescription& event : rule_events()) {
            // On the machine that has rotary joints, below; of toolpath lines and no CL data, in test_ruled.
            bool seen = event.kind == EventKind::rotary_home || event.kind == EventKind::ruled;
            for (const QString& name : QDir(folder).entryList(QDir::Dirs | QDir::NoDotAndDotDot)) {
                const std::string rules = read_file((folder + name + "/rulebook.lua").toStdString());
                seen = seen || rules.find("on." + std::string(event.name)) != std::string::npos;
            }
            QVERIFY2(seen, std::string(event.name).c_str());
        }
    }

    void rotary_home()
    {
        Assembly a = load_demo("mirror-back-face").value();
        a.rulebook = {"rulebooks/test", {{"rulebook.lua", "function on.rotary_home(event) comment('home') event:native() end"}}};
        const auto lines = lines_of(post(a).files[0].text);
        const auto at = std::find(lines.begin(), lines.end(), "(HOME)");
        QVERIFY(at != lines.end());
        QVERIFY((at + 1)->ends_with(" B0. C0.")); // the tool is away already
        a.rulebook = {"rulebooks/test", {{"rulebook.lua", "function on.rotary_home(event) comment('stays') end"}}};
        const auto stays = lines_of(post(a).files[0].text);
        QCOMPARE(stays.size() + 1, lines.size());
    }
};

WEXILUM_TEST(TestRuleCases)

} // namespace test_rule_cases
#include "test_rule_cases.moc"
