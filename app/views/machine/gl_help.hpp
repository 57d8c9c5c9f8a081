// What the files of SceneGraphics share in OpenGL.
#pragma once

#include "app/theme/tokens.hpp"
#include "core/geometry/pose.hpp"

#include <QMatrix4x4>
#include <QOpenGLShaderProgram>
#include <QVector3D>

namespace wexilum::app::gl {

/// Places of SceneGraphics' arrays.
enum { triangles, edges, path, thin_path, over, floor_square };

inline QVector3D rgb(Rgb value) { return {float(value >> 16 & 255) / 255, float(value >> 8 & 255) / 255, float(value & 255) / 255}; }

inline QVector3D vector(const Vec3& v) { return {float(v.x()), float(v.y()), float(v.z())}; }

inline void set_matrix(QOpenGLShaderProgram& program, const char* name, const Eigen::Matrix4f& m)
{
    QMatrix4x4 out;
    for (int r = 0; r < 4; ++r) {
        for (int c = 0; c < 4; ++c) {
            out(r, c) = m(r, c);
        }
    }
    program.setUniformValue(name, out);
}

inline Eigen::Matrix4f matrix_of(const Frame& frame) { return frame.matrix().cast<float>(); }

/// A program of two shaders; false where they can't be built.
inline bool compiled(QOpenGLShaderProgram& program, const char* vertex, const char* fragment)
{
    return program.addShaderFromSourceCode(QOpenGLShader::Vertex, vertex) &&
           program.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment) && program.link();
}

} // namespace wexilum::app::gl
