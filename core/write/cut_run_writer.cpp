#include "core/write/cut_run_writer.hpp"

#include "core/base/lanes.hpp"
#include "core/base/units.hpp"
#include "core/geometry/sine_cosine.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

bool CutRunWriter::may_open(const FeedSpec& feed) const
{
    const auto& parts = log_.parts();
    return feed.stated() && emitter_.can_emit_cuts() && place_.chain.joints.size() <= most_joints &&
           std::all_of(parts.begin(), parts.end(), [](const WritePart* part) { return part->leaves_cuts_plain(); });
}

bool CutRunWriter::open(const CutsAlong& cuts, std::size_t at, const FeedSpec& feed)
{
    if (!may_open(feed)) {
        return false;
    }
    if (!follows_on(cuts, at)) {
        prepare(cuts, at);
        ahead_.run = cuts.serial;
    }
    return true;
}

/// Whether what has been worked out for a cut follows on from where the machine stands.
bool CutRunWriter::follows_on(const CutsAlong& cuts, std::size_t at) const
{
    if (ahead_.run != cuts.serial || at < ahead_.first || at >= ahead_.end) {
        return false;
    }
    for (std::size_t k = 0; at > ahead_.first && k < place_.chain.joints.size(); ++k) {
        if (ahead_.counts[k][at - 1] != place_.position().counts[place_.chain.joints[k].joint]) {
            return false;
        }
    }
    return true;
}

/// Works out the positions of a run's cuts from `first` on, and which of them are plain.
void CutRunWriter::prepare(const CutsAlong& cuts, std::size_t first)
{
    const std::size_t end = cuts.end;
    find_positions(cuts, first, end);
    find_ways(cuts, first, end);
    if (!place_.solver().rotary().empty()) {
        find_rest(cuts, first, end);
    }
    for (std::size_t i = first; i < end; ++i) {
        ahead_.plain[i] = ahead_.room[i] >= 0 && (ahead_.moved[i] & place_.chain.positioned_bits) == 0;
    }
    ahead_.first = first;
    ahead_.end = end;
}

/// Counts and readings. Rotary joints are rounded first, so that the linear ones bring the tip to its place for the readings the control
/// will have.
WEXILUM_WIDE void CutRunWriter::find_positions(const CutsAlong& cuts, std::size_t first, std::size_t end)
{
    const InverseSolver& solver = place_.solver();
    const auto& chain = place_.chain.joints;
    const auto place_of = [&](std::size_t joint) {
        return std::size_t(std::find_if(chain.begin(), chain.end(), [&](const WorkingChain::Joint& c) { return c.joint == joint; }) -
                           chain.begin());
    };
    std::array<Column, 2> sine;
    std::array<Column, 2> cosine;
    for (std::size_t r = 0; r < solver.settled().size(); ++r) {
        const std::size_t joint = solver.settled()[r].value;
        const std::size_t k = place_of(joint);
        place_.frame.round_along(joint, (*cuts.turns)[r], circles_.further(joint), first, end, ahead_.counts[k], ahead_.readings[k]);
        const double reference = solver.rotary_reference(r);
        Column angle;
        for (std::size_t i = first; i < end; ++i) {
            angle[i] = ahead_.readings[k][i] - reference;
        }
        sines_and_cosines(&angle[first], end - first, &sine[r][first], &cosine[r][first]);
    }
    std::array<Column, 3> linear;
    solver.linear_along(*cuts.run, first, end, place_.tool_length, sine, cosine, linear);
    for (std::size_t r = 0; r < 3; ++r) {
        const std::size_t joint = solver.linear()[r].value;
        const std::size_t k = place_of(joint);
        place_.frame.round_along(joint, linear[r], 0, first, end, ahead_.counts[k], ahead_.readings[k]);
    }
}

