// The window: run strip, shelf, the chosen station's view, trace and findings.
#pragma once

#include "app/models/setup_models.hpp"
#include "app/views/code/code_view.hpp"
#include "app/views/code/file_view.hpp"
#include "app/views/code/rules_view.hpp"
#include "app/views/code/toolpath_view.hpp"
#include "app/views/code/trace_pane.hpp"
#include "app/views/frame/edits_guard.hpp"
#include "app/views/frame/findings_drawer.hpp"
#include "app/views/frame/palette.hpp"
#include "app/views/frame/run_strip.hpp"
#include "app/views/frame/setup_view.hpp"
#include "app/views/frame/shelf.hpp"
#include "app/views/frame/start_pane.hpp"
#include "app/views/frame/starts.hpp"
#include "app/views/machine/machine_view.hpp"
#include "app/views/replay/replay_view.hpp"

#include <QMainWindow>
#include <QSplitter>
#include <QStackedWidget>

class QProgressBar;

namespace wexilum::app {

class MainWindow final : public QMainWindow {
    Q_OBJECT
public:
    /// `remember`: sizes, theme and recent projects are read from the settings and kept there.
    explicit MainWindow(bool remember, QWidget* parent = nullptr);
    ~MainWindow() override;

    /// Opens a project; what is wrong with it is shown in the window. Asks before, where edits have not been saved, and stays where it is
    /// where these are not to go.
    bool open(const QString& folder);
    /// Reads a program by itself, in place of a job.
    void read_code(const ReadFiles& files);
    /// Unsaved edits are kept aside in a folder from now on; what an earlier window has left there is offered with its project.
    void keep_edits_in(const QString& folder);
    void show_station(Station station);
    [[nodiscard]] Station station() const { return station_; }
    void set_dark(bool dark);
    void open_palette();
    /// Shows a file of the project: its own view where there is one, otherwise its text.
    void show_file(const QString& path);
    void show_message(const QString& message);

    [[nodiscard]] Workspace& workspace() { return workspace_; }
    [[nodiscard]] Selection& selection() { return selection_; }
    [[nodiscard]] CodeView& code() { return *code_; }
    [[nodiscard]] MachineView& machine() { return *machine_; }
    [[nodiscard]] ReplayView& replay() { return *replay_; }
    [[nodiscard]] SetupView& setup() { return *setup_; }
    [[nodiscard]] FileView& language() { return *file_; }
    [[nodiscard]] RulesView& rules() { return *rules_; }

protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    void build();
    void build_menus();
    void build_corner();
    QAction* add(QMenu* menu, const QString& name, const QKeySequence& keys, std::function<void()> run);
    void connect_views();
    void show_side(MachineView::Side side);
    void renew_trace();
    void renew_title();
    void renew_undo();
    void renew_language();
    /// Of what is edited in the view at hand; may be null.
    [[nodiscard]] QUndoStack* stack();
    void renew_progress();
    void renew_recent();
    void open_by_dialog();
    /// Asks what to read; `code` may be empty.
    void read_by_dialog(const QString& code = {});
    void renew_start();
    void jump(const FoundAt& found);
    void show_loaded_line(std::uint32_t line);
    void drop(const QString& path);
    [[nodiscard]] std::vector<Command> commands() const;
    [[nodiscard]] std::vector<Command> commands_for(const QString& typed);
    void read_settings();
    void write_settings() const;

    bool remember_;
    Workspace workspace_;
    EditsGuard guard_;
    Selection selection_;
    Starts starts_;
    SetupEditor setup_editor_;
    MachineEditor machine_editor_;
    QString offered_file_; ///< what the language station shows by itself
    Station station_ = Station::code;
    RunStrip* strip_;
    StartPane* start_;
    Shelf* shelf_;
    ShelfPane* shelf_box_;
    QStackedWidget* stack_;
    ToolpathView* toolpath_;
    MachineView* machine_;
    SetupView* setup_;
    FileView* file_;
    RulesView* rules_;
    CodeView* code_;
    ReplayView* replay_;
    TracePane* trace_;
    FindingsDrawer* findings_;
    QSplitter* across_;
    QSplitter* down_;
    ErrorBand* band_;
    QMenuBar* menus_;
    QLabel* message_;
    QLabel* title_;
    QLabel* doing_;
    QProgressBar* progress_;
    QPushButton* stop_;
    QAction* undo_ = nullptr;
    QAction* redo_ = nullptr;
    QAction* save_ = nullptr;
    QAction* dark_action_ = nullptr;
    QAction* trace_action_ = nullptr;
    QAction* shelf_action_ = nullptr;
    QMenu* recent_menu_ = nullptr;
    QStringList recent_;
    ReadFiles read_before_; ///< what the dialog offers
    QList<QAction*> actions_;
    QList<QAction*> begin_actions_; ///< for files of a project
    QTimer message_timer_;
    QTimer progress_delay_;
};

} // namespace wexilum::app
