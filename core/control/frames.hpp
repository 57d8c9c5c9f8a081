// The coordinates of the tool's tip that the simulated control has in force; private to the control.
#pragma once

#include "core/control/simulated_control.hpp"
#include "core/controller/frame_kind.hpp"
#include "core/solve/tip_frame.hpp"

#include <deque>

namespace wexilum {

struct SimulatedControl::TipWords {
    FrameKind kind = FrameKind::joints;
    bool stale = true;        ///< has to be made anew: the offset, the attachment or a parked joint is another one
    bool around_tool = false; ///< a rotary joint that turns about the tool itself has been left out
    std::optional<Frame> plane;
    std::optional<TipFrame> frame;
    std::array<std::size_t, 3> xyz{};
    std::deque<InverseSolver> solvers; ///< all that motions point to
};

} // namespace wexilum
