#include "core/compare/straight_rows.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

StraightRows::StraightRows(const Task& task, const SeenMotion& first)
    : task_(task), move_(first.move), from_(first.from), to_(first.to), budget_(first.budget), lever_term_(first.lever_term),
      turn_(first.turn), stands_for_rapid_(first.stands_for_rapid), slopes_(task.machine.joints.size(), {-1e30, 1e30})
{
    (move_.to - move_.from).cwiseAbs().maxCoeff(&leads_);
    (void)narrow(move_.to);
}

bool StraightRows::narrow(const Readings& to)
{
    const double lead = to[leads_] - move_.from[leads_];
    std::vector<std::pair<double, double>> next = slopes_;
    for (std::size_t j = 0; j < next.size(); ++j) {
        const bool rotary = task_.machine.joints[j].kind == JointKind::rotary;
        const double increment = rotary ? to_rad(task_.controller.angle_increment) : move_.length_increment;
        const double way = to[Eigen::Index(j)] - move_.from[Eigen::Index(j)];
        const double slope = way / lead;
        const double slack =
            1.01 * increment * (1 + std::abs(slope)) / std::abs(lead); // half an increment at each end of both joints' ways
        next[j] = {std::max(next[j].first, slope - slack), std::min(next[j].second, slope + slack)};
        if (next[j].first > next[j].second) {
            return false;
        }
    }
    slopes_ = std::move(next);
    return true;
}

bool StraightRows::take(const SeenMotion& next)
{
    const ReplayMove& m = next.move;
    const double before = move_.to[leads_] - move_.from[leads_];
    const double after = m.to[leads_] - move_.from[leads_];
    const bool same = m.feed == move_.feed && m.tool == move_.tool && m.mount == move_.mount && m.spindle == move_.spindle &&
                      m.spindle_rpm == move_.spindle_rpm && m.coolant == move_.coolant && m.from == move_.to;
    if (!same || before == 0 || after / before < 1 || !narrow(m.to)) {
        return false;
    }
    move_.to = m.to;
    move_.block = m.block;
    move_.seconds += m.seconds;
    move_.asked += m.asked;
    to_ = next.to;
    budget_ = next.budget;
    lever_term_ = next.lever_term;
    turn_ += next.turn;
    return true;
}

SeenMotion StraightRows::seen() const { return {move_, from_, to_, budget_, lever_term_, turn_, stands_for_rapid_}; }

} // namespace wexilum
