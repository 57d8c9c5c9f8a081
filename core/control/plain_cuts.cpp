#include "core/control/plain_cuts.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

void SimulatedControl::name_plain_words()
{
    plain_ = std::make_unique<PlainCuts>();
    PlainCuts& plain = *plain_;
    plain.word.fill(PlainCuts::other_word);
    const auto set = [&](char letter, int word) {
        if (letter >= 'A' && letter <= 'Z') {
            plain.word[BlockWords::place(letter)] = word;
        }
    };
    for (const auto& [address, joint] : joint_of_) {
        set(address, int(joint));
    }
    set(controller_.feed, PlainCuts::feed_word);
    for (const char letter : {controller_.centre[0], controller_.centre[1], controller_.centre[2], controller_.length_register,
                              controller_.speed, controller_.dwell, controller_.tool}) {
        set(letter, PlainCuts::other_word);
    }
    for (std::size_t i = 0; i < plain.word.size(); ++i) {
        if ((function_letters_ >> i & 1U) != 0) {
            plain.word[i] = PlainCuts::other_word;
        }
    }
    constexpr double endless = PlainCuts::endless;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const Joint& joint = machine_.joints[i];
        plain.low[i] = joint.travel ? joint.travel->low - travel_slack : -endless;
        plain.high[i] = joint.travel ? joint.travel->high + travel_slack : endless;
        plain.may_move[i] = joint.moves_while_cutting ? endless : standing;
    }
    plain.run.to.resize(machine_.joints.size());
}

/// After a block: whether those that follow may be plain cuts.
void SimulatedControl::look_for_plain_cuts()
{
    PlainCuts& plain = *plain_;
    const auto meaning = [&](Group group) { return state_[std::size_t(group)].meaning; };
    const auto told = [&](Group group) { return !from_unknown_ || state_[std::size_t(group)].by_program; };
    const auto is = [&](Group group, Function function) {
        return told(group) && meaning(group) != nullptr && meaning(group)->function == function;
    };
    const bool words = is(Group::motion, Function::linear) && is(Group::distance, Function::absolute) && told(Group::feed_mode) &&
                       told(Group::units) && told(Group::offset) && meaning(Group::offset) == offset_meaning_ && !offsets_.empty() &&
                       (!has_frames_ || told(Group::frame)) && (!has_turns_ || told(Group::rotation));
    const bool joints = known_ == all_known_ && !in_frame() && !surface_ && !turned_ && aligned_.empty() && hold_for_plain_cuts();
    const bool mounts = !takes_mounts() || (mount_known_ && refused_coolant().empty() && !length_acts_beside());
    plain.on = words && joints && mounts && calls_.empty() && !ended_;
    if (!plain.on) {
        return;
    }
    const WordMeaning* mode = meaning(Group::feed_mode);
    plain.feed_mode = mode != nullptr ? mode->function : Function::feed_per_minute;
    const double most = plain.feed_mode == Function::feed_inverse_time ? controller_.inverse_time_most
                        : plain.feed_mode == Function::feed_per_minute ? controller_.feed_most
                                                                       : 0;
    plain.feed_most = most > 0 ? per_minute(most) : PlainCuts::endless;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        plain.offset[i] = offset(i);
    }
}

