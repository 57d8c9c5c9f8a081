// The drawing of the machine's picture: OpenGL into a framebuffer of its own, and a wire picture where there is none.
#include "app/views/machine_picture.hpp"

#include "app/theme/theme.hpp"
#include "core/project/job_run.hpp"

#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLShaderProgram>
#include <QPainter>

#include <cmath>

namespace wexilum::app {
namespace {

/// A ground for text, through which the picture can still be seen.
void paint_paper(QPainter& painter, const QRectF& place)
{
    QColor paper = colour(tokens().panel);
    paper.setAlpha(210);
    painter.setPen(Qt::NoPen);
    painter.setBrush(paper);
    painter.drawRoundedRect(place, 5, 5);
}

constexpr std::size_t thin_above = 100000;  // points: fewer are always drawn whole
constexpr std::size_t chunks_a_frame = 256; // of the whole path, while nothing moves
constexpr std::size_t most_over = 400000;   // points drawn over
constexpr std::size_t wire_points = 20000;
constexpr float stock_cover = 0.45F; // of what is behind it

const char* const body_vertex = R"(#version 330 core
layout(location = 0) in vec3 at;
layout(location = 1) in vec3 normal;
uniform mat4 matrix;
uniform mat3 turn;
out vec3 n;
void main() { gl_Position = matrix * vec4(at, 1); n = turn * normal; })";
const char* const body_fragment = R"(#version 330 core
in vec3 n;
uniform vec3 colour;
uniform float flat_share;
uniform float cover;
out vec4 result;
void main() {
    vec3 m = normalize(n + vec3(1e-9));
    float light = 0.60 + 0.30 * max(dot(m, normalize(vec3(-0.35, 0.75, 0.55))), 0.0) + 0.18 * max(dot(m, vec3(0, 0, 1)), 0.0);
    result = vec4(colour * mix(light, 1.0, flat_share), cover);
})";
const char* const path_vertex = R"(#version 330 core
layout(location = 0) in vec3 at;
layout(location = 1) in uint status;
uniform mat4 matrix;
uniform vec3 offset;
flat out uint s;
void main() { gl_Position = matrix * vec4(at, 1) + vec4(offset, 0); s = status; })";
const char* const path_fragment = R"(#version 330 core
flat in uint s;
uniform vec3 palette[8];
out vec4 result;
void main() {
    if (s > 7u) discard;
    result = vec4(palette[s], 1);
})";

enum { triangles, edges, path, thin_path, over };

QVector3D rgb(Rgb value) { return {float(value >> 16 & 255) / 255, float(value >> 8 & 255) / 255, float(value & 255) / 255}; }

void set_matrix(QOpenGLShaderProgram& program, const char* name, const Eigen::Matrix4f& m)
{
    QMatrix4x4 out;
    for (int r = 0; r < 4; ++r) {
        for (int c = 0; c < 4; ++c) {
            out(r, c) = m(r, c);
        }
    }
    program.setUniformValue(name, out);
}

Eigen::Matrix4f matrix_of(const Frame& frame) { return frame.matrix().cast<float>(); }

} // namespace

MachinePicture::~MachinePicture()
{
    if (context_ && context_->makeCurrent(surface_.get())) {
        glDeleteVertexArrays(5, arrays_);
        glDeleteBuffers(8, buffers_);
        target_.reset();
        cached_.reset();
        growing_.reset();
        body_program_.reset();
        path_program_.reset();
        context_->doneCurrent();
    }
}

const std::vector<PathShape::Chunk>& MachinePicture::chunks() const
{
    static const std::vector<PathShape::Chunk> none;
    return has_job() && results_->shape ? results_->shape->chunks : none;
}

