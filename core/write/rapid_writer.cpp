#include "core/write/rapid_writer.hpp"

#include "core/base/units.hpp"
#include "core/motion/rapid_way.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

void RapidWriter::move(const MachinePosition& target, JointSet joints)
{
    const int parts = (joints & place_.chain.rotary) != 0 ? circles_.blocks_between(place_.now(), target.readings) : 1;
    const MachinePosition from = place_.position();
    for (int k = 1; k < parts; ++k) {
        MachinePosition part = place_.position();
        for (const std::size_t i : place_.frame.chain()) {
            if (place_.frame.is_rotary()[i]) {
                part.counts[i] = from.counts[i] + (target.counts[i] - from.counts[i]) * k / parts;
                part.readings[Eigen::Index(i)] = place_.frame.reading(i, part.counts[i]);
            }
        }
        move_once(Function::rapid, part, joints & place_.chain.rotary);
    }
    move_once(Function::rapid, target, joints);
}

/// The fastest feed, where the joints of a rapid, each at its own speed, would take the tip beside a way along the tool, or lower than the
/// ends of another one; nothing where a rapid does.
std::optional<FeedSpec> RapidWriter::straight_feed(const MachinePosition& target, JointSet joints) const
{
    const Controller& controller = assembly_.controller;
    const bool goes_straight = of_the_tip(place_.frame.kind()) ? controller.tip_rapid_straight : controller.rapid_straight;
    if (goes_straight || place_.on_cylinder() || !emitter_.function(Function::linear)) {
        return std::nullopt;
    }
    Readings end = place_.now();
    std::size_t moving = 0;
    double seconds = 0;
    for (const std::size_t i : place_.frame.chain()) {
        const auto at = Eigen::Index(i);
        end[at] = (joints & bit_of(i)) != 0 ? target.readings[at] : end[at];
        const double way = std::abs(end[at] - place_.now()[at]);
        const bool stays_back = (joints & bit_of(i)) == 0 && target.counts[i] != place_.position().counts[i]; // its turn comes later
        if (stays_back || (way > 0 && place_.frame.is_rotary()[i])) {
            return std::nullopt;
        }
        moving += way > 0 ? 1 : 0;
        seconds = std::max(seconds, way / assembly_.machine.joints[i].speed);
    }
    if (moving < 2) {
        return std::nullopt;
    }
    const double least = 2 * place_.frame.rounding().step(Quantity::length);
    const Pose from = place_.solver().kinematics().pose(place_.now(), place_.tool_length);
    const Vec3 to = place_.solver().kinematics().pose(end, place_.tool_length).tip;
    const Vec3 out = place_.out_of_work(from, place_.now());
    const Vec3 way = to - from.tip;
    const bool along = (way - out * out.dot(way)).norm() <= least;
    const double length = way.norm();
    bool leaves = false;
    for (const Readings& corner : rapid_stretches(assembly_.machine, place_.now(), end, false)) {
        const Vec3 off = place_.solver().kinematics().pose(corner, place_.tool_length).tip - from.tip;
        const double beside = length > 0 ? (off - way * (way.dot(off) / (length * length))).norm() : 0;
        leaves = leaves || (along ? beside > least : out.dot(off) < std::min(0.0, out.dot(way)) - least);
    }
    if (!leaves || seconds <= 0) {
        return std::nullopt;
    }
    const double most = controller.feed_most > 0 ? per_minute(controller.feed_most) : length / seconds;
    return FeedSpec{FeedMode::per_minute, std::min(length / seconds, most), 0};
}

void RapidWriter::move_clear(const MachinePosition& target, JointSet joints)
{
    if (const auto straight = straight_feed(target, joints)) {
        move_once(Function::linear, target, joints, &*straight);
    } else {
        move(target, joints);
    }
}

void RapidWriter::move_once(Function function, const MachinePosition& target, JointSet joints, const FeedSpec* feed)
{
    if ((joints & place_.chain.rotary) != 0) {
        brakes_.release_moving(target);
    }
    Statement statement(StatementKind::motion);
    bool any = false;
    for (const std::size_t i : place_.frame.chain()) {
        if ((joints & bit_of(i)) == 0) {
            continue;
        }
        any = any || !place_.stated[i] || target.counts[i] != place_.position().counts[i];
        place_.stated[i] = true;
        circles_.add_axis(statement, i, target.counts[i]);
        place_.move_joint(i, target);
    }
    if (of_the_tip(place_.frame.kind())) {
        place_.set_position(target); // a joint may move though its word stays
    } else if (place_.on_cylinder() && (joints & bit_of(place_.frame.cylinder().flat)) != 0) {
        place_.move_joint(place_.frame.cylinder().turning, target);
    }
    if (!any) {
        return;
    }
    if (feed != nullptr) {
        feeds_.add(statement, feed->mode, feed->value);
    }
    if (auto word = emitter_.function(function)) {
        statement.slots.push_back(*word);
    }
    emitter_.emit(statement);
}

} // namespace wexilum
