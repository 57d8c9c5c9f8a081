// How fast the window answers with large jobs: one JSON object a line. Run by dev/bench --window on a virtual display.
#include "app/theme/theme.hpp"
#include "app/views/frame/main_window.hpp"

#include <QApplication>
#include <QElapsedTimer>
#include <QEventLoop>
#include <QKeyEvent>
#include <QRandomGenerator>
#include <QScrollBar>
#include <QStandardPaths>
#include <QTimer>

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <vector>

using namespace wexilum::app;

namespace {

double ms_since(const QElapsedTimer& timer) { return double(timer.nsecsElapsed()) / 1e6; }

double median(std::vector<double> values)
{
    std::sort(values.begin(), values.end());
    return values.empty() ? 0 : values[values.size() / 2];
}

void tell(const char* name, std::size_t size, double value, double worst, double limit)
{
    std::printf("{\"name\": \"%s\", \"size\": %zu, \"median_ms\": %.2f, \"worst_ms\": %.2f, \"limit_ms\": %.0f}\n", name, size, value,
                worst, limit);
    std::fflush(stdout);
}

/// Runs the event loop until nothing runs; the longest single turn of it is how long the window did not answer.
double run_to_the_end(MainWindow& window, double& after_code)
{
    QElapsedTimer turn;
    double longest = 0;
    bool code = false;
    const QObject here; // the connection ends with what it writes to
    QObject::connect(&window.workspace(), &Workspace::code_changed, &here, [&code] { code = true; });
    while (window.workspace().runs().is_running() || window.workspace().is_replay_old()) {
        const bool before = code;
        turn.start();
        QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
        longest = std::max(longest, ms_since(turn));
        if (code && !before) {
            after_code = ms_since(turn);
        }
        if (window.workspace().error()) {
            std::fprintf(stderr, "bench: %s\n", window.workspace().error()->text().c_str());
            std::exit(1);
        }
    }
    for (int i = 0; i < 20; ++i) {
        turn.start();
        QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
        longest = std::max(longest, ms_since(turn));
    }
    return longest;
}

void picture(MainWindow& window)
{
    window.show_station(Station::machine);
    QCoreApplication::processEvents();
    MachinePicture& picture = window.machine().picture();
    picture.fit_path();
    const std::size_t points = window.workspace().results()->replayed->track.points().size();
    std::vector<double> orbiting;
    std::vector<double> still;
    std::vector<double> cached;
    QElapsedTimer timer;
    for (int i = 0; i < 25; ++i) {
        QKeyEvent key(QEvent::KeyPress, i % 2 == 0 ? Qt::Key_Left : Qt::Key_Up, Qt::NoModifier);
        QCoreApplication::sendEvent(&picture, &key);
        timer.start();
        (void)picture.frame(true);
        orbiting.push_back(ms_since(timer));
        do { // at rest the path becomes whole over a few frames
            timer.start();
            (void)picture.frame(false);
            still.push_back(ms_since(timer));
        } while (!picture.is_whole());
        timer.start();
        (void)picture.frame(false);
        cached.push_back(ms_since(timer));
    }
    tell("frame while orbiting", points, median(orbiting), *std::max_element(orbiting.begin(), orbiting.end()), 100);
    tell("frame at rest, until the path is whole", points, median(still), *std::max_element(still.begin(), still.end()), 100);
    tell("frame at rest, path kept", points, median(cached), *std::max_element(cached.begin(), cached.end()), 100);
    std::vector<double> picks;
    QRandomGenerator random(7);
    for (int i = 0; i < 60; ++i) {
        const QPointF at(random.bounded(picture.width()), random.bounded(picture.height()));
        timer.start();
        (void)picture.pick(at);
        picks.push_back(ms_since(timer));
    }
    tell("pick", points, median(picks), *std::max_element(picks.begin(), picks.end()), 50);
}

void code(MainWindow& window)
{
    window.show_station(Station::code);
    QCoreApplication::processEvents();
    CodeArea& area = window.code().area();
    const std::size_t lines = area.lines()->size();
    std::vector<double> scrolls;
    std::vector<double> steps;
    QElapsedTimer timer;
    QRandomGenerator random(7);
    for (int i = 0; i < 60; ++i) {
        timer.start();
        area.verticalScrollBar()->setValue(i % 2 == 0 ? int(random.bounded(quint32(lines))) : area.verticalScrollBar()->value() + 3);
        area.viewport()->repaint();
        scrolls.push_back(ms_since(timer));
        QKeyEvent key(QEvent::KeyPress, Qt::Key_Down, Qt::NoModifier);
        timer.start();
        QCoreApplication::sendEvent(&area, &key);
        area.viewport()->repaint();
        steps.push_back(ms_since(timer));
        QCoreApplication::processEvents();
    }
    tell("scroll step", lines, median(scrolls), *std::max_element(scrolls.begin(), scrolls.end()), 16);
    tell("block chosen, all views follow", lines, median(steps), *std::max_element(steps.begin(), steps.end()), 100);
}

} // namespace

