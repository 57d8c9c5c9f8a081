// The machine's scene drawn with OpenGL into a framebuffer of its own, so that it also works inside ordinary widgets.
#pragma once

#include "app/models/camera.hpp"
#include "app/views/machine/machine_scene.hpp"

#include <QImage>
#include <QOpenGLFunctions_3_3_Core>

#include <memory>

class QOffscreenSurface;
class QOpenGLContext;
class QOpenGLFramebufferObject;
class QOpenGLShaderProgram;

namespace wexilum::app {

/// What OpenGL has to be asked for before the application object is made.
void prepare_graphics();

class SceneGraphics final : protected QOpenGLFunctions_3_3_Core {
public:
    SceneGraphics();
    ~SceneGraphics();
    SceneGraphics(const SceneGraphics&) = delete;
    SceneGraphics& operator=(const SceneGraphics&) = delete;

    /// Why there is no OpenGL; empty where there is.
    [[nodiscard]] const QString& why_not() const { return why_not_; }
    /// Renders one frame of a widget of that size, in its own pixels; with `moving` as while the camera is dragged. A long path takes
    /// several frames to be whole. No image without OpenGL.
    [[nodiscard]] QImage frame(const MachineScene& scene, const Camera& camera, const QSize& widget, double pixel_ratio, bool moving);
    /// Whether the last frame has the whole path.
    [[nodiscard]] bool is_whole() const { return cache_.valid && !cache_.thin; }

private:
    using Part = MachineScene::Part;
    using Carrier = MachineScene::Carrier;

    [[nodiscard]] QString start();
    bool start_bodies();
    void free_bodies();
    void fill(int buffer, const void* from, std::size_t bytes, GLenum use);
    void attribute(GLuint index, int size, int stride, std::size_t offset);
    void upload_bytes(int array, int buffer, const std::vector<std::uint8_t>& values);
    void upload();
    void upload_parts();
    void upload_path();
    void upload_colours();
    void draw_background();
    void renew_cache(const Eigen::Matrix4f& matrix, const QSize& size, bool moving);
    void begin_path();
    void draw_path(bool thin, std::size_t first_chunk, std::size_t end_chunk);
    void draw_over(const QSize& size);
    void draw_chosen(const Eigen::Matrix4f& matrix, const QSize& size);
    [[nodiscard]] Eigen::Vector4f kept_side() const;
    void renew_shadow();
    void place_lamp();
    void draw_floor();
    void draw_parts();
    [[nodiscard]] Eigen::Matrix4f camera_matrix() const { return camera_->matrix(widget_); }

    // Of the frame at hand.
    const MachineScene* scene_ = nullptr;
    const Camera* camera_ = nullptr;
    QSize widget_;

    QString why_not_;
    std::unique_ptr<QOpenGLContext> context_;
    std::unique_ptr<QOffscreenSurface> surface_;
    std::unique_ptr<QOpenGLFramebufferObject> target_;
    std::unique_ptr<QOpenGLFramebufferObject> cached_;
    std::unique_ptr<QOpenGLFramebufferObject> growing_; ///< the whole path, piece by piece, while the thinned one is in sight
    std::unique_ptr<QOpenGLShaderProgram> body_program_;
    std::unique_ptr<QOpenGLShaderProgram> path_program_;
    std::unique_ptr<QOpenGLShaderProgram> shadow_program_;
    std::unique_ptr<QOpenGLShaderProgram> floor_program_;
    GLuint arrays_[6]{}; ///< triangles, edges, path, thin path, drawn over, floor
    GLuint buffers_[9]{};
    /// Where the corners of a part begin in the buffers.
    struct Begins {
        int triangle = 0;
        int edge = 0;
    };
    std::vector<Begins> begins_; ///< by part
    /// What the light sees from its place: base frame. It is taken anew when anything but the camera has moved.
    struct Shadow {
        GLuint target = 0;
        GLuint depth = 0;
        std::uint64_t revision = 0;
        Eigen::Matrix4f matrix = Eigen::Matrix4f::Identity(); ///< from the base frame
        Eigen::Vector4f kept = Eigen::Vector4f::UnitW();
        Vec3 middle = Vec3::Zero(); ///< of all that is there
        double reach = 0;           ///< mm: how far it goes from there
        double floor = 0;           ///< mm along up
    } shadow_;
    MachineScene::Revisions uploaded_{0, 0, 0, 0};
    struct Cache {
        Eigen::Matrix4f matrix = Eigen::Matrix4f::Zero();
        QSize size;
        bool thin = false;
        bool valid = false;
        std::size_t grown = 0; ///< chunks in growing_, for this matrix and size
    } cache_;
};

} // namespace wexilum::app