bool MachinePicture::start_graphics()
{
    const auto fail = [&](const QString& why) {
        context_.reset();
        surface_.reset();
        why_no_graphics_ = why;
        return false;
    };
    if (qEnvironmentVariableIsSet("WEXILUM_NO_OPENGL")) {
        return fail(tr("OpenGL is switched off by WEXILUM_NO_OPENGL"));
    }
    context_ = std::make_unique<QOpenGLContext>();
    context_->setFormat(QSurfaceFormat::defaultFormat());
    if (!context_->create()) {
        return fail(tr("this display gives no OpenGL context"));
    }
    surface_ = std::make_unique<QOffscreenSurface>();
    surface_->setFormat(context_->format());
    surface_->create();
    if (!surface_->isValid() || !context_->makeCurrent(surface_.get())) {
        return fail(tr("the OpenGL context can't be used"));
    }
    if (!initializeOpenGLFunctions()) {
        context_->doneCurrent();
        return fail(tr("OpenGL is older than 3.3"));
    }
    body_program_ = std::make_unique<QOpenGLShaderProgram>();
    path_program_ = std::make_unique<QOpenGLShaderProgram>();
    const auto compiled = [](QOpenGLShaderProgram& program, const char* vertex, const char* fragment) {
        return program.addShaderFromSourceCode(QOpenGLShader::Vertex, vertex) &&
               program.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment) && program.link();
    };
    const bool ready = compiled(*body_program_, body_vertex, body_fragment) && compiled(*path_program_, path_vertex, path_fragment);
    if (ready) {
        glGenVertexArrays(5, arrays_);
        glGenBuffers(8, buffers_);
    }
    context_->doneCurrent();
    return ready || fail(tr("the shaders can't be built"));
}

/// Brings what has changed to the graphics memory. The context is current.
void MachinePicture::upload()
{
    const auto fill = [&](int buffer, const void* from, std::size_t bytes, GLenum use) {
        glBindBuffer(GL_ARRAY_BUFFER, buffers_[buffer]);
        glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(bytes), from, use);
    };
    const auto attribute = [&](GLuint index, int size, int stride, std::size_t offset) {
        glEnableVertexAttribArray(index);
        glVertexAttribPointer(index, size, GL_FLOAT, GL_FALSE, stride, reinterpret_cast<const void*>(offset));
    };
    if (upload_parts_) {
        upload_parts_ = false;
        std::vector<Solid::Corner> corners;
        std::vector<Eigen::Vector3f> ends;
        for (Part& part : parts_) {
            part.first_triangle = int(corners.size());
            part.first_edge = int(ends.size());
            corners.insert(corners.end(), part.solid.triangles.begin(), part.solid.triangles.end());
            ends.insert(ends.end(), part.solid.edges.begin(), part.solid.edges.end());
        }
        glBindVertexArray(arrays_[triangles]);
        fill(0, corners.data(), corners.size() * sizeof(Solid::Corner), GL_STATIC_DRAW);
        attribute(0, 3, sizeof(Solid::Corner), 0);
        attribute(1, 3, sizeof(Solid::Corner), sizeof(Eigen::Vector3f));
        glBindVertexArray(arrays_[edges]);
        fill(1, ends.data(), ends.size() * sizeof(Eigen::Vector3f), GL_STATIC_DRAW);
        attribute(0, 3, sizeof(Eigen::Vector3f), 0);
    }
    const bool any = has_job() && results_->replayed && !chunks().empty();
    if (upload_path_ && any) {
        const auto& points = results_->replayed->track.points();
        glBindVertexArray(arrays_[path]);
        fill(2, points.data(), points.size() * sizeof(points[0]), GL_STATIC_DRAW);
        attribute(0, 3, sizeof(points[0]), 0);
        std::vector<std::array<float, 3>> thin;
        thin.reserve(results_->shape->thin.size());
        for (const std::uint32_t point : results_->shape->thin) {
            thin.push_back(points[point].at);
        }
        glBindVertexArray(arrays_[thin_path]);
        fill(3, thin.data(), thin.size() * sizeof(thin[0]), GL_STATIC_DRAW);
        attribute(0, 3, sizeof(thin[0]), 0);
    }
    if ((upload_status_ || upload_path_) && any) {
        const auto bytes = [&](int array, int buffer, const std::vector<std::uint8_t>& values) {
            glBindVertexArray(arrays_[array]);
            fill(buffer, values.data(), values.size(), GL_DYNAMIC_DRAW);
            glEnableVertexAttribArray(1);
            glVertexAttribIPointer(1, 1, GL_UNSIGNED_BYTE, 1, nullptr);
        };
        bytes(path, 4, paint_->status);
        std::vector<std::uint8_t> thin;
        thin.reserve(results_->shape->thin.size());
        for (const std::uint32_t point : results_->shape->thin) {
            thin.push_back(paint_->status[point]);
        }
        bytes(thin_path, 5, thin);
        const auto& points = results_->replayed->track.points();
        std::vector<std::array<float, 3>> ends;
        std::vector<std::uint8_t> colours;
        for (const std::uint32_t point : paint_->over) {
            if (point > 0 && ends.size() < 2 * most_over) {
                ends.push_back(points[point - 1].at);
                ends.push_back(points[point].at);
                colours.insert(colours.end(), 2, paint_->status[point]);
            }
        }
        bytes(over, 6, colours);
        glBindVertexArray(arrays_[over]);
        fill(7, ends.data(), ends.size() * sizeof(ends[0]), GL_DYNAMIC_DRAW);
        attribute(0, 3, sizeof(std::array<float, 3>), 0);
    }
    upload_path_ = upload_status_ = false;
    glBindVertexArray(0);
}

