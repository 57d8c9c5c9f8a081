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

Readings ReplayMove::on_tip_line(double u) const
{
    Readings out = from + (to - from) * u;
    const Vec3 tip = tip_from + (tip_to - tip_from) * u;
    if (tip_by_vector) {
        const Pose a = tip_solver->kinematics().pose(from, tip_length);
        const Pose b = tip_solver->kinematics().pose(to, tip_length);
        const Candidates found = tip_solver->solve({tip, great_circle(a.axis, b.axis, u)}, tip_length, out);
        double least = 1e300;
        Readings nearest = out;
        for (const Candidate& candidate : found.list) {
            double far = 0;
            for (const JointIndex joint : tip_solver->rotary()) {
                far = std::max(far, std::abs(candidate.readings[Eigen::Index(joint.value)] - out[Eigen::Index(joint.value)]));
            }
            if (far < least) {
                least = far;
                nearest = candidate.readings;
            }
        }
        return nearest;
    }
    tip_solver->set_linear(out, tip, tip_length);
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
    out.asked = asked[at];
    out.feed_precision = feed_precision[at];
    out.at_joint_limit = at_joint_limit[at];
    return out;
}

} // namespace wexilum
