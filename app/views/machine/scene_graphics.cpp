#include "app/views/machine/scene_graphics.hpp"

#include "app/theme/theme.hpp"
#include "app/views/machine/gl_help.hpp"
#include "core/project/job_run.hpp"

#include <QCoreApplication>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLShaderProgram>
#include <QSurfaceFormat>

#include <algorithm>
#include <cmath>

namespace wexilum::app {

using namespace gl;

namespace {

constexpr std::size_t thin_above = 100000;  // points: fewer are always drawn whole
constexpr std::size_t chunks_a_frame = 256; // of the whole path, while nothing moves
constexpr std::size_t most_over = 400000;   // points drawn over

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

SceneGraphics::~SceneGraphics()
{
    if (context_ && context_->makeCurrent(surface_.get())) {
        glDeleteVertexArrays(GLsizei(std::size(arrays_)), arrays_);
        glDeleteBuffers(GLsizei(std::size(buffers_)), buffers_);
        free_bodies();
        target_.reset();
        cached_.reset();
        growing_.reset();
        path_program_.reset();
        context_->doneCurrent();
    }
}

/// Why it can't be; empty where it can.
QString SceneGraphics::start()
{
    if (qEnvironmentVariableIsSet("WEXILUM_NO_OPENGL")) {
        return QCoreApplication::translate("SceneGraphics", "OpenGL is switched off by WEXILUM_NO_OPENGL");
    }
    context_ = std::make_unique<QOpenGLContext>();
    context_->setFormat(QSurfaceFormat::defaultFormat());
    if (!context_->create()) {
        return QCoreApplication::translate("SceneGraphics", "this display gives no OpenGL context");
    }
    surface_ = std::make_unique<QOffscreenSurface>();
    surface_->setFormat(context_->format());
    surface_->create();
    if (!surface_->isValid() || !context_->makeCurrent(surface_.get())) {
        return QCoreApplication::translate("SceneGraphics", "the OpenGL context can't be used");
    }
    if (!initializeOpenGLFunctions()) {
        context_->doneCurrent();
        return QCoreApplication::translate("SceneGraphics", "OpenGL is older than 3.3");
    }
    path_program_ = std::make_unique<QOpenGLShaderProgram>();
    glGenVertexArrays(GLsizei(std::size(arrays_)), arrays_);
    glGenBuffers(GLsizei(std::size(buffers_)), buffers_);
    const bool ready = compiled(*path_program_, path_vertex, path_fragment) && start_bodies();
    context_->doneCurrent();
    return ready ? QString() : QCoreApplication::translate("SceneGraphics", "the shaders can't be built");
}

SceneGraphics::SceneGraphics()
{
    why_not_ = start();
    if (!why_not_.isEmpty()) {
        context_.reset();
        surface_.reset();
    }
}

void SceneGraphics::fill(int buffer, const void* from, std::size_t bytes, GLenum use)
{
    glBindBuffer(GL_ARRAY_BUFFER, buffers_[buffer]);
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(bytes), from, use);
}

void SceneGraphics::attribute(GLuint index, int size, int stride, std::size_t offset)
{
    glEnableVertexAttribArray(index);
    glVertexAttribPointer(index, size, GL_FLOAT, GL_FALSE, stride, reinterpret_cast<const void*>(offset));
}

/// The numbers of colours, one a point.
void SceneGraphics::upload_bytes(int array, int buffer, const std::vector<std::uint8_t>& values)
{
    glBindVertexArray(arrays_[array]);
    fill(buffer, values.data(), values.size(), GL_DYNAMIC_DRAW);
    glEnableVertexAttribArray(1);
    glVertexAttribIPointer(1, 1, GL_UNSIGNED_BYTE, 1, nullptr);
}

/// Brings what has changed to the graphics memory. The context is current.
void SceneGraphics::upload()
{
    const MachineScene::Revisions& now = scene_->revisions();
    const bool path_changed = uploaded_.path != now.path;
    const bool colours_changed = path_changed || uploaded_.colours != now.colours;
    if (uploaded_.parts != now.parts) {
        upload_parts();
    }
    if (colours_changed) {
        cache_.valid = false;
    }
    if (scene_->has_job() && scene_->results()->replayed && !scene_->chunks().empty()) {
        if (path_changed) {
            upload_path();
        }
        if (colours_changed) {
            upload_colours();
        }
    }
    uploaded_ = now;
    glBindVertexArray(0);
}

void SceneGraphics::upload_parts()
{
    std::vector<Solid::Corner> corners;
    std::vector<Eigen::Vector3f> ends;
    begins_.clear();
    for (const Part& part : scene_->parts()) {
        begins_.push_back({int(corners.size()), int(ends.size())});
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

void SceneGraphics::upload_path()
{
    const auto& points = scene_->results()->replayed->track.points();
    glBindVertexArray(arrays_[path]);
    fill(2, points.data(), points.size() * sizeof(points[0]), GL_STATIC_DRAW);
    attribute(0, 3, sizeof(points[0]), 0);
    std::vector<std::array<float, 3>> thin;
    thin.reserve(scene_->results()->shape->thin.size());
    for (const std::uint32_t point : scene_->results()->shape->thin) {
        thin.push_back(points[point].at);
    }
    glBindVertexArray(arrays_[thin_path]);
    fill(3, thin.data(), thin.size() * sizeof(thin[0]), GL_STATIC_DRAW);
    attribute(0, 3, sizeof(thin[0]), 0);
}

void SceneGraphics::upload_colours()
{
    const PathPaint& paint = *scene_->paint();
    upload_bytes(path, 4, paint.status);
    std::vector<std::uint8_t> thin;
    thin.reserve(scene_->results()->shape->thin.size());
    for (const std::uint32_t point : scene_->results()->shape->thin) {
        thin.push_back(paint.status[point]);
    }
    upload_bytes(thin_path, 5, thin);
    const auto& points = scene_->results()->replayed->track.points();
    std::vector<std::array<float, 3>> ends;
    std::vector<std::uint8_t> colours;
    for (const std::uint32_t point : paint.over) {
        if (point > 0 && ends.size() < 2 * most_over) {
            ends.push_back(points[point - 1].at);
            ends.push_back(points[point].at);
            colours.insert(colours.end(), 2, paint.status[point]);
        }
    }
    upload_bytes(over, 6, colours);
    glBindVertexArray(arrays_[over]);
    fill(7, ends.data(), ends.size() * sizeof(ends[0]), GL_DYNAMIC_DRAW);
    attribute(0, 3, sizeof(std::array<float, 3>), 0);
}

void SceneGraphics::draw_background()
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

void SceneGraphics::draw_over(const QSize& size)
{
    if (scene_->paint()->over.empty()) {
        return;
    }
    glBindVertexArray(arrays_[over]);
    const float x = 2.0F / float(size.width());
    const float y = 2.0F / float(size.height());
    const float nearer = -0.0004F;
    for (const auto& [dx, dy] : {std::pair{0.0F, 0.0F}, {x, 0.0F}, {-x, 0.0F}, {0.0F, y}, {0.0F, -y}}) {
        path_program_->setUniformValue("offset", QVector3D(dx, dy, nearer));
        glDrawArrays(GL_LINES, 0, GLsizei(2 * std::min(scene_->paint()->over.size(), most_over)));
    }
}

/// Sets the path's program up; the context and a framebuffer are bound.
void SceneGraphics::begin_path()
{
    path_program_->bind();
    set_matrix(*path_program_, "matrix", camera_matrix() * matrix_of(scene_->part_frame()));
    path_program_->setUniformValue("offset", QVector3D(0, 0, -0.0002F));
    std::array<QVector3D, 8> colours;
    const std::vector<Rgb> palette = scene_->palette();
    for (std::size_t i = 0; i < colours.size(); ++i) {
        colours[i] = rgb(palette[std::min(i, palette.size() - 1)]);
    }
    path_program_->setUniformValueArray("palette", colours.data(), int(colours.size()));
}

void SceneGraphics::draw_path(bool thin, std::size_t first_chunk, std::size_t end_chunk)
{
    const Eigen::Matrix4f matrix = camera_matrix() * matrix_of(scene_->part_frame());
    glBindVertexArray(arrays_[thin ? thin_path : path]);
    for (std::size_t i = first_chunk; i < end_chunk; ++i) {
        const PathShape::Chunk& chunk = scene_->chunks()[i];
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
void SceneGraphics::renew_cache(const Eigen::Matrix4f& matrix, const QSize& size, bool moving)
{
    const bool any = scene_->results() && !scene_->chunks().empty();
    const bool is_long = any && scene_->results()->replayed->track.points().size() > thin_above;
    if (!cache_.valid || cache_.size != size || cache_.matrix != matrix) {
        cached_->bind();
        draw_background();
        if (any) {
            begin_path();
            draw_path(is_long, 0, scene_->chunks().size());
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
    const std::size_t end = std::min(scene_->chunks().size(), cache_.grown + chunks_a_frame);
    draw_path(false, cache_.grown, end);
    cache_.grown = end;
    if (end == scene_->chunks().size()) {
        draw_over(size);
        std::swap(cached_, growing_);
        cache_.thin = false;
    }
}

void SceneGraphics::draw_chosen(const Eigen::Matrix4f& matrix, const QSize& size)
{
    if (!scene_->motion || !scene_->results()->replayed || *scene_->motion >= scene_->results()->replayed->track.motions().size()) {
        return;
    }
    const ReplayTrack& track = scene_->results()->replayed->track;
    const std::uint32_t last = track.motions()[*scene_->motion].last_point;
    const std::uint32_t first = *scene_->motion == 0 ? 0 : track.motions()[*scene_->motion - 1].last_point;
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

QImage SceneGraphics::frame(const MachineScene& scene, const Camera& camera, const QSize& widget, double pixel_ratio, bool moving)
{
    scene_ = &scene;
    camera_ = &camera;
    widget_ = widget;
    const QSize size(std::max(1, qRound(widget.width() * pixel_ratio)), std::max(1, qRound(widget.height() * pixel_ratio)));
    if (!context_ || !context_->makeCurrent(surface_.get())) {
        return {};
    }
    if (!target_ || target_->size() != size) {
        target_ = std::make_unique<QOpenGLFramebufferObject>(size, QOpenGLFramebufferObject::CombinedDepthStencil);
        cached_ = std::make_unique<QOpenGLFramebufferObject>(size, QOpenGLFramebufferObject::CombinedDepthStencil);
        growing_ = std::make_unique<QOpenGLFramebufferObject>(size, QOpenGLFramebufferObject::CombinedDepthStencil);
        cache_.valid = false;
    }
    upload();
    if (scene_->machine() != nullptr) {
        renew_shadow();
    }
    glViewport(0, 0, size.width(), size.height());
    glEnable(GL_DEPTH_TEST);
    const bool any = scene_->results() && !scene_->chunks().empty();
    Eigen::Matrix4f matrix = camera_matrix();
    if (any) {
        matrix = matrix * matrix_of(scene_->part_frame());
    }
    renew_cache(matrix, size, moving);
    QOpenGLFramebufferObject::blitFramebuffer(target_.get(), QRect(QPoint(), size), cached_.get(), QRect(QPoint(), size),
                                              GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT, GL_NEAREST);
    target_->bind();
    if (scene_->machine() != nullptr) {
        draw_floor();
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

} // namespace wexilum::app
