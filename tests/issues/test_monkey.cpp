// Clicks, keys, drags and the wheel at random all over the window, while files change underneath: nothing crashes, nothing hangs, and an
// editor shows its document. Fixed seeds; WEXILUM_MONKEY_SECONDS and WEXILUM_MONKEY_SEED set others.
#include "app/models/workspace.hpp"
#include "core/machine/machine.hpp"
#include "core/run/code_store.hpp"
#include "tests/app/window_fixture.hpp"
#include "tests/support/mutation.hpp"
#include "tests/support/test_program.hpp"

#include <QAbstractScrollArea>
#include <QAbstractSpinBox>
#include <QApplication>
#include <QElapsedTimer>
#include <QFileDialog>
#include <QMenu>
#include <QWheelEvent>

#include <random>

using namespace wexilum;
using namespace wexilum::app;
using namespace wexilum::app::test;

namespace test_monkey {

namespace {

constexpr int actions_a_desk = 250;
// Without an answer. On a machine by itself it is below 1 s; other tests run beside this one, and the sanitizers take several times as
// long.
constexpr qint64 longest_ms = WEXILUM_EVERY > 1 ? 30000 : 4000;

/// Notes the longest time in which the window did not come to handle anything.
class Pulse final : public QObject {
public:
    Pulse()
    {
        since_.start();
        startTimer(10);
    }
    qint64 longest = 0;
    std::string during; ///< what was done then
    std::string doing;  ///< what is done now
    void restart() { since_.restart(); }

protected:
    void timerEvent(QTimerEvent*) override
    {
        if (since_.elapsed() > longest) {
            longest = since_.elapsed();
            during = doing;
        }
        since_.restart();
    }

private:
    QElapsedTimer since_;
};

class Monkey {
public:
    Monkey(Desk& desk, unsigned seed, Pulse& pulse) : desk_(desk), random_(seed), pulse_(pulse) { answer_soon(); }

    void act()
    {
        if (!desk_.window().isVisible()) {
            desk_.window().show();
        }
        switch (number(20)) {
        case 0: station(); break;
        case 1: shelf(); break;
        case 2: file(); break;
        case 3:
        case 4: wheel(); break;
        case 5:
        case 6: drag_something(); break;
        case 7:
        case 8:
        case 9:
        case 10: keys(); break;
        case 11: action(); break;
        default: click_something(); break;
        }
        QTest::qWait(int(number(25)));
    }

private:
    /// Whatever asks something gets some answer, also what an answer has opened: a timer does not come while its own work goes on.
    void answer_soon()
    {
        QTimer::singleShot(60, &answers_, [this] {
            answer_soon();
            answer();
        });
    }
    std::size_t number(std::size_t below) { return random_() % below; }
    template <typename List>
    auto& one_of(List& list)
    {
        return list[decltype(list.size())(number(std::size_t(list.size())))];
    }
    void note(const char* what, const QObject* of) { pulse_.doing = what + std::string(" ") + name_of(of); }
    static std::string name_of(const QObject* of)
    {
        return of == nullptr ? "nothing" : of->metaObject()->className() + std::string(":") + of->objectName().toStdString();
    }

    QWidget* something()
    {
        QList<QWidget*> all;
        for (QWidget* widget : desk_.window().findChildren<QWidget*>()) {
            if (widget->isVisible() && widget->isEnabled() && widget->width() > 2 && widget->height() > 2) {
                all.push_back(widget);
            }
        }
        return all.isEmpty() ? nullptr : one_of(all);
    }
    QPoint somewhere(const QWidget& widget)
    {
        return {int(number(std::size_t(widget.width()))), int(number(std::size_t(widget.height())))};
    }

    void click_something()
    {
        QWidget* widget = something();
        if (widget == nullptr) {
            return;
        }
        note("click", widget);
        const Qt::MouseButton button = number(6) == 0 ? Qt::RightButton : Qt::LeftButton;
        const QPoint at = somewhere(*widget);
        const QPointer<QWidget> still = widget;
        QTest::mouseClick(widget, button, {}, at);
        if (still && still->isVisible() && number(4) == 0) {
            note("double click", still);
            QTest::mouseDClick(still, Qt::LeftButton, {}, at);
        }
    }

