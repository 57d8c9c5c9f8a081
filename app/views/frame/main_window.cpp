#include "app/views/frame/main_window.hpp"

#include "app/theme/theme.hpp"
#include "core/project/job_run.hpp"

#include <QApplication>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMessageBox>
#include <QProgressBar>
#include <QSettings>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr int message_ms = 9000;
constexpr int progress_after_ms = 150; // what is done sooner shows no progress

} // namespace

MainWindow::MainWindow(bool remember, QWidget* parent)
    : QMainWindow(parent), remember_(remember), guard_(workspace_.documents(), *this, [this](const QString& text) { show_message(text); }),
      selection_(workspace_), starts_(workspace_, *this), setup_editor_(workspace_), machine_editor_(workspace_),
      strip_(new RunStrip(workspace_)), start_(new StartPane(!Beginnings::demo_folder().isEmpty())), shelf_(new Shelf(workspace_)),
      shelf_box_(new ShelfPane(*shelf_)), stack_(new QStackedWidget), toolpath_(new ToolpathView(workspace_, selection_)),
      machine_(new MachineView(workspace_, selection_, machine_editor_)), setup_(new SetupView(workspace_, setup_editor_)),
      file_(new FileView(workspace_)), rules_(new RulesView(workspace_, selection_)), code_(new CodeView(workspace_, selection_)),
      replay_(new ReplayView(workspace_, selection_)), trace_(new TracePane(workspace_, selection_)),
      findings_(new FindingsDrawer(workspace_)), across_(new QSplitter(Qt::Horizontal)), down_(new QSplitter(Qt::Vertical)),
      band_(new ErrorBand), menus_(new QMenuBar), message_(new QLabel), title_(new QLabel), doing_(new QLabel), progress_(new QProgressBar),
      stop_(new QPushButton(tr("Stop")))
{
    setAcceptDrops(true);
    setMinimumSize(960, 600);
    resize(1280, 800);
    build_menus();
    build();
    build_corner();
    connect_views();
    if (remember_) {
        read_settings();
    }
    show_station(Station::code);
    renew_title();
    renew_undo();
}

// The views go before the models they look at.
MainWindow::~MainWindow() { delete takeCentralWidget(); }

void MainWindow::build()
{
    for (QWidget* page : std::initializer_list<QWidget*>{toolpath_, machine_, setup_, file_, rules_, code_, replay_}) {
        stack_->addWidget(page); // in the order of the stations
    }
    shelf_box_->setMinimumWidth(150);
    across_->addWidget(shelf_box_);
    across_->addWidget(stack_);
    across_->addWidget(trace_);
    across_->setStretchFactor(1, 1);
    across_->setSizes({206, 770, 304});
    across_->setChildrenCollapsible(false);
    down_->addWidget(across_);
    down_->addWidget(findings_);
    down_->setStretchFactor(0, 1);
    down_->setSizes({580, 104});
    down_->setChildrenCollapsible(false);
    message_->setObjectName(QStringLiteral("message"));
    message_->setWordWrap(true);
    message_->setContentsMargins(14, 5, 14, 5);
    message_->setVisible(false);
    set_surface(*message_, "sunk");
    auto* central = new QWidget;
    auto* column = new QVBoxLayout(central);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(strip_);
    column->addWidget(band_);
    column->addWidget(down_, 1);
    column->addWidget(start_, 1);
    column->addWidget(message_);
    setCentralWidget(central);
    message_timer_.setSingleShot(true);
    message_timer_.setInterval(message_ms);
    progress_delay_.setSingleShot(true);
    progress_delay_.setInterval(progress_after_ms);
}

QAction* MainWindow::add(QMenu* menu, const QString& name, const QKeySequence& keys, std::function<void()> run)
{
    auto* action = new QAction(name, this);
    action->setShortcut(keys);
    connect(action, &QAction::triggered, this, std::move(run));
    menu->addAction(action);
    actions_.push_back(action);
    return action;
}

