// The closed form for many cuts at once: step by step for all of them, so that the processor has several in hand.
#include "core/base/lanes.hpp"
#include "core/solve/inverse.hpp"
#include "core/solve/linear_by.hpp"

namespace wexilum {

std::size_t InverseSolver::branches_along(const LinearRun& run, std::size_t first, std::size_t last, double tool_length,
                                          BranchRun& out) const
{
    std::array<Column, 3> turned;
    for (std::size_t i = first; i < last && !work_straight(); ++i) {
        const Vec3 wanted = kinematics().work_frame().linear() * run.pose(i).axis;
        for (std::size_t k = 0; k < 3; ++k) {
            turned[k][i] = wanted[Eigen::Index(k)];
        }
    }
    const std::size_t end = two_axes_.branches_along(work_straight() ? run.axis : turned, first, last, out);
    for (std::size_t b = 0; b < 2; ++b) {
        linear_along(run, first, end, tool_length, out.sine[b], out.cosine[b], out.linear[b]);
    }
    return end - first;
}

WEXILUM_WIDE void LinearJoints::linear_along(const LinearRun& run, std::size_t first, std::size_t end, double tool_length,
                                             const std::array<Column, 2>& sine, const std::array<Column, 2>& cosine,
                                             std::array<Column, 3>& out) const
{
    for (std::size_t i = first - first % 4; i < end; i += 4) { // columns have room for a multiple of four
        const std::array<Four, 2> s{four_of(sine[0], i), four_of(sine[1], i)};
        const std::array<Four, 2> c{four_of(cosine[0], i), four_of(cosine[1], i)};
        const std::array<Four, 3> tip{four_of(run.tip[0], i), four_of(run.tip[1], i), four_of(run.tip[2], i)};
        const std::array<Four, 3> linear = linear_by<Four>(s, c, tip, tool_length);
        for (std::size_t k = 0; k < 3; ++k) {
            put(linear[k], out[k], i);
        }
    }
}

} // namespace wexilum
