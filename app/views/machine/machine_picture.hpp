// The machine in three dimensions: bodies, tool, stock and path. Draws with a context and framebuffer of its own, so that it also works
// inside ordinary widgets and, without OpenGL, falls back to a wire picture that says why.
#pragma once

#include "app/models/camera.hpp"
#include "app/models/path_shape.hpp"
#include "app/models/solid.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/tokens.hpp"
#include "core/job/assembly.hpp"
#include "core/machine/machine.hpp"

#include <QImage>
#include <QOpenGLFunctions_3_3_Core>
#include <QTimer>
#include <QWidget>
#include <array>
#include <bitset>

#include <memory>

class QOffscreenSurface;
class QOpenGLContext;
class QOpenGLFramebufferObject;
class QOpenGLShaderProgram;

namespace wexilum::app {

enum class Riding { machine, part };

/// What OpenGL has to be asked for before the application object is made.
void prepare_graphics();

class MachinePicture final : public QWidget, protected QOpenGLFunctions_3_3_Core {
    Q_OBJECT
public:
    explicit MachinePicture(QWidget* parent = nullptr);
    ~MachinePicture() override;
    MachinePicture(const MachinePicture&) = delete;
    MachinePicture& operator=(const MachinePicture&) = delete;

    /// Machine and path of a job; null clears the picture. The camera stays where the machine is the same.
    void set_results(std::shared_ptr<const JobResults> results);
    /// Another machine than that of the results, while it is being defined; nothing: theirs. With `strange` it is not the job's own, and
    /// path and part are left out.
    void set_draft(std::optional<Machine> machine, bool strange);
    /// Where the joints stand, with which tool (0: none) in which tool mount (by its place; one that is no tool mount: the machine's
    /// first). An attachment is drawn where its mount is that one. Precondition: there is a machine, and so many joints.
    void set_stand(const Readings& readings, std::uint32_t tool, double tool_length, std::uint32_t mount);
    /// Two solids that meet: drawn round, with the line between their nearest points (base frame) and its length.
    struct Meet {
        std::string first;
        std::string second;
        std::optional<std::pair<Vec3, Vec3>> points;
        QString text;
        State state = State::contact;
    };
    void set_meet(std::optional<Meet> meet);
    /// Lines drawn over the picture, in the part's frame.
    void set_lines(std::vector<std::vector<Vec3>> lines);
    /// The motion that is looked at; nothing for none.
    void set_motion(std::optional<std::size_t> motion);
    void set_colouring(PathColouring colouring);
    void set_riding(Riding riding);
    /// What lies beyond a place on an axis of the machine (base frame, mm), on the viewer's side, is cut away; the tool and the path stay.
    struct Section {
        int axis = 0; ///< 0: X, 1: Y, 2: Z
        double place = 0;
    };
    void set_section(std::optional<Section> section);
    /// How far the machine reaches along an axis, base frame, as it stands; mm. Precondition: there is a machine.
    [[nodiscard]] std::pair<double, double> extent(int axis) const;
    void set_caption(const QString& caption);
    [[nodiscard]] Riding riding() const { return riding_; }

    [[nodiscard]] const Camera& camera() const { return camera_; }
    void look(Camera::View view);
    void fit_machine();
    void fit_path();
    /// Where a point of the part's frame is in the widget, in pixels.
    [[nodiscard]] QPointF place_of(const Vec3& in_part) const;
    /// The motion whose way passes nearest to a place, within a few pixels; in front of others where several do.
    [[nodiscard]] std::optional<std::size_t> pick(const QPointF& place) const;
    [[nodiscard]] bool has_graphics() const { return context_ != nullptr; }
    /// Renders one frame as it is painted; with `moving` as while the camera is dragged. A long path takes several frames to be whole.
    [[nodiscard]] QImage frame(bool moving);
    /// Whether the last frame has the whole path.
    [[nodiscard]] bool is_whole() const { return cache_.valid && !cache_.thin; }

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
    enum class Carrier { base, joint, part, tool };
    struct Part {
        std::string id;
        Solid solid;
        Carrier carrier = Carrier::base;
        int joint = -1;
        Frame frame = Frame::Identity();
        Rgb colour = 0;
        Vec3 low = Vec3::Zero(); ///< of the solid, in its own frame
        Vec3 high = Vec3::Zero();
        int first_triangle = 0; ///< of the corners in the buffer
        int first_edge = 0;
    };

