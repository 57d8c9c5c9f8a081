// Where the words of a block bring the joints, and the motion there.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {

Turned SimulatedControl::turned_by_word(std::size_t joint, double value, double offset) const
{
    const double amount = turns_[joint] == TurnReading::signed_way ? std::abs(value) : value;
    return turned_to(turns_[joint], now_[Eigen::Index(joint)], amount + offset, std::signbit(value), to_rad(controller_.angle_increment));
}

double SimulatedControl::turn(std::size_t joint, const CodeWord& word, double value, double offset)
{
    if (turns_[joint] == TurnReading::wound) {
        return value + offset;
    }
    const Turned turned = turned_by_word(joint, value, offset);
    if (turned.unclear) {
        const std::string& id = machine_.joints[joint].id;
        report(Severity::error, "turn-unclear", id,
               fmt::format("{} {:g} is half a turn from where {} stands: the control may go either way", word.letter, to_deg(value), id),
               "go there in two blocks");
    }
    return turned.to;
}

bool SimulatedControl::targets(const BlockWords& words, Readings& to)
{
    const bool machine = words.has(Function::machine_coordinates);
    bool any = false;
    const bool turned = turned_ && !machine;
    Readings before;
    if (turned) { // what the turned coordinates tell where the joints stand
        before = to;
        const auto place = turned_place(before, -1);
        for (std::size_t k = 0; k < 2; ++k) {
            to[Eigen::Index(turned_->joints[k])] = place[k] + offset(turned_->joints[k]);
        }
    }
    for (const auto& [address, joint] : joint_of_) {
        const CodeWord* word = words.take(address);
        if (word == nullptr) {
            continue;
        }
        if (!any && has_frames_ && !machine) {
            (void)use(Group::frame);
        }
        if (!any && has_turns_ && !machine) {
            (void)use(Group::rotation);
        }
        any = true;
        if (surface_ && joint == surface_->turning && !machine) {
            report(Severity::error, "code-error", "",
                   fmt::format("the word {} has no meaning while {} tells the way round the cylinder", address,
                               *controller_.address_of(machine_.joints[surface_->flat].id)),
                   "switch back to the joints' own coordinates first");
            continue;
        }
        words.commanded_known = words.commanded_known && known(joint);
        const double value = rotary(joint) ? to_rad(plain_value(*word, controller_.angle_increment)) : length_value(*word);
        const auto at = Eigen::Index(joint);
        if (machine) {
            to[at] = turn(joint, *word, value, 0);
            known_ |= std::uint32_t{1} << joint;
            continue;
        }
        const WordMeaning* distance = use(Group::distance);
        if (distance != nullptr && distance->function == Function::incremental) {
            to[at] += value;
        } else {
            to[at] = turn(joint, *word, value, offset(joint));
            known_ |= std::uint32_t{1} << joint;
        }
    }
    if (turned) {
        const auto place = turned_place(to, 1);
        for (std::size_t k = 0; k < 2; ++k) {
            to[Eigen::Index(turned_->joints[k])] = any ? place[k] + offset(turned_->joints[k]) : before[Eigen::Index(turned_->joints[k])];
        }
    }
    return any;
}

void SimulatedControl::apply_motion(BlockWords& words)
{
    const std::uint32_t known_before = known_;
    words.from_known = known_ == all_known_;
    const bool place = in_frame() && !words.has(Function::machine_coordinates);
    if (place) {
        name_frame_joints(words);
    }
    const bool on_surface = surface_ && !words.has(Function::machine_coordinates);
    Readings to = place || on_surface ? here() : now_;
    const bool any = targets(words, to);
    const bool centre = std::any_of(controller_.centre.begin(), controller_.centre.end(), [&](char c) { return words.contains(c); });
    if (!any && !centre) {
        return;
    }
    changed_ = changed_ || known_ != known_before;
    const WordMeaning* motion = use(Group::motion);
    const Function function = motion != nullptr ? motion->function : Function::cycle_off;
    switch (function) {
    case Function::rapid: go(words, to, false); return;
    case Function::linear: go(words, to, true); return;
    case Function::arc_clockwise: run_arc(words, to, true); return;
    case Function::arc_counter_clockwise: run_arc(words, to, false); return;
    case Function::cycle: run_cycle(words, to); return;
    default:
        report(Severity::error, "code-error", "", "axis words without a motion word in force", "write rapid or linear before them");
        now_ = to;
    }
}

