#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/main_window.hpp"
#include "app/views/frame/safe_application.hpp"
#include "core/follow/replay_track.hpp"
#include "core/machine/machine.hpp"
#include "core/run/code_store.hpp"

#include <QApplication>
#include <QCommandLineParser>
#include <QDir>
#include <QElapsedTimer>
#include <QFileInfo>
#include <QSettings>
#include <QStandardPaths>

#include <cstdio>

namespace {

using namespace wexilum::app;

constexpr int most_wait_ms = 120000;

bool has_display() { return qEnvironmentVariableIsSet("DISPLAY") || qEnvironmentVariableIsSet("WAYLAND_DISPLAY"); }

/// Processes events until `done`, or for as long as a picture may take.
template <typename F>
bool wait_for(const F& done)
{
    QElapsedTimer timer;
    timer.start();
    while (!done()) {
        if (timer.elapsed() > most_wait_ms) {
            return false;
        }
        QCoreApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents, 20);
    }
    return true;
}

void settle(int ms)
{
    QElapsedTimer timer;
    timer.start();
    while (timer.elapsed() < ms) {
        QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
    }
}

/// What is charted: a course of the axes, or in the replay the program's time.
void show_charts(MainWindow& window, const QString& course)
{
    window.replay().show_page(course == QStringLiteral("time"));
    if (!course.isEmpty()) {
        window.machine().chart(true);
        window.machine().charts().show_course(course == QStringLiteral("speed")          ? wexilum::AxisCourse::speed
                                              : course == QStringLiteral("acceleration") ? wexilum::AxisCourse::acceleration
                                                                                         : wexilum::AxisCourse::position);
    }
}

int take_picture(MainWindow& window, const QString& file, const QCommandLineParser& options)
{
    if (!window.workspace().job().isEmpty() && !wait_for([&] { return !window.workspace().runs().is_running(); })) {
        std::fprintf(stderr, "wexilum: the run takes longer than a picture waits\n");
        return 1;
    }
    if (options.isSet(QStringLiteral("line"))) {
        const uint line = options.value(QStringLiteral("line")).toUInt();
        window.selection().select_line(line > 0 ? line - 1 : 0, options.value(QStringLiteral("word")).toInt() - 1);
    }
    if (options.isSet(QStringLiteral("edit"))) {
        const QStringList edit = options.value(QStringLiteral("edit")).split(QLatin1Char('|'));
        const auto text = window.workspace().documents().text(edit.value(0));
        const std::string from = edit.value(1).toStdString();
        const std::size_t at = text && !from.empty() ? (*text)->find(from) : std::string::npos;
        if (at == std::string::npos) {
            std::fprintf(stderr, "wexilum: --edit needs a file of the project, a text in it and what to put there\n");
            return 2;
        }
        window.show_file(edit.value(0));
        (void)window.workspace().documents().replace(edit.value(0), at, at + from.size(), edit.value(2).toStdString(),
                                                     QStringLiteral("edit"));
        window.show_file(edit.value(0));
        wait_for([&] { return !window.workspace().runs().is_running(); });
    }
    if (options.isSet(QStringLiteral("compare"))) {
        window.replay().load(options.value(QStringLiteral("compare")));
        wait_for([&] { return !window.workspace().compared().loaded() || window.workspace().compared().loaded()->replayed; });
    }
    if (options.value(QStringLiteral("view")) == QStringLiteral("palette")) {
        window.open_palette();
    }
    show_charts(window, options.value(QStringLiteral("charts")));
    if (options.isSet(QStringLiteral("define"))) {
        window.machine().show_side(wexilum::app::MachineView::Side::define);
        window.machine().definition().choose(options.value(QStringLiteral("define")));
    }
    const auto axis = QStringLiteral("xyz").indexOf(options.value(QStringLiteral("section")).toLower());
    window.machine().view_bar().show_section_across(options.isSet(QStringLiteral("section")) ? int(axis) : -1);
    if (options.isSet(QStringLiteral("beside"))) {
        const auto side = wexilum::app::MachineView::side_named(options.value(QStringLiteral("beside")));
        window.machine().show_side(side.value_or(wexilum::app::MachineView::Side::none));
        if (options.isSet(QStringLiteral("line"))) {
            window.selection().select_line(0); // what is beside the picture follows a change
            window.selection().select_line(options.value(QStringLiteral("line")).toUInt() - 1);
        }
        if (side == wexilum::app::MachineView::Side::witnesses) {
            auto* table = window.findChild<QTableWidget*>(QStringLiteral("witnesses"));
            table->setCurrentCell(table->rowCount() - 1, 1);
            auto* source = window.findChild<QComboBox*>(QStringLiteral("fit-source"));
            source->setCurrentIndex(source->count() - 1);
            window.findChild<QPushButton*>(QStringLiteral("fit"))->click();
        }
        if (side == wexilum::app::MachineView::Side::contact) {
            window.findChild<QPushButton*>(QStringLiteral("contact-check"))->click();
            wait_for([&] { return !window.workspace().contact().is_running(); });
            auto* places = window.findChild<QTableWidget*>(QStringLiteral("contact-places"));
            const auto near = places->findItems(QStringLiteral(" of "), Qt::MatchContains); // with a distance to be seen
            places->setCurrentCell(near.isEmpty() ? 0 : near.front()->row(), 0);
        }
    }
    settle(600);
    QPixmap picture = window.grab();
    if (QWidget* popup = QApplication::activePopupWidget()) {
        QPainter painter(&picture);
        painter.drawPixmap(window.mapFromGlobal(popup->pos()), popup->grab());
    }
    if (!picture.save(file)) {
        std::fprintf(stderr, "wexilum: %s can't be written\n", qPrintable(file));
        return 1;
    }
    return 0;
}

} // namespace

