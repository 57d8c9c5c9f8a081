// The outline pass: what the whole job holds, known before the first line of code is written.
#pragma once

#include "core/toolpath/record.hpp"

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct OperationOutline {
    std::string id;
    std::string name;
    std::size_t first_record = 0;
    std::size_t records = 0;
    std::vector<std::uint32_t> tools;
    Vec3 low = Vec3::Constant(1e300); ///< extent of all motion in the part's frame, arcs and holes included
    Vec3 high = Vec3::Constant(-1e300);

    bool turns_in_cuts = false; ///< the tool axis changes in a cut

    /// How far motion with one tool axis reaches along it, part's frame; of the first `most_fronts` axes; of none once a cut has turned it.
    struct Front {
        Vec3 axis;
        double reach = 0;
    };
    static constexpr std::size_t most_fronts = 64;
    std::vector<Front> fronts;

    void include_front(const Pose& pose);
    /// The reach of motion with this axis; of the whole extent where the axis is not among those kept.
    [[nodiscard]] double front(const Vec3& axis) const;
    void include(const Vec3& tip)
    {
        low = low.cwiseMin(tip);
        high = high.cwiseMax(tip);
    }
};

struct Outline {
    std::vector<OperationOutline> operations;
    std::vector<std::uint32_t> tool_calls; ///< tool numbers in the order they come into the spindle, repeats of the same tool left out
    std::size_t records = 0;
    std::size_t motions = 0;
};

} // namespace wexilum
