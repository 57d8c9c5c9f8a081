#include "core/write/motion_writer.hpp"

#include "core/base/units.hpp"
#include "core/motion/block_time.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

namespace wexilum {
namespace {

constexpr double out_of_square = 1e-3; // cosine: less changes no feed that anybody would see

constexpr std::size_t remarkable_blocks = 24;    // of one move
constexpr double travel_slack = 1e-6;            // mm or rad
constexpr std::size_t neighbouring_records = 60; // travel left again and again within so many records is one finding

} // namespace

double FeedSpec::seconds(double length) const
{
    switch (mode) {
    case FeedMode::per_minute: return value > 0 ? length / value : 0;
    case FeedMode::per_revolution: return value > 0 && spindle_rpm > 0 ? length / (value * spindle_rpm / 60) : 0;
    case FeedMode::inverse_time: return value > 0 ? 1 / value : 0;
    }
    return 0;
}

MotionWriter::MotionWriter(const Assembly& assembly, WordEmitter& emitter, FindingList& findings, const std::vector<std::string>& files)
    : assembly_(assembly), solver_(&*assembly.solver), posture_(assembly.machine.at_rest()), emitter_(emitter), findings_(findings),
      frame_(assembly), files_(files), now_{assembly.machine.home(), {}}, next_(now_), stated_(assembly.machine.joints.size(), false)
{
    frame_.recount(now_);
    const auto& modal = assembly.dialect.modal;
    cut_words_hold_ = modal.contains(Role::axes) && modal.contains(role_of(group_of(Function::linear))) &&
                      modal.contains(role_of(group_of(Function::feed_per_minute)));
    for (const auto& [id, words] : assembly.dialect.brakes) {
        brakes_.push_back({assembly.machine.find_joint(id)->value, &words, std::nullopt});
    }
    take_chain();
}

/// What every block needs of the joints between work and tool.
void MotionWriter::take_chain()
{
    chain_.clear();
    rotary_bits_ = positioned_bits_ = 0;
    rotary_joints_ = linear_joints_ = 0;
    std::vector<std::size_t> chain = frame_.chain();
    std::stable_sort(chain.begin(), chain.end(),
                     [&](std::size_t a, std::size_t b) { return emitter_.axis_rank(a) < emitter_.axis_rank(b); });
    for (const std::size_t i : chain) {
        const Joint& joint = assembly_.machine.joints[i];
        constexpr double infinite = std::numeric_limits<double>::infinity();
        rotary_bits_ |= frame_.is_rotary()[i] ? 1U << chain_.size() : 0;
        (frame_.is_rotary()[i] ? rotary_joints_ : linear_joints_) |= bit_of(i);
        positioned_bits_ |= joint.moves_while_cutting ? 0 : 1U << chain_.size();
        chain_.push_back({i, 1 / joint.speed, joint.travel ? joint.travel->low - travel_slack : -infinite,
                          joint.travel ? joint.travel->high + travel_slack : infinite, frame_.quantity(i)});
    }
    const Kinematics& kinematics = solver_->kinematics();
    tool_turns_ = std::any_of(kinematics.links().begin(), kinematics.links().end(), [&](const Kinematics::Link& link) {
        return link.sign > 0 && kinematics.joints()[link.joint.value].kind == JointKind::rotary;
    });
    skewed_ = false;
    for (const JointIndex a : solver_->linear()) {
        for (const JointIndex b : solver_->linear()) {
            const double cosine = kinematics.joints()[a.value].direction.dot(kinematics.joints()[b.value].direction);
            skewed_ = skewed_ || (a != b && std::abs(cosine) > out_of_square);
        }
    }
    const auto along = [&](std::optional<std::size_t> joint) {
        const Vec3 axis = kinematics.length_direction();
        return tool_turns_ || !joint || kinematics.joints()[*joint].direction.cross(axis).norm() < 1e-6;
    };
    beside_ = !along(away_joint());
    length_register_acts_ = along(frame_.length_joint());
}

[[gnu::noinline, gnu::cold]] void MotionWriter::report(Severity severity, const std::string& kind, const std::string& subject,
                                                       std::string message, std::string cure, double worst, std::size_t gap)
{
    Finding finding = Finding::make(severity, kind, std::move(message), std::move(cure), worst);
    finding.source = place_of(files_, source_);
    finding.code.line = emitter_.lines() + 1; // what is being written
    findings_.add(std::move(finding), subject, record_, gap);
}

void MotionWriter::set_tool(const Tool& tool)
{
    tool_length_ = tool.length.value_or(0);
    length_register_ = tool.length_register;
    positioned_ = false;
    length_stated_ = false;
    set_length_shift(0);
}

void MotionWriter::set_length_shift(double mm)
{
    frame_.set_length_shift(mm);
    frame_.recount(now_);
}

void MotionWriter::moved_to(std::size_t joint, double reading)
{
    now_.readings[Eigen::Index(joint)] = reading;
    frame_.kind() == FrameKind::joints ? void(now_.counts[joint] = frame_.counts(joint, reading)) : frame_.recount(now_);
    words_[joint].reset();
}

void MotionWriter::add_axis(Statement& statement, std::size_t joint, std::int64_t counts)
{
    statement.slots.push_back({Role::axes, std::uint8_t(joint), frame_.quantity(joint), axis_word(joint, counts), {}});
}

[[gnu::always_inline]] inline std::int64_t MotionWriter::axis_word(std::size_t joint, std::int64_t counts)
{
    if (frame_.reads(joint) == TurnReading::wound) [[likely]] {
        return counts;
    }
    if (counts != now_.counts[joint] || !words_[joint]) {
        words_[joint] = frame_.word_counts(joint, now_.counts[joint], counts);
    }
    return *words_[joint];
}

Turns MotionWriter::turns_now() const
{
    Turns out = solver_->turns_of(now_.readings);
    for (std::size_t i = 0; i < out.size(); ++i) {
        out[i] -= further_[i];
    }
    return out;
}

Turns MotionWriter::shifted(const Turns& planned) const { return {planned[0] + further_[0], planned[1] + further_[1]}; }

int MotionWriter::blocks_between(const Turns& from, const Turns& to) const
{
    std::int64_t out = 1;
    for (std::size_t i = 0; frame_.has_circles() && !on_cylinder() && i < solver_->rotary().size(); ++i) {
        const std::size_t joint = solver_->rotary()[i].value;
        out = std::max(out, frame_.blocks_between(joint, frame_.counts(joint, from[i]), frame_.counts(joint, to[i])));
    }
    return int(std::min<std::int64_t>(out, most_points));
}

/// Before a link: joints that go one way only come to the planned place by as many turns more as that takes.
void MotionWriter::go_one_way(const Turns& planned)
{
    for (std::size_t i = 0; frame_.has_circles() && i < solver_->rotary().size(); ++i) {
        const std::size_t joint = solver_->rotary()[i].value;
        const TurnReading reads = frame_.reads(joint);
        if (reads != TurnReading::rising && reads != TurnReading::falling) {
            continue;
        }
        const double one = reads == TurnReading::rising ? whole_turn : -whole_turn;
        const auto behind = [&] { // by counts: what rounds to where the joint stands is no way back
            const std::int64_t way = frame_.counts(joint, planned[i] + further_[i]) - now_.counts[joint];
            return reads == TurnReading::rising ? way < 0 : way > 0;
        };
        further_[i] += behind() ? one * std::ceil((now_.readings[Eigen::Index(joint)] - planned[i] - further_[i]) / one) : 0;
        further_[i] += behind() ? one : 0;
    }
}

/// In a cut such a joint can't go back.
void MotionWriter::check_one_way(const Turns& from, const Turns& to)
{
    for (std::size_t i = 0; frame_.has_circles() && i < solver_->rotary().size(); ++i) {
        const std::size_t joint = solver_->rotary()[i].value;
        const TurnReading reads = frame_.reads(joint);
        const std::int64_t way = frame_.counts(joint, to[i]) - frame_.counts(joint, from[i]);
        if ((reads == TurnReading::rising && way < 0) || (reads == TurnReading::falling && way > 0)) {
            const std::string& id = assembly_.machine.joints[joint].id;
            report(Severity::error, "one-way", id,
                   fmt::format("{} has to turn back by {:.4f} deg in a cut, but the control turns it one way only", id,
                               std::abs(to_deg(to[i] - from[i]))),
                   "cut the other way round, or choose another reading of the axis in the controller", std::abs(to_deg(to[i] - from[i])));
        }
    }
}

bool MotionWriter::differs(const Stand& target, bool rotary) const
{
    if (rotary && on_cylinder()) {
        return target.counts[frame_.cylinder().flat] != now_.counts[frame_.cylinder().flat];
    }
    for (const std::size_t i : frame_.chain()) {
        if (frame_.is_rotary()[i] == rotary && target.counts[i] != now_.counts[i]) {
            return true;
        }
    }
    return false;
}

[[gnu::noinline, gnu::cold]] void MotionWriter::check_travel(const Readings& readings)
{
    if (inside_travel(assembly_.machine, readings, travel_slack)) {
        return;
    }
    for (const Overtravel& over : overtravels(assembly_.machine, readings, travel_slack)) {
        const Joint& joint = assembly_.machine.joints[over.joint.value];
        const bool rotary = joint.kind == JointKind::rotary;
        report(Severity::error, "beyond-travel", joint.id, text_of(assembly_.machine, over),
               rotary ? "lean the tool less, turn the part, or retract before it so that the joint can unwind"
                      : "move the part or choose another tool length",
               over.beyond, neighbouring_records);
    }
}

/// The joint whose letter tells the way round a cylinder stands: the cut must not need it.
void MotionWriter::check_beside(const Pose& end, const Turns& turns)
{
    const double beside = frame_.beside_cylinder(turns, end.tip, tool_length_);
    if (std::abs(beside) > 2 * frame_.rounding().step(Quantity::length)) {
        const std::string& joint = assembly_.machine.joints[frame_.cylinder().flat].id;
        report(Severity::error, "beside-cylinder", joint,
               fmt::format("{} stands while the control turns the cylinder, but the cut would need it {:.4f} mm further", joint, beside),
               "let the wrap's axis lie on the axis of the rotary joint, or write it with \"frame\": \"joints\"", std::abs(beside),
               neighbouring_records);
    }
}

void MotionWriter::report_positioned(const Stand& target, const Way& way)
{
    for (std::uint32_t bits = way.moved & positioned_bits_; bits != 0; bits &= bits - 1) {
        const std::size_t joint = chain_[std::size_t(std::countr_zero(bits))].joint;
        const std::string& id = assembly_.machine.joints[joint].id;
        const double by = std::abs(target.readings[Eigen::Index(joint)] - now()[Eigen::Index(joint)]);
        const bool rotary = frame_.is_rotary()[joint];
        report(Severity::error, "positions-only", id,
               fmt::format("the cut moves {} by {:.4f} {}, but it may only be positioned", id, rotary ? to_deg(by) : by,
                           rotary ? "deg" : "mm"),
               "cut with it standing still, or say in the machine that it moves while cutting", rotary ? to_deg(by) : by,
               neighbouring_records);
    }
}

Slot MotionWriter::feed_slot(Statement& statement, FeedMode mode, double value)
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
        report(Severity::error, "no-feed-mode", std::string(name_of(functions[index])),
               fmt::format("the dialect has no word for {}", name_of(functions[index])), "add it under \"words\"", 1);
    }
    const Controller& controller = assembly_.controller;
    double most = mode == FeedMode::inverse_time ? controller.inverse_time_most / 60 : per_minute(controller.feed_most);
    if (mode == FeedMode::per_revolution) {
        most = 0;
    }
    if (most > 0 && value > most) {
        report(Severity::warning, "feed-clamped", "",
               fmt::format("the control takes no larger feed word than {:g}; the move becomes slower", most * 60),
               "lower the feed, or merge the short moves", value / most);
        value = most;
    }
    Slot slot = frame_.slot(mode == FeedMode::inverse_time ? Role::inverse_feed : Role::feed, quantities[index], value);
    slot.counts = std::max<std::int64_t>(1, slot.counts);
    return slot;
}

