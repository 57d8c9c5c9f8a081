// Forward kinematics for many places of a path at once.
#include "core/geometry/sine_cosine.hpp"
#include "core/geometry/turn_about.hpp"
#include "core/machine/kinematics.hpp"

namespace wexilum {

void Kinematics::poses_along(const std::vector<Column>& readings, std::size_t first, std::size_t end, double tool_length, bool levers,
                             PoseRun& out) const
{
    using Four = Eigen::Array4d;
    using Point = std::array<Four, 3>;
    const std::size_t begin = first - first % 4; // columns have room for a multiple of four
    const auto four = [](const Column& column, std::size_t at) __attribute__((always_inline))
    {
        return Four(Eigen::Map<const Four>(&column[at]));
    };
    const auto take = [&](const std::array<Column, 3>& columns, std::size_t at) __attribute__((always_inline))
    {
        return Point{four(columns[0], at), four(columns[1], at), four(columns[2], at)};
    };
    const auto put = [](const Point& point, std::array<Column, 3>& columns, std::size_t at) __attribute__((always_inline))
    {
        for (std::size_t k = 0; k < 3; ++k) {
            Eigen::Map<Four> to(&columns[k][at]);
            to = point[k];
        }
    };
    const Vec3 tip = bare_tip(tool_length);
    for (std::size_t k = 0; k < 3; ++k) {
        std::fill(out.tip[k].begin() + begin, out.tip[k].begin() + end, tip[Eigen::Index(k)]);
        std::fill(out.axis[k].begin() + begin, out.axis[k].begin() + end, tool_.linear()(Eigen::Index(k), 2));
    }
    for (std::size_t s = stages_.size(); s-- > 0;) {
        const Stage& stage = stages_[s];
        const auto joint = std::size_t(stage.joint);
        for (std::size_t i = first; i < end; ++i) {
            out.amount[i] = readings[joint][i] - stage.at;
        }
        if (!stage.rotary) {
            for (std::size_t k = 0; k < 3; ++k) {
                const double share = stage.direction[Eigen::Index(k)];
                for (std::size_t i = first; share != 0 && i < end; ++i) {
                    out.tip[k][i] += share * out.amount[i];
                }
            }
            continue;
        }
        sines_and_cosines(&out.amount[first], end - first, &out.sine[first], &out.cosine[first]);
        for (std::size_t i = begin; i < end; i += 4) {
            const Four sine = four(out.sine, i);
            const Four cosine = four(out.cosine, i);
            Point point = take(out.tip, i);
            Point axis = take(out.axis, i);
            if (levers) {
                Eigen::Map<Four> to(&out.lever[joint][i]);
                to = lever(stage.point, stage.direction, stage.along, point);
            }
            turn_about(stage.point, stage.direction, stage.along, sine, cosine, point);
            turn_about<Four, true>(stage.point, stage.direction, stage.along, sine, cosine, axis);
            put(point, out.tip, i);
            put(axis, out.axis, i);
        }
    }
    if (work_inverse_.matrix() == Frame::Identity().matrix()) {
        return;
    }
    for (std::size_t i = first; i < end; ++i) {
        const Pose pose = transformed(work_inverse_, out.at(i));
        for (std::size_t k = 0; k < 3; ++k) {
            out.tip[k][i] = pose.tip[Eigen::Index(k)];
            out.axis[k][i] = pose.axis[Eigen::Index(k)];
        }
    }
}

} // namespace wexilum
