// Bodies, their light and shadow, the floor under them and the section through them.
#include "app/theme/theme.hpp"
#include "app/views/machine/gl_help.hpp"
#include "app/views/machine/scene_graphics.hpp"
#include "core/project/job_run.hpp"

#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>

#include <algorithm>
#include <cmath>

namespace wexilum::app {

using namespace gl;

namespace {

constexpr float stock_cover = 0.45F;        // of what is behind it
constexpr int shadow_size = 1024;           // pixels of what the light sees
constexpr std::size_t most_shaded = 300000; // corners of a body that casts a shadow

/// Towards the light, as the machine stands on its floor: over the left shoulder of who looks from the corner.
const Vec3 to_light = Vec3(-0.30, -0.62, 1.0).normalized();

const char* const body_vertex = R"(#version 330 core
layout(location = 0) in vec3 at;
layout(location = 1) in vec3 normal;
uniform mat4 matrix;
uniform mat4 base;
uniform vec4 kept;
out vec3 n;
out vec3 place;
void main() {
    vec4 there = base * vec4(at, 1);
    place = there.xyz;
    n = mat3(base) * normal;
    gl_ClipDistance[0] = dot(kept, there);
    gl_Position = matrix * vec4(at, 1);
})";
// Light of the sky from above, of the lamp where nothing stands in between, and a little from the eye, so that no side is lost.
const char* const body_fragment = R"(#version 330 core
in vec3 n;
in vec3 place;
uniform vec3 colour;
uniform float flat_share;
uniform float cover;
uniform vec3 up;
uniform vec3 lamp;
uniform vec3 towards;
uniform mat4 shadow;
uniform sampler2DShadow seen;
uniform float slack;
uniform vec3 cut_colour;
uniform int cut;
out vec4 result;
float lit(vec3 m) {
    vec4 p = shadow * vec4(place + m * slack, 1);
    vec3 q = p.xyz * 0.5 + 0.5;
    float step = 1.3 / 1024.0;
    float sum = 0.0;
    for (int i = -1; i <= 1; ++i) {
        sum += texture(seen, q + vec3(float(i) * step, float(1 - abs(i)) * step, -0.0004));
        sum += texture(seen, q + vec3(float(1 - abs(i)) * -step, float(i) * -step, -0.0004));
    }
    return sum / 6.0;
}
void main() {
    vec3 m = normalize(n + vec3(1e-9));
    if (dot(m, towards) < 0.0) {
        if (cut == 1 && flat_share < 0.5) {
            float line = mod(gl_FragCoord.x + gl_FragCoord.y, 9.0);
            result = vec4(line < 1.6 ? cut_colour * 0.72 : cut_colour, cover);
            return;
        }
        m = -m;
    }
    float key = max(dot(m, lamp), 0.0);
    float open = flat_share < 0.5 && key > 0.0 ? lit(m) : 0.0;
    float light = 0.46 + 0.15 * dot(m, up) + 0.40 * key * open + 0.10 * max(dot(m, towards), 0.0);
    result = vec4(min(colour * mix(light, 1.0, flat_share), vec3(1)), cover);
})";
const char* const shadow_vertex = R"(#version 330 core
layout(location = 0) in vec3 at;
uniform mat4 matrix;
uniform mat4 base;
uniform vec4 kept;
void main() {
    vec4 there = base * vec4(at, 1);
    gl_ClipDistance[0] = dot(kept, there);
    gl_Position = matrix * there;
})";
const char* const shadow_fragment = R"(#version 330 core
void main() {})";
const char* const floor_vertex = R"(#version 330 core
layout(location = 0) in vec2 at;
uniform mat4 matrix;
uniform vec3 middle;
uniform vec3 across;
uniform vec3 along;
uniform float reach;
out vec2 flat_place;
out vec3 place;
void main() {
    flat_place = at * reach;
    place = middle + across * flat_place.x + along * flat_place.y;
    gl_Position = matrix * vec4(place, 1);
})";
// Lines every so many mm that fade away, and the shadow of the machine.
const char* const floor_fragment = R"(#version 330 core
in vec2 flat_place;
in vec3 place;
uniform float reach;
uniform float grid;
uniform vec3 ink;
uniform float depth_of_shadow;
uniform mat4 shadow;
uniform sampler2DShadow seen;
out vec4 result;
void main() {
    float far = length(flat_place) / reach;
    float fade = 1.0 - smoothstep(0.45, 1.0, far);
    vec2 cell = flat_place / grid;
    vec2 near = abs(fract(cell - 0.5) - 0.5) / max(fwidth(cell), vec2(1e-6));
    float line = 1.0 - min(min(near.x, near.y), 1.0);
    vec4 p = shadow * vec4(place, 1);
    vec3 q = p.xyz * 0.5 + 0.5;
    float open = 0.0;
    for (int i = -2; i <= 2; ++i) {
        for (int k = -1; k <= 1; ++k) {
            open += texture(seen, q + vec3(float(i) * 0.0016, float(k) * 0.0024, -0.0004));
        }
    }
    float dark = 1.0 - open / 15.0;
    result = vec4(ink, fade * (0.09 * line + depth_of_shadow * dark));
})";

} // namespace