/// What moves, how long that takes, and how far the tip goes.
WEXILUM_WIDE void CutRunWriter::find_ways(const CutsAlong& cuts, std::size_t first, std::size_t end)
{
    Positions& out = ahead_;
    Column moved; // bits as numbers
    out.room.fill(0);
    out.slowest.fill(0);
    moved.fill(0);
    for (std::size_t k = 0; k < place_.chain.joints.size(); ++k) {
        const WorkingChain::Joint chain = place_.chain.joints[k];
        const Column& at = out.readings[k];
        Column way;
        out.stood[k] = place_.now()[Eigen::Index(chain.joint)];
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
            out.room[i] = out.room[i] > least ? least : out.room[i];
        }
    }
    const LinearRun& run = *cuts.run;
    out.length[first] = (Vec3(run.tip[0][first], run.tip[1][first], run.tip[2][first]) - cuts.from).norm();
    for (std::size_t i = first + 1; i < end; ++i) {
        const double x = run.tip[0][i] - run.tip[0][i - 1];
        const double y = run.tip[1][i] - run.tip[1][i - 1];
        const double z = run.tip[2][i] - run.tip[2][i - 1];
        out.length[i] = std::sqrt(x * x + y * y + z * z);
    }
    for (std::size_t i = first; i < end; ++i) {
        out.moved[i] = static_cast<std::uint8_t>(moved[i]);
    }
}

/// Which cuts need points between, or a closer look for that: they have no room.
void CutRunWriter::find_rest(const CutsAlong& cuts, std::size_t first, std::size_t end)
{
    const InverseSolver& solver = place_.solver();
    const LinearRun& run = *cuts.run;
    Column& room = ahead_.room;
    const std::array<Column, 2>& turns = *cuts.turns;
    Column turned;
    turned[first] = std::abs(turns[0][first] - cuts.from_turns[0]) + std::abs(turns[1][first] - cuts.from_turns[1]);
    for (std::size_t i = first + 1; i < end; ++i) {
        turned[i] = std::abs(turns[0][i] - turns[0][i - 1]) + std::abs(turns[1][i] - turns[1][i - 1]);
    }
    // Whether the bound shows that a cut needs no points between. No lever grows by more than the tip goes.
    std::array<bool, longest_run> loose{};
    Column lever;
    double at = cuts_.lever().at(solver, cuts.from, place_.tool_length);
    for (std::size_t i = first; i < end; ++i) {
        lever[i] = at;
        at += ahead_.length[i];
    }
    const Tolerance tolerance = assembly_.line_tolerance();
    for (std::size_t i = first; i < end; ++i) {
        const Deviation bound = deviation_bound(turned[i], ahead_.length[i], lever[i], Interpolation::joints);
        const double over = std::max(bound.tip - tolerance.tip, bound.axis - tolerance.axis);
        loose[i] = over > 0;
    }
    for (std::size_t i = first; i < end; ++i) {
        if (!loose[i] || room[i] < 0) {
            continue;
        }
        room[i] = -1;
        if (i > first) { // where it comes from is known in full: a closer look, as subdivide() takes it
            const PathPiece piece{run.pose(i - 1), run.pose(i), std::nullopt};
            Waypoint from{0, place_.now()};
            Waypoint to{1, place_.now()};
            solver.set_turns(from.readings, {turns[0][i - 1], turns[1][i - 1]});
            solver.set_turns(to.readings, {turns[0][i], turns[1][i]});
            const Deviation d = chord_deviation(solver, piece, from, to, place_.tool_length, Interpolation::joints);
            room[i] = std::max(d.tip / tolerance.tip, d.axis / tolerance.axis) <= 1 ? 0 : -1;
        }
    }
}

CutRunWriter::FeedForm CutRunWriter::form_of(const FeedSpec& feed) const
{
    const Controller& controller = assembly_.controller;
    const auto mode = feeds_.mode();
    FeedForm out;
    out.by_inverse = mode == FeedMode::inverse_time;
    out.quantity = out.by_inverse ? Quantity::inverse_time : mode == FeedMode::per_revolution ? Quantity::revolution_feed : Quantity::feed;
    out.most = out.by_inverse ? controller.inverse_time_most / 60 : mode == FeedMode::per_minute ? per_minute(controller.feed_most) : 0;
    out.as_asked = std::max<std::int64_t>(1, place_.frame.rounding().counts(out.quantity, out.by_inverse ? 0 : feed.value));
    out.asked_fits = out.most <= 0 || feed.value <= out.most;
    return out;
}