void MachinePicture::draw_background()
{
    const QVector3D low = rgb(tokens().sky_low);
    glClearColor(low.x(), low.y(), low.z(), 1);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    // A few bands do for a calm gradient.
    const QVector3D top = rgb(tokens().sky_top);
    glEnable(GL_SCISSOR_TEST);
    const QSize size = target_->size();
    constexpr int bands = 32;
    for (int i = 0; i < bands; ++i) {
        const QVector3D c = low + (top - low) * (float(i) / (bands - 1));
        glScissor(0, size.height() * i / bands, size.width(), size.height() * (i + 1) / bands - size.height() * i / bands + 1);
        glClearColor(c.x(), c.y(), c.z(), 1);
        glClear(GL_COLOR_BUFFER_BIT);
    }
    glDisable(GL_SCISSOR_TEST);
}

void MachinePicture::draw_over(const QSize& size)
{
    if (paint_->over.empty()) {
        return;
    }
    glBindVertexArray(arrays_[over]);
    const float x = 2.0F / float(size.width());
    const float y = 2.0F / float(size.height());
    const float nearer = -0.0004F;
    for (const auto& [dx, dy] : {std::pair{0.0F, 0.0F}, {x, 0.0F}, {-x, 0.0F}, {0.0F, y}, {0.0F, -y}}) {
        path_program_->setUniformValue("offset", QVector3D(dx, dy, nearer));
        glDrawArrays(GL_LINES, 0, GLsizei(2 * std::min(paint_->over.size(), most_over)));
    }
}

/// Sets the path's program up; the context and a framebuffer are bound.
void MachinePicture::begin_path()
{
    path_program_->bind();
    set_matrix(*path_program_, "matrix", camera_.matrix(size()) * matrix_of(part_frame()));
    path_program_->setUniformValue("offset", QVector3D(0, 0, -0.0002F));
    std::array<QVector3D, 8> colours;
    const std::vector<Rgb> palette = this->palette();
    for (std::size_t i = 0; i < colours.size(); ++i) {
        colours[i] = rgb(palette[std::min(i, palette.size() - 1)]);
    }
    path_program_->setUniformValueArray("palette", colours.data(), int(colours.size()));
}

void MachinePicture::draw_path(bool thin, std::size_t first_chunk, std::size_t end_chunk)
{
    const Eigen::Matrix4f matrix = camera_.matrix(size()) * matrix_of(part_frame());
    glBindVertexArray(arrays_[thin ? thin_path : path]);
    for (std::size_t i = first_chunk; i < end_chunk; ++i) {
        const PathShape::Chunk& chunk = chunks()[i];
        const Vec3 middle = 0.5 * (chunk.low + chunk.high);
        const Vec3 half = 0.5 * (chunk.high - chunk.low);
        const Eigen::Vector4f at = matrix * Eigen::Vector4f(float(middle.x()), float(middle.y()), float(middle.z()), 1);
        const Eigen::Vector3f reach = matrix.block<3, 3>(0, 0).cwiseAbs() * half.cast<float>();
        if (std::abs(at.x()) - reach.x() > 1 || std::abs(at.y()) - reach.y() > 1) {
            continue;
        }
        glDrawArrays(GL_LINE_STRIP, thin ? chunk.thin_first : chunk.first, thin ? chunk.thin_count : chunk.count);
    }
}