bool SceneGraphics::start_bodies()
{
    body_program_ = std::make_unique<QOpenGLShaderProgram>();
    shadow_program_ = std::make_unique<QOpenGLShaderProgram>();
    floor_program_ = std::make_unique<QOpenGLShaderProgram>();
    if (!compiled(*body_program_, body_vertex, body_fragment) || !compiled(*shadow_program_, shadow_vertex, shadow_fragment) ||
        !compiled(*floor_program_, floor_vertex, floor_fragment)) {
        return false;
    }
    glGenTextures(1, &shadow_.depth);
    glBindTexture(GL_TEXTURE_2D, shadow_.depth);
    glTexImage2D(GL_TEXTURE_2D, 0, GL_DEPTH_COMPONENT24, shadow_size, shadow_size, 0, GL_DEPTH_COMPONENT, GL_UNSIGNED_INT, nullptr);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, GL_CLAMP_TO_BORDER);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, GL_CLAMP_TO_BORDER);
    const std::array<float, 4> nothing_there{1, 1, 1, 1};
    glTexParameterfv(GL_TEXTURE_2D, GL_TEXTURE_BORDER_COLOR, nothing_there.data());
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_COMPARE_MODE, GL_COMPARE_REF_TO_TEXTURE);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_COMPARE_FUNC, GL_LEQUAL);
    glGenFramebuffers(1, &shadow_.target);
    glBindFramebuffer(GL_FRAMEBUFFER, shadow_.target);
    glFramebufferTexture2D(GL_FRAMEBUFFER, GL_DEPTH_ATTACHMENT, GL_TEXTURE_2D, shadow_.depth, 0);
    glDrawBuffer(GL_NONE);
    glReadBuffer(GL_NONE);
    const bool whole = glCheckFramebufferStatus(GL_FRAMEBUFFER) == GL_FRAMEBUFFER_COMPLETE;
    glBindFramebuffer(GL_FRAMEBUFFER, context_->defaultFramebufferObject());
    const std::array<float, 12> square{-1, -1, 1, -1, 1, 1, -1, -1, 1, 1, -1, 1};
    glBindVertexArray(arrays_[floor_square]);
    glBindBuffer(GL_ARRAY_BUFFER, buffers_[8]);
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(sizeof(square)), square.data(), GL_STATIC_DRAW);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 2, GL_FLOAT, GL_FALSE, 0, nullptr);
    glBindVertexArray(0);
    return whole;
}

/// The context is current.
void SceneGraphics::free_bodies()
{
    glDeleteFramebuffers(1, &shadow_.target);
    glDeleteTextures(1, &shadow_.depth);
    body_program_.reset();
    shadow_program_.reset();
    floor_program_.reset();
}

/// The side of the section that stays, as a plane of the base frame; all of it where there is none.
Eigen::Vector4f SceneGraphics::kept_side() const
{
    if (!scene_->section) {
        return Eigen::Vector4f::UnitW();
    }
    const Vec3 eye = scene_->ride().linear().transpose() * camera_->towards();
    const float side = eye[scene_->section->axis] < 0 ? 1.0F : -1.0F;
    Eigen::Vector4f out = Eigen::Vector4f::Zero();
    out[scene_->section->axis] = side;
    out[3] = -side * float(scene_->section->place);
    return out;
}

