// Edits in the real window: what is shown is the document, nothing unsaved goes without a question, not by a crash either, and nobody
// else's work is overwritten unseen.
#include "app/models/text_difference.hpp"
#include "app/views/frame/safe_application.hpp"
#include "tests/app/window_fixture.hpp"

#include "app/models/workspace.hpp"
#include "core/machine/machine.hpp"
#include "core/run/code_store.hpp"
#include "tests/support/test_program.hpp"

#include <QAbstractItemModelTester>
#include <QClipboard>
#include <QFileDialog>
#include <QMessageBox>
#include <QMimeData>
#include <QPlainTextEdit>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_window_edits {

namespace {

const QString setup_file = QStringLiteral("setups/mirror-cell.json");

QString document(Desk& desk, const QString& path) { return QString::fromStdString(**desk.window().workspace().documents().text(path)); }

/// Waits for a dialog of a name and does something with it; fails where it does not come.
class Answer {
public:
    template <typename F>
    Answer(const char* name, F act)
    {
        timer_.setInterval(20);
        QObject::connect(&timer_, &QTimer::timeout, [this, name, act] {
            QWidget* dialog = QApplication::activeModalWidget();
            if (dialog != nullptr && dialog->objectName() == QLatin1String(name) && dialog->isVisible()) {
                timer_.stop();
                came_ = true;
                act(*dialog);
            }
        });
        timer_.start();
    }
    [[nodiscard]] bool came() const { return came_; }

private:
    QTimer timer_;
    bool came_ = false;
};

void click(QWidget* button)
{
    QVERIFY(button != nullptr);
    QTest::mouseClick(button, Qt::LeftButton);
}

Answer answer_box(const char* name, QMessageBox::StandardButton which)
{
    return Answer(name, [which](QWidget& box) { click(static_cast<QMessageBox&>(box).button(which)); });
}

Answer press(const char* dialog, const char* button)
{
    return Answer(dialog, [button](QWidget& box) { click(box.findChild<QPushButton*>(QLatin1String(button))); });
}

void make_active(QWidget& window)
{
    window.activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(&window));
}

/// A shortcut of the window: dialogs before may have left no window active, and shortcuts are those of the active one.
void press_with_control(QWidget& window, Qt::Key key)
{
    make_active(window);
    QTest::keyClick(&window, key, Qt::ControlModifier);
}

void press_save(QWidget& window) { press_with_control(window, Qt::Key_S); }

/// An edit of the setup by its table.
void edit_setup(Desk& desk, const char* value = "-61")
{
    QVERIFY(desk.ready());      // a run that ends renews the table
    make_active(desk.window()); // where a dialog has been, or another window
    desk.click_station(Station::setup);
    desk.type_cell(desk.window().setup().offsets(), 0, 1, QLatin1String(value));
    QVERIFY(document(desk, setup_file).contains(QStringLiteral("\"X\": %1").arg(QLatin1String(value))));
}

void drop(MainWindow& window, const QString& path)
{
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(path)});
    QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &enter);
    QDropEvent event(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &event);
}

} // namespace

class TestWindowEdits : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void typing_in_every_file();
    void another_project_asks_data();
    void another_project_asks();
    void edits_survive_a_crash();
    void work_of_others_is_not_overwritten();
    void two_windows();
    void what_undo_leaves_is_read_again();
    void a_file_that_is_gone();
    void differences_by_lines();
    void models_keep_their_word();
    void copying_nothing();
    void a_name_that_leads_elsewhere_is_refused();
    void what_an_event_handler_throws_is_told();
};