/// Brings the kept picture of the path up to date, in no more time than the window may be without an answer: a long path is drawn thinned
/// first, then whole, piece by piece, beside it.
void MachinePicture::renew_cache(const Eigen::Matrix4f& matrix, const QSize& size, bool moving)
{
    const bool any = results_ && !chunks().empty();
    const bool is_long = any && results_->replayed->track.points().size() > thin_above;
    if (!cache_.valid || cache_.size != size || cache_.matrix != matrix) {
        cached_->bind();
        draw_background();
        if (any) {
            begin_path();
            draw_path(is_long, 0, chunks().size());
            draw_over(size);
        }
        cache_ = {matrix, size, is_long, true, 0};
        return;
    }
    if (!cache_.thin || moving) {
        return;
    }
    growing_->bind();
    if (cache_.grown == 0) {
        draw_background();
    }
    begin_path();
    const std::size_t end = std::min(chunks().size(), cache_.grown + chunks_a_frame);
    draw_path(false, cache_.grown, end);
    cache_.grown = end;
    if (end == chunks().size()) {
        draw_over(size);
        std::swap(cached_, growing_);
        cache_.thin = false;
    }
}

void MachinePicture::draw_chosen(const Eigen::Matrix4f& matrix, const QSize& size)
{
    if (!motion_ || !results_->replayed || *motion_ >= results_->replayed->track.motions().size()) {
        return;
    }
    const ReplayTrack& track = results_->replayed->track;
    const std::uint32_t last = track.motions()[*motion_].last_point;
    const std::uint32_t first = *motion_ == 0 ? 0 : track.motions()[*motion_ - 1].last_point;
    path_program_->bind();
    set_matrix(*path_program_, "matrix", matrix);
    std::array<QVector3D, 8> ink;
    ink.fill(rgb(tokens().ink));
    path_program_->setUniformValueArray("palette", ink.data(), 8);
    glBindVertexArray(arrays_[path]);
    const float x = 2.0F / float(size.width());
    const float y = 2.0F / float(size.height());
    for (const auto& [dx, dy] : {std::pair{0.0F, 0.0F}, {x, 0.0F}, {-x, 0.0F}, {0.0F, y}, {0.0F, -y}}) {
        path_program_->setUniformValue("offset", QVector3D(dx, dy, -0.0008F));
        glDrawArrays(GL_LINE_STRIP, GLint(first), GLsizei(last - first + 1));
    }
}

void MachinePicture::draw_parts()
{
    const Eigen::Matrix4f camera = camera_.matrix(size());
    Eigen::Matrix3d eye;
    eye.row(0) = camera_.right();
    eye.row(1) = camera_.up();
    eye.row(2) = camera_.towards();
    body_program_->bind();
    glEnable(GL_POLYGON_OFFSET_FILL);
    glPolygonOffset(1, 1);
    // The stock last, and so that the path inside it is seen.
    std::vector<const Part*> order;
    for (const bool stock : {false, true}) {
        for (const Part& part : parts_) {
            if ((part.carrier == Carrier::part) == stock) {
                order.push_back(&part);
            }
        }
    }
    for (const Part* one : order) {
        const Part& part = *one;
        const bool stock = part.carrier == Carrier::part;
        stock ? glEnable(GL_BLEND) : glDisable(GL_BLEND);
        glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
        glDepthMask(stock ? GL_FALSE : GL_TRUE);
        body_program_->setUniformValue("cover", stock ? stock_cover : 1.0F);
        const Frame frame = place_of_part(part);
        set_matrix(*body_program_, "matrix", camera * matrix_of(frame));
        const Mat3 turn = eye * frame.linear();
        QMatrix3x3 m;
        for (int r = 0; r < 3; ++r) {
            for (int c = 0; c < 3; ++c) {
                m(r, c) = float(turn(r, c));
            }
        }
        body_program_->setUniformValue("turn", m);
        body_program_->setUniformValue("colour", rgb(part.colour));
        body_program_->setUniformValue("flat_share", 0.0F);
        glBindVertexArray(arrays_[triangles]);
        glDrawArrays(GL_TRIANGLES, part.first_triangle, int(part.solid.triangles.size()));
        const bool wrong = part.carrier == Carrier::joint && is_beyond(part.joint);
        body_program_->setUniformValue("colour", rgb(wrong ? tokens().states[std::size_t(State::beyond)] : tokens().edge));
        body_program_->setUniformValue("flat_share", 1.0F);
        body_program_->setUniformValue("cover", stock ? 0.5F : 1.0F);
        glBindVertexArray(arrays_[edges]);
        glDrawArrays(GL_LINES, part.first_edge, int(part.solid.edges.size()));
    }
    glDisable(GL_BLEND);
    glDepthMask(GL_TRUE);
    glDisable(GL_POLYGON_OFFSET_FILL);
}

