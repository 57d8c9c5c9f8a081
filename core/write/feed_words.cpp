#include "core/write/feed_words.hpp"

#include "core/base/units.hpp"
#include "core/motion/block_time.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

double FeedSpec::seconds(double length) const
{
    switch (mode) {
    case FeedMode::per_minute: return value > 0 ? length / value : 0;
    case FeedMode::per_revolution: return value > 0 && spindle_rpm > 0 ? length / (value * spindle_rpm / 60) : 0;
    case FeedMode::inverse_time: return value > 0 ? 1 / value : 0;
    }
    return 0;
}

FeedWords::FeedWords(const Assembly& assembly, WordEmitter& emitter, const WrittenPlace& place, WriteLog& log)
    : WritePart(log), assembly_(assembly), emitter_(emitter), place_(place)
{
    const auto& modal = assembly.dialect.modal;
    cut_words_hold_ = modal.contains(Role::axes) && modal.contains(role_of(group_of(Function::linear))) &&
                      modal.contains(role_of(group_of(Function::feed_per_minute)));
}

Slot FeedWords::slot(Statement& statement, FeedMode mode, double value)
{
    static constexpr std::array<Function, 3> functions{Function::feed_per_minute, Function::feed_per_revolution,
                                                       Function::feed_inverse_time};
    static constexpr std::array<Quantity, 3> quantities{Quantity::feed, Quantity::revolution_feed, Quantity::inverse_time};
    const auto index = static_cast<std::size_t>(mode);
    const bool holds = mode_ == mode && cutting_on();
    if (mode_ != mode) {
        emitter_.forget_after("feed-mode");
        mode_ = mode;
    }
    if (auto word = emitter_.function(functions[index])) {
        if (!holds) {
            statement.slots.push_back(*word);
        }
    } else {
        log_.report(Severity::error, "no-feed-mode", std::string(name_of(functions[index])),
                    fmt::format("the dialect has no word for {}", name_of(functions[index])), "add it under \"words\"", 1);
    }
    const Controller& controller = assembly_.controller;
    double most = mode == FeedMode::inverse_time ? controller.inverse_time_most / 60 : per_minute(controller.feed_most);
    if (mode == FeedMode::per_revolution) {
        most = 0;
    }
    if (most > 0 && value > most) {
        log_.report(Severity::warning, "feed-clamped", "",
                    fmt::format("the control takes no larger feed word than {:g}; the move becomes slower", most * 60),
                    "lower the feed, or merge the short moves", value / most);
        value = most;
    }
    Slot out = place_.frame.slot(mode == FeedMode::inverse_time ? Role::inverse_feed : Role::feed, quantities[index], value);
    out.counts = std::max<std::int64_t>(1, out.counts);
    return out;
}

Slot FeedWords::for_block(Statement& statement, const MachinePosition& target, const BlockWay& way, double seconds, double length,
                          const FeedSpec& feed)
{
    BlockTime time{seconds, false, JointIndex(0)};
    if (way.slowest > seconds) {
        time = block_time(assembly_.machine, place_.now(), target.readings, seconds);
    }
    if (time.limited) {
        report_limited(assembly_.machine.joints[time.joint.value].id, time.seconds / seconds);
    }
    if (!way.rotary) {
        return for_straight(statement, target, time.limited, time.seconds, length, feed);
    }
    const bool tip = place_.frame.kind() == FrameKind::tool_centre_point; // the control itself keeps the tip's feed
    if (assembly_.dialect.rotary_feed == RotaryFeedStyle::inverse_time && !tip) {
        return slot(statement, FeedMode::inverse_time, 1 / time.seconds);
    }
    if (tip && !time.limited && feed.mode != FeedMode::inverse_time && length > 0) {
        return slot(statement, feed.mode, feed.value);
    }
    double straight = 0;
    double turns = 0; // deg^2
    for (const WorkingChain::Joint& joint : place_.chain.joints) {
        const auto at = Eigen::Index(joint.joint);
        const double way_of_joint = tip ? place_.word_value(target, joint.joint) - place_.word_value(place_.position(), joint.joint)
                                        : target.readings[at] - place_.now()[at];
        if (place_.frame.is_rotary()[joint.joint]) {
            turns += to_deg(way_of_joint) * to_deg(way_of_joint);
        } else {
            straight += way_of_joint * way_of_joint;
        }
    }
    return slot(statement, FeedMode::per_minute, timed_way(straight, turns, tip) / time.seconds);
}

/// Of a block in which nothing turns.
Slot FeedWords::for_straight(Statement& statement, const MachinePosition& target, bool limited, double seconds, double length,
                             const FeedSpec& feed)
{
    if (feed.mode == FeedMode::inverse_time) {
        return slot(statement, FeedMode::inverse_time, 1 / seconds);
    }
    if (place_.chain.skewed && length > 0 && place_.frame.kind() != FrameKind::tool_centre_point) {
        const double way = way_of_linear(target); // that the control sees, which is another one than the tip's
        return limited ? slot(statement, FeedMode::per_minute, way / seconds) : slot(statement, feed.mode, feed.value * way / length);
    }
    return limited ? slot(statement, FeedMode::per_minute, length / seconds) : slot(statement, feed.mode, feed.value);
}

double FeedWords::way_of_linear(const MachinePosition& target) const
{
    double squares = 0;
    for (const WorkingChain::Joint& joint : place_.chain.joints) {
        const auto at = Eigen::Index(joint.joint);
        squares += place_.frame.is_rotary()[joint.joint] ? 0 : std::pow(target.readings[at] - place_.now()[at], 2);
    }
    return std::sqrt(squares);
}

void FeedWords::report_limited(const std::string& joint, double slower)
{
    if (!log_.absorb("feed-limited", joint, slower)) {
        log_.report(Severity::remark, "feed-limited", joint,
                    fmt::format("{} is too slow for the asked feed: {:.1f} times slower here", joint, slower),
                    "nothing has to be done; a lower feed or a faster joint would even it out", slower);
    }
}

} // namespace wexilum