void SimulatedControl::go(const BlockWords& words, const Readings& wanted, bool feed, const std::optional<Arc>& arc)
{
    ReplayMove move;
    move.block = block_;
    move.feed = feed;
    move.from = now_;
    move.to = wanted;
    move.arc = arc;
    move.from_known = words.from_known;
    move.to_machine_position = words.has(Function::machine_coordinates);
    if (arc) {
        move.arc_joints = words.arc_joints;
        move.arc_by_centre = words.arc_by_centre;
    }
    if (in_frame() && !move.to_machine_position) [[unlikely]] {
        move_in_frame(words, wanted, move);
    }
    if (surface_ && !move.to_machine_position) {
        move_on_surface(move);
    }
    const Readings& to = move.to;
    if (braked_ != 0) {
        check_brakes(to, feed);
        move.waited = std::exchange(waited_, 0);
    }
    set_state(move);
    if (takes_mounts()) {
        check_by_hand(feed);
    }
    move.on_plane = in_frame() && tip_words_->kind == FrameKind::tilted_plane && !move.to_machine_position;
    move.rapid_straight = in_frame() && !move.to_machine_position ? controller_.tip_rapid_straight : controller_.rapid_straight;
    move.turned_slack = turned_ ? turned_slack(move.from, move.to) : 0;
    if (!feed) {
        move.seconds = least_seconds(move.from, move.to);
    } else {
        if (from_unknown_ && !words.from_known) [[unlikely]] {
            report_unplaced();
        }
        time_feed(move);
        for (const std::size_t joint : positioned_) {
            const double by = std::abs(to[Eigen::Index(joint)] - now_[Eigen::Index(joint)]);
            if (by > standing) {
                const std::string& id = machine_.joints[joint].id;
                report(Severity::error, "positions-only", id,
                       fmt::format("{} moves by {:.4f} {} at feed, but it may only be positioned", id, rotary(joint) ? to_deg(by) : by,
                                   rotary(joint) ? "deg" : "mm"),
                       "position it in rapid, away from the work", by);
            }
        }
    }
    for (const Overtravel& over :
         inside_travel(machine_, to, travel_slack) ? std::vector<Overtravel>() : overtravels(machine_, to, travel_slack)) {
        report(Severity::error, "beyond-travel", machine_.joints[over.joint.value].id, text_of(machine_, over),
               "the machine would stop with an alarm here", over.beyond);
    }
    const bool moves = (to - now_).cwiseAbs().maxCoeff() > no_motion || arc.has_value();
    if (!moves && words.commanded_known) {
        report(Severity::warning, "no-motion", "", "the block moves nothing: every axis already stands there",
               "take it away; it may be a doubled block");
    }
    changed_ = true;
    if (in_frame() && (!aligned_.empty() || tip_words_->around_tool)) {
        tip_words_->stale = true; // a parked joint may have moved
    }
    now_ = to;
    Happening& moved = happens(Happening::Kind::motion);
    moved.move = &moves_.emplace_back(std::move(move));
}

/// What a motion has of the control's state.
void SimulatedControl::set_state(ReplayMove& move) const
{
    move.mount = mount_;
    move.tool = tool_;
    move.tool_length = tool_length_;
    move.spindle = spindle_;
    move.spindle_rpm = spindle_rpm_.value_or(0);
    if (takes_mounts()) {
        turn_through_gears(move);
    }
    move.coolant = coolant_;
    move.length_increment = controller_.length_increment * unit_;
    move.called_by = called_by_;
    move.shifted = shifted_;
    move.open_brakes = braked_ != 0 ? open_brakes() : 0;
}

} // namespace wexilum