MotionWriter::Way MotionWriter::way_to(const Stand& target) const
{
    Way out;
    const double* const from = now_.readings.data();
    const double* const to = target.readings.data();
    std::uint32_t bit = 1;
    for (const ChainJoint& chain : chain_) {
        const double reading = to[chain.joint];
        out.moved |= target.counts[chain.joint] != now_.counts[chain.joint] ? bit : 0;
        out.slowest = std::max(out.slowest, std::abs(reading - from[chain.joint]) * chain.per_speed);
        out.inside = out.inside && reading >= chain.low && reading <= chain.high;
        bit <<= 1;
    }
    out.rotary = (out.moved & rotary_bits_) != 0;
    return out;
}

Slot MotionWriter::block_feed(Statement& statement, const Stand& target, const Way& way, double seconds, double length,
                              const FeedSpec& feed)
{
    BlockTime time{seconds, false, JointIndex(0)};
    if (way.slowest > seconds) {
        time = block_time(assembly_.machine, now(), target.readings, seconds);
    }
    if (time.limited) {
        const std::string& id = assembly_.machine.joints[time.joint.value].id;
        const double slower = time.seconds / seconds;
        if (!findings_.absorb("feed-limited", id, record_, 1, slower, source_.line.value, emitter_.lines() + 1)) {
            report(Severity::remark, "feed-limited", id,
                   fmt::format("{} is too slow for the asked feed: {:.1f} times slower here", id, slower),
                   "nothing has to be done; a lower feed or a faster joint would even it out", slower);
        }
    }
    if (!way.rotary) {
        const bool as_asked = !time.limited && feed.mode != FeedMode::inverse_time;
        if (feed.mode == FeedMode::inverse_time) {
            return feed_slot(statement, FeedMode::inverse_time, 1 / time.seconds);
        }
        if (skewed_ && length > 0 && frame_.kind() != FrameKind::tool_centre_point) {
            // The control sees the way of the joints, which is another one than the tip's.
            double way_of_joints = 0;
            for (const ChainJoint& chain : chain_) {
                const auto joint = Eigen::Index(chain.joint);
                way_of_joints += frame_.is_rotary()[chain.joint] ? 0 : std::pow(target.readings[joint] - now_.readings[joint], 2);
            }
            way_of_joints = std::sqrt(way_of_joints);
            return as_asked ? feed_slot(statement, feed.mode, feed.value * way_of_joints / length)
                            : feed_slot(statement, FeedMode::per_minute, way_of_joints / time.seconds);
        }
        return as_asked ? feed_slot(statement, feed.mode, feed.value) : feed_slot(statement, FeedMode::per_minute, length / time.seconds);
    }
    const bool tip = frame_.kind() == FrameKind::tool_centre_point; // the control itself keeps the tip's feed
    if (assembly_.dialect.rotary_feed == RotaryFeedStyle::inverse_time && !tip) {
        return feed_slot(statement, FeedMode::inverse_time, 1 / time.seconds);
    }
    if (tip && !time.limited && feed.mode != FeedMode::inverse_time && length > 0) {
        return feed_slot(statement, feed.mode, feed.value);
    }
    double straight = 0;
    double turns = 0; // deg^2
    for (const ChainJoint& chain : chain_) {
        const double joint_way = tip ? word_value(target, chain.joint) - word_value(now_, chain.joint)
                                     : target.readings[Eigen::Index(chain.joint)] - now_.readings[Eigen::Index(chain.joint)];
        if (frame_.is_rotary()[chain.joint]) {
            turns += to_deg(joint_way) * to_deg(joint_way);
        } else {
            straight += joint_way * joint_way;
        }
    }
    // A control that times by the linear way alone times by the turns where nothing else moves.
    const bool combined = (assembly_.controller.rotary_feed == Controller::RotaryFeed::combined && !tip) || straight < 1e-18;
    return feed_slot(statement, FeedMode::per_minute, std::sqrt(straight + (combined ? turns : 0)) / time.seconds);
}

