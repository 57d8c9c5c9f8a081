#include "core/control/replay_move.hpp"

namespace wexilum {

Readings ReplayMove::at(double u) const
{
    if (tip_solver != nullptr) [[unlikely]] {
        return on_tip_line(u);
    }
    Readings out = from + (to - from) * u;
    if (arc) {
        const Vec3 p = u >= 1 ? Vec3(to[arc_joints[0]], to[arc_joints[1]], to[arc_joints[2]]) : arc->at(u);
        for (int k = 0; k < 3; ++k) {
            const auto joint = arc_joints[std::size_t(k)];
            out[joint] = u < 1 ? arc_value(std::size_t(joint), p[k]) : p[k];
        }
    }
    return out;
}

ReplayMove CutRun::move(std::size_t at) const
{
    ReplayMove out = common;
    out.block = block[at];
    for (std::size_t i = 0; i < to.size(); ++i) {
        out.from[Eigen::Index(i)] = from(i, at);
        out.to[Eigen::Index(i)] = to[i][at];
    }
    out.seconds = seconds[at];
    out.feed_precision = feed_precision[at];
    out.at_joint_limit = at_joint_limit[at];
    return out;
}

} // namespace wexilum
