// The readings of two rotary joints for a direction of the tool: second subproblem of Paden and Kahan (Murray, Li, Sastry 1994, section
// 3.3.2), written out in the frames that belong to the two axes, so that both branches cost three arc tangents.
//
// wanted = Rot(k1, alpha) Rot(k2, beta) t0. With v = Rot(k2, beta) t0: v.k2 = t0.k2 and v.k1 = wanted.k1, so that
// v = a k1 + b k2 +- c (k1 x k2). Seen from e2 about k2, v stands at -+ x = atan2(c, a); from e1 about k1, at +- y = atan2(c, b); and
// what is wanted at phi.
#pragma once

#include "core/geometry/sine_cosine.hpp"
#include "core/solve/branches.hpp"

namespace wexilum {

class TwoAxes {
public:
    TwoAxes() = default;
    /// Unit vectors in the base frame, the joints in the reference posture, where they read `at`; the axes are not parallel, and the tool
    /// does not lie along the second one.
    TwoAxes(const Vec3& first, const Vec3& second, const Vec3& tool, const Turns& at);

    /// Both branches for a direction in the base frame.
    [[nodiscard]] Branches branches(const Vec3& wanted) const;
    /// The same for columns of directions from `first` on, as far as each has two branches apart from each other; where they end. Columns
    /// beyond mean nothing. The same bits as one by one.
    std::size_t branches_along(const std::array<Column, 3>& wanted, std::size_t first, std::size_t end, BranchRun& out) const;

    /// Smallest and largest angle between tool and first axis, rad.
    [[nodiscard]] double least() const { return least_; }
    [[nodiscard]] double most() const { return most_; }

private:
    struct Lean { ///< v's parts; square is c^2
        double a;
        double b;
        double square;
    };
    struct Azimuth { ///< of what is wanted, about the first axis
        double sine;
        double cosine;
        double flank; ///< how far it leans away from the first axis, as a sine
    };
    struct Openings { ///< sines and cosines of x and y
        double sine_x;
        double cosine_x;
        double sine_y;
        double cosine_y;
    };
    struct Solved {
        std::array<Turns, 2> turns;
        std::array<Turns, 2> sine;
        std::array<Turns, 2> cosine;
        double pole;
    };
    static constexpr double apart = 1e-9; ///< least square of branches that need no care

    [[nodiscard]] Lean lean(double p1) const;
    [[nodiscard]] Azimuth azimuth(double x, double y, double z) const;
    template <bool right_angles>
    [[nodiscard]] Openings openings(const Lean& lean, const Azimuth& azimuth) const;
    [[nodiscard]] static Openings short_openings(const Lean& lean);
    template <bool right_angles>
    [[nodiscard]] Solved solved(const Azimuth& azimuth, const Openings& openings) const;
    template <bool right_angles>
    [[gnu::always_inline]] void one_of(const std::array<Column, 3>& wanted, std::size_t i, BranchRun& out) const;
    static void all_of(TwoAxes axes, const std::array<Column, 3>& wanted, std::size_t first, std::size_t end, BranchRun& __restrict out);

    // e1, f1 across the first axis and e2 across the second, e's in the plane of both axes.
    std::array<double, 3> k1_{0, 0, 1};
    std::array<double, 3> e1_{1, 0, 0};
    std::array<double, 3> f1_{0, 1, 0};
    double c12_ = 0;         ///< cosine between the axes
    double p2_ = 0;          ///< cosine between tool and second axis
    double across_ = 1;      ///< squared sine between the axes
    double across_root_ = 1; ///< its root
    double inner_scale_ = 1; ///< one over the tool's length across the second axis, in the frame that belongs to both axes
    double first_at_ = 0;    ///< the first joint's reading in the reference posture
    Turns second_{};         ///< reading of the second joint in both branches where the tool lies in the plane of both axes
    double tool_sine_ = 0;
    double tool_cosine_ = 1;
    double least_ = 0;
    double most_ = 0;
    bool right_angles_ = true; ///< both axes and the tool
};

} // namespace wexilum