QImage MachinePicture::frame(bool moving)
{
    const double ratio = devicePixelRatioF();
    const QSize size(std::max(1, qRound(width() * ratio)), std::max(1, qRound(height() * ratio)));
    if (!context_ || !context_->makeCurrent(surface_.get())) {
        return {};
    }
    if (!target_ || target_->size() != size) {
        target_ = std::make_unique<QOpenGLFramebufferObject>(size, QOpenGLFramebufferObject::CombinedDepthStencil);
        cached_ = std::make_unique<QOpenGLFramebufferObject>(size, QOpenGLFramebufferObject::CombinedDepthStencil);
        growing_ = std::make_unique<QOpenGLFramebufferObject>(size, QOpenGLFramebufferObject::CombinedDepthStencil);
        cache_.valid = false;
    }
    if (machine() != nullptr) {
        upload();
    }
    glViewport(0, 0, size.width(), size.height());
    glEnable(GL_DEPTH_TEST);
    const bool any = results_ && !chunks().empty();
    Eigen::Matrix4f matrix = camera_.matrix(this->size());
    if (any) {
        matrix = matrix * matrix_of(part_frame());
    }
    renew_cache(matrix, size, moving);
    QOpenGLFramebufferObject::blitFramebuffer(target_.get(), QRect(QPoint(), size), cached_.get(), QRect(QPoint(), size),
                                              GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT, GL_NEAREST);
    target_->bind();
    if (machine() != nullptr) {
        draw_parts();
    }
    if (any) {
        draw_chosen(matrix, size);
    }
    QImage image(size, QImage::Format_RGB32);
    glPixelStorei(GL_PACK_ALIGNMENT, 4);
    glReadPixels(0, 0, size.width(), size.height(), GL_BGRA, GL_UNSIGNED_INT_8_8_8_8_REV, image.bits());
    glBindVertexArray(0);
    target_->release();
    context_->doneCurrent();
    return image.mirrored();
}

// --- on the widget --------------------------------------------------------------------------------------------------

void MachinePicture::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const QImage image = frame(moving_);
    if (!image.isNull()) {
        painter.drawImage(rect(), image);
    } else {
        paint_wires(painter);
    }
    paint_notes(painter);
    if (!image.isNull() && !moving_ && !is_whole()) {
        QTimer::singleShot(0, this, qOverload<>(&QWidget::update));
    }
}

void MachinePicture::paint_wires(QPainter& painter)
{
    painter.fillRect(rect(), colour(tokens().sky_low));
    painter.setRenderHint(QPainter::Antialiasing);
    if (machine() != nullptr) {
        for (const Part& part : parts_) {
            const Frame frame = place_of_part(part);
            const bool wrong = part.carrier == Carrier::joint && is_beyond(part.joint);
            painter.setPen(QPen(wrong ? colour_of(State::beyond) : colour(tokens().edge), 1));
            QVector<QLineF> lines;
            for (std::size_t i = 0; i + 1 < part.solid.edges.size(); i += 2) {
                const Vec3 a = camera_.project(frame * part.solid.edges[i].cast<double>(), size());
                const Vec3 b = camera_.project(frame * part.solid.edges[i + 1].cast<double>(), size());
                lines.push_back({a.x(), a.y(), b.x(), b.y()});
            }
            painter.drawLines(lines);
        }
        const std::vector<Rgb> palette = this->palette();
        std::vector<QVector<QLineF>> ways(palette.size());
        const std::size_t step = paint_ ? paint_->status.size() / wire_points + 1 : 1;
        for (std::size_t i = step; paint_ && i < paint_->status.size(); i += step) {
            if (paint_->status[i] < palette.size()) {
                const auto& points = results_->replayed->track.points();
                const auto at = [&](std::size_t k) { return place_of(Vec3(points[k].at[0], points[k].at[1], points[k].at[2])); };
                ways[paint_->status[i]].push_back({at(i - step), at(i)});
            }
        }
        for (std::size_t i = 0; i < ways.size(); ++i) {
            painter.setPen(QPen(colour(palette[i]), 1));
            painter.drawLines(ways[i]);
        }
    }
    painter.setFont(text_font());
    painter.setPen(colour(tokens().soft));
    painter.drawText(rect().adjusted(16, 0, -16, -10), Qt::AlignBottom | Qt::AlignHCenter | Qt::TextWordWrap,
                     tr("Wire picture: %1. Everything else works as usual; on Debian the packages libgl1-mesa-dri and libegl1 give "
                        "OpenGL in software.")
                         .arg(why_no_graphics_));
}

