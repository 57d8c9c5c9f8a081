#include "app/models/camera.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum::app {
namespace {

constexpr double least_scale = 1e-3;
constexpr double most_scale = 1e4;

} // namespace

// Yaw 0 looks along +Y: the eye stands at -Y, as an operator does. Tilt is the eye's height above the horizon.
Vec3 Camera::towards() const { return {std::cos(tilt_) * std::sin(yaw_), -std::cos(tilt_) * std::cos(yaw_), std::sin(tilt_)}; }
Vec3 Camera::right() const { return {std::cos(yaw_), std::sin(yaw_), 0}; }
Vec3 Camera::up() const { return towards().cross(right()); }

void Camera::look(View view)
{
    switch (view) {
    case View::corner:
        yaw_ = to_rad(35);
        tilt_ = to_rad(28);
        break;
    case View::front: yaw_ = tilt_ = 0; break;
    case View::back:
        yaw_ = pi;
        tilt_ = 0;
        break;
    case View::right:
        yaw_ = pi / 2;
        tilt_ = 0;
        break;
    case View::left:
        yaw_ = -pi / 2;
        tilt_ = 0;
        break;
    case View::top:
        yaw_ = 0;
        tilt_ = pi / 2;
        break;
    }
}

void Camera::orbit(double yaw, double tilt)
{
    yaw_ = wrapped(yaw_ + yaw);
    tilt_ = std::clamp(tilt_ + tilt, -pi / 2, pi / 2);
}

void Camera::pan(double dx, double dy) { target_ += (-right() * dx + up() * dy) / scale_; }

void Camera::set_scale(double scale) { scale_ = std::clamp(scale, least_scale, most_scale); }

void Camera::zoom(double factor, const QPointF& at, const QSizeF& size)
{
    const double before = scale_;
    set_scale(scale_ * factor);
    const double x = at.x() - size.width() / 2;
    const double y = at.y() - size.height() / 2;
    target_ += (right() * x - up() * y) * (1 / before - 1 / scale_);
}

void Camera::fit(const Vec3& low, const Vec3& high, const QSizeF& size)
{
    target_ = 0.5 * (low + high);
    const Vec3 half = 0.5 * (high - low);
    const double wide = right().cwiseAbs().dot(half) * 2;
    const double tall = up().cwiseAbs().dot(half) * 2;
    constexpr double room = 0.9;
    set_scale(room * std::min(size.width() / std::max(wide, 1e-3), size.height() / std::max(tall, 1e-3)));
}

void Camera::fit(const std::vector<Vec3>& points, const QSizeF& size)
{
    if (points.empty()) {
        return;
    }
    Vec3 low = Vec3::Constant(1e300);
    Vec3 high = Vec3::Constant(-1e300);
    for (const Vec3& point : points) { // in the picture's own directions
        const Vec3 at(point.dot(right()), point.dot(up()), point.dot(towards()));
        low = low.cwiseMin(at);
        high = high.cwiseMax(at);
    }
    const Vec3 middle = 0.5 * (low + high);
    target_ = right() * middle.x() + up() * middle.y() + towards() * middle.z();
    const Vec3 all = high - low;
    set_scale(0.94 * std::min(size.width() / std::max(all.x(), 1e-3), size.height() / std::max(all.y(), 1e-3)));
}

Vec3 Camera::project(const Vec3& point, const QSizeF& size) const
{
    const Vec3 off = point - target_;
    return {size.width() / 2 + off.dot(right()) * scale_, size.height() / 2 - off.dot(up()) * scale_, off.dot(towards())};
}

Eigen::Matrix4f Camera::matrix(const QSizeF& size) const
{
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    m.block<1, 3>(0, 0) = right().transpose() * (2 * scale_ / size.width());
    m.block<1, 3>(1, 0) = up().transpose() * (2 * scale_ / size.height());
    m.block<1, 3>(2, 0) = -towards().transpose() / depth;
    m.block<3, 1>(0, 3) = -m.block<3, 3>(0, 0) * target_;
    return m.cast<float>();
}

} // namespace wexilum::app
