// The machine in three dimensions, to be looked at and turned: a scene, drawn with OpenGL or, where there is none, as wires.
#pragma once

#include "app/views/machine/scene_graphics.hpp"

#include <QTimer>
#include <QWidget>

namespace wexilum::app {

class MachinePicture final : public QWidget {
    Q_OBJECT
public:
    explicit MachinePicture(QWidget* parent = nullptr);
    ~MachinePicture() override;

    // As those of MachineScene. The camera stays where the machine is the same.
    void set_results(std::shared_ptr<const JobResults> results);
    void set_draft(std::optional<Machine> machine, bool strange);
    void set_position(const Readings& readings, std::uint32_t tool, double tool_length, std::uint32_t mount);
    void set_colouring(PathColouring colouring);
    [[nodiscard]] const MachineScene& scene() const { return scene_; }
    /// Changes what has no consequences: riding, section, motion, what meets, lines.
    template <typename Change>
    void show(const Change& change)
    {
        change(scene_);
        update();
    }
    void set_caption(const QString& caption);

    [[nodiscard]] const Camera& camera() const { return camera_; }
    void look(Camera::View view);
    void fit_machine();
    void fit_path();
    /// Where a point of the part's frame is in the widget, in pixels.
    [[nodiscard]] QPointF place_of(const Vec3& in_part) const;
    /// The motion whose way passes nearest to a place, within a few pixels; in front of others where several do.
    [[nodiscard]] std::optional<std::size_t> pick(const QPointF& place) const;
    [[nodiscard]] bool has_graphics() const { return graphics_.why_not().isEmpty(); }
    /// Renders one frame as it is painted; with `moving` as while the camera is dragged. A long path takes several frames to be whole.
    [[nodiscard]] QImage frame(bool moving);
    /// Whether the last frame has the whole path.
    [[nodiscard]] bool is_whole() const { return graphics_.is_whole(); }

Q_SIGNALS:
    void picked(std::size_t motion);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void moved(); ///< the picture changes quickly: thin until it rests

    MachineScene scene_;
    SceneGraphics graphics_;
    Camera camera_;
    QString caption_;
    QPointF pressed_;
    QPointF last_;
    bool dragging_ = false;
    bool moving_ = false;
    QTimer rest_;
};

} // namespace wexilum::app
