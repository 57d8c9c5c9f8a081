#include "core/motion/block_time.hpp"

#include <cmath>

namespace wexilum {

BlockTime block_time(const Machine& machine, const Readings& from, const Readings& to, double tip_seconds)
{
    BlockTime out{tip_seconds, false, JointIndex(0)};
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const auto at = static_cast<Eigen::Index>(i);
        const double least = std::abs(to[at] - from[at]) / machine.joints[i].speed;
        if (least > out.seconds * (1 + 1e-9)) {
            out = {least, tip_seconds > 0, JointIndex(static_cast<std::uint32_t>(i))};
        }
    }
    return out;
}

} // namespace wexilum
