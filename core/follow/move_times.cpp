#include "core/follow/move_times.hpp"

#include "core/base/units.hpp"
#include "core/controller/controller.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

const double arc_part = to_rad(3);  // of a bent motion, timed as a straight piece
const double turn_part = to_rad(2); // of a rotary joint, likewise
constexpr int most_parts = 256;
constexpr double end_part = 1e-4; // of a motion, over which its direction at an end is taken
constexpr double reached = 0.99;  // of a feed
constexpr double beyond = 1.01;   // of what a joint can

TimeCause cause_of(Bound bound)
{
    switch (bound) {
    case Bound::joint_speed: return TimeCause::joint_speed;
    case Bound::block_time: return TimeCause::block_time;
    case Bound::look_ahead: return TimeCause::look_ahead;
    default: return TimeCause::ramps;
    }
}

double signed_speed(const ReplayMove& move)
{
    return move.spindle == record::SpindleState::off                 ? 0
           : move.spindle == record::SpindleState::counter_clockwise ? -move.spindle_rpm
                                                                     : move.spindle_rpm;
}

/// By how much the tool of a mount gains speed, rpm a second: as its spindle states it, otherwise the controller; 0: at once.
double spindle_ramp(const Machine& machine, const Controller& controller, std::uint32_t mount)
{
    const Spindle* spindle = mount < machine.mounts.size() ? machine.spindle_of(mount) : nullptr;
    return spindle != nullptr && spindle->run_up > 0 ? spindle->most_speed / spindle->run_up * machine.mounts[mount].gearing.ratio
                                                     : controller.timing.spindle_ramp;
}

/// A joint's figure in the units of its machine's file.
std::string amount(const Joint& joint, double value, const char* per)
{
    const bool rotary = joint.kind == JointKind::rotary;
    return fmt::format("{:.0f} {}/{}", rotary ? to_deg(value) : value, rotary ? "deg" : "mm", per);
}

} // namespace

MoveTimes::MoveTimes(const Machine& machine, const Controller& controller, ReplayTrack* track)
    : machine_(machine), controller_(controller), track_(track), way_(machine.joints.size()), into_(way_), out_of_(way_), speeds_(way_)
{
    out_.ramps = controller.timing.slows();
    out_.rows = controller.table.has_value();
    if (out_.ramps) {
        timer_.emplace(way_rules(machine, controller.timing), static_cast<PieceSink&>(*this));
    }
    ramps_.resize(machine.joints.size());
}

void MoveTimes::begin_file(const std::string& name)
{
    stand();
    file_ = name;
    times_ = 1;
    speed_ = 0;
}

void MoveTimes::set_operations(std::vector<std::uint32_t> lines, std::vector<std::string> names)
{
    out_.operations.resize(lines.size());
    operation_lines_ = std::move(lines);
    operation_names_ = std::move(names);
}

/// The program's own blocks come in their order.
void MoveTimes::come_to(BlockNumber main_block)
{
    while (operation_ + 1 < operation_lines_.size() && operation_lines_[operation_ + 1] <= main_block.value) {
        ++operation_;
    }
}

SpentTime& MoveTimes::tool_time()
{
    if (out_.tools.empty()) {
        out_.tools.emplace_back();
    }
    return out_.tools.back().time;
}

void MoveTimes::spend(TimeCause cause, double seconds)
{
    const double all = seconds * times_;
    out_.all[cause] += all;
    tool_time()[cause] += all;
    if (!out_.operations.empty()) {
        out_.operations[operation_][cause] += all;
    }
}

void MoveTimes::pause(TimeCause cause, double seconds, BlockNumber block)
{
    stand();
    come_to(block);
    spend(cause, seconds);
    pause_ += seconds;
}

void MoveTimes::stand()
{
    if (timer_) {
        timer_->stop();
    }
    seconds_before_ = 0;
}