void MainWindow::build_menus()
{
    QMenu* project = menus_->addMenu(tr("&Project"));
    add(project, tr("New project …"), QKeySequence::New, [this] { starts_.project(); });
    add(project, tr("Open project …"), QKeySequence::Open, [this] { open_by_dialog(); });
    add(project, tr("Open a copy of the demo"), {}, [this] { starts_.demo(); });
    recent_menu_ = project->addMenu(tr("Recent projects"));
    add(project, tr("Read code …"), Qt::CTRL | Qt::SHIFT | Qt::Key_O, [this] { read_by_dialog(); });
    project->addSeparator();
    QMenu* fresh = project->addMenu(tr("New"));
    for (const auto& [kind, name] :
         {std::pair(FirstKind::machine, tr("New machine …")), std::pair(FirstKind::controller, tr("New controller …")),
          std::pair(FirstKind::dialect, tr("New dialect …")), std::pair(FirstKind::post, tr("New post …")),
          std::pair(FirstKind::rulebook, tr("New rulebook …")), std::pair(FirstKind::setup, tr("New setup …")),
          std::pair(FirstKind::job, tr("New job …"))}) {
        begin_actions_.push_back(add(fresh, name, {}, [this, kind = kind] { starts_.file(kind); }));
    }
    project->addSeparator();
    save_ = add(project, tr("Save edits"), QKeySequence::Save, [this] { guard_.save_all(); });
    add(project, tr("Save code as …"), Qt::CTRL | Qt::SHIFT | Qt::Key_S, [this] { starts_.save_code(); });
    project->addSeparator();
    add(project, tr("Quit"), QKeySequence::Quit, [this] { close(); });
    QMenu* edit = menus_->addMenu(tr("&Edit"));
    undo_ = add(edit, tr("Undo"), QKeySequence::Undo, [this] {
        if (QUndoStack* stack = this->stack()) {
            stack->undo();
        }
    });
    redo_ = add(edit, tr("Redo"), QKeySequence::Redo, [this] {
        if (QUndoStack* stack = this->stack()) {
            stack->redo();
        }
    });
    edit->addSeparator();
    add(edit, tr("Copy code"), Qt::CTRL | Qt::SHIFT | Qt::Key_C, [this] { code_->area().copy(); });
    add(edit, tr("Find"), QKeySequence::Find, [this] {
        if (station_ == Station::language || station_ == Station::rules) {
            (station_ == Station::rules ? rules_->text() : *file_).open_search();
            return;
        }
        if (station_ == Station::toolpath) {
            toolpath_->focus_search();
        } else {
            show_station(Station::code);
            code_->focus_search();
        }
    });
    add(edit, tr("Find next"), Qt::Key_F3, [this] { code_->find_next(false); });
    add(edit, tr("Go to block"), Qt::CTRL | Qt::Key_G, [this] {
        show_station(Station::code);
        code_->focus_go_to();
    });
    QMenu* run = menus_->addMenu(tr("&Run"));
    add(run, tr("Run again"), Qt::Key_F5, [this] { workspace_.run(); });
    add(run, tr("Stop"), Qt::CTRL | Qt::Key_Period, [this] { workspace_.runs().stop(); });
    run->addSeparator();
    add(run, tr("Next finding"), Qt::Key_F8, [this] { findings_->choose_next(); });
    add(run, tr("Play or pause"), Qt::CTRL | Qt::Key_P, [this] {
        show_station(Station::machine);
        machine_->findChild<QPushButton*>(QStringLiteral("play"))->toggle();
    });
    QMenu* view = menus_->addMenu(tr("&View"));
    for (std::size_t i = 0; i < station_count; ++i) {
        const auto station = static_cast<Station>(i);
        add(view, name_of(station), QKeySequence(Qt::CTRL | static_cast<Qt::Key>(Qt::Key_1 + int(i))),
            [this, station] { show_station(station); });
    }
    add(view, tr("Charts of the axes"), Qt::CTRL | Qt::Key_E, [this] {
        const bool on = station_ != Station::machine || !machine_->charts().isVisible();
        show_station(Station::machine);
        machine_->chart(on);
    });
    add(view, tr("Define the machine"), Qt::CTRL | Qt::Key_M, [this] { show_side(MachineView::Side::define); });
    add(view, tr("Jog the machine"), Qt::CTRL | Qt::Key_H, [this] { show_side(MachineView::Side::jog); });
    add(view, tr("Links of the operations"), Qt::CTRL | Qt::Key_L, [this] { show_side(MachineView::Side::links); });
    add(view, tr("Contact and clearances"), Qt::CTRL | Qt::Key_R, [this] { show_side(MachineView::Side::contact); });
    add(view, tr("Reach of the tool"), Qt::CTRL | Qt::Key_I, [this] { show_side(MachineView::Side::reach); });
    add(view, tr("Witnesses of the machine"), Qt::CTRL | Qt::SHIFT | Qt::Key_W, [this] { show_side(MachineView::Side::witnesses); });
    add(view, tr("Attachments of the machine"), Qt::CTRL | Qt::SHIFT | Qt::Key_A, [this] { show_side(MachineView::Side::heads); });
    view->addSeparator();
    const auto toggle = [&](const QString& name, const QKeySequence& keys) {
        QAction* action = add(view, name, keys, [] {});
        action->setCheckable(true);
        action->setChecked(true);
        return action;
    };
    shelf_action_ = toggle(tr("Shelf"), Qt::CTRL | Qt::Key_B);
    connect(shelf_action_, &QAction::toggled, this, &MainWindow::renew_start);
    trace_action_ = toggle(tr("Trace"), Qt::CTRL | Qt::Key_T);
    connect(trace_action_, &QAction::toggled, this, &MainWindow::renew_trace);
    connect(toggle(tr("Findings"), Qt::CTRL | Qt::Key_J), &QAction::toggled, findings_, &QWidget::setVisible);
    view->addSeparator();
    dark_action_ = add(view, tr("Dark"), Qt::CTRL | Qt::Key_D, [] {});
    dark_action_->setCheckable(true);
    connect(dark_action_, &QAction::toggled, this, &MainWindow::set_dark);
    QMenu* help = menus_->addMenu(tr("&Help"));
    add(help, tr("All commands"), Qt::CTRL | Qt::Key_K, [this] { open_palette(); });
    add(help, tr("About Wexilum"), {}, [this] {
        QMessageBox::about(this, tr("Wexilum"),
                           tr("Wexilum %1\n\nFor the people who write post-processors: from toolpath to code, and the proof that the code "
                              "does what the toolpath says.\n\nGPL-3.0-or-later")
                               .arg(QStringLiteral(WEXILUM_VERSION)));
    });
}

