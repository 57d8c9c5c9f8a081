// The machine: its picture, its axes to jog, and the job played through.
#pragma once

#include "app/models/selection.hpp"
#include "app/views/axis_slider.hpp"
#include "app/views/file_view.hpp"
#include "app/views/machine_picture.hpp"
#include "app/views/parts.hpp"

#include <QComboBox>
#include <QPushButton>
#include <QSlider>
#include <QWidget>

class QGridLayout;

namespace wexilum::app {

class MachineView final : public SightView {
    Q_OBJECT
public:
    MachineView(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    [[nodiscard]] MachinePicture& picture() { return *picture_; }
    /// Readings that the picture shows: the selection's, or jogged ones.
    [[nodiscard]] const std::optional<Readings>& stand() const { return stand_; }
    void play(bool on);
    void step(int records);
    void run_to_finding();

Q_SIGNALS:
    void open_wanted(const QString& path);
    void told(const QString& message);

protected:
    void hideEvent(QHideEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    QWidget* build_bar();
    QWidget* build_play();
    void renew() override;
    void follow(); ///< the selection has moved
    void show_stand();
    void jog(std::size_t joint, double reading);
    void arrange_axes();
    void tick();

    Workspace& workspace_;
    Selection& selection_;
    MachinePicture* picture_;
    ErrorBand* band_;
    QWidget* axes_box_;
    QGridLayout* axes_grid_;
    std::vector<AxisRow*> axes_;
    QLabel* stands_;
    QPushButton* back_;
    QPushButton* play_ = nullptr;
    QComboBox* speed_ = nullptr;
    QSlider* position_ = nullptr;
    QTimer timer_;
    std::shared_ptr<const JobResults> shown_;
    std::optional<Readings> stand_;
    std::uint32_t tool_ = 0;
    double tool_length_ = 0;
    bool jogged_ = false;
    double due_ = 0;                        ///< records
    std::uint32_t until_ = Selection::none; ///< line at which playing ends
};

} // namespace wexilum::app
