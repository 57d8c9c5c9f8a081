#include "core/geometry/clearance.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

namespace wexilum {
namespace {

constexpr double parallel = 1e-9; // sine below which a direction never leads out

/// The face of a box that a point is on, or nearest to: the coordinate across it and its side.
std::pair<int, double> face_of(const Vec3& point, const Vec3& half)
{
    int across = 0;
    for (int k = 1; k < 3; ++k) {
        if (std::abs(point[k]) - half[k] > std::abs(point[across]) - half[across]) {
            across = k;
        }
    }
    return {across, point[across] < 0 ? -1.0 : 1.0};
}

SurfaceWay along_lines(std::vector<Vec3> points)
{
    std::vector<double> to{0};
    for (std::size_t i = 1; i < points.size(); ++i) {
        to.push_back(to.back() + (points[i] - points[i - 1]).norm());
    }
    SurfaceWay out;
    for (std::size_t i = 1; i + 1 < points.size(); ++i) {
        if (to[i] > 0 && to[i] < to.back()) {
            out.bends.push_back(to[i] / to.back());
        }
    }
    out.at = [points = std::move(points), to = std::move(to)](double u) -> Vec3 {
        const double at = u * to.back();
        for (std::size_t i = 1; i < points.size(); ++i) {
            if (at <= to[i] && to[i] > to[i - 1]) {
                return points[i - 1] + (points[i] - points[i - 1]) * ((at - to[i - 1]) / (to[i] - to[i - 1]));
            }
        }
        return points.back();
    };
    return out;
}

} // namespace

ClearanceSurface ClearanceSurface::plane(const Vec3& point, const Vec3& direction)
{
    const Vec3 z = direction.normalized();
    return {Shape::plane, frame_from(point, any_across(z), z), Vec3::Zero()};
}

ClearanceSurface ClearanceSurface::cylinder(const Vec3& point, const Vec3& direction, double radius)
{
    const Vec3 z = direction.normalized();
    return {Shape::cylinder, frame_from(point, any_across(z), z), Vec3::Constant(radius)};
}

ClearanceSurface ClearanceSurface::sphere(const Vec3& point, double radius)
{
    return {Shape::sphere, Frame(Eigen::Translation3d(point)), Vec3::Constant(radius)};
}

ClearanceSurface ClearanceSurface::box(const Vec3& low, const Vec3& high)
{
    return {Shape::box, Frame(Eigen::Translation3d((low + high) / 2)), (high - low) / 2};
}

std::optional<Vec3> ClearanceSurface::along() const
{
    return shape_ == Shape::cylinder ? std::optional<Vec3>(frame_.linear().col(2)) : std::nullopt;
}

ClearanceSurface ClearanceSurface::shrunk(double by) const
{
    ClearanceSurface out = *this;
    if (shape_ == Shape::plane) {
        out.frame_.translation() -= by * frame_.linear().col(2);
    } else {
        out.half_ -= Vec3::Constant(by);
    }
    return out;
}

double ClearanceSurface::height(const Vec3& point) const
{
    const Vec3 p = inside(point);
    switch (shape_) {
    case Shape::plane: return p.z();
    case Shape::cylinder: return std::hypot(p.x(), p.y()) - half_.x();
    case Shape::sphere: return p.norm() - half_.x();
    case Shape::box: break;
    }
    const Vec3 over = p.cwiseAbs() - half_;
    const double deepest = over.maxCoeff();
    return deepest <= 0 ? deepest : over.cwiseMax(0).norm();
}

Vec3 ClearanceSurface::nearest(const Vec3& point) const
{
    Vec3 p = inside(point);
    switch (shape_) {
    case Shape::plane: p.z() = 0; break;
    case Shape::cylinder: {
        const double r = std::hypot(p.x(), p.y());
        p.head<2>() = r > 0 ? Eigen::Vector2d(p.head<2>() * (half_.x() / r)) : Eigen::Vector2d(half_.x(), 0);
        break;
    }
    case Shape::sphere: p = p.norm() > 0 ? Vec3(p.normalized() * half_.x()) : Vec3(0, 0, half_.x()); break;
    case Shape::box: {
        const auto [across, side] = face_of(p, half_);
        const bool within = (p.cwiseAbs().array() <= half_.array()).all();
        p = p.cwiseMax(-half_).cwiseMin(half_);
        p[across] = within ? side * half_[across] : p[across];
        break;
    }
    }
    return frame_ * p;
}

std::optional<Vec3> ClearanceSurface::way_out(const Vec3& point, const Vec3& direction) const
{
    const Vec3 p = inside(point);
    const Vec3 d = frame_.linear().transpose() * direction;
    if (shape_ == Shape::plane) {
        if (d.z() < -parallel || (p.z() < 0 && d.z() <= parallel)) {
            return std::nullopt;
        }
        return p.z() >= 0 ? point : Vec3(point - direction * (p.z() / d.z()));
    }
    if (shape_ == Shape::box) {
        double in = -std::numeric_limits<double>::infinity();
        double out = std::numeric_limits<double>::infinity();
        for (int k = 0; k < 3; ++k) {
            if (std::abs(d[k]) < parallel) {
                if (std::abs(p[k]) >= half_[k]) {
                    return point; // beside it all along
                }
                continue;
            }
            in = std::max(in, (-std::copysign(half_[k], d[k]) - p[k]) / d[k]);
            out = std::min(out, (std::copysign(half_[k], d[k]) - p[k]) / d[k]);
        }
        return in >= out || out <= 0 ? point : Vec3(point + direction * out);
    }
    const Vec3 across = shape_ == Shape::cylinder ? Vec3(1, 1, 0) : Vec3(1, 1, 1);
    const Vec3 pa = p.cwiseProduct(across);
    const Vec3 da = d.cwiseProduct(across);
    const double a = da.squaredNorm();
    const double c = pa.squaredNorm() - half_.x() * half_.x();
    if (a < parallel * parallel) {
        return c >= 0 ? std::optional(point) : std::nullopt;
    }
    const double b = pa.dot(da);
    const double root = b * b - a * c;
    const double out = root <= 0 ? 0 : (std::sqrt(root) - b) / a;
    return out <= 0 ? point : Vec3(point + direction * out);
}

bool ClearanceSurface::is_clear(const Pose& pose) const
{
    if (height(pose.tip) < 0) {
        return false;
    }
    const auto out = way_out(pose.tip, pose.axis);
    return out && (*out - pose.tip).norm() < 1e-9;
}

SurfaceWay ClearanceSurface::way(const Vec3& from, const Vec3& to, double winding) const
{
    const Vec3 a = inside(nearest(from));
    const Vec3 b = inside(nearest(to));
    SurfaceWay out;
    const Frame frame = frame_;
    switch (shape_) {
    case Shape::plane: return along_lines({frame * a, frame * b});
    case Shape::box: return box_way(a, b);
    case Shape::sphere: {
        const double radius = half_.x();
        const Vec3 first = a.normalized();
        const Vec3 last = b.normalized();
        const Vec3 normal = first.cross(last);
        const double angle = angle_between(first, last);
        const Vec3 about = normal.norm() > parallel ? Vec3(normal.normalized()) : any_across(first);
        out.at = [=](double u) -> Vec3 { return frame * Vec3(radius * (Eigen::AngleAxisd(u * angle, about) * first)); };
        return out;
    }
    case Shape::cylinder: break;
    }
    const double begin = std::atan2(a.y(), a.x());
    const double shortest = wrapped(std::atan2(b.y(), b.x()) - begin);
    const double turn = shortest + whole_turn * std::round((winding - shortest) / whole_turn);
    const double radius = half_.x();
    out.at = [=](double u) -> Vec3 {
        const double angle = begin + turn * u;
        return frame * Vec3(radius * std::cos(angle), radius * std::sin(angle), a.z() + (b.z() - a.z()) * u);
    };
    return out;
}

/// Over the faces as if they were laid flat: over one edge, or over two where the faces are opposite.
SurfaceWay ClearanceSurface::box_way(const Vec3& a, const Vec3& b) const
{
    const auto [ka, sa] = face_of(a, half_);
    const auto [kb, sb] = face_of(b, half_);
    const auto placed = [&](std::vector<Vec3> points) {
        for (Vec3& point : points) {
            point = frame_ * point;
        }
        return along_lines(std::move(points));
    };
    if (ka == kb && sa == sb) {
        return placed({a, b});
    }
    if (ka != kb) {
        const double before = std::abs(sb * half_[kb] - a[kb]);
        const double after = std::abs(sa * half_[ka] - b[ka]);
        const double part = before + after > 0 ? before / (before + after) : 0;
        Vec3 edge = a + (b - a) * part;
        edge[ka] = sa * half_[ka];
        edge[kb] = sb * half_[kb];
        return placed({a, edge, b});
    }
    std::vector<Vec3> best;
    double least = std::numeric_limits<double>::infinity();
    for (const int side : {(ka + 1) % 3, (ka + 2) % 3}) {
        for (const double s : {1.0, -1.0}) {
            const double across = 2 * half_[ka];
            const double before = std::abs(s * half_[side] - a[side]);
            const double after = std::abs(s * half_[side] - b[side]);
            const double flat = before + across + after;
            const int rest = 3 - ka - side;
            const double length = std::hypot(flat, b[rest] - a[rest]);
            if (length >= least) {
                continue;
            }
            least = length;
            Vec3 first = a;
            Vec3 second = b;
            first[side] = second[side] = s * half_[side];
            first[rest] = a[rest] + (b[rest] - a[rest]) * (before / flat);
            second[rest] = a[rest] + (b[rest] - a[rest]) * ((before + across) / flat);
            best = {a, first, second, b};
        }
    }
    return placed(std::move(best));
}

} // namespace wexilum
