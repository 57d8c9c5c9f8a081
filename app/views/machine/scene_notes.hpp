// What is painted over the machine's picture, and the picture of wires where there is no OpenGL.
#pragma once

#include "app/models/camera.hpp"
#include "app/views/machine/machine_scene.hpp"

#include <QCoreApplication>
#include <QPainter>

namespace wexilum::app {

/// For one picture: everything must outlive the object.
class SceneNotes {
    Q_DECLARE_TR_FUNCTIONS(SceneNotes)
public:
    SceneNotes(QPainter& painter, const MachineScene& scene, const Camera& camera, const QSize& size)
        : painter_(painter), scene_(scene), camera_(camera), size_(size)
    {}

    /// Lines, what meets, the path's colours, the machine's axes, what is beyond travel.
    void paint(const QString& caption);
    /// Bodies and path by lines. `why`: there is no OpenGL.
    void paint_wires(const QString& why);

private:
    void paint_edges(const MachineScene::Part& part, const QPen& pen);
    void paint_lines();
    void paint_meet();
    void paint_legend();
    void paint_axes();
    void paint_beyond();
    void paint_card(State state, const QString& text, const QRectF& card);
    [[nodiscard]] QString colour_name(std::size_t number) const;
    [[nodiscard]] QPointF place_of(const Vec3& in_part) const;

    QPainter& painter_;
    const MachineScene& scene_;
    const Camera& camera_;
    QSize size_;
};

} // namespace wexilum::app
