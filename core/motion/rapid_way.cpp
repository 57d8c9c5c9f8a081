#include "core/motion/rapid_way.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

std::vector<Readings> rapid_stretches(const Machine& machine, const Readings& from, const Readings& to, bool together)
{
    std::vector<Readings> out{from};
    if (together) {
        out.push_back(to);
        return out;
    }
    std::vector<double> ends;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        ends.push_back(std::abs(to[Eigen::Index(i)] - from[Eigen::Index(i)]) / machine.joints[i].speed);
    }
    std::vector<double> times = ends;
    std::sort(times.begin(), times.end());
    for (const double time : times) {
        Readings end = to;
        for (std::size_t i = 0; i < ends.size(); ++i) {
            const auto at = Eigen::Index(i);
            end[at] = ends[i] > time ? from[at] + (to[at] - from[at]) * (time / ends[i]) : to[at];
        }
        if (end != out.back()) {
            out.push_back(end);
        }
    }
    if (out.size() == 1) {
        out.push_back(to);
    }
    return out;
}

} // namespace wexilum
