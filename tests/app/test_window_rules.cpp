// Rules and language edited in the real window: by keys and mouse, with the effect on the program, errors in place, and the way back.
#include "tests/app/window_fixture.hpp"

#include "core/prove/statement_diff.hpp"
#include "tests/support/test_program.hpp"

#include <QScrollBar>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window_rules {

namespace {

/// The rules of a job in sight, with its editor.
struct RulesDesk : Desk {
    explicit RulesDesk(const char* job = "mirror-cell-batch") : Desk(QLatin1String(job)) { click_station(Station::rules); }

    RulesView& rules() { return window().rules(); }
    TextEditor& editor() { return rules().text().editor(); }
    QString text() { return QString::fromStdString(**window().workspace().documents().text(rules().text().path())); }
    std::string code() { return window().workspace().results()->posted->code.lines().text(); }
    /// Clicks into the editor and puts the cursor behind a text.
    void put_cursor_behind(const QString& wanted)
    {
        QTest::mouseClick(editor().viewport(), Qt::LeftButton, {}, {200, 10});
        QVERIFY(editor().findFirst(wanted, false, true, false, true, true, 0, 0));
        QTest::keyClick(&editor(), Qt::Key_Right); // the end of what is chosen
    }
    void type_text(const char* keys)
    {
        for (const char* key = keys; *key != '\0'; ++key) {
            QTest::keyClick(&editor(), *key);
        }
    }
    bool settled()
    {
        QTest::qWait(150); // a pause in typing
        return wait_until([&] { return !window().workspace().runs().is_running() && !window().workspace().is_code_old(); });
    }
    QString head() { return rules().findChild<ChangesPane*>()->head(); }
    QTableWidget& groups() { return *rules().findChild<QTableWidget*>(QStringLiteral("change-groups")); }
    int row_of(const char* event)
    {
        auto& model = *rules().events().model();
        for (int row = 0; row < model.rowCount(); ++row) {
            if (model.index(row, 0).data().toString() == QLatin1String(event)) {
                return row;
            }
        }
        return -1;
    }
};

} // namespace

class TestWindowRules : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void events_with_who_takes_them();
    void an_edit_and_what_it_did();
    void a_broken_rule_says_so_in_its_line();
    void a_failed_rule_is_found_from_the_findings();
    void a_handler_by_the_button();
    void completion_and_signature();
    void the_lines_in_sight_come_first();
    void an_expression_at_a_record();
    void the_dialect_by_keys();
    void offers_in_the_dialect();
    void find_and_replace();
    void undo_is_one_stack_a_file();
};

void TestWindowRules::events_with_who_takes_them()
{
    RulesDesk desk;
    const auto cell = [&](const char* event, int column) {
        return desk.rules().events().model()->index(desk.row_of(event), column).data().toString();
    };
    // 27 holes, one call each; the retract of the head, of each tool change, of each clearing.
    QCOMPARE(cell("cycle_point", 1), QStringLiteral("27"));
    QCOMPARE(cell("cycle_point", 2), QStringLiteral("rulebook.lua:35"));
    QCOMPARE(cell("linear", 2), QStringLiteral("native"));
    QCOMPARE(desk.row_of("program_start"), 0);
    QCOMPARE(desk.find<StationButton>("station-rules").state().figure, QStringLiteral("4 handlers"));
    // Choosing an event shows its handler.
    desk.click_cell(desk.rules().events(), desk.row_of("cycle_point"), 0);
    int line = 0;
    int index = 0;
    desk.editor().getCursorPosition(&line, &index);
    QCOMPARE(line, 34);
    QVERIFY(desk.editor().text(line).startsWith(QStringLiteral("function on.cycle_point")));
}