    [[nodiscard]] const Machine* machine() const { return draft_ ? &*draft_ : results_ ? &results_->assembly().machine : nullptr; }
    /// What belongs to the job can be shown.
    [[nodiscard]] bool has_job() const { return results_ != nullptr && !strange_; }
    void build_parts();
    void collect_parts();
    void renew_paint();
    [[nodiscard]] const std::vector<PathShape::Chunk>& chunks() const;
    [[nodiscard]] Frame place_of_part(const Part& part) const;             ///< in the world
    [[nodiscard]] Frame in_base(const Part& part) const;                   ///< in the machine's base frame
    [[nodiscard]] std::array<Vec3, 8> box_in_base(const Part& part) const; ///< corners of the box about its solid
    [[nodiscard]] Frame part_in_base() const;                              ///< the part's frame
    [[nodiscard]] Frame upright() const;                                   ///< from the base frame to one whose z leads away from the floor
    [[nodiscard]] Frame part_frame() const;                                ///< the part's, in the world as the camera sees it
    [[nodiscard]] Frame ride() const; ///< of the base, in the world: upright, and against the work where that stands
    [[nodiscard]] std::vector<Rgb> palette() const;
    [[nodiscard]] bool is_beyond(int joint) const;
    void moved(); ///< the picture changes quickly: thin until it rests

    bool start_graphics();
    void upload();
    void draw_background();
    void renew_cache(const Eigen::Matrix4f& matrix, const QSize& size, bool moving);
    void begin_path();
    void draw_path(bool thin, std::size_t first_chunk, std::size_t end_chunk);
    void draw_over(const QSize& size);
    void draw_chosen(const Eigen::Matrix4f& matrix, const QSize& size);
    [[nodiscard]] Eigen::Vector4f kept_side() const;
    bool start_bodies();
    void free_bodies();
    void renew_shadow();
    void draw_floor();
    void draw_parts();
    void paint_wires(QPainter& painter);
    void paint_notes(QPainter& painter);
    void paint_legend(QPainter& painter) const;
    [[nodiscard]] QString colour_name(std::size_t number) const;

    std::shared_ptr<const JobResults> results_;
    std::optional<Machine> draft_;
    bool strange_ = false;
    std::vector<Part> parts_;
    std::shared_ptr<const PathPaint> paint_;
    std::vector<Frame> joints_;      ///< where each has brought its body
    std::vector<Overtravel> beyond_; ///< joints that stand beyond travel
    void stand_at(const Readings& readings);
    std::uint32_t tool_ = 0;
    double tool_length_ = 0;
    std::uint32_t mount_ = UINT32_MAX;
    std::optional<Meet> meet_;
    std::vector<std::vector<Vec3>> lines_;
    [[nodiscard]] const Mount* tool_mount() const;
    void paint_meet(QPainter& painter);
    std::optional<std::size_t> motion_;
    PathColouring colouring_ = PathColouring::state;
    std::bitset<256> painted_; ///< the colours' numbers that the path has
    Riding riding_ = Riding::machine;
    std::optional<Section> section_;
    Camera camera_;
    QString caption_;
    QPointF pressed_;
    QPointF last_;
    bool dragging_ = false;
    bool moving_ = false;
    QTimer rest_;

    QString why_no_graphics_;
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
    /// What the light sees, from where it stands: base frame. It is taken anew when anything but the camera has moved.
    struct Shadow {
        GLuint target = 0;
        GLuint depth = 0;
        bool valid = false;
        Eigen::Matrix4f matrix = Eigen::Matrix4f::Identity(); ///< from the base frame
        Eigen::Vector4f kept = Eigen::Vector4f::UnitW();
        Vec3 middle = Vec3::Zero(); ///< of all that stands there
        double reach = 0;           ///< mm: how far it goes from there
        double floor = 0;           ///< mm along up
    } shadow_;
    bool upload_parts_ = true;
    bool upload_path_ = true;
    bool upload_status_ = true;
    struct Cache {
        Eigen::Matrix4f matrix = Eigen::Matrix4f::Zero();
        QSize size;
        bool thin = false;
        bool valid = false;
        std::size_t grown = 0; ///< chunks in growing_, for this matrix and size
    } cache_;
};

} // namespace wexilum::app