void TestWindowEdits::typing_in_every_file()
{
    Desk desk;
    desk.click_station(Station::language);
    FileView& view = desk.window().language();
    const auto tabs = [&] {
        QStringList out;
        for (QPushButton* button : view.findChildren<QPushButton*>()) {
            if (button->accessibleName().startsWith(QStringLiteral("show "))) {
                out.push_back(button->accessibleName().mid(5));
            }
        }
        return out;
    };
    const QStringList files = tabs();
    QVERIFY(files.size() >= 6);
    for (int round = 0; round < 2; ++round) { // a second time over: from each file to each neighbour
        for (const QString& file : files) {
            for (QPushButton* button : view.findChildren<QPushButton*>()) {
                if (button->accessibleName() == QStringLiteral("show %1").arg(file)) {
                    QTest::mouseClick(button, Qt::LeftButton);
                    break;
                }
            }
            QVERIFY(wait_until([&] { return view.path() == file; }));
            TextEditor& editor = view.editor();
            QCOMPARE(editor.text(), document(desk, file));
            QTest::mouseClick(editor.viewport(), Qt::LeftButton, {}, {200, 30});
            QTest::keyClick(&editor, Qt::Key_End, Qt::ControlModifier);
            const QString before = document(desk, file);
            QTest::keyClick(&editor, 'q');
            QTest::qWait(20);
            QCOMPARE(document(desk, file), before + QLatin1Char('q'));
            QCOMPARE(editor.text(), document(desk, file));
            QTest::keyClick(&editor, Qt::Key_Escape); // what is offered
            QTest::keyClick(&editor, Qt::Key_Home, Qt::ControlModifier);
            QTest::keyClick(&editor, ' ');
            QCOMPARE(editor.text(), document(desk, file));
            QTest::keyClick(&editor, Qt::Key_Z, Qt::ControlModifier);
            QTest::keyClick(&editor, Qt::Key_Z, Qt::ControlModifier);
            QTest::qWait(20);
            QCOMPARE(editor.text(), document(desk, file));
            QCOMPARE(document(desk, file), before);
        }
    }
}

void TestWindowEdits::another_project_asks_data()
{
    QTest::addColumn<int>("way");
    QTest::newRow("recent") << 0;
    QTest::newRow("Ctrl+O") << 1;
    QTest::newRow("a dropped folder") << 2;
    QTest::newRow("a dropped project file") << 3;
}

void TestWindowEdits::another_project_asks()
{
    QFETCH(int, way);
    Desk desk;
    QTemporaryDir other; // another copy
    QCOMPARE(QProcess::execute(QStringLiteral("cp"), {QStringLiteral("-r"), desk.folder() + QStringLiteral("/."), other.path()}), 0);
    const QString target = other.path();
    if (way == 0) { // to be among the recent ones
        QVERIFY(desk.window().open(target));
        QVERIFY(desk.window().open(desk.folder()));
        desk.window().workspace().set_job(QStringLiteral("mirror-cell"));
        QVERIFY(desk.ready());
    }
    edit_setup(desk);
    const auto go = [&] {
        if (way == 0) {
            for (QAction* action : desk.window().findChildren<QAction*>()) {
                if (action->text() == target) {
                    action->trigger();
                    return;
                }
            }
            QFAIL("the recent projects lack it");
        } else if (way == 1) {
            // The dialog asks for a folder first, the question comes then.
            QTimer chooser;
            chooser.setInterval(30);
            connect(&chooser, &QTimer::timeout, [&] {
                if (auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
                    dialog != nullptr && dialog->isVisible()) {
                    chooser.stop();
                    auto* name = dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
                    name->setText(target);
                    QTest::keyClick(name, Qt::Key_Return);
                }
            });
            chooser.start();
            press_with_control(desk.window(), Qt::Key_O);
        } else {
            drop(desk.window(), way == 2 ? target : target + QStringLiteral("/project.json"));
        }
    };
    {
        const Answer answer = answer_box("unsaved", QMessageBox::Cancel);
        go();
        QVERIFY(answer.came());
        QCOMPARE(desk.window().workspace().project().folder(), desk.folder());
        QVERIFY(document(desk, setup_file).contains(QStringLiteral("\"X\": -61")));
    }
    {
        const Answer answer = answer_box("unsaved", QMessageBox::Save);
        go();
        QVERIFY(answer.came());
        QCOMPARE(desk.window().workspace().project().folder(), target);
        QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"X\": -61")));
    }
}