/// Round both solids, and the line between them with its length.
void MachinePicture::paint_meet(QPainter& painter)
{
    const QColor shade = colour_of(meet_->state);
    for (const Part& part : parts_) {
        const bool holder = (meet_->first == "holder" || meet_->second == "holder") && part.id == "cutter"; // one body in the picture
        if (part.id != meet_->first && part.id != meet_->second && !holder) {
            continue;
        }
        const Frame frame = place_of_part(part);
        QVector<QLineF> lines;
        for (std::size_t i = 0; i + 1 < part.solid.edges.size(); i += 2) {
            const Vec3 a = camera_.project(frame * part.solid.edges[i].cast<double>(), size());
            const Vec3 b = camera_.project(frame * part.solid.edges[i + 1].cast<double>(), size());
            lines.push_back({a.x(), a.y(), b.x(), b.y()});
        }
        painter.setPen(QPen(shade, 1.6));
        painter.drawLines(lines);
    }
    QPointF at(width() / 2.0, 44);
    if (meet_->points) {
        const Vec3 a = camera_.project(ride() * meet_->points->first, size());
        const Vec3 b = camera_.project(ride() * meet_->points->second, size());
        painter.setPen(QPen(shade, 2.5));
        painter.drawLine(QPointF(a.x(), a.y()), QPointF(b.x(), b.y()));
        painter.setBrush(shade);
        painter.drawEllipse(QPointF(a.x(), a.y()), 3, 3);
        painter.drawEllipse(QPointF(b.x(), b.y()), 3, 3);
        at = {(a.x() + b.x()) / 2, (a.y() + b.y()) / 2};
    }
    painter.setFont(text_font());
    const double wide = QFontMetrics(painter.font()).horizontalAdvance(meet_->text) + 34;
    QRectF card(meet_->points ? at.x() + 14 : at.x() - wide / 2, at.y() - 13, wide, 26);
    card.moveLeft(std::clamp(card.left(), 8.0, std::max(8.0, width() - wide - 8)));
    card.moveTop(std::clamp(card.top(), 8.0, std::max(8.0, height() - 34.0)));
    painter.setPen(QPen(shade, 1));
    painter.setBrush(colour(tokens().panel));
    painter.drawRoundedRect(card, 5, 5);
    paint_state(painter, meet_->state, QRectF(card.left() + 8, card.center().y() - 5.5, 11, 11));
    painter.setPen(shade);
    painter.drawText(card.adjusted(24, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, meet_->text);
}

/// What a colour of the path says.
QString MachinePicture::colour_name(std::size_t number) const
{
    if (number == 0) {
        return tr("rapid");
    }
    if (colouring_ == PathColouring::state) {
        static const std::array<const char*, path_state_count> names{
            QT_TR_NOOP("rapid"),         QT_TR_NOOP("cut, fits travel"), QT_TR_NOOP("margin low"), QT_TR_NOOP("near singular"),
            QT_TR_NOOP("beyond travel"), QT_TR_NOOP("off the path"),     QT_TR_NOOP("too close"),  QT_TR_NOOP("contact")};
        return number < names.size() ? tr(names[number]) : QString();
    }
    if (colouring_ == PathColouring::deviation) {
        return number > deviation_steps ? tr("over the budget") : tr("up to %1 % of the budget").arg(100 * number / deviation_steps);
    }
    QStringList out;
    const auto& operations = results_->posted->run.outline.operations;
    for (std::size_t i = number - 1; i < operations.size(); i += operation_colours) {
        out.push_back(QString::fromStdString(operations[i].id + " " + operations[i].name));
    }
    return out.size() > 1 ? out.first() + tr(" and %1 more").arg(out.size() - 1) : out.join(QString());
}

/// The path's colours with their words, at the lower right.
void MachinePicture::paint_legend(QPainter& painter) const
{
    const std::vector<Rgb> colours = palette();
    std::vector<std::pair<Rgb, QString>> rows;
    for (std::size_t i = 0; i < colours.size(); ++i) {
        if (const QString name = painted_[i] && has_job() ? colour_name(i) : QString(); !name.isEmpty()) {
            rows.emplace_back(colours[i], name);
        }
    }
    if (rows.empty()) {
        return;
    }
    constexpr int row = 18;
    painter.setFont(text_font(0.9));
    int wide = 0;
    for (const auto& [rgb, name] : rows) {
        wide = std::max(wide, QFontMetrics(painter.font()).horizontalAdvance(name));
    }
    const QRectF card(width() - wide - 54, height() - row * int(rows.size()) - 20, wide + 44, row * int(rows.size()) + 10);
    paint_paper(painter, card);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const double y = card.top() + 5 + row * (double(i) + 0.5);
        painter.setPen(QPen(colour(rows[i].first), 3));
        painter.drawLine(QPointF(card.left() + 9, y), QPointF(card.left() + 27, y));
        painter.setPen(colour(tokens().ink));
        painter.drawText(QRectF(card.left() + 34, y - row / 2.0, wide + 4, row), Qt::AlignVCenter | Qt::AlignLeft, rows[i].second);
    }
    painter.setFont(text_font());
}