/// Does a block where it is a plain cut about which there is nothing to say; false, and nothing is changed, otherwise.
bool SimulatedControl::plain_cut(const CodeBlock& block)
{
    PlainCuts& plain = *plain_;
    if (!plain.on) {
        return false;
    }
    CutRun& run = plain.run;
    const std::size_t joints = run.to.size();
    std::array<double, max_joints> to;
    for (std::size_t i = 0; i < joints; ++i) {
        to[i] = now_[Eigen::Index(i)];
    }
    std::optional<double> feed = feed_;
    double feed_precision = feed_precision_;
    std::uint32_t seen = 0;
    bool any = false;
    for (const CodeWord& word : block.words) {
        const int means = plain.word[BlockWords::place(word.letter)];
        const std::uint32_t bit = std::uint32_t{1} << BlockWords::place(word.letter);
        if (means == PlainCuts::other_word || (seen & bit) != 0 || std::abs(word.value) > largest_word) {
            return false;
        }
        seen |= bit;
        if (means == PlainCuts::feed_word) {
            const FeedWord read = read_feed(plain.feed_mode, word);
            if (!(read.feed > 0)) {
                return false;
            }
            feed = read.feed;
            feed_precision = read.precision;
            continue;
        }
        any = true;
        const auto joint = std::size_t(means);
        const double value = rotary(joint) ? to_rad(plain_value(word, controller_.angle_increment)) : length_of(word);
        if (turns_[joint] == TurnReading::wound) {
            to[joint] = value + plain.offset[joint];
            continue;
        }
        const Turned turned = turned_by_word(joint, value, plain.offset[joint]);
        if (turned.unclear) {
            return false;
        }
        to[joint] = turned.to;
    }
    double most = 0;
    bool fits = any && feed.has_value() && *feed <= nearly * plain.feed_most; // at the limit it may stand for a rapid
    for (std::size_t i = 0; i < joints; ++i) {
        const double by = std::abs(to[i] - now_[Eigen::Index(i)]);
        most = std::max(most, by);
        fits = fits && by <= plain.may_move[i] && to[i] >= plain.low[i] && to[i] <= plain.high[i];
    }
    if (!fits || most <= no_motion) {
        return false;
    }
    if (run.count == 0) {
        run.common = ReplayMove();
        run.common.block = block_;
        run.common.feed = true;
        run.common.from = run.common.to = now_;
        set_state(run.common);
    }
    const std::size_t at = run.count++;
    run.block[at] = block_;
    run.feed_precision[at] = feed_precision_ = feed_precision;
    plain.feed[at] = *feed;
    feed_ = plain.feed_mode == Function::feed_inverse_time && !controller_.inverse_time_modal ? std::nullopt : feed;
    for (std::size_t i = 0; i < joints; ++i) {
        run.to[i][at] = now_[Eigen::Index(i)] = to[i];
    }
    if (run.count == longest_run) {
        tell_cuts();
    }
    return true;
}

/// As time_feed().
void SimulatedControl::PlainCuts::time(const Machine& machine, const Controller& controller, double rpm)
{
    const std::size_t count = run.count;
    Column squares;
    Column turns;
    std::fill_n(squares.begin(), count, 0);
    std::fill_n(turns.begin(), count, 0);
    std::fill_n(run.least.begin(), count, 0);
    for (std::size_t joint = 0; joint < run.to.size(); ++joint) {
        const bool turning = machine.joints[joint].kind == JointKind::rotary;
        const double speed = machine.joints[joint].speed;
        const Column& to = run.to[joint];
        Column way;
        way[0] = to[0] - run.from(joint, 0);
        for (std::size_t i = 1; i < count; ++i) {
            way[i] = to[i] - to[i - 1];
        }
        for (std::size_t i = 0; i < count; ++i) {
            const double least = std::abs(way[i]) / speed;
            run.least[i] = run.least[i] < least ? least : run.least[i];
        }
        Column& sum = turning ? turns : squares;
        for (std::size_t i = 0; i < count; ++i) {
            const double way_in_word = turning ? to_deg(way[i]) : way[i];
            sum[i] += way_in_word * way_in_word;
        }
    }
    if (feed_mode == Function::feed_inverse_time) {
        for (std::size_t i = 0; i < count; ++i) {
            run.seconds[i] = 1 / feed[i];
        }
    } else {
        for (std::size_t i = 0; i < count; ++i) {
            const double straight = std::sqrt(squares[i]);
            const bool combined = controller.rotary_feed == Controller::RotaryFeed::combined || straight < 1e-9;
            const double way = combined ? std::hypot(straight, std::sqrt(turns[i])) : straight;
            const double speed = feed_mode == Function::feed_per_revolution ? feed[i] * (rpm / 60) : feed[i];
            run.seconds[i] = speed > 0 ? way / speed : 0;
        }
    }
    for (std::size_t i = 0; i < count; ++i) {
        run.at_joint_limit[i] = run.least[i] > 0.999 * run.seconds[i];
        run.seconds[i] = run.seconds[i] < run.least[i] ? run.least[i] : run.seconds[i];
    }
}

void SimulatedControl::tell_cuts()
{
    PlainCuts& plain = *plain_;
    if (plain.run.count > 0) {
        plain.time(machine_, controller_, spindle_rpm_.value_or(0));
        Happening& happening = happens(Happening::Kind::cuts);
        happening.block = plain.run.block[0];
        happening.cuts = &plain.run;
        plain.told = true;
    }
}

/// Before anything but a plain cut.
void SimulatedControl::end_plain_cuts()
{
    if (plain_) {
        tell_cuts();
        plain_->on = false;
    }
}

} // namespace wexilum