    void drag_something()
    {
        QWidget* widget = something();
        // A list that gives its rows away waits in a loop of its own until the display reports the button.
        if (widget == nullptr || qobject_cast<QAbstractItemView*>(widget->parentWidget()) != nullptr) {
            return;
        }
        note("drag", widget);
        const QPointer<QWidget> still = widget;
        QTest::mousePress(widget, Qt::LeftButton, {}, somewhere(*widget));
        for (int i = 0; i < 4 && still; ++i) {
            QTest::mouseMove(still, somewhere(*still));
        }
        if (still) {
            QTest::mouseRelease(still, Qt::LeftButton, {}, somewhere(*still));
        }
    }

    void wheel()
    {
        QWidget* widget = something();
        if (widget == nullptr) {
            return;
        }
        note("wheel", widget);
        const QPoint at = somewhere(*widget);
        const QPoint delta(0, number(2) == 0 ? 120 * int(1 + number(4)) : -120 * int(1 + number(4)));
        QWheelEvent event(at, widget->mapToGlobal(QPointF(at)), {}, delta, Qt::NoButton,
                          number(5) == 0 ? Qt::ControlModifier : Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(widget, &event);
    }

    void keys()
    {
        QWidget* focus = QApplication::focusWidget() != nullptr ? QApplication::focusWidget() : &desk_.window();
        note("keys to", focus);
        static constexpr std::array plain{Qt::Key_Down, Qt::Key_Up,       Qt::Key_Left,   Qt::Key_Right,     Qt::Key_Home,   Qt::Key_End,
                                          Qt::Key_Tab,  Qt::Key_PageDown, Qt::Key_PageUp, Qt::Key_Backspace, Qt::Key_Delete, Qt::Key_Return,
                                          Qt::Key_F3,   Qt::Key_F5,       Qt::Key_F8,     Qt::Key_Escape,    Qt::Key_Space,  Qt::Key_F2};
        static constexpr std::array with_control{Qt::Key_A, Qt::Key_C, Qt::Key_V, Qt::Key_X, Qt::Key_Z, Qt::Key_Y,   Qt::Key_S,   Qt::Key_F,
                                                 Qt::Key_G, Qt::Key_K, Qt::Key_E, Qt::Key_M, Qt::Key_H, Qt::Key_End, Qt::Key_Home};
        static const std::vector<QString> texts{"7", "-61.5", "{}", "\"", "X", "event:native()\n", "]", "1e9", "ü°✖", "90", "--", "\n  "};
        QPointer<QWidget> to = focus;
        for (std::size_t i = 0, count = 1 + number(4); i < count && to; ++i) {
            switch (number(4)) {
            case 0: QTest::keyClick(to, with_control[number(with_control.size())], Qt::ControlModifier); break;
            case 1: QTest::keyClick(to, plain[number(plain.size())], number(4) == 0 ? Qt::ShiftModifier : Qt::NoModifier); break;
            case 2: QTest::keyClick(to, plain[number(plain.size())]); break;
            default: {
                const QString& text = texts[number(texts.size())];
                for (const QChar c : text) {
                    if (to) {
                        QKeyEvent press(QEvent::KeyPress, c.isLetterOrNumber() ? c.toUpper().unicode() : 0, Qt::NoModifier, QString(c));
                        QApplication::sendEvent(to, &press);
                    }
                }
            }
            }
            to = QApplication::focusWidget();
        }
    }

    void action()
    {
        QList<QAction*> all;
        for (QAction* action : desk_.window().findChildren<QAction*>()) {
            if (action->isEnabled() && !action->text().contains(QStringLiteral("Quit"))) {
                all.push_back(action);
            }
        }
        if (!all.isEmpty()) {
            QAction* chosen = one_of(all);
            pulse_.doing = "action " + chosen->text().toStdString();
            chosen->trigger();
        }
    }

    void station()
    {
        const auto to = static_cast<Station>(number(station_count));
        pulse_.doing = std::string("station ") + station_keys()[std::size_t(to)];
        desk_.window().show_station(to);
    }

    void shelf()
    {
        const QStringList jobs = desk_.window().workspace().project().jobs();
        if (!jobs.isEmpty()) {
            const QString& job = one_of(jobs);
            pulse_.doing = "job " + job.toStdString();
            desk_.window().workspace().set_job(job);
        }
    }

    /// A file of the project becomes another one, goes, or is as it was.
    void file()
    {
        QStringList all;
        for (const char* pattern :
             {"jobs/*.json", "setups/*.json", "machines/*.json", "dialects/*.json", "controllers/*.json", "posts/*.json"}) {
            const QString folder = QString::fromLatin1(pattern).section(QLatin1Char('/'), 0, 0);
            for (const QString& name : QDir(desk_.folder() + QLatin1Char('/') + folder).entryList(QDir::Files)) {
                all.push_back(folder + QLatin1Char('/') + name);
            }
        }
        if (all.isEmpty()) {
            return;
        }
        const QString path = one_of(all);
        pulse_.doing = "file " + path.toStdString();
        const auto [kept, is_new] = files_.try_emplace(path, is_new_text(path));
        switch (number(4)) {
        case 0: desk_.write(path, QString::fromStdString(wexilum::test::mutated(kept->second.toStdString(), random_))); break;
        case 1: QFile::remove(desk_.folder() + QLatin1Char('/') + path); break;
        default:
            for (const auto& [name, text] : files_) {
                desk_.write(name, text);
            }
        }
    }
    QString is_new_text(const QString& path) { return desk_.read(path); }

    void answer()
    {
        QWidget* asks =
            QApplication::activePopupWidget() != nullptr ? QApplication::activePopupWidget() : QApplication::activeModalWidget();
        if (asks == nullptr || ++seen_ % 3 != 0) { // let it be there for a moment
            return;
        }
        note("answer to", asks);
        QList<QPushButton*> buttons;
        for (QPushButton* button : asks->findChildren<QPushButton*>()) {
            if (button->isVisible() && button->isEnabled()) {
                buttons.push_back(button);
            }
        }
        if (number(2) == 0 || buttons.isEmpty() || qobject_cast<QFileDialog*>(asks) != nullptr) {
            QTest::keyClick(asks, Qt::Key_Escape);
        } else {
            QTest::mouseClick(one_of(buttons), Qt::LeftButton);
        }
    }

    Desk& desk_;
    std::mt19937_64 random_;
    Pulse& pulse_;
    QObject answers_;                  ///< what lives as long as they are given
    std::map<QString, QString> files_; ///< as they were
    int seen_ = 0;
};

} // namespace

class TestMonkey : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everything_at_random()
    {
        const int seconds = qEnvironmentVariableIsSet("WEXILUM_MONKEY_SECONDS") ? qEnvironmentVariableIntValue("WEXILUM_MONKEY_SECONDS")
                            : WEXILUM_EVERY > 1                                 ? 60
                                                                                : 15;
        unsigned seed =
            qEnvironmentVariableIsSet("WEXILUM_MONKEY_SEED") ? unsigned(qEnvironmentVariableIntValue("WEXILUM_MONKEY_SEED")) : 1;
        QElapsedTimer timer;
        timer.start();
        int actions = 0;
        std::vector<QString> jobs{"mirror-cell", "mirror-cell-batch", "pier-cap", "focuser-hub", "fork-arm", "setting-circle"};
        while (timer.elapsed() < qint64(seconds) * 1000) {
            std::fprintf(stderr, "monkey: seed %u\n", seed);
            Desk desk(jobs[seed % jobs.size()]);
            Pulse pulse;
            Monkey monkey(desk, seed, pulse);
            for (int i = 0; i < actions_a_desk && timer.elapsed() < qint64(seconds) * 1000; ++i) {
                monkey.act();
                ++actions;
                for (TextEditor* editor : desk.window().findChildren<TextEditor*>()) {
                    if (editor->isVisible() && !editor->path().isEmpty()) {
                        const auto text = desk.window().workspace().documents().text(editor->path());
                        QVERIFY2(!text || editor->text() == QString::fromUtf8((*text)->data(), qsizetype((*text)->size())),
                                 qPrintable(QStringLiteral("seed %1, action %2: %3").arg(seed).arg(i).arg(editor->path())));
                    }
                }
            }
            QVERIFY2(pulse.longest < longest_ms, qPrintable(QStringLiteral("seed %1: %2 ms without an answer, %3")
                                                                .arg(seed)
                                                                .arg(pulse.longest)
                                                                .arg(QString::fromStdString(pulse.during))));
            qInfo("seed %u: at most %lld ms without an answer, %s", seed, pulse.longest, pulse.during.c_str());
            ++seed;
        }
        qInfo("%d actions, the next seed would be %u", actions, seed);
        QVERIFY(actions > 20);
    }
};

static int run(int argc, char** argv)
{
    QApplication application(argc, argv);
    QCoreApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    const QTemporaryDir home; // where it may begin projects and copies of the demo
    qputenv("HOME", home.path().toLocal8Bit());
    TestMonkey test;
    QTEST_SET_MAIN_SOURCE_PATH
    return QTest::qExec(&test, argc, argv);
}
WEXILUM_TEST_RUN(run)

} // namespace test_monkey
#include "test_monkey.moc"