void MoveTimes::tool_change(BlockNumber block, std::uint32_t tool)
{
    stand();
    out_.tools.push_back({tool, block, {}});
    if (controller_.timing.tool_change > 0) {
        pause(TimeCause::tool_change, controller_.timing.tool_change, block);
    }
    if (controller_.tool_change_stops_spindle) {
        speed_ = 0;
    }
}

void MoveTimes::dwell(BlockNumber block, double seconds) { pause(TimeCause::dwell, seconds, block); }
void MoveTimes::stop(BlockNumber /*block*/, bool /*optional*/) { stand(); }
void MoveTimes::program_end(BlockNumber /*block*/) { stand(); }

void MoveTimes::loop(BlockNumber /*block*/, double count)
{
    stand();
    times_ = std::max(1.0, count);
}

void MoveTimes::loop_end(BlockNumber /*block*/)
{
    stand();
    times_ = 1;
}

/// What comes before a motion.
void MoveTimes::begin(const ReplayMove& move)
{
    const BlockNumber block = move.called_by.value != 0 ? move.called_by : move.block;
    come_to(block);
    if (move.waited > 0) {
        pause(TimeCause::brakes, move.waited, block);
    }
    const double speed = signed_speed(move);
    if (speed != speed_) {
        if (const double ramp = spindle_ramp(machine_, controller_, move.mount); ramp > 0) {
            pause(TimeCause::spindle, std::abs(speed - speed_) / ramp, block);
        }
    }
    speed_ = speed;
}

void MoveTimes::moved(const Followed& motion)
{
    begin(motion.move);
    if (motion.move.feed) {
        cut(motion.move, motion.turn, motion.stands_for_rapid());
    } else {
        rapid(motion.move);
    }
}

void MoveTimes::cuts_moved(const FollowedCuts& cuts)
{
    const CutRun& run = cuts.run;
    begin(run.move(0));
    for (std::size_t i = 0; i < run.count; ++i) {
        for (std::size_t j = 0; j < way_.size(); ++j) {
            way_[j] = run.to[j][i] - run.from(j, i);
        }
        bool stands_for_rapid = false;
        if (run.at_joint_limit[i] || run.common.at_feed_limit) [[unlikely]] {
            const ReplayMove move = run.move(i);
            stands_for_rapid = cuts.cut(move, i).stands_for_rapid();
        }
        put({run.block[i], run.asked[i], run.seconds[i]}, stands_for_rapid);
    }
}

void MoveTimes::rapid(const ReplayMove& move)
{
    stand();
    TimedMotion time{static_cast<float>(pause_), static_cast<float>(move.seconds), 0, 0, false, false};
    double seconds = move.seconds;
    double rate = seconds > 0 ? 1 / seconds : 0;
    if (timer_) {
        // The joint that takes longest, or what all together can.
        const WayRules& rules = timer_->rules();
        double speed = 1e30;
        double acceleration = 1e30;
        double jerk = 1e30;
        seconds = 0;
        for (std::size_t j = 0; j < way_.size(); ++j) {
            const double way = std::abs(move.to[Eigen::Index(j)] - move.from[Eigen::Index(j)]);
            if (way <= 0) {
                continue;
            }
            note_ramp(j, move.block);
            const double most_jerk = rules.jerk[j] > 0 ? rules.jerk[j] / way : 1e30;
            speed = std::min(speed, rules.speed[j] / way);
            acceleration = std::min(acceleration, rules.acceleration[j] / way);
            jerk = std::min(jerk, most_jerk);
            const BetweenStops alone =
                between_stops(1, rules.speed[j] / way, rules.acceleration[j] / way, most_jerk < 1e30 ? most_jerk : 0);
            if (!move.rapid_straight && alone.seconds > seconds) {
                seconds = alone.seconds;
                rate = alone.top;
                time.acceleration = static_cast<float>(rules.acceleration[j] / way);
            }
        }
        if (move.rapid_straight && speed < 1e30) {
            const BetweenStops all = between_stops(1, speed, acceleration, jerk < 1e30 ? jerk : 0);
            seconds = all.seconds;
            rate = all.top;
            time.acceleration = static_cast<float>(acceleration);
        }
        time.rises = time.falls = seconds > 0;
        time.seconds = static_cast<float>(seconds);
    }
    time.rate = static_cast<float>(rate);
    spend(TimeCause::rapid, seconds);
    pause_ = 0;
    if (track_ != nullptr) {
        track_->set_time(motions_, time);
    }
    ++motions_;
}

