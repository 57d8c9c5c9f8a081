#include "core/path/kerf.hpp"

#include "core/collide/solid.hpp"
#include "core/solve/inverse.hpp"

#include <algorithm>
#include <vector>

namespace wexilum {

struct KerfWatch::Kept {
    std::vector<Solid> solids; ///< part's frame

    [[nodiscard]] const Body* meets(const Solid& solid) const
    {
        const auto found = std::find_if(solids.begin(), solids.end(), [&](const Solid& kept) {
            return Solid::distance(solid, solid.body().frame, kept, kept.body().frame) <= 0;
        });
        return found == solids.end() ? nullptr : &found->body();
    }
};

KerfWatch::KerfWatch(const Task& a)
{
    const auto& mounts = a.machine.mounts;
    if (!a.solver || std::none_of(mounts.begin(), mounts.end(), [](const Mount& m) { return m.blade; })) {
        return;
    }
    up_ = a.setup.part.linear().transpose() * a.solver->kinematics().out_of_work(a.machine.home());
    if (!a.setup.kept.empty()) {
        kept_ = std::make_shared<const Kept>(Kept{{a.setup.kept.begin(), a.setup.kept.end()}});
    }
}

const Body* KerfWatch::reached(const Pose& from, const Pose& to, const Tool& tool) const
{
    const double radius = tool.length.value_or(0);
    const double width = std::max(0.1, tool.width);
    if (kept_ == nullptr || radius <= 0) {
        return nullptr;
    }
    for (const Pose* pose : {&from, &to}) {
        Body disc;
        disc.shape = Shape::cylinder;
        disc.bottom = disc.top = 2 * radius;
        disc.length = width;
        const Vec3 across = up_.cross(pose->axis).normalized();
        disc.frame = frame_from(pose->tip + up_ * radius - across * (width / 2), pose->axis, across);
        if (const Body* body = kept_->meets(Solid(disc))) {
            return body;
        }
    }
    const Vec3 way = to.tip - from.tip;
    const Vec3 level = way - up_ * up_.dot(way);
    if (level.norm() < 1e-6) {
        return nullptr;
    }
    Body between; // what the middle of the disc sweeps
    between.shape = Shape::box;
    between.size = Vec3(level.norm(), width, radius);
    const double low = std::min(up_.dot(from.tip), up_.dot(to.tip));
    const Vec3 middle = (from.tip + to.tip) / 2;
    between.frame = frame_from(middle + up_ * (low - up_.dot(middle)), level.normalized(), up_);
    return kept_->meets(Solid(between));
}

} // namespace wexilum