void MainWindow::build_corner()
{
    auto* corner = new QWidget;
    auto* row = new QHBoxLayout(corner);
    row->setContentsMargins(0, 2, 12, 2);
    row->setSpacing(10);
    title_->setProperty("role", "faint");
    title_->setObjectName(QStringLiteral("title"));
    doing_->setProperty("role", "soft");
    progress_->setFixedWidth(110);
    progress_->setTextVisible(false);
    progress_->setRange(0, 1000);
    progress_->setObjectName(QStringLiteral("progress"));
    progress_->setAccessibleName(tr("progress of the run"));
    stop_->setObjectName(QStringLiteral("stop"));
    stop_->setAccessibleName(tr("stop the run"));
    stop_->setToolTip(tr("Stops the run (Ctrl+.)"));
    auto* anything = new QPushButton(tr("Ctrl K  anything"));
    anything->setObjectName(QStringLiteral("anything"));
    anything->setAccessibleName(tr("all commands"));
    anything->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed); // whatever a run has to say beside it
    for (QWidget* widget : std::initializer_list<QWidget*>{doing_, progress_, stop_, title_, anything}) {
        row->addWidget(widget);
    }
    // A bar of its own: a menu bar's corner keeps the size it had when it was set.
    auto* top = new QWidget;
    set_surface(*top, "paper");
    auto* across = new QHBoxLayout(top);
    across->setContentsMargins(0, 0, 0, 0);
    menus_->setSizePolicy(QSizePolicy::Minimum, QSizePolicy::Fixed);
    across->addWidget(menus_);
    across->addStretch(1);
    across->addWidget(corner);
    setMenuWidget(top);
    connect(stop_, &QPushButton::clicked, &workspace_.runs(), &JobRun::stop);
    connect(anything, &QPushButton::clicked, this, &MainWindow::open_palette);
    renew_progress();
}

