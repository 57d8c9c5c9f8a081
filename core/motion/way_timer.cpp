#include "core/motion/way_timer.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double unlimited = WayPlan::unlimited_speed;
constexpr double bend = 1e-6; // of a joint's share: less is no corner
constexpr std::size_t least_kept = 1024;

/// What the tool does at a corner, for each unit of speed along the way.
struct ToolTurn {
    std::array<double, 6> jump{};
    std::array<double, 6> turn{};

    /// What a joint adds to it. `tool`: how it moves the tool.
    void take(const double* tool, double jumps, double turns)
    {
        for (std::size_t i = 0; i < 6; ++i) {
            jump[i] += tool[i] * jumps;
            turn[i] += tool[i] * turns;
        }
    }
    [[nodiscard]] static double tip(const std::array<double, 6>& of) { return std::hypot(of[0], of[1], of[2]); }
    [[nodiscard]] static double axis(const std::array<double, 6>& of) { return std::hypot(of[3], of[4], of[5]); }
    /// The square of the speed in the curve, and the speed at the corner; `lengths`: of the two pieces that meet.
    [[nodiscard]] double limit(const WayRules& rules, double lengths, double curve, double& corner) const
    {
        const double tip_jumps = tip(jump);
        const double axis_jumps = axis(jump);
        const double tip_turns = tip(turn);
        const double axis_turns = axis(turn);
        corner = tip_jumps * corner > rules.tip_jump ? rules.tip_jump / tip_jumps : corner;
        corner = axis_jumps * corner > rules.axis_jump ? rules.axis_jump / axis_jumps : corner;
        curve = 2 * tip_turns * curve > rules.tip_bend * lengths ? rules.tip_bend * lengths / (2 * tip_turns) : curve;
        return 2 * axis_turns * curve > rules.axis_bend * lengths ? rules.axis_bend * lengths / (2 * axis_turns) : curve;
    }
};

} // namespace

WayTimer::WayTimer(WayRules rules, PieceSink& sink)
    : rules_(std::move(rules)), plan_(rules_, sink), joints_(rules_.speed.size()), full_(std::max(least_kept, 4 * rules_.look_ahead)),
      before_(joints_), mean_before_(joints_), arrives_(joints_)
{
    for (const double acceleration : rules_.acceleration) {
        inverse_.push_back(1 / acceleration);
    }
}

void WayTimer::add(const WayPiece& piece)
{
    block_ += piece.block ? 1 : 0;
    WayPlan::Piece next;
    next.block = block_;
    for (std::size_t j = 0; j < joints_; ++j) {
        const double part = std::abs(piece.way[j]) * inverse_[j];
        if (part > next.length) {
            next.length = part;
            next.slow = std::uint8_t(j);
        }
    }
    next.asked = next.most = next.corner = next.curve = unlimited;
    if (next.length > 0) {
        for (std::size_t j = 0; j < joints_; ++j) {
            const double part = std::abs(piece.way[j]);
            if (part * next.most > rules_.speed[j] * next.length) {
                next.most = rules_.speed[j] * next.length / part;
                next.joint = std::uint8_t(j);
            }
        }
        next.bound = Bound::joint_speed;
        next.asked = piece.asked > 0 ? next.length / piece.asked : next.most;
        if (next.asked <= next.most * (1 + same_speed)) {
            next.most = std::min(next.most, next.asked);
            next.bound = Bound::feed;
        }
        meet(next, piece);
    }
    pieces_.push_back(next);
    if (pieces_.size() % full_ == 0) {
        const std::uint32_t last = pieces_.back().block; // maybe not whole
        const auto known = std::partition_point(pieces_.begin(), pieces_.end(), [&](const WayPlan::Piece& p) {
            return std::size_t(p.block) + rules_.look_ahead < last; // what it looks at is there
        });
        const auto count = std::size_t(known - pieces_.begin());
        if (2 * count >= pieces_.size()) {
            plan_.run(pieces_, count, false);
            pieces_.erase(pieces_.begin(), known);
        }
    }
}

/// The corner and the curve where a piece begins.
void WayTimer::meet(WayPlan::Piece& piece, const WayPiece& given)
{
    const auto scale_of = [&](const double* way) {
        double length = 0;
        for (std::size_t j = 0; j < joints_; ++j) {
            length = std::max(length, std::abs(way[j]) * inverse_[j]);
        }
        return length > 0 ? 1 / length : 0;
    };
    const double* const into = given.into != nullptr ? given.into : given.way;
    const double* const out_of = given.out_of != nullptr ? given.out_of : given.way;
    const double scale = 1 / piece.length;
    const double into_scale = given.into != nullptr ? scale_of(into) : scale;
    const double out_scale = given.out_of != nullptr ? scale_of(out_of) : scale;
    const bool goes_on = length_before_ > 0;
    double curve = unlimited; // its square
    ToolTurn tool;
    for (std::size_t j = 0; j < joints_; ++j) {
        const double mean = given.way[j] * scale;
        if (goes_on) {
            const double turns = std::abs(mean - mean_before_[j]);
            const double most = share_of_curve * rules_.acceleration[j] * (length_before_ + piece.length);
            if (2 * turns * curve > most && turns > bend * rules_.acceleration[j]) {
                curve = most / (2 * turns);
                piece.curve_joint = std::uint8_t(j);
            }
            const double jumps = std::abs(into[j] * into_scale - before_[j]);
            if (given.tool != nullptr) {
                tool.take(given.tool + 6 * j, into[j] * into_scale - before_[j], mean - mean_before_[j]);
            }
            if (!given.smooth && jumps > bend * rules_.acceleration[j] && jumps * piece.corner > rules_.jump[j]) {
                piece.corner = rules_.jump[j] / jumps;
                piece.corner_joint = std::uint8_t(j);
            }
        }
        mean_before_[j] = mean;
        arrives_[j] = out_of[j] * out_scale;
    }
    curve = goes_on && given.tool != nullptr ? tool.limit(rules_, length_before_ + piece.length, curve, piece.corner) : curve;
    std::swap(before_, arrives_);
    piece.curve = curve < unlimited ? std::sqrt(curve) : unlimited;
    length_before_ = piece.length;
}

void WayTimer::stop()
{
    if (!pieces_.empty()) {
        plan_.run(pieces_, pieces_.size(), true);
        pieces_.clear();
    }
    length_before_ = 0;
}

} // namespace wexilum
