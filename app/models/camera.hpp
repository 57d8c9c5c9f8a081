// The camera of the machine's picture: orthographic, looking at a target from a direction. Plain computation, tested without a display.
#pragma once

#include "core/geometry/pose.hpp"

#include <QPointF>
#include <QSizeF>
#include <vector>

namespace wexilum::app {

class Camera {
public:
    enum class View { corner, front, back, right, left, top };

    [[nodiscard]] const Vec3& target() const { return target_; }
    [[nodiscard]] double scale() const { return scale_; } ///< pixels (not device pixels) a mm
    [[nodiscard]] Vec3 right() const;
    [[nodiscard]] Vec3 up() const;
    [[nodiscard]] Vec3 towards() const; ///< from the target to the eye

    void look(View view);
    /// Turns about the vertical and tilts, rad; the tilt stays between straight down and straight up.
    void orbit(double yaw, double tilt);
    /// Moves the picture by pixels.
    void pan(double dx, double dy);
    /// Zooms about a place of a picture of the given size, both in pixels.
    void zoom(double factor, const QPointF& at, const QSizeF& size);
    /// Shows a box whole.
    void fit(const Vec3& low, const Vec3& high, const QSizeF& size);
    /// The same for points themselves, which fill the picture as far as they go.
    void fit(const std::vector<Vec3>& points, const QSizeF& size);
    void set_target(const Vec3& target) { target_ = target; }
    void set_scale(double scale);

    /// Where a point is in a picture of a size: x, y in pixels from the top left, z in mm towards the eye from the target.
    [[nodiscard]] Vec3 project(const Vec3& point, const QSizeF& size) const;
    /// From the world to clip space, for a picture of a size.
    [[nodiscard]] Eigen::Matrix4f matrix(const QSizeF& size) const;

    friend bool operator==(const Camera&, const Camera&) = default;

    static constexpr double depth = 8000; ///< mm in front of and behind the target that are seen

private:
    Vec3 target_ = Vec3::Zero();
    double yaw_ = 0;
    double tilt_ = 0;
    double scale_ = 0.5;
};

} // namespace wexilum::app