void MainWindow::connect_views()
{
    connect(strip_, &RunStrip::chosen, this, &MainWindow::show_station);
    connect(shelf_, &Shelf::job_chosen, &workspace_, &Workspace::set_job);
    connect(start_, &StartPane::demo_wanted, &starts_, &Starts::demo);
    connect(start_, &StartPane::new_wanted, &starts_, &Starts::project);
    connect(start_, &StartPane::open_wanted, this, &MainWindow::open_by_dialog);
    connect(start_, &StartPane::recent_wanted, this, &MainWindow::open);
    connect(start_, &StartPane::read_wanted, this, [this] { read_by_dialog(); });
    connect(&starts_, &Starts::open_wanted, this, &MainWindow::open);
    connect(&starts_, &Starts::file_wanted, this, &MainWindow::show_file);
    connect(&starts_, &Starts::reported, this, &MainWindow::show_message);
    for (const auto renew : {&MainWindow::renew_start, &MainWindow::renew_title}) {
        connect(&workspace_.project(), &ProjectFiles::changed, this, renew);
        connect(&workspace_, &Workspace::job_changed, this, renew);
    }
    renew_start();
    for (const auto signal : {&Workspace::code_changed, &Workspace::job_changed}) {
        connect(&workspace_, signal, this, &MainWindow::renew_language);
    }
    for (FileView* view : {file_, &rules_->text()}) {
        connect(view, &FileView::path_changed, this, &MainWindow::renew_undo);
        connect(view, &FileView::line_wanted, this, [this](std::uint32_t line) {
            selection_.select_line(line);
            show_station(Station::code);
        });
    }
    connect(shelf_, &Shelf::file_chosen, this, &MainWindow::show_file);
    connect(findings_, &FindingsDrawer::chosen, this, &MainWindow::jump);
    connect(replay_, &ReplayView::line_wanted, this, [this](bool loaded, std::uint32_t line) {
        if (loaded) {
            show_loaded_line(line);
        } else {
            code_->show_loaded(false);
            selection_.select_line(line);
        }
    });
    const auto open_file = [this](const QString& path) {
        file_->show_file(path);
        show_station(Station::language);
    };
    connect(setup_, &SetupView::open_wanted, this, open_file);
    connect(machine_, &MachineView::open_wanted, this, open_file);
    connect(machine_, &MachineView::reported, this, &MainWindow::show_message);
    connect(band_, &ErrorBand::open_wanted, this, open_file);
    connect(&workspace_.project(), &ProjectFiles::message, this, &MainWindow::show_message);
    for (const auto signal : {&JobRun::started, &JobRun::finished, &JobRun::progressed}) {
        connect(&workspace_.runs(), signal, this, &MainWindow::renew_progress);
    }
    connect(&workspace_.runs(), &JobRun::started, &progress_delay_, qOverload<>(&QTimer::start));
    connect(&progress_delay_, &QTimer::timeout, this, &MainWindow::renew_progress);
    // An error that no station's own view shows stands below the strip.
    const auto renew_band = [this] {
        const auto& error = workspace_.error();
        const bool elsewhere = error && station_of_file(error->place.file) != Station::code && error->place.line != 0 &&
                               station_of_file(error->place.file) == station_;
        band_->show_error(elsewhere ? std::nullopt : error,
                          workspace_.results() ? tr("Everything below shows the last good state.") : QString());
    };
    for (const auto signal : {&Workspace::failed, &Workspace::code_changed, &Workspace::job_changed}) {
        connect(&workspace_, signal, this, renew_band);
    }
    connect(stack_, &QStackedWidget::currentChanged, this, renew_band);
    connect(&setup_editor_, &SetupEditor::changed, this, &MainWindow::renew_undo);
    connect(&machine_editor_, &MachineEditor::changed, this, &MainWindow::renew_undo);
    connect(machine_, &MachineView::side_changed, this, [this] {
        renew_undo();
        renew_trace();
    });
    for (const auto when : {Qt::DirectConnection, Qt::QueuedConnection}) { // the text changes before its undo stack has the step
        connect(&workspace_.documents(), &Documents::edited, this, &MainWindow::renew_undo, when);
    }
    connect(&workspace_.documents(), &Documents::saved, this, &MainWindow::renew_undo);
    connect(&message_timer_, &QTimer::timeout, message_, &QWidget::hide);
}

// --- what is shown --------------------------------------------------------------------------------------------------

void MainWindow::show_station(Station station)
{
    station_ = station_is_there(workspace_, station) ? station : Station::code;
    station = station_;
    renew_undo();
    strip_->set_current(station);
    stack_->setCurrentIndex(int(station));
    renew_trace();
}

/// A second click hides it.
void MainWindow::show_side(MachineView::Side side)
{
    if (workspace_.reading() && side != MachineView::Side::contact) {
        show_message(tr("A program is read by itself: choose a job on the left, or open a project, for what belongs to a job."));
        return;
    }
    const bool on = station_ != Station::machine || machine_->side() != side;
    show_station(Station::machine);
    machine_->show_side(on ? side : MachineView::Side::none);
}

void MainWindow::renew_trace()
{
    const bool says_something = station_ != Station::setup && station_ != Station::language && station_ != Station::rules;
    const bool room =
        !(station_ == Station::machine && machine_->side() != MachineView::Side::none) || width() >= 1600; // for parts and picture
    trace_->setVisible(says_something && room && trace_action_->isChecked());
}