void TestWindowRules::an_edit_and_what_it_did()
{
    RulesDesk desk;
    const std::string before = desk.code();
    const QString text = desk.text();
    desk.put_cursor_behind(QStringLiteral("dwell(option.clear_for"));
    desk.type_text(" + 1");
    QVERIFY(desk.settled());
    QVERIFY(desk.text().contains(QStringLiteral("dwell(option.clear_for + 1)")));
    // Every clearing dwells 2.5 s instead of 1.5: their blocks and no others.
    const auto dwells = std::size_t(QString::fromStdString(before).count(QStringLiteral("G4 P1.5")));
    QVERIFY(dwells > 5);
    QCOMPARE(QString::fromStdString(desk.code()).count(QStringLiteral("G4 P2.5")), qsizetype(dwells));
    const auto& diff = desk.window().workspace().results()->diff;
    QVERIFY(diff != nullptr);
    QCOMPARE(diff->groups.size(), std::size_t(1));
    QCOMPARE(diff->changed, dwells);
    QCOMPARE(diff->added + diff->removed, std::size_t(0));
    QCOMPARE(desk.head(), QStringLiteral("What the edits did: %1 blocks changed; %2 as before. Edited: rulebook.lua line 39.")
                              .arg(dwells)
                              .arg(desk.window().workspace().results()->posted->code.lines().size() - dwells));
    QCOMPARE(desk.groups().item(0, 1)->text(), QStringLiteral("P changed"));
    QVERIFY(desk.groups().item(0, 2)->text().endsWith(QStringLiteral("G4 P1.5")));
    QVERIFY(desk.groups().item(0, 3)->text().endsWith(QStringLiteral("G4 P2.5")));
    // A click shows the first of them in the code, the next click the second.
    QTest::mouseClick(desk.groups().viewport(), Qt::LeftButton, {}, desk.groups().visualItemRect(desk.groups().item(0, 1)).center());
    QCOMPARE(int(desk.window().station()), int(Station::code));
    const std::uint32_t first = desk.window().selection().line();
    QVERIFY(desk.window().workspace().results()->posted->code.lines().holds(first, "G4 P2.5"));
    desk.click_station(Station::rules);
    QTest::mouseClick(desk.groups().viewport(), Qt::LeftButton, {}, desk.groups().visualItemRect(desk.groups().item(0, 1)).center());
    QVERIFY(desk.window().selection().line() > first);
    // And back.
    desk.click_station(Station::rules);
    for (auto* button : desk.rules().findChild<ChangesPane*>()->findChildren<QPushButton*>()) {
        QTest::mouseClick(button, Qt::LeftButton);
    }
    QVERIFY(desk.settled());
    QCOMPARE(desk.text(), text);
    QVERIFY(desk.code() == before);
}

void TestWindowRules::a_broken_rule_says_so_in_its_line()
{
    RulesDesk desk;
    const std::string before = desk.code();
    desk.put_cursor_behind(QStringLiteral("comment \"CLEAR CHIPS\""));
    desk.type_text(" event:nativ(");
    // "(" is closed by the call on the next line; what comes behind that can't belong to it.
    QVERIFY(wait_until(
        [&] { return desk.editor().annotation(39).contains(QStringLiteral("')' expected (to close '(' at line 38) near 'drilled'")); }));
    desk.type_text(")");
    QVERIFY(wait_until([&] {
        return desk.editor().annotation(37).contains(QStringLiteral("the event cycle_point has no field \"nativ\"; is \"native\" meant?"));
    }));
    QVERIFY(desk.settled());
    QCOMPARE(desk.find<StationButton>("station-rules").state().state, State::beyond);
    // By undo it is as it was.
    for (int i = 0; i < 20 && desk.window().workspace().documents().is_changed(desk.rules().text().path()); ++i) {
        QTest::keyClick(&desk.editor(), Qt::Key_Z, Qt::ControlModifier);
    }
    QVERIFY(desk.settled());
    QVERIFY(desk.editor().annotation(37).isEmpty());
    QVERIFY(desk.code() == before);
    QCOMPARE(desk.find<StationButton>("station-rules").state().state, State::fits);
}

