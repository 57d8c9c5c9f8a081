#include "core/motion/block_time.hpp"

#include <cmath>

namespace wexilum {

BlockTime block_time(const Machine& machine, const Readings& from, const Readings& to, double tip_seconds)
{
    BlockTime out{tip_seconds, false, JointIndex(0)};
    double within = out.seconds * (1 + 1e-9);
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const auto at = static_cast<Eigen::Index>(i);
        const double way = std::abs(to[at] - from[at]);
        if (way > within * machine.joints[i].speed) {
            out = {way / machine.joints[i].speed, tip_seconds > 0, JointIndex(static_cast<std::uint32_t>(i))};
            within = out.seconds * (1 + 1e-9);
        }
    }
    return out;
}

} // namespace wexilum
