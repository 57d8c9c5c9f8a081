// Straight cuts that follow one another, many at once. Each comes out as feed() would write it; what needs a closer look is left to
// feed().
#include "core/base/units.hpp"
#include "core/geometry/sine_cosine.hpp"
#include "core/write/motion_writer.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

bool MotionWriter::along_open(const FeedSpec& feed) const
{
    return positioned_ && cutting_on() && feed.stated() && emitter_.can_emit_cuts() && frame_.kind() == FrameKind::joints &&
           !frame_.has_circles() && !frame_.noting() && brakes_.empty() && !skewed_ && solver_->linear_together() &&
           chain_.size() <= most_along;
}

/// Works out the stands of a run's cuts from `first` on, and which of them are plain.
void MotionWriter::prepare(const CutsAlong& cuts, std::size_t first)
{
    CutStands& out = ahead_;
    const LinearRun& run = *cuts.run;
    const std::size_t end = cuts.end;
    const std::size_t rotary = solver_->rotary().size();
    const auto place_of = [&](std::size_t joint) {
        return std::size_t(std::find_if(chain_.begin(), chain_.end(), [&](const ChainJoint& c) { return c.joint == joint; }) -
                           chain_.begin());
    };
    // Rotary joints are rounded first, so that the linear ones bring the tip to its place for the readings the control will have.
    std::array<Column, 2> sine;
    std::array<Column, 2> cosine;
    for (std::size_t r = 0; r < rotary; ++r) {
        const std::size_t joint = solver_->rotary()[r].value;
        const std::size_t k = place_of(joint);
        frame_.round_along(joint, (*cuts.turns)[r], further_[r], first, end, out.counts[k], out.readings[k]);
        const double reference = solver_->rotary_reference(r);
        Column angle;
        for (std::size_t i = first; i < end; ++i) {
            angle[i] = out.readings[k][i] - reference;
        }
        sines_and_cosines(&angle[first], end - first, &sine[r][first], &cosine[r][first]);
    }
    std::array<Column, 3> linear;
    solver_->linear_along(run, first, end, tool_length_, sine, cosine, linear);
    for (std::size_t r = 0; r < 3; ++r) {
        const std::size_t joint = solver_->linear()[r].value;
        const std::size_t k = place_of(joint);
        frame_.round_along(joint, linear[r], 0, first, end, out.counts[k], out.readings[k]);
    }
    Column room;  // how far inside travel, no more than 0
    Column moved; // bits as numbers
    room.fill(0);
    out.slowest.fill(0);
    moved.fill(0);
    for (std::size_t k = 0; k < chain_.size(); ++k) {
        const ChainJoint chain = chain_[k];
        const Column& at = out.readings[k];
        Column way;
        out.stood[k] = now_.readings[Eigen::Index(chain.joint)];
        way[first] = std::abs(at[first] - out.stood[k]);
        for (std::size_t i = first + 1; i < end; ++i) {
            way[i] = std::abs(at[i] - at[i - 1]);
        }
        const auto bit = double(1U << k);
        for (std::size_t i = first; i < end; ++i) {
            const double seconds = way[i] * chain.per_speed;
            out.slowest[i] = out.slowest[i] < seconds ? seconds : out.slowest[i];
            moved[i] += way[i] != 0 ? bit : 0;
            const double below = at[i] - chain.low;
            const double above = chain.high - at[i];
            const double least = below < above ? below : above;
            room[i] = room[i] > least ? least : room[i];
        }
    }
    Column turned;
    const Vec3 from = cuts.from;
    out.length[first] = (Vec3(run.tip[0][first], run.tip[1][first], run.tip[2][first]) - from).norm();
    for (std::size_t i = first + 1; i < end; ++i) {
        const double x = run.tip[0][i] - run.tip[0][i - 1];
        const double y = run.tip[1][i] - run.tip[1][i - 1];
        const double z = run.tip[2][i] - run.tip[2][i - 1];
        out.length[i] = std::sqrt(x * x + y * y + z * z);
    }
    const std::array<Column, 2>& turns = *cuts.turns;
    turned[first] = std::abs(turns[0][first] - cuts.from_turns[0]) + std::abs(turns[1][first] - cuts.from_turns[1]);
    for (std::size_t i = first + 1; i < end; ++i) {
        turned[i] = std::abs(turns[0][i] - turns[0][i - 1]) + std::abs(turns[1][i] - turns[1][i - 1]);
    }
    // Whether the bound shows that a cut needs no points between. No lever grows by more than the tip goes.
    std::array<bool, longest_run> loose{};
    Column lever;
    double at = rotary > 0 ? parts_.lever.at(*solver_, from, tool_length_) : 0;
    for (std::size_t i = first; i < end; ++i) {
        lever[i] = at;
        at += out.length[i];
    }
    const Tolerance tolerance = assembly_.job.tolerance;
    for (std::size_t i = first; i < end && rotary > 0; ++i) {
        const Deviation bound = deviation_bound(turned[i], out.length[i], lever[i], Interpolation::joints);
        const double over = std::max(bound.tip - tolerance.tip, bound.axis - tolerance.axis);
        loose[i] = over > 0;
    }
    for (std::size_t i = first; i < end && rotary > 0; ++i) {
        if (!loose[i] || room[i] < 0) {
            continue;
        }
        room[i] = -1;
        if (i > first) { // where it comes from is known in full: a closer look, as subdivide() takes it
            const PathPiece piece{run.pose(i - 1), run.pose(i), std::nullopt};
            const Deviation d = chord_deviation(*solver_, piece, {0, {turns[0][i - 1], turns[1][i - 1]}}, {1, {turns[0][i], turns[1][i]}},
                                                tool_length_, Interpolation::joints);
            room[i] = std::max(d.tip / tolerance.tip, d.axis / tolerance.axis) <= 1 ? 0 : -1;
        }
    }
    for (std::size_t i = first; i < end; ++i) {
        const auto bits = static_cast<std::uint8_t>(moved[i]);
        out.moved[i] = bits;
        out.plain[i] = room[i] >= 0 && (bits & positioned_bits_) == 0;
    }
    out.first = first;
    out.end = end;
}

