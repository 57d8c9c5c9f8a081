// Times pieces of a way that a control goes through without standing still, forwards and backwards over as many as it looks ahead.
//
// docs/timing.md says the model and where it comes from. In short: along the way a length is counted so that one unit a second squared
// is what the joint that can accelerate least can (the largest of |d| / A over the joints). Then speed is limited piece by piece (the asked
// feed, the joints' speeds, the time of a block), at corners (a joint's speed may jump by so much) and in curves (half of each joint's
// acceleration may change its direction, the other half is left for its speed), and rises and falls at one rate. Where acceleration needs
// time to build up, the speed is the mean of that over this time: so each least and each largest speed is held for as long.
#pragma once

#include "core/motion/way_plan.hpp"

#include <cstdint>
#include <vector>

namespace wexilum {

struct WayPiece {
    const double* way = nullptr;    ///< of each joint, mm or rad, with its sign
    double asked = 0;               ///< s that its feed asks for; 0: as fast as the joints can
    const double* into = nullptr;   ///< where it is bent: how the joints set off (any length), for the corner there; null: as `way`
    const double* out_of = nullptr; ///< how they arrive
    const double* tool = nullptr;   ///< how the tool moves for each unit of each joint, as Kinematics::jacobian() has it; null:
                                    ///< WayRules::tip_jump and those below it are not asked
    bool smooth = false;            ///< it goes on from the piece before as a curve does
    bool block = true;              ///< it begins a block
};

class WayTimer {
public:
    /// The sink must outlive the timer.
    WayTimer(WayRules rules, PieceSink& sink);
    WayTimer(const WayTimer&) = delete;
    WayTimer& operator=(const WayTimer&) = delete;

    /// From where the one before has ended. Pieces come out once it is known how fast they can be.
    void add(const WayPiece& piece);
    /// The control stands still behind the last piece.
    void stop();

    [[nodiscard]] const WayRules& rules() const { return rules_; }

private:
    void meet(WayPlan::Piece& piece, const WayPiece& given);

    WayRules rules_;
    WayPlan plan_;
    std::size_t joints_;
    std::vector<double> inverse_; ///< of the joints' accelerations
    std::size_t full_;            ///< pieces that are kept until they are planned
    std::vector<WayPlan::Piece> pieces_;
    // Of the piece before: its length, and the directions in which it arrives and in which it leads as a whole.
    double length_before_ = 0; ///< 0: none
    std::vector<double> before_;
    std::vector<double> mean_before_;
    std::vector<double> arrives_; ///< kept for its memory
    std::uint32_t block_ = 0;
};

} // namespace wexilum