void MainWindow::show_file(const QString& path)
{
    const auto& results = workspace_.results();
    if (results) {
        const auto& toolpaths = results->posted->toolpaths;
        const std::string file = path.toStdString();
        if (workspace_.results() && path == workspace_.results()->setup_path()) {
            show_station(Station::setup);
            return;
        }
        if (file == results->assembly().post.machine) {
            show_station(Station::machine);
            return;
        }
        const auto used = std::find(toolpaths.begin(), toolpaths.end(), file);
        if (used != toolpaths.end()) {
            show_station(Station::toolpath);
            const auto operation = std::size_t(used - toolpaths.begin());
            selection_.select_record(std::uint32_t(results->posted->run.outline.operations[operation].first_record));
            return;
        }
    }
    if (path.endsWith(QLatin1String(".lua"))) {
        show_station(Station::rules);
        rules_->show_place(path, 1);
        return;
    }
    file_->show_file(path);
    show_station(Station::language);
}

/// Of the compared file, from 0.
void MainWindow::show_loaded_line(std::uint32_t line)
{
    code_->show_loaded(true);
    show_station(Station::code);
    code_->area().show_line(line, -1);
}

void MainWindow::jump(const FoundAt& found)
{
    const Finding& f = found.finding;
    if (found.by == FoundAt::By::file && workspace_.reading()) {
        return; // its file is none of the project's; the band says all
    }
    if (found.by == FoundAt::By::file) {
        file_->show_file(QString::fromStdString(f.source.file));
        show_station(Station::language);
        return;
    }
    if (!found.in_posted_code() && f.code.line > 0) {
        show_loaded_line((f.worst_code.line > 0 ? f.worst_code : f.code).line - 1);
        return;
    }
    code_->show_loaded(false);
    if (f.rule.line > 0) {
        (void)selection_.select_place(f);
        show_station(Station::rules);
        rules_->show_place(QString::fromStdString(f.rule.file), int(f.rule.line));
        return;
    }
    if (!selection_.select_place(f)) {
        if (!f.source.file.empty()) {
            file_->show_file(QString::fromStdString(f.source.file));
            show_station(Station::language);
        }
        return;
    }
    if (station_ == Station::setup || station_ == Station::language || station_ == Station::rules) {
        show_station(Station::code);
    }
}

void MainWindow::show_message(const QString& message)
{
    message_->setText(message);
    message_->setVisible(true);
    message_timer_.start();
}

void MainWindow::renew_title()
{
    const QString project = workspace_.reading() ? tr("read by itself") : QFileInfo(workspace_.project().folder()).fileName();
    title_->setText(project.isEmpty() ? QString() : project + QStringLiteral(" · ") + workspace_.job());
    setWindowTitle(project.isEmpty() ? tr("Wexilum") : tr("%1 · %2[*] – Wexilum").arg(project, workspace_.job()));
    renew_undo();
}

QUndoStack* MainWindow::stack()
{
    if (station_ == Station::language || station_ == Station::rules) {
        return workspace_.documents().stack(station_ == Station::rules ? rules_->text().path() : file_->path());
    }
    if (station_ == Station::machine && machine_->side() != MachineView::Side::none) {
        const auto& results = workspace_.results();
        return machine_->is_defining() || !results ? machine_editor_.stack()
                                                   : workspace_.documents().stack(QString::fromStdString(results->assembly().job_file));
    }
    return setup_editor_.stack();
}

/// The files that the language of the job at hand is made of.
void MainWindow::renew_language()
{
    QStringList files;
    if (const auto& results = workspace_.results(); results && !workspace_.reading()) {
        const Assembly& a = results->assembly();
        for (const std::string& file : {a.post.controller, a.post.dialect, a.job.post, a.job_file, a.post.machine, a.job.setup}) {
            files.push_back(QString::fromStdString(file));
        }
    }
    file_->set_files(files, tr("Choose a file on the left to see and edit its text."));
    // What nobody has chosen follows the job.
    const bool of_another_job = file_->path() == offered_file_ && !files.contains(file_->path());
    if (files.size() > 1 && (file_->path().isEmpty() || of_another_job)) {
        offered_file_ = files[1];
        file_->show_file(offered_file_);
    }
}