/// The lamp sees all that is there.
void SceneGraphics::place_lamp()
{
    const Vec3 up = scene_->machine()->up;
    Vec3 low = Vec3::Constant(1e300);
    Vec3 high = Vec3::Constant(-1e300);
    const bool founded =
        std::any_of(scene_->parts().begin(), scene_->parts().end(), [](const Part& part) { return part.carrier == Carrier::base; });
    double floor = 1e300; // under what stands, whatever moves
    for (const Part& part : scene_->parts()) {
        for (const Vec3& at : scene_->box_in_base(part)) {
            low = low.cwiseMin(at);
            high = high.cwiseMax(at);
            floor = !founded || part.carrier == Carrier::base ? std::min(floor, up.dot(at)) : floor;
        }
    }
    if (low.x() > high.x()) {
        low = high = Vec3::Zero();
        floor = 0;
    }
    shadow_.middle = 0.5 * (low + high);
    shadow_.reach = std::max(1.0, 0.5 * (high - low).norm());
    shadow_.floor = floor - 1;
    // The lamp is far away: it sees a square about the machine.
    const Vec3 lamp = scene_->upright().linear().transpose() * to_light;
    const Vec3 right = (std::abs(lamp.x()) < 0.9 ? Vec3::UnitX() : Vec3::UnitY()).cross(lamp).normalized();
    Mat3 look;
    look.row(0) = right;
    look.row(1) = lamp.cross(right);
    look.row(2) = -lamp;
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    m.block<3, 3>(0, 0) = look / (1.05 * shadow_.reach);
    m.row(2).head<3>() *= 0.4; // what it falls on may be further away
    m.block<3, 1>(0, 3) = -m.block<3, 3>(0, 0) * shadow_.middle;
    shadow_.matrix = m.cast<float>();
}

/// What the light sees. The context is current.
void SceneGraphics::renew_shadow()
{
    const Eigen::Vector4f kept = kept_side();
    if (shadow_.revision == scene_->revisions().places && shadow_.kept == kept) {
        return;
    }
    shadow_.revision = scene_->revisions().places;
    shadow_.kept = kept;
    place_lamp();
    GLint before = 0;
    glGetIntegerv(GL_FRAMEBUFFER_BINDING, &before);
    glBindFramebuffer(GL_FRAMEBUFFER, shadow_.target);
    glViewport(0, 0, shadow_size, shadow_size);
    glEnable(GL_DEPTH_TEST);
    glEnable(GL_CLIP_DISTANCE0);
    glClear(GL_DEPTH_BUFFER_BIT);
    shadow_program_->bind();
    set_matrix(*shadow_program_, "matrix", shadow_.matrix);
    glBindVertexArray(arrays_[triangles]);
    for (std::size_t i = 0; i < scene_->parts().size(); ++i) {
        const Part& part = scene_->parts()[i];
        if (part.solid.triangles.size() > most_shaded) {
            continue; // as quick as without
        }
        const bool whole = part.carrier == Carrier::tool;
        const Eigen::Vector4f side = whole ? Eigen::Vector4f(Eigen::Vector4f::UnitW()) : kept;
        shadow_program_->setUniformValue("kept", QVector4D(side.x(), side.y(), side.z(), side.w()));
        set_matrix(*shadow_program_, "base", matrix_of(scene_->in_base(part)));
        glDrawArrays(GL_TRIANGLES, begins_[i].triangle, int(part.solid.triangles.size()));
    }
    glDisable(GL_CLIP_DISTANCE0);
    glBindFramebuffer(GL_FRAMEBUFFER, GLuint(before));
}

