// Programs read by themselves in the window: without a project, with what they are read with chosen in a dialog.
#include "tests/app/window_fixture.hpp"

#include "app/views/frame/read_code_dialog.hpp"
#include "core/follow/contact_report.hpp"
#include "core/project/job_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/places.hpp"
#include "tests/support/test_program.hpp"

#include <QFile>
#include <QTimer>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window_reading {

namespace {

const QString demo = wexilum::test::source_folder() + QStringLiteral("/demo/observatory/");

/// A window without a project, and a program on the disk.
struct Bare {
    QTemporaryDir folder;
    MainWindow window{false};
    explicit Bare(const std::string& code)
    {
        QFile file(program());
        if (!file.open(QIODevice::WriteOnly) || file.write(code.data(), qint64(code.size())) < 0) {
            qFatal("no file for the program");
        }
        window.resize(1280, 800);
        window.show();
        window.activateWindow();
        if (!QTest::qWaitForWindowActive(&window)) {
            qFatal("the window does not come up");
        }
    }
    [[nodiscard]] QString program() const { return folder.filePath(QStringLiteral("program.nc")); }

    template <typename W>
    [[nodiscard]] W& find(const char* name)
    {
        W* found = window.findChild<W*>(QLatin1String(name));
        if (found == nullptr) {
            qFatal("the window has no %s", name);
        }
        return *found;
    }
    void click(const char* name)
    {
        QTest::mouseClick(&find<QWidget>(name), Qt::LeftButton);
        QTest::qWait(40);
    }
    /// Fills the dialog that `open` opens: a text for each of its rows. What it said before and after.
    QStringList fill(const std::function<void()>& open, const QStringList& texts)
    {
        QStringList told;
        QTimer::singleShot(150, &window, [&] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            if (dialog == nullptr) {
                qFatal("no dialog has opened");
            }
            auto* words = dialog->findChild<QLabel*>(QStringLiteral("read-message"));
            auto* read = dialog->findChild<QPushButton*>(QStringLiteral("read"));
            told.push_back(words->text());
            const std::array<const char*, 4> rows{"read-program", "read-machine", "read-controller", "read-setup"};
            for (std::size_t i = 0; i < rows.size(); ++i) {
                auto* field = dialog->findChild<QComboBox*>(QLatin1String(rows[i]))->lineEdit();
                QTest::mouseClick(field, Qt::LeftButton);
                QTest::keyClick(field, Qt::Key_A, Qt::ControlModifier);
                QTest::keyClick(field, Qt::Key_Delete);
                QTest::keyClicks(field, texts.value(int(i)));
            }
            told.push_back(words->text());
            if (read->isEnabled()) {
                QTest::mouseClick(read, Qt::LeftButton);
            } else {
                QTest::keyClick(dialog, Qt::Key_Escape);
            }
        });
        open();
        window.activateWindow();
        (void)QTest::qWaitForWindowActive(&window);
        (void)wait_until([&] { return !window.workspace().runs().is_running(); });
        QTest::qWait(150);
        return told;
    }
    QStringList fill_by_keys(const QStringList& texts)
    {
        return fill([&] { QTest::keyClick(&window, Qt::Key_O, Qt::ControlModifier | Qt::ShiftModifier); }, texts);
    }
    [[nodiscard]] QStringList hub() const
    {
        return {program(), demo + "machines/tarn-5h.json", demo + "controllers/esker-v.json", demo + "setups/focuser-hub.json"};
    }
    [[nodiscard]] QString trace(const char* card) { return find<TraceCard>(card).said(); }
    [[nodiscard]] std::uint32_t line_with(const char* text)
    {
        const LineTable& lines = window.workspace().results()->posted->code.lines();
        for (std::uint32_t i = 0; i < lines.size(); ++i) {
            if (lines.line(i).find(text) != std::string_view::npos) {
                return i;
            }
        }
        qFatal("no line has %s", text);
        return 0;
    }
    void click_line(std::uint32_t line)
    {
        auto& go = find<QLineEdit>("go-to");
        QTest::mouseClick(&go, Qt::LeftButton);
        QTest::keyClick(&go, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(&go, QString::number(line + 1));
        QTest::keyClick(&go, Qt::Key_Return);
        QVERIFY(wait_until([&] { return find<TraceCard>("trace-rule").isVisible(); }));
    }
};

std::string hub_code()
{
    static const std::string code = wexilum::test::code_of(wexilum::test::load_demo("focuser-hub").value());
    return code;
}

} // namespace

