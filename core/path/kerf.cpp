#include "core/path/kerf.hpp"

#include "core/collide/solid.hpp"
#include "core/solve/inverse.hpp"
#include "core/task/postures.hpp"

#include <algorithm>
#include <vector>

namespace wexilum {

struct KerfWatch::Kept {
    std::vector<Solid> solids; ///< part's frame
    Vec3 up;                   ///< likewise, out of the work

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
    const auto& works = a.setup.works;
    if (std::all_of(works.begin(), works.end(), [](const Work& work) { return work.kept.empty(); })) {
        return;
    }
    for (std::uint32_t work = 0; work < works.size(); ++work) {
        const Kinematics chain = Kinematics::make(a.machine, {a.posture_of(0).mount, a.posture_of(0).held, work}, holder_of(a, work));
        kept_.push_back(std::make_shared<const Kept>(Kept{{works[work].kept.begin(), works[work].kept.end()},
                                                          a.setup.part().linear().transpose() * chain.out_of_work(a.machine.home())}));
    }
}

const Body* KerfWatch::reached(const Pose& from, const Pose& to, const Tool& tool, std::uint32_t work) const
{
    const double radius = tool.length.value_or(0);
    const double width = std::max(0.1, tool.width);
    if (!any() || radius <= 0) {
        return nullptr;
    }
    const Kept& kept = *kept_[work];
    const Vec3& up = kept.up;
    for (const Pose* pose : {&from, &to}) {
        Body disc;
        disc.shape = Shape::cylinder;
        disc.bottom = disc.top = 2 * radius;
        disc.length = width;
        const Vec3 across = up.cross(pose->axis).normalized();
        disc.frame = frame_from(pose->tip + up * radius - across * (width / 2), pose->axis, across);
        if (const Body* body = kept.meets(Solid(disc))) {
            return body;
        }
    }
    const Vec3 way = to.tip - from.tip;
    const Vec3 level = way - up * up.dot(way);
    if (level.norm() < 1e-6) {
        return nullptr;
    }
    Body between; // what the middle of the disc sweeps
    between.shape = Shape::box;
    between.size = Vec3(level.norm(), width, radius);
    const double low = std::min(up.dot(from.tip), up.dot(to.tip));
    const Vec3 middle = (from.tip + to.tip) / 2;
    between.frame = frame_from(middle + up * (low - up.dot(middle)), level.normalized(), up);
    return kept.meets(Solid(between));
}

} // namespace wexilum