void MotionWriter::feed_line(const Stand& target, double seconds, double length, const FeedSpec& feed)
{
    seconds += carried_seconds_;
    length += carried_length_;
    const Way way = way_to(target);
    if (way.moved == 0) {
        carried_seconds_ = seconds;
        carried_length_ = length;
        return;
    }
    carried_seconds_ = carried_length_ = 0;
    if (!way.inside) {
        check_travel(target.readings);
    }
    if ((way.moved & positioned_bits_) != 0) {
        report_positioned(target, way);
    }
    if (!brakes_.empty() && way.rotary) {
        release_moving(target);
    }
    Statement statement(StatementKind::motion);
    const Slot value = block_feed(statement, target, way, seconds, length, feed);
    if (cutting_on() && statement.slots.size() == 0) {
        std::array<JointCounts, max_joints> moved;
        std::size_t count = 0;
        for (std::uint32_t bits = way.moved; bits != 0; bits &= bits - 1) {
            const ChainJoint& chain = chain_[std::size_t(std::countr_zero(bits))];
            moved[count++] = {chain.joint, axis_word(chain.joint, target.counts[chain.joint]), chain.quantity};
            stand_at(chain.joint, target);
        }
        emitter_.emit_cut(std::span(moved).first(count), value);
        if (frame_.kind() != FrameKind::joints) [[unlikely]] {
            now_ = target; // a joint may move though its word stays
        }
    } else {
        if (auto word = emitter_.function(Function::linear)) {
            statement.slots.push_back(*word);
        }
        for (const ChainJoint& chain : chain_) {
            if (!on_cylinder() || chain.joint != frame_.cylinder().turning) {
                add_axis(statement, chain.joint, target.counts[chain.joint]);
            }
            stand_at(chain.joint, target);
        }
        statement.slots.push_back(value);
        emitter_.emit(statement);
    }
    cut_stamp_ = emitter_.stamp();
    cut_forgotten_ = emitter_.forgotten();
    retracted_ = false;
}