class TestWindowReading : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_program_needs_no_project()
    {
        Bare bare(hub_code());
        QVERIFY(bare.find<QWidget>("start").isVisible());
        const QStringList told = bare.fill([&] { bare.click("start-read"); }, bare.hub());
        QCOMPARE(told, (QStringList{"Choose the program.", ""}));
        Workspace& workspace = bare.window.workspace();
        QVERIFY2(!workspace.error(), "it can't be read");
        QVERIFY(!bare.find<QWidget>("start").isVisible());
        QVERIFY(workspace.findings().empty());
        for (std::size_t i = 0; i < station_count; ++i) {
            const auto& button = bare.find<QWidget>((std::string("station-") + station_keys()[i]).c_str());
            QCOMPARE(button.isVisible(), Station(i) == Station::machine || Station(i) == Station::code);
            QVERIFY(!button.accessibleDescription().contains(QStringLiteral("proven")) || !button.isVisible());
        }
        // The control's state: the first cycle of tool 42, in a plane, with the length of its register.
        bare.click_line(bare.line_with("G81"));
        const QString words = bare.trace("trace-rule");
        QVERIFY2(words.contains(QStringLiteral("G81 cycle")) && words.contains(QStringLiteral("G99 return clearance")), qPrintable(words));
        QVERIFY2(words.contains(QStringLiteral("feed 260 mm/min")) && words.contains(QStringLiteral("spindle 6800 rev/min")),
                 qPrintable(words));
        const QString tool = bare.trace("trace-held");
        QVERIFY2(tool.contains(QStringLiteral("tool 42, 91.065 mm long")) && tool.contains(QStringLiteral("91.065 mm are added along Z")),
                 qPrintable(tool));
        QVERIFY(bare.trace("trace-record").contains(QStringLiteral("In rapid"))); // the cycle ends with its way out
        bare.click_line(0);
        QVERIFY2(bare.trace("trace-rule").contains(QStringLiteral("since power-on")), qPrintable(bare.trace("trace-rule")));
        QVERIFY(bare.trace("trace-record").contains(QStringLiteral("It moves nothing.")));
        // What the outline says of the whole and of each tool.
        auto& outline = bare.find<QTreeWidget>("outline");
        QVERIFY(outline.isVisible());
        QCOMPARE(outline.topLevelItem(0)->text(0), QStringLiteral("The whole program"));
        QVERIFY(outline.topLevelItem(2)->text(0).startsWith(QStringLiteral("Tool 41")));
    }

    void it_is_played_charted_and_checked()
    {
        Bare bare(hub_code());
        (void)bare.fill_by_keys(bare.hub());
        const auto& results = bare.window.workspace().results();
        QVERIFY(results);
        QTest::keyClick(&bare.window, Qt::Key_2, Qt::ControlModifier);
        QVERIFY(bare.window.machine().isVisible());
        QVERIFY(!bare.find<QWidget>("define").isVisible()); // what belongs to a job is not offered
        QVERIFY(!bare.find<QWidget>("show-links").isVisible());
        bare.click("step");
        const std::uint32_t first = bare.window.selection().record();
        bare.click("step");
        QCOMPARE(bare.window.selection().record(), first + 1);
        bare.click("play");
        QVERIFY(wait_until([&] { return bare.window.selection().record() > first + 5; }));
        bare.click("play");
        QTest::keyClick(&bare.window, Qt::Key_E, Qt::ControlModifier);
        QVERIFY(bare.window.machine().charts().isVisible());
        QTest::keyClick(&bare.window, Qt::Key_E, Qt::ControlModifier);
        bare.click("show-contact");
        bare.click("contact-check");
        QVERIFY(wait_until([&] { return results->contact != nullptr && !bare.window.workspace().contact().is_running(); }));
        QVERIFY(results->contact->moves > 900);
        QVERIFY(results->contact->findings.list().empty());
    }

    void mistakes_are_told_at_their_line_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("kind");
        QTest::newRow("a word that the control does not know") << "G81 X10.031"
                                                               << "G68 X10.031"
                                                               << "code-error";
        QTest::newRow("beyond travel") << "G81 X10.031"
                                       << "G81 X9010.031"
                                       << "beyond-travel";
        QTest::newRow("a register that is empty") << "G43 H42"
                                                  << "G43 H77"
                                                  << "length-missing";
        QTest::newRow("no end") << "M30"
                                << ""
                                << "no-end";
    }
    void mistakes_are_told_at_their_line()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, kind);
        QString code = QString::fromStdString(hub_code());
        const auto at = code.indexOf(from);
        QVERIFY(at > 0);
        const auto line = std::uint32_t(code.left(at).count(QLatin1Char('\n')) + 1);
        code.replace(at, from.size(), to);
        Bare bare(code.toStdString());
        (void)bare.fill_by_keys(bare.hub());
        const auto& findings = bare.window.workspace().findings();
        const auto told = std::find_if(findings.begin(), findings.end(), [&](const FoundAt& f) {
            return f.finding.kind == kind.toStdString() && (kind == QStringLiteral("no-end") || f.finding.code.line == line);
        });
        QVERIFY(told != findings.end());
        QCOMPARE(told->finding.severity, Severity::error);
        // F8 leads to the first.
        QTest::keyClick(&bare.window, Qt::Key_F8);
        QVERIFY(bare.window.selection().line() != Selection::none);
    }

    void what_can_not_be_read_is_told()
    {
        Bare bare(hub_code());
        QStringList wrong = bare.hub();
        wrong[1] = demo + "machines/none.json";
        const QStringList told = bare.fill_by_keys(wrong);
        QCOMPARE(told.last(), QStringLiteral("There is no file for the machine under this path."));
        QVERIFY(!bare.window.workspace().reading());
        wrong[1] = demo + "controllers/esker-v.json"; // no machine
        (void)bare.fill_by_keys(wrong);
        QVERIFY(bare.window.workspace().error());
        QVERIFY(!bare.window.workspace().results());
        // A control of another machine: its words stand there as findings.
        QStringList strange = bare.hub();
        strange[2] = demo + "controllers/calder-t.json";
        (void)bare.fill_by_keys(strange);
        QVERIFY(!bare.window.workspace().error());
        QVERIFY(bare.window.workspace().results()->replayed->report.findings.has_errors());
        QVERIFY(!bare.window.workspace().results()->replayed->proven());
    }

    void without_a_setup_lengths_count_as_nothing()
    {
        Bare bare(hub_code());
        QStringList files = bare.hub();
        files.removeLast();
        (void)bare.fill_by_keys(files);
        const auto& findings = bare.window.workspace().findings();
        QVERIFY(std::none_of(findings.begin(), findings.end(), [](const FoundAt& f) {
            return f.finding.kind == "length-missing" || f.finding.kind == "offset-missing" || f.finding.kind == "tool-missing";
        }));
        QVERIFY2(bare.find<QLabel>("message").text().startsWith(QStringLiteral("no setup is given")),
                 qPrintable(bare.find<QLabel>("message").text()));
    }

    void a_job_is_chosen_again()
    {
        Desk desk;
        QFile file(desk.folder() + QStringLiteral("/program.nc"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("G21 G90 G94\nG0 X10. Y5.\nG1 X20. F300.\nM30\n");
        file.close();
        desk.window().read_code(
            {file.fileName(), desk.folder() + "/machines/tarn-3.json", desk.folder() + "/controllers/morrow-m.json", {}});
        QVERIFY(wait_until([&] { return !desk.window().workspace().runs().is_running(); }));
        QCOMPARE(desk.window().workspace().results()->posted->code.lines().size(), std::uint32_t(4));
        QVERIFY(!desk.find<QWidget>("station-toolpath").isVisible());
        desk.click_shelf(QStringLiteral("jobs/mirror-cell.json"));
        QVERIFY(desk.ready());
        QVERIFY(!desk.window().workspace().reading());
        QVERIFY(desk.window().workspace().results()->replayed->proven());
        QVERIFY(desk.find<QWidget>("station-toolpath").isVisible());
        QVERIFY(!desk.trace("trace-record").isEmpty());
    }
};

WEXILUM_TEST(TestWindowReading)

} // namespace test_window_reading
#include "test_window_reading.moc"
