// The positions by which a control whose rows come by a clock is to follow a way.
#pragma once

#include "core/motion/way_timer.hpp"

#include <deque>
#include <functional>

namespace wexilum {

class ClockedWay final : private PieceSink {
public:
    /// Gets where the joints are to be after each interval, and on which piece that is, counted from 0 on from the clock's beginning.
    using Row = std::function<void(const Readings& at, std::size_t piece)>;

    /// `rules`: as clocked_rules() has them. Precondition: interval > 0.
    ClockedWay(WayRules rules, double interval, Row row);

    struct Piece {
        Readings from;
        Readings to;
        double asked = 0;                                                ///< s that its feed asks for; 0: as fast as the joints can
        Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, max_joints> tool; ///< as in WayPiece
    };
    /// From where the one before has ended. Rows come once it is known how fast the way can be gone.
    void add(Piece piece);
    /// The joints stand still behind the last piece: all rows to there come, the last of them at its very end.
    void stop();
    /// Pieces that have been added.
    [[nodiscard]] std::size_t count() const { return first_ + pieces_.size(); }

private:
    struct Kept {
        Readings from;
        Readings to;
        double begin = 0; ///< along the way, as WayTimer counts it
        double length = 0;
    };
    void timed(const PieceTime& piece) override;
    [[nodiscard]] bool follows() const override { return true; }
    void phase(const WayPhase& phase, double builds) override;
    void sample(double along);
    void put(double along);

    double interval_;
    Row row_;
    std::vector<double> inverse_; ///< of the joints' accelerations
    WayTimer timer_;
    std::deque<Kept> pieces_;
    std::size_t first_ = 0;  ///< of them, counted from the clock's beginning
    std::size_t phased_ = 0; ///< the piece whose phases come, counted likewise
    double length_ = 0;      ///< of the way, as far as it is known
    double along_ = 0;       ///< where the phase at hand begins
    double next_ = 0;        ///< s from there to the next row
    // Where acceleration takes time to build up, a row is the mean of where it would be at this and the rows before.
    std::vector<double> latest_; ///< as many as go into the mean; empty: the way has not begun
    std::size_t oldest_ = 0;
};

} // namespace wexilum
