// Poses, directions and the path between two records.
#pragma once

#include <Eigen/Geometry>

#include <optional>

namespace wexilum {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;
using Frame = Eigen::Isometry3d; ///< a right-handed rigid transform, millimetres

/// A tool pose in some frame: tip position in mm, unit vector from the tip to the holder.
struct Pose {
    Vec3 tip = Vec3::Zero();
    Vec3 axis = Vec3::UnitZ();
};

/// Angle between two non-zero directions in rad, 0..pi, exact near 0 and pi: atan2(|a x b|, a.b).
[[nodiscard]] double angle_between(const Vec3& a, const Vec3& b);

/// The same for unit vectors, cheaper.
[[nodiscard]] double unit_angle_between(const Vec3& a, const Vec3& b);

/// The angle in (-pi, pi] that turns `from` into `to` about the unit vector `about`, both projected on the plane across it.
/// Returns 0 where a projection vanishes.
[[nodiscard]] double angle_about(const Vec3& about, const Vec3& from, const Vec3& to);

/// A unit vector across `v`; deterministic.
[[nodiscard]] Vec3 any_across(const Vec3& v);

/// The direction at fraction s (0..1) of the great circle from unit vector a to unit vector b.
/// Where a and b are exactly opposite there is no such circle, and a is the answer; cuts that turn so are rejected when reading.
[[nodiscard]] Vec3 great_circle(const Vec3& a, const Vec3& b, double s);

/// Where the great circle from unit vector a on to unit vector b comes nearest to a unit vector.
struct NearestPass {
    double s;        ///< fraction of the way from a to b, beyond 0..1 outside
    double distance; ///< rad
};
/// Nothing where a and b are one direction, or opposite.
[[nodiscard]] std::optional<NearestPass> nearest_pass(const Vec3& a, const Vec3& b, const Vec3& to);

/// Applies a frame to a pose: tip as a point, axis as a direction.
[[nodiscard]] Pose transformed(const Frame& frame, const Pose& pose);

/// A frame applied to one pose after the other. One that moves nothing costs nothing.
class PoseMap {
public:
    explicit PoseMap(const Frame& frame) : frame_(frame), still_(frame.matrix() == Frame::Identity().matrix()) {}
    [[nodiscard]] Pose operator()(const Pose& pose) const { return still_ ? pose : transformed(frame_, pose); }
    /// A direction, likewise.
    [[nodiscard]] Vec3 turned(const Vec3& direction) const { return still_ ? direction : Vec3(frame_.linear() * direction); }
    /// It moves nothing.
    [[nodiscard]] bool still() const { return still_; }

private:
    Frame frame_;
    bool still_;
};

/// The frame whose z axis is the unit vector `z` and whose x axis is `x` made perpendicular to it, at `origin`.
/// Precondition: x and z are not parallel.
[[nodiscard]] Frame frame_from(const Vec3& origin, const Vec3& x, const Vec3& z);

/// v wrapped to (-pi, pi].
[[nodiscard]] double wrapped(double angle);

} // namespace wexilum