void TestWindowEdits::edits_survive_a_crash()
{
    QTemporaryDir kept;
    QTemporaryDir settings;
    Desk desk;
    desk.window().keep_edits_in(kept.path());
    QVERIFY(desk.window().open(desk.folder()));
    desk.window().workspace().set_job(QStringLiteral("mirror-cell"));
    QVERIFY(desk.ready());
    const QString before = desk.read(setup_file);
    edit_setup(desk);
    const auto files = [&] { return QDir(kept.path()).entryList({QStringLiteral("*.edits")}, QDir::Files); };
    QVERIFY(wait_until([&] { return files().size() == 1; }));
    // A window beside the first one leaves its edits alone.
    {
        MainWindow beside(false);
        beside.keep_edits_in(kept.path());
        QVERIFY(beside.open(desk.folder()));
        QCOMPARE(QString::fromStdString(**beside.workspace().documents().text(setup_file)), before);
    }
    QCOMPARE(files().size(), 1);
    const QString edits = files().front();
    // The process of the first one is killed: what it kept stays, and its lock with the number of a process that is not.
    QFile lock(QDir(kept.path()).filePath(QString(edits).replace(QStringLiteral(".edits"), QStringLiteral(".lock"))));
    QVERIFY(lock.exists());
    desk.crash();
    QCOMPARE(files(), QStringList{edits});
    QCOMPARE(desk.read(setup_file), before);
    {
        MainWindow next(false);
        next.keep_edits_in(kept.path());
        QVERIFY(next.findChild<QLabel*>(QStringLiteral("message"))->text().contains(desk.folder()));
        QString told;
        const Answer answer("kept-edits", [&told](QWidget& box) {
            told = static_cast<QMessageBox&>(box).text();
            click(box.findChild<QPushButton*>(QStringLiteral("kept-take")));
        });
        next.show();
        QVERIFY(next.open(desk.folder()));
        QVERIFY(answer.came());
        QVERIFY2(told.contains(setup_file), qPrintable(told));
        auto& documents = next.workspace().documents();
        QVERIFY((*documents.text(setup_file))->find("\"X\": -61") != std::string::npos);
        QVERIFY(documents.is_changed(setup_file));
        QCOMPARE(desk.read(setup_file), before);
        documents.stack(setup_file)->undo();
        QCOMPARE(QString::fromStdString(**documents.text(setup_file)), before);
        documents.stack(setup_file)->redo();
        // Saved edits need not be kept.
        press_save(next);
        QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"X\": -61")));
        QVERIFY(wait_until([&] { return files().isEmpty(); }));
    }
}

void TestWindowEdits::work_of_others_is_not_overwritten()
{
    Desk desk;
    edit_setup(desk);
    desk.edit(setup_file, QStringLiteral("\"Y\": 15"), QStringLiteral("\"Y\": 16"));
    const QString theirs = desk.read(setup_file);
    QString lines;
    {
        const Answer answer("conflict", [&lines](QWidget& box) {
            lines = box.findChild<QPlainTextEdit*>(QStringLiteral("conflict-lines"))->toPlainText();
            click(box.findChild<QPushButton*>(QStringLiteral("conflict-cancel")));
        });
        press_save(desk.window());
        QVERIFY(answer.came());
    }
    QVERIFY2(lines.contains(QRegularExpression(QStringLiteral("^- .*\"X\": -60.*\"Y\": 16"), QRegularExpression::MultilineOption)),
             qPrintable(lines));
    QVERIFY2(lines.contains(QRegularExpression(QStringLiteral("^\\+ .*\"X\": -61.*\"Y\": 15"), QRegularExpression::MultilineOption)),
             qPrintable(lines));
    QCOMPARE(desk.read(setup_file), theirs);
    QVERIFY(document(desk, setup_file).contains(QStringLiteral("\"X\": -61")));
    // Escape is no yes.
    {
        const Answer answer("conflict", [](QWidget& box) { QTest::keyClick(&box, Qt::Key_Escape); });
        press_save(desk.window());
        QVERIFY(answer.came());
    }
    QCOMPARE(desk.read(setup_file), theirs);
    {
        const Answer answer = press("conflict", "conflict-theirs");
        press_save(desk.window());
        QVERIFY(answer.came());
    }
    QCOMPARE(desk.read(setup_file), theirs);
    QCOMPARE(document(desk, setup_file), theirs);
    QVERIFY(!desk.window().workspace().documents().is_changed(setup_file));
    // And the other way.
    edit_setup(desk, "-62");
    desk.edit(setup_file, QStringLiteral("\"Y\": 16"), QStringLiteral("\"Y\": 17"));
    const Answer answer = press("conflict", "conflict-mine");
    press_save(desk.window());
    QVERIFY(answer.came());
    QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"X\": -62")));
    QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"Y\": 16")));
}