[[gnu::flatten]] void MotionWriter::feed_point(const Turns& turns, const Vec3& tip, double seconds, double length, const FeedSpec& feed)
{
    frame_.bring(next_, turns, tip, tool_length_);
    feed_line(next_, seconds, length, feed);
}

void MotionWriter::feed(const PathPiece& piece, const SheetWay& planned, const FeedSpec& feed)
{
    const SheetWay way{planned.branch, shifted(planned.from), shifted(planned.to)};
    if (!feed.stated()) {
        report(Severity::error, "feed-missing", "", "a cut without a feed", "state FEDRAT (and SPINDL for a feed per revolution) before it",
               1);
        return;
    }
    if (on_cylinder()) {
        check_beside(piece.to, way.to);
    }
    if (piece.arc || (on_cylinder() && piece.wound && piece.wound->arc)) {
        std::string why;
        if (const auto frame = arc_frame(piece, way, why)) {
            feed_arc(piece, *frame, 0, 1, feed, 0);
            return;
        }
        report(Severity::remark, "arc-as-lines", why, "an arc is written as lines: " + why,
               "nothing has to be done; the lines keep the job's tolerance", 0, SIZE_MAX);
    }
    if (!on_cylinder()) {
        check_one_way(way.from, way.to);
    }
    const double length = piece.length();
    if (!piece.curved() && solver_->rotary().empty()) {
        feed_point(way.to, piece.to.tip, feed.seconds(length), length, feed);
        return;
    }
    if (!piece.curved() && blocks_between(way.from, way.to) == 1) {
        const double turns = std::abs(way.to[0] - way.from[0]) + std::abs(way.to[1] - way.from[1]);
        const Deviation bound = deviation_bound(turns, length, parts_.lever.at(*solver_, piece.from.tip, tool_length_), interpolation());
        if (bound.tip <= assembly_.job.tolerance.tip && bound.axis <= assembly_.job.tolerance.axis) {
            feed_point(way.to, piece.to.tip, feed.seconds(length), length, feed);
            return;
        }
    }
    subdivide(*solver_, piece, way.branch, way.from, way.to, tool_length_, assembly_.job.tolerance, interpolation(), parts_);
    if (parts_.capped) {
        report(Severity::error, "too-many-blocks", "",
               fmt::format("{} blocks are not enough to keep the tolerance in one move", most_points),
               "lean the tool away from the pole, or allow a larger tolerance", parts_.worst.tip);
    }
    if (parts_.points.size() > remarkable_blocks && !parts_.capped && !piece.curved() && !solver_->rotary().empty()) {
        report_many_blocks(way, length);
    }
    double before = 0;
    Turns turns = way.from;
    const auto go = [&](double s, const Turns& to) {
        const double part = length * (s - before);
        const double seconds = feed.mode == FeedMode::inverse_time ? feed.seconds(length) * (s - before) : feed.seconds(part);
        feed_point(to, s == 1 ? piece.to.tip : piece.at(s).tip, seconds, part, feed);
        before = s;
    };
    for (const Waypoint& point : parts_.points) {
        const int parts = blocks_between(turns, point.turns);
        const double begin = before;
        for (int k = 1; k < parts; ++k) {
            const double u = double(k) / parts;
            go(begin + (point.s - begin) * u, {turns[0] + (point.turns[0] - turns[0]) * u, turns[1] + (point.turns[1] - turns[1]) * u});
        }
        go(point.s, point.turns);
        turns = point.turns;
    }
}