/// From an edit of a rule until the lines in sight are the new ones, and until the whole program is there; the replay is not waited for.
/// `part`: how far down the program somebody looks, from 0 to 1.
void rule_edits(MainWindow& window, const char* name, const char* rulebook, double part, double limit)
{
    std::vector<double> seen;
    std::vector<double> whole;
    const QString path = QString::fromLatin1(rulebook);
    QScrollBar& bar = *window.code().area().verticalScrollBar();
    for (int i = 0; i < 12; ++i) {
        double unused = 0;
        run_to_the_end(window, unused);
        const auto text = window.workspace().documents().text(path);
        if (!text) {
            std::fprintf(stderr, "bench: %s\n", text.error().text().c_str());
            std::exit(1);
        }
        bar.setValue(int(part * bar.maximum()));
        // Waits as a window at rest does: a loop that keeps asking would take a processor away from the run.
        QEventLoop wait;
        QTimer::singleShot(450, &wait, &QEventLoop::quit); // no burst of typing
        wait.exec();
        bool previewed = false;
        QElapsedTimer timer;
        const QObject here;
        QObject::connect(&window.workspace().runs(), &JobRun::previewed, &here, [&] {
            window.code().area().viewport()->repaint();
            seen.push_back(ms_since(timer));
            previewed = true;
        });
        QObject::connect(&window.workspace(), &Workspace::code_changed, &wait, &QEventLoop::quit);
        timer.start();
        const std::string by = "-- " + std::to_string(i) + "\n";
        const bool first = !text.value()->starts_with("-- ");
        (void)window.workspace().documents().replace(path, 0, first ? 0 : text.value()->find('\n') + 1, by, QStringLiteral("edit"));
        wait.exec();
        window.repaint();
        whole.push_back(ms_since(timer));
        if (!previewed) {
            seen.push_back(whole.back());
        }
    }
    seen.erase(seen.begin()); // the first run reads
    whole.erase(whole.begin());
    const std::size_t lines = window.workspace().results()->posted->code.lines().size();
    tell(fmt::format("{}: lines in sight, {:.0f} % down", name, 100 * part).c_str(), lines, median(seen),
         *std::max_element(seen.begin(), seen.end()), limit);
    tell(fmt::format("{}: the whole", name).c_str(), lines, median(whole), *std::max_element(whole.begin(), whole.end()), 1000);
}

int main(int argc, char** argv)
{
    if (argc != 4 && argc != 6) {
        std::fprintf(stderr, "usage: bench_window PROJECT JOB-FOR-THE-PICTURE JOB-FOR-THE-CODE [JOB-WITH-RULES DEMO-PROJECT]\n");
        return 2;
    }
    prepare_graphics();
    QStandardPaths::setTestModeEnabled(true);
    QApplication application(argc, argv);
    apply_theme(application, false);
    MainWindow window(false);
    window.resize(1280, 800);
    window.show();
    if (!window.open(QString::fromLocal8Bit(argv[1]))) {
        return 1;
    }
    for (int i = 2; i < 4; ++i) {
        window.show_station(i == 2 ? Station::machine : Station::code);
        for (int k = 0; k < 20; ++k) { // a view is laid out when it is first shown
            QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
        }
        window.workspace().set_job(QString::fromLocal8Bit(argv[i]));
        double open = 0;
        const double longest = run_to_the_end(window, open);
        const std::size_t lines = window.workspace().results()->posted->code.lines().size();
        tell("the window did not answer, at most", lines, longest, longest, 100);
        tell("code in sight after the run", lines, open, open, 1000);
        i == 2 ? picture(window) : code(window);
    }
    if (argc == 6) {
        window.show_station(Station::code);
        window.workspace().set_job(QString::fromLocal8Bit(argv[4]));
        for (const double part : {0.0, 0.5, 1.0}) {
            rule_edits(window, "edit of a rule", "rulebooks/event/rulebook.lua", part, 150);
        }
        if (!window.open(QString::fromLocal8Bit(argv[5]))) {
            return 1;
        }
        window.workspace().set_job(QStringLiteral("mirror-back-batch"));
        rule_edits(window, "the same, the demo's job", "rulebooks/tarn-5t/rulebook.lua", 1, 100);
    }
    return 0;
}