void TestWindowEdits::two_windows()
{
    Desk desk;
    MainWindow other(false);
    other.show();
    QVERIFY(other.open(desk.folder()));
    other.workspace().set_job(QStringLiteral("mirror-cell"));
    QVERIFY(wait_until([&] { return !other.workspace().runs().is_running() && other.workspace().results(); }, 60000));
    edit_setup(desk);
    auto& documents = other.workspace().documents();
    const auto text = documents.text(setup_file);
    const std::size_t at = (*text)->find("\"Y\": 15");
    QVERIFY(documents.replace(setup_file, at, at + 7, "\"Y\": 18", QStringLiteral("typing")).ok());
    press_save(desk.window());
    QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"X\": -61")));
    // Whoever saves last is asked, and does not win unseen.
    const Answer answer = press("conflict", "conflict-cancel");
    press_save(other);
    QVERIFY(answer.came());
    QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"X\": -61")));
    QVERIFY(!documents.save({setup_file}).ok()); // not by any other way either
    QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"X\": -61")));
}

void TestWindowEdits::what_undo_leaves_is_read_again()
{
    Desk desk;
    edit_setup(desk);
    desk.edit(setup_file, QStringLiteral("\"X\": -60"), QStringLiteral("\"X\": -70"));
    QVERIFY(wait_until([&] { return desk.find<QLabel>("message").isVisible(); }));
    press_with_control(desk.window(), Qt::Key_Z);
    QVERIFY(wait_until([&] { return document(desk, setup_file).contains(QStringLiteral("\"X\": -70")); }));
    QVERIFY(!desk.window().workspace().documents().is_changed(setup_file));
    const QString theirs = desk.read(setup_file);
    press_save(desk.window());
    QCOMPARE(desk.read(setup_file), theirs);
    QVERIFY(wait_until([&] { return desk.window().setup().offsets().model()->index(0, 1).data().toString() == QStringLiteral("-70"); }));
}

void TestWindowEdits::a_file_that_is_gone()
{
    Desk desk;
    edit_setup(desk);
    QVERIFY(QFile::remove(desk.folder() + QLatin1Char('/') + setup_file));
    {
        const Answer answer = press("conflict", "conflict-cancel");
        press_save(desk.window());
        QVERIFY(answer.came());
        QVERIFY(!QFile::exists(desk.folder() + QLatin1Char('/') + setup_file));
    }
    const Answer answer = press("conflict", "conflict-mine");
    press_save(desk.window());
    QVERIFY(answer.came());
    QVERIFY(desk.read(setup_file).contains(QStringLiteral("\"X\": -61")));
}

void TestWindowEdits::differences_by_lines()
{
    QCOMPARE(text_difference("a\nb\nc\n", "a\nx\nc\n"), (QStringList{"-    2  b", "+    2  x"}));
    QCOMPARE(text_difference("a\nb\nc\nd\n", "b\nc\ne\nd\n"), (QStringList{"-    1  a", "+    3  e"}));
    QCOMPARE(text_difference("", "a\n"), (QStringList{"+    1  a"}));
    QCOMPARE(text_difference("a\n", "a\n"), QStringList());
    QCOMPARE(text_difference("a\n", "a"), (QStringList{"They differ in the last line's end alone."}));
    const QStringList many = text_difference("", std::string(2000, '\n'), 5);
    QCOMPARE(many.size(), 6);
    QCOMPARE(many.back(), QStringLiteral("… and 1995 lines more"));
}

