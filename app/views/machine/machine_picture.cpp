#include "app/views/machine/machine_picture.hpp"

#include "app/views/machine/scene_notes.hpp"
#include "core/project/job_run.hpp"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace wexilum::app {
namespace {

constexpr double pick_pixels = 7;
constexpr double orbit_step = 0.008; // rad a pixel
constexpr int rest_ms = 160;

} // namespace

MachinePicture::MachinePicture(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("machine-picture"));
    setAccessibleName(tr("picture of the machine"));
    setAttribute(Qt::WA_OpaquePaintEvent);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(200, 160);
    rest_.setSingleShot(true);
    rest_.setInterval(rest_ms);
    connect(&rest_, &QTimer::timeout, this, [this] {
        moving_ = false;
        update();
    });
    camera_.look(Camera::View::corner);
}

MachinePicture::~MachinePicture() = default;

void MachinePicture::set_results(std::shared_ptr<const JobResults> results)
{
    if (scene_.set_results(std::move(results))) {
        fit_machine();
    }
    update();
}

void MachinePicture::set_draft(std::optional<Machine> machine, bool strange)
{
    if (scene_.set_draft(std::move(machine), strange)) {
        fit_machine();
    }
    update();
}

void MachinePicture::set_position(const Readings& readings, std::uint32_t tool, double tool_length, std::uint32_t mount)
{
    if (scene_.set_position(readings, tool, tool_length, mount)) {
        moved();
    }
}

void MachinePicture::set_colouring(PathColouring colouring)
{
    scene_.set_colouring(colouring);
    update();
}

void MachinePicture::set_caption(const QString& caption)
{
    caption_ = caption;
    setAccessibleDescription(caption);
    update();
}

QImage MachinePicture::frame(bool moving) { return graphics_.frame(scene_, camera_, size(), devicePixelRatioF(), moving); }

void MachinePicture::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    SceneNotes notes(painter, scene_, camera_, size());
    const QImage image = frame(moving_);
    if (!image.isNull()) {
        painter.drawImage(rect(), image);
    } else {
        notes.paint_wires(graphics_.why_not());
    }
    notes.paint(caption_);
    if (!image.isNull() && !moving_ && !graphics_.is_whole()) {
        QTimer::singleShot(0, this, qOverload<>(&QWidget::update));
    }
}

QPointF MachinePicture::place_of(const Vec3& in_part) const
{
    if (scene_.machine() == nullptr) {
        return {};
    }
    const Vec3 p = camera_.project(scene_.part_frame() * in_part, size());
    return {p.x(), p.y()};
}

void MachinePicture::look(Camera::View view)
{
    camera_.look(view);
    fit_machine();
}

void MachinePicture::fit_machine()
{
    std::vector<Vec3> ends;
    for (const MachineScene::Part& part : scene_.parts()) {
        const Frame frame = scene_.in_world(part);
        std::transform(part.solid.edges.begin(), part.solid.edges.end(), std::back_inserter(ends),
                       [&](const Eigen::Vector3f& end) { return Vec3(frame * end.cast<double>()); });
    }
    if (!ends.empty()) {
        camera_.fit(ends, size());
        update();
    } else {
        fit_path();
    }
}

void MachinePicture::fit_path()
{
    if (scene_.chunks().empty()) {
        return;
    }
    const ReplayTrack& track = scene_.results()->replayed->track;
    const Frame frame = scene_.part_frame();
    Vec3 low = Vec3::Constant(1e300);
    Vec3 high = Vec3::Constant(-1e300);
    for (const auto& point : track.points()) {
        if (point.motion < track.motions().size() && track.motions()[point.motion].feed) {
            const Vec3 at = frame * Vec3(point.at[0], point.at[1], point.at[2]);
            low = low.cwiseMin(at);
            high = high.cwiseMax(at);
        }
    }
    if (low.x() <= high.x()) {
        camera_.fit(low, high, size());
        update();
    }
}

// --- mouse and keys -------------------------------------------------------------------------------------------------