void MotionWriter::report_many_blocks(const SheetWay& way, double length)
{
    const auto count = double(parts_.points.size());
    const bool first = std::abs(way.to[0] - way.from[0]) >= std::abs(way.to[1] - way.from[1]);
    const std::size_t rotary = first ? 0 : 1;
    const std::string& joint = assembly_.machine.joints[solver_->rotary()[rotary].value].id;
    if (!findings_.absorb("many-blocks", joint, record_, 1, count, source_.line.value, emitter_.lines() + 1)) {
        report(Severity::remark, "many-blocks", joint,
               fmt::format("{:.0f} blocks for one move: {} turns {:.3f} deg while the tool goes {:.3f} mm", count, joint,
                           std::abs(to_deg(way.to[rotary] - way.from[rotary])), length),
               "a lean in the operation's \"pole\" would spare the turn where a pole is near; a larger tolerance needs fewer blocks",
               count);
    }
}

void MotionWriter::turn_standing(const Pose& pose, const Turns& from_planned, const Turns& to_planned, const FeedSpec& feed)
{
    const Turns from = shifted(from_planned);
    const Turns to = shifted(to_planned);
    check_one_way(from, to);
    const double turn = std::abs(to[0] - from[0]) + std::abs(to[1] - from[1]);
    const double lever = std::min(solver_->lever_bound(pose.tip, tool_length_), 1e5);
    // Chords of a circle about the axis, with room for rounding; none where the control itself keeps the tip in its place.
    const bool kept = frame_.kind() == FrameKind::tool_centre_point;
    const double wanted = kept ? 1 : std::ceil(turn * std::sqrt(lever / (4 * assembly_.job.tolerance.tip)));
    const int parts = std::max(int(std::clamp(wanted, 1.0, double(most_points))), blocks_between(from, to));
    for (int i = 1; i <= parts; ++i) {
        const double u = double(i) / parts;
        feed_point({from[0] + (to[0] - from[0]) * u, from[1] + (to[1] - from[1]) * u}, pose.tip, 0, 0, feed);
    }
}

