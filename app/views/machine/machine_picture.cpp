// What the picture shows and how it is handled; machine_picture_draw.cpp has the drawing.
#include "app/views/machine/machine_picture.hpp"

#include "app/theme/theme.hpp"
#include "core/job/assembly.hpp"
#include "core/machine/kinematics.hpp"
#include "core/project/job_run.hpp"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLShaderProgram>
#include <QSurfaceFormat>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace wexilum::app {
namespace {

constexpr double pick_pixels = 7;
constexpr double orbit_step = 0.008; // rad a pixel
constexpr int rest_ms = 160;

} // namespace

void prepare_graphics()
{
    QSurfaceFormat format;
    format.setRenderableType(QSurfaceFormat::OpenGL);
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    format.setSamples(0);
    QSurfaceFormat::setDefaultFormat(format);
}

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
    start_graphics();
}

void MachinePicture::set_results(std::shared_ptr<const JobResults> results)
{
    const bool other = results && (!results_ || results_->assembly().machine.name != results->assembly().machine.name);
    results_ = std::move(results);
    motion_.reset();
    tool_ = 0;
    if (machine() != nullptr) {
        stand_at(machine()->home());
    }
    build_parts();
    upload_path_ = true;
    renew_paint();
    if (other) {
        fit_machine();
    }
    update();
}

void MachinePicture::set_draft(std::optional<Machine> machine, bool strange)
{
    const bool other = machine.has_value() != draft_.has_value() || strange != strange_ ||
                       (machine && draft_ && machine->bodies.empty() != draft_->bodies.empty());
    draft_ = std::move(machine);
    strange_ = strange;
    if (this->machine() != nullptr) {
        stand_at(this->machine()->home());
    }
    build_parts();
    if (other) {
        upload_path_ = true;
        renew_paint();
        fit_machine();
    }
    update();
}

const Mount* MachinePicture::tool_mount() const
{
    const auto& mounts = machine()->mounts;
    return mount_ < mounts.size() && mounts[mount_].kind == MountKind::tool ? &mounts[mount_] : machine()->first_mount(MountKind::tool);
}

void MachinePicture::set_lines(std::vector<std::vector<Vec3>> lines)
{
    lines_ = std::move(lines);
    update();
}

void MachinePicture::set_meet(std::optional<Meet> meet)
{
    meet_ = std::move(meet);
    update();
}

void MachinePicture::set_stand(const Readings& readings, std::uint32_t tool, double tool_length, std::uint32_t mount)
{
    if (machine() == nullptr || std::size_t(readings.size()) != machine()->joints.size()) {
        return;
    }
    stand_at(readings);
    if (tool != tool_ || tool_length != tool_length_ || mount != mount_) {
        mount_ = mount;
        tool_ = tool;
        tool_length_ = tool_length;
        build_parts();
    }
    moved();
}

void MachinePicture::stand_at(const Readings& readings)
{
    const Machine& machine = *this->machine();
    shadow_.valid = false;
    joints_ = joint_frames(machine, readings);
    beyond_ = overtravels(machine, readings, 1e-6);
}

void MachinePicture::set_motion(std::optional<std::size_t> motion)
{
    motion_ = motion;
    update();
}

void MachinePicture::set_colouring(PathColouring colouring)
{
    colouring_ = colouring;
    renew_paint();
    update();
}

void MachinePicture::set_riding(Riding riding)
{
    riding_ = riding;
    update();
}

void MachinePicture::set_section(std::optional<Section> section)
{
    section_ = section;
    update();
}

std::pair<double, double> MachinePicture::extent(int axis) const
{
    std::pair<double, double> out{0, 0};
    bool first = true;
    for (const Part& part : parts_) {
        for (const Vec3& corner : box_in_base(part)) {
            const double at = corner[axis];
            out = first ? std::pair(at, at) : std::pair(std::min(out.first, at), std::max(out.second, at));
            first = false;
        }
    }
    return out;
}

