#include "core/control/plain_cuts.hpp"

#include "core/base/lanes.hpp"
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

PlainCuts::PlainCuts(ControlParts& parts, const Motions& motions) : parts_(parts), motions_(motions)
{
    const Controller& controller = parts.controller;
    word_.fill(other_word);
    const auto set = [&](char letter, int word) {
        if (letter >= 'A' && letter <= 'Z') {
            word_[BlockWords::place(letter)] = word;
        }
    };
    for (const auto& [letter, joint] : parts.axes.letters()) {
        set(letter, int(joint));
    }
    set(controller.feed, feed_word);
    for (const char letter : {controller.centre[0], controller.centre[1], controller.centre[2], controller.length_register,
                              controller.speed, controller.dwell, controller.tool}) {
        set(letter, other_word);
    }
    for (char letter = 'A'; letter <= 'Z'; ++letter) {
        if (parts.modal.begins_word(letter)) {
            set(letter, other_word);
        }
    }
    for (std::size_t i = 0; i < parts.machine.joints.size(); ++i) {
        const Joint& joint = parts.machine.joints[i];
        low_[i] = joint.travel ? joint.travel->low - travel_slack : -endless;
        high_[i] = joint.travel ? joint.travel->high + travel_slack : endless;
    }
    run_.to.resize(parts.machine.joints.size());
}

void PlainCuts::look()
{
    const auto& parts = parts_.log.parts();
    on_ = !parts_.log.ended() && std::all_of(parts.begin(), parts.end(), [](const ControlPart* part) { return part->leaves_cuts_plain(); });
    if (!on_) {
        return;
    }
    feed_mode_ = parts_.feeds.mode_as_it_is();
    feed_most_ = parts_.feeds.most(feed_mode_);
    for (std::size_t i = 0; i < parts_.machine.joints.size(); ++i) {
        offset_[i] = parts_.zero.of(i);
        may_move_[i] = parts_.brakes.may_move(i);
    }
}

bool PlainCuts::read(const CodeBlock& block, Read& out) const
{
    const ControlAxes& axes = parts_.axes;
    std::copy_n(axes.now().data(), run_.to.size(), out.to.begin());
    out.feed = {parts_.feeds.feed().value_or(0), parts_.feeds.precision()};
    std::uint32_t seen = 0;
    bool any = false;
    for (const CodeWord& word : block.words) {
        const int means = word_[BlockWords::place(word.letter)];
        const std::uint32_t bit = std::uint32_t{1} << BlockWords::place(word.letter);
        if (means == other_word || (seen & bit) != 0 || std::abs(word.value) > largest_word) {
            return false;
        }
        seen |= bit;
        if (means == feed_word) {
            out.feed = parts_.feeds.read_feed(feed_mode_, word);
            if (!(out.feed.feed > 0)) {
                return false;
            }
            continue;
        }
        any = true;
        const auto joint = std::size_t(means);
        const double value = axes.coordinate_as_it_is(joint, word);
        if (axes.turn_reading(joint) == TurnReading::wound) {
            out.to[joint] = value + offset_[joint];
            continue;
        }
        const Turned turned = axes.turned_by_word(joint, value, offset_[joint]);
        if (turned.unclear) {
            return false;
        }
        out.to[joint] = turned.to;
    }
    for (const Relation& relation : parts_.machine.relations) {
        out.to[relation.follower.value] = relation.sum([&](JointIndex leader) { return out.to[leader.value]; });
    }
    return any && out.feed.feed > 0;
}

/// Inside travel, each joint as far as it may go in a cut, the feed below its limit, where it would stand for a rapid.
bool PlainCuts::fits(const Read& read) const
{
    double most = 0;
    bool fits = read.feed.feed <= nearly * feed_most_;
    const double* const now = parts_.axes.now().data();
    const std::size_t joints = run_.to.size();
    for (std::size_t i = 0; i < joints; ++i) {
        const double by = std::abs(read.to[i] - now[i]);
        most = std::max(most, by);
        fits = fits && by <= may_move_[i] && read.to[i] >= low_[i] && read.to[i] <= high_[i];
    }
    return fits && most > no_motion;
}

bool PlainCuts::take(const CodeBlock& block)
{
    Read read;
    if (!on_ || !this->read(block, read) || !fits(read)) {
        return false;
    }
    const BlockNumber number = parts_.log.block();
    if (run_.count == 0) {
        run_.common = ReplayMove();
        run_.common.block = number;
        run_.common.feed = true;
        run_.common.from = run_.common.to = parts_.axes.now();
        motions_.set_state(run_.common);
    }
    const std::size_t at = run_.count++;
    run_.block[at] = number;
    run_.feed_precision[at] = read.feed.precision;
    feed_[at] = read.feed.feed;
    parts_.feeds.cut_at(feed_mode_, read.feed);
    for (std::size_t i = 0; i < run_.to.size(); ++i) {
        run_.to[i][at] = read.to[i];
        parts_.axes.stand(i, read.to[i]);
    }
    if (run_.count == longest_run) {
        hand_on();
    }
    return true;
}

/// As FeedsAndSpindle::time().
WEXILUM_WIDE void PlainCuts::time()
{
    const std::size_t count = run_.count;
    Column squares;
    Column turns;
    std::fill_n(squares.begin(), count, 0);
    std::fill_n(turns.begin(), count, 0);
    std::fill_n(run_.least.begin(), count, 0);
    for (std::size_t joint = 0; joint < run_.to.size(); ++joint) {
        const bool turning = parts_.axes.rotary(joint);
        const double speed = parts_.machine.joints[joint].speed;
        const Column& to = run_.to[joint];
        Column way;
        way[0] = to[0] - run_.from(joint, 0);
        for (std::size_t i = 1; i < count; ++i) {
            way[i] = to[i] - to[i - 1];
        }
        for (std::size_t i = 0; i < count; ++i) {
            const double least = std::abs(way[i]) / speed;
            run_.least[i] = run_.least[i] < least ? least : run_.least[i];
        }
        if (!parts_.machine.relations.empty() && parts_.machine.relation_of(JointIndex(std::uint32_t(joint))) != nullptr) {
            continue;
        }
        Column& sum = turning ? turns : squares;
        for (std::size_t i = 0; i < count; ++i) {
            const double way_in_word = turning ? to_deg(way[i]) : way[i];
            sum[i] += way_in_word * way_in_word;
        }
    }
    const FeedsAndSpindle::Clock clock = parts_.feeds.clock(feed_mode_, false);
    for (std::size_t i = 0; i < count; ++i) {
        const auto [seconds, asked, limited] = clock.taken(feed_[i], std::sqrt(squares[i]), turns[i], run_.least[i]);
        run_.seconds[i] = seconds;
        run_.asked[i] = asked;
        run_.at_joint_limit[i] = limited;
    }
}

void PlainCuts::hand_on()
{
    if (run_.count > 0) {
        time();
        Happening& happening = parts_.log.happens(Happening::Kind::cuts);
        happening.block = run_.block[0];
        happening.cuts = &run_;
        handed_on_ = true;
    }
}

void PlainCuts::end()
{
    hand_on();
    on_ = false;
}

void PlainCuts::forget_told()
{
    if (handed_on_) {
        handed_on_ = false;
        run_.count = 0;
    }
}

} // namespace wexilum
