#include "core/solve/free_joint.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double circle = 2 * pi;
constexpr double inside_by = 0.01;      // mm: so far from the end of travel where there is room
constexpr double angle_step = pi / 720; // rad, where angles are tried
constexpr double narrowest_arc = 1e-12; // rad

/// Arcs of a circle, apart from each other and in order: begins in [0, 2 pi), ends behind them, the last maybe beyond 2 pi.
using Arcs = std::vector<std::pair<double, double>>;

double on_circle(double angle)
{
    const double out = angle - circle * std::floor(angle / circle);
    return out < circle ? out : 0;
}

/// What two sets of arcs have in common.
Arcs both(const Arcs& a, const Arcs& b)
{
    Arcs out;
    for (const auto& [begin, end] : a) {
        for (const auto& [other_begin, other_end] : b) {
            for (const double shift : {-circle, 0.0, circle}) {
                const double from = std::max(begin, other_begin + shift);
                const double to = std::min(end, other_end + shift);
                if (to - from > narrowest_arc && from >= begin && from < begin + circle) {
                    const double at = on_circle(from);
                    out.emplace_back(at, at + std::min(to - from, circle));
                }
            }
        }
    }
    std::sort(out.begin(), out.end());
    return out;
}

const Arcs everywhere{{0.0, circle}};

/// Where middle + reach cos(angle - phase) is from low to high.
Arcs between(double middle, double reach, double phase, double low, double high)
{
    if (middle - reach >= low && middle + reach <= high) {
        return everywhere;
    }
    if (middle - reach > high || middle + reach < low || low > high) {
        return {};
    }
    const double near = std::acos(std::clamp((high - middle) / reach, -1.0, 1.0));
    const double far = std::acos(std::clamp((low - middle) / reach, -1.0, 1.0));
    Arcs out;
    const auto add = [&](double begin, double end) {
        if (end - begin > narrowest_arc) {
            const double at = on_circle(begin);
            out.emplace_back(at, at + (end - begin));
        }
    };
    if (near <= 0) { // one arc about the phase
        add(phase - far, phase + far);
    } else if (far >= pi) { // one about what is opposite
        add(phase + near, phase + circle - near);
    } else {
        add(phase + near, phase + far);
        add(phase - far, phase - near);
    }
    std::sort(out.begin(), out.end());
    return out;
}

class Inside {
public:
    Inside(const InverseSolver& solver, std::span<const FreeTarget> targets) : solver_(solver), targets_(targets) {}

    /// Whether all targets are inside travel by `room` at an angle.
    [[nodiscard]] bool at(double angle, double room) const
    {
        return std::all_of(targets_.begin(), targets_.end(), [&](const FreeTarget& target) {
            const Vec3 linear = solver_.linear_readings(Turns{angle, target.second}, target.tip, target.tool_length, target.spare);
            for (int i = 0; i < 3; ++i) {
                const auto& travel = travel_of(solver_.linear()[std::size_t(i)]);
                if (travel && !(linear[i] >= travel->low + room && linear[i] <= travel->high - room)) {
                    return false;
                }
            }
            return true;
        });
    }
    /// The angles at which all are.
    [[nodiscard]] Arcs all(double room) const
    {
        Arcs out = own_travel();
        if (!solver_.linear_together()) {
            return both(out, tried(room));
        }
        for (const FreeTarget& target : targets_) {
            const auto linear = [&](double angle) {
                return solver_.linear_readings(Turns{angle, target.second}, target.tip, target.tool_length, target.spare);
            };
            const Vec3 ahead = linear(0);
            const Vec3 back = linear(pi);
            const Vec3 middle = 0.5 * (ahead + back);
            const Vec3 cosine = 0.5 * (ahead - back);
            const Vec3 sine = linear(pi / 2) - middle;
            for (int i = 0; i < 3 && !out.empty(); ++i) {
                if (const auto& travel = travel_of(solver_.linear()[std::size_t(i)])) {
                    out = both(out, between(middle[i], std::hypot(cosine[i], sine[i]), std::atan2(sine[i], cosine[i]), travel->low + room,
                                            travel->high - room));
                }
            }
        }
        return out;
    }

private:
    [[nodiscard]] const std::optional<Travel>& travel_of(JointIndex joint) const
    {
        return solver_.kinematics().joints()[joint.value].travel;
    }
    [[nodiscard]] Arcs own_travel() const
    {
        const auto& travel = travel_of(solver_.settled().front());
        if (!travel || travel->high - travel->low >= circle) {
            return everywhere;
        }
        const double begin = on_circle(travel->low);
        return {{begin, begin + (travel->high - travel->low)}};
    }
    [[nodiscard]] Arcs tried(double room) const
    {
        Arcs out;
        for (double angle = 0; angle < circle; angle += angle_step) {
            if (at(angle, room)) {
                out.emplace_back(angle, angle + 2 * narrowest_arc);
            }
        }
        return out;
    }

    const InverseSolver& solver_;
    std::span<const FreeTarget> targets_;
};

} // namespace

std::optional<std::array<double, 2>> free_readings(const InverseSolver& solver, std::span<const FreeTarget> targets, double standing)
{
    const auto& travel = solver.kinematics().joints()[solver.settled().front().value].travel;
    const bool stands = !travel || (standing >= travel->low - 1e-9 && standing <= travel->high + 1e-9);
    const Inside inside(solver, targets);
    if (stands && inside.at(standing, -1e-9)) {
        return std::array<double, 2>{standing, standing};
    }
    Arcs arcs = inside.all(inside_by);
    if (arcs.empty()) {
        arcs = inside.all(0);
    }
    std::optional<double> lower;
    std::optional<double> higher;
    for (const auto& [begin, end] : arcs) {
        const double up = on_circle(begin - standing);
        const double down = on_circle(standing - end);
        const bool there = up > 0 && on_circle(standing - begin) <= end - begin; // in the arc, but not in its turn of travel
        const double above = standing + (there ? 0 : up);
        const double below = standing - (there ? 0 : down);
        higher = !higher || above < *higher ? above : *higher;
        lower = !lower || below > *lower ? below : *lower;
    }
    if (!lower) {
        return std::nullopt;
    }
    // A joint with ends takes the turn that is inside them.
    const auto reachable = [&](double angle) -> std::optional<double> {
        if (!travel) {
            return angle;
        }
        const double low = angle + circle * std::ceil((travel->low - 1e-9 - angle) / circle);
        const double high = angle - circle * std::ceil((angle - travel->high - 1e-9) / circle);
        if (low > travel->high + 1e-9) {
            return std::nullopt;
        }
        return angle < low ? low : angle > high ? high : angle;
    };
    const auto below = reachable(*lower);
    const auto above = reachable(*higher);
    if (!below && !above) {
        return std::nullopt;
    }
    return std::array<double, 2>{below.value_or(above.value_or(0)), above.value_or(below.value_or(0))};
}

} // namespace wexilum