bool MotionWriter::stands_above(const Pose& pose, const Turns& planned) const
{
    const Pose here = solver_->kinematics().pose(now(), tool_length_);
    return positioned_ && in_wanted_frame() && !differs(rounded(shifted(planned), pose.tip), true) &&
           here.axis.dot(here.tip - pose.tip) >= 0;
}

std::optional<MotionWriter::Drilling> MotionWriter::drilling(const Vec3& axis) const
{
    constexpr double way = 100; // mm
    const Pose here = solver_->kinematics().pose(now(), tool_length_);
    // The declared directions of a plane are rounded.
    const double least = !of_the_tip(frame_.kind()) ? 1e-6 : 0.1 * frame_.rounding().step(Quantity::length);
    const auto change = [&](const Vec3& direction) {
        Readings above = now();
        solver_->set_linear(above, here.tip + direction * way, tool_length_);
        return Readings(frame_.program_values(above) - frame_.program_values(now()));
    };
    const auto alone = [&](const Readings& changed, std::size_t joint, double by) {
        for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
            if (std::abs(changed[Eigen::Index(i)] - (joint == i ? by : 0)) > least) {
                return false;
            }
        }
        return true;
    };
    const Readings along_tool = change(here.axis);
    if (assembly_.controller.cycles_across_plane && !of_the_tip(frame_.kind())) {
        const auto joints = frame_.xyz();
        const std::array<Function, 3> planes{Function::plane_yz, Function::plane_zx, Function::plane_xy};
        for (std::size_t k = 0; joints && k < 3; ++k) {
            const bool drills = alone(along_tool, (*joints)[k], way) || alone(along_tool, (*joints)[k], -way);
            if (drills && emitter_.function(planes[k])) {
                return Drilling{(*joints)[k], planes[k]};
            }
        }
        return std::nullopt;
    }
    const auto drill = frame_.drill_joint();
    const bool drills =
        drill && (alone(along_tool, *drill, way) || (frame_.kind() == FrameKind::tilted_plane && alone(change(axis), *drill, way)));
    return drills ? std::optional(Drilling{*drill, std::nullopt}) : std::nullopt;
}

Interpolation MotionWriter::interpolation() const
{
    return frame_.kind() != FrameKind::tool_centre_point ? Interpolation::joints
           : assembly_.controller.tip_by_vector          ? Interpolation::tip_and_vector
                                                         : Interpolation::tip_and_joints;
}

/// What a joint's word tells: its reading, or a coordinate of the tip.
double MotionWriter::word_value(const Stand& stand, std::size_t joint) const
{
    const bool coordinate = frame_.kind() != FrameKind::joints && !frame_.is_rotary()[joint];
    return coordinate ? frame_.rounding().value(Quantity::length, stand.counts[joint]) : stand.readings[Eigen::Index(joint)];
}

} // namespace wexilum
