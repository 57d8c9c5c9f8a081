// The first evening in the real window: from nothing to a proven program, what the shelf says of jobs, and what is called proven.
#include "app/views/frame/safe_application.hpp"
#include "tests/app/window_fixture.hpp"

#include "app/models/workspace.hpp"
#include "core/machine/machine.hpp"
#include "core/run/code_store.hpp"
#include "tests/support/test_program.hpp"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QMimeData>
#include <QSplitter>
#include <QStandardPaths>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window_evening {

namespace {

/// Types into the field of a modal dialog of a name as soon as it comes, and presses Enter.
class Typed {
public:
    Typed(const char* dialog, const QString& text)
    {
        timer_.setInterval(30);
        QObject::connect(&timer_, &QTimer::timeout, [this, dialog, text] {
            QWidget* modal = QApplication::activeModalWidget();
            if (modal == nullptr || modal->objectName() != QLatin1String(dialog) || !modal->isVisible()) {
                return;
            }
            timer_.stop();
            came_ = true;
            auto* field = modal->findChild<QLineEdit*>();
            field->setFocus();
            QTest::keyClick(field, Qt::Key_A, Qt::ControlModifier);
            QTest::keyClicks(field, text);
            QTest::keyClick(field, Qt::Key_Return);
        });
        timer_.start();
    }
    [[nodiscard]] bool came() const { return came_; }

private:
    QTimer timer_;
    bool came_ = false;
};

void press(QWidget& window, const char* name)
{
    auto* button = window.findChild<QPushButton*>(QLatin1String(name));
    QVERIFY2(button != nullptr && button->isVisible(), name);
    QTest::mouseClick(button, Qt::LeftButton);
}

/// A menu's action by its words, as a person chooses it.
void choose(MainWindow& window, const QString& words)
{
    for (QAction* action : window.findChildren<QAction*>()) {
        if (action->text() == words && action->isEnabled()) {
            action->trigger();
            return;
        }
    }
    QFAIL(qPrintable(words));
}

bool proven(MainWindow& window)
{
    return wait_until([&] {
               const auto& results = window.workspace().results();
               return !window.workspace().runs().is_running() && results && results->replayed && !window.workspace().is_replay_old();
           }) &&
           window.workspace().results()->replayed->proven();
}

QString station_text(MainWindow& window, Station station) { return station_state(window.workspace(), station).status; }

} // namespace

class TestWindowEvening : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void from_nothing_to_proven();
    void a_file_of_each_kind();
    void an_empty_folder_becomes_a_project();
    void a_copy_of_the_demo();
    void the_shelf_tells_of_jobs();
    void a_run_with_errors_is_not_proven();
    void a_compared_file_that_is_not_proven_is_told();
    void findings_fold_away();
};

void TestWindowEvening::from_nothing_to_proven()
{
    QTemporaryDir home;
    MainWindow window(false);
    window.show();
    QVERIFY(QTest::qWaitForWindowExposed(&window));
    QVERIFY(window.findChild<QWidget*>(QStringLiteral("start"))->isVisible());
    QVERIFY(!window.findChild<QWidget*>(QStringLiteral("shelf"))->isVisible());
    Typed name("new-project", home.filePath(QStringLiteral("mine")));
    press(window, "start-new");
    QVERIFY(name.came());
    QVERIFY(QFileInfo::exists(home.filePath(QStringLiteral("mine/project.json"))));
    QVERIFY(proven(window));
    QVERIFY(!window.findChild<QWidget*>(QStringLiteral("start"))->isVisible());
    QCOMPARE(window.workspace().job(), QStringLiteral("plate"));
    QCOMPARE(station_text(window, Station::replay), QStringLiteral("proven"));
    // Into a folder with something in it nothing is written.
    Typed again("new-project", home.filePath(QStringLiteral("other")));
    QDir(home.path()).mkpath(QStringLiteral("other/thing"));
    choose(window, QStringLiteral("New project …"));
    QVERIFY(again.came());
    QVERIFY(!QFileInfo::exists(home.filePath(QStringLiteral("other/project.json"))));
}