void MainWindow::renew_undo()
{
    const QUndoStack* stack = this->stack();
    undo_->setEnabled(stack != nullptr && stack->canUndo());
    redo_->setEnabled(stack != nullptr && stack->canRedo());
    undo_->setText(undo_->isEnabled() ? tr("Undo %1").arg(stack->undoText()) : tr("Undo"));
    redo_->setText(redo_->isEnabled() ? tr("Redo %1").arg(stack->redoText()) : tr("Redo"));
    const bool changed = !workspace_.documents().changed_paths().isEmpty();
    save_->setEnabled(changed);
    setWindowModified(changed);
}

void MainWindow::renew_progress()
{
    const bool shown = workspace_.runs().is_running() && !progress_delay_.isActive();
    for (QWidget* widget : {static_cast<QWidget*>(progress_), static_cast<QWidget*>(stop_), static_cast<QWidget*>(doing_)}) {
        widget->setVisible(shown);
    }
    if (shown) {
        progress_->setValue(int(workspace_.runs().progress() * 1000));
        doing_->setText(workspace_.runs().doing());
    }
    if (!workspace_.runs().is_running() && workspace_.runs().was_stopped()) {
        show_message(tr("The run was stopped. F5 runs it again."));
    }
}

void MainWindow::set_dark(bool dark)
{
    apply_theme(*qobject_cast<QApplication*>(QCoreApplication::instance()), dark);
    const QSignalBlocker quiet(dark_action_);
    dark_action_->setChecked(dark);
    machine_->picture().set_results(workspace_.results());
    Q_EMIT workspace_.findings_changed();
    for (QWidget* widget : findChildren<QWidget*>()) {
        widget->update();
    }
    selection_.select_word(selection_.word());
    if (selection_.line() != Selection::none) {
        Q_EMIT selection_.line_changed();
    }
}

// --- palette --------------------------------------------------------------------------------------------------------

std::vector<Command> MainWindow::commands() const
{
    std::vector<Command> out;
    for (QAction* action : actions_) {
        if (action->isEnabled()) {
            out.push_back({action->text().remove(QLatin1Char('&')), action->shortcut().toString(QKeySequence::NativeText),
                           [action] { action->trigger(); }});
        }
    }
    return out;
}

std::vector<Command> MainWindow::commands_for(const QString& typed)
{
    std::vector<Command> out;
    bool is_number = false;
    const uint line = typed.trimmed().toUInt(&is_number);
    if (is_number && line > 0) {
        out.push_back({tr("Go to line %1 of the code").arg(line), tr("code"), [this, line] {
                           show_station(Station::code);
                           selection_.select_line(line - 1);
                       }});
        out.push_back({tr("Go to record %1").arg(line), tr("toolpath"), [this, line] { selection_.select_record(line - 1); }});
    }
    if (typed.isEmpty()) {
        return out;
    }
    for (const QString& job : workspace_.project().jobs()) {
        if (job.contains(typed, Qt::CaseInsensitive)) {
            out.push_back({job, tr("job"), [this, job] { workspace_.set_job(job); }});
        }
    }
    return out;
}

void MainWindow::open_palette()
{
    auto* palette = new CommandPalette(
        commands(), [this](const QString& typed) { return commands_for(typed); }, this);
    palette->setAttribute(Qt::WA_DeleteOnClose);
    palette->move(mapToGlobal(QPoint((width() - palette->width()) / 2, 90)));
    palette->show();
}

// --- settings -------------------------------------------------------------------------------------------------------

void MainWindow::read_settings()
{
    const QSettings settings;
    const QStringList read = settings.value(QStringLiteral("read")).toStringList();
    read_before_ = {read.value(0), read.value(1), read.value(2), read.value(3)};
    restoreGeometry(settings.value(QStringLiteral("window/geometry")).toByteArray());
    across_->restoreState(settings.value(QStringLiteral("window/across")).toByteArray());
    down_->restoreState(settings.value(QStringLiteral("window/down")).toByteArray());
    recent_ = settings.value(QStringLiteral("recent")).toStringList();
    renew_recent();
    set_dark(settings.value(QStringLiteral("dark"), false).toBool());
}

void MainWindow::write_settings() const
{
    QSettings settings;
    settings.setValue(QStringLiteral("window/geometry"), saveGeometry());
    settings.setValue(QStringLiteral("window/across"), across_->saveState());
    settings.setValue(QStringLiteral("window/down"), down_->saveState());
    settings.setValue(QStringLiteral("recent"), recent_);
    settings.setValue(QStringLiteral("read"),
                      QStringList{read_before_.code, read_before_.machine, read_before_.controller, read_before_.setup});
    settings.setValue(QStringLiteral("dark"), is_dark());
}

} // namespace wexilum::app
