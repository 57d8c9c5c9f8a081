#include "core/motion/way_timer.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double unlimited = WayPlan::unlimited_speed;
constexpr double bend = 1e-6; // of a joint's share: less is no corner
constexpr std::size_t least_kept = 1024;

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
            if (!given.smooth && jumps > bend * rules_.acceleration[j] && jumps * piece.corner > rules_.jump[j]) {
                piece.corner = rules_.jump[j] / jumps;
                piece.corner_joint = std::uint8_t(j);
            }
        }
        mean_before_[j] = mean;
        arrives_[j] = out_of[j] * out_scale;
    }
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