/// Values of feeds for plain cuts from `first` on, as far as they are in the mode in force and no joint is too slow; where they end.
std::size_t CutRunWriter::find_feeds(const FeedSpec& feed, const FeedForm& form, std::size_t first, std::size_t end)
{
    const bool inverse = feed.mode == FeedMode::inverse_time;
    const bool turning_inverse = assembly_.dialect.rotary_feed == RotaryFeedStyle::inverse_time;
    const auto mode = feeds_.mode();
    double carried_seconds = feeds_.carried_seconds;
    double carried_length = feeds_.carried_length;
    std::size_t at = first;
    for (; at < end && ahead_.plain[at]; ++at) {
        const double seconds = feed.seconds(ahead_.length[at]) + carried_seconds;
        const unsigned bits = ahead_.moved[at];
        moved_[at] = std::uint8_t(bits);
        if (bits == 0) {
            carried_seconds = seconds;
            carried_length += ahead_.length[at];
            continue;
        }
        const bool rotary = (bits & place_.chain.rotary_bits) != 0;
        if (ahead_.slowest[at] > seconds || form.by_inverse != (rotary ? turning_inverse : inverse)) {
            break;
        }
        if (form.by_inverse || rotary) {
            const double value = form.by_inverse ? 1 / seconds : combined_way(at) / seconds;
            if ((form.most > 0 && value > form.most) || (!form.by_inverse && mode != FeedMode::per_minute)) {
                break;
            }
            values_[at] = std::max<std::int64_t>(1, place_.frame.rounding().counts(form.quantity, value));
        } else if (mode == feed.mode && form.asked_fits) {
            values_[at] = form.as_asked;
        } else {
            break;
        }
        carried_seconds = carried_length = 0;
    }
    if (at > first) {
        feeds_.carried_seconds = carried_seconds;
        feeds_.carried_length = carried_length;
    }
    return at;
}

std::size_t CutRunWriter::feed(const CutsAlong& cuts, std::size_t first, std::size_t end, const FeedSpec& feed)
{
    if (!open(cuts, first, feed)) {
        return 0;
    }
    const FeedForm form = form_of(feed);
    const std::size_t done = find_feeds(feed, form, first, end) - first;
    if (done == 0) {
        return 0;
    }
    const std::size_t last = first + done - 1;
    WordEmitter::Cuts blocks;
    blocks.feed_role = form.by_inverse ? Role::inverse_feed : Role::feed;
    blocks.feed_quantity = form.quantity;
    blocks.file = cuts.run->file;
    blocks.line = &cuts.run->line[first];
    blocks.moved = std::span(moved_).subspan(first, done);
    blocks.feed = std::span(values_).subspan(first, done);
    std::array<std::size_t, most_joints> joints{};
    MachinePosition position = place_.position();
    for (std::size_t k = 0; k < place_.chain.joints.size(); ++k) {
        joints[k] = place_.chain.joints[k].joint;
        blocks.quantities[k] = place_.chain.joints[k].quantity;
        blocks.counts[k] = &ahead_.counts[k][first];
        position.counts[joints[k]] = ahead_.counts[k][last];
        position.readings[Eigen::Index(joints[k])] = ahead_.readings[k][last];
    }
    place_.set_position(position);
    blocks.joints = std::span(joints).first(place_.chain.joints.size());
    emitter_.emit_cuts(blocks);
    feeds_.note_cut();
    place_.retracted = false;
    return done;
}

/// The way in which a control that times by all axes together sees a cut: mm and deg alike.
double CutRunWriter::combined_way(std::size_t at) const
{
    double straight = 0;
    double turns = 0; // deg^2
    for (std::size_t k = 0; k < place_.chain.joints.size(); ++k) {
        const Column& readings = ahead_.readings[k];
        const double way = readings[at] - (at > ahead_.first ? readings[at - 1] : ahead_.stood[k]);
        if (place_.frame.is_rotary()[place_.chain.joints[k].joint]) {
            turns += to_deg(way) * to_deg(way);
        } else {
            straight += way * way;
        }
    }
    return feeds_.timed_way(straight, turns, false);
}

} // namespace wexilum