/// The floor, seen from above: the path's picture is behind it already.
void SceneGraphics::draw_floor()
{
    if (camera_->towards().z() < 0.02 || scene_->machine()->bodies.empty()) {
        return;
    }
    const Vec3 up = scene_->machine()->up;
    const Vec3 middle = shadow_.middle + up * (shadow_.floor - up.dot(shadow_.middle));
    floor_program_->bind();
    set_matrix(*floor_program_, "matrix", camera_matrix() * matrix_of(scene_->ride()));
    set_matrix(*floor_program_, "shadow", shadow_.matrix);
    floor_program_->setUniformValue("middle", vector(middle));
    floor_program_->setUniformValue("across", vector(scene_->upright().linear().transpose() * Vec3::UnitX()));
    floor_program_->setUniformValue("along", vector(scene_->upright().linear().transpose() * Vec3::UnitY()));
    floor_program_->setUniformValue("reach", float(2.1 * shadow_.reach));
    floor_program_->setUniformValue("grid", shadow_.reach > 900 ? 250.0F : 100.0F);
    floor_program_->setUniformValue("ink", is_dark() ? QVector3D(0, 0, 0) : rgb(tokens().edge) * 0.6F);
    floor_program_->setUniformValue("depth_of_shadow", is_dark() ? 0.55F : 0.30F);
    floor_program_->setUniformValue("seen", 0);
    glActiveTexture(GL_TEXTURE0);
    glBindTexture(GL_TEXTURE_2D, shadow_.depth);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    glDepthMask(GL_FALSE);
    glBindVertexArray(arrays_[floor_square]);
    glDrawArrays(GL_TRIANGLES, 0, 6);
    glDepthMask(GL_TRUE);
    glDisable(GL_BLEND);
}

void SceneGraphics::draw_parts()
{
    const Eigen::Matrix4f camera = camera_matrix();
    const Frame world = scene_->ride();
    QOpenGLShaderProgram& program = *body_program_;
    program.bind();
    program.setUniformValue("up", vector(scene_->machine()->up));
    program.setUniformValue("lamp", vector(scene_->upright().linear().transpose() * to_light));
    program.setUniformValue("towards", vector(world.linear().transpose() * camera_->towards()));
    program.setUniformValue("slack", float(0.0025 * shadow_.reach));
    program.setUniformValue("cut_colour", rgb(tokens().accent) * (is_dark() ? 0.8F : 1.1F));
    set_matrix(program, "shadow", shadow_.matrix);
    program.setUniformValue("seen", 0);
    glActiveTexture(GL_TEXTURE0);
    glBindTexture(GL_TEXTURE_2D, shadow_.depth);
    glEnable(GL_CLIP_DISTANCE0);
    glEnable(GL_POLYGON_OFFSET_FILL);
    glPolygonOffset(1, 1);
    // The stock last, and so that the path inside it is seen.
    std::vector<std::size_t> order;
    for (const bool stock : {false, true}) {
        for (std::size_t i = 0; i < scene_->parts().size(); ++i) {
            if ((scene_->parts()[i].carrier == Carrier::part) == stock) {
                order.push_back(i);
            }
        }
    }
    for (const std::size_t i : order) {
        const Part& part = scene_->parts()[i];
        const bool stock = part.carrier == Carrier::part;
        const bool whole = part.carrier == Carrier::tool; // as shafts are in drawings
        stock ? glEnable(GL_BLEND) : glDisable(GL_BLEND);
        glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
        glDepthMask(stock ? GL_FALSE : GL_TRUE);
        const Eigen::Vector4f side = whole ? Eigen::Vector4f(Eigen::Vector4f::UnitW()) : shadow_.kept;
        program.setUniformValue("kept", QVector4D(side.x(), side.y(), side.z(), side.w()));
        program.setUniformValue("cut", scene_->section && !whole && !stock ? 1 : 0);
        program.setUniformValue("cover", stock ? stock_cover : 1.0F);
        const Frame base = scene_->in_base(part);
        set_matrix(program, "base", matrix_of(base));
        set_matrix(program, "matrix", camera * matrix_of(world * base));
        program.setUniformValue("colour", rgb(part.colour));
        program.setUniformValue("flat_share", 0.0F);
        glBindVertexArray(arrays_[triangles]);
        glDrawArrays(GL_TRIANGLES, begins_[i].triangle, int(part.solid.triangles.size()));
        const bool wrong = part.carrier == Carrier::joint && scene_->is_beyond(part.joint);
        program.setUniformValue("colour", rgb(wrong ? tokens().states[std::size_t(State::beyond)] : tokens().edge));
        program.setUniformValue("flat_share", 1.0F);
        program.setUniformValue("cover", stock ? 0.5F : 1.0F);
        glBindVertexArray(arrays_[edges]);
        glDrawArrays(GL_LINES, begins_[i].edge, int(part.solid.edges.size()));
    }
    glDisable(GL_BLEND);
    glDepthMask(GL_TRUE);
    glDisable(GL_POLYGON_OFFSET_FILL);
    glDisable(GL_CLIP_DISTANCE0);
}

} // namespace wexilum::app