std::optional<std::size_t> MachinePicture::pick(const QPointF& place) const
{
    if (!scene_.has_job() || !scene_.results()->replayed) {
        return std::nullopt;
    }
    const ReplayTrack& track = scene_.results()->replayed->track;
    const auto& points = track.points();
    const Frame frame = scene_.part_frame();
    // From the part straight to the widget: one row a coordinate.
    const Vec3 zero = camera_.project(frame * Vec3::Zero(), size());
    Eigen::Matrix3f m;
    for (int i = 0; i < 3; ++i) {
        m.col(i) = (camera_.project(frame * Vec3::Unit(i), size()) - zero).cast<float>();
    }
    const Eigen::Vector3f off = zero.cast<float>();
    const Eigen::Vector2f at(float(place.x()), float(place.y()));
    const float near = float(pick_pixels * pick_pixels);
    std::optional<std::size_t> best;
    float best_depth = -1e30F;
    for (const PathShape::Chunk& chunk : scene_.chunks()) {
        const Vec3 middle = 0.5 * (chunk.low + chunk.high);
        const Vec3 half = 0.5 * (chunk.high - chunk.low);
        const Eigen::Vector3f c = m * middle.cast<float>() + off;
        const Eigen::Vector3f reach = m.cwiseAbs() * half.cast<float>();
        if (std::abs(c.x() - at.x()) > reach.x() + pick_pixels || std::abs(c.y() - at.y()) > reach.y() + pick_pixels) {
            continue;
        }
        Eigen::Vector3f from = m * Eigen::Map<const Eigen::Vector3f>(points[std::size_t(chunk.first)].at.data()) + off;
        for (int i = chunk.first + 1; i < chunk.first + chunk.count; ++i) {
            const Eigen::Vector3f to = m * Eigen::Map<const Eigen::Vector3f>(points[std::size_t(i)].at.data()) + off;
            const Eigen::Vector2f way = (to - from).head<2>();
            const float length = way.squaredNorm();
            const float s = length > 0 ? std::clamp((at - from.head<2>()).dot(way) / length, 0.0F, 1.0F) : 0.0F;
            const float distance = (from.head<2>() + way * s - at).squaredNorm();
            const float depth = from.z() + (to.z() - from.z()) * s;
            if (distance <= near && depth - distance > best_depth && scene_.paint()->status[std::size_t(i)] != PathPaint::gap) {
                best = points[std::size_t(i)].motion;
                best_depth = depth - distance;
            }
            from = to;
        }
    }
    return best;
}

void MachinePicture::moved()
{
    moving_ = true;
    rest_.start();
    update();
}

void MachinePicture::mousePressEvent(QMouseEvent* event)
{
    pressed_ = last_ = event->position();
    dragging_ = false;
}

void MachinePicture::mouseMoveEvent(QMouseEvent* event)
{
    const QPointF step = event->position() - last_;
    if (!dragging_ && (event->position() - pressed_).manhattanLength() < 4) {
        return;
    }
    dragging_ = true;
    last_ = event->position();
    const bool pan = event->buttons().testFlag(Qt::MiddleButton) || event->buttons().testFlag(Qt::RightButton) ||
                     event->modifiers().testFlag(Qt::ShiftModifier);
    if (pan) {
        camera_.pan(step.x(), step.y());
    } else {
        camera_.orbit(-step.x() * orbit_step, step.y() * orbit_step);
    }
    moved();
}

void MachinePicture::mouseReleaseEvent(QMouseEvent* event)
{
    if (!dragging_ && event->button() == Qt::LeftButton) {
        if (const auto motion = pick(event->position())) {
            Q_EMIT picked(*motion);
        }
    }
    dragging_ = false;
}

void MachinePicture::wheelEvent(QWheelEvent* event)
{
    camera_.zoom(std::pow(1.0015, event->angleDelta().y()), event->position(), size());
    moved();
}

void MachinePicture::keyPressEvent(QKeyEvent* event)
{
    const bool shift = event->modifiers().testFlag(Qt::ShiftModifier);
    const auto turn = [&](double x, double y) {
        if (shift) {
            camera_.pan(x * 24, y * 24);
        } else {
            camera_.orbit(-x * 0.06, y * 0.06);
        }
        moved();
    };
    switch (event->key()) {
    case Qt::Key_Left: turn(-1, 0); return;
    case Qt::Key_Right: turn(1, 0); return;
    case Qt::Key_Up: turn(0, -1); return;
    case Qt::Key_Down: turn(0, 1); return;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        camera_.zoom(1.2, rect().center(), size());
        moved();
        return;
    case Qt::Key_Minus:
        camera_.zoom(1 / 1.2, rect().center(), size());
        moved();
        return;
    case Qt::Key_F: fit_machine(); return;
    default: QWidget::keyPressEvent(event);
    }
}

void MachinePicture::resizeEvent(QResizeEvent* event)
{
    // The same length of machine stays in sight.
    if (event->oldSize().isValid() && event->oldSize().height() > 50) {
        const double before = std::min(event->oldSize().width(), event->oldSize().height());
        camera_.set_scale(camera_.scale() * std::min(width(), height()) / before);
    } else if (scene_.machine() != nullptr) {
        fit_machine();
    }
}

} // namespace wexilum::app