void MachinePicture::set_caption(const QString& caption)
{
    caption_ = caption;
    setAccessibleDescription(caption);
    update();
}

// --- what there is --------------------------------------------------------------------------------------------------

void MachinePicture::build_parts()
{
    parts_.clear();
    upload_parts_ = true;
    shadow_.valid = false;
    if (machine() != nullptr) {
        collect_parts();
    }
    for (Part& part : parts_) {
        const auto& corners = part.solid.triangles;
        part.low = part.high = corners.empty() ? Vec3(Vec3::Zero()) : Vec3(corners.front().at.cast<double>());
        for (const Solid::Corner& corner : corners) {
            part.low = part.low.cwiseMin(corner.at.cast<double>());
            part.high = part.high.cwiseMax(corner.at.cast<double>());
        }
    }
}

void MachinePicture::collect_parts()
{
    const Tokens& t = tokens();
    for (const Body& body : machine()->bodies) {
        if (body.mount >= 0 && std::uint32_t(body.mount) != mount_) {
            continue; // of an attachment that is not fitted
        }
        parts_.push_back({body.id, solid_of(body), body.parent < 0 ? Carrier::base : Carrier::joint, body.parent, body.frame, t.body});
    }
    if (!has_job()) {
        return;
    }
    const Assembly& a = results_->assembly();
    const Rgb stock = is_dark() ? 0x4F6F69 : 0xC9DAD2;
    for (const Body& body : a.setup.stock) {
        parts_.push_back({body.id, solid_of(body), Carrier::part, -1, body.frame, stock});
    }
    if (const Tool* tool = a.setup.find_tool(tool_); tool != nullptr && tool_length_ > 0) {
        Frame frame = Frame::Identity();
        const Mount* mount = tool_mount();
        const Rgb colour = is_dark() ? Rgb(0x8FB0C8) : Rgb(0x56788F);
        if (mount != nullptr && mount->blade) { // a disc across y
            Body disc;
            disc.shape = wexilum::Shape::cylinder;
            disc.bottom = disc.top = 2 * tool_length_;
            disc.length = std::max(0.5, tool->width);
            frame = Eigen::Translation3d(0, -disc.length / 2, 0) * Eigen::AngleAxisd(-pi / 2, Vec3::UnitX());
            parts_.push_back({"cutter", solid_of(disc), Carrier::tool, -1, frame, colour});
        } else {
            frame.translation() = Vec3(0, 0, -tool_length_);
            parts_.push_back({"cutter", solid_of(*tool, tool_length_), Carrier::tool, -1, frame, colour});
        }
    }
}

/// Takes the colours of the segments anew; those by state come with the results.
void MachinePicture::renew_paint()
{
    upload_status_ = true;
    cache_.valid = false;
    if (!has_job() || !results_->replayed) {
        paint_.reset();
    } else if (colouring_ == PathColouring::state) {
        paint_ = results_->paint;
    } else {
        paint_ =
            std::make_shared<const PathPaint>(path_paint_of(*results_->posted, results_->replayed->track, results_->states, colouring_));
    }
    painted_.reset();
    for (const std::uint8_t status : paint_ ? paint_->status : std::vector<std::uint8_t>()) {
        painted_.set(status);
    }
}

std::vector<Rgb> MachinePicture::palette() const
{
    const Tokens& t = tokens();
    const auto state = [&](State s) { return t.states[std::size_t(s)]; };
    const Rgb rapid = is_dark() ? 0x59636D : 0xB9B09C;
    if (colouring_ == PathColouring::operation) {
        return is_dark() ? std::vector<Rgb>{rapid, 0x6CC4B1, 0xD0BA84, 0xA7A4DC, 0xE0A58C, 0x8FBCE0, 0xB6C77A}
                         : std::vector<Rgb>{rapid, 0x1F7A6C, 0x8A6A1E, 0x55529C, 0x9A4E33, 0x2F6690, 0x5C6E1C};
    }
    if (colouring_ == PathColouring::deviation) {
        return is_dark() ? std::vector<Rgb>{rapid, 0x2F5F56, 0x43897B, 0x6CC4B1, 0xC9C07A, 0xE0A843, state(State::beyond)}
                         : std::vector<Rgb>{rapid, 0x9CCBBF, 0x55A393, 0x1F7A6C, 0x8E7A1E, 0xB07A14, state(State::beyond)};
    }
    return {rapid,
            t.fill,
            state(State::margin),
            state(State::singular),
            state(State::beyond),
            state(State::contact),
            state(State::close),
            state(State::contact)};
}