void TestWindowEvening::a_file_of_each_kind()
{
    Desk desk;
    auto& shelf = desk.find<Shelf>("shelf");
    for (const auto& [words, path] :
         {std::pair("New machine …", "machines/evening one.json"), std::pair("New controller …", "controllers/evening one.json"),
          std::pair("New dialect …", "dialects/evening one.json"), std::pair("New post …", "posts/evening one.json"),
          std::pair("New setup …", "setups/evening one.json"), std::pair("New rulebook …", "rulebooks/evening one/rulebook.lua"),
          std::pair("New job …", "jobs/evening one.json")}) {
        Typed name("new-file", QStringLiteral("evening one"));
        choose(desk.window(), QString::fromUtf8(words));
        QVERIFY2(name.came(), words);
        QVERIFY2(QFileInfo::exists(desk.folder() + '/' + path), path);
        QVERIFY2(wait_until([&] { return shelf.item_of(QLatin1String(path)) != nullptr; }, 3000), path);
    }
    QCOMPARE(desk.window().workspace().job(), QStringLiteral("evening one"));
    // The name is taken: reported, and nothing is changed.
    const QString before = desk.read(QStringLiteral("machines/evening one.json"));
    Typed name("new-file", QStringLiteral("evening one"));
    choose(desk.window(), QStringLiteral("New machine …"));
    QVERIFY(name.came());
    QCOMPARE(desk.find<QLabel>("message").text(), QStringLiteral("machines/evening one.json is there already; type another name"));
    QCOMPARE(desk.read(QStringLiteral("machines/evening one.json")), before);
    // A toolpath is dropped in.
    QTemporaryDir outside;
    QFile path(outside.filePath(QStringLiteral("dropped.cl")));
    QVERIFY(path.open(QIODevice::WriteOnly));
    path.write("LOADTL/1\nRAPID\nGOTO/0,0,10\nFINI\n");
    path.close();
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(path.fileName())});
    QDragEnterEvent enter(QPoint(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&desk.window(), &enter);
    QDropEvent drop(QPointF(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&desk.window(), &drop);
    QVERIFY2(QFileInfo::exists(desk.folder() + QStringLiteral("/toolpaths/dropped.cl")), qPrintable(desk.find<QLabel>("message").text()));
    QVERIFY(wait_until([&] { return shelf.item_of(QStringLiteral("toolpaths/dropped.cl")) != nullptr; }, 3000));
}

void TestWindowEvening::an_empty_folder_becomes_a_project()
{
    QTemporaryDir folder;
    MainWindow window(false);
    window.show();
    QVERIFY(window.open(folder.path()));
    QVERIFY(QFileInfo::exists(folder.filePath(QStringLiteral("project.json"))));
    QVERIFY(!window.findChild<QWidget*>(QStringLiteral("start"))->isVisible());
    Typed name("new-file", QStringLiteral("first"));
    choose(window, QStringLiteral("New machine …"));
    QVERIFY(name.came() && QFileInfo::exists(folder.filePath(QStringLiteral("machines/first.json"))));
}

void TestWindowEvening::a_copy_of_the_demo()
{
    QTemporaryDir home;
    const QByteArray before = qgetenv("HOME");
    qputenv("HOME", home.path().toLocal8Bit());
    MainWindow window(false);
    window.show();
    QVERIFY(QTest::qWaitForWindowExposed(&window));
    press(window, "start-demo");
    QVERIFY2(window.workspace().project().folder().startsWith(home.path()), qPrintable(window.workspace().project().folder()));
    QVERIFY(wait_until([&] { return !window.workspace().runs().is_running(); }));
    QVERIFY(window.workspace().project().jobs().contains(QStringLiteral("mirror-cell")));
    qputenv("HOME", before);
}

void TestWindowEvening::the_shelf_tells_of_jobs()
{
    Desk desk;
    auto& shelf = desk.find<Shelf>("shelf");
    const auto word = [&](const char* job) { return shelf.item_of(QStringLiteral("jobs/%1.json").arg(QLatin1String(job)))->text(1); };
    QVERIFY(desk.ready());
    QCOMPARE(word("mirror-cell"), QStringLiteral("proven"));
    QCOMPARE(word("fork-arm"), QString());
    QCOMPARE(shelf.item_of(QStringLiteral("jobs/fork-arm.json"))->toolTip(0), QStringLiteral("not run since the project was opened"));
    QTreeWidgetItem* fails = shelf.item_of(QStringLiteral("jobs/fails-beyond-travel.json"));
    QCOMPARE(fails->parent()->text(0), QStringLiteral("have to fail"));
    QCOMPARE(fails->parent()->parent()->text(0), QStringLiteral("Tarn 3"));
    QCOMPARE(shelf.item_of(QStringLiteral("jobs/mirror-cell.json"))->parent()->text(0), QStringLiteral("Tarn 3"));
    desk.click_shelf(QStringLiteral("jobs/fails-beyond-travel.json"));
    QVERIFY(desk.ready());
    QCOMPARE(word("fails-beyond-travel"), QStringLiteral("fails"));
    // An edit makes what is known of others old.
    desk.edit(QStringLiteral("setups/mirror-cell.json"), QStringLiteral("\"X\": -60"), QStringLiteral("\"X\": -61"));
    QVERIFY(wait_until([&] { return word("mirror-cell") == QStringLiteral("stale"); }));
    desk.type("shelf-filter", QStringLiteral("fork"));
    QVERIFY(!shelf.item_of(QStringLiteral("jobs/fork-arm.json"))->isHidden());
    QVERIFY(shelf.item_of(QStringLiteral("jobs/mirror-cell.json"))->isHidden());
    auto& filter = desk.find<QLineEdit>("shelf-filter");
    QTest::keyClick(&filter, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClick(&filter, Qt::Key_Delete);
    QVERIFY(!shelf.item_of(QStringLiteral("jobs/mirror-cell.json"))->isHidden());
}

void TestWindowEvening::a_run_with_errors_is_not_proven()
{
    Desk desk(QStringLiteral("fails-rule-without-end"));
    QVERIFY(desk.ready());
    QVERIFY(desk.window().workspace().results()->posted->run.findings.has_errors());
    QVERIFY2(station_text(desk.window(), Station::replay).startsWith(QStringLiteral("not proven")),
             qPrintable(station_text(desk.window(), Station::replay)));
}

void TestWindowEvening::a_compared_file_that_is_not_proven_is_told()
{
    Desk desk;
    QVERIFY(desk.ready());
    QTemporaryDir outside;
    const QString path = outside.filePath(QStringLiteral("edited.nc"));
    QString code = QString::fromStdString(std::string(desk.window().workspace().results()->posted->code.lines().text()));
    code.replace(QStringLiteral("X-13.991"), QStringLiteral("X-13.891"));
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(code.toUtf8());
    file.close();
    desk.window().replay().load(path);
    QVERIFY(wait_until(
        [&] { return desk.window().workspace().compared().loaded() && desk.window().workspace().compared().loaded()->replayed; }));
    QCOMPARE(station_text(desk.window(), Station::replay), QStringLiteral("edited.nc not proven"));
    const auto& findings = desk.window().workspace().findings();
    const auto its = std::find_if(findings.begin(), findings.end(), [](const FoundAt& f) { return f.by == FoundAt::By::loaded; });
    QVERIFY(its != findings.end());
    auto& table = desk.find<QTableView>("findings-table");
    QVERIFY(table.isVisible());
    QVERIFY(table.model()->index(0, 2).data().toString().startsWith(QStringLiteral("edited.nc")));
    // A click leads to the line in that file.
    desk.click_cell(table, 0, 1);
    QCOMPARE(desk.window().station(), Station::code);
}

void TestWindowEvening::findings_fold_away()
{
    Desk desk;
    QVERIFY(desk.ready());
    QVERIFY(desk.window().workspace().findings().empty());
    auto& drawer = desk.find<QWidget>("findings");
    QTest::qWait(50);
    QVERIFY2(drawer.height() < 50, qPrintable(QString::number(drawer.height())));
    desk.click_shelf(QStringLiteral("jobs/fails-beyond-travel.json"));
    QVERIFY(desk.ready());
    QTest::qWait(50);
    QVERIFY2(drawer.height() >= 90, qPrintable(QString::number(drawer.height())));
}

static int run(int argc, char** argv)
{
    SafeApplication application(argc, argv);
    QCoreApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    TestWindowEvening test;
    QTEST_SET_MAIN_SOURCE_PATH
    return QTest::qExec(&test, argc, argv);
}
WEXILUM_TEST_RUN(run)

} // namespace test_window_evening
#include "test_window_evening.moc"