void TestWindowRules::a_failed_rule_is_found_from_the_findings()
{
    Desk desk(QStringLiteral("fails-rule-without-end"));
    auto& table = desk.find<QTableView>("findings-table");
    desk.click_cell(table, 0, FindingsModel::kind);
    QCOMPARE(int(desk.window().station()), int(Station::rules));
    int line = 0;
    int index = 0;
    TextEditor& editor = desk.window().rules().text().editor();
    editor.getCursorPosition(&line, &index);
    QVERIFY2(line == 4 || line == 5, qPrintable(QString::number(line)));
    QVERIFY(editor.annotation(line).contains(QStringLiteral("this takes more than 20 million steps")));
    // The block of the hole at which it happened is chosen as well.
    QVERIFY(desk.window().workspace().results()->posted->code.lines().holds(desk.window().selection().line(), "G81"));
}

void TestWindowRules::a_handler_by_the_button()
{
    RulesDesk desk;
    const std::string before = desk.code();
    desk.click_cell(desk.rules().events(), desk.row_of("comment"), 0);
    for (auto* button : desk.rules().findChildren<QPushButton*>()) {
        if (button->accessibleName() == QStringLiteral("add a handler for the chosen event")) {
            QVERIFY(button->isVisible());
            QTest::mouseClick(button, Qt::LeftButton);
        }
    }
    QVERIFY(desk.text().endsWith(QStringLiteral("\n\nfunction on.comment(event)\n  event:native()\nend\n")));
    QVERIFY(desk.settled());
    QVERIFY(desk.code() == before); // it does what happened without it
    QVERIFY(desk.head().startsWith(QStringLiteral("The edits change no block")));
    QCOMPARE(desk.rules().events().model()->index(desk.row_of("comment"), 2).data().toString().section(QLatin1Char(':'), 0, 0),
             QStringLiteral("rulebook.lua"));
}

void TestWindowRules::completion_and_signature()
{
    RulesDesk desk;
    desk.put_cursor_behind(QStringLiteral("comment \"CLEAR CHIPS\""));
    QTest::keyClick(&desk.editor(), Qt::Key_Return);
    desk.type_text("drilled = event.");
    QVERIFY(desk.editor().isListActive());
    desk.type_text("dep");
    QTest::keyClick(&desk.editor(), Qt::Key_Tab);
    QVERIFY2(desk.text().contains(QStringLiteral("drilled = event.depth\n")), qPrintable(desk.text()));
    desk.type_text(" dwell(");
    QVERIFY(desk.editor().isCallTipActive());
    desk.type_text("1)");
    QVERIFY(!desk.editor().isCallTipActive());
}

void TestWindowRules::the_lines_in_sight_come_first()
{
    RulesDesk desk;
    Workspace& workspace = desk.window().workspace();
    desk.click_station(Station::code);
    CodeArea& area = desk.window().code().area();
    area.verticalScrollBar()->setValue(300);
    const std::uint32_t first = 300;
    QCOMPARE(area.lines_in_sight().first, first);
    desk.click_station(Station::rules);
    std::vector<std::string> seen;
    std::uint32_t seen_first = 0;
    bool whole_before = false;
    const QObject here;
    connect(&workspace, &Workspace::code_changed, &here, [&] { whole_before = seen.empty(); });
    connect(&workspace.runs(), &JobRun::previewed, &here, [&](std::uint32_t line, const std::shared_ptr<const LineTable>& lines) {
        seen_first = line;
        seen.clear(); // typing makes several runs
        for (std::uint32_t i = 0; i < lines->size(); ++i) {
            seen.emplace_back(lines->line(i));
        }
    });
    desk.put_cursor_behind(QStringLiteral("dwell(option.clear_for"));
    desk.type_text(" + 1");
    QVERIFY(desk.settled());
    QVERIFY(!whole_before);
    QCOMPARE(seen_first, first);
    QVERIFY(seen.size() > 10);
    const LineTable& lines = workspace.results()->posted->code.lines();
    for (std::size_t i = 0; i < seen.size(); ++i) {
        QCOMPARE(seen[i], std::string(lines.line(first + std::uint32_t(i))));
    }
}

