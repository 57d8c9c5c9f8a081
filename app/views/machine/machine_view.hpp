// The machine: its picture, its axes to jog, and the job played through.
#pragma once

#include "app/models/selection.hpp"
#include "app/views/code/file_view.hpp"
#include "app/views/frame/parts.hpp"
#include "app/views/machine/axis_slider.hpp"
#include "app/views/machine/contact_pane.hpp"
#include "app/views/machine/define_pane.hpp"
#include "app/views/machine/heads_pane.hpp"
#include "app/views/machine/jog_pane.hpp"
#include "app/views/machine/links_pane.hpp"
#include "app/views/machine/machine_picture.hpp"
#include "app/views/machine/picture_bar.hpp"
#include "app/views/machine/play_bar.hpp"
#include "app/views/machine/reach_pane.hpp"
#include "app/views/machine/witness_pane.hpp"
#include "app/views/replay/axis_charts.hpp"
#include "core/follow/contact_report.hpp"

#include <QComboBox>
#include <QPushButton>
#include <QStackedWidget>
#include <QWidget>

class QGridLayout;
class QSplitter;

namespace wexilum::app {

class MachineView final : public SightView {
    Q_OBJECT
public:
    MachineView(Workspace& workspace, Selection& selection, MachineEditor& editor, QWidget* parent = nullptr);
    [[nodiscard]] MachinePicture& picture() { return *picture_; }
    [[nodiscard]] DefinePane& definition() { return *pane_; }
    /// Whether the machine is being defined: its parts or witnesses stand beside the picture, which follows them.
    [[nodiscard]] bool is_defining() const { return side() == Side::define || side() == Side::witnesses; }
    /// What stands beside the picture.
    enum class Side { none, define, jog, links, contact, reach, witnesses, heads };
    /// "define", "links": nothing for other names.
    [[nodiscard]] static std::optional<Side> side_named(const QString& name);
    [[nodiscard]] Side side() const { return side_now_; }
    void show_side(Side side);
    [[nodiscard]] PictureBar& view_bar() { return *view_bar_; }
    [[nodiscard]] LinksPane& links() { return *links_; }
    [[nodiscard]] AxisCharts& charts() { return *charts_; }
    /// The axes' courses in the place of their sliders.
    void chart(bool on) { chart_->setChecked(on); }
    /// The machine that is drawn; nullptr where there is none.
    [[nodiscard]] const Machine* draft() const { return machine(); }
    /// Readings that the picture shows: the selection's, or jogged ones.
    [[nodiscard]] const std::optional<Readings>& position() const { return machine_position_; }

Q_SIGNALS:
    void open_wanted(const QString& path);
    void reported(const QString& message);
    void side_changed();

protected:
    void hideEvent(QHideEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    QWidget* build_bar();
    void connect_parts();
    void renew() override;
    void follow(); ///< the selection has moved
    void show_position();
    void show_draft();
    [[nodiscard]] const Machine* machine() const;
    void jog(std::size_t joint, double reading);
    void stand_by_hand(const Readings& readings);
    /// The machine that is drawn is the job's, as its results have it.
    [[nodiscard]] bool is_of_job() const;
    void arrange_axes();
    void play_blocks(std::uint32_t first, std::uint32_t end, const QString& caption);
    void tick_blocks();
    void give_room();
    void show_contact(const ContactPlace* place);

    Workspace& workspace_;
    Selection& selection_;
    MachineEditor& editor_;
    MachinePicture* picture_;
    PictureBar* view_bar_;
    PlayBar* play_bar_;
    DefinePane* pane_;
    JogPane* jog_;
    LinksPane* links_;
    ContactPane* contact_;
    ReachPane* reach_;
    WitnessPane* witnesses_;
    HeadsPane* heads_;
    QSplitter* across_ = nullptr;
    std::optional<std::uint32_t> fitted_; ///< what is seen on the spindle; nothing: as the operation has it
    AxisCharts* charts_;
    QStackedWidget* beside_;
    Side side_now_ = Side::none;
    std::vector<std::pair<Side, QPushButton*>> side_buttons_;
    QPushButton* chart_;
    ErrorBand* band_;
    QWidget* axes_box_;
    QGridLayout* axes_grid_;
    std::vector<AxisRow*> axes_;
    QPushButton* back_;
    std::shared_ptr<const JobResults> shown_;
    std::optional<Readings> machine_position_;
    std::uint32_t tool_ = 0;
    double tool_length_ = 0;
    bool jogged_ = false;
    std::vector<Readings> way_; ///< that is played by itself, position by position
    double way_at_ = 0;         ///< stands
    QString way_caption_;
    QTimer way_timer_;
};

} // namespace wexilum::app
