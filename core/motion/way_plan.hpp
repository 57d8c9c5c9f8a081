// How fast the pieces of a way can be, planned forwards and backwards over as many as are given: the heart of WayTimer, which see.
#pragma once

#include "core/motion/piece_course.hpp"
#include "core/motion/way_rules.hpp"

#include <cstdint>
#include <span>
#include <vector>

namespace wexilum {

/// What says how fast a piece is.
enum class Bound : std::uint8_t { feed, joint_speed, block_time, corner, curve, ramp, look_ahead };

struct PieceTime {
    double seconds = 0;
    double top = 0;          ///< its largest speed over the one that its feed asked for
    double rate = 0;         ///< 1/s: its largest speed, as a fraction of its way
    double acceleration = 0; ///< 1/s2, likewise, where its speed changes; 0: it does not
    bool rises = false;
    bool falls = false;
    Bound bound = Bound::feed;
    JointIndex joint; ///< of which that is true; of feed, block_time and look_ahead none
};

class PieceSink {
public:
    virtual ~PieceSink() = default;
    /// In the order of the pieces.
    virtual void timed(const PieceTime& piece) = 0;
    /// Whether the phases are wanted as well: those of a piece come before its timed(). `builds`: s, in which acceleration builds up.
    [[nodiscard]] virtual bool follows() const { return false; }
    virtual void phase(const WayPhase& /*phase*/, double /*builds*/) {}
};

class WayPlan {
public:
    struct Piece {
        double length = 0; ///< s2
        double asked = 0;  ///< speeds along the way, s
        double most = 0;   ///< of feed and joints
        double corner = 0; ///< at its beginning
        double curve = 0;  ///< likewise
        std::uint32_t block = 0;
        Bound bound = Bound::feed; ///< of `most`
        std::uint8_t joint = 0;    ///< of `bound`
        std::uint8_t slow = 0;     ///< that can accelerate least
        std::uint8_t corner_joint = 0;
        std::uint8_t curve_joint = 0;
    };
    static constexpr double unlimited_speed = 1e30;

    /// Both must outlive the plan.
    WayPlan(const WayRules& rules, PieceSink& sink) : rules_(rules), sink_(sink), follows_(sink.follows()) {}

    /// Plans pieces that follow on those that the plan before has sent, or begin a way where that has ended, and sends the first `count` of
    /// them. `ends`: the way ends behind the last. Otherwise what is behind those that are sent has to hold all that the control looks at.
    /// Precondition: count > 0.
    void run(std::span<const Piece> pieces, std::size_t count, bool ends);

private:
    /// A speed that is kept about a place.
    struct Held {
        double place = 0;
        double speed = 0;
    };
    struct Why {
        Bound bound = Bound::ramp;
        std::uint8_t joint = 0;
    };

    void set_rate(bool ends);
    void limit_pieces();
    void limit_borders();
    void spread_rates();
    void hold_limits();
    void hold(double place, double speed, Why why, bool back, bool on);
    void carry(std::size_t border);
    void go_back();
    void go_on();
    void flatten();
    void flatten(std::size_t first, std::size_t last);
    [[nodiscard]] bool gets_faster(std::size_t piece, double from, double to) const;
    void send(std::size_t count, bool ends);
    [[nodiscard]] Why why_of(std::size_t i, double top) const;

    const WayRules& rules_;
    PieceSink& sink_;
    bool follows_;
    std::span<const Piece> pieces_;
    // Between two plans of one way.
    bool begins_ = true;        ///< from standstill
    double entry_ = 0;          ///< square of the speed at the first border
    std::vector<Held> carried_; ///< counted from there
    double rate_before_ = 1;
    // Of the plan at hand; what belongs to borders has one more than there are pieces. Speeds at borders are kept as squares.
    double rate_ = 1;   ///< that speed changes by where nothing else needs it
    double builds_ = 0; ///< s, in which that builds up
    std::vector<double> square_;
    std::vector<double> limit_;
    std::vector<Why> why_;
    std::vector<double> most_; ///< by piece
    std::vector<Why> most_why_;
    std::vector<double> rates_;     ///< what is left for its speed
    std::vector<double> own_rates_; ///< likewise, but for its neighbours
    // What is held near borders, and with what: limits before that, places of borders, and which are within reach.
    double fastest_ = 0;
    std::vector<double> given_;
    std::vector<double> given_most_;
    std::vector<double> place_;
    std::size_t first_held_ = 0;
    std::size_t last_held_ = 0;
    std::vector<PieceEnd> at_begin_; ///< by piece
    std::vector<PieceEnd> at_end_;
    std::vector<WayPhase> phases_;
};

} // namespace wexilum