void TestWindowEdits::models_keep_their_word()
{
    Desk desk;
    std::vector<std::unique_ptr<QAbstractItemModelTester>> testers;
    int tables = 0;
    for (QAbstractItemView* view : desk.window().findChildren<QAbstractItemView*>()) {
        const bool ours = view->model() != nullptr && QByteArray(view->model()->metaObject()->className()).startsWith("wexilum::");
        if (ours) { // trees of items are Qt's
            testers.push_back(
                std::make_unique<QAbstractItemModelTester>(view->model(), QAbstractItemModelTester::FailureReportingMode::QtTest));
            ++tables;
            // Whatever a view may ask for, also what is not there.
            QVERIFY(!view->model()->data(QModelIndex(), Qt::DisplayRole).isValid());
        }
    }
    QVERIFY(tables >= 4);
    for (const char* job : {"fails-beyond-travel", "mirror-cell-batch", "fork-arm", "mirror-cell"}) {
        for (const Station station : {Station::toolpath, Station::setup, Station::rules}) {
            desk.click_station(station);
            for (QAbstractItemView* view : desk.window().findChildren<QAbstractItemView*>()) {
                if (view->isVisible() && view->model() != nullptr && view->model()->rowCount() > 0) {
                    view->setCurrentIndex(view->model()->index(view->model()->rowCount() - 1, 0));
                }
            }
        }
        desk.click_shelf(QStringLiteral("jobs/%1.json").arg(QLatin1String(job)));
        QVERIFY(desk.ready());
    }
    edit_setup(desk);
    QVERIFY(desk.ready());
    press_with_control(desk.window(), Qt::Key_Z);
    QVERIFY(desk.ready());
}

void TestWindowEdits::copying_nothing()
{
    Desk desk;
    for (const char* job : {"fails-beyond-travel", "mirror-cell"}) {
        for (std::size_t i = 0; i < station_count; ++i) {
            desk.click_station(static_cast<Station>(i));
            for (QAbstractItemView* view : desk.window().findChildren<QAbstractItemView*>()) {
                if (view->isVisible() && view->model() != nullptr && view->model()->rowCount() > 0) {
                    view->setCurrentIndex(view->model()->index(0, 0));
                }
            }
            // A row is chosen, another job comes, and it is copied at once, and once more when that is there.
            desk.click_shelf(QStringLiteral("jobs/%1.json").arg(QLatin1String(job)));
            for (const bool waited : {false, true}) {
                if (waited) {
                    QVERIFY(desk.ready());
                }
                for (QAbstractItemView* view : desk.window().findChildren<QAbstractItemView*>()) {
                    if (view->isVisible()) {
                        view->setFocus();
                        QTest::keyClick(view, Qt::Key_C, Qt::ControlModifier);
                    }
                }
            }
        }
    }
    QVERIFY(desk.window().isVisible());
}

void TestWindowEdits::a_name_that_leads_elsewhere_is_refused()
{
    Desk desk;
    const QString job = QStringLiteral("jobs/mirror-cell.json");
    const QString project = desk.read(QStringLiteral("project.json"));
    desk.edit(job, QStringLiteral("\"name\": \"mirror-cell\""), QStringLiteral("\"name\": \"../project\""));
    QVERIFY(wait_until([&] { return desk.window().workspace().error().has_value(); }));
    QCOMPARE(QString::fromStdString(desk.window().workspace().error()->message), QStringLiteral("a file's name can't begin with a dot"));
    QCOMPARE(QString::fromStdString(desk.window().workspace().error()->place.file), job);
    QCOMPARE(desk.read(QStringLiteral("project.json")), project);
}

void TestWindowEdits::what_an_event_handler_throws_is_told()
{
    class Thrower final : public QObject {
        bool event(QEvent*) override { throw std::bad_alloc(); }
    };
    auto& application = static_cast<SafeApplication&>(*QCoreApplication::instance());
    QString told;
    application.on_problem = [&told](const QString& text) { told = text; };
    Thrower thrower;
    QCoreApplication::postEvent(&thrower, new QEvent(QEvent::User));
    QCoreApplication::processEvents();
    application.on_problem = nullptr;
    QCOMPARE(told, QStringLiteral("there is not enough memory for this; close other programs, or give this one more memory"));
}

static int run(int argc, char** argv)
{
    SafeApplication application(argc, argv);
    QCoreApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    TestWindowEdits test;
    QTEST_SET_MAIN_SOURCE_PATH
    return QTest::qExec(&test, argc, argv);
}
WEXILUM_TEST_RUN(run)

} // namespace test_window_edits
#include "test_window_edits.moc"