void TestWindowRules::an_expression_at_a_record()
{
    RulesDesk desk;
    // The hole at X110.884 Y40.358 is 9.5 deep.
    const std::uint32_t line = desk.line_with("X110.884 Y40.358");
    QVERIFY(line > 0);
    desk.click_station(Station::code);
    desk.click_line(line - 1);
    QVERIFY(desk.answered());
    QVERIFY2(desk.trace("trace-rule").contains(QStringLiteral("called by the rule at rulebooks/tarn-3/rulebook.lua:43")),
             qPrintable(desk.trace("trace-rule")));
    desk.click_station(Station::rules);
    auto* field = desk.rules().findChild<QLineEdit*>(QStringLiteral("expression"));
    QTest::mouseClick(field, Qt::LeftButton);
    QTest::keyClicks(field, QStringLiteral("event.depth * 2, event:axis('X'), state.tool"));
    QTest::keyClick(field, Qt::Key_Return);
    QVERIFY(wait_until([&] { return !desk.rules().answer().isEmpty(); }));
    const QStringList told = desk.rules().answer().split(QStringLiteral(", "));
    QCOMPARE(told[0], QStringLiteral("19.0"));
    QVERIFY(std::abs(told[1].toDouble() - 110.8837) < 1e-6);
    QCOMPARE(told[2], QStringLiteral("2"));
    field->clear();
    QTest::keyClicks(field, QStringLiteral("event.dept"));
    QTest::keyClick(field, Qt::Key_Return);
    QVERIFY(wait_until([&] {
        return desk.rules().answer().contains(QStringLiteral("the event cycle_point has no field \"dept\"; is \"depth\" meant?"));
    }));
}

void TestWindowRules::offers_in_the_dialect()
{
    Desk desk(QStringLiteral("mirror-cell"));
    desk.click_station(Station::language);
    TextEditor& editor = desk.window().language().editor();
    QTest::mouseClick(editor.viewport(), Qt::LeftButton, {}, {200, 10});
    QVERIFY(editor.findFirst(QStringLiteral("\"centre\""), false, true, false, true, true, 0, 0));
    QTest::keyClicks(&editor, QStringLiteral("\"r"));
    QVERIFY(editor.isListActive());
    QTest::keyClick(&editor, Qt::Key_Tab);
    QVERIFY2(editor.text().contains(QStringLiteral("\"arcs\": {\"form\": \"radius\", \"helix\": true}")), qPrintable(editor.text()));
    QVERIFY(editor.findFirst(QStringLiteral("\"helix\": true"), false, true, false, true, true, 0, 0));
    QTest::keyClicks(&editor, QStringLiteral("\"helix\":"));
    QVERIFY(editor.isCallTipActive());
    QTest::keyClicks(&editor, QStringLiteral(" f"));
    QVERIFY(editor.isListActive());
    QTest::keyClick(&editor, Qt::Key_Tab);
    QVERIFY(editor.text().contains(QStringLiteral("\"helix\": false}")));
}