bool MachinePicture::is_beyond(int joint) const
{
    return std::any_of(beyond_.begin(), beyond_.end(), [joint](const Overtravel& over) { return int(over.joint.value) == joint; });
}

// --- frames ---------------------------------------------------------------------------------------------------------

Frame MachinePicture::ride() const
{
    if (machine() == nullptr) {
        return Frame::Identity();
    }
    const Mount* work = machine()->first_mount(MountKind::work);
    if (riding_ == Riding::machine || work == nullptr || work->parent < 0) {
        return upright();
    }
    // The work stands still, as it does in the reference posture.
    return upright() * joints_[std::size_t(work->parent)].inverse();
}

Frame MachinePicture::upright() const { return Frame(Eigen::Quaterniond::FromTwoVectors(machine()->up, Vec3::UnitZ())); }

Frame MachinePicture::part_in_base() const
{
    const Mount* work = machine()->first_mount(MountKind::work);
    Frame frame = Frame::Identity();
    if (work != nullptr) {
        frame = (work->parent < 0 ? Frame::Identity() : joints_[std::size_t(work->parent)]) * work->frame;
    }
    return has_job() ? frame * results_->assembly().setup.part : frame;
}

Frame MachinePicture::part_frame() const { return ride() * part_in_base(); }

std::array<Vec3, 8> MachinePicture::box_in_base(const Part& part) const
{
    const Frame frame = in_base(part);
    std::array<Vec3, 8> out;
    for (std::size_t i = 0; i < out.size(); ++i) {
        out[i] = frame * Vec3((i & 1U) != 0 ? part.high.x() : part.low.x(), (i & 2U) != 0 ? part.high.y() : part.low.y(),
                              (i & 4U) != 0 ? part.high.z() : part.low.z());
    }
    return out;
}

Frame MachinePicture::in_base(const Part& part) const
{
    const auto carried = [&](int joint) { return joint < 0 ? Frame::Identity() : joints_[std::size_t(joint)]; };
    switch (part.carrier) {
    case Carrier::base: return part.frame;
    case Carrier::joint: return carried(part.joint) * part.frame;
    case Carrier::part: return part_in_base() * part.frame;
    case Carrier::tool: break;
    }
    const Mount* mount = tool_mount();
    return mount == nullptr ? Frame::Identity() : Frame(carried(mount->parent) * mount->frame * part.frame);
}

Frame MachinePicture::place_of_part(const Part& part) const { return ride() * in_base(part); }

QPointF MachinePicture::place_of(const Vec3& in_part) const
{
    if (machine() == nullptr) {
        return {};
    }
    const Vec3 p = camera_.project(part_frame() * in_part, size());
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
    for (const Part& part : parts_) {
        const Frame frame = place_of_part(part);
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
    if (chunks().empty()) {
        return;
    }
    const ReplayTrack& track = results_->replayed->track;
    const Frame frame = part_frame();
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
    if (!has_job() || !results_->replayed) {
        return std::nullopt;
    }
    const ReplayTrack& track = results_->replayed->track;
    const auto& points = track.points();
    const Frame frame = part_frame();
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
    for (const PathShape::Chunk& chunk : chunks()) {
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
            if (distance <= near && depth - distance > best_depth && paint_->status[std::size_t(i)] != PathPaint::gap) {
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
    } else if (machine() != nullptr) {
        fit_machine();
    }
}

} // namespace wexilum::app