int main(int argc, char** argv)
{
    QStringList typed;
    for (int i = 1; i < argc; ++i) {
        typed.push_back(QString::fromLocal8Bit(argv[i]));
    }
    const bool picture = typed.contains(QStringLiteral("--screenshot")) || !typed.filter(QStringLiteral("--screenshot=")).isEmpty();
    const bool asked = typed.contains(QStringLiteral("--help")) || typed.contains(QStringLiteral("--version"));
    if (!has_display() && !qEnvironmentVariableIsSet("QT_QPA_PLATFORM")) {
        if (!picture && !asked) {
            std::fprintf(stderr,
                         "wexilum: there is no display (DISPLAY is not set). For a picture without one:\n"
                         "    wexilum --project DIR --view code --screenshot FILE.png\n"
                         "and with the machine's picture in full, where xvfb is installed:\n"
                         "    xvfb-run -a -s '-screen 0 1600x1000x24' wexilum --project DIR --view machine --screenshot FILE.png\n");
            return 2;
        }
        qputenv("QT_QPA_PLATFORM", "offscreen");
    }
    prepare_graphics();
    SafeApplication application(argc, argv);
    QApplication::setOrganizationName(QStringLiteral("wexilum"));
    QApplication::setApplicationName(QStringLiteral("wexilum"));
    QApplication::setApplicationVersion(QStringLiteral(WEXILUM_VERSION));
    QSettings::setDefaultFormat(QSettings::IniFormat);

    QCommandLineParser options;
    options.setApplicationDescription(QStringLiteral("The window of Wexilum: post toolpaths, see why, and prove the code."));
    options.addHelpOption();
    options.addVersionOption();
    options.addOptions(
        {{QStringLiteral("project"), QStringLiteral("Folder of the project to open."), QStringLiteral("dir")},
         {QStringLiteral("job"), QStringLiteral("Job to look at."), QStringLiteral("name")},
         {QStringLiteral("read"), QStringLiteral("Program to read by itself, with --machine and --controller."), QStringLiteral("file")},
         {QStringLiteral("machine"), QStringLiteral("Machine file, with --read."), QStringLiteral("file")},
         {QStringLiteral("controller"), QStringLiteral("Controller file, with --read."), QStringLiteral("file")},
         {QStringLiteral("setup"), QStringLiteral("Setup file, with --read; without it offsets and tool lengths count as 0."),
          QStringLiteral("file")},
         {QStringLiteral("view"), QStringLiteral("toolpath, machine, setup, language, rules, code or replay."), QStringLiteral("name")},
         {QStringLiteral("size"), QStringLiteral("Size of the window, e.g. 1280x800."), QStringLiteral("wxh")},
         {QStringLiteral("dark"), QStringLiteral("Dark colours.")},
         {QStringLiteral("screenshot"), QStringLiteral("Save a picture of the window and end."), QStringLiteral("file")},
         {QStringLiteral("line"), QStringLiteral("Line of the code to look at, with --screenshot."), QStringLiteral("n")},
         {QStringLiteral("word"), QStringLiteral("Word of that line."), QStringLiteral("n")},
         {QStringLiteral("edit"), QStringLiteral("An edit made before the picture, with --screenshot: FILE|TEXT|BY."),
          QStringLiteral("edit")},
         {QStringLiteral("charts"), QStringLiteral("Charts of the axes, with --screenshot: position, speed or acceleration; or time."),
          QStringLiteral("course")},
         {QStringLiteral("define"), QStringLiteral("Part of the machine to define, with --screenshot: joints/2."), QStringLiteral("part")},
         {QStringLiteral("section"), QStringLiteral("Cuts the machine across its middle, with --screenshot: x, y or z."),
          QStringLiteral("axis")},
         {QStringLiteral("beside"),
          QStringLiteral("Pane beside the machine's picture, with --screenshot: jog, links, contact, reach, witnesses or heads."),
          QStringLiteral("name")},
         {QStringLiteral("compare"), QStringLiteral("Code file to compare, with --screenshot."), QStringLiteral("file")}});
    options.process(application);

    apply_theme(application, false);
    MainWindow window(!picture);
    application.on_problem = [&window](const QString& problem) { window.show_message(problem); };
    if (!picture) {
        window.keep_edits_in(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + QStringLiteral("/kept"));
    }
    if (options.isSet(QStringLiteral("dark"))) {
        window.set_dark(true);
    }
    if (options.isSet(QStringLiteral("size"))) {
        const QStringList size = options.value(QStringLiteral("size")).split(QLatin1Char('x'));
        const int width = size.value(0).toInt();
        const int height = size.value(1).toInt();
        if (width < 400 || height < 300 || width > 16000 || height > 16000) {
            std::fprintf(stderr, "wexilum: --size needs width and height, e.g. 1280x800\n");
            return 2;
        }
        window.resize(width, height);
    }
    window.show();
    if (options.isSet(QStringLiteral("read"))) {
        const auto path = [&](const char* option) {
            const QString value = options.value(QLatin1String(option));
            return value.isEmpty() ? value : QFileInfo(value).absoluteFilePath();
        };
        if (!options.isSet(QStringLiteral("machine")) || !options.isSet(QStringLiteral("controller"))) {
            std::fprintf(stderr, "wexilum: --read needs --machine and --controller\n");
            return 2;
        }
        window.read_code({path("read"), path("machine"), path("controller"), path("setup")});
    }
    if (options.isSet(QStringLiteral("view"))) {
        const QString view = options.value(QStringLiteral("view"));
        bool known = view == QStringLiteral("palette");
        for (std::size_t i = 0; i < station_count; ++i) {
            if (view == QLatin1String(station_keys()[i])) {
                known = true;
                window.show_station(static_cast<Station>(i));
            }
        }
        if (!known) {
            std::fprintf(stderr, "wexilum: there is no view \"%s\"; use toolpath, machine, setup, language, rules, code or replay\n",
                         qPrintable(view));
            return 2;
        }
    }
    if (options.isSet(QStringLiteral("project"))) {
        if (!window.open(options.value(QStringLiteral("project"))) && picture) {
            std::fprintf(stderr, "wexilum: %s is not a project\n", qPrintable(options.value(QStringLiteral("project"))));
            return 2;
        }
        if (options.isSet(QStringLiteral("job"))) {
            const QString job = options.value(QStringLiteral("job"));
            if (!window.workspace().project().jobs().contains(job)) {
                std::fprintf(stderr, "wexilum: the project has no job \"%s\"; its jobs are: %s\n", qPrintable(job),
                             qPrintable(window.workspace().project().jobs().join(QStringLiteral(", "))));
                return 2;
            }
            window.workspace().set_job(job);
        }
    }
    if (picture) {
        return take_picture(window, options.value(QStringLiteral("screenshot")), options);
    }
    return QApplication::exec();
}