void TestWindowRules::the_dialect_by_keys()
{
    Desk desk(QStringLiteral("mirror-cell"));
    desk.click_station(Station::language);
    FileView& view = desk.window().language();
    QCOMPARE(view.path(), QStringLiteral("dialects/morrow-m.json"));
    QTest::mouseClick(view.editor().viewport(), Qt::LeftButton, {}, {200, 10});
    QVERIFY(view.editor().findFirst(QStringLiteral("\"feed\": {\"decimals\": 1"), false, true, false, true, true, 0, 0));
    QTest::keyClick(&view.editor(), Qt::Key_Right);
    QTest::keyClick(&view.editor(), Qt::Key_Backspace);
    QTest::keyClick(&view.editor(), '0');
    QVERIFY(wait_until([&] {
        return desk.window().workspace().error() == std::nullopt && !desk.window().workspace().is_code_old() &&
               desk.window().workspace().results()->diff;
    }));
    // The feeds are whole numbers, which are written as before with their point: no block is another one.
    QTest::qWait(300);
    QVERIFY(wait_until([&] { return !desk.window().workspace().runs().is_running() && !desk.window().workspace().is_code_old(); }));
    QVERIFY(desk.window().workspace().results()->diff->empty());
    QVERIFY(view.editor().findFirst(QStringLiteral("\"rapid\": \"G0"), false, true, false, true, true, 0, 0));
    QTest::keyClick(&view.editor(), Qt::Key_Right);
    QTest::keyClick(&view.editor(), '0');
    QTest::qWait(200);
    QVERIFY(wait_until([&] { return !desk.window().workspace().runs().is_running() && !desk.window().workspace().is_code_old(); }));
    const auto& diff = *desk.window().workspace().results()->diff;
    QCOMPARE(diff.groups[0].what, std::string("G0 changed"));
    QCOMPARE(diff.added + diff.removed, std::size_t(0));
    // Broken text leaves the last good program, and says what is wrong at its place.
    QTest::keyClick(&view.editor(), '"');
    QVERIFY(wait_until([&] { return desk.window().workspace().error().has_value(); }));
    QVERIFY(wait_until([&] { return !view.editor().annotation(int(desk.window().workspace().error()->place.line) - 1).isEmpty(); }));
    QVERIFY(desk.window().workspace().results()->posted->code.lines().size() > 500);
}

void TestWindowRules::find_and_replace()
{
    RulesDesk desk;
    QTest::mouseClick(desk.editor().viewport(), Qt::LeftButton, {}, {200, 10});
    QTest::keyClick(&desk.editor(), Qt::Key_F, Qt::ControlModifier);
    QList<QLineEdit*> fields;
    for (auto* field : desk.rules().text().findChildren<QLineEdit*>()) {
        fields.push_back(field);
    }
    QCOMPARE(fields.size(), 2);
    QVERIFY(fields[0]->isVisible());
    QTest::keyClicks(fields[0], QStringLiteral("CLEAR CHIPS"));
    QTest::keyClick(fields[0], Qt::Key_Return);
    QCOMPARE(desk.editor().selectedText(), QStringLiteral("CLEAR CHIPS"));
    QTest::mouseClick(fields[1], Qt::LeftButton);
    QTest::keyClicks(fields[1], QStringLiteral("BLOW OUT"));
    for (auto* button : desk.rules().text().findChildren<QPushButton*>()) {
        if (button->text() == QStringLiteral("Replace")) {
            QTest::mouseClick(button, Qt::LeftButton);
        }
    }
    QVERIFY(desk.settled());
    QVERIFY(desk.text().contains(QStringLiteral("comment \"BLOW OUT\"")));
    QVERIFY(QString::fromStdString(desk.code()).contains(QStringLiteral("(BLOW OUT)")));
}

void TestWindowRules::undo_is_one_stack_a_file()
{
    RulesDesk desk;
    const QString path = desk.rules().text().path();
    const QString before = desk.text();
    desk.put_cursor_behind(QStringLiteral("comment \"CLEAR CHIPS\""));
    desk.type_text(" -- now");
    // A word is one step.
    const QUndoStack* stack = desk.window().workspace().documents().stack(path);
    QVERIFY(stack->count() >= 1 && stack->count() <= 3);
    // Another file has its own.
    desk.click_station(Station::language);
    QVERIFY(desk.window().workspace().documents().stack(QStringLiteral("dialects/morrow-m.json"))->count() == 0);
    desk.click_station(Station::rules);
    while (stack->canUndo()) {
        QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier);
    }
    QCOMPARE(desk.text(), before);
    QCOMPARE(desk.editor().text(), before);
    QTest::keyClick(&desk.window(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(desk.text() != before);
    QCOMPARE(desk.editor().text(), desk.text());
}

static int run(int argc, char** argv)
{
    prepare_graphics();
    QStandardPaths::setTestModeEnabled(true);
    QApplication application(argc, argv);
    TestWindowRules test;
    return QTest::qExec(&test, argc, argv);
}
WEXILUM_TEST_RUN(run)

} // namespace test_window_rules
#include "test_window_rules.moc"