void MoveTimes::cut(const ReplayMove& move, double turn, bool stands_for_rapid)
{
    const bool bent = move.arc.has_value() || (move.tip_solver != nullptr && turn > 1e-9);
    for (std::size_t j = 0; j < way_.size(); ++j) {
        way_[j] = move.to[Eigen::Index(j)] - move.from[Eigen::Index(j)];
    }
    if (!bent || !timer_) {
        put({move.block, move.asked, move.seconds}, stands_for_rapid);
        return;
    }
    const double parts = std::max(move.arc ? move.arc->sweep / arc_part : 0, move.tip_solver != nullptr ? turn / turn_part : 0);
    const int count = std::clamp(int(std::ceil(std::min(parts, 1e6))), 1, most_parts);
    put_cut({move.block, move.asked, move.seconds}, stands_for_rapid, std::size_t(count));
    const auto direction = [&](double from, double to, std::vector<double>& out) {
        const Readings way = move.at(to) - move.at(from);
        out.assign(way.data(), way.data() + way.size());
    };
    direction(0, end_part, into_);
    direction(1 - end_part, 1, out_of_);
    Readings before = move.from;
    for (int i = 1; i <= count; ++i) {
        const Readings at = move.at(double(i) / count);
        const Readings way = at - before;
        WayPiece piece;
        piece.way = way.data();
        piece.asked = move.asked / count;
        piece.into = i == 1 ? into_.data() : nullptr;
        piece.out_of = i == count ? out_of_.data() : nullptr;
        piece.smooth = i > 1;
        piece.block = i == 1;
        timer_->add(piece);
        before = at;
    }
}

/// A straight motion of `way_`.
void MoveTimes::put(const Feeding& feeding, bool stands_for_rapid)
{
    put_cut(feeding, stands_for_rapid, 1);
    if (timer_) {
        WayPiece piece;
        piece.way = way_.data();
        piece.asked = feeding.asked;
        timer_->add(piece);
        return;
    }
    if (controller_.timing.ramps == Timing::Ramps::none) {
        check_demand(feeding);
    }
    PieceTime time;
    time.seconds = feeding.seconds;
    time.rate = feeding.seconds > 0 ? 1 / feeding.seconds : 0;
    time.top = feeding.seconds > 0 && feeding.asked > 0 ? feeding.asked / feeding.seconds : 1;
    time.bound = time.top < 1 ? Bound::joint_speed : Bound::feed;
    time.joint = slowest(feeding.seconds);
    timed(time);
}

void MoveTimes::put_cut(const Feeding& feeding, bool stands_for_rapid, std::size_t pieces)
{
    Cut cut;
    cut.block = feeding.block;
    cut.operation = operation_;
    (void)tool_time();
    cut.tool = out_.tools.size() - 1;
    cut.motion = motions_++;
    cut.asked = feeding.asked;
    cut.pieces = pieces;
    cut.parts = double(pieces);
    cut.rapid = stands_for_rapid;
    cut.timed.pause = static_cast<float>(pause_);
    cuts_.push_back(cut);
    pause_ = 0;
    if (controller_.timing.block_time > 0 && feeding.asked > 0 && feeding.asked < controller_.timing.block_time) {
        check_rate(feeding);
    }
    for (std::size_t j = 0; j < way_.size(); ++j) {
        if (way_[j] != 0) {
            note_ramp(j, feeding.block);
        }
    }
}