void MachinePicture::paint_notes(QPainter& painter)
{
    painter.setRenderHint(QPainter::Antialiasing);
    if (machine() != nullptr && has_job() && !lines_.empty()) {
        painter.setPen(QPen(colour(tokens().accent), 1.2, Qt::DashLine));
        for (const std::vector<Vec3>& line : lines_) {
            QPolygonF way;
            for (const Vec3& at : line) {
                way.push_back(place_of(at));
            }
            painter.drawPolyline(way);
        }
    }
    if (machine() != nullptr && meet_) {
        paint_meet(painter);
    }
    if (machine() == nullptr) {
        painter.setFont(text_font());
        painter.setPen(colour(tokens().soft));
        painter.drawText(rect(), Qt::AlignCenter, tr("Choose a job on the left: its machine and path appear here."));
        return;
    }
    painter.setFont(text_font());
    if (!caption_.isEmpty()) { // legible over whatever is behind it
        const QRectF band(8, 8, QFontMetrics(painter.font()).horizontalAdvance(caption_) + 14, 24);
        paint_paper(painter, band);
        painter.setPen(colour(tokens().ink));
        painter.drawText(band, Qt::AlignCenter, caption_);
    }
    paint_legend(painter);
    painter.setPen(colour(tokens().soft));
    if (machine()->bodies.empty()) {
        painter.drawText(QRect(14, 30, width() - 28, 20), Qt::AlignLeft | Qt::AlignVCenter,
                         tr("The machine's file has no bodies; the path is that of the tool tip."));
    }
    // The directions of the machine, in the corner.
    const QPointF zero(46, height() - 40);
    const Frame turn = ride();
    for (int i = 0; i < 3; ++i) {
        const Vec3 axis = turn.linear() * Vec3::Unit(i);
        const QPointF end = zero + QPointF(axis.dot(camera_.right()), -axis.dot(camera_.up())) * 26;
        painter.setPen(QPen(colour(tokens().ink), 1.5));
        painter.drawLine(zero, end);
        if ((end - zero).manhattanLength() > 6) {
            painter.drawText(QRectF(end.x() + (end.x() - zero.x()) * 0.35 - 8, end.y() + (end.y() - zero.y()) * 0.35 - 8, 16, 16),
                             Qt::AlignCenter, QStringLiteral("XYZ").mid(i, 1));
        }
    }
    // What is beyond travel says by how much.
    int line = 0;
    const Machine& machine = *this->machine();
    for (const Overtravel& over : beyond_) {
        const QString text = QString::fromStdString(text_of(machine, over));
        const QRectF card(width() - 16 - QFontMetrics(painter.font()).horizontalAdvance(text) - 34, 12 + 30 * line++,
                          QFontMetrics(painter.font()).horizontalAdvance(text) + 34, 26);
        painter.setPen(QPen(colour_of(State::beyond), 1));
        painter.setBrush(colour(tokens().panel));
        painter.drawRoundedRect(card, 5, 5);
        paint_state(painter, State::beyond, QRectF(card.left() + 8, card.center().y() - 5.5, 11, 11));
        painter.setPen(colour_of(State::beyond));
        painter.drawText(card.adjusted(24, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
    }
}

} // namespace wexilum::app
