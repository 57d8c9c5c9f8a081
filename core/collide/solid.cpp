#include "core/collide/solid.hpp"

#include "core/base/units.hpp"

// FCL's headers are not clean under the project's warnings; they are included as system headers.
#include <fcl/geometry/bvh/BVH_model.h>
#include <fcl/geometry/shape/box.h>
#include <fcl/geometry/shape/cone.h>
#include <fcl/geometry/shape/convex.h>
#include <fcl/geometry/shape/cylinder.h>
#include <fcl/narrowphase/distance.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

using Surface = fcl::BVHModel<fcl::OBBRSSd>;

/// A truncated cone, about the middle of its height; its sides are outside the round ones.
std::shared_ptr<fcl::CollisionGeometryd> truncated(const Body& body)
{
    constexpr int sides = 48;
    auto points = std::make_shared<std::vector<Vec3>>();
    auto faces = std::make_shared<std::vector<int>>();
    const double outside = 1 / std::cos(pi / sides);
    for (const auto& [diameter, z] : {std::pair{body.bottom, -body.length / 2}, std::pair{body.top, body.length / 2}}) {
        for (int i = 0; i < sides; ++i) {
            const double a = 2 * pi * i / sides;
            points->emplace_back(diameter / 2 * outside * std::cos(a), diameter / 2 * outside * std::sin(a), z);
        }
    }
    for (const int ring : {0, 1}) {
        faces->push_back(sides);
        for (int i = 0; i < sides; ++i) {
            faces->push_back(ring == 0 ? sides - 1 - i : sides + i);
        }
    }
    for (int i = 0; i < sides; ++i) {
        const int next = (i + 1) % sides;
        faces->insert(faces->end(), {4, i, next, sides + next, sides + i});
    }
    return std::make_shared<fcl::Convexd>(points, sides + 2, faces);
}

std::shared_ptr<fcl::CollisionGeometryd> shape_of(const Body& body)
{
    if (body.shape == Shape::box) {
        return std::make_shared<fcl::Boxd>(body.size);
    }
    if (body.top == body.bottom) {
        return std::make_shared<fcl::Cylinderd>(body.bottom / 2, body.length);
    }
    return body.top == 0 ? std::shared_ptr<fcl::CollisionGeometryd>(std::make_shared<fcl::Coned>(body.bottom / 2, body.length))
                         : truncated(body);
}

} // namespace

struct Solid::Geometry {
    std::shared_ptr<fcl::CollisionGeometryd> shape;
    double height = 0; ///< of its own middle above the body's frame
};

Solid::Solid(Body body) : body_(std::move(body))
{
    if (body_.shape == Shape::surface) {
        take(*body_.surface);
        return;
    }
    const bool box = body_.shape == Shape::box;
    const double height = (box ? body_.size.z() : body_.length) / 2;
    middle_ = Vec3(0, 0, height);
    radius_ = box ? body_.size.norm() / 2 : std::hypot(std::max(body_.bottom, body_.top) / 2, height) * 1.003;
    auto geometry = std::make_shared<Geometry>();
    geometry->shape = shape_of(body_);
    geometry->height = height;
    geometry_ = geometry;
}

Solid::Solid(Body body, const Triangles& surface) : body_(std::move(body)) { take(surface); }

void Solid::take(const Triangles& surface)
{
    Vec3 low = Vec3::Constant(1e300);
    Vec3 high = -low;
    for (const Vec3& point : surface.points) {
        low = low.cwiseMin(point);
        high = high.cwiseMax(point);
    }
    middle_ = (low + high) / 2;
    for (const Vec3& point : surface.points) {
        radius_ = std::max(radius_, (point - middle_).norm());
    }
    const auto model = std::make_shared<Surface>();
    std::vector<fcl::Triangle> faces;
    faces.reserve(surface.faces.size());
    for (const auto& face : surface.faces) {
        faces.emplace_back(face[0], face[1], face[2]);
    }
    model->beginModel(int(faces.size()), int(surface.points.size()));
    model->addSubModel(surface.points, faces);
    model->endModel();
    auto geometry = std::make_shared<Geometry>();
    geometry->shape = model;
    geometry_ = geometry;
}

Frame Solid::placed(const Frame& at) const
{
    return geometry_->height == 0 ? at : Frame(at * Eigen::Translation3d(0, 0, geometry_->height));
}

double Solid::distance(const Solid& a, const Frame& at_a, const Solid& b, const Frame& at_b)
{
    fcl::DistanceRequestd request(false, false);
    fcl::DistanceResultd result;
    fcl::distance(a.geometry_->shape.get(), a.placed(at_a), b.geometry_->shape.get(), b.placed(at_b), request, result);
    return std::max(0.0, result.min_distance);
}

std::optional<std::pair<Vec3, Vec3>> Solid::nearest(const Solid& a, const Frame& at_a, const Solid& b, const Frame& at_b)
{
    fcl::DistanceRequestd request(true, false);
    fcl::DistanceResultd result;
    fcl::distance(a.geometry_->shape.get(), a.placed(at_a), b.geometry_->shape.get(), b.placed(at_b), request, result);
    const Vec3 first = result.nearest_points[0];
    const Vec3 second = result.nearest_points[1];
    // The library leaves the points of some pairs of shapes where they were.
    const bool fits =
        result.min_distance > 0 && std::abs((first - second).norm() - result.min_distance) < 1e-3 + 0.01 * result.min_distance;
    return fits ? std::optional(std::pair(first, second)) : std::nullopt;
}

} // namespace wexilum
