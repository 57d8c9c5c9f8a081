#include "core/compare/path_place.hpp"

#include <algorithm>

namespace wexilum {

void PathPlace::advance(const Pose& at)
{
    go_to(next_ + 1);
    link_from_ = at;
    take_front(at);
    nearest.any = false;
    hole.reset();
}

void PathPlace::advance(std::size_t count, const Pose& at)
{
    next_ += count - 1;
    advance(at);
    path_.pass_cuts(count);
}

void PathPlace::go_to(std::size_t index)
{
    next_ = index;
    progress = {};
}

void PathPlace::forget_link()
{
    link_from_.reset();
    front_.reset();
}

double PathPlace::front_along(const Vec3& axis, double otherwise) const
{
    return front_ && front_axis_.dot(axis) > same_direction ? *front_ : otherwise;
}

void PathPlace::take_front(const Pose& at)
{
    const bool goes_on = front_ && front_axis_.dot(at.axis) > same_direction;
    front_ = std::max(goes_on ? *front_ : -1e300, at.axis.dot(at.tip));
    front_axis_ = at.axis;
}

void PathPlace::take_front(const Pose& at, double highest)
{
    if (front_axis_.dot(at.axis) > same_direction) {
        front_ = std::max(*front_, highest);
    }
}

} // namespace wexilum