JointIndex MoveTimes::slowest(double seconds) const
{
    for (std::size_t j = 0; j < way_.size(); ++j) {
        if (std::abs(way_[j]) > 0.999 * seconds * machine_.joints[j].speed) {
            return JointIndex(std::uint32_t(j));
        }
    }
    return {};
}

void MoveTimes::timed(const PieceTime& piece)
{
    Cut& cut = cuts_[first_];
    cut.seconds += piece.seconds;
    cut.top = std::max(cut.top, piece.top);
    if (piece.seconds >= cut.longest) {
        cut.longest = piece.seconds;
        cut.bound = piece.bound;
        cut.joint = piece.joint;
    }
    TimedMotion& time = cut.timed;
    time.rate = std::max(time.rate, static_cast<float>(piece.rate / cut.parts));
    time.acceleration = std::max(time.acceleration, static_cast<float>(piece.acceleration / cut.parts));
    time.rises = time.rises || piece.rises;
    time.falls = time.falls || piece.falls;
    if (--cut.pieces == 0) {
        finish_cut();
    }
}

void MoveTimes::finish_cut()
{
    Cut& cut = cuts_[first_];
    const auto add = [&](TimeCause cause, double seconds) {
        for (SpentTime* time :
             {&out_.all, &out_.tools[cut.tool].time, out_.operations.empty() ? nullptr : &out_.operations[cut.operation]}) {
            if (time != nullptr) {
                (*time)[cause] += seconds * times_;
            }
        }
    };
    const double asked = cut.asked > 0 ? std::min(cut.asked, cut.seconds) : cut.seconds;
    add(cut.rapid ? TimeCause::rapid : TimeCause::feed, asked);
    add(cut.rapid ? TimeCause::rapid : cause_of(cut.bound), cut.seconds - asked);
    if (!cut.rapid && cut.top > 0) {
        const std::size_t of = out_.operations.empty() ? cut.tool : cut.operation;
        if (of >= reached_.size()) {
            reached_.resize(of + 1);
        }
        Reached& reach = reached_[of];
        reach.block = reach.block.value == 0 ? cut.block : reach.block;
        reach.best = std::max(reach.best, cut.top);
        if (cut.top < reached && reach.best < reached) {
            reach.held_back[{cut.bound, cut.joint.value}] += cut.seconds;
        }
    }
    if (track_ != nullptr) {
        cut.timed.seconds = static_cast<float>(cut.seconds);
        track_->set_time(cut.motion, cut.timed);
    }
    if (++first_ == cuts_.size()) {
        cuts_.clear();
        first_ = 0;
    } else if (first_ == most_done) {
        cuts_.erase(cuts_.begin(), cuts_.begin() + std::ptrdiff_t(first_));
        first_ = 0;
    }
}

void MoveTimes::report(Finding finding, const std::string& subject, BlockNumber block)
{
    finding.code = {file_, block.value, 0};
    out_.findings.add(std::move(finding), subject, block.value);
}

/// A control that keeps its feed: what that asks of the joints where two cuts meet.
void MoveTimes::check_demand(const Feeding& feeding)
{
    for (std::size_t j = 0; j < way_.size(); ++j) {
        const Joint& joint = machine_.joints[j];
        const double speed = feeding.seconds > 0 ? way_[j] / feeding.seconds : 0;
        const double within = (seconds_before_ + feeding.seconds) / 2;
        const double asked = seconds_before_ > 0 && within > 0 ? std::abs(speed - speeds_[j]) / within : 0;
        const double share = joint.acceleration > 0 ? asked / joint.acceleration : 0;
        if (share > beyond &&
            !out_.findings.absorb("joint-acceleration", joint.id, feeding.block.value, 1, share, 0, feeding.block.value)) {
            report(Finding::make(Severity::warning, "joint-acceleration",
                                 fmt::format("{} would have to be accelerated by {}, it can by {}", joint.id, amount(joint, asked, "s2"),
                                             amount(joint, joint.acceleration, "s2")),
                                 "lower the feed there, or round the corner; the control keeps its feed whatever the joints can do", share),
                   joint.id, feeding.block);
        }
        speeds_[j] = speed;
    }
    seconds_before_ = feeding.seconds;
}

