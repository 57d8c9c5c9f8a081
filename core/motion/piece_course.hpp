// How the speed goes in one piece of a way, and how long that takes.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace wexilum {

/// Squares of speeds nearer than this share of them are the same.
inline constexpr double same_speed = 1e-9;
[[nodiscard]] constexpr double square(double x) { return x * x; }

/// A part of a way over which the speed along it changes evenly, before acceleration takes its time. Lengths and speeds as WayTimer has
/// them.
struct WayPhase {
    double length = 0; ///< s2
    double from = 0;   ///< s
    double to = 0;
};

/// What is held near an end of a piece: up to so far from it, it is no faster.
class PieceEnd {
public:
    struct Stay {
        double square = 0; ///< of the speed
        double length = 0;
    };
    void clear()
    {
        count_ = 0;
        key_ = 1e60;
    }
    /// `rate`: that the speed changes by in the piece.
    void add(Stay stay, double rate);
    /// The slower and shorter ones first.
    [[nodiscard]] std::span<const Stay> stays() const { return {stays_.data(), count_}; }
    /// Behind all of them the square of the speed is at most this and what it has risen by from the end on.
    [[nodiscard]] double key() const { return key_; }

private:
    std::array<Stay, 8> stays_;
    std::size_t count_ = 0;
    double key_ = 1e60;
};

struct PieceLimits {
    double length = 0;
    double rate = 1;   ///< that its speed changes by
    double most = 0;   ///< its largest speed
    double builds = 0; ///< s, in which acceleration builds up
    double from = 0;   ///< squares of the speeds at its ends
    double to = 0;
    const PieceEnd& begin;
    const PieceEnd& end;
};

struct PieceCourse {
    double seconds = 0;
    double top = 0; ///< the largest speed that it gets to
};

/// As fast as the limits allow. `phases`: get those of the piece as well; may be null. Precondition: length, rate and most > 0.
[[nodiscard]] PieceCourse course_of(const PieceLimits& piece, std::vector<WayPhase>* phases = nullptr);

} // namespace wexilum