/// Whether what has been worked out for a cut follows on from where the machine stands.
bool MotionWriter::ready_along(const CutsAlong& cuts, std::size_t at) const
{
    if (ahead_.run != cuts.serial || at < ahead_.first || at >= ahead_.end) {
        return false;
    }
    for (std::size_t k = 0; at > ahead_.first && k < chain_.size(); ++k) {
        if (ahead_.counts[k][at - 1] != now_.counts[chain_[k].joint]) {
            return false;
        }
    }
    return true;
}

bool MotionWriter::open_along(const CutsAlong& cuts, std::size_t at, const FeedSpec& feed)
{
    if (!along_open(feed)) {
        return false;
    }
    if (!ready_along(cuts, at)) {
        prepare(cuts, at);
        ahead_.run = cuts.serial;
    }
    return true;
}

std::size_t MotionWriter::feed_along(const CutsAlong& cuts, std::size_t first, std::size_t end, const FeedSpec& feed)
{
    if (!open_along(cuts, first, feed)) {
        return 0;
    }
    const CutStands& ahead = ahead_;
    const Controller& controller = assembly_.controller;
    const bool inverse = feed.mode == FeedMode::inverse_time;
    const bool turning_inverse = assembly_.dialect.rotary_feed == RotaryFeedStyle::inverse_time;
    const bool by_inverse = mode_ == FeedMode::inverse_time;
    const Quantity quantity = by_inverse                          ? Quantity::inverse_time
                              : mode_ == FeedMode::per_revolution ? Quantity::revolution_feed
                                                                  : Quantity::feed;
    const double most = by_inverse                      ? controller.inverse_time_most / 60
                        : mode_ == FeedMode::per_minute ? per_minute(controller.feed_most)
                                                        : 0;
    const std::int64_t as_asked = std::max<std::int64_t>(1, frame_.rounding().counts(quantity, by_inverse ? 0 : feed.value));
    const bool asked_fits = most <= 0 || feed.value <= most;
    std::array<std::uint8_t, longest_run> moved;
    std::array<std::int64_t, longest_run> values;
    double carried_seconds = carried_seconds_;
    double carried_length = carried_length_;
    std::size_t at = first;
    for (; at < end && ahead.plain[at]; ++at) {
        const double seconds = feed.seconds(ahead.length[at]) + carried_seconds;
        const unsigned bits = ahead.moved[at];
        moved[at] = std::uint8_t(bits);
        if (bits == 0) {
            carried_seconds = seconds;
            carried_length += ahead.length[at];
            continue;
        }
        const bool rotary = (bits & rotary_bits_) != 0;
        if (ahead.slowest[at] > seconds || by_inverse != (rotary ? turning_inverse : inverse)) {
            break;
        }
        if (by_inverse || rotary) {
            const double value = by_inverse ? 1 / seconds : combined_way(at) / seconds;
            if ((most > 0 && value > most) || (!by_inverse && mode_ != FeedMode::per_minute)) {
                break;
            }
            values[at] = std::max<std::int64_t>(1, frame_.rounding().counts(quantity, value));
        } else if (mode_ == feed.mode && asked_fits) {
            values[at] = as_asked;
        } else {
            break;
        }
        carried_seconds = carried_length = 0;
    }
    if (at == first) {
        return 0;
    }
    carried_seconds_ = carried_seconds;
    carried_length_ = carried_length;
    WordEmitter::Cuts blocks;
    blocks.feed_role = by_inverse ? Role::inverse_feed : Role::feed;
    blocks.feed_quantity = quantity;
    blocks.file = cuts.run->file;
    blocks.line = &cuts.run->line[first];
    blocks.moved = std::span(moved).subspan(first, at - first);
    blocks.feed = std::span(values).subspan(first, at - first);
    std::array<std::size_t, most_along> joints{};
    for (std::size_t k = 0; k < chain_.size(); ++k) {
        joints[k] = chain_[k].joint;
        blocks.quantities[k] = chain_[k].quantity;
        blocks.counts[k] = &ahead.counts[k][first];
        now_.counts[joints[k]] = ahead.counts[k][at - 1];
        now_.readings[Eigen::Index(joints[k])] = ahead.readings[k][at - 1];
    }
    blocks.joints = std::span(joints).first(chain_.size());
    emitter_.emit_cuts(blocks);
    cut_stamp_ = emitter_.stamp();
    retracted_ = false;
    return at - first;
}

/// The way in which a control that times by all axes together sees a cut: mm and deg alike.
double MotionWriter::combined_way(std::size_t at) const
{
    double straight = 0;
    double turns = 0; // deg^2
    for (std::size_t k = 0; k < chain_.size(); ++k) {
        const Column& readings = ahead_.readings[k];
        const double way = readings[at] - (at > ahead_.first ? readings[at - 1] : ahead_.stood[k]);
        if (frame_.is_rotary()[chain_[k].joint]) {
            turns += to_deg(way) * to_deg(way);
        } else {
            straight += way * way;
        }
    }
    // A control that times by the linear way alone times by the turns where nothing else moves.
    const bool combined = assembly_.controller.rotary_feed == Controller::RotaryFeed::combined || straight < 1e-18;
    return std::sqrt(straight + (combined ? turns : 0));
}

} // namespace wexilum