void MoveTimes::check_rate(const Feeding& feeding)
{
    const double most = controller_.timing.block_time;
    const double times = most / feeding.asked;
    if (!out_.findings.absorb("block-rate", "", feeding.block.value, 1, times, 0, feeding.block.value)) {
        report(Finding::make(
                   Severity::warning, "block-rate",
                   fmt::format("the block is to be done in {:.2f} ms, the control needs {:.2f} ms for one: {:.0f} % of the feed is left",
                               feeding.asked * 1e3, most * 1e3, 100 / times),
                   "make the blocks longer (a coarser tolerance of the toolpath), or lower the feed", times),
               "", feeding.block);
    }
}

void MoveTimes::report_jerk()
{
    for (std::size_t j = 0; j < ramps_.size(); ++j) {
        const Joint& joint = machine_.joints[j];
        if (ramps_[j].value != 0 && joint.jerk > 0 && controller_.timing.ramps == Timing::Ramps::acceleration) {
            report(Finding::make(Severity::warning, "joint-jerk",
                                 fmt::format("the control accelerates {} at once, its acceleration may build up by {}", joint.id,
                                             amount(joint, joint.jerk, "s3")),
                                 "have the control limit jerk (\"ramps\": \"jerk\"), or lower the joint's acceleration"),
                   joint.id, ramps_[j]);
        }
    }
}

void MoveTimes::report_unreached()
{
    const auto& timing = controller_.timing;
    for (std::size_t i = 0; i < reached_.size(); ++i) {
        const Reached& reach = reached_[i];
        if (reach.block.value == 0 || reach.best >= reached || reach.held_back.empty()) {
            continue;
        }
        const auto most = std::max_element(reach.held_back.begin(), reach.held_back.end(),
                                           [](const auto& a, const auto& b) { return a.second < b.second; });
        const std::string& joint = machine_.joints[most->first.second].id;
        std::string why;
        const char* cure = "nothing has to be done; a lower feed would take as long";
        switch (most->first.first) {
        case Bound::joint_speed: why = fmt::format("{} can go no faster", joint); break;
        case Bound::block_time:
            why = fmt::format("the control needs {:.2f} ms for a block", timing.block_time * 1e3);
            cure = "make the blocks longer (a coarser tolerance of the toolpath)";
            break;
        case Bound::corner:
            why = fmt::format("{} can't change its speed more at the corners", joint);
            cure = "round the corners, or allow more at them in the control";
            break;
        case Bound::curve: why = fmt::format("the curves need what {} can accelerate", joint); break;
        case Bound::look_ahead:
            why = fmt::format("the control looks {} blocks ahead, too few to be able to stop", timing.look_ahead);
            cure = "make the blocks longer (a coarser tolerance of the toolpath)";
            break;
        default: why = fmt::format("the ways are too short for what {} can accelerate", joint); break;
        }
        const std::string name = i < operation_names_.size() ? fmt::format("in the operation {}", operation_names_[i])
                                 : i < out_.tools.size()     ? fmt::format("with tool {}", out_.tools[i].tool)
                                                             : std::string("in the program");
        report(Finding::make(Severity::remark, "feed-not-reached",
                             fmt::format("{} no cut reaches its feed, {:.0f} % of it at most: {}", name, 100 * reach.best, why), cure,
                             1 - reach.best),
               std::to_string(i), reach.block);
    }
}

ProgramTime MoveTimes::take()
{
    stand();
    report_unreached();
    report_jerk();
    return std::move(out_);
}

} // namespace wexilum
